"""The smallest edits after which a parser is content: best first by cost, within a time budget."""

from __future__ import annotations

import ast
import re
import warnings
from collections.abc import Callable, Iterator, Sequence
from itertools import islice
from typing import NamedTuple

from jamkey.budget import Budget
from jamkey.languages import trees
from jamkey.languages.base import Language
from jamkey.repair import judges
from jamkey.repair.edits import edits
from jamkey.repair.ground import KNOWN, Edit, Ground
from jamkey.repair.of_quotes import short_ends
from jamkey.repair.own import Own
from jamkey.repair.worth import worth

#: Seconds for a text whose parser is at hand, and edits tried.
BUDGET, MOST = 0.3, 900
_HEAD = re.compile(r"\s*(?:async )?(?:def|class)\b")
#: A text of no more lines is searched whole.
_SHORT = 60
#: In a text of more lines only so many edits, the best within their own part, are judged in the whole.
_LONG, _WHOLE = 400, 4
#: Texts that another runtime's parser is asked about at once.
_ASKED = {"c": 36, "java": 60, "octave": 120, "r": 200, "javascript": 60, "lua": 60}
#: A compiler that reads all headers for each text is asked about so few at a time, the likeliest first, while there is time.
_STEP = {"c": 8}
#: Of the time for the likeliest, so often as much at most where none of them is taken.
_LONGEST = 1.5
#: Mended texts wanted.
_ENOUGH = 40
#: Edits that let the parser read on: so many are weighed, behind so many of them second
#: ones are tried, so many each.
_WEIGHED, _BEHIND, _SECOND = 60, 8, 150
#: Of 130 slips the edit that put the text right was in 128 among so many, by its cost before the parser was asked.
_LIKELY = 160
#: The time is looked at once for so many edits.
_LOOK = 8
#: Ends of texts over several lines that are tried.
_ENDS = 12
#: What a second edit costs besides its own.
_TWO = 5.0
#: What it costs that the parser gives up again further down.
_ON = 4.0


#: Has a parser judge many texts; see `judges.told`.
Told = Callable[[Sequence[str]], "list[str] | None"]


class Mended(NamedTuple):
    """One edit after which the text is read."""

    edits: tuple[Edit, ...]
    text: str
    cost: float


def mend(
    text: str,
    line: int,
    language: Language,
    *,
    message: str = "",
    version: str = "",
    ending: str = "",
    stop: tuple[int, int] | None = None,
    folder: str = "",
) -> list[Mended]:
    """Return the cheapest edits that mend a broken text, best first; none when nothing small does.

    Args:
        text: that a parser refused.
        line: where it gave up, 1-based.
        language: of the text.
        message: what the parser said.
        version: of the interpreter that refused it, such as `3.8.1`.
        ending: of the file, where the language has several.
        stop: the columns on that line between which the parser gave up, 1-based; None where it does not say.
        folder: where what the text includes lies beside it.
    """
    if language.name == "python":
        return _python(text, line, language, message, version, stop)

    def told(texts: Sequence[str]) -> list[str] | None:
        return judges.told(language.name, texts, ending=ending, beside=[folder or "."] * len(texts))

    return _other(text, line, language, message, stop, told, ending)


# --- Python: its parser is here


def _python(text: str, line: int, language: Language, message: str, version: str, stop: tuple[int, int] | None) -> list[Mended]:
    feature = tuple(int(part) for part in version.split(".")[:2]) if re.match(r"3\.\d+", version) else None
    rows = text.split("\n")
    own = Own(text, language)
    judge = _judge_python(feature)
    # where a text over several lines ends one sign short, all texts below are turned inside out: the line says nothing
    short = [(edit, edit.of(text)) for edit in islice(short_ends(text, language.style), _ENDS)]
    if found := [Mended((edit,), made, edit.cost) for edit, made in short if judge(made) is None]:
        return found
    for first, last in _windows(rows, line, message):
        before = "".join(row + "\n" for row in rows[: first - 1])
        after = "".join("\n" + row for row in rows[last:])
        inside = "\n".join(rows[first - 1 : last])
        depth = len(rows[first - 1]) - len(rows[first - 1].lstrip())
        around = "".join(f"{' ' * level}if 1:\n" for level in range(depth))

        def within(part: str, around: str = around, depth: int = depth) -> int | None:
            error = judge(around + part)
            return error if error is None else max(error - depth, 1)

        found = _searched(inside, line - first + 1, language, message, within, BUDGET, own, stop)
        whole: list[Mended] = []
        error: int | None = None
        for item in found[:_WHOLE] if len(rows) > _LONG else found:
            made = before + item.text + after
            if len(rows) <= _LONG or not whole:
                # a part that stands by itself: what the first makes of a long text the others make of it too
                error = judge(made)
            if error is None or error > line + item.text.count("\n") - inside.count("\n"):
                moved = tuple(_shifted(edit, len(before)) for edit in item.edits)
                whole.append(Mended(moved, made, item.cost + (0.0 if error is None else _ON)))
        if whole:
            return sorted(whole, key=lambda item: item.cost)
    return []


def _shifted(edit: Edit, by: int) -> Edit:
    more = tuple((start + by, end + by, new) for start, end, new in edit.more)
    return edit._replace(start=edit.start + by, end=edit.end + by, more=more)


def _judge_python(feature: tuple[int, ...] | None) -> Callable[[str], int | None]:
    def judge(text: str) -> int | None:
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                version = (feature[0], feature[1]) if feature is not None and feature < (3, 11) else None
                tree = text if version is None else ast.parse(text, feature_version=version)
                compile(tree, "<text>", "exec", dont_inherit=True)
        except SyntaxError as error:
            return error.lineno or 1
        except (ValueError, RecursionError, MemoryError, OverflowError):
            return 1
        return None

    return judge


def _windows(rows: list[str], line: int, message: str) -> Iterator[tuple[int, int]]:
    """Yield first and last lines of parts that stand by themselves: a line's function, blocks at the margin, all."""
    # a head that stands in no block is no part by itself: it does not stand where it should, or what is above it does not
    astray = "indent" in message and 0 < line <= len(rows) and _HEAD.match(rows[line - 1])
    if len(rows) <= _SHORT:
        yield 1, len(rows)
        return
    line = min(max(line, 1), len(rows))
    for above in () if astray else range(line, 0, -1):
        row = rows[above - 1]
        width = len(row) - len(row.lstrip())
        if _HEAD.match(row) and "\t" not in row[:width]:
            last = next(
                (below for below in range(above + 1, len(rows) + 1) if _stands_at(rows[below - 1], width)), len(rows) + 1
            )
            # the parser may give up where the next block begins; what it stopped at may go on behind the last line
            goes_on = any(row.strip() for row in rows[line : last - 1])
            if last - 1 >= line - 1 and last - above >= 4 and (goes_on or last - 1 < line):
                yield above, last - 1
                break
        if not width and row.strip():
            break
    starts = [number for number, row in enumerate(rows, 1) if _stands_at(row, 0)]
    upper = [start for start in starts if start <= line]
    lower = [start for start in starts if start > line]
    yield upper[-3] if len(upper) >= 3 else 1, lower[1] - 1 if len(lower) > 1 else len(rows)
    yield 1, len(rows)


def _stands_at(row: str, width: int) -> bool:
    """Tell a row that begins a statement at a width or further out."""
    bare = row.lstrip()
    if not bare or len(row) - len(bare) > width:
        return False
    return not bare.startswith(("#", ")", "]", "}", "else", "elif", "except", "finally", "'", '"'))


# --- the search


def _searched(
    text: str,
    line: int,
    language: Language,
    message: str,
    judge: Callable[[str], int | None],
    budget: float,
    own: Own,
    stop: tuple[int, int] | None,
) -> list[Mended]:
    """Try single edits in the order of their cost; then a second one behind those that let the parser read on."""
    allowed = Budget(budget)
    ground = Ground(text, line, language, message, own, stop)
    found: list[Mended] = []
    further: list[tuple[float, int, tuple[Edit, ...], str]] = []
    seen = {text}
    for number, edit in enumerate(_sorted(ground)):
        # to ask for the time takes about as long as to judge a short text
        if number % _LOOK == 0 and (allowed.spent(2) or (found and (number > _LIKELY or allowed.spent()))):
            break
        if found and not ground.may_pair(edit):
            break
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
    if found and min(item.cost for item in found) < 4.8:
        return sorted(found, key=lambda item: item.cost)
    further.sort(key=lambda item: item[0] - 0.5 * (item[1] > line))
    further = sorted(further[:_WEIGHED], key=lambda item: worth(ground, item[2][0], item[3]))
    for _, error, before, made in further[:_BEHIND]:
        behind = Ground(made, error, language, message, own)
        first = worth(ground, before[0], made)
        for edit in _sorted(behind)[:_SECOND]:
            whole = edit.of(made)
            if whole in seen or allowed.spent(3):
                continue
            seen.add(whole)
            if judge(whole) is None:
                found.append(Mended((*before, edit), whole, first + worth(behind, edit, whole) + _TWO))
    if not found:
        # several mistakes, each in its turn: what lets the parser read on
        on = [(before, made) for _, error, before, made in further if error > line]
        found = [Mended(before, made, worth(ground, before[0], made) + _ON) for before, made in on[:_ENOUGH]]
    return sorted(found, key=lambda item: item.cost)


def _sorted(ground: Ground) -> list[Edit]:
    best: dict[tuple[int, int, str, tuple[tuple[int, int, str], ...]], Edit] = {}
    for edit in edits(ground):
        key = (edit.start, edit.end, edit.new, edit.more)
        known = best.get(key)
        # what is known to be meant says more than the same edit for another reason
        if known is None or (known.sort not in KNOWN and (edit.sort in KNOWN or known.cost > edit.cost)):
            best[key] = edit
    return sorted(best.values(), key=lambda edit: (not ground.may_pair(edit), edit.cost))[:MOST]


# --- other languages: a tree first, then the runtime's own parser


def _other(
    text: str, line: int, language: Language, message: str, stop: tuple[int, int] | None, told: Told, ending: str
) -> list[Mended]:
    name = language.name
    tree = trees.judge(name, ending, text)
    allowed = Budget(2 * BUDGET)
    tried: list[tuple[Edit, str]] = []
    seen = {text}
    ground = Ground(text, line, language, message, stop=stop)
    for edit in _sorted(ground):
        made = edit.of(text)
        if made in seen:
            continue
        seen.add(made)
        spans = [(edit.start, edit.end, edit.new), *edit.more]
        if tree is not None and tree.errors and tree.after(spans) >= tree.errors:
            continue
        tried.append((edit, made))
        if len(tried) >= _ASKED.get(name, 40) or allowed.spent():
            break
    if not tried:
        return []
    if name in _STEP:
        tried.sort(key=lambda item: worth(ground, *item))
    if judges.available(name):
        answers = _asked(name, text, tried, told)
        if answers is None:
            return []
        taken = answers
    elif tree is not None:
        taken = [(edit, made, 0.0) for edit, made in tried]
    else:
        taken = [(edit, made, 0.0) for edit, made in tried if language.first_error(made) in (None, 0)]
    found = [Mended((edit,), made, worth(ground, edit, made) + more) for edit, made, more in taken]
    # where a tree fits the text no two slips of the fingers are the reason
    if judges.available(name) and all(more for _, _, more in taken) and (tree is None or tree.errors):
        found += _two(ground, tried, language, message, told, ending)
    return sorted(found, key=lambda item: item.cost)


def _two(
    ground: Ground, tried: Sequence[tuple[Edit, str]], language: Language, message: str, told: Told, ending: str
) -> list[Mended]:
    """Return pairs of edits, where no single one will do; the second is looked for where what the first makes does not fit."""
    name = language.name
    firsts = sorted(((worth(ground, edit, made), edit, made) for edit, made in tried), key=lambda item: item[0])[:_BEHIND]
    said = told([made for _, _, made in firsts])
    pairs: list[Mended] = []
    for (cost, first, made), answer in zip(firsts, said or [], strict=False):
        behind = Ground(made, _line(answer) or ground.line, language, message, ground.own)
        tree = trees.judge(name, ending, made)
        allowed = Budget(BUDGET / 4)
        for edit in _sorted(behind)[:_SECOND]:
            spans = [(edit.start, edit.end, edit.new), *edit.more]
            if allowed.spent():
                break
            if tree is None or tree.after(spans) < max(tree.errors, 1):
                whole = edit.of(made)
                pairs.append(Mended((first, edit), whole, cost + worth(behind, edit, whole) + _TWO))
    pairs = sorted(pairs, key=lambda item: item.cost)[: _ASKED.get(name, 40)]
    answers = told([pair.text for pair in pairs]) if pairs else None
    return [pair for pair, answer in zip(pairs, answers or [], strict=False) if not answer]


def _asked(name: str, text: str, tried: Sequence[tuple[Edit, str]], told: Told) -> list[tuple[Edit, str, float]] | None:
    """Return the edits after which the parser takes the text, or reads on, with what that costs; None where it was whole."""
    answers: list[str] = []
    step = _STEP.get(name, len(tried) + 1)
    asked = [text, *(made for _, made in tried)]
    allowed = Budget(2 * BUDGET)
    for start in range(0, len(asked), step):
        some = told(asked[start : start + step])
        if some is None:
            return None
        answers += some
        if (allowed.spent() and "" in answers) or allowed.spent(_LONGEST):
            break
    before = answers[0]
    if not before:
        return None  # as far as its parser is asked, the text is whole
    if "fatal error" in before:
        return [(edit, made, 0.0) for edit, made in tried]  # a header is not here: what the tree says must do
    found = []
    for (edit, made), said in zip(tried, answers[1:], strict=False):
        if not said:
            found.append((edit, made, 0.0))
        elif _line(said) > _line(before) + 2:
            found.append((edit, made, _ON))
    return found


def _line(said: str) -> int:
    found = re.search(r":(\d+)(?::|\b)|line (\d+)", said.replace("\n", " "))
    return int(found[1] or found[2]) if found else 0
