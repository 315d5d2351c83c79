"""Turns at places: every small edit worth a trial, likeliest first, each judged by what needs no run."""

from __future__ import annotations

import functools
import json
import math
from collections.abc import Iterable, Iterator
from importlib.resources import files

import msgspec

from jamkey.budget import Budget
from jamkey.follow.places import FAR, Place, places
from jamkey.follow.scene import Scene
from jamkey.languages.base import Part, Span
from jamkey.model import Edit, Jam
from jamkey.text import splice
from jamkey.turns import SHELF as TURNS
from jamkey.turns.base import Ground, Made

#: Candidates kept at most.
MOST = 4000
#: Rank of a place that is no root, or one far behind.
LAST = 4


class Candidate(msgspec.Struct, frozen=True):
    """One edit worth a trial."""

    made: Made
    place: Place
    edits: tuple[Edit, ...]
    #: File -> its text with the edit.
    texts: dict[str, str]
    #: Log of how likely it is the fix, before any trial.
    score: float
    #: Whether the part lies in the failing expression, on the way of a followed name, or merely in the statement.
    near: str = ""
    #: What stands there now, and what would: the smallest part that tells.
    before: str = ""
    #: Place of its line among the roots, from 0; LAST for one that is none, or far behind.
    rank: int = LAST


def candidates(scene: Scene, *, seconds: float = 3.0, most: int = MOST) -> list[Candidate]:
    """Return the candidates for a jam, likeliest first.

    Args:
        scene: the jam, diagnosed, with its sources.
        seconds: for gathering them.
        most: so many are kept.
    """
    budget = Budget(seconds)
    kind = kind_of(scene.jam)
    marked = _marked(scene)
    ranks = {(root.file, root.line): rank for rank, root in reversed(list(enumerate(scene.jam.roots)))}
    proposed: list[tuple[float, int, Made, Place, str, int]] = []
    for place in places(scene, scene.jam.roots):
        if budget.spent():
            break
        rank = min(ranks.get((place.file, place.line), LAST), LAST)
        for made, near in _at(scene, place, marked):
            # the running number keeps the order of what is equally likely
            proposed.append((-likelihood(made.turn, kind, place, near, rank), len(proposed), made, place, near, rank))
    proposed.sort(key=lambda item: item[:2])
    found: dict[tuple[tuple[str, str], ...], Candidate] = {}
    for score, _, made, place, near, rank in proposed:
        edits = (_edit(place.file, made.span, made.text), *(_edit(file, span, text) for file, span, text in made.more))
        texts = _texts(scene, edits)
        key = tuple(sorted(texts.items())) if texts is not None else ()
        if texts is not None and key not in found:  # the texts are made only for so many: most are never tried
            before = _source(scene.sources.text(place.file) or "", made.span)
            found[key] = Candidate(made, place, edits, texts, -score, near, before, rank)
            if len(found) >= most:
                break
    return list(found.values())


def kind_of(jam: Jam) -> str:
    """Return what the rates of turns go by: the kind, but where nothing was raised, which no kind explains for sure."""
    return "quiet" if jam.phase == "quiet" else jam.kind or ""


def _at(scene: Scene, place: Place, marked: Span | None) -> Iterator[tuple[Made, str]]:
    """Yield what every turn proposes at one place, with how near to the way its part is."""
    code = scene.sources.code(place.file, scene.jam.runtime)
    if code is None:
        return
    for statement in code.heads(place.line):
        yield from _of_statement(Ground(scene, place, code, statement), marked)


def _of_statement(ground: Ground, marked: Span | None) -> Iterator[tuple[Made, str]]:
    statement, place = ground.statement, ground.place
    seen: set[tuple[Span, str]] = set()
    parts: list[Part] = []
    for top in (*statement.parts, *statement.targets):
        for part in top.walk():
            if (part.span, part.sort) not in seen:
                seen.add((part.span, part.sort))
                parts.append(part)
    for turn in TURNS:
        for part in parts[:200]:
            near = _near(part, place, marked)
            for made in turn.at_part(part, ground):
                yield made, near
        for made in turn.at_statement(statement, ground):
            yield made, "statement"


def _marked(scene: Scene) -> Span | None:
    frame = scene.frame
    if frame is None or frame.line is None or frame.column is None or frame.end_column is None:
        return None
    return Span(frame.line, frame.column, frame.end_line or frame.line, frame.end_column)


def _near(part: Part, place: Place, marked: Span | None) -> str:
    if place.distance == 0:
        if marked is None:
            return "snag"
        return (
            "marked"
            if marked == part.span
            else "in mark"
            if marked.holds(part.span)
            else "holds mark"
            if part.span.holds(marked)
            else "beside"
        )
    if place.names:
        return "way" if any(inner.sort == "name" and inner.name in place.names for inner in part.walk()) else "value"
    return "line"


def _edit(file: str, span: Span, text: str) -> Edit:
    return Edit(
        file=file, line=span.line, column=span.column, end_line=span.end_line, end_column=span.end_column, new_text=text
    )


def _texts(scene: Scene, edits: Iterable[Edit]) -> dict[str, str] | None:
    """Return the changed texts; None when nothing changes or the edits cannot be made."""
    changed: dict[str, str] = {}
    grouped: dict[str, list[Edit]] = {}
    for edit in edits:
        grouped.setdefault(edit.file, []).append(edit)
    for file, own in grouped.items():
        text = scene.sources.text(file)
        if text is None:
            return None
        try:
            made = splice(text, own)
        except (ValueError, IndexError):
            return None
        if made == text:
            return None
        changed[file] = made
    return changed


def _source(text: str, span: Span) -> str:
    rows = text.split("\n")[span.line - 1 : span.end_line]
    if not rows:
        return ""
    rows[-1] = rows[-1][: span.end_column - 1]
    rows[0] = rows[0][span.column - 1 :]
    return "\n".join(rows)


@functools.cache
def _rates() -> dict[str, float]:
    table = json.loads(files("jamkey.search").joinpath("priors.json").read_text(encoding="utf-8"))
    rates: dict[str, float] = table["rates"]
    return rates


def likelihood(turn: str, kind: str, place: Place, near: str, rank: int = LAST) -> float:
    """Return the log of how likely a turn at a place is the fix, by the rates that `benchmarks/learn.py` counted.

    Where a turn was never seen its family speaks, and where that was not, the rate of all.
    """
    rates = _rates()
    family = turn.partition(":")[0]
    own = rates.get(f"turn {turn}") or rates.get(f"family {family}") or rates.get("all", 1.0)
    factors = (
        f"family of kind {family}|{kind}",
        f"turn of kind {turn}|{kind}",
        f"rank {rank} distance {min(place.distance, FAR)}",
    )
    value = math.log(own) + sum(math.log(rates.get(name, 1.0)) for name in factors)
    return value if near == "statement" else value + math.log(rates.get(f"near {near}", 1.0))
