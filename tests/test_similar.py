"""Words a slip apart: whatever the slip, it is looked up and found, in a list of any length."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jamkey.checks.other_languages import check_other
from jamkey.follow.similar import Neighbours, nearest, similarity

_WORD = st.text(alphabet="abcdefghijklmnop_", min_size=5, max_size=14).filter(
    lambda word: word.isidentifier() and word.replace("_", "").isalnum()
)


@given(
    word=_WORD,
    place=st.integers(0, 12),
    letter=st.sampled_from("xyz"),
    sort=st.sampled_from(["lost", "doubled", "other", "exchanged"]),
)
def test_every_single_slip_is_a_neighbour(word: str, place: int, letter: str, sort: str) -> None:
    at = place % (len(word) - 1)
    slip = {
        "lost": word[:at] + word[at + 1 :],
        "doubled": word[: at + 1] + word[at:],
        "other": word[:at] + letter + word[at + 1 :],
        "exchanged": word[:at] + word[at + 1] + word[at] + word[at + 2 :],
    }[sort]
    if slip != word and any(sign.isalnum() for sign in slip):
        assert word in Neighbours([word, "quite", "unlike", "these"]).of(slip)


@given(one=_WORD, other=_WORD)
def test_neighbours_leave_out_no_likely_slip(one: str, other: str) -> None:
    """What is near enough to be offered is never lost by looking it up."""
    if similarity(one, other) >= 0.93:
        assert other in Neighbours([other]).of(one)


def test_a_word_is_no_slip_of_itself() -> None:
    assert Neighbours(["kilos"]).of("kilos") == []
    assert similarity("kilos", "kilos") == 0.0
    assert nearest("kilo", ["kilos", "weeks"], most=1)[0][0] == "kilos"


LANGUAGES = {
    "gain.js": "function weightOf(hive) {\n  return hive.kilos;\n}\nconsole.log(weightOf(oak), weigthOf(north));\n",
    "gain.lua": "local function weightOf(hive)\n  return hive.kilos\nend\nprint(weightOf(oak), weigthOf(north))\n",
    "gain.R": "weightOf <- function(hive) {\n  hive$kilos\n}\nprint(weightOf(oak) + weigthOf(north))\n",
    "Gain.java": "class Gain {\n  static int weightOf(int hive) { return hive; }\n  static int all() { return weightOf(1) + weigthOf(2); }\n}\n",
    "gain.c": "int weightOf(int hive) {\n  return hive;\n}\nint all(void) {\n  return weightOf(1) + weigthOf(2);\n}\n",
}


@pytest.mark.parametrize("name", LANGUAGES)
def test_a_name_nearly_as_defined_is_found_in_every_language(name: str) -> None:
    found = [finding for finding in check_other(LANGUAGES[name], name) if finding.rule == "names-never-defined"]
    assert [finding.edits[0].new_text for finding in found] == ["weightOf"]
    assert found[0].line == LANGUAGES[name].split("weigthOf")[0].count("\n") + 1


def test_a_large_source_is_looked_up_and_not_compared() -> None:
    """Each word of a large source meets a few neighbours, not all the others."""
    words = [f"weigh{number * 7919 % 99991}Hive" for number in range(5000)]
    near = Neighbours(words)
    met = [len(near.of(word)) for word in words]
    assert sum(met) < 50 * len(words)
    text = "".join(f"function {word}(a) {{\n  return a;\n}}\n{word}(1);\n" for word in words[:300]) + "weigh7919Hiev(1);\n"
    found = [finding.edits[0].new_text for finding in check_other(text, "all.js") if finding.rule == "names-never-defined"]
    assert found == ["weigh7919Hive"]
