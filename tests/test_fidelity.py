"""`jamkey run` is the plain run: each behaviour is run plainly and under it, and what one can see of the two must agree.

A behaviour is a shell line in which RUN stands for the interpreter, or for `jamkey run` with it. Compared are standard output, standard
error (a reading may follow what the program printed), exit status and files; on a pipe, and with all three streams on a terminal.
"""

from __future__ import annotations

import os
import pty
import re
import select
import shlex
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.conftest import interpreters, jamkey

LATE = "import os, sys, time\nif os.fork() == 0:\n    time.sleep(0.6)\n    os.write(2, b'late\\n')\n    os.write(1, b'late out\\n')\n    os._exit(0)\nprint('done', flush=True)\n"
BOTH = "import sys\nfor i in range(5):\n    print('out', i, flush=True)\n    print('err', i, file=sys.stderr, flush=True)\n"

#: Behaviour -> (files, shell line).
TABLE: dict[str, tuple[dict[str, str], str]] = {
    "hello": ({"a.py": "print('hello')"}, "RUN a.py"),
    "arguments": ({"a.py": "import sys\nprint(sys.argv)"}, "RUN a.py one 'two words' '' --flag=ü -x -- '*'"),
    "no newline at the end": ({"a.py": "import sys\nsys.stdout.write('x')"}, "RUN a.py"),
    "bytes": ({"a.py": "import sys\nsys.stdout.buffer.write(bytes(range(256)))"}, "RUN a.py | od -c | tail -3"),
    "much output": ({"a.py": "print('x' * 79)\n" * 1 + "for i in range(60000):\n    print(i, 'x' * 60)"}, "RUN a.py | cksum"),
    "much on the other stream": (
        {"a.py": "import sys\nfor i in range(20000):\n    print(i, 'x' * 60, file=sys.stderr)"},
        "RUN a.py 2>&1 >/dev/null | cksum",
    ),
    "order of the two streams in a file": ({"a.py": BOTH}, "RUN a.py > log 2>&1; cat log"),
    "order of the two streams in a pipe": ({"a.py": BOTH}, "RUN a.py 2>&1 | cat"),
    "two streams in two files": ({"a.py": BOTH}, "RUN a.py > one 2> two; cat one two"),
    "appended to a file": ({"a.py": BOTH, "log": "before\n"}, "RUN a.py >> log 2>&1; cat log"),
    "status": ({"a.py": "raise SystemExit(3)"}, "RUN a.py"),
    "status past an exit handler": ({"a.py": "import atexit\natexit.register(print, 'bye')\nraise SystemExit(4)"}, "RUN a.py"),
    "words at the end": ({"a.py": "import sys\nsys.exit('no hives')"}, "RUN a.py 2>/dev/null"),
    "left at once": ({"a.py": "import os\nprint('x', flush=True)\nos._exit(5)"}, "RUN a.py"),
    "exception": ({"a.py": "print('before')\n1 / 0"}, "RUN a.py"),
    "exception in a file": ({"a.py": "print('before')\n1 / 0"}, "RUN a.py > log 2>&1; head -3 log"),
    "syntax error": ({"a.py": "print('x'\n"}, "RUN a.py"),
    "ended by TERM": ({"a.py": "import os, signal\nos.kill(os.getpid(), signal.SIGTERM)"}, "RUN a.py"),
    "ended by KILL": ({"a.py": "import os, signal\nos.kill(os.getpid(), signal.SIGKILL)"}, "RUN a.py"),
    "ended by Ctrl-C": ({"a.py": "import os, signal\nos.kill(os.getpid(), signal.SIGINT)"}, "RUN a.py"),
    "a loop of a shell ends with Ctrl-C": (
        {"a.py": "import os, signal\nprint('x', flush=True)\nos.kill(os.getpid(), signal.SIGINT)"},
        "bash -c 'for i in 1 2 3; do RUN a.py 2>/dev/null; done'",
    ),
    "TERM is handled": (
        {
            "a.py": "import signal, sys, time\nsignal.signal(signal.SIGTERM, lambda *_: sys.exit(7))\nprint('ready', flush=True)\ntime.sleep(20)"
        },
        "RUN a.py & sleep 1; kill -TERM $!; wait $!",
    ),
    "USR1 is handled": (
        {"a.py": "import signal, sys, time\nsignal.signal(signal.SIGUSR1, lambda *_: sys.exit(8))\ntime.sleep(20)"},
        "RUN a.py & sleep 1; kill -USR1 $!; wait $!",
    ),
    "USR2 ends": ({"a.py": "import time\ntime.sleep(20)"}, "RUN a.py & sleep 1; kill -USR2 $!; wait $! 2>/dev/null"),
    "ALRM ends": ({"a.py": "import time\ntime.sleep(20)"}, "RUN a.py & sleep 1; kill -ALRM $!; wait $! 2>/dev/null"),
    "HUP is ignored": ({"a.py": "import signal\nprint(signal.getsignal(signal.SIGHUP))"}, "nohup RUN a.py 2>/dev/null"),
    "interrupts are ignored in the background": (
        {"a.py": "import signal\nprint(signal.getsignal(signal.SIGINT) == signal.SIG_IGN)"},
        "sh -c 'RUN a.py & wait'",
    ),
    "input": ({"a.py": "import sys\nprint(sys.stdin.read().upper())"}, "printf 'one\\ntwo\\n' | RUN a.py"),
    "input in lines": (
        {"a.py": "while True:\n    try:\n        print(input('> '))\n    except EOFError:\n        break"},
        "printf 'one\\ntwo' | RUN a.py",
    ),
    "input that is not read stays": (
        {"a.py": "print('x')"},
        "printf '1\\n2\\n3\\n' | while read line; do echo $line; RUN a.py; done",
    ),
    "input from a file, half of it": (
        {"a.py": "import os\nprint(os.read(0, 4))", "in": "1234567890"},
        "{ RUN a.py; cat; } < in",
    ),
    "input closed, and it takes a while": ({"a.py": "import time\ntime.sleep(0.4)\nprint('x')"}, "RUN a.py <&-"),
    "all closed, and it takes a while": (
        {"a.py": "import time\ntime.sleep(0.4)\nopen('done', 'w').close()"},
        "RUN a.py <&- >&- 2>&-; ls done",
    ),
    "closed input": ({"a.py": "import sys\nprint(sys.stdin)"}, "RUN a.py <&-"),
    "closed output": ({"a.py": "import sys\nsys.stderr.write(str(sys.stdout))"}, "RUN a.py >&-"),
    "closed error stream": ({"a.py": "import sys\nprint(sys.stderr)"}, "RUN a.py 2>&-"),
    "a pipe that closes": ({"a.py": "for i in range(100000):\n    print(i)"}, "RUN a.py 2>/dev/null | head -1"),
    "a full disk": ({"a.py": "print('x' * 100000, flush=True)"}, "RUN a.py 2>/dev/null >/dev/full"),
    "terminals": ({"a.py": "import os, sys\nprint([os.isatty(i) for i in range(3)], file=sys.stdout)"}, "RUN a.py"),
    "environment": (
        {
            "a.py": "import os\nfor name in sorted(os.environ):\n    if name not in ('_', 'SHLVL', 'OLDPWD'):\n        print(name, os.environ[name])"
        },
        "A=1 RUN a.py",
    ),
    "environment of children": (
        {"a.py": "import subprocess\nsubprocess.run('env | grep -v ^_= | grep -v SHLVL | sort', shell=True)"},
        "RUN a.py",
    ),
    "python path": (
        {"a.py": "import os, sys\nprint(os.environ.get('PYTHONPATH'), [p for p in sys.path if 'own' in p])"},
        "PYTHONPATH=own RUN a.py",
    ),
    "path and main": (
        {
            "b/a.py": "import sys, __main__\nprint(sys.path[0][-2:], __name__, __main__.__file__, __spec__, sys.argv[0], sys.orig_argv[1:] if hasattr(sys, 'orig_argv') else '')"
        },
        "RUN b/a.py",
    ),
    "flags and modules": (
        {
            "a.py": "import sys\nprint(sys.flags.isolated, sys.flags.optimize, sys.dont_write_bytecode, 'sitecustomize' in sys.modules, sys.excepthook is sys.__excepthook__, sys.gettrace(), sys.getprofile())"
        },
        "RUN a.py",
    ),
    "own sitecustomize": (
        {"a.py": "import sys\nprint(sys.modules['sitecustomize'].mark)", "lib/sitecustomize.py": "mark = 'own'\n"},
        "PYTHONPATH=lib RUN a.py",
    ),
    "a module": (
        {"pack/__init__.py": "", "pack/__main__.py": "import sys\nprint(__name__, __package__, sys.argv[1:])"},
        "RUN -m pack one",
    ),
    "a folder": ({"app/__main__.py": "print('app', __name__)"}, "RUN app"),
    "a zipped program": (
        {"make.py": "import zipapp\nzipapp.create_archive('app', 'app.pyz')", "app/__main__.py": "print('zipped', __name__)"},
        "PYTHON make.py; RUN app.pyz",
    ),
    "a compiled file": (
        {"make.py": "import py_compile\npy_compile.compile('a.py', 'a.pyc')", "a.py": "print('compiled', __name__)"},
        "PYTHON make.py; RUN a.pyc",
    ),
    "a script from standard input": ({}, "echo 'print(1 + 1)' | RUN -"),
    "another ending": ({"a.txt": "print('text')"}, "RUN a.txt"),
    "no ending": ({"tool": "print('tool')"}, "RUN tool"),
    "a script from another program": ({"a.py": "print('through')"}, "bash -c 'RUN <(cat a.py)'"),
    "isolated": (
        {"a.py": "import sys\nprint(sys.flags.isolated, len([p for p in sys.path if p.endswith('x')]))"},
        "PYTHONPATH=x ANY -I a.py",
    ),
    "without site": ({"a.py": "import sys\nprint(sys.flags.no_site, sys.flags.ignore_environment)"}, "ANY -S -E a.py"),
    "a deleted folder": (
        {"a.py": "import os\ntry:\n    print(os.getcwd())\nexcept OSError as e:\n    print(type(e).__name__)"},
        "mkdir gone; here=$PWD; cd gone; rmdir ../gone; RUN $here/a.py",
    ),
    "the program removes its folder": (
        {"w/x": "", "a.py": "import shutil, os\nshutil.rmtree(os.getcwd())\nprint('removed')"},
        "here=$PWD; cd w; RUN $here/a.py",
    ),
    "late words of a child": ({"a.py": LATE}, "{ RUN a.py; echo ended; } 2>&1 | cat"),
    "a child lives on": (
        {"a.py": "import subprocess\np = subprocess.Popen(['sh', '-c', 'sleep 0.7; echo alive > alive'])\nprint('x')"},
        "RUN a.py; sleep 1.2; cat alive",
    ),
    "a thread fails": (
        {"a.py": "import threading\nt = threading.Thread(target=lambda: 1 / 0)\nt.start()\nt.join()\nprint('on')"},
        "RUN a.py 2>/dev/null",
    ),
    "a failure that was handled": (
        {"a.py": "import traceback\ntry:\n    1 / 0\nexcept ZeroDivisionError:\n    traceback.print_exc()\nprint('on')"},
        "RUN a.py",
    ),
    "own hook": (
        {"a.py": "import sys\nsys.excepthook = lambda *a: print('own hook', a[0].__name__)\n1 / 0"},
        "RUN a.py 2>/dev/null",
    ),
    "error stream replaced": (
        {"a.py": "import sys\nsys.stderr = open('log', 'w')\n1 / 0"},
        "RUN a.py 2>/dev/null; tail -1 log",
    ),
    "warnings": ({"a.py": "import warnings\nwarnings.warn('old')\nprint('on')"}, "RUN a.py"),
    "classes of main are pickled": (
        {"a.py": "import pickle\nclass Hive:\n    pass\nprint(type(pickle.loads(pickle.dumps(Hive()))))"},
        "RUN a.py",
    ),
    "processes are spawned": (
        {
            "a.py": "import multiprocessing as m\ndef f(x):\n    return x + 1\nif __name__ == '__main__':\n    m.set_start_method('spawn')\n    with m.Pool(1) as p:\n        print(p.map(f, [1]))"
        },
        "RUN a.py",
    ),
    "mask and limits": (
        {
            "a.py": "import os, resource\nu = os.umask(0)\nprint(u, resource.getrlimit(resource.RLIMIT_NOFILE), resource.getrlimit(resource.RLIMIT_CORE))"
        },
        "umask 027; ulimit -n 300; RUN a.py",
    ),
    "open files": (
        {"a.py": "import os\nprint(sorted(int(x) for x in os.listdir('/proc/self/fd'))[:3])"},
        "RUN a.py < /dev/null",
    ),
    "a file handed on": ({"a.py": "import os\nprint(os.read(5, 3))", "in": "abc"}, "RUN a.py 5< in"),
    "signals blocked": (
        {
            "a.py": "import signal\nprint(signal.pthread_sigmask(signal.SIG_BLOCK, []), signal.getsignal(signal.SIGPIPE), signal.getsignal(signal.SIGTERM))"
        },
        "RUN a.py",
    ),
    "files that are written": ({"a.py": "open('out.txt', 'w').write('x')\nimport os\nos.mkdir('d')"}, "RUN a.py"),
}
#: What on a terminal differs by itself: the trace is replaced by the reading, numbers of processes.
ENDS_BADLY = {"exception", "syntax error", "ended by Ctrl-C", "words at the end"}


def laid(folder: Path, files: dict[str, str]) -> Path:
    for name, text in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text + "\n" if not text.endswith("\n") and name.endswith((".py", ".txt")) else text, encoding="utf-8")
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def line_of(shell: str, python: str, under: bool) -> str:
    jamkey = f"{shlex.quote(sys.executable)} -I -m jamkey run"
    run = f"{jamkey} --python {shlex.quote(python)}" if under else shlex.quote(python)
    other = f"{jamkey} -- {shlex.quote(python)}" if under else shlex.quote(python)
    return shell.replace("PYTHON ", shlex.quote(python) + " ").replace("RUN", run).replace("ANY", other)


def environment(folder: Path, system: str) -> dict[str, str]:
    env = {name: value for name, value in os.environ.items() if not name.startswith(("JAMKEY", "PYTEST", "COV_"))}
    env |= {"HOME": str(folder.parent / "home"), "LC_ALL": "C.UTF-8", "TERM": "xterm"}
    # both runs see the same variables, so that the programs print the same
    return {**env, "JAMKEY_STATE": str(folder.parent / "state"), **({"JAMKEY_SYSTEM": system} if system else {})}


def on_pipes(shell: str, folder: Path, system: str) -> tuple[int, bytes, bytes]:
    done = subprocess.run(
        ["sh", "-c", shell],
        cwd=folder,
        capture_output=True,
        timeout=60,
        env=environment(folder, system),
        stdin=subprocess.DEVNULL,
    )
    return done.returncode, done.stdout, done.stderr


def on_a_terminal(shell: str, folder: Path) -> tuple[int, bytes]:
    """Run with the three streams on one terminal; return status and what was shown."""
    ours, theirs = pty.openpty()
    process = subprocess.Popen(
        ["sh", "-c", shell],
        cwd=folder,
        stdin=theirs,
        stdout=theirs,
        stderr=theirs,
        env=environment(folder, ""),
        start_new_session=True,
    )
    os.close(theirs)
    shown = b""
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        ready, _, _ = select.select([ours], [], [], 0.1)
        if ready:
            try:
                data = os.read(ours, 65536)
            except OSError:
                break
            if not data:
                break
            shown += data
        elif process.poll() is not None:
            break
    os.close(ours)
    return process.wait(10), shown


def files_in(folder: Path) -> dict[str, bytes]:
    return {
        str(p.relative_to(folder)): p.read_bytes()
        for p in sorted(folder.rglob("*"))
        if p.is_file() and "__pycache__" not in p.parts
    }


def plainly_and_under(name: str, python: str, tmp_path: Path) -> list[tuple[Path, str]]:
    """Return (folder, shell line) of the plain run and of the one under jamkey, in folders of the same name."""
    files, shell = TABLE[name]
    found = []
    for under in (False, True):
        folder = laid(tmp_path / ("under" if under else "plain") / "project", files)
        found.append((folder, line_of(shell, python, under)))
    return found


def agree_on_pipes(name: str, python: str, tmp_path: Path, system: str = "") -> None:
    (plain, plain_line), (under, under_line) = plainly_and_under(name, python, tmp_path)
    wanted, found = on_pipes(plain_line, plain, system), on_pipes(under_line, under, system)
    here, there = str(plain.parent).encode(), str(under.parent).encode()
    assert found[0] == wanted[0], (wanted, found)
    assert found[1].replace(there, here) == wanted[1], (wanted, found)
    told = found[2].replace(there, here)
    assert told == wanted[2] or (wanted[0] and told.startswith(wanted[2])), (wanted, found)
    before, after = files_in(plain), files_in(under)
    assert set(after) == set(before)
    for file, data in before.items():
        assert after[file].replace(there, here) == data or (
            file == "log" and after[file].replace(there, here).startswith(data)
        ), file


#: What needs something that this version of the language has not.
NEEDS = {"3.8": {"path and main"}, "3.9": {"path and main"}}


@pytest.mark.parametrize("name", TABLE)
def test_on_pipes(name: str, tmp_path: Path) -> None:
    agree_on_pipes(name, sys.executable, tmp_path)


@pytest.mark.spread(8)
@pytest.mark.parametrize("version", sorted(set(interpreters()) - {f"3.{sys.version_info.minor}"}))
@pytest.mark.parametrize("name", list(TABLE)[::4])
def test_on_every_interpreter(name: str, version: str, tmp_path: Path) -> None:
    agree_on_pipes(name, interpreters()[version], tmp_path)


@pytest.mark.parametrize("name", TABLE)
def test_on_a_terminal(name: str, tmp_path: Path) -> None:
    (plain, plain_line), (under, under_line) = plainly_and_under(name, sys.executable, tmp_path)
    wanted, found = on_a_terminal(plain_line, plain), on_a_terminal(under_line, under)
    here, there = str(plain.parent).encode(), str(under.parent).encode()
    assert found[0] == wanted[0], (wanted, found)
    told = found[1].replace(there, here)
    if name in ENDS_BADLY:
        # the reading stands in place of the trace; all before it is the program's
        before = wanted[1].split(b"Traceback")[0] if b"Traceback" in wanted[1] else b""
        assert told.startswith(before)
        assert b"Traceback" not in told
    else:
        assert told == wanted[1] or (wanted[0] and told.startswith(wanted[1])), (wanted, found)


#: Ending -> a program that prints on both streams in turn and fails.
OTHERS = {
    "Hives.java": 'public class Hives { public static void main(String[] a) { for (int i = 0; i < 9; i++) { System.out.println("out " + i); System.err.println("err " + i); } int[] kilos = new int[2]; System.out.println(kilos[5]); } }\n',
    "hives.c": '#include <stdio.h>\n#include <stdlib.h>\nint main(void) {\n    for (int i = 0; i < 9; i++) { printf("out %d\\n", i); fflush(stdout); fprintf(stderr, "err %d\\n", i); }\n    int *none = NULL;\n    return *none;\n}\n',
    "hives.sh": "for i in 0 1 2 3 4 5 6 7 8; do echo out $i; echo err $i >&2; done\nnode -e 'hives.sort()'\n",
    "hives.js": "for (let i = 0; i < 9; i++) { console.log('out ' + i); console.error('err ' + i); }\nhives.sort();\n",
}


@pytest.mark.parametrize("name", OTHERS)
@pytest.mark.parametrize("streams", ["terminal", "one pipe", "two pipes"])
def test_programs_of_other_runtimes_are_read_wherever_they_print(name: str, streams: str, tmp_path: Path) -> None:
    folder = laid(tmp_path / "project", {name: OTHERS[name]})
    words = f"-- sh {name}" if name.endswith(".sh") else name
    shell = f"{shlex.quote(sys.executable)} -I -m jamkey run --no-keep {words}"
    if streams == "terminal":
        _, shown = on_a_terminal(shell, folder)
    else:
        _, out, err = on_pipes(shell + (" 2>&1" if streams == "one pipe" else ""), folder, "")
        shown = out if streams == "one pipe" else err
    text = re.sub(r"\x1b\[[0-9;]*m|\x1b\]8;[^\x1b]*\x1b\\\\", "", shown.decode())
    assert re.search(r"^ *jam ", text, re.M), text
    assert "your line" in text
    printed = re.findall(r"^(?:out|err) \d", text, re.M)
    if streams == "one pipe":
        assert printed == [f"{stream} {i}" for i in range(9) for stream in ("out", "err")]
    else:
        assert [row for row in printed if row.startswith("err")] == [f"err {i}" for i in range(9)]


#: Behaviours that the stand-in cannot have where it has no signals and no terminals of its own.
NATIVE_ONLY = {
    "ended by TERM",
    "ended by KILL",
    "ended by Ctrl-C",
    "a loop of a shell ends with Ctrl-C",
    "TERM is handled",
    "USR1 is handled",
    "USR2 ends",
    "ALRM ends",
    "late words of a child",
}


@pytest.mark.spread(3)
@pytest.mark.parametrize("name", sorted(set(TABLE) - NATIVE_ONLY))
def test_with_the_plain_stand_in(name: str, tmp_path: Path) -> None:
    agree_on_pipes(name, sys.executable, tmp_path, system="plain")


def test_the_table_is_long_enough() -> None:
    assert len(TABLE) >= 50


def test_the_limit_ends_everything(tmp_path: Path) -> None:
    """Also what the program has started, and a program that does not answer to the interrupt."""
    program = "import signal, subprocess, time\nsignal.signal(signal.SIGINT, signal.SIG_IGN)\nsubprocess.Popen(['sleep', '4713'])\ntime.sleep(60)\n"
    folder = laid(tmp_path / "project", {"a.py": program})
    begin = time.monotonic()
    done = on_pipes(f"{shlex.quote(sys.executable)} -m jamkey run --limit 1s a.py", folder, "")
    assert done[0] == 124 and time.monotonic() - begin < 20
    assert subprocess.run(["pgrep", "-f", "^sleep 4713"], capture_output=True).returncode == 1


def test_a_hang_in_the_background_is_read(tmp_path: Path) -> None:
    """A job of a scheduler ignores the interrupt: the limit asks by another signal."""
    folder = laid(tmp_path / "project", {"a.py": "n = 1\nwhile n > 0:\n    n = 1 + 1\n"})
    line = f"{shlex.quote(sys.executable)} -m jamkey run --limit 1s a.py 2> log & wait $!"
    status, _, _ = on_pipes(line, folder, "")
    text = (folder / "log").read_text()
    assert status == 124
    assert "your line" in text and "while n > 0" in text


def test_our_own_trouble_is_one_line_and_changes_no_status(tmp_path: Path) -> None:
    folder = laid(tmp_path / "project", {"a.py": "raise SystemExit(3)\n", "b.py": "print(totl)\n"})
    python = shlex.quote(sys.executable)
    for words, status in (("--save /no/such/folder/x.json b.py", 1), ("b.py", 1), ("a.py", 3)):
        for damage in (
            "",
            "rm -rf $JAMKEY_STATE; echo x > $JAMKEY_STATE; ",
            "rm -rf $JAMKEY_STATE; echo 'limit = -5' > jamkey.toml; ",
            "echo '[' > jamkey.toml; ",
        ):
            done = on_pipes(f"{damage}{python} -m jamkey run {words}", folder, "")
            assert done[0] == status, (words, damage, done)
            assert b"jamkey/" not in done[2], done[2].decode()
            shutil.rmtree(tmp_path / "state", ignore_errors=True)
            (tmp_path / "state").unlink(missing_ok=True) if (tmp_path / "state").is_file() else None
            (folder / "jamkey.toml").unlink(missing_ok=True)


#: What Node is called with, and what it is given to read: its own `vm` runs the code, and loses an exception at which a debugger pauses.
TYPED = {
    "given": (["node", "-e", "console.log(1); hives.sort()"], ""),
    "printed": (["node", "-p", "hives"], ""),
    "read": (["node"], "console.log(1); hives.sort()"),
    "run by vm": (["node", "by_vm.js"], ""),
    "caught": (["node", "caught.js"], ""),
    "healthy": (["node", "-e", "console.log(1 + 1)"], ""),
}
BY_VM = "require('vm').runInThisContext('console.log(1); hives.sort()');\nconsole.log(2);\n"
CAUGHT = "try { require('vm').runInNewContext('hives.sort()'); } catch (error) { console.log(error.message); }\n"


@pytest.mark.spread(1)
@pytest.mark.parametrize("name", TYPED)
def test_what_is_typed_for_node_fails_as_it_does_alone(name: str, tmp_path: Path) -> None:
    words, given = TYPED[name]
    folder = laid(tmp_path / "project", {"by_vm.js": BY_VM, "caught.js": CAUGHT})
    alone = subprocess.run(words, cwd=folder, input=given, capture_output=True, text=True, check=False)
    done = jamkey("run", "--no-keep", "--", *words, cwd=folder, stdin=given)
    assert (done.status, done.out) == (alone.returncode, alone.stdout)
    assert bool(re.search(r"^ *jam ReferenceError: hives is not defined", done.err, re.M)) == (alone.returncode != 0)
