"""The debug adapter, driven from start to shutdown by a client that speaks the protocol over a pipe."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]
FILES = {
    "gain.py": (
        "import json\n\nfrom scale import read\n\n\ndef gain(weights):\n    return weights[-1] - weights[0]\n\n\n"
        "def report(hives):\n    for hive in hives:\n        print(hive, gain(hives[hive]))\n\n\nreport(read())\n"
    ),
    "scale.py": "def read():\n    found = {'north': [31.2, 32.0],\n             'oak': None}\n    return found\n",
}


class Client:
    """A client of the Debug Adapter Protocol: requests out, answers and events in."""

    def __init__(self, folder: Path) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "jamkey", "speak", "dap"],
            cwd=folder,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
        )
        self.sent = 0
        self.events: list[dict[str, Any]] = []

    def __enter__(self) -> Client:
        return self

    def __exit__(self, *_: object) -> None:
        self.process.kill()
        self.process.communicate()

    def send(self, command: str, **arguments: object) -> int:
        assert self.process.stdin is not None
        self.sent += 1
        data = json.dumps({"seq": self.sent, "type": "request", "command": command, "arguments": arguments}).encode()
        self.process.stdin.write(b"Content-Length: %d\r\n\r\n" % len(data) + data)
        self.process.stdin.flush()
        return self.sent

    def receive(self) -> dict[str, Any]:
        assert self.process.stdout is not None
        size = 0
        while (line := self.process.stdout.readline()) not in (b"\r\n", b""):
            name, _, value = line.decode().partition(":")
            if name == "Content-Length":
                size = int(value)
        return dict(json.loads(self.process.stdout.read(size)))

    def ask(self, command: str, **arguments: object) -> dict[str, Any]:
        number = self.send(command, **arguments)
        while True:
            message = self.receive()
            if message["type"] == "event":
                self.events.append(message)
            else:
                assert (message["request_seq"], message["command"]) == (number, command)
                return message

    def body(self, command: str, **arguments: object) -> dict[str, Any]:
        answer = self.ask(command, **arguments)
        assert answer["success"], answer
        return dict(answer["body"])

    def event(self, name: str) -> dict[str, Any]:
        while not any(event["event"] == name for event in self.events):
            message = self.receive()
            assert message["type"] == "event"
            self.events.append(message)
        return next(dict(event["body"]) for event in self.events if event["event"] == name)


@pytest.fixture
def failed(project: Project) -> Path:
    folder = project(FILES)
    assert jamkey("run", "gain.py", cwd=folder).status == 1
    return folder


@pytest.fixture
def client(failed: Path) -> Iterator[Client]:
    with Client(failed) as made:
        yield made


def start(client: Client, **arguments: object) -> None:
    assert client.body("initialize", adapterID="jamkey", linesStartAt1=True, columnsStartAt1=True)[
        "supportsExceptionInfoRequest"
    ]
    client.event("initialized")
    client.body("launch", **arguments)
    assert (
        client.body("setBreakpoints", source={"path": "gain.py"}, breakpoints=[{"line": 7}])["breakpoints"][0]["verified"]
        is False
    )
    client.body("setExceptionBreakpoints", filters=[])
    client.body("configurationDone")


def test_a_session_from_start_to_shutdown(client: Client, failed: Path) -> None:
    start(client)
    stopped = client.event("stopped")
    assert (stopped["reason"], stopped["threadId"]) == ("exception", 1)
    assert stopped["description"].startswith("TypeError")
    assert [thread["id"] for thread in client.body("threads")["threads"]] == [1]
    frames = client.body("stackTrace", threadId=1)["stackFrames"]
    assert [(frame["name"], frame["line"]) for frame in frames] == [("gain", 7), ("report", 12), ("<module>", 15)]
    assert frames[0]["source"]["path"] == str(failed / "gain.py")
    assert (frames[0]["column"], frames[0]["endColumn"]) == (12, 23)
    scopes = {scope["name"]: scope["variablesReference"] for scope in client.body("scopes", frameId=frames[0]["id"])["scopes"]}
    values = {row["name"]: row["value"] for row in client.body("variables", variablesReference=scopes["Values"])["variables"]}
    assert values == {"weights": "None"}
    way = client.body("variables", variablesReference=scopes["Where it comes from"])["variables"]
    assert way[0]["name"] == "root"
    assert "scale.py:3" in way[0]["value"]
    assert client.body("variables", variablesReference=scopes["Keys"])["variables"]
    info = client.body("exceptionInfo", threadId=1)
    assert (info["exceptionId"], info["breakMode"]) == ("TypeError", "unhandled")
    assert "NoneType" in info["details"]["message"]
    assert "Traceback" in info["details"]["stackTrace"]
    outer = client.body("scopes", frameId=frames[1]["id"])["scopes"]
    names = client.body("variables", variablesReference=outer[0]["variablesReference"])["variables"]
    hives = next(row for row in names if row["name"] == "hives")
    assert client.body("variables", variablesReference=hives["variablesReference"])["variables"][0] == {
        "name": "length",
        "value": "2",
        "variablesReference": 0,
    }
    client.body("disconnect")
    client.event("terminated")
    assert client.process.wait(10) == 0
    assert client.process.stderr is not None and client.process.stderr.read() == b""


def test_it_is_read_only(client: Client) -> None:
    start(client)
    for command in ("continue", "next", "stepIn", "setVariable"):
        answer = client.ask(command, threadId=1)
        assert not answer["success"]
        assert "has failed already" in answer["message"]
    assert client.body("evaluate", expression="weights", context="hover")["result"] == "None"
    refused = client.ask("evaluate", expression="len(weights)", context="repl")
    assert not refused["success"] and "recorded here: weights" in refused["message"]


def test_what_does_not_fit_is_refused_and_the_session_goes_on(client: Client) -> None:
    start(client)
    for command, arguments in {
        "stackTrace": {"threadId": 9},
        "variables": {"variablesReference": 99},
        "scopes": {},
        "source": {"sourceReference": 5},
        "nonsense": {},
    }.items():
        answer = client.ask(command, **arguments)
        assert not answer["success"] and answer["message"]
    assert client.body("threads")["threads"]


def test_a_client_that_counts_from_zero(client: Client) -> None:
    client.body("initialize", linesStartAt1=False, columnsStartAt1=False)
    client.body("attach")
    client.body("configurationDone")
    frame = client.body("stackTrace", threadId=1, startFrame=0, levels=1)["stackFrames"][0]
    assert (frame["line"], frame["column"]) == (6, 11)


def test_a_changed_file_is_shown_as_it_was(client: Client, failed: Path) -> None:
    (failed / "gain.py").write_text("# another text\n", encoding="utf-8")
    start(client)
    source = client.body("stackTrace", threadId=1)["stackFrames"][0]["source"]
    assert "path" not in source
    assert client.body("source", sourceReference=source["sourceReference"])["content"] == FILES["gain.py"]


def test_library_frames_stand_behind_a_label(project: Project, tmp_path: Path) -> None:
    folder = project({"load.py": "import json\nprint(json.loads('{bad'))\n"})
    jamkey("run", "load.py", cwd=folder)
    with Client(folder) as client:
        start(client)
        frames = client.body("stackTrace", threadId=1)["stackFrames"]
        assert frames[0]["name"] == "<module>"
        assert frames[1]["presentationHint"] == "label"
        assert {frame["presentationHint"] for frame in frames[2:]} == {"subtle"}
        assert frames[2]["name"] == "raw_decode"
        client.body("terminate")
        assert client.process.wait(10) == 0


def test_without_a_reading_the_launch_says_what_to_do(tmp_path: Path) -> None:
    with Client(tmp_path) as client:
        client.body("initialize")
        answer = client.ask("launch", reading=12)
        assert not answer["success"] and "tally --list" in answer["message"]
        client.body("disconnect")
        assert client.process.wait(10) == 0


@pytest.mark.parametrize(
    "data", [b"Content-Length: x\r\n\r\n", b"Content-Length: 99999999999\r\n\r\n", b"Content-Length: 3\r\n\r\n{{{"]
)
def test_what_is_no_message_ends_it(data: bytes, tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "jamkey", "speak", "dap"], input=data, capture_output=True, cwd=tmp_path, check=False
    )
    assert (done.returncode, done.stdout) == (1, b"")
