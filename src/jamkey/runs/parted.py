"""Where two runs of one program part: a line that gives another value in each, although all that it reads was the same."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Sequence
from pathlib import Path

from jamkey.errors import JamkeyError
from jamkey.follow.sources import Sources
from jamkey.model import Change, Finding
from jamkey.observe.target import Target
from jamkey.observe.typed import Typed
from jamkey.runs.first_difference import first_difference
from jamkey.runs.second_run import watched_run
from jamkey.runs.wrong_result import shown_at
from jamkey.secrets import masked, names_a_secret
from jamkey.text import shorten

#: Lines told at most.
_MOST = 2
#: Where an object lies in memory says nothing of its value.
_ADDRESS = re.compile(r"0x[0-9a-fA-F]+")


def parted(
    target: Target,
    root: Path,
    outputs: tuple[bytes, bytes],
    *,
    stdin: bytes | Typed = b"",
    limit: float = 0.0,
    unguarded: bool = False,
) -> list[Finding]:
    """Return the lines where chance, the clock or an open order comes in; a Python script is run twice on copies for that.

    None is told where both of these runs print the same.

    Args:
        target: what ended well.
        root: the project folder.
        outputs: of two runs of it, which differ.
        stdin: what it may read.
        limit: seconds for each run, 0 for none.
        unguarded: run it also where nothing holds it.
    """
    if _plain(outputs[0]) == _plain(outputs[1]):
        return []
    sources = Sources(root)
    if not target.is_recordable:
        return _where_printed(*outputs, target, sources)
    runs: list[tuple[bytes, list[Change]]] = []
    with contextlib.suppress(OSError, JamkeyError):
        for _ in range(2):
            ended, changes, _ = watched_run(target, root, ["*"], stdin=stdin, limit=limit, unguarded=unguarded, latest=False)
            runs.append((ended.stdout, changes))
    if len(runs) < 2 or _plain(runs[0][0]) == _plain(runs[1][0]):
        return []
    return _sources_of(runs[0][1], runs[1][1], sources) or _where_printed(runs[0][0], runs[1][0], target, sources)


def _where_printed(ours: bytes, theirs: bytes, target: Target, sources: Sources) -> list[Finding]:
    """Return the line that prints the first thing that differs, where no name held it before."""
    one, other = _plain(ours), _plain(theirs)
    differs = first_difference(one, other)
    frame = shown_at(one, differs, target, sources, target.runtime) if differs is not None else None
    if differs is None or frame is None or frame.line is None:
        return []
    values = [f"`{masked(shorten(row, 40))}`" if row is not None else "nothing" for row in (differs.printed, differs.wanted)]
    return [_finding(frame.file, frame.line, f"it printed {values[0]} the one time and {values[1]} the other")]


def _plain(out: bytes) -> str:
    """Return what was printed, without places in memory."""
    return _ADDRESS.sub("0x", out.decode("utf-8", "replace"))


def _finding(file: str, line: int, told: str) -> Finding:
    reason = f"this line gave something else in another run: {told}"
    return Finding(file=file, line=line, rule="other-each-run", kind="unrepeatable", reason=reason)


def _sources_of(ours: Sequence[Change], theirs: Sequence[Change], sources: Sources) -> list[Finding]:
    """Return the lines whose values differ while none of the names that they read did, as far as both runs go the same way."""
    differing: set[str] = set()
    found: dict[tuple[str, int], Finding] = {}
    for one, other in zip(ours, theirs, strict=False):
        if (one.file, one.line, one.name) != (other.file, other.line, other.name) or len(found) >= _MOST:
            break
        if _ADDRESS.sub("", one.new) == _ADDRESS.sub("", other.new):
            continue
        read = _read_at(one, sources)
        if read is not None and not read & differing:
            hidden = names_a_secret(one.name)
            values = (
                "(hidden)" if hidden else masked(f"{shorten(one.new, 40)} the one time and {shorten(other.new, 40)} the other")
            )
            found.setdefault((one.file, one.line), _finding(one.file, one.line, f"`{one.name}` was {values}"))
        differing |= {one.name, one.function.rpartition(".")[2]}
    return list(found.values())


def _read_at(change: Change, sources: Sources) -> set[str] | None:
    """Return the names that the statement behind a change reads, functions among them; None for what a call hands over."""
    code = sources.code(change.file)
    statement = code.statement(change.line) if code is not None else None
    if code is None or statement is None or any(function.span.line == change.line for function in code.functions()):
        return None
    parts = [part for each in (statement, *code.heads(change.line)) for part in each.parts]
    return {inner.name for part in parts for inner in part.walk() if inner.sort in ("name", "member")}
