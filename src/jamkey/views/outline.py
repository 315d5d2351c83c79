"""One ordered list of blocks for a jam: what every view shows, in the order in which people ask."""

from __future__ import annotations

import difflib
import os
from collections.abc import Sequence

import msgspec

from jamkey.follow.frames import asked_by
from jamkey.follow.own_exit import KNOWN_WORDS
from jamkey.follow.packages import versions_of
from jamkey.follow.sources import Sources
from jamkey.model import Edit, Frame, Jam, Key, Value
from jamkey.secrets import masked, masked_jam
from jamkey.text import line_at, shorten, splice
from jamkey.text import visible as without_controls

#: Lines of code shown around the place.
ABOVE, BELOW = 2, 1
_MOST_VALUES = 7
_MOST_KEYS = 4
WORDS = {
    "assigned": "set",
    "passed": "handed over",
    "returned": "returned",
    "taken": "taken in a loop",
    "opened": "opened",
    "defaulted": "default used",
    "fell-off": "nothing returned at",
    "looked-up": "looked up",
    "called": "called",
}
OUTCOMES = {
    "runs": "tried: runs",
    "moved": "tried: past this, next is",
    "same": "tried: no change",
    "worse": "tried: worse",
    "timeout": "tried: too slow",
    "untried": "not tried",
}


_RUNTIMES = {
    "python": "Python",
    "pypy": "PyPy",
    "javascript": "JavaScript",
    "typescript": "TypeScript",
    "java": "Java",
    "c": "C/C++",
    "r": "R",
    "octave": "Octave",
    "lua": "Lua",
    "supercollider": "SuperCollider",
    "julia": "Julia",
    "stata": "Stata",
    "basic": "Basic",
    "swift": "Swift",
    "objective-c": "Objective-C",
    "shell": "the shell",
}


def visible(text: str) -> str:
    """Return a text that may be shown: no control characters, no secrets."""
    return without_controls(masked(text))


class Line(msgspec.Struct, frozen=True):
    """One source line: number, text, and the marked stretch (0-based, half-open) if it is the failing one."""

    number: int
    text: str
    mark: tuple[int, int] | None = None
    here: bool = False


class Shown(msgspec.Struct, frozen=True):
    """One key with its diff."""

    number: int
    key: Key
    trial: str
    #: (file, line, removed or added, text)
    diff: tuple[tuple[str, int, str, str], ...]
    #: The last two lines that the program printed with it, beyond what it printed before; only where it runs.
    printed: tuple[str, ...] = ()


class Outline(msgspec.Struct, frozen=True):
    """All blocks of one jam; empty ones are left out by the views."""

    headline: str
    more_message: tuple[str, ...]
    subtitle: str
    place: str
    code: tuple[Line, ...] = ()
    values: tuple[tuple[str, str, str], ...] = ()
    #: (place, what, code)
    steps: tuple[tuple[str, str, str], ...] = ()
    root: str = ""
    meaning: str = ""
    causes: tuple[str, ...] = ()
    look_at: str = ""
    avoid: str = ""
    keys: tuple[Shown, ...] = ()
    more_keys: int = 0
    #: own frames in short, and how many others were folded
    path: tuple[str, ...] = ()
    folded: int = 0
    chain: tuple[str, ...] = ()
    count: int = 1
    #: Of the runtime and of the packages on the path.
    versions: tuple[str, ...] = ()
    #: Shown place -> (file on disk, line): what a link leads to. Cells have none, as no file shows their lines.
    spots: dict[str, tuple[str, int]] = {}


def _left_out(jam: Jam) -> str:
    return f"Not looked at: {'; '.join(jam.left_out)}." if jam.left_out else ""


def outline(jam: Jam, sources: Sources | None = None) -> Outline:
    """Return the blocks of a jam; all text in it is safe to print."""
    sources = sources or Sources()
    jam = masked_jam(jam)
    frame = jam.snag_frame
    message = (jam.message or "").split("\n")
    other = "known words" if KNOWN_WORDS in jam.facts else "in English"
    english = [f"{other}: {jam.english.partition(chr(10))[0]}"] if jam.english else []
    root = jam.roots[0] if jam.roots else None
    elsewhere = root is not None and (
        frame is None or (root.file, root.line, root.cell) != (frame.file, frame.line, frame.cell)
    )
    steps = tuple(
        (
            visible(at(step.file, step.line, step.cell)),
            visible(WORDS.get(step.what, step.what)),
            visible(shorten(step.text, 100)),
        )
        for step in (root.steps if root is not None else ())
    )
    shown = tuple(_key(number, key, sources) for number, key in enumerate(jam.keys[:_MOST_KEYS], 1))
    own = [frame for frame in jam.frames if frame.owner == "yours"]
    return Outline(
        headline=visible(shorten(jam.headline, 400)),
        more_message=tuple(visible(shorten(line, 200)) for line in (*english, *message[1:6])),
        subtitle=_subtitle(jam),
        place=_place(frame),
        code=code_of(frame, sources),
        values=values_of(frame) if frame is not None else (),
        steps=steps,
        root=visible(f"{at(root.file, root.line, root.cell)}: {root.reason}") if root is not None and elsewhere else "",
        meaning=visible(jam.meaning),
        causes=tuple(visible(cause) for cause in jam.causes),
        look_at=visible(" ".join(part for part in (jam.look_at, _left_out(jam)) if part)),
        avoid=visible(jam.avoid),
        keys=shown,
        more_keys=max(len(jam.keys) - _MOST_KEYS, 0),
        path=_path(own),
        folded=len(jam.frames) - len(own),
        chain=tuple(_link(link.relation, link.jam) for link in jam.chain),
        count=jam.count,
        spots=_spots(jam, sources),
        versions=(_runtime(jam), *map(visible, versions_of(jam))),
    )


def _spots(jam: Jam, sources: Sources) -> dict[str, tuple[str, int]]:
    root = jam.roots[0] if jam.roots else None
    places = [(frame.file, frame.line, frame.cell) for frame in jam.frames if frame.owner == "yours"]
    places += [(root.file, root.line, root.cell)] if root is not None else []
    places += [(step.file, step.line, step.cell) for step in (root.steps if root is not None else ())]
    places += [(edit.file, edit.line, edit.cell) for key in jam.keys[:_MOST_KEYS] for edit in key.edits]
    found: dict[str, tuple[str, int]] = {}
    drifted = {frame.file for frame in jam.frames if frame.changed}
    for file, line, cell in dict.fromkeys(places):
        path = sources.path(file) if line is not None and cell is None and file not in drifted else None
        if path is not None and line is not None:
            found[visible(at(file, line))] = (str(path), line)
            if jam.snag_frame is not None and (file, line) == (jam.snag_frame.file, jam.snag_frame.line):
                found[_place(jam.snag_frame)] = (str(path), line)
    return found


def values_of(frame: Frame) -> tuple[tuple[str, str, str], ...]:
    """Return (name, text, type) of a frame's values, as many as one looks at."""
    return tuple(_value(value) for value in frame.values[:_MOST_VALUES])


def _subtitle(jam: Jam) -> str:
    unread = (
        f"while {os.path.basename(jam.snag_frame.file)} was read" if asked_by(jam) and jam.snag_frame else "before the start"
    )
    phases = {"compile": unread, "run": "while running", "hang": "stopped from outside", "quiet": "nothing raised"}
    return visible(f"{jam.kind or 'unknown kind'}, {phases[jam.phase]}, {_runtime(jam)}")


def _runtime(jam: Jam) -> str:
    name = _RUNTIMES.get(jam.runtime, jam.runtime)
    return f"{name} {jam.runtime_version}" if jam.runtime_version else name


def _place(frame: Frame | None) -> str:
    if frame is None or frame.line is None:
        return ""
    function = f", in {frame.function}" if frame.function and frame.function != "<module>" else ""
    cell = f", cell {frame.cell + 1}" if frame.cell is not None else ""
    since = ""
    if frame.changed:
        since = "; the file has changed since"
    elif frame.was_line is not None:
        since = f"; line {frame.was_line} in the trace, the file has changed since"
    return visible(f"{frame.file}{cell}, line {frame.line}{function}{since}")


def at(file: str, line: int | None, cell: int | None = None) -> str:
    """Return a place in short; cells are counted from 1 for people."""
    if line is None:
        return file
    return f"{file}:{line}" if cell is None else f"cell {cell + 1}:{line}"


def code_of(frame: Frame | None, sources: Sources, *, above: int = ABOVE, below: int = BELOW) -> tuple[Line, ...]:
    """Return the lines around a frame's place, the failing part marked."""
    if frame is None or frame.line is None:
        return ()
    text = sources.text(frame.file, frame.cell) if not frame.changed else None
    if text is None:
        if frame.source is None:
            return ()
        mark = (frame.marked[0] - 1, frame.marked[1] - 1) if frame.marked else None
        return (Line(frame.line, visible(shorten(frame.source, 300)), mark, here=True),)
    total = text.count("\n") + 1
    found: list[Line] = []
    for number in range(max(frame.line - above, 1), min(frame.line + below, total) + 1):
        row = line_at(text, number).expandtabs(4)
        here = number == frame.line
        mark = None
        if here and frame.column is not None:
            raw = line_at(text, number)
            start = len(raw[: frame.column - 1].expandtabs(4))
            one_line = frame.end_line in (None, frame.line) and frame.end_column is not None
            if one_line and frame.end_column:
                end = len(raw[: frame.end_column - 1].expandtabs(4))
            else:
                # only a start is known, or the part goes on below: mark the word there, or the rest of the line
                end = len(row) if frame.end_line not in (None, frame.line) else start + _word_length(row[start:])
            mark = (start, max(end, start + 1))
        if here or row.strip():
            found.append(Line(number, visible(shorten(row, 300)), mark, here))
    return tuple(found)


def _word_length(text: str) -> int:
    """Return how far the identifier, or the run of signs, at the start of a text goes."""
    size = 1
    while (
        size < len(text)
        and not text[size].isspace()
        and (text[size].isalnum() or text[size] in "_$") == (text[0].isalnum() or text[0] in "_$")
    ):
        size += 1
    return size


def _value(value: Value) -> tuple[str, str, str]:
    kind = value.type.rpartition(".")[2]
    if value.length is not None and kind in ("list", "tuple", "dict", "set", "str"):
        unit = "characters" if kind == "str" else "items"
        kind = f"{kind}, {value.length} {unit if value.length != 1 else unit[:-1]}"
    return visible(value.name), visible(shorten(value.text, 120)), visible(kind)


def _key(number: int, key: Key, sources: Sources) -> Shown:
    trial = OUTCOMES[key.trial.outcome]
    if key.trial.next and key.trial.outcome in ("moved", "worse"):
        trial += (" " if key.trial.outcome == "moved" else ", ") + visible(shorten(key.trial.next, 90))
    if key.trial.writes:
        trial += ", writes " + visible(", ".join(key.trial.writes[:3])) + (" ..." if len(key.trial.writes) > 3 else "")
    if key.skips_work:
        trial += ", leaving work out"
    safe = msgspec.structs.replace(key, title=visible(key.title), reason=visible(key.reason))
    printed = [row for row in key.trial.printed.split("\n") if row.strip()] if key.trial.outcome == "runs" else []
    shown = tuple(visible(shorten(row.rstrip(), 90)) for row in printed[-2:])
    return Shown(number, safe, trial, tuple(_diff(key.edits, sources)), shown)


def _diff(edits: Sequence[Edit], sources: Sources) -> list[tuple[str, int, str, str]]:
    """Return the changed lines of each file, taken out and put in; bounded."""
    found: list[tuple[str, int, str, str]] = []
    for file, cell in dict.fromkeys((edit.file, edit.cell) for edit in edits):
        before = sources.text(file, cell)
        if before is None:
            continue
        after = splice(before, [edit for edit in edits if (edit.file, edit.cell) == (file, cell)])
        file = file if cell is None else f"cell {cell + 1}"
        old, new = before.split("\n"), after.split("\n")
        for tag, a, b, c, d in difflib.SequenceMatcher(a=old, b=new, autojunk=False).get_opcodes() if len(old) < 3000 else ():
            if tag == "equal":
                continue
            found += [(file, n + 1, "-", visible(shorten(old[n].expandtabs(4), 160))) for n in range(a, b)]
            found += [(file, n + 1, "+", visible(shorten(new[n].expandtabs(4), 160))) for n in range(c, d)]
    return found[:12]


def _path(own: Sequence[Frame]) -> tuple[str, ...]:
    """Return the calls in short, runs of the same line folded."""
    found: list[str] = []
    previous = ""
    repeats = 0
    for frame in own:
        text = f"{frame.function or 'the script'} ({at(frame.file, frame.line, frame.cell)})"
        if text == previous:
            repeats += 1 + frame.repeated
            continue
        if repeats and found:
            found[-1] += f" and {repeats} more times"
        found.append(visible(text))
        previous, repeats = text, frame.repeated
    if repeats and found:
        found[-1] += f" and {repeats} more times"
    if len(found) > 8:
        found = [*found[:3], f"... {len(found) - 6} more ...", *found[-3:]]
    return tuple(found)


def _link(relation: str, jam: Jam) -> str:
    words = {
        "caused-by": "caused by",
        "while-handling": "while handling",
        "member-of": "one of its members",
        "carried-by": "carried over from",
    }
    frame = jam.snag_frame
    where = f" at {at(frame.file, frame.line, frame.cell)}" if frame else ""
    return visible(f"{words[relation]} {shorten(jam.headline, 160)}{where}")
