"""One visit of a page in a headless Firefox, told over WebDriver BiDi (a W3C standard)."""

from __future__ import annotations

import json
import os
import re
import selectors
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import websocket

#: Its usual names.
PROGRAMS = ("firefox", "firefox-esr")
_LISTENS = re.compile(rb"WebDriver BiDi listening on (ws://\S+)")
#: Seconds for it to start, and for an answer.
_START, _ANSWER = 30.0, 30.0
#: What keeps a new profile from asking, updating and calling home.
_SETTINGS = {
    "browser.shell.checkDefaultBrowser": False,
    "browser.startup.page": 0,
    "app.update.disabledForTesting": True,
    "datareporting.policy.dataSubmissionEnabled": False,
    "toolkit.telemetry.enabled": False,
    "network.captive-portal-service.enabled": False,
    "network.connectivity-service.enabled": False,
    "browser.safebrowsing.downloads.enabled": False,
    "services.settings.server": "data:,",
    "extensions.update.enabled": False,
}


class _Wire:
    """Orders and news over the socket."""

    def __init__(self, address: str) -> None:
        self._socket = websocket.create_connection(f"{address}/session", timeout=_ANSWER, suppress_origin=True)
        self._number = 0
        self._news: list[dict[str, Any]] = []

    def ask(self, method: str, **params: object) -> dict[str, Any]:
        """Send an order and return its answer; empty when it was refused."""
        number = self.send(method, **params)
        while (message := self._read(_ANSWER)) is not None:
            if message.get("id") == number:
                result: dict[str, Any] = message.get("result", {})
                return result
            self._news.append(message)
        return {}

    def send(self, method: str, **params: object) -> int:
        """Send an order and wait for nothing."""
        self._number += 1
        self._socket.send(json.dumps({"id": self._number, "method": method, "params": params}))
        return self._number

    def next(self, seconds: float) -> dict[str, Any] | None:
        """Return the next message, None when none comes in time or the browser is gone."""
        return self._news.pop(0) if self._news else self._read(seconds)

    def _read(self, seconds: float) -> dict[str, Any] | None:
        self._socket.settimeout(max(seconds, 0.01))
        try:
            message: dict[str, Any] = json.loads(self._socket.recv())
        except (websocket.WebSocketException, OSError, ValueError):
            return None
        return message


def visit(browser: str, profile: str, url: str, *, longest: float, quiet: float) -> int:
    """Open a page, pass on what it logs and fails on; return 1 when a script of it failed, else 0.

    Args:
        browser: the program.
        profile: a folder of ours.
        url: the page.
        longest: seconds for the whole visit.
        quiet: seconds without news, once the page is loaded, after which its scripts count as done.
    """
    rows = [f"user_pref({json.dumps(name)}, {json.dumps(value)});" for name, value in _SETTINGS.items()]
    Path(profile, "user.js").write_text("\n".join(rows), encoding="utf-8")
    words = [browser, "--headless", "--no-remote", "--profile", profile, "--remote-debugging-port", "0"]
    env = {**os.environ, "MOZ_CRASHREPORTER_DISABLE": "1", "HOME": profile}
    process = subprocess.Popen(words, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, env=env)
    try:
        address = _address(process)
        if not address:
            sys.stderr.write(f"jamkey: {browser} could not be started\n")
            return 127
        wire = _Wire(address)
        wire.ask("session.new", capabilities={"alwaysMatch": {"unhandledPromptBehavior": {"default": "accept"}}})
        wire.ask("session.subscribe", events=["log.entryAdded", "browsingContext.load"])
        context = wire.ask("browsingContext.getTree").get("contexts", [{}])[0].get("context", "")
        wire.send("browsingContext.navigate", context=context, url=url, wait="none")
        return _watch(wire, context, url, longest, quiet)
    finally:
        process.terminate()
        try:
            process.wait(5)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def _address(process: subprocess.Popen[bytes]) -> str:
    """Return where it listens, once it says so."""
    assert process.stderr is not None
    said, end = b"", time.monotonic() + _START
    with selectors.DefaultSelector() as selector:
        selector.register(process.stderr, selectors.EVENT_READ)
        while time.monotonic() < end and selector.select(end - time.monotonic()):
            data = os.read(process.stderr.fileno(), 1 << 16)
            said += data
            found = _LISTENS.search(said)
            if found is not None or not data:
                return found[1].decode() if found is not None else ""
    return ""


def _watch(wire: _Wire, context: str, url: str, longest: float, quiet: float) -> int:
    failed = loaded = False
    asked = 0
    end = time.monotonic() + longest
    while time.monotonic() < end:
        message = wire.next(quiet if loaded and not asked else end - time.monotonic())
        if message is None and loaded and not asked:
            # what is still on its way comes before the answer of the page
            asked = wire.send("script.evaluate", expression="0", target={"context": context}, awaitPromise=False)
            continue
        if message is None or message.get("id") == asked != 0:
            break
        method, params = message.get("method"), message.get("params", {})
        asked = 0 if method else asked
        if method == "browsingContext.load" and params.get("context") == context and params.get("url") != "about:blank":
            loaded = True  # another tab's does not count
        elif method == "log.entryAdded" and params.get("type") == "console":
            out = sys.stderr if params.get("method") in ("error", "assert") else sys.stdout
            out.write(" ".join(_shown(value) for value in params.get("args", ())) + "\n")
        elif method == "log.entryAdded" and params.get("level") == "error":
            failed = True
            sys.stderr.write(_uncaught(params, url))
    return 1 if failed else 0


def _shown(value: dict[str, Any]) -> str:
    kind, held = value.get("type", ""), value.get("value")
    if kind == "string":
        return str(held)
    if kind in ("array", "set") and isinstance(held, list):
        return "[" + ", ".join(_shown(one) for one in held) + "]"
    if kind in ("object", "map") and isinstance(held, list):
        return "{" + ", ".join(f"{key if isinstance(key, str) else _shown(key)}: {_shown(one)}" for key, one in held) + "}"
    return json.dumps(held) if held is not None else kind


def _uncaught(entry: dict[str, Any], url: str) -> str:
    """Return the lines that its console shows: the message, then the frames, innermost first."""
    text = re.sub(r"^Error: (?=\w*Error: )", "", str(entry.get("text", "")))
    frames = (entry.get("stackTrace") or {}).get("callFrames", [])
    rows = [
        f"{frame.get('functionName', '')}@{frame.get('url') or url}:{frame['lineNumber'] + 1}:{frame['columnNumber'] + 1}"
        for frame in frames
    ]
    return "\n".join([f"Uncaught {text}", *rows]) + "\n"
