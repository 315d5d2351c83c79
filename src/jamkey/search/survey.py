"""What the parts on the way to a failure held: asked in one more run, with calls of ours around them.

The run takes place where quick trials do. What it says is evidence about the program as it is: of each expression the
last value, its type, what it can be called with, and what small changes of it would give.
"""

from __future__ import annotations

import ast
import contextlib
import functools
import shutil
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path

import msgspec

from jamkey.errors import JamkeyError
from jamkey.follow.places import Place, places
from jamkey.follow.scene import Scene
from jamkey.languages.base import Part, Span
from jamkey.model import Value
from jamkey.text import edited, lines_of, newlines, offset
from jamkey.trials.warm import Warm
from jamkey.turns.base import words_of
from jamkey.turns.convert import filled_in
from jamkey.turns.literal import is_one
from jamkey.turns.seen import Gives, Held, Seen, Survey, Taken

_AGENTS = Path(__file__).parent.parent / "observe" / "agents"
#: What the program calls us by.
NAME = "_jamkey_seen"
#: Parts that are looked at, of a sort that has a value of its own.
_LOOKED_AT = frozenset(
    ("name", "member", "index", "call", "binary", "compare", "unary", "list", "dict", "set", "comprehension")
)
_MOST = 1200
#: Seconds that a run which is asked may take beyond its limit: to answer.
MORE = 3.0
#: Share of the limit after which the program is asked although it goes on; seconds where it would never end.
_SHARE, _ENDLESS = 0.5, 1.0


class _Described(msgspec.Struct):
    type: str
    text: str = ""
    length: int | None = None
    shape: list[int] | None = None
    dtype: str | None = None
    members: list[str] = []


class _Site(msgspec.Struct, array_like=True):
    count: int
    value: _Described | None
    types: tuple[Held, ...]
    takes: int
    gives: dict[int, Gives]


class _Answer(msgspec.Struct):
    sites: list[_Site]
    takes: list[dict[str, Taken]]
    makers: list[str] = []


def survey(scene: Scene, runner: Warm, limit: float, base: Mapping[str, bytes] | None = None) -> Survey:
    """Run the program once and look at the parts on the way; what cannot be looked at is left out.

    Args:
        scene: the jam, diagnosed, with its sources.
        runner: a warm interpreter of the program's own language.
        limit: seconds for the run.
        base: files that are changed already, as the sources have them.
    """
    way = places(scene, scene.jam.roots)
    looked_at = [(place.file, part) for place in way for part in _parts_at(scene, place)]
    data, chosen = with_calls(scene, runner, looked_at, NAME)
    if not chosen:
        return Survey(way, {})
    answer = _asked(runner, {**(base or {}), **data}, len(chosen), limit, seconds_of(scene, limit))
    if answer is None:
        return Survey(way, {})
    makers = [maker.replace("_v", "{0}") for maker in answer.makers]
    forms = [*_forms(), *makers]
    seen: dict[tuple[str, Span], Seen] = {}
    for (file, part), site in zip(chosen, answer.sites, strict=False):
        if site.value is None:
            continue
        shown = site.value
        value = Value(
            name=part.source[:200],
            type=shown.type,
            text=shown.text,
            length=shown.length,
            shape=tuple(shown.shape) if shown.shape is not None else None,
            dtype=shown.dtype,
            members=tuple(shown.members),
        )
        takes = answer.takes[site.takes] if 0 <= site.takes < len(answer.takes) else None
        gives = {forms[number]: given for number, given in site.gives.items() if number < len(forms)}
        seen[file, part.span] = Seen(site.count, value, site.types, takes, gives)
    return Survey(way, seen, makers)


def seconds_of(scene: Scene, limit: float) -> float:
    """Return how long the program is run before it is asked, where it does not end by itself."""
    return min(_ENDLESS, limit) if scene.jam.phase == "hang" else limit * _SHARE


def _asked(runner: Warm, data: Mapping[str, bytes], sites: int, limit: float, seconds: float) -> _Answer | None:
    out = runner.folder / "survey.json"
    out.unlink(missing_ok=True)
    wanted = {
        "agent": shutil.copy(_AGENTS / "survey.py", runner.folder / "survey.py"),
        "words": shutil.copy(_AGENTS / "agent.py", runner.folder / "words.py"),
        "name": NAME,
        "out": str(out),
        "seconds": seconds,
        "sites": sites,
        "forms": [filled_in(form, "_v") for form in _forms()],
    }
    wanted = {name: str(word) if isinstance(word, Path) else word for name, word in wanted.items()}
    if runner.run(data, min(limit, 2 * seconds) + MORE, wanted) is None:
        return None
    try:
        return msgspec.json.decode(out.read_bytes(), type=_Answer)
    except (OSError, msgspec.MsgspecError):
        return None


@functools.cache
def _forms() -> list[str]:
    words = words_of("python")
    return [*words.get("wraps", ()), *("{0}" + tail for tail in words.get("tails", ())), *words.get("asked", ())]


def _stored(text: str) -> list[Span]:
    """Return where names, items and members are stored or deleted; no call may stand there."""
    try:
        tree = ast.parse(text)
    except (SyntaxError, ValueError, RecursionError):
        return []
    rows = text.split("\n")
    found: list[Span] = []
    for node in ast.walk(tree):
        if isinstance(getattr(node, "ctx", None), (ast.Store, ast.Del)) or isinstance(node, ast.pattern):
            place = (node.lineno, node.col_offset, node.end_lineno, node.end_col_offset)  # type: ignore[attr-defined]
            first, start, last, end = place
            if last is None or end is None or last > len(rows):
                continue
            found.append(Span(first, _characters(rows[first - 1], start), last, _characters(rows[last - 1], end)))
    return found


def _characters(row: str, column: int) -> int:
    return len(row.encode()[:column].decode("utf-8", "ignore")) + 1


def _parts_at(scene: Scene, place: Place) -> Iterator[Part]:
    code = scene.sources.code(place.file, scene.jam.runtime)
    for statement in code.heads(place.line) if code is not None else ():
        for top in (*statement.parts, *statement.targets):
            yield from top.walk()


def with_calls(
    scene: Scene, runner: Warm, wanted: Iterable[tuple[str, Part]], name: str
) -> tuple[dict[str, bytes], list[tuple[str, Part]]]:
    """Return the files with calls `name(number, ...)` around parts, and the parts in the order of their numbers.

    Args:
        scene: whose sources have the parts.
        runner: whose project the files are of.
        wanted: file and part; what no call can stand around is left out.
        name: of what is called.
    """
    grouped = by_file(wanted)
    data: dict[str, bytes] = {}
    chosen: list[tuple[str, Part]] = []
    for file, parts in grouped.items():
        language = scene.sources.language(file, scene.jam.runtime)
        code, text = scene.sources.code(file, scene.jam.runtime), scene.sources.text(file)
        if language is None or language.name != "python" or code is None or not code.whole or text is None:
            continue
        stored = frozenset(_stored(text))
        lines = lines_of(newlines(text))
        own = [
            part for part in parts.values() if part.span not in stored and can_be_called_around(part) and _is_there(part, lines)
        ][: _MOST - len(chosen)]
        changed = _with_calls(text, own, len(chosen), name)
        with contextlib.suppress(OSError, JamkeyError, SyntaxError, ValueError):
            ast.parse(changed)
            path = runner.place.root / file
            data[file] = edited(path.read_bytes(), lambda _, changed=changed: changed, name=file)  # type: ignore[misc]
            chosen += [(file, part) for part in own]
    return data, chosen


def by_file(wanted: Iterable[tuple[str, Part]]) -> dict[str, dict[Span, Part]]:
    """Return the parts of each file by where they stand, each once."""
    grouped: dict[str, dict[Span, Part]] = {}
    for file, part in wanted:
        grouped.setdefault(file, {}).setdefault(part.span, part)
    return grouped


def can_be_called_around(part: Part) -> bool:
    """Tell an expression that can stand as an argument as it is written."""
    if part.sort in ("tuple", "comprehension"):
        return part.source[:1] in "([{" and is_one(part.source) and (part.sort == "tuple" or part.source[:1] != "(")
    if part.sort == "other":
        return not part.source.startswith(("yield", "*"))
    return part.sort in _LOOKED_AT


def _is_there(part: Part, lines: Sequence[str]) -> bool:
    """Tell an expression that stands in the text as it is told."""
    start = offset(list(lines), part.span.line, part.span.column)
    return "".join(lines)[start : start + len(part.source)] == part.source


def _with_calls(text: str, parts: Sequence[Part], first: int, name: str) -> str:
    """Return the text with a call around each part; the numbers begin at `first`."""
    lines = lines_of(newlines(text))
    put: list[tuple[int, int, int, str]] = []
    for number, part in enumerate(parts):
        start = offset(lines, part.span.line, part.span.column)
        end = offset(lines, part.span.end_line, part.span.end_column)
        # at one place what ends comes before what begins, the inner ends first and the outer begins first
        put.append((start, 1, -(end - start), f"{name}({first + number}, "))
        put.append((end, 0, end - start, ")"))
    pieces: list[str] = []
    position = 0
    for place, _, _, word in sorted(put):
        pieces += (text[position:place], word)
        position = place
    return "".join((*pieces, text[position:]))
