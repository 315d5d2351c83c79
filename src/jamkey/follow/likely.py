"""Which of the places on the way is likeliest the one to change: features of each, weighed by a table that was learned.

`benchmarks/learn_roots.py` fits the weights on one half of the cases, told apart by their names, and judges on the other.
"""

from __future__ import annotations

import functools
import math
import re
from collections.abc import Iterator, Sequence

import msgspec

from jamkey.follow.evidence import Told, evidence
from jamkey.follow.met import Met
from jamkey.follow.places import Place, places
from jamkey.follow.run_yet import not_yet
from jamkey.follow.scene import Scene
from jamkey.languages import is_source
from jamkey.languages.base import Code, Part, Statement
from jamkey.late import pattern
from jamkey.model import Root, Step
from jamkey.packaged import packaged
from jamkey.text import shorten

#: Roots shown at most, and the share below which a place is none.
MOST, LEAST = 6, 0.02
_WORD = pattern(r"-?\w+")
#: Signs of a message that are looked at.
_MESSAGE = 2000
#: Signs of a value that a source may write as it is.
_SHORT = 24
#: Odd entries looked at in one statement.
_ENTRIES = 3
#: Kind -> the ways in which a record or an entry that makes it may differ from its siblings.
_FITS = {
    "index-out-of-range": "form length text empty blank built",
    "wrong-count": "form length text empty blank built sort",
    "shape-mismatch": "form length empty blank",
    "missing-value": "nothing gap empty blank keys form",
    "unreadable-value": "alone gap text blank form sort empty nothing built",
    "wrong-type": "sort nothing alone gap text built",
    "not-callable": "sort nothing",
    "no-such-member": "sort nothing",
    "no-such-key": "keys text alone blank empty",
    "bad-arithmetic": "empty nothing sort gap blank alone length",
    "wrong-arguments": "keys length",
    "wrong-order": "text alone sort form",
    "raised-on-purpose": "alone gap text sort empty nothing form",
}
#: Step on the way -> what is said of it.
_WHAT = {
    "set": "assigned",
    "taken": "taken",
    "opened": "opened",
    "handed": "passed",
    "given": "returned",
    "member": "assigned",
    "namesake": "assigned",
    "nearly": "assigned",
    "changed": "put in",
    "lent": "put in",
    "loop": "taken",
    "head": "passed",
    "import": "assigned",
    "offers": "assigned",
    "caught": "assigned",
    "end": "fell-off",
}
#: Said of a root where what was said of it is denied by the captured values.
LEADS = "the way of the value leads here"
_REASONS = {
    "set": "what is set here can reach the line that failed",
    "taken": "what is taken here, round by round, can reach the line that failed",
    "opened": "what is opened here can reach the line that failed",
    "handed": "what is handed over here can reach the line that failed",
    "given": "what is given back here can reach the line that failed",
    "member": "a member that is read on the way to the line that failed is set here",
    "namesake": "something of the name that is asked for in vain is set here",
    "nearly": "something of nearly the name that is asked for in vain is set here",
    "changed": "an object on the way to the line that failed is changed here",
    "lent": "this is given an object that reaches the line that failed, and may change it",
    "guard": "this decides whether the line that failed, or one on the way to it, runs",
    "loop": "the line that failed, or one on the way to it, runs in this loop",
    "head": "a function on the way to the line that failed begins here",
    "import": "a name on the way to the line that failed comes from here",
    "caught": "what is caught here can reach the line that failed",
    "end": "a function on the way to the line that failed ends here without giving anything back",
    "stack": "this called what failed",
    "cause": "the failure that led to this one stopped here",
    "class": "the class that the message names begins here",
    "field": "this belongs to the class that the message names",
    "method": "this is a method of the class that the message names",
    "offers": "what is imported whole here has the name that is asked for",
    "snag": "this is the line that failed",
    "anywhere": "nobody says which line failed; by what stands here it may be this one",
    "root": LEADS,
}


#: What a reason says of one program: names in backticks, numbers, quoted words.
_TOLD = pattern(r"`[^`]*`|\"[^\"]*\"|'[^']*'|\d+")


class Rated(msgspec.Struct, frozen=True):
    """One place with what speaks for it."""

    file: str
    line: int
    features: tuple[str, ...]
    place: Place | None = None
    root: Root | None = None


def rated(scene: Scene, roots: Sequence[Root]) -> list[Rated]:
    """Return every place that may be the root, with its features.

    Args:
        scene: the jam, located, with its sources.
        roots: what the kind takes for roots, surest first.
    """
    kind = scene.jam.kind or ""
    found: dict[tuple[str, int], Rated] = {}
    told = {str(fact).strip("'\"`") for fact in scene.facts.values()}
    met = _met(scene)
    tells = Told(scene)
    values = Met(scene)
    snag = scene.frame
    own = {(root.file, root.line): (rank, root) for rank, root in reversed(list(enumerate(roots)))}
    for place in places(scene, roots, others=False):
        code = scene.sources.code(place.file, scene.jam.runtime)
        statement = code.statement(place.line) if code is not None else None
        # the kind may point at a line inside a statement that runs over several; what stands in its block has places of its own
        lines = [place.line]
        if code is not None and statement is not None and statement.span.end_line > place.line:
            inside = [line for file, line in own if file == place.file and place.line < line <= statement.span.end_line]
            lines += [line for line in inside if code.statement(line) == statement]
        at = next(((place.file, line) for line in lines if (place.file, line) in own), (place.file, place.line))
        features = list(_of_place(place, kind))
        if code is not None and statement is not None:
            features += _of_statement(scene, place, code, statement, kind, told)
            features += _of_values(place, statement, code, met, kind)
            features += evidence(scene, place, code, statement, tells)
            features += values.at(place, code, statement)
        if snag is not None:
            features.append("same file" if place.file == snag.file else "other file")
        rank_root = own.pop(at, None)
        features += _of_root(scene, rank_root, len(roots), kind)
        found[at] = Rated(at[0], at[1], tuple(dict.fromkeys(features)), place, rank_root[1] if rank_root else None)
    odd = _odd(scene, [item.place for item in found.values() if item.place is not None], told)
    for (file, line), (rank, root) in own.items():
        features = ["off the way", f"off the way {'code' if is_source(file) else 'data'}"]
        found[file, line] = Rated(file, line, (*features, *_of_root(scene, (rank, root), len(roots), kind)), None, root)
    for other, holder, more in odd:
        known = found.get((other.file, other.line))
        if known is None:
            way = "off the way data" if holder is None else f"entry distance {min(holder.distance, 5)}"
            found[other.file, other.line] = Rated(other.file, other.line, (way, *more), holder, other)
        else:
            said = known.root
            if "warned" in more:  # what the compiler says is nearer to the mistake than what a way says
                said = other if said is None else msgspec.structs.replace(said, reason=other.reason)
            found[other.file, other.line] = msgspec.structs.replace(
                known, features=tuple(dict.fromkeys((*known.features, *more))), root=said
            )
    return list(found.values())


def _odd(scene: Scene, way: Sequence[Place], told: set[str]) -> list[tuple[Root, Place | None, list[str]]]:
    """Return what is unlike its siblings or warned of: records of the data, entries and lines of the source; with features."""
    kind = scene.jam.kind or ""
    found: list[tuple[Root, Place | None, list[str]]] = []
    for item in scene.warned:
        code = scene.sources.code(item.file, scene.jam.runtime)
        if code is not None and not_yet(scene, item.file, code, item.line):
            continue  # what comes behind the line that stopped
        root = Root(file=item.file, line=item.line, column=item.column, reason=f"the compiler warns here: {item.words}")
        found.append((root, None, ["warned", f"warned of {kind}"]))
    fitting = _FITS.get(kind, "").split()
    if not fitting:
        return found
    # loaded for the few kinds that data can be at fault for
    from jamkey.follow.odd_entries import odd_entries
    from jamkey.follow.odd_rows import odd_rows

    for row in odd_rows(scene):
        if row.sort not in (*fitting, "told"):
            continue
        root = Root(file=row.file, line=row.line, column=row.column, reason=row.reason)
        tells = _tells(scene, scene.row(row.file, row.line), row.line, told)
        found.append((root, None, ["odd row", f"odd row of {kind}", f"odd row {tells}"]))
    for place in way:
        code = scene.sources.code(place.file, scene.jam.runtime)
        statement = code.statement(place.line) if code is not None else None
        for top in statement.parts if statement is not None else ():
            for entry in [entry for entry in odd_entries(top) if entry.how in fitting][:_ENTRIES]:
                line, column = entry.part.span.line, entry.part.span.column
                reason = f"`{shorten(entry.part.source, 40)}` is unlike the other {entry.others} here"
                root = Root(file=place.file, line=line, column=column, reason=reason)
                features = ["odd entry", f"odd entry of {kind}", f"odd entry distance {min(place.distance, 5)}"]
                found.append((root, place, features))
    return found


def _tells(scene: Scene, row: str, line: int, told: set[str]) -> str:
    """Return what the message tells of a record: a word that stands in it, its number, or nothing."""
    if any(len(word) > 1 and word in row for word in told):
        return "told"
    return "numbered" if re.search(rf"\b(?:line|row)\D{{0,3}}{line}\b", scene.jam.message or "") else "not told"


def _of_root(scene: Scene, found: tuple[int, Root] | None, count: int, kind: str) -> Iterator[str]:
    if found is None:
        yield "kind says no" if count else "kind says nothing"
        return
    rank, root = found
    yield f"kind's {min(rank, 4)}"
    yield f"kind's {min(rank, 2)} of {kind}"
    yield f"kind sure {int(root.confidence * 5)}"
    if count == 1:
        yield "kind's only"
    if not is_source(root.file):
        from jamkey.follow.odd_record import agreement

        # no way in the code tells whether the record is at fault or its reading: the other records do
        yield f"record {agreement(scene.sources, root.file, root.line, root.column).sort}"
    why = _TOLD.sub("_", root.reason)[:60]
    yield f"why {why}"
    if rank == 0:
        yield f"first why {why}"
    yield f"steps {'-'.join(step.what for step in root.steps[-3:])}"


def _of_place(place: Place, kind: str) -> Iterator[str]:
    last = place.path[-1] if place.path else ""
    yield f"distance {min(place.distance, 5)}"
    yield f"how {last}"
    yield f"how {last} of {kind}"
    yield f"way {'-'.join(place.path[-2:])}"
    yield f"marked {place.marked}"
    yield f"marked {place.marked} {last}"
    if place.distance == 0:
        yield f"snag of {kind}"
    if place.frame is not None:
        yield "on the stack"
    leads = min(place.leads, 2)
    yield f"leads {leads}"
    yield f"leads {leads} {last}"
    yield f"leads {leads} of {kind}"
    yield f"leads {leads} marked {place.marked}"
    yield f"leads {leads} distance {min(place.distance, 3)}"


def _of_statement(scene: Scene, place: Place, code: Code, statement: Statement, kind: str, told: set[str]) -> Iterator[str]:
    sort = statement.sort
    leads = min(place.leads, 1)
    values = [part for part in statement.parts if not any(target.span.holds(part.span) for target in statement.targets)]
    if values and statement.targets:
        yield f"value {values[-1].sort} leads {leads}"
        yield f"value {values[-1].sort} of {kind}"
    yield f"sort {sort} leads {leads}"
    yield f"sort {sort}"
    yield f"sort {sort} of {kind}"
    parts: list[Part] = [part for top in statement.parts for part in top.walk()]
    if any(part.sort == "literal" for part in parts):
        yield "number"
        yield f"number of {kind}"
    if any(part.sort == "text" for part in parts):
        yield "text"
        yield f"text of {kind}"
    if any(part.sort in ("list", "dict", "tuple", "set") for part in parts):
        yield "display"
    calls = [part for part in parts if part.sort == "call"]
    if calls:
        yield "calls"
        if any(scene.functions_named(part.called) for part in calls if part.called):
            yield "own call"
        else:
            yield "library call"
    else:
        yield "no call"
    if any(part.sort in ("binary", "compare") for part in parts):
        yield "computes"
    if any(part.name in told or part.source.strip("'\"") in told for part in parts):
        yield "told"
        yield f"told {place.path[-1] if place.path else ''}"
        yield f"told of {kind}"
    if len(parts) == 1 and parts[0].sort == "name":
        yield "only hands on"
    if not code.scope_at(place.line):
        yield "at the margin"


def _met(scene: Scene) -> frozenset[str]:
    """Return the short values that are known to have met in the line that failed, as the source would write them."""
    language = scene.language
    found = {language.idioms.missing} if scene.jam.kind == "missing-value" and language is not None else set()
    found |= set(_WORD.findall((scene.jam.wording or "")[:_MESSAGE]))  # `null`, `-1`: compared with literals
    if "zero" in (scene.jam.wording or "").lower():
        found |= {"0", "0.0", "0."}
    frame = scene.frame
    if frame is not None and frame.values:
        used = {part.source for part in scene.parts_of(frame)}
        found |= {value.text for value in frame.values if value.name in used and len(value.text) <= _SHORT}
    return frozenset(found)


def _of_values(place: Place, statement: Statement, code: Code, met: frozenset[str], kind: str) -> Iterator[str]:
    """Yield whether a statement writes the very value that met the failure, and how it hands it on."""
    heads = [function for function in code.functions() if function.span.line == place.line]
    defaults = [param.default for function in heads for param in function.params if param.default is not None]
    every = [part for top in (*statement.parts, *defaults) for part in top.walk()]
    # another language, or another hand, writes a text in other quotes than a runtime shows it
    written = [part for part in every if part.source in met or (part.sort == "text" and f"'{part.name}'" in met)]
    if any(part.sort in ("literal", "text") for part in written):
        last = place.path[-1] if place.path else ""
        yield "writes what was met"
        yield f"writes what was met {last}"
        yield f"writes what was met of {kind}"


class _Learned(msgspec.Struct):
    """What is read of the file that `benchmarks/learn_roots.py` writes."""

    weights: dict[str, msgspec.Raw]


@functools.cache
def _weights(runtime: str) -> dict[str, float]:
    """Return the weights for the failures of a runtime: its own, or those of all."""
    tables = msgspec.json.decode(packaged("follow/likely.json"), type=_Learned).weights
    return msgspec.json.decode(tables.get(runtime, tables["all"]), type=dict[str, float])


def says_how(reason: str) -> bool:
    """Tell a reason that only says how a place was reached, and nothing of what is done there."""
    return not reason or reason in _REASONS.values() or reason == LEADS


def weigh(features: Sequence[str], weights: dict[str, float]) -> float:
    """Return the sum of the weights of what speaks for a place."""
    return sum(weights.get(feature, 0.0) for feature in features)


def likely(scene: Scene, roots: Sequence[Root]) -> list[Root]:
    """Return the roots, likeliest first, each with its share of what is likely as its confidence.

    Args:
        scene: the jam, located, with its sources.
        roots: what the kind takes for roots.
    """
    weights = _weights(scene.jam.runtime)
    all_of = rated(scene, sorted(roots, key=lambda root: -root.confidence))
    if not all_of or not weights:
        return list(roots)
    scores = [weigh(item.features, weights) for item in all_of]
    top = max(scores)
    shares = [math.exp(score - top) for score in scores]
    whole = sum(shares)
    by_place = {(item.place.file, item.place.line): item.place for item in all_of if item.place is not None}
    made: list[Root] = []
    for share, item in sorted(zip(shares, all_of, strict=True), key=lambda pair: -pair[0])[:MOST]:
        sure = share / whole
        if item.root is not None and (sure >= LEAST or item.root in roots):
            root = item.root
            if item.root not in roots and item.place is not None:
                root = msgspec.structs.replace(root, steps=tuple(_steps(scene, item.place, by_place)))
            made.append(msgspec.structs.replace(root, confidence=round(sure, 3)))
        elif sure >= LEAST and item.place is not None:
            last = item.place.path[-1] if item.place.path else "snag"
            steps = tuple(_steps(scene, item.place, by_place))
            made.append(
                Root(file=item.file, line=item.line, reason=_REASONS.get(last, ""), steps=steps, confidence=round(sure, 3))
            )
    return made


def _steps(scene: Scene, place: Place, by_place: dict[tuple[str, int], Place]) -> Iterator[Step]:
    """Yield the hand-overs from the snag to a place."""
    way: list[Place] = []
    here: Place | None = place
    while here is not None and here.distance > 0 and len(way) < 8:
        way.append(here)
        here = by_place.get(here.before) if here.before is not None else None
    for item in reversed(way):
        what = _WHAT.get(item.path[-1] if item.path else "", "")
        if what:
            text = " ".join(scene.row(item.file, item.line).split())
            yield Step(file=item.file, line=item.line, what=what, text=shorten(text, 120))
