"""What a sentence claims of a value, held against the values that were captured: what they do not bear out is not said."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from jamkey.follow.value_sorts import is_gap, is_missing, is_number, is_text, sort_of
from jamkey.late import pattern
from jamkey.model import Frame, Value

#: A pair of backticks with nothing between, a hole of a template, an article too many.
EMPTY = pattern(r"``|` `|\{\d?\}|\ba an\b|\ban a\b|\bthe the\b")
#: Code in backticks, in which quotes may be empty and anything may stand.
_CODE = pattern(r"`[^`]+`")
_THIS = pattern(r"\b([Tt])h(?:(?:is|at) (?=line|function)|e (?=line\b(?! that failed)))(line|function)\b")
_SENTENCE = pattern(r"(?<=[.?!]) +(?=[A-Z`])")


def _number(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


_IS, _HOLDS = "(?:is|was) ", "(?:is|was|holds|held) "
#: What is claimed of the thing in backticks, verb and all (one group) -> whether a recorded value bears it out (None: it
#: cannot be told).
CLAIMS: dict[str, Callable[[Value, str], bool | None]] = {
    _IS + r"(None|null|nil|NULL|undefined)\b": lambda v, _: is_missing(v),
    _IS + r"(NaN|NA|not a number)\b": lambda v, _: is_gap(v),
    _IS + r"(missing|nothing|not there)\b": lambda v, _: is_missing(v) or is_gap(v),
    _IS + r"(empty)\b": lambda v, _: (v.length or 0) == 0 if v.length is not None or v.text in ("''", '""') else None,
    r"has (\d+) (?:items?|rows?|places?|characters?|values?)\b": lambda v, told: (
        v.length == int(told) if v.length is not None else None
    ),
    _HOLDS + r"(zero|0)(?!\.?\w)": lambda v, _: _number(v.text) == 0 if _number(v.text) is not None else None,
    _HOLDS + r"(text)\b": lambda v, _: is_text(v),
    _HOLDS + r"(a(?: whole)? number)\b": lambda v, _: is_number(v) or _number(v.text) is not None,
    _IS + r"an? `([\w.]+)`": lambda v, told: sort_of(v) == told.rpartition(".")[2],
}
#: All of them at once: most sentences have none.
_CLAIM = pattern(r"`([^`\n]{1,80})` (?:" + "|".join(CLAIMS) + ")")
_BEARS = tuple(CLAIMS.values())


def has_hole(text: str) -> bool:
    """Tell a text in which something was to be filled in and was not."""
    return EMPTY.search(_CODE.sub("`x`", text.replace("```", ""))) is not None


def claims(text: str, frames: Sequence[Frame]) -> Iterator[tuple[str, Value, bool]]:
    """Yield what a text claims of captured values: (words, a value of that name, whether one bears it out)."""
    for match in _CLAIM.finditer(text):
        group = match.lastindex or 2
        bears, told = _BEARS[group - 2], match[group]
        own = [value for frame in frames if frame.owner == "yours" for value in frame.values if value.name == match[1]]
        sure = [(value, answer) for value in own if (answer := bears(value, told)) is not None]
        if sure:
            yield match[0], sure[-1][0], any(answer for _, answer in sure)


def is_true(text: str, frames: Sequence[Frame]) -> bool:
    """Tell a text with no hole in it and no claim that the captured values deny."""
    return not has_hole(text) and all(borne for _, _, borne in claims(text, frames))


def true_part(text: str, frames: Sequence[Frame], otherwise: str = "") -> str:
    """Return the sentences of a text that can be said; `otherwise` when none is left. Where no line is known none is shown."""
    told = text if any(frame.line is not None for frame in frames) else _THIS.sub(r"\1he \2 that failed", text)
    return " ".join(sentence for sentence in _SENTENCE.split(told) if is_true(sentence, frames)) or otherwise
