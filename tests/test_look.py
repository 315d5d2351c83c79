"""Looking around: later, on what was recorded, and at once, in a program that is kept alive at a real terminal."""

from __future__ import annotations

import os
import pty
import re
import select
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.follow.sources import Sources
from jamkey.model import Frame, Jam, Value
from jamkey.runs.explore import WORDS, Looker
from tests.conftest import interpreters, jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]
SHELF = """import csv


class Hive:
    def __init__(self, name, kilos):
        self.name = name
        self.kilos = kilos

    def gain(self):
        return self.kilos[-1] - self.kilos[0]


def read(text):
    return [Hive(row[0], row[1:]) for row in csv.reader(text.splitlines())]


def ranking(hives):
    secret_code = 'brood-77'
    return sorted(hives, key=Hive.gain)


print(ranking(read('north,31.2,33.4')))
"""


@pytest.fixture
def failed(project: Project) -> Path:
    folder = project({"shelf.py": SHELF})
    assert jamkey("run", "shelf.py", cwd=folder).status == 1
    return folder


def look(folder: Path, *lines: str) -> str:
    done = jamkey("look", cwd=folder, stdin="\n".join(lines) + "\n")
    assert (done.status, done.err) == (0, "")
    return done.out


def test_stepping_out_and_in(failed: Path) -> None:
    out = look(failed, "out", "out", "out", "in", "in", "in")
    places = re.findall(r"^shelf\.py:(\d+)", out, re.MULTILINE)
    assert places == ["10", "19", "22", "19", "10"]
    assert "this is the outermost call of yours" in out and "this is the innermost call of yours" in out


def test_values_with_type_and_shape(failed: Path) -> None:
    out = look(failed, "values", "self.kilos", "out", "secret_code")
    assert re.search(r"self\.kilos +\['31\.2', '33\.4'\] +list, 2", out)
    assert "brood" not in out and "(hidden: looks secret)" in out


def test_only_what_was_recorded_is_shown(failed: Path) -> None:
    out = look(failed, "self.kilos[0] + 'x'", "open('made.txt', 'w')")
    assert out.count("only what was recorded can be shown") == 2
    assert "run --stay" in " ".join(out.split())
    assert not (failed / "made.txt").exists()


def test_a_name_is_followed_back(project: Project) -> None:
    folder = project({"gain.py": "def read():\n    return None\n\n\nhives = read()\nbest = hives\nprint(best[0])\n"})
    jamkey("run", "gain.py", cwd=folder)
    out = look(folder, "back best", "back nowhere", "back")
    assert re.search(r"gain\.py:6 +set +best = hives", out)
    assert re.search(r"gain\.py:5 +set +hives = read\(\)", out)
    assert re.search(r"gain\.py:2 +returned +return None", out)
    assert "nothing here says where `nowhere` got its value" in out and "back NAME" in out


def test_the_rest_of_the_words(failed: Path) -> None:
    out = look(failed, "words", "keys", "path", "code 40", "reading", "leave", "values")
    for word in WORDS:
        assert re.search(rf"^{word} ", out, re.MULTILINE)
    assert "no key is known for this one" in out
    assert re.search(r"> gain  shelf\.py:10  your line", out)
    assert "class Hive" in out
    assert "means" in out
    assert out.rstrip().endswith("gain (shelf.py:10)")  # what stands behind `leave` is not answered


def test_keys_by_their_numbers(project: Project) -> None:
    folder = project({"gain.py": "total = 3\nprint(totl)\n"})
    assert jamkey("run", "gain.py", cwd=folder).status == 1
    out = look(folder, "keys", "keys 1", "keys 99")
    assert "Write `total` instead of `totl`" in out and "the last key is" in out


def test_library_calls_on_request(project: Project) -> None:
    folder = project({"load.py": "import json\njson.loads('{bad')\n"})
    jamkey("run", "load.py", cwd=folder)
    out = look(folder, "in", "in all", "code", "out all")
    assert "`in all` goes on into the library" in out
    assert "json/__init__.py" in out


def test_an_earlier_reading_by_its_number(failed: Path) -> None:
    (failed / "other.py").write_text("print(missing)\n", encoding="utf-8")
    jamkey("run", "other.py", cwd=failed)
    assert "NameError" in look(failed, "leave")
    done = jamkey("look", "1", cwd=failed, stdin="")
    assert "TypeError" in done.out
    assert "reading 9 is not in the journal" in jamkey("look", "9", cwd=failed).err


def test_names_like_our_words_can_be_asked() -> None:
    frame = Frame(
        file="a.py", line=1, values=(Value(name="values", type="int", text="3"), Value(name="out", type="int", text="4"))
    )
    looker = Looker(Jam(runtime="python", frames=(frame,), snag=0), Sources(texts={"a.py": "values + out\n"}))
    assert looker.answer("values").form == "values"
    assert looker.answer("= values").asked.shown == "3"
    assert looker.answer("= out").asked.shown == "4"
    assert looker.answer("values + 1").form == "value"
    assert looker.answer("").form == "note"
    assert "values" in looker.names("va") and "out" in looker.names("o")


def test_a_jam_without_frames_can_be_looked_at() -> None:
    looker = Looker(Jam(runtime="r", exception_type="error", message="x"), Sources())
    for line in (*WORDS, "x", "back y", "= z", "out all", "code 5"):
        assert looker.answer(line).form


# --- alive, at a terminal


class Terminal:
    """A command at a terminal of its own."""

    def __init__(self, folder: Path, *words: str, env: Mapping[str, str] | None = None) -> None:
        self.handle, theirs = pty.openpty()
        self.process = subprocess.Popen(
            [sys.executable, "-m", "jamkey", *words],
            cwd=folder,
            stdin=theirs,
            stdout=theirs,
            stderr=theirs,
            start_new_session=True,
            env={**os.environ, "TERM": "xterm", "COLUMNS": "120", "PROMPT_TOOLKIT_NO_CPR": "1", **(env or {})},
            preexec_fn=lambda: __import__("fcntl").ioctl(0, __import__("termios").TIOCSCTTY, 0),
        )
        os.close(theirs)
        self.seen = ""

    def until(self, *texts: str, timeout: float = 40) -> str:
        """Read until texts have come, one behind the other; return what came since the last time."""
        start, end = len(self.seen), time.monotonic() + timeout
        wanted = re.compile(".*?".join(map(re.escape, texts)), re.DOTALL)
        while not wanted.search(self.seen, start):
            ready, _, _ = select.select([self.handle], [], [], max(end - time.monotonic(), 0))
            assert ready, f"{texts!r} did not come: {self.seen[start:]!r}"
            try:
                data = os.read(self.handle, 65536)
            except OSError:
                data = b""
            assert data, f"ended before {texts!r}: {self.seen[start:]!r}"
            self.seen += re.sub(
                r"\x1b(?:\[[0-9;?]*[A-Za-z]|\][^\x07\x1b]*(?:\x07|\x1b\\))", "", data.decode("utf-8", "replace")
            )
        return self.seen[start:]

    def type(self, line: str) -> None:
        os.write(self.handle, line.encode() + b"\r")

    def end(self, timeout: float = 20) -> int:
        """Read to the end; return the exit status."""
        stop = time.monotonic() + timeout
        while self.process.poll() is None and time.monotonic() < stop:
            if select.select([self.handle], [], [], 0.1)[0]:
                try:
                    os.read(self.handle, 65536)
                except OSError:
                    break
        status = self.process.wait(timeout)
        os.close(self.handle)
        return status


def test_a_failed_program_stays_alive_to_be_asked(project: Project) -> None:
    folder = project({"shelf.py": SHELF})
    terminal = Terminal(folder, "run", "--stay", "shelf.py")
    assert "TypeError" in terminal.until("lists what can be typed", "shelf.py:10 ?")
    terminal.type("[float(kilo) for kilo in self.kilos]")
    assert "[31.2, 33.4]" in terminal.until("list, 2")
    terminal.type("print('aside') or len(self.kilos)")
    assert "aside" in terminal.until("int")
    terminal.type("self.kilos[9]")
    terminal.until("IndexError: list index out of range")
    terminal.type("kilos = 3")
    terminal.until("only an expression can be asked")
    terminal.type("input()")
    terminal.until("EOFError")
    terminal.type("out")
    terminal.until("shelf.py:19 ?")
    terminal.type("hives")
    assert "Hive(name='north', kilos=['31.2', '33.4'])" in terminal.until("list, 1")
    terminal.type("secret_code")
    assert "brood" not in terminal.until("hidden: looks secret")
    terminal.type("out all")
    terminal.until("shelf.py:22 ?")
    terminal.type("csv.__name__")
    terminal.until("str, 3")
    terminal.type("leave")
    assert terminal.end() == 1


def test_names_complete_and_control_keys_work(project: Project) -> None:
    folder = project({"shelf.py": SHELF})
    terminal = Terminal(folder, "run", "--stay", "shelf.py")
    terminal.until("shelf.py:10 ?")
    os.write(terminal.handle, b"self.ki\t")
    terminal.until("los")
    terminal.type("")
    terminal.until("list, 2")
    os.write(terminal.handle, b"half a line\x03")
    terminal.until("shelf.py:10 ?")
    terminal.type("[open('begun', 'w').close(), sum(0 for _ in iter(int, 1))]")
    end = time.monotonic() + 60
    while not (folder / "begun").exists() and time.monotonic() < end:
        time.sleep(0.02)
    os.write(terminal.handle, b"\x03")  # an expression without end is stopped, not the program
    terminal.until("stopped", "shelf.py:10 ?")
    os.write(terminal.handle, b"\x04")
    assert terminal.end() == 1


def test_a_key_at_the_wrong_moment_shifts_no_answer(project: Project) -> None:
    folder = project({"shelf.py": SHELF})
    terminal = Terminal(folder, "run", "--stay", "shelf.py")
    terminal.until("shelf.py:10 ?")
    threads = Path(f"/proc/{terminal.process.pid}/task").glob("*/children")
    child = int(next(found for path in threads if (found := path.read_text(encoding="ascii").split()))[0])
    for _ in range(3):
        os.kill(child, signal.SIGINT)  # while nothing is asked
    time.sleep(0.2)
    for number in (11, 22):
        terminal.type(f"len(self.kilos) + {number}")
        terminal.until(str(number + 2))
    terminal.type("leave")
    assert terminal.end() == 1


def test_input_of_the_program_stays_its_own(project: Project) -> None:
    folder = project(
        {"ask.py": "name = input('hive? ')\nprint('asked for', name)\nprint({}[name])\n", "ok.py": "print(input())\n"}
    )
    terminal = Terminal(folder, "run", "--stay", "ask.py")
    terminal.until("hive? ")
    terminal.type("oak")
    terminal.until("asked for oak", "ask.py:3 ?")
    terminal.type("name + '!'")
    terminal.until("'oak!'")
    terminal.type("leave")
    assert terminal.end() == 1
    healthy = Terminal(folder, "run", "--stay", "ok.py")
    healthy.type("brook")
    assert "brook" in healthy.until("brook\r\n")
    assert healthy.end() == 0


@pytest.mark.parametrize("version", sorted(interpreters()))
def test_every_python(version: str, project: Project) -> None:
    folder = project({"gain.py": "def gain(kilos):\n    extra = 1\n    return kilos[extra]\n\n\ngain([31.2])\n"})
    terminal = Terminal(folder, "run", "--stay", "--python", interpreters()[version], "gain.py")
    terminal.until("gain.py:3 ?")
    terminal.type("[extra * kilo for kilo in kilos]")
    assert "[31.2]" in terminal.until("list, 1")
    terminal.type("leave")
    assert terminal.end() == 1


def test_where_nobody_can_be_asked(project: Project) -> None:
    folder = project({"gain.py": "print(totl)\n", "gain.lua": "print(1)\n"})
    command = [sys.executable, "-m", "jamkey", "run", "--stay", "gain.py"]
    done = subprocess.run(command, cwd=folder, input="", capture_output=True, text=True, start_new_session=True, check=False)
    assert done.returncode == 2 and "needs a terminal" in done.stderr
    done2 = jamkey("run", "--stay", "gain.lua", cwd=folder)
    assert done2.status == 2 and "Python programs" in done2.err
