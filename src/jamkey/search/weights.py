"""What speaks for an edit before any trial: features of a turn at a place, weighed by a table that was learned.

`benchmarks/learn.py` fits the weights, a conditional logit over all edits of one failure, on failures whose fix is known.
"""

from __future__ import annotations

import functools
import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

import msgspec

from jamkey.follow.places import FAR, Place
from jamkey.follow.scene import Scene
from jamkey.follow.told import words_told
from jamkey.follow.unending import rules, stands
from jamkey.follow.value_sorts import sort_of_type
from jamkey.languages.base import Part
from jamkey.model import Jam, Key
from jamkey.packaged import packaged
from jamkey.search.compiler_asked import PREFIX
from jamkey.search.given_and_asked import of_scene
from jamkey.search.records import PREFIX as RECORD
from jamkey.turns.base import Ground, Made, said_by
from jamkey.turns.meanings import meaning_of
from jamkey.turns.names import near as alike

#: Rank of a place that is no root, or one far behind.
LAST = 4
#: Words of the project that are counted, in characters of its files.
_MOST_TEXT = 400_000
_WORD = re.compile(r"\w+")


def kind_of(jam: Jam) -> str:
    """Return what the weights of turns go by: the kind, but where nothing was raised, which no kind explains for sure."""
    return jam.phase if jam.phase in ("quiet", "hang") else jam.kind or ""


def odd_places(jam: Jam) -> dict[tuple[str, int], tuple[str, str]]:
    """Return where a watched run saw something odd, each place with what it was and the kind of that: of several the surest."""
    found: dict[tuple[str, int], tuple[str, str]] = {}
    for row in jam.facts.get("odd", "").split("\n"):
        words = row.split(" ", 3)
        if len(words) == 4 and words[2].isdigit():
            found.setdefault((words[3], int(words[2])), (words[0], words[1]))
    return found


class Said(msgspec.Struct, frozen=True, array_like=True):
    """What an edited expression gives: fails, same or other; the type of it or of the error; told words that it holds."""

    word: str
    type: str
    told: int


class Proposed(msgspec.Struct, frozen=True):
    """One change that is proposed: by a turn, by the kind, or by both."""

    made: Made | None = None
    #: The statement it is made at.
    ground: Ground | None = None
    #: Whether the part lies in the failing expression, on the way of a followed name, or merely in the statement.
    near: str = ""
    #: The part it is made at; None where it is the whole statement's.
    part: Part | None = None
    #: How many the same turn has made there before it.
    nth: int = 0
    #: The kind's key, and its place among those that the kind offers.
    key: Key | None = None
    key_rank: int = 0
    #: How it ended in the frame that failed: passes same other long; empty where it was not run there.
    here: str = ""
    #: What its expression would give, where that was asked.
    there: Said | None = None


class Weigher:
    """Weighs every edit that is proposed for one failure.

    Args:
        scene: the jam, diagnosed, with its sources.
        weights: feature -> weight; the table that is shipped by default.
    """

    def __init__(self, scene: Scene, weights: Mapping[str, float] | None = None) -> None:
        jam = scene.jam
        self.weights = _table()["weights"] if weights is None else weights
        #: How likely the fix is among what is proposed.
        self.there: float = _table()["there"]
        self.kind = kind_of(jam)
        self.type = jam.exception_type or ""
        self.told = frozenset(word for text in words_told(scene) for word in _WORD.findall(text))
        self.said = said_by(scene)
        self.ranks: dict[tuple[str, int], tuple[int, float]] = {}
        for rank, root in reversed(list(enumerate(jam.roots))):
            self.ranks[root.file, root.line] = rank, root.confidence
        self.count: Counter[str] = Counter()
        left = _MOST_TEXT
        for _, code in scene.own_codes():
            if left > 0:
                self.count.update(_WORD.findall(code.text[:left]))
                left -= len(code.text)
        self.loops = scene.unending
        #: Where a watched run saw something odd, and what.
        self.odd = odd_places(jam)
        self.members = scene.members
        self.met = of_scene(scene, _MOST_TEXT)
        #: Types of what gets past the failure in the frame that failed.
        self.wanted: frozenset[str] = frozenset()
        #: How many edits do.
        self.passing = ""
        self._cached: dict[tuple[object, ...], tuple[tuple[str, ...], float]] = {}

    def learn(self, found: Iterable[Proposed]) -> None:
        """Take from all that is proposed what gets past the failure: values of these types are wanted."""
        wanted: set[str] = set()
        # the same change at several places is no other way to get past it
        self.passing = _some(sum(item.here == "passes" and (item.made is None or not item.made.more) for item in found))
        for item in found:
            if item.here == "passes" and item.made is not None and item.ground is not None and item.part is not None:
                seen = item.ground.seen(item.part)
                gives = seen.gives_with(item.made.turn) if seen is not None else None
                if gives is not None:
                    wanted.add(gives.type)
        self.wanted = frozenset(wanted)

    def rank(self, place: Place) -> int:
        """Return the place's rank among the roots, from 0; LAST for one that is none, or far behind."""
        return min(self.ranks.get((place.file, place.line), (LAST, 0.0))[0], LAST)

    def features(self, proposed: Proposed) -> tuple[str, ...]:
        """Return what speaks for or against an edit, by name."""
        return tuple(name for names, _ in self._groups(proposed) for name in names)

    def weigh(self, proposed: Proposed) -> float:
        """Return the sum of the weights of what speaks for or against an edit: a log, but for a constant."""
        return sum(weight for _, weight in self._groups(proposed))

    def first_look(self, proposed: Proposed) -> float:
        """Return the same without what the words say, which takes as long as all the rest."""
        return sum(weight for _, weight in self._groups(proposed, words=False))

    def _groups(self, proposed: Proposed, words: bool = True) -> Iterator[tuple[tuple[str, ...], float]]:
        if proposed.key is not None:
            yield self._once("key", proposed.key.id, of=lambda: self._of_key(proposed))
        made, ground, near, part, nth = proposed.made, proposed.ground, proposed.near, proposed.part, proposed.nth
        if made is None or ground is None:
            return
        place, turn = ground.place, made.turn
        family = turn.partition(":")[0]
        rank, how = self.rank(place), place.path[-1] if place.path else ""
        distance = min(place.distance, FAR)
        sort, role, type_ = "", "", ""
        if part is not None:
            value = ground.value(part)
            sort, role, type_ = part.sort, ground.role(part).partition(":")[0], value.type if value is not None else ""
        meaning = meaning_of(turn, ground.language)
        yield self._once("turn", turn, ground.language, of=lambda: self._of_turn(turn, family, meaning, ground.language))
        yield self._once("place", place.file, place.line, near, of=lambda: self._of_place(place, near, rank, how, distance))
        yield self._once(
            "cross",
            turn,
            near,
            rank,
            distance,
            how,
            place.leads,
            place.marked,
            meaning,
            of=lambda: _crossed(family, turn, meaning, near, rank, distance, how, place),
        )
        if self.loops:
            yield self._once("loop", turn, place.file, place.line, near, of=lambda: self._of_loop(ground, near, turn, family))
        if self.odd:
            odd = self.odd.get((place.file, place.line), ("elsewhere", ""))
            yield self._once("odd", turn, odd, near, of=lambda: _of_odd(odd, turn, family, meaning, near))
        if proposed.here:
            yield self._once(
                "here",
                proposed.here,
                family,
                place.distance,
                of=lambda: _of_here(proposed.here, family, distance, self.passing),
            )
        if proposed.there is not None:
            said = proposed.there
            yield self._once(
                "there", said, family, distance, of=lambda: _of_there(said, family, distance, said.type in self.wanted)
            )
        if made.skips:
            yield self._once("skips", of=lambda: iter(("skips",)))
        yield self._once(
            "part", turn, meaning, sort, role, type_, of=lambda: _of_part(family, turn, meaning, sort, role, type_)
        )
        yield self._once(
            "seen",
            turn,
            place.file,
            part.span if part is not None else place.line,
            made.text,
            of=lambda: self._of_seen(made, ground, part, family),
        )
        if not words:
            return
        before = part.source if part is not None else ""
        yield self._once("text", family, before, made.text, nth, of=lambda: self._of_text(family, before, made.text, nth))

    def _once(self, *key: object, of: Callable[[], Iterator[str]]) -> tuple[tuple[str, ...], float]:
        known = self._cached.get(key)
        if known is None:
            names = tuple(of())
            known = self._cached[key] = names, sum(self.weights.get(name, 0.0) for name in names)
        return known

    def _of_key(self, proposed: Proposed) -> Iterator[str]:
        key, rank = proposed.key, proposed.key_rank
        if key is None:
            return
        by = "alone" if proposed.made is None else "too"
        by = "compiler" if key.id.startswith(PREFIX) else "record" if key.id.startswith(RECORD) else by
        yield f"key {by}"
        yield f"key {by} {min(rank, 3)}"
        yield f"key {by} of {self.kind}"
        yield f"key {by} {min(rank, 1)} of {self.kind}"
        yield f"key {by} sure {int(key.confidence * 8)}"
        if key.skips_work:
            yield "key skips"
        if proposed.made is None:
            place = min((self.ranks.get((edit.file, edit.line), (LAST, 0.0))[0] for edit in key.edits), default=LAST)
            yield f"key at rank {min(place, LAST)}"

    def _of_turn(self, turn: str, family: str, meaning: str, language: str) -> Iterator[str]:
        for name in dict.fromkeys((family, turn)):
            yield f"turn {name}"
            yield f"turn {name} of {self.kind}"
            yield f"turn {name} of {self.type}"
        yield f"{family} in {language}"
        if meaning:
            yield f"means {meaning}"
            yield f"means {meaning} of {self.kind}"

    def _of_place(self, place: Place, near: str, rank: int, how: str, distance: int) -> Iterator[str]:
        yield f"rank {rank}"
        yield f"rank {rank} distance {distance}"
        yield f"rank {rank} near {near}"
        _, sure = self.ranks.get((place.file, place.line), (LAST, 0.0))
        yield f"sure {int(sure * 8)}"
        yield f"how {how}"
        yield f"distance {distance}"
        yield f"near {near}"
        yield f"near {near} of {self.kind}"
        yield f"marked {place.marked}"
        yield f"leads {min(place.leads, 2)}"

    def _of_loop(self, ground: Ground, near: str, turn: str, family: str) -> Iterator[str]:
        """How the statement stands to the loop that was still running, and whether it sets what ends the loop."""
        how = stands(ground.place.file, ground.place.line, self.loops, ground.code)
        does = "rules" if rules(ground.statement, self.loops) else "other"
        yield f"hang {how}"
        yield f"hang {how} {does}"
        yield f"hang {how} {family}"
        yield f"hang {how} {does} {turn}"
        yield f"hang {how} {near}"

    def _of_seen(self, made: Made, ground: Ground, part: Part | None, family: str) -> Iterator[str]:
        """What a look at the running program says: whether the line is run, what the part holds, what the edit gives."""
        if ground.is_run is None:
            return
        yield f"run {ground.is_run}"
        yield f"run {ground.is_run} {family}"
        if part is None:
            return
        seen = ground.seen(part)
        if seen is None:
            return
        yield f"seen {family}"
        before = self._told_type(seen.value.type)
        if before:
            yield "type told"
            yield f"type told {family}"
        if len(seen.types) > 1:
            yield f"types {family}"
        gives = seen.gives_with(made.turn)
        if gives is not None:
            yield "gives same" if gives.same else "gives other"
            yield f"gives {gives.type} for {seen.value.type}"
            yield f"gives {gives.type} for {seen.value.type} of {self.kind}"
            if self._told_type(gives.type):
                yield "gives told"
                yield f"gives told for {'told' if before else 'other'}"
        if part.sort == "name" and made.text.isidentifier() and made.span == part.span:
            other = ground.type_of(made.text)
            how = "unknown" if not other else "same" if other == seen.value.type else "other"
            yield f"name type {how}"
            yield f"name type {how} {'told' if before else 'other'}"
            if other and self._told_type(other):
                yield "name type is told"

    def _told_type(self, label: str) -> bool:
        return label.rpartition(".")[2] in self.said

    def _of_text(self, family: str, before: str, after: str, nth: int) -> Iterator[str]:
        old, new = Counter(_WORD.findall(before)), Counter(_WORD.findall(after))
        put, taken = list((new - old).elements()), list((old - new).elements())
        yield f"puts {min(len(put), 4)}"
        yield f"takes {min(len(taken), 4)}"
        yield f"puts {min(len(put), 4)} takes {min(len(taken), 4)} {family}"
        yield f"nth {min(nth, 4)} {family}"
        named = {}
        for does, words in (("puts", put), ("takes", taken)):
            if any(word in self.told for word in words):
                yield f"{does} told"
                yield f"{does} told {family}"
            named[does] = names = [word for word in words if not word[0].isdigit()]
            if names:
                heard = _many(min(self.count[word] for word in names))
                yield f"{does} heard {heard}"
                yield f"{does} heard {heard} {family}"
        if named["puts"] and all(word in self.members for word in named["puts"]):
            yield f"puts member {family}"
        if len(put) == len(taken) == 1:
            nearly = int(alike(put[0], taken[0]) * 5)
            yield f"alike {nearly}"
            yield f"alike {nearly} {family}"
            if named["puts"] and named["takes"]:
                met = f"{self.met.of(put[0])} for {self.met.of(taken[0])}"
                yield f"met {met}"
                yield f"met {met} {family}"
                yield f"alike {nearly} heard {_many(self.count[put[0]])} for {_many(self.count[taken[0]])}"


def _many(count: int) -> str:
    return str(count) if count <= 2 else "few" if count <= 5 else "many"


def _crossed(
    family: str, turn: str, meaning: str, near: str, rank: int, distance: int, how: str, place: Place
) -> Iterator[str]:
    yield f"{family} near {near}"
    yield f"{family} rank {rank}"
    yield f"{family} distance {distance}"
    yield f"{family} how {how}"
    yield f"{family} leads {min(place.leads, 1)} marked {place.marked}"
    yield f"turn {turn} near {near}"
    if meaning:
        yield f"means {meaning} near {near}"


def _of_odd(odd: tuple[str, str], turn: str, family: str, meaning: str, near: str) -> Iterator[str]:
    here = "elsewhere" if odd[0] == "elsewhere" else "here"
    yield f"odd {here}"
    yield f"odd {here} {family}"
    yield f"odd {here} near {near}"
    if here == "elsewhere":
        return
    for name in dict.fromkeys((odd[0], f"of {odd[1]}")):
        yield f"odd {name} {family}"
        yield f"odd {name} turn {turn}"
        if meaning:
            yield f"odd {name} means {meaning}"


def _some(count: int) -> str:
    return "one" if count <= 2 else "few" if count <= 8 else "some" if count <= 40 else "many"


def _of_here(here: str, family: str, distance: int, passing: str) -> Iterator[str]:
    yield f"here {here}"
    yield f"here {here} {family}"
    yield f"here {here} distance {distance}"
    yield f"here {here} of {passing}"


def _of_there(said: Said, family: str, distance: int, wanted: bool) -> Iterator[str]:
    yield f"there {said.word}"
    yield f"there {said.word} {family}"
    yield f"there {said.word} distance {distance}"
    if said.word == "other":
        yield f"there {said.type}"
        yield f"there sort {sort_of_type(said.type)}"
        if said.told:
            yield "there told"
            yield f"there told {family}"
        yield f"there wanted {wanted}"
        yield f"there wanted {wanted} {family}"


def _of_part(family: str, turn: str, meaning: str, sort: str, role: str, type_: str) -> Iterator[str]:
    yield f"{family} at {sort}"
    yield f"{family} as {role}"
    yield f"turn {turn} at {sort}"
    yield f"turn {turn} as {role}"
    if meaning:
        yield f"means {meaning} at {sort}"
        yield f"means {meaning} as {role}"
    if type_:
        yield f"{family} for {type_}"
        yield f"turn {turn} for {type_}"
        if known := sort_of_type(type_):
            yield f"{family} for sort {known}"
            if meaning:
                yield f"means {meaning} for sort {known}"


@functools.cache
def _table() -> dict[str, Any]:
    table: dict[str, Any] = msgspec.json.decode(packaged("search/weights.json"))
    return table
