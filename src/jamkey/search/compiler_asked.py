"""Asks the compiler what it would write instead: gcc tells edits to who sets a variable of its environment.

The format is gcc's own public one (`GCC_EXTRA_DIAGNOSTIC_OUTPUT`, "fixits-v2": columns count characters).
"""

from __future__ import annotations

import re
from pathlib import Path

from jamkey.errors import NoSandbox
from jamkey.follow.sources import Sources
from jamkey.languages.traits import traits_of
from jamkey.model import Edit, Jam, Key
from jamkey.observe.target import Target
from jamkey.search.titles import title_of
from jamkey.text import decode, plain
from jamkey.trials.scratch import scratch

#: What makes the compiler tell edits, and a line that does.
_ASKED = {"GCC_EXTRA_DIAGNOSTIC_OUTPUT": "fixits-v2"}
_TOLD = re.compile(
    r'^fix-it:"(?P<file>(?:[^"\\]|\\.){1,400})":\{(?P<line>\d{1,7}):(?P<column>\d{1,7})-(?P<end>\d{1,7}):(?P<stop>\d{1,7})\}'
    r':"(?P<text>(?:[^"\\]|\\.){0,400})"$',
    re.M,
)
_ESCAPED = re.compile(r"\\(n|t|[0-7]{3}|.)")
_MOST = 20
#: What the id of such a key begins with.
PREFIX = "compiler-"


def keys_of_compiler(jam: Jam, target: Target, root: Path, *, limit: float, unguarded: bool = False) -> list[Key]:
    """Return the edits that the compiler proposes, as keys, in its order; none where it proposes none.

    Args:
        jam: the failure; only one of the compiler's is asked about.
        target: what was run.
        root: the project folder.
        limit: seconds for the compiler.
        unguarded: run it also where nothing can hold it.
    """
    if jam.phase != "compile" or not traits_of(jam.runtime).compiler_proposes:
        return []
    try:
        with scratch(root, unguarded=unguarded) as place:
            ended = place.run(target, limit=limit, env=_ASKED)
            printed = decode(ended.stdout + b"\n" + ended.stderr)
            here = place.project
    except (OSError, NoSandbox):
        return []
    sources = Sources(root)
    found: dict[Edit, Key] = {}
    for match in list(_TOLD.finditer(printed))[:_MOST]:
        edit = _edit(match, here, sources)
        if edit is not None and edit not in found:
            found[edit] = Key(
                id=f"{PREFIX}{len(found)}",
                title=_title(edit, sources),
                reason="That is what the compiler itself proposes.",
                confidence=0.5,
                edits=(edit,),
            )
    return list(found.values())


def _edit(match: re.Match[str], here: Path, sources: Sources) -> Edit | None:
    """Return one proposal as an edit of a file of the project; None for one of another file or place."""
    path = _unescaped(match["file"])
    if Path(path).is_absolute():
        if not Path(path).is_relative_to(here):
            return None
        path = Path(path).relative_to(here).as_posix()
    path = Path(path).as_posix()
    text = sources.text(path)
    line, column, end, stop = (int(match[name]) for name in ("line", "column", "end", "stop"))
    rows = text.split("\n") if text is not None else []
    if not (1 <= line <= end <= len(rows) and 1 <= column <= len(rows[line - 1]) + 1 and 1 <= stop <= len(rows[end - 1]) + 1):
        return None
    if (line, column) > (end, stop):
        return None
    return Edit(file=path, line=line, column=column, end_line=end, end_column=stop, new_text=_unescaped(match["text"]))


def _title(edit: Edit, sources: Sources) -> str:
    rows = (sources.text(edit.file) or "").split("\n")
    before = rows[edit.line - 1][edit.column - 1 : edit.end_column - 1] if edit.line == edit.end_line else ""
    return title_of(before, plain(edit.new_text), edit.file, edit.line)


def _unescaped(text: str) -> str:
    """Undo the escapes of a C string, bytes of UTF-8 as octal numbers among them."""
    signs = {"n": "\n", "t": "\t"}
    data = _ESCAPED.sub(lambda match: chr(int(match[1], 8)) if match[1].isdigit() else signs.get(match[1], match[1]), text)
    try:
        return data.encode("latin-1").decode("utf-8")
    except (UnicodeEncodeError, UnicodeDecodeError):
        return data
