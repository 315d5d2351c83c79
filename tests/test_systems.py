"""Other systems: their names stay in one module, and what their consoles print is read right."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

from jamkey.pipeline import read_and_diagnose
from jamkey.text import decode
from tests.conftest import ONLY_POSIX, SOURCE

_MODULES = {"fcntl", "resource", "pty", "termios", "pwd", "grp", "tty", "syslog"}
#: Where such names may stand: the module that is there for them, and what is only ever started on such a system.
_ALLOWED = ("system/posix.py", "observe/agents/", "observe/sandbox/")


def _names_of(path: Path) -> list[str]:
    found = []
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name):
            if node.attr in ONLY_POSIX.get(node.value.id, ()) or node.attr == "SIGKILL":
                found.append(f"{node.value.id}.{node.attr}")
        elif isinstance(node, ast.Import):
            found += [alias.name for alias in node.names if alias.name in _MODULES]
        elif isinstance(node, ast.ImportFrom) and node.module in _MODULES:
            found.append(node.module)
        elif isinstance(node, ast.keyword) and node.arg in ("preexec_fn", "start_new_session", "pass_fds"):
            found.append(node.arg)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str) and node.value.startswith(("/tmp", "/dev/")):
            found.append(node.value)
    return found


def test_only_one_module_names_what_one_kind_of_system_has() -> None:
    package = SOURCE / "jamkey"
    offending = {
        name: names
        for path in sorted(package.rglob("*.py"))
        if not (name := path.relative_to(package).as_posix()).startswith((*_ALLOWED, "demo/")) and (names := _names_of(path))
    }
    guarded = {
        "system/plain.py": ["os.ctermid"],  # asked for with hasattr
        "observe/chromium.py": ["pass_fds"],  # pages are visited on POSIX systems only
    }
    assert offending == guarded


def test_the_two_systems_offer_the_same() -> None:
    def offered(name: str) -> set[str]:
        tree = ast.parse((SOURCE / "jamkey" / "system" / name).read_text(encoding="utf-8"))
        names = {node.name for node in tree.body if isinstance(node, (ast.FunctionDef, ast.ClassDef))}
        names |= {
            target.id
            for node in tree.body
            if isinstance(node, ast.Assign)
            for target in node.targets
            if isinstance(target, ast.Name)
        }
        return names

    package = ast.parse((SOURCE / "jamkey" / "system" / "__init__.py").read_text(encoding="utf-8"))
    taken = [{alias.name for alias in node.names} for node in ast.walk(package) if isinstance(node, ast.ImportFrom)]
    taken = [names for names in taken if "start" in names]
    assert len(taken) == 2 and taken[0] == taken[1]
    assert taken[0] <= offered("posix.py") and taken[0] <= offered("plain.py")


PROGRAM = 'weights = {"Eiche": 31.2}\n\n\ndef gain(hive):\n    return weights[hive] - 25\n\n\nprint(gain("Größe"))\n'
TRACE = (
    "Traceback (most recent call last):\r\n"
    '  File "C:\\Users\\keeper\\hives\\gains.py", line 8, in <module>\r\n    print(gain("Größe"))\r\n'
    '  File "C:\\Users\\keeper\\hives\\gains.py", line 5, in gain\r\n    return weights[hive] - 25\r\n'
    "KeyError: 'Größe'\r\n"
)
PROMPTS = [
    "",
    "PS C:\\Users\\keeper\\hives> ",
    "PS C:\\Users\\keeper\\hives> py gains.py\r\nPS C:\\Users\\keeper\\hives> ",
    "\r\nC:\\Users\\keeper\\hives>",
    "(hives) PS C:\\Users\\keeper\\hives> ",
    "(base) C:\\Users\\keeper\\hives>",
    "PS \\\\server\\share\\hives> ",
]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
@pytest.mark.parametrize("after", PROMPTS, ids=range(len(PROMPTS)))
def test_a_console_of_windows(tmp_path: Path, after: str, encoding: str) -> None:
    (tmp_path / "gains.py").write_text(PROGRAM, encoding="utf-8")
    before = "PS C:\\Users\\keeper\\hives> py .\\gains.py\r\n" if after.startswith("PS") else ""
    text = decode((before + TRACE + after).encode(encoding))
    jam = read_and_diagnose(text, root=tmp_path)[-1]
    assert (jam.exception_type, jam.message) == ("KeyError", "'Größe'")
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line) == ("gains.py", 5)
    assert [frame.owner for frame in jam.frames] == ["yours", "yours"]


@pytest.mark.parametrize(
    ("path", "owner"),
    [
        ("C:\\Users\\keeper\\AppData\\Local\\Programs\\Python\\Python311\\Lib\\json\\decoder.py", "runtime"),
        ("C:\\hives\\.venv\\Lib\\site-packages\\combs\\core.py", "library"),
        ("C:\\Python311\\lib\\csv.py", "runtime"),
        ("d:\\hives\\gains.py", "yours"),
    ],
)
def test_whose_a_path_of_windows_is(path: str, owner: str) -> None:
    text = f'Traceback (most recent call last):\r\n  File "{path}", line 3, in load\r\n    read(x)\r\nValueError: no\r\n'
    assert read_and_diagnose(text)[-1].frames[0].owner == owner


def test_other_runtimes_on_windows(tmp_path: Path) -> None:
    (tmp_path / "gains.js").write_text("const hives = null;\nconsole.log(hives.length);\n")
    text = (
        "C:\\hives\\gains.js:2\r\nconsole.log(hives.length);\r\n                  ^\r\n\r\n"
        "TypeError: Cannot read properties of null (reading 'length')\r\n"
        "    at Object.<anonymous> (C:\\hives\\gains.js:2:19)\r\n    at Module._compile (node:internal/modules/cjs/loader:1356:14)\r\n"
        "\r\nNode.js v18.19.0\r\nPS C:\\hives> "
    )
    jam = read_and_diagnose(text, root=tmp_path)[-1]
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line) == ("gains.js", 2)
    assert jam.message == "Cannot read properties of null (reading 'length')"
