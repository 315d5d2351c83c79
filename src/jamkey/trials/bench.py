"""Try keys on a copy of the project, with the same arguments and the same input."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path

import msgspec

from jamkey.errors import NoSandbox, UnreadableInput
from jamkey.follow.cell_module import rewritten
from jamkey.follow.sources import Sources
from jamkey.model import Edit, Jam, Key, Trial
from jamkey.observe.capture import Captured
from jamkey.observe.target import Target
from jamkey.text import decode, edited, newlines, plain, shorten
from jamkey.trials.order import is_no_way_on
from jamkey.trials.scratch import Scratch, scratch

#: A trial may take this many times the first run, and never less than the least, in seconds.
TIMES_FIRST, LEAST_LIMIT = 5.0, 5.0
#: Seconds for a trial of a program that hung, at least.
LEAST_HANG = 2.0
#: Keys tried at most for one jam.
MOST_KEYS = 8
#: The same where the expected output judges.
MOST_JUDGED = 56
_PRINTED = 400
_MOST_WRITES = 10
#: Seconds of trials after which a key that runs is enough.
_PATIENCE = 2.0
#: Reads the failures of a run in a place.
Reader = Callable[[Captured, Scratch], list[Jam]]

#: What an outcome counts for in the ranking; see docs/architecture.md.
WEIGHT = {"runs": 1.0, "moved": 0.75, "untried": 0.4, "timeout": 0.1, "same": 0.05, "worse": 0.0}


class Bench:
    """A project prepared for trials.

    Args:
        root: the project folder, which is the working folder of the run.
        target: what was run there.
        first: how the first run ended.
        jam: the failure the keys are for.
        read: reads the failures of a trial.
        unguarded: run trials also where nothing holds them.
        fits: tells whether what a trial printed is what should be printed; None when nobody said.
    """

    def __init__(
        self,
        root: Path,
        target: Target,
        first: Captured,
        jam: Jam,
        read: Reader,
        *,
        fits: Callable[[bytes], bool] | None = None,
        unguarded: bool = False,
    ) -> None:
        self.unguarded = unguarded
        self.fits = fits
        #: Keys tried at most: where what should be printed is known, a trial tells more than a likelihood.
        self.most = MOST_KEYS if fits is None or jam.phase != "quiet" else MOST_JUDGED
        self.root = root
        self.target = target
        self.first = first
        self.jam = jam
        self.read = read
        self.sources = Sources(root)
        #: Key -> the failure behind the one that it gets past, and all that was said of it.
        self.behind: dict[str, tuple[Jam, str]] = {}
        # a program that hung was stopped: what mends it ends well before that
        self.limit = (
            max(LEAST_HANG, 1.5 * first.seconds) if jam.phase == "hang" else max(LEAST_LIMIT, TIMES_FIRST * first.seconds)
        )

    def try_all(self, keys: Sequence[Key]) -> Iterator[tuple[int, Key]]:
        """Try keys two at a time; yield (place in the list, key with its trial) in the order of the list."""
        wanted = [index for index, key in enumerate(keys) if key.edits][: self.most]
        if not wanted:
            return
        start = time.monotonic()
        good = False
        with ThreadPoolExecutor(max_workers=2) as pool:
            for pair in (wanted[place : place + 2] for place in range(0, len(wanted), 2)):
                if good and time.monotonic() - start > max(_PATIENCE, self.first.seconds):
                    # a slow program: what is likelier has been tried and runs, the rest stays untried
                    return
                for index, future in [(index, pool.submit(self.try_one, keys[index])) for index in pair]:
                    key = msgspec.structs.replace(keys[index], trial=future.result())
                    good = good or (key.trial.outcome == "runs" and not key.skips_work)
                    yield index, key

    def try_one(self, key: Key, limit: float | None = None) -> Trial:
        """Apply the key in a place of its own, run it there, and say what happened.

        Args:
            key: to try.
            limit: seconds, where they are not the usual ones.
        """
        try:
            with scratch(self.root, unguarded=self.unguarded) as place:
                if not _apply(key, place):
                    return Trial()
                place.ready()
                ended = place.run(self.target, stdin=self.first.stdin, limit=limit or self.limit)
                trial = self._unless_emptied(self.judge(key, ended, place), place)
                trial = msgspec.structs.replace(trial, writes=place.changed()[:_MOST_WRITES])
        except OSError as error:
            return Trial(outcome="untried", next=str(error.strerror))
        except (NoSandbox, UnreadableInput) as error:
            return Trial(outcome="untried", next=str(error))
        refused = ended.refused or (ended.unsure if trial.outcome != "runs" else ())
        if not refused:
            return trial
        # what it was kept from doing may be why it ended so
        words = "refused: " + "; ".join(_inside(text, place) for text in refused[:3])
        return msgspec.structs.replace(trial, outcome="untried", next=words, refused=refused)

    def _unless_emptied(self, trial: Trial, place: Scratch) -> Trial:
        """Return the trial; as a worse one where it made an end of the failure by emptying what was to be read."""
        if trial.outcome != "runs" or self.fits is not None:
            return trial
        said = self.jam.wording or ""
        for name in place.emptied():
            if (self.root / name).exists() or os.path.basename(name) in said:
                return msgspec.structs.replace(trial, outcome="worse", next=f"{name} is empty then")
        return trial

    def judge(self, key: Key, ended: Captured, place: Scratch) -> Trial:
        """Compare a key's trial with the first run, and with what should be printed where that was said."""
        printed = _beyond(self.first.stdout, ended.stdout)
        seconds = round(ended.seconds, 3)
        if ended.hit_limit:
            _forget(ended.wire)
            return Trial(outcome="timeout", next=f"still running after {self.limit:.0f} s", printed=printed, seconds=seconds)
        jams = self.read(ended, place)
        if ended.status == 0 and not jams and self.fits is not None and not self.fits(ended.stdout):
            same = ended.stdout == self.first.stdout
            return Trial(
                outcome="same" if same else "moved",
                next="it prints something else than it should",
                printed=printed,
                seconds=seconds,
            )
        if ended.status == 0 and not jams:
            return Trial(outcome="runs", printed=printed, seconds=seconds)
        jam = jams[-1] if jams else None
        if jam is None:
            return Trial(outcome="worse", next=f"exit status {ended.status}", printed=printed, seconds=seconds)
        where = f"{jam.snag_frame.file}:{jam.snag_frame.line} " if jam.snag_frame else ""
        outcome = "moved"
        if same_jam(self.jam, jam):
            outcome = "same"
        elif len(ended.stdout) < len(self.first.stdout) or self.is_no_way_on(jam, key.edits):
            outcome = "worse"
        else:
            self.behind[key.id] = jam, decode(ended.stderr)
        return Trial(outcome=outcome, next=shorten(where + jam.headline, 160), printed=printed, seconds=seconds)  # type: ignore[arg-type]

    def is_no_way_on(self, after: Jam, edits: Sequence[Edit]) -> bool:
        """Tell whether the failure after some edits is one that they made, or is met before the one that is to be mended."""
        return is_no_way_on(self.jam, after, edits, self.sources, decode(self.first.stderr))


def same_jam(one: Jam, other: Jam) -> bool:
    """Tell whether two failures are the same one, whatever lines were inserted above."""
    if one.exception_type != other.exception_type:
        return False
    here, there = one.snag_frame, other.snag_frame
    if here is None or there is None:
        return one.message == other.message
    same_place = here.file == there.file and here.function == there.function
    if one.phase == "compile":
        stands = here.line == there.line or (here.source is not None and here.source == there.source)
        return same_place and one.message == other.message and stands
    return same_place and (one.message == other.message or here.source == there.source)


def _forget(wire: str) -> None:
    Path(wire).unlink(missing_ok=True)


def _beyond(before: bytes, after: bytes) -> str:
    """Return what was printed after the part that both runs share, bounded."""
    shared: bytes = os.path.commonprefix([before, after])  # type: ignore[assignment]
    cut = shared.rfind(b"\n") + 1
    text = after[cut:]
    return shorten(plain(text.decode("utf-8", "replace")).strip("\n"), _PRINTED)


def _apply(key: Key, place: Scratch) -> bool:
    """Put the key's edits into the place; False when a file is not in the project."""
    for file in {edit.file for edit in key.edits}:
        path = place.root / file
        if not path.is_file():
            return False
        data = edited(path.read_bytes(), partial(rewritten, edits=[edit for edit in key.edits if edit.file == file]), name=file)
        if not place.put(file, data, newlines(decode(data))):
            return False
    return True


def _inside(text: str, place: Scratch) -> str:
    """Return what was refused without our own folder's name."""
    return text.replace(str(place.folder), "...")


def score(key: Key) -> float:
    """Return what a key is ranked by: the trial first, then its own confidence."""
    value = 0.6 * WEIGHT[key.trial.outcome] + 0.4 * key.confidence
    if key.skips_work:
        value -= 0.3
    if key.trial.outcome == "runs" and looks_empty(key.trial.printed):
        value -= 0.12
    return value


#: How the runtimes print a value that is none.
NO_VALUE = frozenset("None nan NaN NaT NA undefined null nil inf Inf Infinity".split())


def looks_empty(printed: str) -> bool:
    """Tell whether a value went missing silently: its word stands in what was printed."""
    words = printed.replace(",", " ").replace("[", " ").replace("]", " ").split()
    return any(word.strip(":;()-") in NO_VALUE for word in words)


def rank(keys: Sequence[Key]) -> tuple[Key, ...]:
    """Return the keys best first; one that only hides the failure is never first while another may do."""
    return tuple(sorted(keys, key=lambda key: -score(key)))
