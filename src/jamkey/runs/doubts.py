"""What was odd in a run that ended well: the script run once more, on a copy, with its own code watched."""

from __future__ import annotations

import contextlib
import re
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec

from jamkey.errors import JamkeyError
from jamkey.follow.cell_module import Module
from jamkey.follow.sources import Sources
from jamkey.ipynb import Cell
from jamkey.model import Finding, TableStep
from jamkey.observe.target import Target
from jamkey.observe.typed import Typed
from jamkey.runs.second_run import under_agent
from jamkey.runs.watched_elsewhere import is_woven, watched_elsewhere
from jamkey.secrets import masked, names_a_secret
from jamkey.trials.scratch import Scratch, scratch

#: Seconds that the second run is watched; then it goes on unwatched.
WATCHED = 20.0
_TIMED = re.compile(r"(?m)^%%?time(?:it)?(?:[ \t]+|$)")
#: Plots of a notebook's cells open no window.
_NO_WINDOW = {"MPLBACKEND": "Agg"}
#: What is a doubt only where it was always so -> what is told of the same place at other times.
_ONLY_ALWAYS = {"never-equal": "equal", "left-first": "equal", "nothing-left": "went", "holds-always": "failed"}
#: Below this share a doubt is not worth a look.
LEAST = 0.4
#: Doubts at most.
MOST = 6


class _Odd(msgspec.Struct):
    """One observation of the agent."""

    file: str
    line: int
    code: str
    count: int
    seen: int
    example: str
    numbers: tuple[int, ...] = ()


class _Sort(msgspec.Struct, frozen=True):
    """What an observation means.

    Attributes:
        sure: how often it is what is wrong, roughly.
        kind: of failure.
        reason: in words; `{}` is the example.
    """

    sure: float
    kind: str
    reason: str


SORTS = {
    "joined": _Sort(0.8, "joined-not-added", "numbers are joined as texts here: {}"),
    "text-compared": _Sort(0.45, "wrong-type", "numbers are compared as texts here: {}"),
    "text-counted": _Sort(0.85, "wrong-type", "the signs of a text are counted as numbers here: {}"),
    "text-order": _Sort(0.85, "wrong-type", "numbers are put in order as texts here: {}"),
    "never-equal": _Sort(0.7, "wrong-type", "what is compared here is never equal: {}"),
    "fraction-lost": _Sort(0.5, "truncated-division", "a fraction is cut off here: {}"),
    "wrapped-round": _Sort(0.9, "bad-arithmetic", "the result does not fit: {}"),
    "one-object": _Sort(0.9, "shared-default", "{}, which was changed later"),
    "default-changed": _Sort(0.9, "shared-default", "{}"),
    "class-member": _Sort(0.8, "shared-default", "{}"),
    "set-on-copy": _Sort(0.9, "unused-result", "{}: the change is lost"),
    "dropped": _Sort(0.85, "unused-result", "the result of this call is not used: {}"),
    "not-called": _Sort(0.8, "unused-result", "this is named and not called: {}"),
    "gaps-made": _Sort(0.65, "spreading-missing-value", "values go missing here: {}"),
    "gaps-read": _Sort(0.45, "spreading-missing-value", "what is read here has gaps: {}"),
    "gaps-skipped": _Sort(0.42, "spreading-missing-value", "gaps are passed over here: {}"),
    "gaps-spread": _Sort(0.55, "spreading-missing-value", "{}"),
    "rows-more": _Sort(0.6, "wrong-count", "rows are repeated here: {}"),
    "rows-fewer": _Sort(0.5, "wrong-count", "rows are lost here: {}"),
    "first-left-out": _Sort(0.42, "lost-last-item", "{}"),
    "last-left-out": _Sort(0.6, "lost-last-item", "{}"),
    "left-first": _Sort(0.8, "early-return", "the loop ends in its first round: {}"),
    "changed-meanwhile": _Sort(0.85, "lost-last-item", "{}: the next one is passed over"),
    "nothing-left": _Sort(0.85, "spreading-missing-value", "there is nothing to go over here: {}"),
    "error-hidden": _Sort(0.6, "unreadable-value", "an error was passed over here: {}"),
    "nearly-there": _Sort(0.9, "spreading-missing-value", "{}"),
    "not-there": _Sort(0.45, "spreading-missing-value", "what is not there is read here: {}"),
    "past-end": _Sort(0.8, "spreading-missing-value", "what is behind the end is read here: {}"),
    "nothing-used": _Sort(0.7, "spreading-missing-value", "a value that is not there is used here: {}"),
    "nearly-equal": _Sort(0.8, "bad-arithmetic", "two numbers that are nearly the same are not equal here: {}"),
    "recycled": _Sort(0.85, "shape-mismatch", "the shorter of two begins anew here: {}"),
    "spread-out": _Sort(0.85, "shape-mismatch", "two forms make another one here: {}"),
    "whole-column": _Sort(0.9, "shape-mismatch", "a column is gone over as one: {}"),
    "columns-not-rows": _Sort(0.6, "shape-mismatch", "a table is gone over by columns: {}"),
    "class-lost": _Sort(0.8, "wrong-type", "a loop takes the values without what they are: {}"),
    "codes-read": _Sort(0.95, "wrong-type", "the numbers of a factor's levels are read, not its values: {}"),
    "counts-down": _Sort(0.85, "lost-last-item", "this counts down where there is nothing: {}"),
    "cut-short": _Sort(0.85, "lost-last-item", "the loop ends at a gap: {}"),
    "not-counted": _Sort(0.7, "wrong-count", "{}"),
    "not-all": _Sort(0.6, "wrong-type", "{}"),
    "holds-always": _Sort(0.7, "wrong-type", "{}"),
    "gives-nothing": _Sort(0.6, "spreading-missing-value", "what {} gives back is used, and it gave nothing each time"),
    "taken-over": _Sort(0.6, "hidden-name", "{}"),
    "binds-tighter": _Sort(0.85, "wrong-order", "{}"),
    "nearly-special": _Sort(0.85, "stale-wiring", "{}"),
}


def watchable(target: Target) -> bool:
    """Tell a Python script, of which a second run can be watched from within."""
    script = target.script
    return script is not None and target.is_recordable and script in target.argv and script.endswith((".py", ".pyw"))


class Watched(NamedTuple):
    """What a second run of a script showed: what was odd, surest first, and what became of its tables."""

    findings: list[Finding]
    tables: list[TableStep]
    #: What that run printed; None where it is not known.
    printed: bytes | None = None


def watched(
    target: Target,
    root: Path,
    *,
    stdin: bytes | Typed = b"",
    limit: float = 0.0,
    unguarded: bool = False,
    printed: bytes | None = None,
) -> Watched:
    """Return what was odd in a second run and what it did with its tables; nothing for what cannot be watched.

    Args:
        target: what ended well: a Python script.
        root: the project folder.
        stdin: what it may read.
        limit: seconds for the second run, 0 for none.
        unguarded: run it also where nothing holds it.
        printed: what it printed, where that is known; else it is run once more to see.
    """
    if not watchable(target) and not is_woven(target):
        return Watched([], [])
    sources = Sources(root)
    found: list[_Odd] = []
    again: bytes | None = None
    with contextlib.suppress(OSError, JamkeyError, msgspec.MsgspecError), scratch(root, unguarded=unguarded) as place:
        if is_woven(target):
            told, again = watched_elsewhere(place, target, sources, stdin=stdin, limit=limit, seconds=WATCHED, printed=printed)
            found = [_Odd(item.file, item.line, item.code, item.times, item.times, item.example) for item in told]
        else:
            found, again = _watched(place, target, sources, stdin=stdin, limit=limit)
    return Watched(_told(found, sources), _tables(found), again)


def _tables(found: list[_Odd]) -> list[TableStep]:
    """Return what became of the tables, by place."""
    made: list[TableStep] = []
    for item in found:
        if item.code == "table" and item.file and len(item.numbers) == 4:
            before, after, gaps, left = item.numbers
            made.append(
                TableStep(
                    file=item.file,
                    line=item.line,
                    name=item.example,
                    rows_before=before if before >= 0 else None,
                    rows_after=after,
                    gaps_before=gaps if gaps >= 0 else None,
                    gaps_after=left,
                    times=item.count,
                )
            )
    return sorted(made, key=lambda step: (step.file, step.line))


def doubts_in_cells(
    cells: Sequence[Cell], name: str, root: Path, *, limit: float = 0.0, unguarded: bool = False
) -> list[Finding]:
    """Return what was odd in a second run of a session's cells, one after the other, surest first; each names its cell.

    Args:
        cells: the session's, with the numbers of their runs; magics in them are left out.
        name: of the notebook.
        root: its folder; the run has a copy of it.
        limit: seconds for the run, 0 for none.
        unguarded: run it also where nothing holds it.

    Raises:
        NoSandbox: nothing can hold the run, and nobody said that it may happen all the same.
        OSError: it cannot be started.
    """
    # what is only timed is run all the same
    plain = [msgspec.structs.replace(cell, source=_TIMED.sub("", cell.source)) for cell in cells]
    module = Module(name, plain)
    script = f"{Path(name).stem}-cells.py"
    sources = Sources(root, {script: module.text})
    with scratch(root, unguarded=unguarded) as place:
        (place.below / script).write_text(module.text, encoding="utf-8")
        place.texts[script] = module.text
        target = Target([sys.executable, script], sys.executable, script, "python")
        found, _ = _watched(place, target, sources, limit=limit, cells=True)
    made: list[Finding] = []
    for item in _told(found, sources):
        cell, line = module.cell_line(item.line) if item.file == script else (None, item.line)
        made.append(msgspec.structs.replace(item, file=name if cell is not None else item.file, cell=cell, line=line))
    return made


def _watched(
    place: Scratch, target: Target, sources: Sources, *, stdin: bytes | Typed = b"", limit: float = 0.0, cells: bool = False
) -> tuple[list[_Odd], bytes]:
    """Run a target in its place, watched; return what was odd, files named as the sources name them, and what it printed."""
    asked = {"seconds": WATCHED, "cells": cells}
    env = _NO_WINDOW if cells else None
    told, ended = under_agent(
        place, ("watcher.py", "woven.py", "described.py"), asked, target, sources, stdin=stdin, limit=limit, env=env
    )
    there = place.sources()
    found = msgspec.json.decode(told, type=list[_Odd])
    return [msgspec.structs.replace(item, file=there.resolve(item.file) or "") for item in found], ended.stdout


def _told(found: list[_Odd], sources: Sources) -> list[Finding]:
    """Return the likeliest in words, a place once."""
    rated = sorted(((_sure(item, found), item) for item in found if item.code in SORTS), key=lambda pair: -pair[0])
    made: dict[tuple[str, int], Finding] = {}
    for sure, item in rated:
        name = item.file
        if sure < LEAST or not name or len(made) >= MOST:
            continue
        sort = SORTS[item.code]
        rows = (sources.text(name) or "").split("\n")
        hidden = names_a_secret(rows[item.line - 1]) if item.line <= len(rows) else True
        reason = sort.reason.format("(hidden: looks secret)" if hidden else masked(item.example))
        made.setdefault((name, item.line), Finding(file=name, line=item.line, rule=item.code, kind=sort.kind, reason=reason))
    return list(made.values())


def _sure(item: _Odd, all_of: list[_Odd]) -> float:
    """Return how likely an observation is what is wrong: less when the place did well at other times."""
    speaks_against = (item.file, item.line, _ONLY_ALWAYS.get(item.code))
    well = any((other.file, other.line, other.code) == speaks_against for other in all_of)
    return SORTS[item.code].sure * (0.4 if well else 1.0)
