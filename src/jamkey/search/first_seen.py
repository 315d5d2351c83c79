"""Where a bad value first appeared while the program was watched: the expression, and which of its times it was."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec

from jamkey.follow.likely import says_how
from jamkey.follow.scene import Scene
from jamkey.languages.base import Part
from jamkey.model import Root
from jamkey.text import shorten
from jamkey.turns.base import said_by
from jamkey.turns.seen import Seen, Survey

#: How sure such a place is of being the root, whatever else is known of it.
_SURE = 0.4
#: What stands for a value that is not there.
_MISSING = "NoneType"
#: Sorts of expressions that give a value, where names and operators hand it on.
_GIVING = ("call", "index", "member", "choice")


def first_seen(scene: Scene, survey: Survey) -> Root | None:
    """Return the place where the value that met the failure was first held; None where what was seen does not tell.

    It tells where nothing was there, and where an expression held another type than at its other times.

    Args:
        scene: the failure, diagnosed, with its sources.
        survey: what the expressions on the way held.
    """
    if scene.frame is None or not survey:
        return None
    here = (scene.frame.file, scene.frame.line or 0)
    bad = set(_bad_types(scene, survey))
    bad &= {_MISSING} if _MISSING in bad else bad
    found = [
        (held.order, file, part, seen, held)
        for file, part, seen in _parts(scene, survey)
        for held in seen.types
        if held.type in bad and (held.type == _MISSING or len(seen.types) > 1) and (file, part.span.line) != here
    ]
    if not found:
        return None
    _, file, part, seen, held = min(found, key=lambda item: item[0])
    word = "None" if held.type == _MISSING else f"a value of the type {held.type}"
    source = shorten(" ".join(part.source.split()), 60)
    return Root(
        file=file,
        line=part.span.line,
        column=part.span.column,
        reason=f"`{source}` gave {word} here, {_when(held.first, seen.count)}",
        confidence=0.5,
        known="watched",
    )


def with_watched(roots: Sequence[Root], watched: Root) -> tuple[Root, ...]:
    """Return roots with the place where a bad value was first held, which stands first but for those that are surer.

    Args:
        roots: those that are known.
        watched: from `first_seen`.
    """
    own = {(root.file, root.line): root for root in roots}
    at = (watched.file, watched.line)
    before = own.pop(at, None)
    sure = max(before.confidence, _SURE) if before is not None else _SURE
    seen = msgspec.structs.replace(watched, confidence=sure)
    if before is not None:
        # what the kind knows of the place says more than that something came from there
        reason = seen.reason if says_how(before.reason) else before.reason
        seen = msgspec.structs.replace(seen, reason=reason, steps=before.steps)
    return tuple(sorted((seen, *own.values()), key=lambda root: -root.confidence))


def _bad_types(scene: Scene, survey: Survey) -> Iterator[str]:
    """Yield the types of what stands on the failing line, as far as the message tells them."""
    file, line = scene.frame.file if scene.frame else "", scene.line
    said = said_by(scene)
    for other, part, seen in _parts(scene, survey, all_sorts=True):
        if (other, part.span.line) == (file, line):
            kind = seen.value.type
            if kind.rpartition(".")[2] in said or (kind == _MISSING and said & {"None", _MISSING}):
                yield kind


def _parts(scene: Scene, survey: Survey, *, all_sorts: bool = False) -> Iterator[tuple[str, Part, Seen]]:
    for place in survey.way:
        code = scene.sources.code(place.file, scene.jam.runtime)
        for statement in code.heads(place.line) if code is not None else ():
            for top in statement.parts:
                if statement.sort == "expr" and not all_sorts and top.sort == "call":
                    continue  # what a call gives that nobody takes
                for part in top.walk():
                    seen = survey.at(place.file, part)
                    if seen is not None and (all_sorts or part.sort in _GIVING):
                        yield place.file, part, seen


def _when(first: int, count: int) -> str:
    if count == 1:
        return "the only time that it ran"
    return f"for the first time when it ran the {_ordinal(first)} time of {count}"


def _ordinal(number: int) -> str:
    tail = "th" if number % 100 in (11, 12, 13) else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
    return f"{number}{tail}"
