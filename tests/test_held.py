"""Hostile programs of each runtime: what the plain run does stays what it is; a second run changes nothing, reaches nobody, and is told."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import pytest

from jamkey import system
from jamkey.observe.sandbox.macos import profile
from jamkey.observe.target import script_target
from jamkey.trials.scratch import scratch
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

#: Runtime -> (file, program, needed program). Each run appends a line by itself and one by a child, deletes the first victim it finds,
#: renames the first hive, and fails then. OUT is a folder outside of the project.
HOSTILE = {
    "python": (
        "a.py",
        """
import glob, os, subprocess
open("OUT/own.log", "a").write("x\\n")
for name in sorted(glob.glob("OUT/victim-*"))[:1]:
    os.remove(name)
for name in sorted(glob.glob("OUT/hive-*"))[:1]:
    os.rename(name, name.replace("hive", "lost"))
subprocess.run(["sh", "-c", "echo x >> OUT/child.log"], stderr=subprocess.DEVNULL)
total = 1
print(totl)
""",
        sys.executable,
    ),
    "javascript": (
        "a.js",
        """
const fs = require("fs"), child = require("child_process");
fs.appendFileSync("OUT/own.log", "x\\n");
const names = (start) => fs.readdirSync("OUT").filter((name) => name.startsWith(start)).sort();
for (const name of names("victim-").slice(0, 1)) fs.unlinkSync("OUT/" + name);
for (const name of names("hive-").slice(0, 1)) fs.renameSync("OUT/" + name, "OUT/" + name.replace("hive", "lost"));
child.spawnSync("sh", ["-c", "echo x >> OUT/child.log"]);
const total = 1;
console.log(totl);
""",
        "node",
    ),
    "r": (
        "a.R",
        """
cat("x\\n", file = "OUT/own.log", append = TRUE)
unlink(sort(Sys.glob("OUT/victim-*"))[1])
name <- sort(Sys.glob("OUT/hive-*"))[1]
invisible(file.rename(name, sub("hive", "lost", name)))
invisible(system("echo x >> OUT/child.log", ignore.stderr = TRUE))
total <- 1
print(totl)
""",
        "Rscript",
    ),
    "lua": (
        "a.lua",
        """
local f = assert(io.open("OUT/own.log", "a"))
f:write("x\\n")
f:close()
for i = 1, 9 do
  if os.remove("OUT/victim-" .. i) then break end
end
for i = 1, 9 do
  if os.rename("OUT/hive-" .. i, "OUT/lost-" .. i) then break end
end
os.execute("echo x >> OUT/child.log 2> /dev/null")
local total = 1
print(totl + 1)
""",
        "lua5.4",
    ),
    "octave": (
        "a.m",
        """
f = fopen ("OUT/own.log", "a");
fprintf (f, "x\\n");
fclose (f);
v = sort (glob ("OUT/victim-*"));
delete (v{1});
h = sort (glob ("OUT/hive-*"));
rename (h{1}, strrep (h{1}, "hive", "lost"));
system ("echo x >> OUT/child.log 2> /dev/null");
total = 1;
disp (totl)
""",
        "octave-cli",
    ),
    "java": (
        "A.java",
        """
import java.nio.file.*;

public class A {
    public static void main(String[] words) throws Exception {
        Path out = Path.of("OUT");
        Files.writeString(out.resolve("own.log"), "x\\n", StandardOpenOption.CREATE, StandardOpenOption.APPEND);
        for (int i = 1; i < 9; i++)
            if (Files.deleteIfExists(out.resolve("victim-" + i))) break;
        for (int i = 1; i < 9; i++)
            if (Files.exists(out.resolve("hive-" + i))) { Files.move(out.resolve("hive-" + i), out.resolve("lost-" + i)); break; }
        new ProcessBuilder("sh", "-c", "echo x >> OUT/child.log").start().waitFor();
        int[] weights = {1, 2, 3};
        int sum = 0;
        for (int i = 0; i <= weights.length; i++) sum += weights[i];
        System.out.println(sum);
    }
}
""",
        "javac",
    ),
    "c": (
        "a.c",
        """
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

int main(void) {
    char name[200], other[200];
    FILE *f = fopen("OUT/own.log", "a");
    if (f == NULL) return 3;
    fputs("x\\n", f);
    fclose(f);
    for (int i = 1; i < 9; i++) {
        snprintf(name, sizeof name, "OUT/victim-%d", i);
        if (unlink(name) == 0) break;
    }
    for (int i = 1; i < 9; i++) {
        snprintf(name, sizeof name, "OUT/hive-%d", i);
        snprintf(other, sizeof other, "OUT/lost-%d", i);
        if (rename(name, other) == 0) break;
    }
    int status = system("echo x >> OUT/child.log 2> /dev/null");
    int first = 1, second = 2, third = 3;
    printf("%d\\n", status * 0 + first + second - third);
    return 0;
}
""",
        "gcc",
    ),
}


def tree(folder: Path) -> dict[str, str]:
    """Return path -> hash of everything below a folder, modes and times of change included."""
    found = {}
    for path in sorted(folder.rglob("*")):
        state = path.lstat()
        data = hashlib.sha256(path.read_bytes()).hexdigest() if path.is_file() else ""
        found[str(path.relative_to(folder))] = f"{state.st_mode:o} {state.st_mtime_ns} {data}"
    return found


def victims(folder: Path) -> None:
    folder.mkdir()
    for number in range(1, 9):
        (folder / f"victim-{number}").write_text("v")
        (folder / f"hive-{number}").write_text("h")


def counts(folder: Path) -> tuple[int, int, int, int]:
    """Return how often the program's four deeds were done."""
    names = [path.name for path in folder.iterdir()]
    logs = [(folder / name).read_text().count("x") if name in names else 0 for name in ("own.log", "child.log")]
    gone = 8 - sum(name.startswith("victim-") for name in names)
    return (*logs, gone, sum(name.startswith("lost-") for name in names))  # type: ignore[return-value]


@pytest.mark.spread(5)
@pytest.mark.parametrize("runtime", HOSTILE)
def test_a_second_run_changes_nothing_outside(runtime: str, project: Project, tmp_path: Path) -> None:
    file, program, needed = HOSTILE[runtime]
    assert shutil.which(needed), f"{needed} is not installed: .ci/run installs it"
    outside = tmp_path / "outside"
    victims(outside)
    folder = project({file: program.replace("OUT", str(outside)).lstrip()})
    before = tree(folder)
    expected = ["--expect", "6"] if runtime == "c" else []  # it ends well, and wrong
    done = jamkey(
        "fix",
        "--preview",
        *expected,
        "--save",
        str(tmp_path / "out.json"),
        file,
        cwd=folder,
        env={"TMPDIR": str(tmp_path), "JAMKEY_PATIENCE": "1"},
    )
    assert counts(outside) == (1, 1, 1, 1), done.err  # the plain run's, and no trial's
    assert tree(folder) == before
    jam = json.loads((tmp_path / "out.json").read_text())["jams"][-1]
    trials = [key["trial"] for key in jam["keys"] if key["edits"]]
    if runtime == "c":  # turns that do not print what they should are not told: run it held by hand
        with scratch(folder) as there:
            ended = there.run(script_target(str(folder / file), []), limit=30)
        trials = [{"outcome": "untried", "seconds": 1.0, "refused": list(ended.refused)}]
        assert counts(outside) == (1, 1, 1, 1)
    assert trials, jam["message"]
    started = [trial for trial in trials if trial["seconds"] is not None and trial["outcome"] != "worse"]
    for trial in started:
        assert trial["outcome"] == "untried", trial
        assert any(str(outside) in words for words in trial["refused"]), trial
    assert not [path for path in tmp_path.iterdir() if path.name.startswith("jamkey-")]


def test_applied_keys_run_plainly_as_announced(project: Project, tmp_path: Path) -> None:
    """`fix --yes` does what the plain runs do, one a round, and no more."""
    outside = tmp_path / "outside"
    victims(outside)
    program = (
        HOSTILE["python"][1]
        .replace("OUT", str(outside))
        .replace("import glob, os, subprocess\n", "import glob, os, subprocess, sys\nif len(sys.argv) > 1:\n    pass\n")
    )
    folder = project({"a.py": program})
    done = jamkey("fix", "--yes", "a.py", cwd=folder)
    rounds = 1 + done.err.count("applied:")
    assert counts(outside) == (rounds,) * 4


@pytest.fixture
def listener() -> Iterator[tuple[int, list[bytes]]]:
    """A server of this machine that notes who connects."""
    heard: list[bytes] = []
    server = socket.socket()
    server.bind(("127.0.0.1", 0))
    server.listen()

    def serve() -> None:
        while True:
            try:
                connection, _ = server.accept()
            except OSError:
                return
            heard.append(connection.recv(10))
            connection.close()

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    yield server.getsockname()[1], heard
    server.close()


def preview(folder: Path, out: Path, *words: str) -> list[dict[str, Any]]:
    """Return the trials of `fix --preview`."""
    jamkey("fix", "--preview", "--patience", "4s", "--save", str(out), *words, cwd=folder)
    return [key["trial"] for key in json.loads(out.read_text())["jams"][-1]["keys"] if key["edits"]]


def test_nobody_is_connected_to(project: Project, tmp_path: Path, listener: tuple[int, list[bytes]]) -> None:
    port, heard = listener
    folder = project(
        {"a.py": f"import socket\ns = socket.create_connection(('127.0.0.1', {port}))\ns.send(b'x')\ntotal = 1\nprint(totl)\n"}
    )
    trials = preview(folder, tmp_path / "out.json", "a.py")
    time.sleep(0.2)
    assert trials and heard == [b"x"]
    (folder / "a.py").write_text(
        "import socket\ntry:\n    socket.create_connection(('192.0.2.7', 80), 0.5)\nexcept OSError:\n    pass\nprint(totl)\ntotal = 1\n"
    )
    for trial in preview(folder, tmp_path / "out.json", "a.py"):
        assert (trial["outcome"], trial["refused"]) == ("untried", ["connect to 192.0.2.7, port 80"])


def test_a_socket_of_another_program_is_not_reached(project: Project, tmp_path: Path) -> None:
    address = str(tmp_path / "s")
    server = socket.socket(socket.AF_UNIX)
    server.bind(address)
    server.listen()
    server.setblocking(False)
    folder = project({"a.py": f"import socket\nsocket.socket(socket.AF_UNIX).connect({address!r})\nprint(totl)\ntotal = 1\n"})
    trials = preview(folder, tmp_path / "out.json", "a.py")
    assert trials and all(f"connect to {address}" in trial["refused"] for trial in trials)
    server.accept()[0].close()
    with pytest.raises(BlockingIOError):
        server.accept()
    server.close()


@pytest.mark.spread(2)
@pytest.mark.parametrize("words", ["os.kill(PID, signal.SIGUSR1)", "os.killpg(PID, signal.SIGUSR1)"])
def test_no_other_process_is_signalled(words: str, project: Project, tmp_path: Path) -> None:
    waiting = (
        "import signal, sys\ncount = 0\ndef heard(number, frame):\n    global count\n    count += 1\n    print(count, flush=True)\n"
        "signal.signal(signal.SIGUSR1, heard)\nprint('ready', flush=True)\nwhile True:\n    signal.pause()\n"
    )
    victim = subprocess.Popen([sys.executable, "-c", waiting], stdout=subprocess.PIPE, text=True, start_new_session=True)
    try:
        assert victim.stdout is not None and victim.stdout.readline() == "ready\n"
        folder = project({"a.py": f"import os, signal\n{words.replace('PID', str(victim.pid))}\nprint(totl)\ntotal = 1\n"})
        trials = preview(folder, tmp_path / "out.json", "a.py")
        assert trials and all(trial["outcome"] == "untried" for trial in trials)
        assert f"send a signal to process {victim.pid}" in trials[0]["refused"]
    finally:
        time.sleep(0.2)
        victim.kill()
        told, _ = victim.communicate()
    assert told == "1\n"  # the plain run's


def test_a_signal_to_a_child_that_has_ended_goes_as_without_us(project: Project, tmp_path: Path) -> None:
    program = (
        "import os, signal, subprocess, sys\n"
        "child = subprocess.Popen([sys.executable, '-c', ''])\nchild.wait()\n"
        "try:\n    os.kill(child.pid, signal.SIGTERM)\nexcept ProcessLookupError:\n    print('gone', flush=True)\n"
        "print(totl)\ntotal = 1\n"
    )
    folder = project({"a.py": program})
    trials = preview(folder, tmp_path / "out.json", "a.py")
    assert trials
    assert not any(trial["refused"] for trial in trials)


def test_permissions_and_times_outside_stay(project: Project, tmp_path: Path) -> None:
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "a").write_text("x")
    folder = project({"a.py": "print(totl)\ntotal = 1\n"})
    jamkey("run", "a.py", cwd=folder)
    program = (
        "import os\n"
        "for work in (lambda: os.chmod('OUT/a', 0o777), lambda: os.utime('OUT/a', (1, 1)), lambda: os.truncate('OUT/a', 0),\n"
        "             lambda: os.setxattr('OUT/a', 'user.x', b'1'), lambda: os.link('OUT/a', 'OUT/b'), lambda: os.symlink('a', 'OUT/c'),\n"
        "             lambda: os.mkdir('OUT/d'), lambda: os.chmod(os.open('OUT/a', os.O_RDONLY), 0o777)):\n"
        "    try:\n        work()\n    except OSError:\n        print('refused')\n"
    ).replace("OUT", str(outside))
    before = tree(outside)
    (folder / "a.py").write_text(program)
    with scratch(folder) as there:
        ended = there.run(script_target(str(folder / "a.py"), []), limit=20)
    assert ended.stdout.split() == [b"refused"] * 8, ended.stderr
    assert tree(outside) == before


@pytest.mark.spread(4)
@pytest.mark.parametrize("how", ["limit", "interrupt", "terminate", "hangup", "kill"])
def test_nothing_is_left_running_or_lying(how: str, project: Project, tmp_path: Path) -> None:
    """At the limit, at Ctrl-C, when it is ended and when it is killed: no process of a trial, no folder of ours."""
    mark = 100_000 + os.getpid() % 100_000 * 2  # other tests run beside this one
    first, second = f"sleep {mark}", f"sleep {mark + 1}"
    spawn = (
        f"import subprocess, time\nsubprocess.Popen(['sleep', '{mark}'], start_new_session=True)\n"
        f"subprocess.Popen(['sh', '-c', '{second} & wait'])\n"
    )
    folder = project({"a.py": spawn + "while True:\n    time.sleep(1)\n"})
    own = {"TMPDIR": str(tmp_path), "JAMKEY_STATE": str(tmp_path / "state"), "JAMKEY_PATIENCE": "2"}
    process = subprocess.Popen(
        [sys.executable, "-m", "jamkey", "fix", "--preview", "--limit", "0.4s" if how == "limit" else "60s", "a.py"],
        cwd=folder,
        env={**os.environ, **own},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        stdin=subprocess.DEVNULL,
        start_new_session=True,
    )
    if how != "limit":
        deadline = time.monotonic() + 20
        while not running(first) and time.monotonic() < deadline:
            time.sleep(0.05)
        assert running(first)
        number = {"interrupt": signal.SIGINT, "terminate": signal.SIGTERM, "hangup": signal.SIGHUP, "kill": signal.SIGKILL}[how]
        os.kill(process.pid, number)
    process.wait(60)
    deadline = time.monotonic() + 5
    while (running(first) or running(second)) and time.monotonic() < deadline:
        time.sleep(0.05)
    assert not running(first) and not running(second)
    if how == "kill":  # nobody was left to tidy up: the next call does
        (folder / "a.py").write_text("print(1)\n")
        jamkey("fix", "--preview", "a.py", cwd=folder, env=own)
    assert not [path.name for path in tmp_path.iterdir() if path.name.startswith("jamkey-")]


def test_a_plain_run_ends_with_us(project: Project) -> None:
    """Killed, we can hand nothing on: the program ends all the same, and what it has started, in a session of its own too."""
    mark = 400_000 + os.getpid() % 100_000 * 2
    first, second = f"sleep {mark}", f"sleep {mark + 1}"
    program = (
        f"import os, subprocess, time\nsubprocess.Popen(['sleep', '{mark}'], start_new_session=True)\n"
        f"subprocess.Popen(['sh', '-c', '{second} & wait'])\nprint(os.getpid(), flush=True)\ntime.sleep(60)\n"
    )
    folder = project({"a.py": program})
    with subprocess.Popen(
        [sys.executable, "-m", "jamkey", "run", "a.py"], cwd=folder, stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdout is not None
        pid = int(process.stdout.readline())
        deadline = time.monotonic() + 20
        while not (running(first) and running(second) and guarded(process.pid)) and time.monotonic() < deadline:
            time.sleep(0.05)
        process.kill()
        process.wait()
        while (running(first) or running(second) or system.process_is_there(pid)) and time.monotonic() < deadline:
            time.sleep(0.05)
    assert not running(first) and not running(second) and not system.process_is_there(pid)


@pytest.mark.parametrize("status", [0, 3])
def test_what_a_healthy_program_left_running_is_left_alone(status: int, project: Project) -> None:
    mark = f"sleep {600_000 + os.getpid() % 100_000}"
    folder = project(
        {"a.py": f"import subprocess, sys\nsubprocess.Popen({mark.split()}, stdout=-3, stderr=-3)\nsys.exit({status})\n"}
    )
    try:
        assert jamkey("run", "--no-keep", "a.py", cwd=folder).status == status
        time.sleep(0.3)
        assert running(mark)
    finally:
        subprocess.run(["pkill", "-f", f"^{mark}"], check=False)


def guarded(pid: int) -> bool:
    return subprocess.run(["pgrep", "-P", str(pid), "-x", "sh"], capture_output=True).returncode == 0


def running(words: str) -> bool:
    return subprocess.run(["pgrep", "-f", f"^{words}"], capture_output=True).returncode == 0


def test_where_nothing_holds_it_is_said_and_nothing_is_run_twice(project: Project, tmp_path: Path) -> None:
    outside = tmp_path / "count"
    folder = project({"a.py": f"open({str(outside)!r}, 'a').write('x')\nprint(totl)\ntotal = 1\n"})
    plain = {"JAMKEY_SYSTEM": "plain"}
    done = jamkey("fix", "--preview", "--patience", "3s", "--save", str(tmp_path / "out.json"), "a.py", cwd=folder, env=plain)
    assert "offers nothing that keeps a trial" in done.err
    assert outside.read_text() == "x"
    trials = [key["trial"] for key in json.loads((tmp_path / "out.json").read_text())["jams"][-1]["keys"]]
    assert {trial["outcome"] for trial in trials} == {"untried"}
    done = jamkey(
        "fix",
        "--preview",
        "--patience",
        "3s",
        "--unguarded",
        "--save",
        str(tmp_path / "out.json"),
        "a.py",
        cwd=folder,
        env=plain,
    )
    trials = [key["trial"] for key in json.loads((tmp_path / "out.json").read_text())["jams"][-1]["keys"]]
    assert outside.read_text() == "xx"  # the plain run's; Python's own agent refuses on every system
    assert all(f"write {outside}" in trial["refused"] for trial in trials)


def test_the_profile_for_macos_names_the_folders() -> None:
    text = profile(['/tmp/a "quoted"'])
    assert "(deny file-write*)" in text and "(deny network*)" in text and "(deny signal)" in text
    assert '\\"quoted\\"' in text
    assert text.count("(") == text.count(")")
