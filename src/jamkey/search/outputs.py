"""What the output of a trial says for or against an edit, weighed by a table.

The weights were set by hand. `benchmarks/learn_outputs.py` says how good they are, and fits others, a conditional logit over
all with which one program ran: on the cases there are it found none that are better.
"""

from __future__ import annotations

import functools
import math
import re
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from jamkey.packaged import packaged
from jamkey.trials.bench import NO_VALUE, looks_empty

#: What is printed when something was not called, or is no text.
_UNCALLED = re.compile(
    r"<(?:function|bound method|generator object|built-in|map object|zip object|class )| object at 0x|<bytecode: "
    r"|\[(?:Function|object |class )|\b(?:function|table|thread|userdata): (?:builtin: )?0x|Promise \{"
    r"|[\w;\]]@[0-9a-f]{5,8}\b"
)
#: A value that says nothing: a zero, a missing one, an empty collection, no value behind what names it.
_BLANK = re.compile(
    rf"[:=][ \t]*$|(?<![\w.])(?:-?0(?:\.0*)?|-?(?:{'|'.join(sorted(NO_VALUE))}|NULL))(?![\w.:/-])|\[\]|\{{\}}|\(\)|''|\"\"",
    re.MULTILINE,
)
_WORD = re.compile(r"\w")
#: Characters of an output that are looked at.
_MOST = 20_000


class Output(msgspec.Struct, frozen=True):
    """What one edit's trial printed, and what is known of the edit."""

    #: How likely it was before its trial, as a log.
    score: float
    stdout: str
    #: What the program printed before it failed.
    first: str
    #: Names that the edit takes out and puts nothing in the place of.
    gone: int = 0
    skips: bool = False
    #: Whether the line is changed that prints what is wrong: what shows a wrong value is seldom what makes it.
    shows: bool = False
    #: Whether it changes only how far a loop goes in which the program failed: what goes round once more prints more.
    bounds: bool = False
    #: Whether nothing more is printed with it, where other edits have the program print more.
    silent: bool = False
    #: Which share of the lines it lacks that another edit has the program print.
    fewer: float = 0.0
    #: Whether the runtime warns of something with it that it did not warn of before.
    warned: bool = False
    #: Whether it prints a zero or nothing where another edit, with as many lines, prints a value.
    blanker: bool = False


def later(printed: str, first: str) -> str:
    """Return what a trial printed beyond what the first run had printed."""
    return printed[len(first) :] if printed.startswith(first) else printed


def loses(output: Output) -> bool:
    """Tell whether something that was printed before is not printed now."""
    return not output.stdout.startswith(output.first.rstrip("\n"))


def lacks(output: Output) -> bool:
    """Tell whether less is printed than was before the failure: other words alone are no work left out."""
    return loses(output) and _rows(output.stdout) < _rows(output.first)


def _rows(text: str) -> int:
    return sum(bool(line.strip()) for line in text.split("\n"))


def is_uncalled(printed: str) -> bool:
    """Tell whether something is printed that nobody means to print: a function, an object's place."""
    return _UNCALLED.search(printed) is not None


def beside_others(outputs: Sequence[Output]) -> list[Output]:
    """Return the outputs of one failure with what each is beside the others."""
    texts = [later(item.stdout, item.first)[:_MOST] for item in outputs]
    lines = [sum(bool(line.strip()) for line in text.split("\n")) for text in texts]
    most = max(lines, default=0)
    if not most:
        return list(outputs)
    blanks = [len(_BLANK.findall(text)) for text in texts]
    least: dict[int, int] = {}
    for count, blank in zip(lines, blanks, strict=True):
        least[count] = min(blank, least.get(count, blank))
    return [
        msgspec.structs.replace(item, silent=not count, fewer=1 - count / most, blanker=blank > least[count])
        for item, count, blank in zip(outputs, lines, blanks, strict=True)
    ]


def features(output: Output) -> dict[str, float]:
    """Return what speaks for or against an edit, by name, once it has run."""
    beyond = later(output.stdout, output.first)[:_MOST]
    ends = output.bounds and not loses(output)
    found = {"score": output.score, f"gone {min(output.gone, 4)}": 1.0}
    for name, holds in (
        ("loses", loses(output)),
        ("nothing more", not beyond.strip()),
        ("silent", output.silent and not ends),
        ("empty value", looks_empty(beyond)),
        ("uncalled", is_uncalled(beyond)),
        ("skips", output.skips),
        ("shows", output.shows),
        ("blanker", output.blanker),
        ("warned", output.warned),
        ("only blanks", bool(beyond.strip()) and not _WORD.search(_BLANK.sub("", beyond))),
    ):
        if holds:
            found[name] = 1.0
    if output.fewer and not ends:
        found["fewer"] = output.fewer
    return found


@functools.cache
def _table() -> dict[str, Any]:
    table: dict[str, Any] = msgspec.json.decode(packaged("search/outputs.json"))
    return table


def weigh(output: Output, weights: Mapping[str, float] | None = None) -> float:
    """Return the sum of what speaks for an edit, once it has run: a log, but for a constant."""
    known = _table()["weights"] if weights is None else weights
    return float(sum(known.get(name, 0.0) * value for name, value in features(output).items()))


def bonus(output: Output) -> float:
    """Return what the output adds to the log of how likely an edit is, against what is usual of right ones."""
    table = _table()
    return weigh(output) - float(table["weights"].get("score", 0.0)) * output.score - float(table["usual"])


def none_right() -> float:
    """Return the odds of what stands against all that ran: that none of it is right."""
    return math.exp(float(_table()["weights"].get("none", 0.0)))
