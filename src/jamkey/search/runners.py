"""Two places for quick trials of one failure: the running program is asked, and what is worth a trial is tried in turn."""

from __future__ import annotations

import contextlib
import itertools
import math
import os
import re
import threading
import time
import zlib
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass

import msgspec

from jamkey.errors import JamkeyError
from jamkey.follow.frames import locate
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages import language_of
from jamkey.languages.trees import is_whole
from jamkey.model import Jam, Key, Root
from jamkey.pipeline import read
from jamkey.repair.of_prompts import typed
from jamkey.search.accepted import Accepted
from jamkey.search.candidates import MOST, Candidate, candidates
from jamkey.search.first_seen import first_seen
from jamkey.search.judge import judged
from jamkey.search.outputs import Output, bonus
from jamkey.search.survey import survey
from jamkey.search.titles import title_of
from jamkey.search.weights import Proposed
from jamkey.settings import Settings
from jamkey.text import edited, shorten
from jamkey.trials.bench import Bench, same_jam
from jamkey.trials.warm import Ran, Warm, can_be_warm, libraries, warm

#: It ends when what runs is so many times as likely as all that is untried; half as many are enough
#: after these seconds, a third after twice as many, and so on: whoever waits has less and less to gain.
SURE, _HALVED = 1.5, 6.0
#: Seconds in which trials go on although what runs is likelier than what is left, if it is not likely by itself.
_FLOOR, _LIKELY = 0.7, 0.5
#: How much more is asked for each output by which there are fewer than are shown.
_FEWER = 0.5
#: Outputs that are shown.
SHOWN = 3
#: A quick trial may take this many seconds at least.
_LEAST_LIMIT = 2.0
#: The same of a program that was stopped: what mends it mostly ends at once, and what does not takes all that it may.
_HANG_LIMIT = 1.0
#: What an edit that only gets past the failure counts: another may make the program run.
_PAST = 0.3
#: Log of how many times likelier than any other an edit is that need not make the program run, where what follows is mended in
#: its turn; so many others are tried all the same.
_ALONE, _OTHERS = math.log(8), 24
#: Log of the least likelihood with which a candidate that gets past the failure is a reason to go on from there.
_TELLING = math.log(0.02)
#: Seconds of a run from which on each is thought about twice.
SLOW = 0.4
#: Share of all that is likely from which on an edit is tried before the program is asked.
AT_ONCE = 0.5
#: Seconds for asking the running program what edits would do.
_ASKED = 2.0
#: Tries after the first that prints what it should; where each that is wrong takes all its time.
_BEHIND_FIT, _BEHIND_HANG = 80, 16
_NAME = re.compile(r"\w+")
#: What runtimes call what they warn of.
_WARNS = re.compile(r"(?i)\bwarnings?\b|Warning:")
#: What a compiler begins each of its refusals with.
_ERROR = ": error: "


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
    #: Whether it changes only how far a loop goes in which the program failed.
    bounds: bool = False
    #: Whether the runtime warns of something that it did not warn of before.
    warned: bool = False
    #: Log of how likely it is, after its trial.
    after: float = 0.0
    #: Whether its trial took all its time.
    late: bool = False


def names_gone(texts: dict[str, str], sources: Sources) -> int:
    """Return how many more names an edit takes out than it puts in: work that may be left out."""
    gone = 0
    for file, text in texts.items():
        language = language_of(file)
        before, after = (
            Counter(_NAME.findall(source))
            for source in (typed(sources.text(file) or "", language.name if language is not None else ""), text)
        )
        gone += sum((before - after).values()) - sum((after - before).values())
    return max(gone, 0)


def _loop_heads(jam: Jam, sources: Sources) -> set[tuple[str, int]]:
    """Return the heads of the loops in which a program failed."""
    found: set[tuple[str, int]] = set()
    for frame in jam.frames:
        code = sources.code(frame.file, jam.runtime) if frame.owner == "yours" and frame.line else None
        found |= {(frame.file, loop.span.line) for loop in code.loops(frame.line or 0)} if code is not None else set()
    return found


def _of_candidate(candidate: Candidate) -> Tried:
    if candidate.key is not None:
        lines = tuple((edit.file, edit.line) for edit in candidate.edits)
        return Tried(candidate.key, candidate.texts, candidate.score, "", False, lines=lines)
    made, place = candidate.made, candidate.place
    if made is None or place is None:
        raise ValueError("a candidate is made by a turn or a kind")
    title = title_of(candidate.before, made.text, place.file, made.span.line)
    moved = shorten(" ".join(candidate.before.split()), 60)
    if made.more and not made.text.strip() and moved in " ".join(made.more[0][2].split()):
        title = f"Move `{moved}` from line {made.span.line} to line {made.more[0][1].line} of {place.file}"
    elif made.turn.startswith("caught:whole"):
        title += f", and catch it in lines {made.more[0][1].line} to {made.more[0][1].end_line - 1}"
    elif made.turn.startswith("each:"):
        title += (
            f", and the same at {'one more place' if len(made.more) == 1 else f'{len(made.more)} more places'} of the statement"
        )
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


def output_of(item: Tried, first: str) -> Output:
    """Return what is known of an edit that runs; `first` is what was printed before it."""
    return Output(
        item.score, item.stdout, first, item.gone, item.key.skips_work, item.shows, warned=item.warned, bounds=item.bounds
    )


class Runners:
    """Two places for quick trials: warm interpreters where they are to be had, plain runs elsewhere."""

    def __init__(self, bench: Bench, sources: Sources, settings: Settings, *, least: int) -> None:
        self.bench = bench
        self.sources = sources
        self.settings = settings
        self.limit = max(_LEAST_LIMIT, 4 * bench.first.seconds)
        self._hangs = bench.jam.phase == "hang"
        if self._hangs:
            self.limit = _HANG_LIMIT
        self._stack = ExitStack()
        self._lock = threading.Lock()
        self._ended = threading.Condition(self._lock)
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
        #: What a compiler says of texts before they are tried.
        self._accepted = Accepted(bench.jam.runtime, sources)
        self._numbers = itertools.count()
        self._first = bench.first.stdout.decode("utf-8", "replace")
        self._told = bench.first.stderr.decode("utf-8", "replace")
        snag = bench.jam.snag_frame
        self._loop_heads = _loop_heads(bench.jam, sources) if bench.jam.phase == "run" else set()
        self._shown = (snag.file, snag.line or 0) if snag is not None else ("", 0)

    def __enter__(self) -> Runners:
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
            return found if nothing_seen else judged(scene, found, runner, limit, _ASKED, data)

        looked = survey(scene, runner, limit, data) if self.bench.target.is_python else None
        nothing_seen = looked is not None and not looked
        if base is None and looked is not None:
            self.watched = first_seen(scene, looked)
        return [_of_candidate(item) for item in candidates(scene, seconds=seconds, most=most, survey=looked, judged=asked)]

    def __exit__(self, *error: object) -> None:
        self._accepted.close()
        self._stack.close()
        self.refused = any(runner.refused for runner in self._begun)

    def sure(self, good: float, left: float, outputs: int = SHOWN) -> bool:
        """Tell whether what was found is likely enough, beside what is left, to try no more.

        While there is less to choose from than is shown, it must be likelier.
        """
        waited = time.monotonic() - self.began if self.began is not None else 0.0
        if self.began is not None and waited < _FLOOR and good < _LIKELY:
            return False
        wanted = SURE * (1 + _FEWER * max(SHOWN - (outputs or SHOWN), 0))
        return good >= wanted / (1 + waited / _HALVED) * left

    def at_once(self, scene: Scene, seconds: float) -> list[Tried]:
        """Run the likeliest two edits plainly, side by side; none where no edit is likely before the program is asked anything.

        Of a program that takes its time a run tells more than two runs that ask it.

        Args:
            scene: the failure, diagnosed, with its sources.
            seconds: for gathering.
        """
        found = candidates(scene, seconds=seconds, most=MOST)
        whole = sum(math.exp(item.score) for item in found)
        if not found or math.exp(found[0].score) < AT_ONCE * max(whole, 1.0):
            return []
        wanted = [_of_candidate(item) for item in found[:2]]
        with ThreadPoolExecutor(max_workers=len(wanted)) as pool:
            for future in [pool.submit(self._plain, item) for item in wanted]:
                future.result()
        for item in wanted:
            self._look_at(item)
        return wanted

    def _look_at(self, item: Tried) -> None:
        """Note what an edit that ran says of itself by what it printed."""
        if item.runs:
            item.gone = max(item.gone, names_gone(item.texts, self.sources))
            item.warned = bool(_WARNS.search(item.stderr)) and not _WARNS.search(self._told)
            item.bounds = bool(item.lines) and set(item.lines) <= self._loop_heads
            item.shows = self.bench.fits is not None and self._shown in item.lines
            item.after = item.score + bonus(output_of(item, self._first))

    def all(
        self,
        wanted: Sequence[Tried],
        until: float,
        progress: Callable[[int, int, Key], None] | None = None,
        *,
        steps: bool = True,
        in_turn: bool = False,
    ) -> list[Tried]:
        """Try as many as there is time for, in order; return those that were.

        It ends when what runs, or gets past the failure, is so much likelier than all that is untried: `settled`.

        Args:
            wanted: likeliest first.
            until: monotonic time.
            progress: called with (tried, of, key) after each.
            steps: what only comes further is worth a trial in its turn.
            in_turn: one that gets past the failure, and stands out before any trial, is enough while none runs.
        """
        first = next((file for item in wanted for file in item.texts), "")
        text = self.sources.text(first) if first else None
        numbers = {id(item): next(self._numbers) for item in wanted}
        asked = [(numbers[id(item)], item.texts) for item in wanted]
        self._accepted.ask(asked, before=(first, text) if text is not None else None)
        todo: Iterator[Tried] = iter(wanted)
        #: What a compiler refuses: tried only where it refuses the program as it is, after the rest.
        later: list[Tried] = []
        done: list[Tried] = []
        left = sum(math.exp(item.score) for item in wanted)
        good = 0.0
        stands_out = in_turn and len(wanted) > 1 and wanted[0].score - wanted[1].score >= _ALONE
        is_past = False
        outputs: set[str] = set()
        fitting = behind = 0
        compiles = self.bench.jam.phase == "compile"
        slow = self.bench.first.seconds >= SLOW
        #: What is being tried -> how likely it is.
        flying: dict[int, float] = {}

        def work(runner: Warm | None) -> None:
            nonlocal left, good, fitting, behind, is_past
            while (time.monotonic() < until or self._tried < self.least) and not self.sure(good, left, len(outputs)):
                with self._lock:
                    # what runs at this moment may be all that was needed: where a run takes its time, that is waited for
                    while slow and flying and self.sure(good + sum(flying.values()), left, len(outputs)):
                        self._ended.wait()
                    if self.sure(good, left, len(outputs)):
                        return
                    item = next(todo, None)
                    left -= math.exp(item.score) if item is not None else 0.0
                if item is not None and self._accepted.refuses(numbers[id(item)], broken=compiles):
                    if not (compiles and steps and self._accepted.reads_on(numbers[id(item)])):
                        later.append(item)
                        continue
                if item is None and compiles and later:
                    with self._lock:
                        item = later.pop(0) if later else None
                if item is None:
                    return
                with self._lock:
                    flying[id(item)] = math.exp(item.score)
                self._tried += 1
                try:
                    if runner is None or not self._quick(runner, item):
                        runner = None  # it is of no more use: go on with plain runs
                        self._plain(item)
                    self._look_at(item)
                    past = not item.runs and item.score > _TELLING and self.is_further(self.past(item))
                except BaseException:
                    with self._lock:
                        del flying[id(item)]
                        self._ended.notify_all()  # nobody waits for what will not end
                    raise
                with self._lock:
                    del flying[id(item)]
                    self._ended.notify_all()
                    done.append(item)
                    if item.runs and self.bench.fits is not None:
                        fitting += 1
                    behind += fitting > 0
                    if fitting >= SHOWN or behind > (_BEHIND_HANG if self._hangs else _BEHIND_FIT):
                        good = math.inf  # it prints what it should, and others had their turn
                    if item.runs:
                        outputs.add(item.stdout)
                    is_past = is_past or (past and stands_out and item is wanted[0] and not item.key.skips_work)
                    if is_past and len(done) > _OTHERS and not outputs:
                        good = math.inf
                    if (item.runs or past) and not item.key.skips_work:
                        good += math.exp(item.after) if item.runs else _PAST * math.exp(item.score)
                    if progress is not None:
                        progress(len(done), len(wanted), item.key)

        workers: list[Warm | None] = [*self.warm] or [None, None]
        with ThreadPoolExecutor(max_workers=len(workers)) as pool:
            for future in [pool.submit(work, runner) for runner in workers]:
                future.result()
        self.settled = self.sure(good, left, len(outputs))
        return done

    def again(self, done: Sequence[Tried], until: float) -> list[Tried]:
        """Try once more, with all the time that the program itself was given, what took all that it had."""
        self.limit = max(self.limit, self.bench.first.seconds)
        return self.all([item for item in done if item.late], until)

    def past(self, item: Tried) -> Jam | None:
        """Return the failure that follows where a candidate got past the one in question; None where it did not."""
        compiled = self.bench.jam.phase == "compile"
        if not compiled and self.bench.jam.phase != "run":
            return None
        texts = Sources(self.bench.root, item.texts)
        after, said = self.bench.behind.get(item.key.id, (None, item.stderr))
        if after is None:
            if not said or len(item.stdout) < len(self._first):
                return None
            there = read(said, runtime=self.bench.jam.runtime or None)[-1:]
            after = locate(there[0], texts, self.settings) if there else None
            if after is None or same_jam(self.bench.jam, after) or self.bench.is_no_way_on(after, item.key.edits):
                return None
        if compiled and after.phase == "compile" and not self._reads_on(said, after, texts):
            return None
        return after

    def _reads_on(self, said: str, after: Jam, texts: Sources) -> bool:
        """Tell whether a compiler refuses something else, and no more than before, in a text whose grammar is whole."""
        snag = after.snag_frame
        if snag is None or not self.is_further(after):
            return False
        before = self.bench.first.stderr.decode("utf-8", "replace")
        language = language_of(snag.file)
        ending = os.path.splitext(snag.file)[1].lower()
        fewer = said.count(_ERROR) <= before.count(_ERROR)
        return fewer and language is not None and is_whole(texts.text(snag.file) or "", language.name, ending)

    def is_further(self, after: Jam | None) -> bool:
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
        item.late = ran.limit
        item.stdout = ran.stdout.encode("latin-1").decode("utf-8", "replace")
        item.stderr = ran.stderr.encode("latin-1").decode("utf-8", "replace")
        threads = "Exception in thread " in item.stderr or "exception was never retrieved" in item.stderr
        item.runs = ran.status == 0 and not ran.limit and not threads
        if item.runs and self.bench.fits is not None:
            item.runs = self.bench.fits(item.stdout.encode())

    def _plain(self, item: Tried) -> None:
        trial = self.bench.try_one(item.key, self.limit) if self._hangs else self.bench.try_one(item.key)
        item.late = self._hangs and (trial.seconds or 0.0) >= self.limit
        item.stdout, item.stderr = trial.printed, trial.next or ""
        item.runs = trial.outcome == "runs"
        item.key = msgspec.structs.replace(item.key, trial=trial)
