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
#: Whose words they are, what the program that says them is called (empty: any), and how they are put.
_WORDED = (
    (
        "python",
        "",
        r"(\S[^:]{0,300}|\w:[^:]{0,300}): can't open file '(?P<path>.+?)': (?:\[Errno (?P<errno>\d+)\] )?(?P<reason>.+)",
    ),
    ("r", "", r"Fatal error: cannot open file '(?P<path>.+?)': (?P<reason>.+)"),
    ("c", r"clang|gcc|g\+\+|c\+\+", r"(\S{1,300}): error: (?P<reason>no such file or directory): '(?P<path>.+)'"),
    ("c", r"clang|gcc|g\+\+|c\+\+|cc1", r"(\S{1,300}): (?:fatal )?error: (?P<path>\S[^:]*): (?P<reason>[A-Z]\w+ \w+.*)"),
    ("java", "", r"error: (?P<reason>file not found): (?P<path>\S+\.java)"),
    ("java", "", r"Error: (?P<reason>Unable to access) jarfile (?P<path>\S+)"),
    ("shell", "", r"(?P<script>\S+\.\w+): line \d+: (?P<command>[^\s:]+): (?P<reason>command not found)"),
    ("shell", "", r"(?:\S+: )?(?:line )?(?:\d+: )?(?P<command>[^\s:]+): (?P<reason>command not found)"),
    ("shell", "", r"\w*sh: \d+: (?P<command>[^\s:]+): (?P<reason>not found)"),
    ("shell", "", r"\w+: (?P<reason>command not found|Unknown command):? (?P<command>\S+)"),
    ("shell", "", r"'(?P<command>[^']+)' (?P<reason>is not recognized as an internal or external command),?"),
    ("shell", "", r".{0,200}The term '(?P<command>[^']+)' (?P<reason>is not recognized as (?:the )?name of a cmdlet).*"),
    (
        "shell",
        "",
        r"\S*sh: (?:line )?(?:\d+: )?(?P<path>\S+): "
        r"(?P<reason>Permission denied|No such file or directory|Is a directory|cannot .*)",
    ),
    ("shell", "", r"\w*sh: (?P<reason>permission denied|no such file or directory): (?P<path>\S+)"),
    ("python", "python", r"(\S{1,300}): No module named ['\"]?(?P<module>[\w.]+)['\"]?.*"),
)


def not_started(text: str) -> list[Jam]:
    """Return the last line that says so, as a jam with kind and facts; none where no line does.

    Args:
        text: what was printed.
    """
    patterns = [(runtime, program, re.compile(words)) for runtime, program, words in _WORDED]
    rows = plain(text).split("\n")
    for number in range(len(rows), 0, -1):
        row = rows[number - 1].strip()
        for runtime, program, pattern in patterns if len(row) <= _LONGEST else ():
            match = pattern.fullmatch(row)
            if match is None or (program and re.search(program, match[1]) is None):
                continue
            facts = {name: value.replace("\\\\", "\\") for name, value in match.groupdict().items() if value}
            kind = "no-such-module" if "module" in facts else "file-access"
            facts["by"] = "start"
            jam = Jam(runtime=runtime, phase="compile", message=row, kind=kind, facts=facts)
            return [msgspec.structs.replace(jam, first_line=number, last_line=number)]
    return []
