"""The command line as a user meets it: good calls, bad calls, nothing lost."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.views.json import parse
from tests.conftest import jamkey

BROKEN = "def gain(weights):\n    total = weights[-1] - weights[0]\n    return totl\n\n\nprint(gain([31.2, 32.0]))\n"
TRACE = (
    'Traceback (most recent call last):\n  File "/home/someone/hives/gain.py", line 6, in <module>\n    print(gain([31.2, 32.0]))\n'
    "  File \"/home/someone/hives/gain.py\", line 3, in gain\n    return totl\nNameError: name 'totl' is not defined\n"
)

Project = Callable[..., Path]

pytestmark = pytest.mark.usefixtures("on_each_system")


def test_run_shows_a_reading(project: Project) -> None:
    folder = project({"gain.py": BROKEN})
    done = jamkey("run", "gain.py", cwd=folder)
    assert (done.status, done.out) == (1, "")
    for words in (
        "NameError: name 'totl' is not defined",
        "gain.py, line 3, in gain",
        "return totl",
        "▔▔▔▔",
        "[31.2, 32.0]",
        "Write `total` instead of `totl`",
        "-     return totl",
        "+     return total",
        "<module> (gain.py:6) > gain (gain.py:3)",
        "jamkey fix gain.py",
    ):
        assert words in done.err, words


def test_run_saves_in_every_form(project: Project) -> None:
    folder = project({"gain.py": BROKEN})
    jamkey("run", "--save", "a.json", "--save=b.md", "--save", "c.txt", "gain.py", cwd=folder)
    report = parse((folder / "a.json").read_bytes())
    assert report.format == "jamkey/1"
    assert report.jams[0].kind == "unknown-name"
    markdown = (folder / "b.md").read_text()
    assert markdown.startswith("## NameError")
    assert "```diff\n-     return totl\n+     return total\n```" in markdown
    text = (folder / "c.txt").read_text()
    assert "your line gain.py, line 3, in gain" in text
    assert "\x1b" not in text


def test_run_on_a_healthy_script_adds_nothing(project: Project) -> None:
    folder = project({"fine.py": "import sys\nprint('out')\nprint('err', file=sys.stderr)\n"})
    done = jamkey("run", "--save", "a.json", "fine.py", cwd=folder)
    assert (done.status, done.out, done.err) == (0, "out\n", "err\n")
    assert not (folder / "a.json").exists()


def test_run_javascript_by_its_ending(project: Project) -> None:
    folder = project({"alarm.js": "const n = 1;\nn += 1;\n"})
    done = jamkey("run", "alarm.js", cwd=folder)
    assert done.status == 1
    assert "fixed-value, while running, JavaScript" in done.err
    assert "Declare `n` with `let`" in done.err


def test_the_settings_file(project: Project) -> None:
    folder = project(
        {
            "jamkey.toml": 'own = ["shared"]\nlibrary = ["vendored"]\nlimit = "20s"\n[commands]\n".hive" = "sh"\n',
            "show.hive": "echo $0 $1; exit 4\n",
            "main.py": "import vendored.lib\nvendored.lib.weigh()\n",
            "vendored/lib.py": "def weigh():\n    return 1 / 0\n",
        }
    )
    assert jamkey("run", "show.hive", "x", cwd=folder).out == "show.hive x\n"
    done = jamkey("run", "--save", "a.json", "main.py", cwd=folder)
    jam = parse((folder / "a.json").read_bytes()).jams[0]
    assert done.status == 1
    assert [frame.owner for frame in jam.frames] == ["yours", "library"]
    assert jam.snag == 0


def test_read_from_a_file_and_standard_input(project: Project) -> None:
    folder = project({"hives/gain.py": BROKEN, "log.txt": "before\n" + TRACE + "after\n"})
    from_file = jamkey("read", "log.txt", cwd=folder)
    from_input = jamkey("read", cwd=folder, stdin=TRACE)
    for done in (from_file, from_input):
        assert done.status == 0
        assert "hives/gain.py, line 3, in gain" in done.out, "the file is found by the end of its path"
        assert "Write `total` instead of `totl`" in done.out


def test_read_several_as_json(project: Project) -> None:
    folder = project({"log.txt": TRACE + TRACE.replace("totl", "hive") + TRACE})
    done = jamkey("read", "--json", "log.txt", cwd=folder)
    data = json.loads(done.out)
    assert data["format"] == "jamkey/1"
    assert [(jam["message"], jam["count"]) for jam in data["jams"]] == [
        ("name 'totl' is not defined", 2),
        ("name 'hive' is not defined", 1),
    ]
    assert set(data["jams"][0]) >= set(
        "runtime runtime_version phase exception_type message kind frames snag roots meaning keys chain count".split()
    )


def test_read_with_a_root(project: Project, tmp_path: Path) -> None:
    folder = project({"gain.py": BROKEN})
    (tmp_path / "trace.txt").write_text(TRACE)
    done = jamkey("read", "--root", str(folder), "trace.txt", cwd=tmp_path)
    assert "gain.py, line 3" in done.out
    assert "> 3" not in done.out


def test_fix_preview_changes_nothing(project: Project) -> None:
    folder = project({"gain.py": BROKEN})
    done = jamkey("fix", "--preview", "--save", "out.json", "gain.py", cwd=folder)
    assert done.status == 1
    assert "tried: runs" in done.out
    assert (folder / "gain.py").read_text() == BROKEN
    key = parse((folder / "out.json").read_bytes()).jams[0].keys[0]
    assert (key.trial.outcome, key.trial.printed) == ("runs", "0.8000000000000007")
    assert sorted(path.name for path in folder.iterdir()) == ["gain.py", "out.json"], "a trial left something behind"


def test_fix_to_the_end_and_undo(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("JAMKEY_PATIENCE", "0")  # without a search: one key a round
    before = "def label(n):\n    return n.uper() + ': ' + 3\n\n\nprint(label('oak'))\n"
    folder = project({"label.py": before})
    done = jamkey("fix", "--yes", "label.py", cwd=folder)
    assert (done.status, done.out) == (0, "OAK: 3\n")
    assert "2 keys turned" in done.err
    assert "It runs now" in done.err
    after = (folder / "label.py").read_text()
    assert after == before.replace("uper", "upper").replace("+ 3", "+ str(3)")
    assert jamkey("undo", cwd=folder).out == "put back: label.py\n"
    assert (folder / "label.py").read_text() == before.replace("uper", "upper")
    assert jamkey("undo", cwd=folder).status == 0
    assert (folder / "label.py").read_text() == before
    done = jamkey("undo", cwd=folder)
    assert (done.status, done.err) == (2, "jamkey: nothing to undo here: no fix was applied in this folder\n")


def test_fix_replays_arguments_and_input(project: Project) -> None:
    folder = project({"add.py": "import sys\nn = input()\nprint(n + int(sys.argv[1]))\n"})
    done = jamkey("fix", "--yes", "add.py", "4", cwd=folder, stdin="5\n")
    assert (done.status, done.out) == (0, "9\n")


def test_fix_asks_nobody_without_a_terminal(project: Project) -> None:
    folder = project({"gain.py": BROKEN})
    done = jamkey("fix", "gain.py", cwd=folder)
    assert done.status == 1
    assert "nobody to ask" in done.err
    assert (folder / "gain.py").read_text() == BROKEN


def test_fix_in_a_terminal_asks(project: Project, on_each_system: str) -> None:
    """A real terminal: the reading is shown, the answer is taken, the key is turned."""
    import pty

    folder = project({"gain.py": BROKEN})
    parent, child = pty.openpty()
    process = subprocess.Popen(
        [sys.executable, "-m", "jamkey", "fix", "gain.py"],
        cwd=folder,
        stdin=child,
        stdout=child,
        stderr=child,
        env={**os.environ, "TERM": "xterm", "COLUMNS": "100"},
    )
    os.close(child)
    seen = b""
    if on_each_system == "bare":  # nothing holds a trial there: that is asked first
        while b"Try them all the same?" not in seen:
            seen += os.read(parent, 4096)
        os.write(parent, b"y\n")
    while b"Turn which key?" not in seen:
        seen += os.read(parent, 4096)
    os.write(parent, b"7\n1\n")
    try:
        while data := os.read(parent, 4096):
            seen += data
    except OSError:
        pass
    os.close(parent)
    assert process.wait(timeout=30) == 0
    assert seen.count(b"Turn which key?") == 2, "an answer that names no key is asked again"
    assert "return total\n" in (folder / "gain.py").read_text()


def test_fix_on_a_healthy_script(project: Project) -> None:
    folder = project({"fine.py": "print(1)\n"})
    done = jamkey("fix", "--yes", "fine.py", cwd=folder)
    assert done.status == 0
    assert "nothing to fix" in done.err


def test_fix_with_a_command(project: Project) -> None:
    folder = project({"gain.py": BROKEN})
    done = jamkey("fix", "--preview", "--save", "o.json", "--", sys.executable, "gain.py", cwd=folder)
    assert done.status == 1
    assert parse((folder / "o.json").read_bytes()).jams[0].keys[0].trial.outcome == "runs"


def test_kinds(tmp_path: Path) -> None:
    assert "unreadable-value" in jamkey("kinds", cwd=tmp_path).out
    one = jamkey("kinds", "missing-value", cwd=tmp_path).out
    assert one.startswith("missing-value: a value that is not there")
    assert "Usual causes:" in one
    assert jamkey("kinds", "KeyError", cwd=tmp_path).out.startswith("no-such-key")
    data = json.loads(jamkey("kinds", "--json", cwd=tmp_path).out)
    assert {"kind", "title", "about", "usual", "avoid", "example"} == set(data[0])


@pytest.mark.parametrize(
    ("args", "status", "words"),
    [
        (("run", "none.py"), 66, "none.py does not exist: check the name and the folder you are in"),
        (("run", "folder"), 66, "folder is a folder: give a script"),
        (("run", "binary.py"), 66, "binary.py is not a script: it holds binary data"),
        (("run", "--python", "/no/such/python", "fine.py"), 127, "/no/such/python does not exist"),
        (("run", "--python", "python-none", "fine.py"), 127, "python-none is not installed or not on the path"),
        (("run", "--python", "fine.py", "fine.py"), 127, "fine.py is not installed"),
        (("run", "--python", "./fine.py", "fine.py"), 127, "./fine.py cannot be executed"),
        (("run", "--limit", "soon", "fine.py"), 2, "'soon' is not a duration: write for example 10s"),
        (("run", "--save", "x.pdf", "fine.py"), 2, "the ending chooses the form"),
        (("run", "--no-such", "fine.py"), 2, "run has no option --no-such"),
        (("run", "data.rs"), 2, "no command is known for '.rs' files"),
        (("run", "--", "no-such-command"), 127, "no-such-command is not installed"),
        (("run",), 2, "a script is missing"),
        (("fix",), 2, "a script is missing"),
        (("fix", "none.py"), 66, "none.py does not exist"),
        (("fix", "--save", "x.pdf", "fine.py"), 2, "the ending chooses the form"),
        (("read", "none.txt"), 66, "none.txt does not exist: check the name and the folder"),
        (("read", "folder"), 66, "folder is a folder: give a file"),
        (("read", "binary.py"), 65, "binary.py is not text"),
        (("read", "empty.txt"), 65, "empty.txt is empty: give the text that a failing program printed"),
        (("read", "fine.py"), 65, "no failure found in fine.py"),
        (("read", "--root", "none", "fine.py"), 2, "--root none is not a folder"),
        (("kinds", "no-such-kind"), 2, "no kind and no exception type is known as 'no-such-kind'"),
        (("undo",), 2, "nothing to undo here"),
        (("demo", "--folder", "folder"), 2, "folder is not empty"),
        (("swarm",), 2, "No such command 'swarm'"),
    ],
)
def test_bad_input(args: tuple[str, ...], status: int, words: str, project: Project) -> None:
    files = {"fine.py": "print(1)\n", "folder/x": "", "binary.py": b"\x7fELF\x00\x01\x02", "empty.txt": "", "data.rs": "1\n"}
    folder = project(files)
    done = jamkey(*args, cwd=folder)
    assert done.status == status, done.err
    assert words in done.err
    if status != 2 or done.err.startswith("jamkey: "):
        assert done.err.count("\n") == 1, "one line"
    assert "Traceback" not in done.err
    assert {path.name for path in folder.iterdir()} == {"fine.py", "folder", "binary.py", "empty.txt", "data.rs"}


def test_a_script_without_read_permission(project: Project) -> None:
    folder = project({"secret.py": "print(1)\n"})
    (folder / "secret.py").chmod(0)
    command = [sys.executable, "-m", "jamkey", "run", "secret.py"]
    if os.geteuid() == 0:
        # a root user reads everything: drop that right for the call
        command = [
            "setpriv",
            "--bounding-set=-dac_override,-dac_read_search",
            "--inh-caps=-dac_override,-dac_read_search",
            *command,
        ]
    done = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (
        66,
        "jamkey: secret.py may not be read (Permission denied): check its permissions\n",
    )


def test_a_broken_settings_file(project: Project) -> None:
    folder = project({"jamkey.toml": "own = [\n", "fine.py": "print(1)\n"})
    done = jamkey("run", "fine.py", cwd=folder)
    assert (done.status, done.out) == (0, "1\n")  # our trouble is not the program's
    assert "is not valid TOML" in done.err and done.err.count("\n") == 1
    (folder / "jamkey.toml").write_text('colour = "red"\n')
    assert "unknown setting 'colour'" in jamkey("read", "x", cwd=folder).err


def test_a_save_path_that_cannot_be_written(project: Project) -> None:
    folder = project({"gain.py": BROKEN})
    done = jamkey("read", "--save", "none/out.json", cwd=folder, stdin=TRACE)
    assert done.status == 66
    assert "none/out.json cannot be written" in done.err


def test_version_and_help(tmp_path: Path) -> None:
    assert jamkey("--version", cwd=tmp_path).out.startswith("jamkey 0.")
    for command in ("run", "read", "fix", "undo", "kinds", "demo"):
        assert command in jamkey("--help", cwd=tmp_path).out
        assert "Usage: jamkey " + command in jamkey(command, "--help", cwd=tmp_path).out


def test_colours_only_for_a_terminal(project: Project) -> None:
    folder = project({"gain.py": BROKEN})
    assert "\x1b" not in jamkey("run", "gain.py", cwd=folder).err
    import pty

    parent, child = pty.openpty()
    process = subprocess.Popen(
        [sys.executable, "-m", "jamkey", "run", "gain.py"],
        cwd=folder,
        stdin=child,
        stdout=child,
        stderr=child,
        env={**os.environ, "TERM": "xterm-256color", "COLUMNS": "100"},
    )
    os.close(child)
    seen = b""
    try:
        while data := os.read(parent, 4096):
            seen += data
    except OSError:
        pass
    os.close(parent)
    process.wait(timeout=30)
    assert b"\x1b[" in seen
    assert b"Traceback" not in seen, "on a terminal the reading stands in place of the trace"
    assert b"your line" in seen


def test_kinds_of_a_runtime(tmp_path: Path) -> None:
    done = jamkey("kinds", "--runtime", "lua", cwd=tmp_path)
    assert "missing-value" in done.out
    assert "attempt to call a nil value (method" in done.out
    done = jamkey("kinds", "--runtime", "cobol", cwd=tmp_path)
    assert (done.status, "known are basic, c," in done.err) == (2, True)


def test_the_short_way_knows_every_form_of_a_reading() -> None:
    from jamkey.doors.quick import ENDINGS
    from jamkey.views import SHELF

    assert set(ENDINGS) == set(SHELF.names(outside=False))


def test_a_program_may_remove_its_own_folder(project: Project) -> None:
    folder = project(
        {"gone/tidy.py": "import os\nos.remove('tidy.py')\nos.rmdir(os.getcwd())\nprint('gone')\n", "x.py": "print(totl)\n"}
    )
    jamkey("run", "x.py", cwd=folder)
    ran = jamkey("run", "tidy.py", cwd=folder / "gone")
    assert (ran.status, ran.out, ran.err) == (0, "gone\n", "")


def test_the_list_of_commands_is_whole_sentences(tmp_path: Path) -> None:
    for words in ((), ("speak",)):
        rows = jamkey(*words, "--help", cwd=tmp_path, env={"COLUMNS": "80"}).out.partition("Commands:\n")[2].splitlines()
        assert rows and all(row.endswith(".") and not row.endswith("...") for row in rows)


def test_fix_waits_for_no_input_that_the_program_does_not_read(project: Project) -> None:
    """The pipe stays open: a program that asks for nothing, or for one line, is run and mended all the same."""
    folder = project({"gain.py": BROKEN, "asked.py": "name = input()\nprint(nmae)\n"})
    for script in ("gain.py", "asked.py"):
        ours, theirs = os.pipe()
        os.write(theirs, b"oak\n")
        with os.fdopen(ours, "rb") as given:
            done = subprocess.run(
                [sys.executable, "-m", "jamkey", "fix", "--unguarded", "--yes", script],
                cwd=folder,
                stdin=given,
                capture_output=True,
                timeout=60,
                check=False,
            )
        os.close(theirs)
        assert done.returncode == 0, done.stderr.decode()
    assert "print(name)" in (folder / "asked.py").read_text()


@pytest.mark.parametrize(
    ("text", "asked", "hint"),
    [
        ("total = 3\nprint(totl)\n", [], "Try the keys on a copy: jamkey fix hives.py"),
        ('raise RuntimeError("no hive")\n', [], "Look for an edit and try it on a copy: jamkey fix hives.py"),
        ("while True:\n    pass\n", ["--limit", "1s"], "on a copy: jamkey fix --limit 1s hives.py"),
    ],
)
def test_a_failed_script_is_told_of_fix(text: str, asked: list[str], hint: str, project: Project) -> None:
    folder = project({"hives.py": text})
    done = jamkey("run", *asked, "hives.py", cwd=folder)
    assert hint in " ".join(done.err.split())
