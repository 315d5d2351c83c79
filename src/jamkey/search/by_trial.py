"""The search: candidates tried in the order of their likelihood, grouped by what they print, the best confirmed.

Candidates that print the same support each other: what is shown are the likeliest groups, not three spellings of one
idea. When none makes the program run, the ones that got it furthest are gone on from.
"""

from __future__ import annotations

import difflib
import math
import os
import time
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import islice

import msgspec

from jamkey.budget import Budget
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages import language_of
from jamkey.languages.traits import traits_of
from jamkey.model import Edit, Jam, Key, Root
from jamkey.observe.target import Target
from jamkey.pipeline import diagnose
from jamkey.repair.judges import is_refused_whole, parses
from jamkey.search.compiler_asked import keys_of_compiler
from jamkey.search.first_seen import with_watched
from jamkey.search.outputs import Output, beside_others, is_uncalled, lacks, later, none_right, weigh
from jamkey.search.runners import SHOWN, SLOW, Runners, Tried, names_gone, output_of
from jamkey.settings import Settings
from jamkey.trials.bench import Bench, rank

#: The search goes on for at least as long as so many runs of the program take, and for so many trials.
RUNS = 8
#: Share of the time for single edits; below this log of likelihood what runs is no reason to stop there.
_FIRST, _POOR = 0.7, -5.0
#: Log of the likelihood from which on what gets past the failure is gone on from, whatever is left untried.
_LIKELY = math.log(0.4)
#: Share of the time for short trials of a program that was stopped.
_SHORT = 0.6
#: Share of the time that is left for trials, however long it took to make ready for them.
_AT_LEAST = 0.8
#: Phases of a failure behind which another may follow.
_GOES_ON = ("run", "compile")
#: Edits that are asked of a plain run whether they get past the failure.
_PLAINLY = 3
#: Failures gone on from, and candidates tried behind each.
_GO_ON, _BEHIND = 4, 160
#: What is so much less likely than the best is not shown: of 26 right edits that were second or third none was.
_NEGLIGIBLE = math.exp(-4.5)
#: An edit that takes out so many more names than it puts in leaves work out.
_WORK = 4


@dataclass
class Found:
    """What a search has found."""

    keys: list[Key] = field(default_factory=list)
    #: (file, line) -> share of what is likely.
    lines: dict[tuple[str, int], float] = field(default_factory=dict)
    tried: int = 0
    #: Where the bad value was first held while the program was watched.
    watched: Root | None = None
    #: Keys that were tried and with which the program does not run.
    failed: set[str] = field(default_factory=set)


def searchable(jam: Jam, target: Target, sources: Sources) -> bool:
    """Tell whether small edits of the source can be searched for a failure."""
    if jam.snag is None or target.notebook is not None or target.is_page:
        return False
    if jam.phase != "compile":
        return jam.phase in ("run", "hang", "quiet")
    file = jam.frames[jam.snag].file
    language = language_of(file)
    if language is None:
        return False
    # what breaks no grammar, and is not accepted all the same: a compiler knows more than a parser
    if traits_of(language.name).compiled and jam.kind != "broken-syntax":
        return True
    if traits_of(language.name).compiled and parses(language.name) and any(key.edits for key in jam.keys):
        return False  # its parser was asked of them
    ending = os.path.splitext(file)[1].lower()
    return is_refused_whole(sources.text(file) or "", language, ending, jam.runtime_version or "")


def search(
    bench: Bench,
    jam: Jam,
    sources: Sources,
    settings: Settings,
    *,
    progress: Callable[[int, int, Key], None] | None = None,
    in_turn: bool = False,
) -> Found:
    """Search for keys with which the program runs.

    Args:
        bench: the project prepared for trials.
        jam: the failure, diagnosed; the keys its kind offers take part.
        sources: of the project.
        settings: the project's.
        progress: called with (tried, of, key) after each trial.
        in_turn: the failure that follows is mended next: a likely edit that gets past this one is enough.
    """
    seconds = max(settings.patience, RUNS * bench.first.seconds) if settings.patience else 0.0
    until = time.monotonic() + seconds
    sources.budget = Budget()
    with Runners(bench, sources, settings, least=RUNS if seconds else 0) as runners:
        told = keys_of_compiler(jam, bench.target, bench.root, limit=bench.limit, unguarded=bench.unguarded)
        jam = msgspec.structs.replace(jam, keys=(*told, *jam.keys)) if told else jam
        if jam.phase == "compile" and jam.kind == "broken-syntax":
            # the grammar is whole: what edits of its signs would let the compiler take is nearly never what was meant
            jam = msgspec.structs.replace(jam, keys=tuple(key for key in jam.keys if key.id.startswith("indent-")))
        scene = Scene(jam, sources)
        runners.wait()
        early: list[Tried] = []
        if bench.first.seconds >= SLOW and jam.phase == "run" and seconds:
            early = runners.at_once(scene, min(3.0, seconds / 4))
            made = _at_once(bench, early, in_turn=in_turn)
            if made is not None:
                return made
        known = [item.key.edits for item in early]
        wanted = [item for item in runners.candidates(scene, min(3.0, seconds / 4)) if item.key.edits not in known]
        runners.began = time.monotonic()
        until = max(until, time.monotonic() + _AT_LEAST * seconds)
        # the rest of the time is for what goes on behind the first edit
        rest = (1 - _FIRST) * seconds if jam.phase in _GOES_ON else (1 - _SHORT) * seconds if jam.phase == "hang" else 0.0
        done = early + runners.all(wanted, until - rest, progress, in_turn=in_turn)
        if jam.phase == "hang" and not any(item.runs for item in done):
            runners.again(done, until)
        best = max((item.after for item in done if item.runs and not _does_less(bench, item)), default=-99.0)
        if in_turn and best < _POOR:
            # a busy machine may have had no time for all that is less likely
            least = -math.inf if runners.settled else _LIKELY
            made = _first_past(runners, bench, [item for item in done if item.score >= least])
            if made is not None:
                return made
        if bench.jam.phase in _GOES_ON and best < _POOR:
            done += _further(runners, bench, done, sources, settings, until)
            if not runners.settled and not any(item.runs for item in done):
                tried = set(map(id, done))
                done += runners.all([item for item in wanted if id(item) not in tried], until, progress)
    # where something was refused, nobody knows which trial failed for that
    failed = set() if runners.refused else {item.key.id for item in done if not item.runs}
    made = _judged(bench, [item for item in done if item.runs], len(done), failed)
    if in_turn and made.keys and all(key.skips_work for key in made.keys):
        # what only gets past this failure is better than work left out
        past = _first_past(runners, bench, done)
        made.keys = [*(past.keys if past is not None else ()), *made.keys]
    made.watched = runners.watched
    return made


def _does_less(bench: Bench, item: Tried) -> bool:
    """Tell an edit with which the program runs for what it does not do any more."""
    first = bench.first.stdout.decode("utf-8", "replace")
    return bench.fits is None and (item.key.skips_work or _leaves_work_out(output_of(item, first)))


def _at_once(bench: Bench, done: list[Tried], *, in_turn: bool) -> Found | None:
    """Return what one run of the likeliest edit has decided; None where it has not."""
    running = [item for item in done if item.runs]
    made = _judged(bench, running, len(done), {item.key.id for item in done if not item.runs}) if running else Found()
    if made.keys and made.keys[0].edits == done[0].key.edits and not made.keys[0].skips_work:
        return made
    return _past(bench, done[0]) if in_turn and done and not done[0].key.skips_work else None


def _first_past(runners: Runners, bench: Bench, done: Sequence[Tried]) -> Found | None:
    """Return the likeliest edit that gets past the failure as a key; None where none does, or no plain run says so."""
    likely = sorted((item for item in done if not item.key.skips_work), key=lambda item: -item.score)
    further = (item for item in likely if runners.is_further(runners.past(item)))
    return next((made for item in islice(further, _PLAINLY) if (made := _past(bench, item)) is not None), None)


def _past(bench: Bench, item: Tried) -> Found | None:
    """Return an edit as a key with which the program gets past its failure; None where a plain run does not say so."""
    trial = item.key.trial if item.key.trial.outcome != "untried" else bench.try_one(item.key)
    known = tuple(f"{frame.file}:{frame.line} " for frame in bench.jam.frames)
    # another failure where this one was is no way on
    if trial.outcome != "moved" or (trial.next or "").startswith(known):
        return None
    reason = item.key.reason or "With this the program gets past this failure."
    sure = round(min(0.95, math.exp(item.score)), 3)
    return Found(keys=[msgspec.structs.replace(item.key, trial=trial, reason=reason, confidence=sure)], tried=1)


def _undoes(first: str, second: str, third: str) -> bool:
    """Tell a text in which a line is again what it was before it was changed."""
    was, is_, will = (Counter(text.split("\n")) for text in (first, second, third))
    return bool(second) and bool((was - is_) & (will - is_)) and bool((is_ - was) - will)


def _further(
    runners: Runners, bench: Bench, done: Sequence[Tried], sources: Sources, settings: Settings, until: float
) -> list[Tried]:
    """Go on from the candidates behind which another failure follows; the keys hold both edits."""
    found: list[Tried] = []
    moved: list[tuple[Tried, Jam]] = []
    seen: set[tuple[str | None, str | None, int]] = set()
    for item in sorted(done, key=lambda item: -item.score):
        if len(moved) >= _GO_ON or time.monotonic() > until:
            break
        after = runners.past(item)
        if after is None:
            continue
        what = (after.exception_type, after.message, after.snag_frame.line or 0 if after.snag_frame else 0)
        if what not in seen:
            seen.add(what)
            moved.append((item, after))
    runners.began = None
    rest = sum(math.exp(item.score) for item, _ in moved)
    for item, after_jam in moved:
        if time.monotonic() > until:
            break
        texts = Sources(bench.root, item.texts)
        scene = Scene(diagnose(after_jam, texts, settings), texts)
        wanted = runners.candidates(scene, 1.0, _BEHIND, item.texts)
        left_out = names_gone(item.texts, sources)
        joined = []
        for other in wanted:
            whole = {**item.texts, **other.texts}
            if any(_undoes(sources.text(file) or "", item.texts.get(file, ""), text) for file, text in other.texts.items()):
                continue
            edits = tuple(edit for file, text in whole.items() for edit in between(file, sources.text(file) or "", text))
            key = msgspec.structs.replace(
                other.key,
                id=f"{item.key.id}-{other.key.id}",
                title=f"{item.key.title}, then {other.key.title[:1].lower()}{other.key.title[1:]}",
                reason="With both edits together the program runs to its end.",
                edits=edits,
                skips_work=item.key.skips_work or other.key.skips_work,
            )
            lines = (*item.lines, *other.lines)
            # what the second edit puts in makes up for nothing that the first takes out
            joined.append(Tried(key, whole, item.score + other.score, "", False, lines=lines, gone=left_out))
        found += runners.all(joined, until, steps=False)
        rest -= math.exp(item.score)
        if runners.sure(math.exp(item.score), rest) and (runners.settled or any(other.runs for other in found)):
            break
    return found


def between(file: str, before: str, after: str) -> list[Edit]:
    """Return edits of whole lines that turn one text into the other."""
    old, new = before.splitlines(keepends=True), after.splitlines(keepends=True)
    edits: list[Edit] = []
    for tag, first, last, start, end in difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if tag != "equal":
            line, stop = (
                (len(old), len(old[-1]) + 1) if first >= len(old) and old and not old[-1].endswith("\n") else (first + 1, 1)
            )
            edits.append(
                Edit(
                    file=file,
                    line=line,
                    column=stop,
                    end_line=max(last + 1, line),
                    end_column=stop if last == first else 1,
                    new_text="".join(new[start:end]),
                )
            )
    return edits


def ranked_outputs(outputs: Sequence[Output], weights: Mapping[str, float] | None = None) -> list[list[int]]:
    """Return the places of what prints the same, likeliest output first, in each the likeliest edit first."""
    odds = [math.exp(weigh(item, weights)) for item in beside_others(outputs)]
    groups: dict[str, list[int]] = {}
    for place, item in enumerate(outputs):
        groups.setdefault(item.stdout, []).append(place)
    made = [sorted(places, key=lambda place: -odds[place]) for places in groups.values()]
    return sorted(made, key=lambda places: -_of_group(places, odds))


def ranked_keys(keys: Sequence[Key]) -> tuple[Key, ...]:
    """Return tried keys best first; those with which the program runs by what they have it print beside the others."""
    made = rank(keys)
    running = [key for key in made if key.trial.outcome == "runs"]
    outputs = [Output(math.log(max(key.confidence, 0.001)), key.trial.printed, "", skips=key.skips_work) for key in running]
    groups = ranked_outputs(outputs)
    order = [places[0] for places in groups] + [place for places in groups for place in places[1:]]
    return (*(running[place] for place in order), *(key for key in made if key.trial.outcome != "runs"))


def _of_group(places: Sequence[int], odds: Sequence[float]) -> float:
    """Return what speaks for an output: its likeliest way, and the next for half; what leaves work out is reached in many."""
    best, *others = sorted((odds[place] for place in places), reverse=True)
    return best + sum(others[:1]) / 2


def _judged(bench: Bench, running: list[Tried], tried: int, failed: set[str]) -> Found:
    """Group what runs by what it prints; confirm the likeliest of the likeliest groups by a plain run."""
    first = bench.first.stdout.decode("utf-8", "replace")
    outputs = beside_others([output_of(item, first) for item in running])
    odds = [math.exp(weigh(item)) for item in outputs]
    whole = sum(odds) + none_right()
    found = Found(tried=tried, failed=failed)
    ranked = ranked_outputs(outputs)
    less: list[tuple[Edit, ...]] = []
    best = _of_group(ranked[0], odds) if ranked else 0.0
    for places in ranked:
        if len(found.keys) >= SHOWN or _of_group(places, odds) < _NEGLIGIBLE * best:
            break
        for place in places[:2]:
            item = running[place]
            trial = item.key.trial if item.key.trial.outcome != "untried" else bench.try_one(item.key)
            if trial.outcome != "runs":
                continue
            if lacks(outputs[place]):
                less.append(item.key.edits)
            share = 1.0 if bench.fits is not None else sum(odds[other] for other in places) / whole
            same = len(places) - 1
            reason = item.key.reason or "With this the program runs to its end."
            if bench.fits is not None:
                reason = item.key.reason or "With this it prints what it should."
            elif same and not item.key.reason:
                others = "another small edit that I tried makes" if same == 1 else f"{same} other small edits that I tried make"
                reason = f"With this the program runs to its end; {others} it print the same."
            found.keys.append(
                msgspec.structs.replace(
                    item.key,
                    trial=trial,
                    reason=reason,
                    confidence=round(min(0.95, share), 3),
                    # what prints all that it should leaves nothing out
                    skips_work=bench.fits is None and (item.key.skips_work or _leaves_work_out(outputs[place])),
                )
            )
            break
    # what prints less than before the failure stands behind what does not
    found.keys.sort(key=lambda key: bench.fits is None and key.edits in less)
    for place, item in enumerate(running):
        for line in dict.fromkeys(item.lines):
            found.lines[line] = found.lines.get(line, 0.0) + odds[place] / whole
    return found


def _leaves_work_out(output: Output) -> bool:
    """Tell a key with which something is no longer done: its names are gone, or what was printed before is."""
    return output.gone >= _WORK or lacks(output) or is_uncalled(later(output.stdout, output.first))


def roots_with(jam: Jam, found: Found) -> tuple[Root, ...]:
    """Return the roots with what the search says: a place where a small edit makes the program run is one.

    Args:
        jam: diagnosed.
        found: by the search for its keys.
    """
    made: list[Root] = []
    own = {(root.file, root.line): root for root in jam.roots}
    if found.watched is not None:
        own = {(root.file, root.line): root for root in with_watched(jam.roots, found.watched)}
    if not max(found.lines.values(), default=0.0):
        return tuple(sorted(own.values(), key=lambda root: -root.confidence))
    for (file, line), share in found.lines.items():
        root = own.pop((file, line), None)
        if root is not None:
            made.append(msgspec.structs.replace(root, confidence=_joined(root.confidence, share)))
        elif share >= 0.02:
            made.append(
                Root(
                    file=file,
                    line=line,
                    reason="a small edit here makes the program run",
                    confidence=_joined(0.0, share),
                    known="search",
                )
            )
    made += [msgspec.structs.replace(root, confidence=_joined(root.confidence, 0.0)) for root in own.values()]
    return tuple(sorted(made, key=lambda root: -root.confidence))


def _joined(before: float, share: float) -> float:
    return round(min(0.98, (before + 0.5 * share) / 1.5), 3)
