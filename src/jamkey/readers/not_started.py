"""What a shell says, or an interpreter or compiler that was asked for a file, where the program never began.

Asked only where no runtime's own words were found: a program may print such a line of another one, and go on.
"""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Jam
from jamkey.text import plain

#: Characters of a line that is looked at.
_LONGEST = 1000
_PYTHON = re.compile(r"\S.{0,300}?: can't open file '(.+?)': (?:\[Errno (\d+)\] )?(.+)$")
_NO_MODULE = re.compile(r"\S*python[\w.]*(?:\.exe)?: (No module named ['\"]?([\w.]+)['\"]?.*)$")
_R = re.compile(r"Fatal error: (cannot open file '(.+?)': (.+))$")
_COMPILER = re.compile(
    r"(?:\S*cc1\w*|\S*gcc\S*|\S*g\+\+\S*|\S*clang\S*|\S*c\+\+): (?:fatal )?error: (\S.*?): ([A-Z]\w+ \w+.*)$"
)
_CLANG = re.compile(r"\S*clang\S*: error: (no such file or directory): '(.+)'$")
_JAVAC = re.compile(r"error: (file not found): (\S+\.java)$")
_JAR = re.compile(r"Error: (Unable to access) jarfile (\S+)$")
_CLASS = re.compile(r"Error: (Could not find or load main class) (\S+)$")
#: Shell and how it says that it knows no command of a name.
_COMMANDS = (
    re.compile(r"(?:\S+: )?(?:line \d+: |\d+: )?([^\s:]{1,200}): (command not found)$"),
    re.compile(r"\w*sh: \d+: ([^\s:]{1,200}): (not found)$"),
    re.compile(r"\w+: (command not found): (\S{1,200})$"),
    re.compile(r"fish: (Unknown command):? (\S{1,200})$"),
    re.compile(r"'([^']{1,200})' (is not recognized as an internal or external command),?$"),
    re.compile(r".{0,200}The term '([^']{1,200})' (is not recognized as (?:the )?name of a cmdlet).*$"),
)
_OWN_LINE = re.compile(r"(\S+\.\w+): line \d+: ")
#: A file that a shell was told to run.
_FILES = (
    re.compile(
        r"\S*sh: (?:line \d+: |\d+: )?(\S{1,300}): "
        r"(Permission denied|No such file or directory|Is a directory|cannot execute.*)$"
    ),
    re.compile(r"\w*sh: (permission denied|no such file or directory): (\S{1,300})$"),
)


def not_started(text: str) -> list[Jam]:
    """Return the last line that says so, as a jam with kind and facts; none where no line does.

    Args:
        text: what was printed.
    """
    rows = plain(text).split("\n")
    for number in range(len(rows), 0, -1):
        jam = _of_line(rows[number - 1].strip()) if len(rows[number - 1]) <= _LONGEST else None
        if jam is not None:
            return [msgspec.structs.replace(jam, first_line=number, last_line=number)]
    return []


def _of_line(line: str) -> Jam | None:
    if (match := _PYTHON.match(line)) is not None:
        facts = {"path": match[1].replace("\\\\", "\\"), "reason": match[3]}
        return _jam("python", line, "file-access", facts | ({"errno": match[2]} if match[2] else {}))
    if (match := _NO_MODULE.match(line)) is not None:
        return _jam("python", match[1], "no-such-module", {"module": match[2]})
    if (match := _R.match(line)) is not None:
        return _jam("r", match[1], "file-access", {"path": match[2], "reason": match[3]})
    if (match := _CLANG.match(line)) is not None:
        return _jam("c", line, "file-access", {"path": match[2], "reason": match[1]})
    if (match := _COMPILER.match(line)) is not None:
        return _jam("c", line, "file-access", {"path": match[1], "reason": match[2]})
    if (match := _JAVAC.match(line) or _JAR.match(line) or _CLASS.match(line)) is not None:
        return _jam("java", line, "file-access", {"path": match[2], "reason": match[1]})
    for pattern in _COMMANDS:
        if (match := pattern.match(line)) is not None:
            name, words = (
                (match[2], match[1]) if match[1].lower() in ("command not found", "unknown command") else (match[1], match[2])
            )
            facts = {"command": name, "reason": words}
            by = _OWN_LINE.match(line)  # a script that the shell itself reads
            return _jam("shell", line, "file-access", facts | ({"script": by[1]} if by is not None else {}))
    for pattern in _FILES:
        if (match := pattern.match(line)) is not None:
            path, reason = (
                (match[1], match[2]) if match[2][:1].isupper() or match[2].startswith("cannot") else (match[2], match[1])
            )
            return _jam("shell", line, "file-access", {"path": path, "reason": reason})
    return None


def _jam(runtime: str, message: str, kind: str, facts: dict[str, str]) -> Jam:
    return Jam(runtime=runtime, phase="compile", message=message, kind=kind, facts={**facts, "by": "start"})
