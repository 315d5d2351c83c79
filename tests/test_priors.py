"""How likely a kind's roots and keys are: a table that is counted, and says each of what the kinds tell."""

from __future__ import annotations

import ast
import json
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jamkey.follow.sources import Sources
from jamkey.kinds import SHELF
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.priors import ANY, BEFORE, Prior, confidence
from jamkey.pipeline import diagnose, read
from tests.conftest import SOURCE

KINDS = SOURCE / "jamkey" / "kinds"
TABLE = json.loads((KINDS / "priors.json").read_text(encoding="utf-8"))
#: Where the name stands among the arguments, and in which of the two tables it is.
CALLS = {"root": (3, "roots"), "root_at": (2, "roots"), "key": (0, "keys")}
#: How `trace_names` says which sort of place it came to.
WAYS = ("", "-computed", "-written", "-handed")
NAMES = [(kind, what, name) for kind, groups in TABLE.items() for what, names in groups.items() for name in names]


def texts_of(node: ast.AST) -> Iterator[tuple[str, bool]]:
    """Yield the names that an expression may be; with False those of which only the beginning is written."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node.value, True
    elif isinstance(node, ast.IfExp):
        yield from texts_of(node.body)
        yield from texts_of(node.orelse)
    elif isinstance(node, ast.JoinedStr) and isinstance(node.values[0], ast.Constant):
        yield str(node.values[0].value).rstrip("-"), False


def told() -> Iterator[tuple[str, str, str, bool]]:
    """Yield (file, what, name, whole) of each root and key that is told in the sources with a name that is written there."""
    for path in sorted([*KINDS.rglob("*.py"), SOURCE / "jamkey" / "runs" / "wrong_result.py"]):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        file = path.relative_to(SOURCE).as_posix()
        for node in ast.walk(tree):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in CALLS:
                place, what = CALLS[node.func.attr]
                if isinstance(node.func.value, ast.Name) and node.func.value.id == "found" and len(node.args) > place:
                    known = next((word.value for word in node.keywords if word.arg == "known"), node.args[place])
                    for name, whole in texts_of(known):
                        yield file, what, name, whole
            if isinstance(node, ast.Assign) and getattr(node.targets[0], "id", "") == "known":
                for name, whole in texts_of(node.value):
                    yield file, "", name, whole
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "Suggestion":
                for name, whole in texts_of(node.args[0]):
                    yield file, "", name, whole


def entries(name: str, what: str, whole: bool) -> list[tuple[str, str, str]]:
    """Return the entries of the table that a name may be of."""
    return [
        (kind, group, known)
        for kind, group, known in NAMES
        if (not what or group == what)
        and (name == known or name.startswith(known + "-") or (not whole and known.startswith(name)))
    ]


def test_whatever_is_told_stands_in_the_table() -> None:
    lost = [(file, what, name) for file, what, name, whole in told() if not entries(name, what, whole)]
    assert not lost


def test_whatever_stands_in_the_table_is_told() -> None:
    used = {entry for _, what, name, whole in told() for entry in entries(name, what, whole)}
    # what these give their names by words of their own: the ways of `trace_names`, records, a place's grammar, stories
    built = {f"{way}{end}" for way in ("led", "line") for end in WAYS}
    written = "".join(path.read_text(encoding="utf-8") for path in KINDS.rglob("*.py"))
    lost = [
        (kind, what, name)
        for kind, what, name in NAMES
        if (kind, what, name) not in used and name not in built and f'"{name.removesuffix("-traced")}"' not in written
    ]
    assert not lost


def test_the_table_is_of_kinds_that_there_are() -> None:
    assert set(TABLE) - {ANY} <= {kind.name for kind in SHELF}


def test_shares_are_shares() -> None:
    for kind, what, name in NAMES:
        before, right, weight = TABLE[kind][what][name]
        assert 0 <= before <= 1 and 0 <= right <= weight, (kind, what, name)


def test_kinds_hold_no_share() -> None:
    """A root or a key is told without a number."""
    for path in KINDS.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in CALLS:
                numbers = [
                    word for word in (*node.args, *(word.value for word in node.keywords)) if isinstance(word, ast.Constant)
                ]
                assert not any(isinstance(word.value, float) for word in numbers), (path.name, node.lineno)


@given(before=st.floats(0, 1), right=st.integers(0, 50), more=st.integers(0, 50))
def test_a_share_lies_between_what_was_known_and_what_was_counted(before: float, right: int, more: int) -> None:
    prior = Prior(before, right, right + more)
    low, high = sorted((before, right / (right + more) if right + more else before))
    assert low - 1e-9 <= prior.share <= high + 1e-9
    # as many cases as what was known beforehand counts for weigh as much
    assert Prior(before, 0, BEFORE).share == pytest.approx(before / 2)


@given(
    entry=st.sampled_from(NAMES),
    ranks=st.tuples(st.integers(0, 6), st.integers(0, 6)),
    nears=st.tuples(st.floats(0, 1), st.floats(0, 1)),
)
def test_a_later_choice_and_a_word_less_alike_are_less_likely(
    entry: tuple[str, str, str], ranks: tuple[int, int], nears: tuple[float, float]
) -> None:
    kind, what, name = entry
    low, high = sorted(ranks)
    assert confidence(kind, what, name, rank=low) >= confidence(kind, what, name, rank=high) >= 0  # type: ignore[arg-type]
    less, more = sorted(nears)
    assert confidence(kind, what, name, near=less) <= confidence(kind, what, name, near=more) <= 1  # type: ignore[arg-type]


def test_the_end_of_an_id_says_what_it_is_about() -> None:
    assert confidence("unknown-name", "keys", "meant-kilos") == confidence("unknown-name", "keys", "meant-a-b")
    # what the kind's own table lacks stands in that of all kinds
    assert confidence("unknown-name", "roots", "finding") == confidence("", "roots", "finding") > 0.5


def test_a_kind_of_somebody_else_orders_by_rank() -> None:
    found = Diagnosis(kind="not-weighed")
    found.root("hives.py", 3, "it is weighed once here", "late", rank=1)
    found.root("hives.py", 2, "the gain is asked for here", "snag")
    found.root("hives.py", 3, "it is weighed once here", "early")
    assert [root.line for root in sorted(found.roots, key=lambda root: -root.confidence)] == [2, 3]
    assert {root.confidence for root in found.roots} == {0.5}


def test_what_a_search_thinks_counts(project: Callable[..., Path]) -> None:
    """Of two ways to close a bracket the likelier one stays the first."""
    folder = project({"hives.py": "print(round((31.2 + 30.8) / 2, 1)\nprint(2)\n"})
    text = 'Traceback (most recent call last):\n  File "hives.py", line 1\n    print(round((31.2 + 30.8) / 2, 1)\n         ^\n'
    jam = diagnose(read(text + "SyntaxError: '(' was never closed\n")[0], Sources(folder))
    shares = [key.confidence for key in jam.keys]
    assert shares == sorted(shares, reverse=True) and 0 < shares[-1] <= shares[0] < 1
