"""`jamkey run` is the plain interpreter, on every interpreter found; and what the agent records."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.views.json import parse
from tests.conftest import Ran, interpreters, jamkey

VERSIONS = sorted(interpreters(), key=lambda version: int(version.split(".")[1]))


def plain(python: str, *args: str, cwd: Path, stdin: bytes = b"") -> subprocess.CompletedProcess[bytes]:
    return subprocess.run([python, *args], cwd=cwd, input=stdin, capture_output=True, timeout=60, check=False)


def watched(
    python: str, *args: str, cwd: Path, stdin: bytes = b"", options: tuple[str, ...] = ()
) -> subprocess.CompletedProcess[bytes]:
    return subprocess.run(
        [sys.executable, "-m", "jamkey", "run", "--python", python, *options, *args],
        cwd=cwd,
        input=stdin,
        capture_output=True,
        timeout=60,
        check=False,
    )


#: name -> files; main.py is run. Each prints what a script can see of how it was started.
SAME = {
    "arguments and path": {
        "main.py": (
            "import sys, os\nprint(sys.argv)\nprint(sys.path[0] == os.path.dirname(os.path.abspath(__file__)))\nprint(len(sys.path))\n"
            "print(__name__, __file__, __spec__, sorted(globals()))\nprint(os.getcwd() == os.path.dirname(os.path.abspath(__file__)))\n"
            "print(getattr(sys, 'orig_argv', [0])[1:])\nprint(sys.excepthook is sys.__excepthook__, 'PYTHONPATH' in os.environ)\n"
            "print([k for k in os.environ if 'JAM' in k.upper()], [p for p in sys.path if 'jamkey' in p and 'inject' in p])\n"
        )
    },
    "bytes to standard output": {"main.py": "import sys\nsys.stdout.buffer.write(bytes(range(256)) * 3)\nsys.stdout.flush()\n"},
    "standard input": {"main.py": "import sys\nprint(sys.stdin.isatty(), repr(sys.stdin.read()))\n"},
    "input lines": {"main.py": "a = input('hive? ')\nb = input()\nprint(a + b)\n"},
    "exit status": {"main.py": "import sys\nprint('bye')\nsys.exit(7)\n"},
    "exit with words": {"main.py": "import sys\nsys.exit('no hives')\n"},
    "exit handler": {"main.py": "import atexit\natexit.register(print, 'last words')\nprint('first')\n"},
    "hard exit": {"main.py": "import os, sys\nprint('x')\nsys.stdout.flush()\nos._exit(9)\n"},
    "pickling from main": {
        "main.py": (
            "import pickle\n\n\nclass Hive:\n    kilos = 3\n\n\nprint(pickle.loads(pickle.dumps(Hive())).kilos, Hive.__module__)\n"
        )
    },
    "spawned processes": {
        "main.py": (
            "import multiprocessing\n\n\ndef double(n):\n    return n * 2\n\n\nif __name__ == '__main__':\n"
            "    with multiprocessing.get_context('spawn').Pool(2) as pool:\n        print(pool.map(double, [1, 2, 3]))\n"
        )
    },
    "imports beside the script": {
        "sub/main.py": "import hives\nprint(hives.N, hives.__file__.split('/')[-2:])\n",
        "sub/hives.py": "N = 3\n",
    },
    "own sitecustomize": {"main.py": "import sys\nprint('sitecustomize' in sys.modules)\n"},
    "threads": {
        "main.py": "import threading\nt = threading.Thread(target=print, args=('in a thread',))\nt.start()\nt.join()\n"
    },
    "a handled error": {"main.py": "try:\n    1 / 0\nexcept ZeroDivisionError as e:\n    print('handled', e)\n"},
    "killed by a signal": {"main.py": "import os, signal\nos.kill(os.getpid(), signal.SIGTERM)\n"},
}


@pytest.mark.spread(3)
@pytest.mark.parametrize("version", VERSIONS)
@pytest.mark.parametrize("name", SAME)
def test_same_as_the_plain_interpreter(version: str, name: str, project: Callable[..., Path]) -> None:
    folder = project(SAME[name])
    script = next(iter(SAME[name]))
    stdin = b"oak\n\xff elm" if name == "standard input" else b"oak\n3\n"
    if name == "standard input":
        stdin = b"oak\nelm"
    python = interpreters()[version]
    first = plain(python, script, "a b", "--limit", "-x", cwd=folder, stdin=stdin)
    second = watched(python, script, "a b", "--limit", "-x", cwd=folder, stdin=stdin)
    assert second.stdout == first.stdout
    assert second.returncode == first.returncode
    if name == "exit with words":
        # that is a failure too: its reading follows the words
        assert second.stderr.startswith(first.stderr + b"\n       jam SystemExit: no hives")
    else:
        assert second.stderr == first.stderr


@pytest.mark.parametrize("version", VERSIONS)
def test_a_module_is_run_as_the_interpreter_does(version: str, project: Callable[..., Path]) -> None:
    folder = project(
        {
            "apiary/__init__.py": "",
            "apiary/__main__.py": "from . import hives\nimport sys\nprint(hives.N, sys.argv[1:], __spec__.name)\n",
            "apiary/hives.py": "N = 4\n",
        }
    )
    python = interpreters()[version]
    first = plain(python, "-m", "apiary", "x", cwd=folder)
    second = watched(python, "-m", "apiary", "x", cwd=folder)
    assert (second.stdout, second.returncode) == (first.stdout, 0)


@pytest.mark.parametrize("version", VERSIONS)
def test_what_is_recorded(version: str, project: Callable[..., Path]) -> None:
    """A failing script: the same trace and status as plain, and a reading with exact places and values."""
    text = (
        "class Hive:\n    def __init__(self, name):\n        self.name = name\n        self.weights = [31.2, 32.0]\n\n\n"
        "def gain(hive, week):\n    return hive.weights[week] - hive.weights[0]\n\n\nprint(gain(Hive('oak'), 5))\n"
    )
    folder = project({"main.py": text})
    python = interpreters()[version]
    first = plain(python, "main.py", cwd=folder)
    second = watched(python, "main.py", cwd=folder, options=("--save", "out.json"))
    assert (second.returncode, second.stdout) == (1, first.stdout)
    assert second.stderr.startswith(first.stderr)
    jam = json.loads((folder / "out.json").read_text())["jams"][0]
    assert jam["runtime_version"].startswith(version)
    snag = jam["frames"][jam["snag"]]
    assert (snag["file"], snag["line"], snag["function"]) == ("main.py", 8, "gain")
    values = {value["name"]: value for value in snag["values"]}
    assert values["hive.weights"]["text"] == "[31.2, 32.0]"
    assert (values["week"]["text"], values["week"]["type"]) == ("5", "int")
    assert values["hive"]["text"] == "Hive(name='oak', weights=[31.2, 32.0])"
    if int(version.split(".")[1]) >= 11:
        assert (snag["column"], snag["end_column"]) == (12, 30)


@pytest.mark.parametrize("version", VERSIONS)
def test_a_thread_that_fails(version: str, project: Callable[..., Path]) -> None:
    text = "import threading\n\n\ndef work(n):\n    return [n][5]\n\n\nt = threading.Thread(target=work, args=(3,))\nt.start()\nt.join()\nprint('on')\n"
    folder = project({"main.py": text})
    done = watched(interpreters()[version], "main.py", cwd=folder, options=("--save", "out.json"))
    assert (done.returncode, done.stdout) == (0, b"on\n")
    jam = json.loads((folder / "out.json").read_text())["jams"][0]
    snag = jam["frames"][jam["snag"]]
    assert snag["function"] == "work"
    assert {"name": "n", "text": "3"}.items() <= {k: v for k, v in snag["values"][-1].items() if k in ("name", "text")}.items()


def run_jam(folder: Path, text: str, *, timeout: float = 60) -> Jam:
    from jamkey.views.json import parse

    (folder / "main.py").write_text(text, encoding="utf-8")
    jamkey("run", "--save", "out.json", "main.py", cwd=folder, timeout=timeout)
    return parse((folder / "out.json").read_bytes()).jams[-1]


def test_values_that_would_hurt(tmp_path: Path) -> None:
    """A repr that raises, sleeps, prints, or is huge is never called; secrets are masked; many names are bounded."""
    text = (
        "import time\n\n\nclass Raises:\n    def __repr__(self):\n        raise SystemExit('gone')\n\n\nclass Sleeps:\n    def __repr__(self):\n"
        "        time.sleep(60)\n\n\nclass Prints:\n    def __repr__(self):\n        print('PRINTED')\n        return 'x' * 200_000_000\n\n\n"
        "def f():\n    a, b, c, password, api_token = Raises(), Sleeps(), Prints(), 'hunter', 'abc'\n    big = 'y' * 50_000_000\n"
        "    row = {'user': 'oak', 'password': 'hunter'}\n    return [a, b, c, password, api_token, big, row][9]\n\n\nf()\n"
    )
    start = time.monotonic()
    jam = run_jam(tmp_path, text)
    assert time.monotonic() - start < 15
    assert jam.snag_frame is not None
    texts = {value.name: value.text for value in jam.snag_frame.values}
    assert "hidden" in texts["password"]
    assert "hidden" in texts["api_token"]
    assert "hunter" not in str(jam)
    assert len(texts["big"]) < 400
    assert texts["a"] == "<Raises object>"


def test_a_frame_with_very_many_names(tmp_path: Path) -> None:
    names = "\n".join(f"    v{n} = {n}" for n in range(5000))
    jam = run_jam(tmp_path, f"def f():\n{names}\n    return v4999 / (v1 - 1)\n\n\nf()\n")
    assert jam.snag_frame is not None
    assert 3 <= len(jam.snag_frame.values) <= 40
    assert {"v4999", "v1"} <= {value.name for value in jam.snag_frame.values}


def test_properties_are_not_run(tmp_path: Path) -> None:
    text = (
        "class H:\n    ran = []\n    @property\n    def weight(self):\n        self.ran.append(1)\n        open('ran.txt', 'a').write('x')\n        return 3\n\n\n"
        "def f(h):\n    return h.weight / len(h.ran[5:])\n\n\nf(H())\n"
    )
    run_jam(tmp_path, text)
    assert (tmp_path / "ran.txt").read_text() == "x", "describing the values ran the user's property again"


def test_files_that_bear_a_library_name(tmp_path: Path) -> None:
    for name in ("json", "ast", "linecache"):
        (tmp_path / f"{name}.py").write_text("print('MINE'); loads = dumps = None\n")
    jam = run_jam(tmp_path, "def f(n):\n    return [n][3]\n\n\nf(5)\n")
    assert jam.snag_frame is not None
    assert [value.text for value in jam.snag_frame.values if value.name == "n"] == ["5"]


def test_deep_recursion_is_bounded(tmp_path: Path) -> None:
    jam = run_jam(tmp_path, "import sys\nsys.setrecursionlimit(5000)\n\n\ndef f(n):\n    return f(n + 1)\n\n\nf(0)\n")
    assert jam.kind == "too-deep"
    assert len(jam.frames) <= 1000


def test_a_limit_stops_a_loop(tmp_path: Path) -> None:
    (tmp_path / "main.py").write_text(
        "def scan(rows):\n    i = 0\n    while i < len(rows):\n        rows[i]\n\n\nscan([1, 2])\n"
    )
    done = jamkey("run", "--limit", "700ms", "--save", "out.json", "main.py", cwd=tmp_path)
    assert done.status == 124
    jam = json.loads((tmp_path / "out.json").read_text())["jams"][0]
    assert (jam["phase"], jam["kind"]) == ("hang", "endless")
    assert "`i`" in jam["causes"][0] or "`len" in jam["meaning"]


def test_an_interrupt_reaches_the_program(tmp_path: Path) -> None:
    (tmp_path / "main.py").write_text(
        "import time\ntry:\n    print('up', flush=True)\n    time.sleep(30)\nexcept KeyboardInterrupt:\n    print('cleaned up')\n"
    )
    process = subprocess.Popen(
        [sys.executable, "-m", "jamkey", "run", "main.py"],
        cwd=tmp_path,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        start_new_session=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler),
    )
    assert process.stdout is not None
    assert process.stdout.readline() == b"up\n"
    os.killpg(process.pid, signal.SIGINT)
    out, err = process.communicate(timeout=20)
    assert (out, err, process.returncode) == (b"cleaned up\n", b"", 0)


def test_a_termination_signal_is_handed_on(tmp_path: Path) -> None:
    (tmp_path / "main.py").write_text("import time\nprint('up', flush=True)\ntime.sleep(30)\n")
    process = subprocess.Popen(
        [sys.executable, "-m", "jamkey", "run", "main.py"], cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE
    )
    assert process.stdout is not None
    assert process.stdout.readline() == b"up\n"
    process.send_signal(signal.SIGTERM)
    process.communicate(timeout=20)
    assert process.returncode == -signal.SIGTERM


def test_a_foreign_command(tmp_path: Path) -> None:
    done = jamkey("run", "--", "sh", "-c", "echo out; echo odd >&2; exit 3", cwd=tmp_path)
    assert done == Ran(3, "out\n", "odd\n")


def test_a_command_that_is_python(tmp_path: Path) -> None:
    done = jamkey("run", "--save", "out.json", "--", sys.executable, "-c", "x = [1]\nprint(x[4])", cwd=tmp_path)
    assert done.status == 1
    jam = json.loads((tmp_path / "out.json").read_text())["jams"][0]
    assert (jam["kind"], jam["frames"][jam["snag"]]["file"]) == ("index-out-of-range", "<string>")


def test_python_options_that_keep_the_agent_out(tmp_path: Path) -> None:
    """Isolated mode ignores the environment: the text is read all the same."""
    (tmp_path / "main.py").write_text("print(totl)\n")
    done = jamkey("run", "--save", "out.json", "--", sys.executable, "-I", "main.py", cwd=tmp_path)
    assert done.status == 1
    assert json.loads((tmp_path / "out.json").read_text())["jams"][0]["kind"] == "unknown-name"


def test_an_own_sitecustomize_still_runs(tmp_path: Path) -> None:
    (tmp_path / "sitecustomize.py").write_text("import builtins\nbuiltins.MARK = 'mine'\n")
    (tmp_path / "main.py").write_text("print(MARK)\n")
    done = jamkey("run", "main.py", cwd=tmp_path, env={"PYTHONPATH": str(tmp_path)})
    assert (done.status, done.out) == (0, "mine\n")


def test_a_process_the_program_starts_is_left_alone(tmp_path: Path) -> None:
    (tmp_path / "main.py").write_text(
        "import subprocess, sys, os\nprint(subprocess.run([sys.executable, '-c', 'import os; print(os.environ.get(\"PYTHONPATH\"), "
        '[k for k in os.environ if "JAMKEY_W" in k])\'], capture_output=True, text=True).stdout)\n'
    )
    done = jamkey("run", "main.py", cwd=tmp_path)
    assert done.out == "None []\n\n"


AGAIN = """
def find(name, rows):
    found = None
    for row in rows:
        if row["name"] == name:
            found = row
        elif name == "brook":
            found = None
    return found


rows = [{"name": "oak", "kilos": 31.2}, {"name": "brook", "kilos": 30.8}, {"name": "elm", "kilos": 29.0}]
for name in ("oak", "brook"):
    hive = find(name, rows)
    print(hive["kilos"])
"""


@pytest.mark.parametrize("version", VERSIONS)
def test_a_second_run_records_the_values_in_question(version: str, tmp_path: Path) -> None:
    (tmp_path / "weigh.py").write_text(AGAIN.lstrip(), encoding="utf-8")
    done = jamkey("run", "--python", interpreters()[version], "--again", "--save", "out.json", "weigh.py", cwd=tmp_path)
    jam = parse((tmp_path / "out.json").read_bytes()).jams[-1]
    assert jam.kind == "missing-value", done.err
    recorded = [root for root in jam.roots if root.confidence >= 0.9]
    steps = [(step.line, step.text) for root in recorded for step in root.steps]
    assert (13, "hive = find(name, rows)") in steps or (13, "hive = None") in steps


def test_again_is_for_python(tmp_path: Path) -> None:
    (tmp_path / "a.js").write_text("null.x\n", encoding="utf-8")
    done = jamkey("run", "--again", "a.js", cwd=tmp_path)
    assert "--again records Python scripts only" in done.err


def test_no_code_of_the_users_runs_while_values_are_described() -> None:
    """Whatever a class does on access, on `isinstance`, on printing: the program says if it is asked."""
    program = """
told = []
def say(*words):
    told.append(words)
class Meta(type):
    def __getattribute__(cls, name):
        say("Meta", name)
        return super().__getattribute__(name)
    def __instancecheck__(cls, value):
        say("instancecheck")
        return False
class Sly(metaclass=Meta):
    def __getattribute__(self, name):
        say("Sly", name)
        return object.__getattribute__(self, name)
    @property
    def __class__(self):
        say("__class__")
        return str
    def __repr__(self):
        say("repr")
        return "x"
    def __len__(self):
        say("len")
        return 3
    def __iter__(self):
        say("iter")
        return iter(())
    def __hash__(self):
        say("hash")
        return 1
    def __eq__(self, other):
        say("eq")
        return False
class List(list):
    def __iter__(self):
        say("list iter")
        return iter(())
    def __len__(self):
        say("list len")
        return 0
class Bytes(bytes):
    def __getitem__(self, key):
        say("bytes item")
        return b""
class Odd(ValueError):
    def __getattribute__(self, name):
        say("Odd", name)
        return super().__getattribute__(name)
    def __str__(self):
        say("str")
        return "odd"
def work():
    sly, items, data, table = Sly(), List([Sly()]), Bytes(b"abc"), {"a": Sly()}
    told.clear()
    raise Odd("x")
"""
    from jamkey.observe.agents import agent

    space: dict[str, object] = {}
    exec(compile(program, "a.py", "exec"), space)
    told: list[object] = space["told"]  # type: ignore[assignment]
    try:
        space["work"]()  # type: ignore[operator]
    except ValueError as error:
        told.clear()
        found = agent.describe_exception(error, set())
    assert told == []
    values = {value["name"]: value for value in found["frames"][-1]["values"]}
    assert values["sly"]["type"] == "Sly" or values["sly"]["type"].endswith(".Sly")
    assert values["items"]["length"] == 1
