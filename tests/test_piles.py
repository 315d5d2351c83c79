"""Piles of logs: the same families however they are cut, packed or handed out, and what the command says of them."""

from __future__ import annotations

import bz2
import gzip
import json
import lzma
import os
import random
import re
import signal
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import jamkey as library
from jamkey.errors import UnreadableInput, UsageError
from jamkey.model import Pile
from jamkey.piles import marks, workers
from jamkey.piles.cut import Cut
from jamkey.piles.files import Piece, chunks, found, pieces
from jamkey.piles.fold import Family, Part, folded
from jamkey.piles.gathered import gather, only, told
from jamkey.piles.growing import grown, lengths
from jamkey.piles.lines import stamp_of
from jamkey.piles.shapes import Looker
from jamkey.pipeline import read
from tests.conftest import CORPUS, SOURCE, Heard, jamkey

sys.path.insert(0, str(SOURCE.parent / "benchmarks"))
from linear import LOGS  # type: ignore[import-not-found]
from pile import FAILURES, make, right  # type: ignore[import-not-found]

#: Several hundred traces among other lines of a log, and the truth about them.
TRUE_PILE, TRUTH = CORPUS / "python" / "pile.log.xz", CORPUS / "python" / "pile-truth.json"
#: Of `FAILURES`: type -> own file and line.
OWN = {what[0]: what[1:] for _, what in FAILURES}


def lines(count: int, minute: int = 0) -> str:
    """Return lines of a log that hold no failure."""
    return "".join(
        f"2031-04-04 00:{minute:02}:{second:02},053 INFO apiary.scale: oak reading {second}.5 kg kept\n"
        for second in range(count)
    )


def mixed(seed: int = 3, count: int = 60) -> tuple[str, Counter[str]]:
    """Return a log in many forms, and type -> count of what fails in it."""
    dice = random.Random(seed)
    parts: list[str] = []
    counts: Counter[str] = Counter()
    for number in range(count):
        text, what = dice.choice(FAILURES)
        text = text.replace("{n}", str(dice.randrange(10, 9999))).replace("{p!r}", "'oak'").replace("{p}", "oak")
        minute = number % 60
        form = dice.choice(("plain", "container", "writer", "journal", "record", "trace in a record", "between"))
        if what[0].startswith("java") and form in ("trace in a record", "between"):
            form = "plain"
        counts[what[0]] += 1
        rows = text.rstrip("\n").split("\n")
        stamp = f"2031-04-04T01:{minute:02}:07.5Z"
        if form == "plain":
            parts.append(f"2031-04-04 01:{minute:02}:07,500 ERROR apiary.jobs: step failed\n{text}")
        elif form == "container":
            parts.append("".join(f"{stamp} stderr F {row}\n{stamp} stdout F level=info rows={number}\n" for row in rows))
        elif form == "writer":
            parts.append("".join(f"hive-{number % 3}  | {row}\nhive-9  | polling\n" for row in rows))
        elif form == "journal":
            parts.append("".join(f"Apr  4 01:{minute:02}:07 shed weigh[{number}]: {row}\n" for row in rows))
        elif form == "record":
            parts.append("".join(json.dumps({"log": row + "\n", "stream": "stderr", "time": stamp}) + "\n" for row in rows))
        elif form == "trace in a record":
            parts.append(
                json.dumps({"timestamp": stamp, "host": "shed", "level": "error", "exc_info": text.rstrip("\n")}) + "\n"
            )
        else:
            parts.append("".join(f"{row}\n{lines(1, minute)}" if row.startswith("  ") else f"{row}\n" for row in rows))
        parts.append(lines(dice.randrange(1, 30), minute))
    return "".join(parts), counts


def part_of(file: Path, size: int = 0, *, root: Path | None = None) -> Part:
    """Return what a log holds, cut into pieces of a size."""
    looker = Looker(root)
    return folded(map(looker.look, pieces([str(file)], size=size or 1 << 30)))


def told_of(part: Part) -> object:
    """Return all that must not depend on how a log is cut; names without what tells the packing."""
    families = {
        name: (
            family.count,
            family.offset,
            family.end,
            family.text,
            family.message,
            family.first,
            family.last,
            sorted(family.hours.items()),
            sorted(family.hosts.items()),
        )
        for name, family in part.families.items()
    }
    return families, [(seen.failures, seen.last, seen.size, seen.tail) for seen in part.files.values()]


@pytest.fixture(scope="module")
def log(tmp_path_factory: pytest.TempPathFactory) -> Path:
    file = tmp_path_factory.mktemp("logs") / "night.log"
    file.write_text(mixed()[0], encoding="utf-8")
    return file


# --- what is met


def test_all_forms_are_met_and_none_is_invented(log: Path) -> None:
    counts: Counter[str] = Counter()
    for name, family in part_of(log).families.items():
        counts[name[1]] += family.count
        file, line = OWN[name[1]]
        assert f"{file}:{line}:" in name[-1], "the family's last own frame is its own line"
    assert counts == mixed()[1]


@pytest.mark.parametrize("runtime", ["basic", "c", "java", "javascript", "julia", "lua", "octave", "python", "r", "swift"])
def test_what_reading_finds_is_met_in_a_log_too(runtime: str, tmp_path: Path) -> None:
    file = tmp_path / "a.log"
    wrong = []
    cases = sorted((CORPUS / runtime).glob("*/stderr.txt"))
    assert len(cases) > 5
    for case in cases:
        raw = case.read_bytes()
        if raw[:2] in (b"\xff\xfe", b"\xfe\xff") or not (jams := read(raw.decode("utf-8", "replace"))):
            continue
        file.write_bytes(lines(20).encode() + raw.rstrip(b"\n") + b"\n" + lines(20, 1).encode())
        names = [name[1:3] for name, family in part_of(file).families.items() for _ in range(family.count)]
        wanted = [(jam.exception_type or "", jam.kind or "") for jam in jams for _ in range(jam.count)]
        if sorted(names) != sorted(wanted):
            wrong.append(case.parent.name)
    # a child's failure stands in a log for itself; warnings, and one interpreter for learners, have no mark
    assert len(wrong) <= max(0.03 * len(cases), 1), wrong


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.integers(1, 50), st.randoms(use_true_random=False))
def test_any_split_gives_the_same_answer(log: Path, count: int, dice: random.Random) -> None:
    whole = told_of(part_of(log))
    looker = Looker(None)
    parts = [looker.look(piece) for piece in pieces([str(log)], size=log.stat().st_size // count + 1)]
    dice.shuffle(parts)
    while len(parts) > 1:  # any grouping, too
        place = dice.randrange(len(parts) - 1)
        parts[place : place + 2] = [parts[place].add(parts[place + 1])]
    assert told_of(parts[0]) == whole


@settings(max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.integers(0, 10_000), min_size=1, max_size=6, unique=True))
def test_borders_anywhere_lose_nothing(log: Path, borders: list[int]) -> None:
    size = log.stat().st_size
    cuts = [0, *sorted(border * size // 10_001 for border in borders), size]
    looker = Looker(None)
    made = [Piece(str(log), start, stop, size, 2031) for start, stop in pairwise(cuts)]
    year = Piece(str(log), 0, size, size, 2031)
    assert told_of(folded(map(looker.look, made))) == told_of(looker.look(year))


@pytest.mark.parametrize("pack", ["gz", "bz2", "xz", "zst", "utf-16"])
def test_packed_logs_give_the_same(log: Path, tmp_path: Path, pack: str) -> None:
    data = log.read_bytes()
    file = tmp_path / f"night.log.{pack}"
    if pack == "utf-16":
        file = tmp_path / "night.log"
        file.write_bytes(data.decode().encode("utf-16"))
    elif pack == "zst":
        import zstandard

        half = len(data) // 2  # two frames, as a rotated log has them
        file.write_bytes(zstandard.compress(data[:half]) + zstandard.compress(data[half:]))
    else:
        file.write_bytes({"gz": gzip.compress, "bz2": bz2.compress, "xz": lzma.compress}[pack](data))
    os.utime(file, (log.stat().st_mtime, log.stat().st_mtime))
    assert told_of(part_of(file)) == told_of(part_of(log))


def test_streams_are_read_in_parts_without_loss(log: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "night.log.gz"
    file.write_bytes(gzip.compress(log.read_bytes()))
    os.utime(file, (log.stat().st_mtime, log.stat().st_mtime))
    monkeypatch.setattr("jamkey.piles.files.PIECE", 5000)
    count = sum(1 for _ in chunks(pieces([str(file)])[0], before=3000, behind=9000))
    assert count > 3
    assert told_of(part_of(file)) == told_of(part_of(log))


def test_both_ways_of_finding_marks_agree(log: Path) -> None:
    for data in (b"\n" + log.read_bytes(), b"\n" + lzma.decompress(TRUE_PILE.read_bytes())[:600_000]):
        for start in (0, 1, len(data) // 3):
            assert marks.with_hyperscan(data, start) == marks.one_by_one(data, start)


def test_the_true_pile(tmp_path: Path) -> None:
    truth = json.loads(TRUTH.read_text(encoding="utf-8"))
    data = lzma.decompress(TRUE_PILE.read_bytes())
    part = Looker(None, places=True).look(pieces([str(TRUE_PILE)])[0])
    starts = {
        data.count(b"\n", 0, int(offset)) + 1: name
        for name, family in part.families.items()
        for own in family.places.values()
        for offset in own[::2]
    }
    assert set(starts) == {trace["first_line"] for trace in truth["traces"]}, "all traces, and none invented"
    wrong = [trace["n"] for trace in truth["traces"] if starts[trace["first_line"]][1] != (trace["exception_type"] or "")]
    # the truth calls one trace cut off whose last line is there
    assert len(wrong) <= 1
    counts: Counter[tuple[str, str, int]] = Counter()
    families: Counter[tuple[str, str, int]] = Counter()
    for kin in told(part_of(TRUE_PILE), tmp_path).families:
        frame = kin.jam.snag_frame
        if kin.exception_type and frame is not None:
            key = (kin.exception_type, frame.file.rpartition("/")[2], frame.line or 0)
            counts[key] += kin.count
            families[key] += 1
    wanted = {(one["exception_type"], one["snag"]["file"], one["snag"]["line"]): one["count"] for one in truth["distinct"]}
    assert set(counts) == set(wanted)
    assert sum(abs(counts[key] - wanted[key]) for key in wanted) <= 1
    assert max(families.values()) == 1, "one family for each distinct failure, whatever version worded it"


@pytest.mark.spread(2)
@pytest.mark.parametrize("apart", [1, 8, 15, 30, 80])
def test_a_log_without_stamps_is_cut_without_loss(tmp_path: Path, apart: int) -> None:
    failed = {
        "TypeError": "/srv/apiary/alarm.js:8\n      count += 1;\n             ^\n\nTypeError: Assignment to constant variable.\n"
        "    at light (/srv/apiary/alarm.js:8:13)\n    at Object.<anonymous> (/srv/apiary/alarm.js:15:1)\n\nNode.js v20.1.0\n",
        "java.lang.ArrayIndexOutOfBoundsException": FAILURES[4][0].replace("{n}", "417"),
        "IndexError": FAILURES[2][0],
    }
    dice = random.Random(apart)
    wanted: Counter[str] = Counter()
    with open(tmp_path / "a.log", "w") as out:
        for number in range(240):
            out.writelines(f"reading {dice.random():.4f} of oak\n" for _ in range(apart))
            kind = list(failed)[number % 3]
            wanted[kind] += 1
            out.write(failed[kind])
    looker = Looker(None)
    size = (tmp_path / "a.log").stat().st_size
    for count in (1, 2, 7, 23):
        part = folded(map(looker.look, pieces([str(tmp_path / "a.log")], size=size // count + 1)))
        assert Counter({name[1]: family.count for name, family in part.families.items()}) == wanted, count
        for family in part.families.values():
            assert family.text.count(b"\n") < 10, "its own lines and no others"


def test_calls_without_end_are_one_failure(tmp_path: Path) -> None:
    frames = "".join(
        f'  File "hives.py", line {line}, in {name}\n    return {other}(hive)\n           ^^^^^^^^^^\n'
        for _ in range(498)
        for line, name, other in ((3, "parent", "child"), (7, "child", "parent"))
    )
    text = f"Traceback (most recent call last):\n{frames}RecursionError: maximum recursion depth exceeded\n"
    (tmp_path / "a.log").write_text(lines(9) + text + lines(9, 1) + text + lines(9, 2))
    looker = Looker(None)
    size = (tmp_path / "a.log").stat().st_size
    for count in (1, 3, 7):
        part = folded(map(looker.look, pieces([str(tmp_path / "a.log")], size=size // count + 1)))
        ((name, family),) = part.families.items()
        assert (name[1], name[2], family.count) == ("RecursionError", "too-deep", 2)


@pytest.mark.parametrize("unit", LOGS)
def test_much_of_one_thing_comes_in_pieces(unit: str) -> None:
    data = b"\n" + unit.encode() * (100_000 // len(unit)) + b"\n"
    assert all(len(one.text) <= 500_000 for one in Cut(data, 1, len(data)))


# --- families


def test_messages_have_holes_where_they_differ() -> None:
    def family(message: str) -> Family:
        return Family(1, "a", 0, 1, b"", message, message, len(message), len(message))

    one = family("no weighings of hive 417 in May")
    one.add(family("no weighings of hive 9 in May"))
    assert one.message == "no weighings of hive … in May"
    one.add(family("no weighings of hive 9 in May"))
    assert one.message == "no weighings of hive … in May"
    same = family("division by zero")
    same.add(family("division by zero"))
    assert same.message == "division by zero"
    short = family("aa")
    short.add(family("aaa"))
    assert short.message == "…"


@settings(max_examples=200)
@given(st.lists(st.text("ab 1", max_size=6), min_size=2, max_size=6), st.randoms(use_true_random=False))
def test_holes_do_not_depend_on_the_order(messages: list[str], dice: random.Random) -> None:
    def whole(order: list[str]) -> str:
        made = [Family(1, "a", 0, 1, b"", message, message, len(message), len(message)) for message in order]
        while len(made) > 1:
            place = dice.randrange(len(made) - 1)
            made[place].add(made.pop(place + 1))
        return made[0].message

    assert whole(messages) == whole(sorted(messages)) == whole(messages[::-1])


def test_too_many_families_are_bounded_the_same_way_in_any_order(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("jamkey.piles.fold.MOST_FAMILIES", 10)

    def part(numbers: list[int]) -> Part:
        return Part({("python", str(n)): Family(1, "a", n, n + 1, b"", "m", "m", 1, 1) for n in numbers})

    dice = random.Random(5)
    answers = set()
    for _ in range(6):
        numbers = list(range(60)) * 2
        dice.shuffle(numbers)
        whole = folded(part(list(dict.fromkeys(numbers[at : at + 8]))) for at in range(0, 120, 8))
        answers.add(tuple(sorted((name, family.count) for name, family in whole.families.items())))
    assert len({tuple(name for name, _ in answer) for answer in answers}) == 1
    assert all(len(answer) == 10 for answer in answers)


@pytest.mark.parametrize(
    ("line", "time"),
    [
        (b"2031-04-04 00:00:08,053 INFO x", 1933027208.053),
        (b"2031-04-04T00:00:08.053000Z stderr F x", 1933027208.053),
        (b"2031-04-04T02:00:08+02:00 shed x[1]: y", 1933027208.0),
        (b"Apr  4 00:00:08 shed x[1]: y", 1933027208.0),
        (b'{"time": 1933027208053, "msg": "x"}', 1933027208.053),
        (b'{"__REALTIME_TIMESTAMP": "1933027208053000"}', 1933027208.053),
        (b"2031-02-31 00:00:08 INFO no such day", None),
        (b"weights of 2031 read", None),
    ],
)
def test_stamps(line: bytes, time: float | None) -> None:
    stamp = stamp_of(line, 2031)
    assert stamp == (pytest.approx(time) if time is not None else None)


def test_machines_are_named(tmp_path: Path) -> None:
    rows = [
        "Traceback (most recent call last):",
        '  File "weigh.py", line 3, in <module>',
        "    1 / 0",
        "ZeroDivisionError: division by zero",
    ]
    text = "".join(f"Apr  4 01:00:0{n} {host} weigh[7]: {row}\n" for n, host in enumerate(("shed", "barn")) for row in rows)
    (tmp_path / "a.log").write_text(text)
    (kin,) = gather([tmp_path / "a.log"], root=tmp_path, kept=False).families
    assert (kin.count, kin.hosts, kin.first and kin.first[5:]) == (2, ("barn", "shed"), "04-04T01:00:00")


# --- how runs ended


@pytest.mark.parametrize(
    ("end", "how"),
    [
        ("", "well"),
        (FAILURES[2][0].replace("{n}", "1"), "failed"),
        (FAILURES[2][0].replace("{n}", "1") + "exit status 1\n", "failed"),
        (FAILURES[2][0].replace("{n}", "1") + "2031-04-04 05:00:00,000 ERROR apiary.jobs: job 7 failed\n", "failed"),
        (FAILURES[2][0].replace("{n}", "1") + "2031-04-04 00:00:41,000 INFO apiary.jobs: next hive\n", "well"),
        (FAILURES[2][0].replace("{n}", "1") + lines(12, 2), "well"),
        ('Traceback (most recent call last):\n  File "/srv/apiary/weigh.py", line 41, in <module>\n    ma', "cut off"),
        ("reading the scale of o", "cut off"),
        ("2031-04-04 05:00:00,000 WARNING apiary.jobs: told to stop\n", "hung"),
    ],
    ids=[
        "well",
        "failed",
        "status behind it",
        "said by the logger",
        "caught",
        "went on",
        "within a trace",
        "within a line",
        "silence",
    ],
)
def test_how_a_run_ended(tmp_path: Path, end: str, how: str) -> None:
    (tmp_path / "job.log").write_text(lines(40) + end)
    (job,) = gather([tmp_path / "job.log"], root=tmp_path, kept=False).jobs
    assert job.ended == how
    assert (job.family is not None) == (how == "failed" or end.endswith("    ma"))


# --- files


def test_folders_patterns_and_what_is_no_log(tmp_path: Path) -> None:
    for name in ("a.log", "a.log.1", "b/c.out", "job.o123", "plain"):
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_text("x\n")
    for name in ("weigh.py", "yields.csv", ".hidden", "picture.bin"):
        (tmp_path / name).write_bytes(b"\0\1" if name.endswith("bin") else b"x\n")
    names = [os.path.relpath(file, tmp_path) for file in found([tmp_path])]
    assert names == ["a.log", "a.log.1", os.path.join("b", "c.out"), "job.o123", "plain"]
    assert [Path(file).name for file in found([str(tmp_path / "a.log*")])] == ["a.log", "a.log.1"]
    with pytest.raises(UnreadableInput, match="does not exist"):
        found([tmp_path / "none.log"])


def test_a_remote_store(log: Path, tmp_path: Path) -> None:
    import fsspec

    memory = fsspec.filesystem("memory")
    with memory.open("/apiary/night.log", "wb") as out:
        out.write(log.read_bytes())
    there = gather(["memory://apiary/*.log"], root=tmp_path, workers=1, kept=False, size=4000)
    here = gather([log], root=tmp_path, workers=1, kept=False)
    assert [(kin.count, kin.message) for kin in there.families] == [(kin.count, kin.message) for kin in here.families]
    with pytest.raises(UsageError, match="cannot be opened"):
        found(["nosuch://x/y.log"])


# --- other processes


@pytest.fixture(scope="module")
def night(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a pile of some megabytes with its true answer."""
    folder = tmp_path_factory.mktemp("night")
    make(folder, 6_000_000, "dense", files=3)
    return folder


def truth_of(folder: Path) -> dict[str, Any]:
    answer: dict[str, Any] = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    return answer


def as_dict(pile: Pile) -> dict[str, Any]:
    import msgspec

    answer: dict[str, Any] = msgspec.to_builtins(pile)
    return answer


@pytest.mark.parametrize("count", [1, 2])
def test_the_true_answer(night: Path, tmp_path: Path, count: int) -> None:
    pile = gather([night / "*.log"], root=tmp_path, workers=count, kept=False)
    assert right(as_dict(pile), truth_of(night))
    assert pile.bytes == truth_of(night)["bytes"]


def dying_once(asked: workers.Asked, task: workers.Task) -> Part:
    """Look at a task, but the first time die in the middle of it."""
    mark = Path(os.environ["JAMKEY_TEST_MARK"])
    if not mark.exists():
        mark.touch()
        os.kill(os.getpid(), signal.SIGKILL)
    return folded(map(Looker(Path(asked.root)).look, task.pieces))


def test_a_process_that_is_killed_costs_its_piece_again(night: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    mark = tmp_path / "killed"
    monkeypatch.setenv("JAMKEY_TEST_MARK", str(mark))
    monkeypatch.setattr(workers, "look_at", dying_once)
    pile = gather([night / "*.log"], root=tmp_path, workers=2, kept=False)
    assert mark.exists()
    assert right(as_dict(pile), truth_of(night))


@pytest.fixture
def scheduler(tmp_path: Path) -> Iterator[tuple[str, list[subprocess.Popen[bytes]]]]:
    """Start a real Dask scheduler with two workers, each a process of its own."""
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join([str(SOURCE), *sys.path[1:]])}
    file = tmp_path / "scheduler.json"
    dask = [sys.executable, "-m", "dask"]
    quiet: dict[str, Any] = {"cwd": tmp_path, "env": environment, "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    main = subprocess.Popen(
        [*dask, "scheduler", "--port", "0", "--no-dashboard", "--scheduler-file", str(file), "--host", "127.0.0.1"], **quiet
    )
    until = time.monotonic() + 60
    while not file.exists() and time.monotonic() < until:
        time.sleep(0.1)
    worker = [
        *dask,
        "worker",
        "--scheduler-file",
        str(file),
        "--nworkers",
        "1",
        "--nthreads",
        "1",
        "--no-nanny",
        "--no-dashboard",
    ]
    hands = [subprocess.Popen([*worker, "--name", f"hand-{number}"], **quiet) for number in range(2)]
    try:
        from distributed import Client

        address = json.loads(file.read_text(encoding="utf-8"))["address"]
        with Client(address, set_as_default=False) as client:  # type: ignore[no-untyped-call]
            client.wait_for_workers(2, timeout=60)  # type: ignore[no-untyped-call]
        yield address, hands
    finally:
        for process in (*hands, main):
            process.kill()
            process.wait()


@pytest.mark.long
def test_a_real_scheduler_that_loses_a_worker(
    scheduler: tuple[str, list[subprocess.Popen[bytes]]], night: Path, tmp_path: Path
) -> None:
    address, hands = scheduler
    killed: list[int] = []

    def progress(done: int, total: int, failures: int) -> None:
        if not killed and done < total:
            killed.append(done)
            hands[0].kill()

    pile = gather([night / "*.log"], root=tmp_path, on=address, kept=False, size=100_000, progress=progress)
    assert killed, "a worker was killed in the middle"
    assert right(as_dict(pile), truth_of(night))
    with pytest.raises(UsageError, match="no scheduler answers"):
        gather([night / "*.log"], root=tmp_path, on="tcp://127.0.0.1:9", kept=False)


# --- looks that follow each other


def test_what_is_new_since_the_last_look(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("JAMKEY_STATE", str(tmp_path / "state"))
    job = tmp_path / "job.log"
    first, second = (FAILURES[number][0].replace("{n}", "1").replace("{p}", "oak") for number in (2, 1))
    job.write_text(lines(20) + first + lines(20, 1))
    assert [kin.fresh for kin in gather([job], root=tmp_path).families] == [True]
    with job.open("a") as out:
        out.write(first + lines(9, 2) + second + lines(9, 3))
    again = gather([job], root=tmp_path, kept=False)
    assert [(kin.exception_type, kin.count, kin.fresh) for kin in again.families] == [
        ("IndexError", 2, False),
        ("KeyError", 1, True),
    ]
    assert [kin.exception_type for kin in only(again, (), fresh=True).families] == ["KeyError"]
    later = gather([job], root=tmp_path, since="last")
    assert [(kin.exception_type, kin.count) for kin in later.families] == [("IndexError", 1), ("KeyError", 1)]
    assert gather([job], root=tmp_path, since="last").failures == 0
    assert gather([job], root=tmp_path, since="2031-04-04T00:02", kept=False).failures == 1
    job.write_text(lines(3) + first)
    assert gather([job], root=tmp_path, since="last", kept=False).failures == 1, "a log that was begun anew is read anew"
    with pytest.raises(UsageError, match="--since soon"):
        gather([job], root=tmp_path, since="soon")


def test_an_interrupted_look_goes_on(night: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from jamkey.piles.gathered import Interrupted

    monkeypatch.setenv("JAMKEY_STATE", str(tmp_path / "state"))

    def stop(done: int, total: int, failures: int) -> None:
        if done > total / 3:
            raise KeyboardInterrupt

    with pytest.raises(Interrupted) as caught:
        gather([night / "*.log"], root=tmp_path, workers=1, size=200_000, progress=stop)
    assert 0 < caught.value.pile.failures < truth_of(night)["failures"]
    assert len(caught.value.pile.jobs) < 3, "how a run ended is not told before its log was read to the end"
    looked: list[int] = []
    pile = gather(
        [night / "*.log"],
        root=tmp_path,
        workers=1,
        size=200_000,
        resume=True,
        progress=lambda done, total, _: looked.append(done),
    )
    assert right(as_dict(pile), truth_of(night))
    assert looked[0] > caught.value.done, "it went on where it was"


def test_a_damaged_memory_is_no_memory(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("JAMKEY_STATE", str(tmp_path / "state"))
    (tmp_path / "a.log").write_text(lines(5) + FAILURES[2][0])
    gather([tmp_path / "a.log"], root=tmp_path)
    for file in (tmp_path / "state" / "piles").iterdir():
        file.write_bytes(b"\xff{")
    assert [kin.fresh for kin in gather([tmp_path / "a.log"], root=tmp_path, resume=True).families] == [True]


def test_growing_logs_show_each_new_family_once(tmp_path: Path) -> None:
    (tmp_path / "a.log").write_text(lines(5) + FAILURES[2][0])
    running = subprocess.Popen(
        [sys.executable, "-m", "jamkey", "pile", "a.log", "--follow", "--no-keep", "--show", "0"],
        cwd=tmp_path,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        # tests that run in the background have the interrupt ignored
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL) and None,
        env={**os.environ, "PYTHONUNBUFFERED": "1", "COLUMNS": "160"},
    )
    try:
        heard = Heard(running)
        heard.until("waiting for more")
        for _ in range(2):
            time.sleep(0.8)
            with (tmp_path / "a.log").open("a") as out:
                out.write(lines(3, 5) + FAILURES[1][0].replace("{p}", "oak") + lines(3, 6))
        heard.until("3 failures")
        running.send_signal(signal.SIGINT)
    except BaseException:
        running.kill()
        raise
    later = heard.all().partition("waiting for more")[2]
    assert later.count("new") == 1, "the second one of a family is counted only"
    assert "KeyError" in later
    assert "3 failures, 2 families" in later


def test_what_is_written_while_the_log_is_gathered_is_shown(tmp_path: Path) -> None:
    log = tmp_path / "a.log"
    log.write_text(lines(5) + FAILURES[2][0] + lines(2, 5))
    sizes = lengths([str(log)])
    seen = gather([log], root=tmp_path)
    with log.open("a") as out:
        out.write(FAILURES[1][0].replace("{p}", "oak") + lines(2, 6))
    pile, fresh = next(grown([str(log)], tmp_path, seen, sizes))
    assert pile.failures == seen.failures + 1
    assert [kin.exception_type for kin in fresh] == ["KeyError"]


def test_a_failure_is_counted_once_it_is_written(tmp_path: Path) -> None:
    log = tmp_path / "a.log"
    log.write_text(lines(5))
    looks = grown([str(log)], tmp_path, gather([log], root=tmp_path))
    failure = FAILURES[1][0].replace("{p}", "oak")
    half = len(failure) // 2

    def write() -> None:
        for part in (lines(2, 5) + failure[:half], failure[half:], lines(2, 7), failure):
            time.sleep(0.7)
            with log.open("a") as out:
                out.write(part)

    writer = threading.Thread(target=write)
    writer.start()
    counts, families = [], []
    for pile, fresh in looks:
        counts.append(pile.failures)
        families += fresh
        if pile.failures == 2:
            break
    writer.join()
    assert counts == [1, 2], "the one that ends the log is counted too, once nothing follows"
    assert [kin.exception_type for kin in families] == ["KeyError"]
    assert pile.families[0].jam.message == "'oak'"


# --- library and command


def test_the_library_gives_tables(night: Path, tmp_path: Path) -> None:
    pile = library.pile(night / "*.log", root=tmp_path)
    table, times = pile.table(), pile.times()
    assert list(table["count"]) == sorted(table["count"], reverse=True)
    assert table["count"].sum() == len(times) == pile.failures == truth_of(night)["failures"]
    assert str(table["first"].dtype).startswith("datetime64")
    counted = times.groupby("family").size()
    assert list(counted) == list(table["count"])
    assert abs(times["time"].min() - table["first"].min()).total_seconds() < 0.001


def test_the_command(night: Path, tmp_path: Path) -> None:
    done = jamkey("pile", str(night), "--no-keep", "--show", "2", cwd=tmp_path)
    assert done.status == 0, done.err
    truth = truth_of(night)
    assert f"{truth['failures']:,} failures, 5 families" in " ".join(done.out.split())
    for family in truth["families"]:
        assert re.search(rf"{family['count']:,}\s+█+.*{family['file']}:{family['line']}", done.out)
    assert "4 logs: 4 ended well" in done.out, "the answer beside them is a file as well"
    assert re.search(r"2  as in .*line \d+", done.out)
    assert "means" in done.out


@pytest.mark.parametrize("by", ["kind", "type", "file", "day", "own-line"])
def test_counted_by(night: Path, tmp_path: Path, by: str) -> None:
    done = jamkey("pile", str(night / "night-*.log"), "--no-keep", "--by", by, cwd=tmp_path)
    assert done.status == 0, done.err
    rows = re.findall(r"^(\S.*?) +█* +([\d,]+)$", done.out, re.M)
    assert sum(int(count.replace(",", "")) for _, count in rows) == truth_of(night)["failures"]


def test_saved_forms(night: Path, tmp_path: Path) -> None:
    names = ["p.html", "p.md", "p.json", "p.csv", "p.png", "p.jsonl"]
    saved = [word for name in names for word in ("--save", name)]
    done = jamkey("pile", str(night / "night-*.log"), "--no-keep", "--json", *saved, cwd=tmp_path)
    assert done.status == 0, done.err
    answer = json.loads(done.out)
    assert answer == json.loads((tmp_path / "p.json").read_text())
    assert answer["format"] == "jamkey-pile/1"
    assert [family["count"] for family in answer["families"]] == sorted((f["count"] for f in answer["families"]), reverse=True)
    assert set(answer["families"][0]) >= {
        "exception_type",
        "message",
        "kind",
        "count",
        "first",
        "last",
        "files",
        "fresh",
        "jam",
    }
    assert (tmp_path / "p.png").read_bytes()[:4] == b"\x89PNG"
    assert len((tmp_path / "p.csv").read_text().splitlines()) == 6
    assert len((tmp_path / "p.jsonl").read_text().splitlines()) == 5
    assert "http" not in re.sub(r"http-equiv", "", (tmp_path / "p.html").read_text()), "no request leaves the page"
    bad = jamkey("pile", str(night), "--save", "p.exe", cwd=tmp_path)
    assert (bad.status, bad.err.count("\n")) == (2, 1)


def test_only_what_is_asked_for(night: Path, tmp_path: Path) -> None:
    for words, types in (
        (["--only", "KeyError"], {"KeyError"}),
        (["--only", "index-out-of-range"], {"IndexError", "java.lang.ArrayIndexOutOfBoundsException"}),
        (["--only", "weigh.py", "--only", "weighings"], {"ValueError", "RuntimeError"}),
    ):
        done = jamkey("pile", str(night / "night-*.log"), "--no-keep", "--json", *words, cwd=tmp_path)
        assert {family["exception_type"] for family in json.loads(done.out)["families"]} == types


def test_standard_input_and_bad_input(log: Path, tmp_path: Path) -> None:
    done = jamkey("pile", "--no-keep", "--json", cwd=tmp_path, stdin=log.read_text())
    assert json.loads(done.out)["failures"] == mixed()[1].total()
    for words in (
        ["none.log"],
        ["--on", "tcp://127.0.0.1:9", str(log)],
        ["--show", "900", str(log)],
        ["--follow", "--json", str(log)],
    ):
        done = jamkey("pile", "--no-keep", *words, cwd=tmp_path)
        assert done.status != 0
        assert done.err.count("\n") == 1, done.err
        assert done.err.startswith("jamkey: ")


def test_hostile_text_is_shown_and_does_nothing(tmp_path: Path) -> None:
    text = (
        "Traceback (most recent call last):\n"
        '  File "<img src=x>.py", line 3, in <script>alert(1)</script>\n    pass\n'
        "ValueError: \x1b[31m<script>alert(2)</script> | `x` =1+1 {n} [bold]\n"
    )
    (tmp_path / "a.log").write_text(lines(3) + text)
    done = jamkey("pile", "a.log", "--no-keep", "--save", "p.html", "--save", "p.md", "--save", "p.csv", cwd=tmp_path)
    assert done.status == 0, done.err
    assert "\x1b" not in done.out
    assert "<script>alert" not in (tmp_path / "p.html").read_text()
    assert "\x1b" not in (tmp_path / "p.md").read_text() + (tmp_path / "p.csv").read_text()


def test_secrets_are_hidden(tmp_path: Path) -> None:
    text = FAILURES[2][0].replace("list index out of range", "no answer: password=hunter22 token=abcdef123456")
    (tmp_path / "a.log").write_text(lines(3) + text)
    done = jamkey("pile", "a.log", "--no-keep", "--json", cwd=tmp_path)
    assert "hunter22" not in done.out


def test_a_large_text_is_read_the_same_way(tmp_path: Path) -> None:
    make(tmp_path / "logs", 1_500_000, "dense")
    done = jamkey("read", "logs/night-000.log", "--json", "--no-keep", cwd=tmp_path)
    assert done.status == 0, done.err
    jams = json.loads(done.out)["jams"]
    truth = truth_of(tmp_path / "logs")
    assert Counter({jam["exception_type"]: jam["count"] for jam in jams}) == Counter(
        {family["exception_type"]: family["count"] for family in truth["families"]}
    )
    rows = (tmp_path / "logs" / "night-000.log").read_text().split("\n")
    for jam in jams:
        own = rows[jam["first_line"] - 1 : jam["last_line"]]
        assert "Traceback" in own[0] or own[0].startswith("Exception in thread")
        assert jam["exception_type"] in own[0 if "java" in jam["exception_type"] else -1]
    (tmp_path / "healthy.log").write_text(lines(50) * 400)
    none = jamkey("read", "healthy.log", "--no-keep", cwd=tmp_path)
    assert (none.status != 0, none.err.count("\n")) == (True, 1)
    assert "no failure found in healthy.log" in none.err
    piped = jamkey("read", "--json", "--no-keep", cwd=tmp_path, stdin="\n".join(rows))
    assert [jam["count"] for jam in json.loads(piped.out)["jams"]] == [jam["count"] for jam in jams]
