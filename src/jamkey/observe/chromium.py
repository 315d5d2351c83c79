"""One visit of a page in a headless Chromium, told over the DevTools protocol (open, documented) on its pipe."""

from __future__ import annotations

import contextlib
import json
import os
import select
import subprocess
import sys
import time
from typing import Any

from jamkey import system

#: Its usual names.
PROGRAMS = ("chromium", "chromium-browser", "google-chrome", "google-chrome-stable", "chrome", "microsoft-edge")


#: Seconds for an answer.
_ANSWER = 30.0


class _Wire:
    """The protocol's messages over the browser's pipe, each ended by a zero byte."""

    def __init__(self, command: list[str]) -> None:
        # the browser reads its orders from handle 3 and answers on handle 4
        orders, self._orders = os.pipe()
        self._answers, answers = os.pipe()
        shell = f'exec 3<&{orders} 4>&{answers}; exec "$@"'
        self.process = subprocess.Popen(
            ["sh", "-c", shell, "sh", *command],
            pass_fds=(orders, answers),
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        os.close(orders)
        os.close(answers)
        self._number = 0
        self._left = b""

    def ask(self, method: str, session: str | None = None, **params: object) -> int:
        """Send an order; return its number."""
        self._number += 1
        message = {"id": self._number, "method": method, "params": params, **({"sessionId": session} if session else {})}
        with contextlib.suppress(BrokenPipeError):  # it is gone: no answer will come
            os.write(self._orders, json.dumps(message).encode() + b"\0")
        return self._number

    def next(self, seconds: float) -> dict[str, Any] | None:
        """Return the next message, None when none comes in time or the browser is gone."""
        end = time.monotonic() + seconds
        while b"\0" not in self._left:
            ready, _, _ = select.select([self._answers], [], [], max(end - time.monotonic(), 0))
            data = os.read(self._answers, 1 << 16) if ready else b""
            if not data:
                return None
            self._left += data
        message, _, self._left = self._left.partition(b"\0")
        found: dict[str, Any] = json.loads(message)
        return found

    def answer(self, number: int) -> dict[str, Any]:
        """Wait for the answer to an order."""
        while (message := self.next(_ANSWER)) is not None:
            if message.get("id") == number:
                result: dict[str, Any] = message.get("result", {})
                return result
        return {}

    def close(self) -> None:
        """End the browser."""
        os.close(self._orders)
        try:
            self.process.wait(5)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()
        os.close(self._answers)


def visit(browser: str, profile: str, url: str, *, longest: float, quiet: float) -> int:
    """Open a page, pass on what it logs and fails on; return 1 when a script of it failed, else 0.

    Args:
        browser: the program.
        profile: a folder of ours.
        url: the page.
        longest: seconds for the whole visit.
        quiet: seconds without news, once the page is loaded, after which its scripts count as done.
    """
    flags = """
        --headless --remote-debugging-pipe --disable-gpu --no-first-run --disable-background-networking --disable-sync
        --no-default-browser-check --disable-component-update --disable-dev-shm-usage
    """.split()
    if system.is_superuser():
        flags.append("--no-sandbox")  # the browser starts for the root user only without it
    wire = _Wire([browser, *flags, f"--user-data-dir={profile}", "about:blank"])
    try:
        target = wire.answer(wire.ask("Target.createTarget", url="about:blank")).get("targetId")
        session = wire.answer(wire.ask("Target.attachToTarget", targetId=target, flatten=True)).get("sessionId")
        if session is None:
            sys.stderr.write(f"jamkey: {browser} could not be started\n")
            return 127
        for domain in ("Runtime", "Page", "Log"):
            wire.answer(wire.ask(f"{domain}.enable", session))
        wire.ask("Page.navigate", session, url=url)
        return _watch(wire, session, longest, quiet)
    finally:
        wire.close()


def _watch(wire: _Wire, session: str, longest: float, quiet: float) -> int:
    failed = there = loaded = False
    asked = 0
    end = time.monotonic() + longest
    while time.monotonic() < end:
        message = wire.next(quiet if loaded and not asked else max(end - time.monotonic(), 0))
        if message is None and loaded and not asked:
            # what is still on its way comes before the answer of the page
            asked = wire.ask("Runtime.evaluate", session, expression="0")
            continue
        if message is None or message.get("id") == asked != 0:
            break
        method, params = message.get("method"), message.get("params", {})
        asked = 0 if method else asked
        if method == "Page.frameNavigated":
            there = there or params["frame"]["url"] != "about:blank"
        elif method == "Page.loadEventFired":
            loaded = there  # not the empty page's, which may still come
        elif method == "Page.javascriptDialogOpening":
            wire.ask("Page.handleJavaScriptDialog", message.get("sessionId"), accept=True)
        elif method == "Runtime.consoleAPICalled":
            out = sys.stderr if params.get("type") in ("error", "assert") else sys.stdout
            out.write(" ".join(_shown(value) for value in params.get("args", ())) + "\n")
        elif method == "Runtime.exceptionThrown":
            failed = True
            sys.stderr.write(_uncaught(params["exceptionDetails"]))
    return 1 if failed else 0


def _shown(value: dict[str, Any]) -> str:
    if value.get("type") == "string":
        return str(value.get("value", ""))
    if "value" in value:
        return json.dumps(value["value"])
    return str(value.get("description") or value.get("unserializableValue") or value.get("type"))


def _uncaught(details: dict[str, Any]) -> str:
    """Return the lines that a console shows: the message, then the frames, innermost first."""
    head = str(details.get("text", "Uncaught"))
    thrown = details.get("exception", {})
    described = str(thrown.get("description") or thrown.get("value") or "")
    message = described.split("\n    at ")[0]
    frames = details.get("stackTrace", {}).get("callFrames", [])
    rows = [
        f"    at {frame['functionName'] or '<anonymous>'} "
        f"({frame['url']}:{frame['lineNumber'] + 1}:{frame['columnNumber'] + 1})"
        for frame in frames
    ]
    if "\n    at " in described:
        rows = ["    at " + row for row in described.split("\n    at ")[1:]]
    if not rows and details.get("url"):
        rows = [f"    at {details['url']}:{details['lineNumber'] + 1}:{details['columnNumber'] + 1}"]
    return "\n".join([f"{head} {message}".rstrip(), *rows]) + "\n"
