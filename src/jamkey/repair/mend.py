"""The smallest edits after which a parser is content: best first by cost, within a time budget."""

from __future__ import annotations

import ast
import os
import re
import time
import warnings
from collections.abc import Callable, Sequence
from typing import NamedTuple

from jamkey.languages import trees
from jamkey.languages.base import Language
from jamkey.repair import judges
from jamkey.repair.edits import edits
from jamkey.repair.ground import Edit, Ground, worth

#: Seconds for a text whose parser is at hand, and edits tried.
BUDGET, MOST = 0.6, 900
#: Texts that another runtime's parser is asked about at once.
_ASKED = {"c": 36, "java": 60, "octave": 120, "r": 200, "javascript": 60, "lua": 60}
#: Mended texts wanted.
_ENOUGH = 40


class Mended(NamedTuple):
    """One edit after which the text is read."""

    edits: tuple[Edit, ...]
    text: str
    cost: float


def mend(text: str, line: int, language: Language, *, message: str = "", version: str = "", ending: str = "") -> list[Mended]:
    """Return the cheapest edits that mend a broken text, best first; none when nothing small does.

    Args:
        text: that a parser refused.
        line: where it gave up, 1-based.
        language: of the text.
        message: what the parser said.
        version: of the interpreter that refused it, such as `3.8.1`.
        ending: of the file, where the language has several.
    """
    if language.name == "python":
        return _python(text, line, language, message, version)
    return _other(text, line, language, message, ending)


# --- Python: its parser is here


def _python(text: str, line: int, language: Language, message: str, version: str) -> list[Mended]:
    feature = tuple(int(part) for part in version.split(".")[:2]) if re.match(r"3\.\d+", version) else None
    first, last = _window(text, line)
    rows = text.split("\n")
    before = "\n".join(rows[: first - 1]) + ("\n" if first > 1 else "")
    after = ("\n" if last < len(rows) else "") + "\n".join(rows[last:])
    inside = "\n".join(rows[first - 1 : last])
    judge = _judge_python(feature)
    found = _searched(inside, line - first + 1, language, message, judge, BUDGET)
    whole: list[Mended] = []
    outer = judge(before + "pass" + after) if len(rows) > 400 else None
    for item in found:
        made = before + item.text + after
        if len(rows) > 400 and outer is not None and len(whole) >= 3:
            break
        error = judge(made)
        if error is None or error > line + 1 + item.text.count("\n") - inside.count("\n"):
            shift = len(before)
            moved = tuple(_shifted(edit, shift) for edit in item.edits)
            whole.append(Mended(moved, made, item.cost + (0.0 if error is None else 6.0)))
    return sorted(whole, key=lambda item: item.cost)


def _shifted(edit: Edit, by: int) -> Edit:
    more = tuple((start + by, end + by, new) for start, end, new in edit.more)
    return edit._replace(start=edit.start + by, end=edit.end + by, more=more)


def _judge_python(feature: tuple[int, ...] | None) -> Callable[[str], int | None]:
    def judge(text: str) -> int | None:
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                if feature is not None and len(feature) == 2 and feature < (3, 11):
                    ast.parse(text, feature_version=(feature[0], feature[1]))
                compile(text, "<text>", "exec", dont_inherit=True)
        except SyntaxError as error:
            return error.lineno or 1
        except (ValueError, RecursionError, MemoryError, OverflowError):
            return 1
        return None

    return judge


def _window(text: str, line: int) -> tuple[int, int]:
    """Return the first and last line of the part that stands by itself around a line: whole blocks at the margin."""
    rows = text.split("\n")
    if len(rows) <= 120:
        return 1, len(rows)
    starts = [
        number
        for number, row in enumerate(rows, 1)
        if row[:1].strip() and not row.startswith(("#", ")", "]", "}", "else", "elif", "except", "finally", "'", '"'))
    ]
    above = [start for start in starts if start <= line]
    below = [start for start in starts if start > line]
    first = above[-3] if len(above) >= 3 else 1
    last = below[1] - 1 if len(below) > 1 else len(rows)
    return first, last


# --- the search


def _searched(
    text: str, line: int, language: Language, message: str, judge: Callable[[str], int | None], budget: float
) -> list[Mended]:
    """Try single edits in the order of their cost; then a second one behind those that let the parser read on."""
    until = time.monotonic() + budget
    ground = Ground(text, line, language, message)
    found: list[Mended] = []
    further: list[tuple[float, int, tuple[Edit, ...], str]] = []
    seen = {text}
    for edit in _sorted(ground):
        made = edit.of(text)
        if made in seen:
            continue
        seen.add(made)
        error = judge(made)
        if error is None:
            found.append(Mended((edit,), made, worth(ground, edit, made)))
            if len(found) >= _ENOUGH:
                break
        elif error > line or (error == line and edit.cost < 6.0):
            further.append((edit.cost, error, (edit,), made))
        if time.monotonic() > until and found:
            break
        if time.monotonic() > until + budget:
            break
    if found and min(item.cost for item in found) < 14.0:
        return sorted(found, key=lambda item: item.cost)
    further.sort(key=lambda item: item[0] - 0.5 * (item[1] > line))
    for _, error, before, made in further[:8]:
        for edit in _sorted(Ground(made, error, language, message))[:150]:
            whole = edit.of(made)
            if whole in seen or time.monotonic() > until + 2 * budget:
                continue
            seen.add(whole)
            if judge(whole) is None:
                stretch = _stretch(text, whole)
                found.append(Mended((*before, edit), whole, worth(ground, stretch, whole) + 5.0))
                if len(found) > 6:
                    break
    return sorted(found, key=lambda item: item.cost)


def _stretch(before: str, after: str) -> Edit:
    """Return the change between two texts as one edit."""
    start = len(os.path.commonprefix([before, after]))
    tail = len(os.path.commonprefix([before[start:][::-1], after[start:][::-1]]))
    return Edit("replace", start, len(before) - tail, after[start : len(after) - tail], 0.0)


def _sorted(ground: Ground) -> list[Edit]:
    best: dict[tuple[int, int, str, tuple[tuple[int, int, str], ...]], Edit] = {}
    for edit in edits(ground):
        key = (edit.start, edit.end, edit.new, edit.more)
        if key not in best or best[key].cost > edit.cost:
            best[key] = edit
    return sorted(best.values(), key=lambda edit: edit.cost)[:MOST]


# --- other languages: a tree first, then the runtime's own parser


def _other(text: str, line: int, language: Language, message: str, ending: str) -> list[Mended]:
    name = language.name
    tree = trees.judge(name, ending)
    broken = tree(text) if tree is not None else None
    until = time.monotonic() + 2 * BUDGET
    tried: list[Mended] = []
    seen = {text}
    ground = Ground(text, line, language, message)
    for edit in _sorted(ground):
        made = edit.of(text)
        if made in seen:
            continue
        seen.add(made)
        if tree is not None and broken is not None and broken > 0 and tree(made) >= broken:
            continue
        tried.append(Mended((edit,), made, worth(ground, edit, made)))
        if len(tried) >= _ASKED.get(name, 40) or time.monotonic() > until:
            break
    if not tried:
        return []
    if not judges.available(name):
        if tree is not None:
            return sorted(tried, key=lambda item: item.cost)
        return [item for item in tried if language.first_error(item.text) in (None, 0)][:3]
    return _asked(name, text, tried, ending)


def _asked(name: str, text: str, tried: Sequence[Mended], ending: str) -> list[Mended]:
    answers = judges.told(name, [text, *(item.text for item in tried)], ending=ending)
    if answers is None:
        return []
    before = answers[0]
    if "fatal error" in before:
        return sorted(tried, key=lambda item: item.cost)  # a header is not here: what the tree says must do
    found = []
    for item, said in zip(tried, answers[1:], strict=True):
        if not said:
            found.append(item)
        elif before and _line(said) > _line(before) + 2:
            found.append(item._replace(cost=item.cost + 8.0))
    return sorted(found, key=lambda item: item.cost)


def _line(said: str) -> int:
    found = re.search(r":(\d+)(?::|\b)|line (\d+)", said.replace("\n", " "))
    return int(found[1] or found[2]) if found else 0
