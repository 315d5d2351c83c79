"""Turns at places: every small edit worth a trial, likeliest first, each judged by what needs no run."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterable, Iterator

import msgspec

from jamkey.budget import Budget
from jamkey.follow.places import Place, places
from jamkey.follow.scene import Scene
from jamkey.languages.base import Part, Span
from jamkey.model import Edit, Key
from jamkey.search.records import record_keys
from jamkey.search.weights import Proposed, Weigher
from jamkey.text import splice
from jamkey.turns import SHELF as TURNS
from jamkey.turns.base import Ground, Made
from jamkey.turns.each import together
from jamkey.turns.imports import Imported
from jamkey.turns.seen import Survey

#: A change of the project: its files with their new texts, by name.
Texts = tuple[tuple[str, str], ...]
#: Turns that may stand at a key without quotes.
_OF_KEYS = ("name:", "told:")
#: What a statement does something by: a call, a value set, a word.
_DOES = re.compile(r"\w ?\(|=|\+\+|--|<-|\b(?:await|yield|return|raise|throw|del|delete|new|break|continue)\b")
#: Candidates kept at most.
MOST = 4000


class Candidate(msgspec.Struct, frozen=True):
    """One change of the project worth a trial."""

    edits: tuple[Edit, ...]
    #: File -> its text with the edits.
    texts: dict[str, str]
    #: How likely it is the fix, before any trial: its share of what is likely in all that is proposed, as a log.
    score: float
    #: The edit, where a turn made it.
    made: Made | None = None
    #: Its statement's place.
    place: Place | None = None
    #: What stands there now.
    before: str = ""
    #: The key that the kind offers and that changes the same.
    key: Key | None = None


def candidates(
    scene: Scene,
    *,
    seconds: float = 3.0,
    most: int = MOST,
    survey: Survey | None = None,
    judged: Callable[[list[Proposed]], list[Proposed]] = list,
) -> list[Candidate]:
    """Return the candidates for a jam, likeliest first: what turns propose, and the keys that its kind offers.

    Args:
        scene: the jam, diagnosed, with its sources.
        seconds: for gathering them.
        most: so many are kept.
        survey: what the parts on the way held, where the program was looked at.
        judged: says of what is proposed what can be known before any trial.
    """
    weigher = Weigher(scene)
    proposed = judged(gathered(scene, seconds=seconds, survey=survey))
    weigher.learn(proposed)
    weighed = _weighed(weigher, proposed, most)
    if not weighed:
        return []
    top = weighed[0][0]
    whole = math.log(sum(math.exp(value - top) for value, _ in weighed)) + top
    found: dict[Texts, Candidate] = {}
    for value, item in weighed:
        made, ground = item.made, item.ground
        edits = item.key.edits if item.key is not None else ()
        if not edits and made is not None and ground is not None:
            edits = edits_of(ground.place.file, made)
        texts = texts_with(scene, edits)
        key = tuple(sorted(texts.items())) if texts is not None else ()
        if texts is None or key in found:  # the texts are made only for so many: most are never tried
            continue
        place = ground.place if ground is not None else None
        before = _source(scene.sources.text(place.file) or "", made.span) if place is not None and made is not None else ""
        found[key] = Candidate(edits, texts, value - whole + math.log(weigher.there), made, place, before, item.key)
        if len(found) >= most:
            break
    return list(found.values())


def _weighed(weigher: Weigher, found: list[Proposed], most: int) -> list[tuple[float, Proposed]]:
    """Return what is proposed with its weight, likeliest first: whole where a first look says that it may be tried."""
    looks = [(-weigher.first_look(item), place) for place, item in enumerate(found)]
    looks.sort()
    full = [(weigher.weigh(found[place]), place) for _, place in looks[:most]]
    # of the others the words are taken to say what they say of these in the mean
    words = sum(value + look for (value, _), (look, _) in zip(full, looks, strict=False)) / max(len(full), 1)
    full += [(words - look, place) for look, place in looks[most:]]
    # the running number keeps the order of what is equally likely
    full.sort(key=lambda item: (-item[0], item[1]))
    return [(value, found[place]) for value, place in full]


def gathered(scene: Scene, *, seconds: float, survey: Survey | None = None) -> list[Proposed]:
    """Return every edit that a turn proposes, and every key of the kind; what changes the same text is one.

    Args:
        scene: the jam, diagnosed, with its sources.
        seconds: for gathering them.
        survey: what the parts on the way held.
    """
    offered: dict[Texts, tuple[int, Key]] = {}
    for rank, key in enumerate(key for key in scene.jam.keys if key.edits):
        texts = texts_with(scene, key.edits) if all(edit.cell is None for edit in key.edits) else None
        if texts is not None:
            offered.setdefault(tuple(sorted(texts.items())), (rank, key))
    lines = {(edit.file, edit.line) for _, key in offered.values() for edit in key.edits}
    found: list[Proposed] = []
    for item in proposals(scene, Budget(seconds), survey):
        place = item.ground.place if item.ground is not None else None
        if offered and place is not None and item.made is not None and (place.file, item.made.span.line) in lines:
            texts = texts_with(scene, edits_of(place.file, item.made))
            known = offered.pop(tuple(sorted(texts.items())), None) if texts is not None else None
            if known is not None:
                item = msgspec.structs.replace(item, key=known[1], key_rank=known[0])
        found.append(item)
    found += [Proposed(key=key, key_rank=rank) for rank, key in offered.values()]
    for rank, key in enumerate(record_keys(scene)):
        texts = texts_with(scene, key.edits)
        if texts is not None and tuple(sorted(texts.items())) not in offered:
            found.append(Proposed(key=key, key_rank=rank))
    return found


def proposals(scene: Scene, budget: Budget, survey: Survey | None = None) -> Iterator[Proposed]:
    """Yield every edit that a turn proposes at a place on the way, nearest first, until the budget is spent."""
    marked = _marked(scene)
    for place in survey.way if survey is not None else places(scene, scene.jam.roots):
        if budget.spent():
            return
        code = scene.sources.code(place.file, scene.jam.runtime)
        if code is not None:
            for statement in code.heads(place.line):
                yield from _of_statement(Ground(scene, place, code, statement, survey), marked)


def _of_statement(ground: Ground, marked: Span | None) -> Iterator[Proposed]:
    statement, place = ground.statement, ground.place
    seen: set[tuple[Span, str]] = set()
    parts: list[Part] = []
    for top in (*statement.parts, *statement.targets):
        for part in top.walk():
            if (part.span, part.sort) not in seen:
                seen.add((part.span, part.sort))
                parts.append(part)
    imported = Imported(ground)
    call = _alone(ground)
    for turn in TURNS:
        found: list[tuple[Part, Made]] = []
        for part in parts[:200]:
            near = _near(part, place, marked)
            for nth, made in enumerate(turn.at_part(part, ground)):
                if part.sort == "key" and not made.turn.startswith(_OF_KEYS):
                    continue  # no value stands there
                if call is not None and _does_nothing(made, call, ground):
                    continue
                made = _in_full(made, part, ground)
                if made.text and not made.more:
                    made = imported.with_imports(made)
                found.append((part, made))
                yield Proposed(made, ground, near, part, nth)
        for nth, (part, made) in enumerate(together(found, ground)):
            yield Proposed(made, ground, _near(part, place, marked), part, nth)
        for nth, made in enumerate(turn.at_statement(statement, ground)):
            if made.text and not made.more:
                made = imported.with_imports(made)
            yield Proposed(made, ground, "statement", None, nth)


def _alone(ground: Ground) -> Part | None:
    """Return the call that a statement is for what it does, in languages where nothing shows what it gives."""
    top = ground.statement.parts[0] if len(ground.statement.parts) == 1 and not ground.statement.targets else None
    shown = ground.place.frame is not None and ground.place.frame.cell is not None
    if top is None or top.sort != "call" or shown or not ground.words.get("pure"):
        return None
    return top if ground.row(top.span.line)[: top.span.column - 1].strip() == "" else None


def _does_nothing(made: Made, call: Part, ground: Ground) -> bool:
    """Tell an edit after which a statement gives a value that nobody takes, and does nothing else."""
    if made.more or made.skips:
        return False
    if made.span == call.span:
        return bool(made.text) and _DOES.search(made.text) is None
    callee = call.child("callee")
    if callee is None or made.span != (callee.name_span or callee.span):
        return False
    owner = callee.child("object")
    if owner is None:
        return made.text in ground.words["pure"]
    value = ground.value(owner)
    kind = value.type if value is not None else ""
    return (
        kind in ground.words["plain_types"]
        and made.text in ground.members_of(kind)
        and made.text not in ground.words["changes"]
    )


def _in_full(made: Made, part: Part, ground: Ground) -> Made:
    """Return an edit of a name that stands for a key and its value with the key written out."""
    shorthand = ground.words.get("shorthand", "")
    if not shorthand or part.sort != "name" or made.span != part.span or ground.above.get(part.span, ("",))[0] != "element":
        return made
    holder = ground.above[part.span][1]
    return msgspec.structs.replace(made, text=shorthand.format(part.name, made.text)) if holder.sort == "dict" else made


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


def edits_of(file: str, made: Made) -> tuple[Edit, ...]:
    """Return what an edit changes; `file` is where its own part stands."""
    return (_edit(file, made.span, made.text), *(_edit(other, span, text) for other, span, text in made.more))


def _edit(file: str, span: Span, text: str) -> Edit:
    return Edit(
        file=file, line=span.line, column=span.column, end_line=span.end_line, end_column=span.end_column, new_text=text
    )


def texts_with(scene: Scene, edits: Iterable[Edit]) -> dict[str, str] | None:
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
