"""The search: candidates tried in the order of their likelihood, grouped by what they print, the best confirmed.

Candidates that print the same support each other: what is shown are the likeliest groups, not three spellings of one
idea. When none makes the program run, the ones that got it furthest are gone on from.
"""

from __future__ import annotations

import contextlib
import difflib
import math
import re
import threading
import time
import zlib
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass, field

import msgspec

from jamkey.budget import Budget
from jamkey.errors import JamkeyError
from jamkey.follow.frames import locate
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages import language_of
from jamkey.model import Edit, Jam, Key, Root
from jamkey.observe.target import Target
from jamkey.pipeline import diagnose, read
from jamkey.search.candidates import MOST, Candidate, candidates
from jamkey.search.compiler_asked import keys_of_compiler
from jamkey.search.first_seen import first_seen
from jamkey.search.judge import judged
from jamkey.search.outputs import Output, beside_others, bonus, is_uncalled, later, loses, none_right, weigh
from jamkey.search.survey import survey
from jamkey.search.titles import title_of
from jamkey.search.weights import Proposed
from jamkey.settings import Settings
from jamkey.text import edited, shorten
from jamkey.trials.bench import Bench, same_jam
from jamkey.trials.warm import Ran, Warm, can_be_warm, libraries, warm

#: Languages whose compiler tells of more than grammar before the program is run.
_COMPILED = ("c", "java")
#: The search goes on for at least as long as so many runs of the program take, and for so many trials.
RUNS = 8
#: It ends when what runs is so many times as likely as all that is untried; half as many are enough
#: after these seconds, a third after twice as many, and so on: whoever waits has less and less to gain.
SURE, _HALVED = 1.5, 6.0
#: How much more is asked for each output by which there are fewer than are shown.
_FEWER = 0.5
#: A quick trial may take this many seconds at least.
_LEAST_LIMIT = 2.0
#: Groups that are confirmed and shown.
SHOWN = 3
#: Share of the time for single edits; below this log of likelihood what runs is no reason to stop there.
_FIRST, _POOR = 0.7, -5.0
#: Share of the time that is left for trials, however long it took to make ready for them.
_AT_LEAST = 0.8
#: Log of the least likelihood with which a candidate that gets past the failure is a reason to go on from there.
_TELLING = math.log(0.02)
#: Failures gone on from, and candidates tried behind each.
_GO_ON, _BEHIND = 4, 160
#: Confidence of the place where a bad value was first held, before what trials say.
_WATCHED = 0.4
#: Seconds for asking the running program what edits would do.
_ASKED = 2.0
#: Tries after the first that prints what it should.
_BEHIND_FIT = 80
#: An edit that takes out so many more names than it puts in leaves work out.
_WORK = 4
_NAME = re.compile(r"\w+")


@dataclass
class Tried:
    """One candidate after its quick trial."""

    key: Key
    texts: dict[str, str]
    #: Log of how likely it is right, before the trial.
    score: float
    stdout: str
    runs: bool
    stderr: str = ""
    #: What it changes.
    lines: tuple[tuple[str, int], ...] = ()
    #: Names that it takes out and puts nothing in the place of.
    gone: int = 0
    #: Whether it changes the line that prints what is wrong.
    shows: bool = False
    #: Log of how likely it is, after its trial.
    after: float = 0.0


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


def searchable(jam: Jam, target: Target) -> bool:
    """Tell whether small edits of the source can be searched for a failure."""
    if jam.snag is None or target.notebook is not None or target.is_page:
        return False
    if jam.phase != "compile":
        return jam.phase in ("run", "hang", "quiet")
    language = language_of(jam.frames[jam.snag].file) if jam.kind != "broken-syntax" else None
    return language is not None and language.name in _COMPILED


def search(
    bench: Bench, jam: Jam, sources: Sources, settings: Settings, *, progress: Callable[[int, int, Key], None] | None = None
) -> Found:
    """Search for keys with which the program runs.

    Args:
        bench: the project prepared for trials.
        jam: the failure, diagnosed; the keys its kind offers take part.
        sources: of the project.
        settings: the project's.
        progress: called with (tried, of, key) after each trial.
    """
    seconds = max(settings.patience, RUNS * bench.first.seconds) if settings.patience else 0.0
    until = time.monotonic() + seconds
    sources.budget = Budget()
    with _Runners(bench, sources, settings, least=RUNS if seconds else 0) as runners:
        told = keys_of_compiler(jam, bench.target, bench.root, limit=bench.limit, unguarded=bench.unguarded)
        jam = msgspec.structs.replace(jam, keys=(*told, *jam.keys)) if told else jam
        scene = Scene(jam, sources)
        runners.wait()
        wanted = runners.candidates(scene, min(3.0, seconds / 4))
        runners.began = time.monotonic()
        until = max(until, time.monotonic() + _AT_LEAST * seconds)
        # the rest of the time is for what goes on behind the first edit
        done = runners.all(wanted, until - ((1 - _FIRST) * seconds if jam.phase == "run" else 0.0), progress)
        best = max((item.after for item in done if item.runs), default=-99.0)
        if bench.jam.phase == "run" and best < _POOR:
            done += _further(runners, bench, done, sources, settings, until)
            if not runners.settled and not any(item.runs for item in done):
                tried = set(map(id, done))
                done += runners.all([item for item in wanted if id(item) not in tried], until, progress)
    # where something was refused, nobody knows which trial failed for that
    failed = set() if runners.refused else {item.key.id for item in done if not item.runs}
    made = _judged(bench, [item for item in done if item.runs], len(done), failed)
    made.watched = runners.watched
    return made


def _names_gone(texts: dict[str, str], sources: Sources) -> int:
    """Return how many more names an edit takes out than it puts in: work that may be left out."""
    gone = 0
    for file, text in texts.items():
        before, after = (Counter(_NAME.findall(source)) for source in (sources.text(file) or "", text))
        gone += sum((before - after).values()) - sum((after - before).values())
    return max(gone, 0)


def _of_candidate(candidate: Candidate) -> Tried:
    if candidate.key is not None:
        lines = tuple((edit.file, edit.line) for edit in candidate.edits)
        return Tried(candidate.key, candidate.texts, candidate.score, "", False, lines=lines)
    made, place = candidate.made, candidate.place
    if made is None or place is None:
        raise ValueError("a candidate is made by a turn or a kind")
    title = title_of(candidate.before, made.text, place.file, made.span.line)
    if made.more and not made.text.strip():
        moved = shorten(" ".join(candidate.before.split()), 60)
        title = f"Move `{moved}` from line {made.span.line} to line {made.more[0][1].line} of {place.file}"
    mark = zlib.crc32(repr((made.text, made.more)).encode())
    key = Key(
        id=f"{made.turn.partition(':')[0]}-{made.span.line}-{made.span.column}-{mark}",
        title=title,
        reason="",
        confidence=0.0,
        edits=candidate.edits,
        skips_work=made.skips,
    )
    return Tried(key, candidate.texts, candidate.score, "", False, lines=((place.file, made.span.line),))


class _Runners:
    """Two places for quick trials: warm interpreters where they are to be had, plain runs elsewhere."""

    def __init__(self, bench: Bench, sources: Sources, settings: Settings, *, least: int) -> None:
        self.bench = bench
        self.sources = sources
        self.settings = settings
        self.limit = max(_LEAST_LIMIT, 4 * bench.first.seconds)
        if bench.jam.phase == "hang":
            self.limit = max(1.0, bench.first.seconds)
        self._stack = ExitStack()
        self._lock = threading.Lock()
        self._begun: list[Warm] = []
        self.warm: list[Warm] = []
        #: Trials made however little time a busy machine gives, and those begun.
        self.least = least
        self._tried = 0
        #: When single edits began to be tried; of what goes on behind one none is likely enough to be given up early.
        self.began: float | None = time.monotonic()
        #: Where the value that met the failure was first held.
        self.watched: Root | None = None
        #: Whether any quick trial was refused something; known when the interpreters have ended.
        self.refused = False
        #: Whether what runs or gets past the failure was so likely, in the last round, that it ended.
        self.settled = False
        self._first = bench.first.stdout.decode("utf-8", "replace")
        snag = bench.jam.snag_frame
        self._shown = (snag.file, snag.line or 0) if snag is not None else ("", 0)

    def __enter__(self) -> _Runners:
        if can_be_warm(self.bench.target):
            load = libraries(self.sources)
            for _ in range(2):
                with contextlib.suppress(OSError, JamkeyError):
                    runner = self._stack.enter_context(
                        warm(
                            self.bench.root,
                            self.bench.target,
                            stdin=self.bench.first.stdin,
                            unguarded=self.bench.unguarded,
                            load=load,
                        )
                    )
                    if runner is not None:
                        self._begun.append(runner)
        return self

    def wait(self) -> None:
        """Wait until the interpreters have loaded what the program imports; the time to be sure in begins then."""
        self.warm = [runner for runner in self._begun if runner.ready()]
        self.began = time.monotonic()

    def candidates(self, scene: Scene, seconds: float, most: int = MOST, base: Mapping[str, str] | None = None) -> list[Tried]:
        """Return what is worth a trial, likeliest first, with what the running program says of it.

        Args:
            scene: the failure, diagnosed, with its sources.
            seconds: for gathering.
            most: so many are kept.
            base: the files that are changed already.
        """
        data = self._bytes(base or {})
        if not self.warm or data is None:
            return [_of_candidate(item) for item in candidates(scene, seconds=seconds, most=most)]
        runner, limit = self.warm[0], self.limit

        def asked(found: list[Proposed]) -> list[Proposed]:
            return judged(scene, found, runner, limit, _ASKED, data)

        looked = survey(scene, runner, limit, data) if self.bench.target.is_python else None
        if base is None and looked is not None:
            self.watched = first_seen(scene, looked)
        return [_of_candidate(item) for item in candidates(scene, seconds=seconds, most=most, survey=looked, judged=asked)]

    def __exit__(self, *error: object) -> None:
        self._stack.close()
        self.refused = any(runner.refused for runner in self._begun)

    def sure(self, good: float, left: float, outputs: int = SHOWN) -> bool:
        """Tell whether what was found is likely enough, beside what is left, to try no more.

        While there is less to choose from than is shown, it must be likelier.
        """
        waited = time.monotonic() - self.began if self.began is not None else 0.0
        wanted = SURE * (1 + _FEWER * max(SHOWN - (outputs or SHOWN), 0))
        return good >= wanted / (1 + waited / _HALVED) * left

    def all(
        self, wanted: Sequence[Tried], until: float, progress: Callable[[int, int, Key], None] | None = None
    ) -> list[Tried]:
        """Try as many as there is time for, in order; return those that were.

        It ends when what runs, or gets past the failure, is so much likelier than all that is untried: `settled`.
        """
        todo: Iterator[Tried] = iter(wanted)
        done: list[Tried] = []
        left = sum(math.exp(item.score) for item in wanted)
        good = 0.0
        outputs: set[str] = set()
        fitting = behind = 0

        def work(runner: Warm | None) -> None:
            nonlocal left, good, fitting, behind
            while (time.monotonic() < until or self._tried < self.least) and not self.sure(good, left, len(outputs)):
                with self._lock:
                    item = next(todo, None)
                    self._tried += 1
                    left -= math.exp(item.score) if item is not None else 0.0
                if item is None:
                    return
                if runner is None or not self._quick(runner, item):
                    runner = None  # it is of no more use: go on with plain runs
                    self._plain(item)
                if item.runs:
                    item.gone = _names_gone(item.texts, self.sources)
                    item.shows = self.bench.fits is not None and self._shown in item.lines
                    item.after = item.score + bonus(output_of(item, self._first))
                past = not item.runs and item.score > _TELLING and self._fresh(self.past(item))
                with self._lock:
                    done.append(item)
                    if item.runs and self.bench.fits is not None:
                        fitting += 1
                    behind += fitting > 0
                    if fitting >= SHOWN or behind > _BEHIND_FIT:
                        good = math.inf  # it prints what it should, and others had their turn
                    if item.runs:
                        outputs.add(item.stdout)
                    if (item.runs or past) and not item.key.skips_work:
                        good += math.exp(item.after if item.runs else item.score)
                    if progress is not None:
                        progress(len(done), len(wanted), item.key)

        workers: list[Warm | None] = [*self.warm] or [None, None]
        with ThreadPoolExecutor(max_workers=len(workers)) as pool:
            for future in [pool.submit(work, runner) for runner in workers]:
                future.result()
        self.settled = self.sure(good, left, len(outputs))
        return done

    def past(self, item: Tried) -> Jam | None:
        """Return the failure that follows where a candidate got past the one in question; None where it did not."""
        if self.bench.jam.phase != "run" or not item.stderr or len(item.stdout) < len(self._first):
            return None
        texts = Sources(self.bench.root, item.texts)
        read_there = read(item.stderr, runtime=self.bench.jam.runtime or None)
        after = [locate(other, texts, self.settings) for other in read_there[-1:]]
        if not after or same_jam(self.bench.jam, after[-1]) or after[-1].phase == "compile":
            return None
        return after[-1]

    def _fresh(self, after: Jam | None) -> bool:
        """Tell a failure on a line that had no part in the one in question: only then the program has come further."""
        before = self.bench.jam
        known = {(frame.file, frame.line) for jam in (before, *(link.jam for link in before.chain)) for frame in jam.frames}
        snag = after.snag_frame if after is not None else None
        return snag is not None and (snag.file, snag.line) not in known

    def _quick(self, runner: Warm, item: Tried) -> bool:
        data = self._bytes(item.texts)
        if data is None:
            return True
        ran = runner.run(data, self.limit)
        if ran is None:
            self.warm = [other for other in self.warm if other is not runner]
            return False
        self._note(item, ran)
        return True

    def _bytes(self, texts: Mapping[str, str]) -> dict[str, bytes] | None:
        """Return changed files as they are written; None where one cannot be."""
        data: dict[str, bytes] = {}
        for file, text in texts.items():
            try:
                data[file] = edited((self.bench.root / file).read_bytes(), lambda _, text=text: text, name=file)  # type: ignore[misc]
            except (OSError, JamkeyError):
                return None
        return data

    def _note(self, item: Tried, ran: Ran) -> None:
        item.stdout = ran.stdout.encode("latin-1").decode("utf-8", "replace")
        item.stderr = ran.stderr.encode("latin-1").decode("utf-8", "replace")
        threads = "Exception in thread " in item.stderr or "exception was never retrieved" in item.stderr
        item.runs = ran.status == 0 and not ran.limit and not threads
        if item.runs and self.bench.fits is not None:
            item.runs = self.bench.fits(item.stdout.encode())

    def _plain(self, item: Tried) -> None:
        trial = self.bench.try_one(item.key)
        item.stdout, item.stderr = trial.printed, trial.next or ""
        item.runs = trial.outcome == "runs"
        item.key = msgspec.structs.replace(item.key, trial=trial)


def _further(
    runners: _Runners, bench: Bench, done: Sequence[Tried], sources: Sources, settings: Settings, until: float
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
        joined = []
        for other in wanted:
            whole = {**item.texts, **other.texts}
            edits = tuple(edit for file, text in whole.items() for edit in between(file, sources.text(file) or "", text))
            key = msgspec.structs.replace(
                other.key,
                id=f"{item.key.id}-{other.key.id}",
                title=f"{item.key.title}, then {other.key.title[:1].lower()}{other.key.title[1:]}",
                reason="With both edits together the program runs to its end.",
                edits=edits,
                skips_work=item.key.skips_work or other.key.skips_work,
            )
            joined.append(Tried(key, whole, item.score + other.score, "", False, lines=(*item.lines, *other.lines)))
        found += runners.all(joined, until)
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


def output_of(item: Tried, first: str) -> Output:
    """Return what is known of an edit that runs; `first` is what was printed before it."""
    return Output(item.score, item.stdout, first, item.gone, item.key.skips_work, item.shows)


def ranked_outputs(outputs: Sequence[Output], weights: Mapping[str, float] | None = None) -> list[list[int]]:
    """Return the places of what prints the same, likeliest output first, in each the likeliest edit first."""
    odds = [math.exp(weigh(item, weights)) for item in beside_others(outputs)]
    groups: dict[str, list[int]] = {}
    for place, item in enumerate(outputs):
        groups.setdefault(item.stdout, []).append(place)
    made = [sorted(places, key=lambda place: -odds[place]) for places in groups.values()]
    return sorted(made, key=lambda places: -sum(odds[place] for place in places))


def _judged(bench: Bench, running: list[Tried], tried: int, failed: set[str]) -> Found:
    """Group what runs by what it prints; confirm the likeliest of the likeliest groups by a plain run."""
    first = bench.first.stdout.decode("utf-8", "replace")
    outputs = beside_others([output_of(item, first) for item in running])
    odds = [math.exp(weigh(item)) for item in outputs]
    whole = sum(odds) + none_right()
    found = Found(tried=tried, failed=failed)
    for places in ranked_outputs(outputs):
        if len(found.keys) >= SHOWN:
            break
        for place in places[:2]:
            item = running[place]
            trial = item.key.trial if item.key.trial.outcome != "untried" else bench.try_one(item.key)
            if trial.outcome != "runs":
                continue
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
    for place, item in enumerate(running):
        for line in dict.fromkeys(item.lines):
            found.lines[line] = found.lines.get(line, 0.0) + odds[place] / whole
    return found


def _leaves_work_out(output: Output) -> bool:
    """Tell a key with which something is no longer done: its names are gone, or what was printed before is."""
    return output.gone >= _WORK or loses(output) or is_uncalled(later(output.stdout, output.first))


def roots_with(jam: Jam, found: Found) -> tuple[Root, ...]:
    """Return the roots with what the search says: a place where a small edit makes the program run is one.

    Args:
        jam: diagnosed.
        found: by the search for its keys.
    """
    made: list[Root] = []
    own = {(root.file, root.line): root for root in jam.roots}
    if found.watched is not None:
        at = (found.watched.file, found.watched.line)
        before = own.pop(at, None)
        sure = max(before.confidence, _WATCHED) if before is not None else _WATCHED
        steps = before.steps if before is not None else ()
        own = {at: msgspec.structs.replace(found.watched, confidence=sure, steps=steps), **own}
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
