"""A program run, read, and mended: what `run` and `fix` do, as calls of the library."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import msgspec

from jamkey.errors import UsageError
from jamkey.follow.history import names_in_question, with_history
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Change, Jam, Key, Trial
from jamkey.observe.capture import Captured, capture
from jamkey.observe.target import Target
from jamkey.observe.typed import Typed
from jamkey.runs.cells_below import cells_below
from jamkey.runs.doubts import watched
from jamkey.runs.parted import parted
from jamkey.runs.read_run import diagnose_run, jams_of, project_of
from jamkey.runs.second_run import watched_run
from jamkey.runs.surely import Claim, findings, surely
from jamkey.runs.wrong_result import judged, quiet_jam, same_output
from jamkey.search.by_trial import ranked_keys, roots_with, search, searchable
from jamkey.search.first_seen import first_seen, with_watched
from jamkey.search.survey import survey
from jamkey.settings import Settings, load
from jamkey.text import decode
from jamkey.trials.apply import apply, diff, digest
from jamkey.trials.bench import LEAST_LIMIT, TIMES_FIRST, Bench
from jamkey.trials.scratch import Scratch
from jamkey.trials.warm import can_be_warm, libraries, warm

#: Rounds of the fix loop at most.
MOST_ROUNDS = 12
#: A watched run may take so many times as long as the plain one, and so many seconds more.
_SLOWER, _MORE = 4.0, 20.0
#: Seconds that a run may take in which the expressions are looked at, where no limit is set.
_AGAIN = 60.0


@dataclass
class Outcome:
    """One run with what was read from it."""

    status: int
    jams: list[Jam]
    ended: Captured
    root: Path
    #: What should be printed; None when nobody said.
    expected: str | None = None
    #: What was found about what somebody is sure of.
    claims: list[Claim] = field(default_factory=list)


@dataclass
class Round:
    """One round of the fix loop."""

    outcome: Outcome
    #: The failure that is worked on, its keys tried and ranked.
    jam: Jam | None
    applied: Key | None = None
    #: What this round changed.
    diff: str = ""
    #: What all rounds so far have changed.
    summary: str = ""


@dataclass
class Fixing:
    """The whole loop."""

    rounds: list[Round] = field(default_factory=list)

    @property
    def runs(self) -> bool:
        """Whether the program runs now."""
        return bool(self.rounds) and self.rounds[-1].jam is None and self.rounds[-1].outcome.status == 0


def run_captured(
    target: Target,
    cwd: Path,
    *,
    stdin: bytes | Typed = b"",
    limit: float = 0.0,
    echo: bool = False,
    settings: Settings | None = None,
    expected: str | None = None,
    doubts: bool = False,
    sure: Sequence[str] = (),
) -> Outcome:
    """Run a target to its end, captured, and read and diagnose its failures.

    Args:
        target: what to run.
        cwd: the working folder.
        stdin: what it may read.
        limit: seconds, 0 for none.
        echo: pass on what it prints.
        settings: the project's.
        expected: what it should print; anything else is a failure of the quiet kinds.
        doubts: look for what went quietly wrong although nobody said what should be printed.
        sure: expressions that should hold at the end, or of what a function returns; see `surely`.

    Raises:
        UsageError: one of `sure` is no expression, or cannot be asked of this target.
    """
    ended = capture(
        target.argv, executable=target.executable, cwd=cwd, stdin=stdin, limit=limit, echo=echo, runtime=target.runtime
    )
    root = project_of(target, cwd)
    jams = diagnose_run(
        ended.stderr,
        ended.wire,
        root,
        target=target,
        status=ended.status,
        stdout=ended.stdout,
        settings=settings,
        stdin=ended.stdin,
        hung=ended.seconds if ended.hit_limit else 0.0,
    )
    claims: list[Claim] = []
    unguarded = settings is not None and settings.unguarded
    longest = _SLOWER * ended.seconds + _MORE
    if not jams and ended.status == 0 and sure:
        claims = surely(sure, target, root, stdin=ended.stdin, limit=longest, unguarded=unguarded)
    denied = findings(claims)
    if not jams and ended.status == 0 and (expected is not None or doubts or denied):
        if expected is None or not same_output(ended.stdout, expected, settings.near if settings else 0.0):
            run = watched(target, root, stdin=ended.stdin, limit=longest, unguarded=unguarded, printed=ended.stdout)
            seen = [*denied, *run.findings]
            if run.printed is not None and run.printed != ended.stdout:
                outputs = (ended.stdout, run.printed)
                seen += parted(target, root, outputs, stdin=ended.stdin, limit=longest, unguarded=unguarded)
            quiet = quiet_jam(target, ended.stdout, ended.stderr, root, expected=expected, settings=settings, seen=seen)
            jams = [msgspec.structs.replace(quiet, watched=tuple(run.tables))] if quiet is not None else []
    return Outcome(ended.status, jams, ended, root, expected, claims)


def tried(
    outcome: Outcome,
    target: Target,
    jam: Jam,
    *,
    settings: Settings | None = None,
    progress: Callable[[int, int, Key], None] | None = None,
    in_turn: bool = False,
) -> Jam:
    """Return the jam with its keys tried on copies and ranked.

    Args:
        outcome: the run in which the jam arose.
        target: what was run.
        jam: one of the outcome's.
        settings: the project's.
        progress: called with (done, of, key) after each trial.
        in_turn: the failure that follows will be mended next.
    """

    chosen = settings or load(outcome.root)

    def read_trial(ended: Captured, place: Scratch) -> list[Jam]:
        from jamkey.follow.frames import locate

        sources = place.sources()
        jams = jams_of(ended.stderr, ended.wire, target=target, status=ended.status, stdout=ended.stdout, sources=sources)
        return [locate(found, sources, chosen) for found in jams]

    if target.notebook is not None and jam.phase == "run":
        jam = _with_keys_of_script(outcome, target, jam, chosen, progress)
    expected = outcome.expected
    fits = None if expected is None else lambda printed: same_output(printed, expected, chosen.near)
    bench = Bench(outcome.root, target, outcome.ended, jam, read_trial, fits=fits, unguarded=chosen.unguarded)
    sources = Sources(outcome.root)
    if searchable(jam, target, sources) and (jam.phase != "quiet" or expected is not None):
        found = search(bench, jam, sources, chosen, progress=progress, in_turn=in_turn)
        jam = msgspec.structs.replace(jam, roots=roots_with(jam, found))
        told = [other.edits for other in found.keys]
        rest = [key for key in jam.keys if key.id not in found.failed and not (key.edits and key.edits in told)]
        if found.keys:
            mended = msgspec.structs.replace(jam, keys=(*found.keys, *rest))
            return judged(mended) if jam.phase == "quiet" else mended
    keys = list(jam.keys)
    total = min(len([key for key in keys if key.edits]), bench.most)
    for done, (index, key) in enumerate(bench.try_all(jam.keys), 1):
        keys[index] = key
        if progress is not None:
            progress(done, total, key)
    jam = msgspec.structs.replace(jam, keys=ranked_keys(keys))
    return judged(jam) if jam.phase == "quiet" and expected is not None else jam


def _with_keys_of_script(
    outcome: Outcome, target: Target, jam: Jam, settings: Settings, progress: Callable[[int, int, Key], None] | None
) -> Jam:
    """Return a notebook's jam with the keys that the search finds for its cells as a script; they are not tried yet."""
    limit = max(LEAST_LIMIT, TIMES_FIRST * outcome.ended.seconds)
    given = outcome.ended.stdin
    with cells_below(target, outcome.root, jam, limit=limit, settings=settings, stdin=given) as below:
        if below is None:
            return jam
        ran = Outcome(below.ended.status, [below.jam], below.ended, below.root)
        found = below.back(tried(ran, below.target, below.jam, settings=settings, progress=progress).keys)
    untried = [msgspec.structs.replace(key, trial=Trial()) for key in found if key.trial.outcome in ("runs", "moved")]
    told = [key.edits for key in untried]
    return msgspec.structs.replace(jam, keys=(*untried, *(key for key in jam.keys if not key.edits or key.edits not in told)))


def again(jam: Jam, target: Target, root: Path, *, stdin: bytes = b"", limit: float = 0.0, unguarded: bool = False) -> Jam:
    """Run a Python target once more, on a copy, recording the names in question; return the jam with what that tells.

    Args:
        jam: of the first run, diagnosed.
        target: what was run.
        root: the project folder.
        stdin: what the first run read.
        limit: seconds, 0 for none.
        unguarded: run it also where nothing holds it in its folders.

    Raises:
        UsageError: the target is not a Python program.
        NoSandbox: nothing can hold it here, and `unguarded` is not said.
    """
    if not target.is_recordable:
        raise UsageError("--again records Python scripts only: leave it out here")
    sources = Sources(root)
    names = names_in_question(jam, sources)
    if not names:
        return jam
    _, changes, total = watched_run(target, root, names, stdin=stdin, limit=limit, unguarded=unguarded)
    if jam.phase == "hang":
        return _with_rounds(jam, names, changes, total, limit)
    return _with_first(with_history(jam, changes, sources), target, sources, stdin=stdin, limit=limit, unguarded=unguarded)


def _with_first(jam: Jam, target: Target, sources: Sources, *, stdin: bytes, limit: float, unguarded: bool) -> Jam:
    """Watch the expressions on the way in one more run: where the bad value was first held is a root."""
    if sources.root is None or not can_be_warm(target) or jam.snag is None:
        return jam
    scene = Scene(jam, sources)
    with warm(sources.root, target, stdin=stdin, unguarded=unguarded, load=libraries(sources)) as runner:
        watched = first_seen(scene, survey(scene, runner, limit or _AGAIN)) if runner is not None and runner.ready() else None
    return msgspec.structs.replace(jam, roots=with_watched(jam.roots, watched)) if watched is not None else jam


def _with_rounds(jam: Jam, names: Sequence[str], changes: Sequence[Change], total: int, seconds: float) -> Jam:
    """Say how often the names of a loop's line changed while the program was watched, and which never did."""
    counts = Counter(change.name for change in changes)
    never = [name for name in names if counts[name] <= 1]
    often = counts.most_common(1)[0] if counts and counts.most_common(1)[0][1] > 1 else None
    told = f" Watched for {seconds:.1f} s,"
    if often is not None:
        share = round(total * often[1] / max(sum(counts.values()), 1))
        told += f" `{often[0]}` changed about {share:,} times" + (f", and `{'`, `'.join(never)}` never." if never else ".")
    else:
        told += f" `{'`, `'.join(never)}` never changed." if never else " nothing on this line changed."
    return msgspec.structs.replace(jam, meaning=jam.meaning + told)


def main_jam(outcome: Outcome) -> Jam | None:
    """Return the failure to work on: the last one printed, which is the one that ended the program."""
    return outcome.jams[-1] if outcome.jams else None


def fix(
    target: Target,
    cwd: Path,
    *,
    choose: Callable[[Jam], Key | None],
    stdin: bytes | Typed = b"",
    limit: float = 0.0,
    settings: Settings | None = None,
    progress: Callable[[int, int, Key], None] | None = None,
    most: int = MOST_ROUNDS,
    expected: str | None = None,
    met: Callable[[Outcome, Jam], None] | None = None,
) -> Iterator[Round]:
    """Run, read, try, apply, run again, until it runs or `choose` returns None. Yields each round when it is over.

    Args:
        target: what to run.
        cwd: the working folder.
        choose: given a jam with keys tried and ranked, returns the key to apply, or None to stop.
        stdin: what the program may read, the same in every round.
        limit: seconds for each run, 0 for none.
        settings: the project's.
        progress: called after each trial.
        most: rounds at most.
        expected: what it should print.
        met: called with each failure, its keys tried, before anything is changed.
    """
    before: dict[str, str] = {}
    for _ in range(most):
        outcome = run_captured(target, cwd, stdin=stdin, limit=limit, settings=settings, expected=expected)
        jam = main_jam(outcome)
        if jam is None:
            yield Round(outcome, None)
            return
        hashes = _hashes(jam, outcome.root)
        jam = tried(outcome, target, jam, settings=settings, progress=progress, in_turn=True)
        if met is not None:
            met(outcome, jam)
        key = choose(jam)
        if key is None or not key.edits:
            yield Round(outcome, jam)
            return
        for edit in key.edits:
            before.setdefault(edit.file, decode((outcome.root / edit.file).read_bytes()))
        changed, _ = apply(key.edits, outcome.root, hashes)
        now = {file: decode((outcome.root / file).read_bytes()) for file in before}
        yield Round(outcome, jam, key, changed, "".join(diff(before[file], now[file], file) for file in sorted(before)))


def _hashes(jam: Jam, root: Path) -> dict[str, str]:
    # the search may change any source of the project
    files = {edit.file for key in jam.keys for edit in key.edits} | set(Sources(root).files())
    return {file: digest(root / file) for file in files if (root / file).is_file()}


def best_key(jam: Jam) -> Key | None:
    """Return the key that may be applied unasked: tried, got further, and does not skip the work."""
    # as they are ranked: what speaks for an output is more than its share
    further = (key for key in jam.keys if key.trial.outcome in ("runs", "moved") and not key.skips_work)
    return next(further, None)
