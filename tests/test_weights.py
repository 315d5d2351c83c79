"""What orders edits before their trials and outputs after them: features of either, weighed by learned tables."""

from __future__ import annotations

import json
import math
from importlib.resources import files

import msgspec
import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Edit, Jam, Key
from jamkey.pipeline import diagnose, read
from jamkey.search.by_trial import ranked_outputs
from jamkey.search.candidates import candidates, edits_of, gathered, texts_with
from jamkey.search.outputs import Output, beside_others, bonus, features, is_uncalled, lacks, later, loses, none_right, weigh
from jamkey.search.weights import LAST, Proposed, Weigher

PROGRAM = """\
frames = ["10", "11"]


def heaviest(counts):
    best = 0
    for count in counts:
        if count > best:
            best = count
    return best


print(heaviest(frames))
"""
TRACE = """\
Traceback (most recent call last):
  File "hives.py", line 12, in <module>
    print(heaviest(frames))
  File "hives.py", line 7, in heaviest
    if count > best:
TypeError: '>' not supported between instances of 'str' and 'int'
"""


def scene_of(text: str = PROGRAM, trace: str = TRACE) -> Scene:
    sources = Sources(texts={"hives.py": text})
    return Scene(diagnose(read(trace)[-1], sources), sources)


def with_keys(scene: Scene, *keys: Key) -> Scene:
    jam: Jam = msgspec.structs.replace(scene.jam, keys=keys)
    return Scene(jam, scene.sources)


def key_of(identifier: str, line: int, column: int, stop: int, text: str) -> Key:
    edit = Edit(file="hives.py", line=line, column=column, end_line=line, end_column=stop, new_text=text)
    return Key(id=identifier, title="Change it", reason="", confidence=0.5, edits=(edit,))


def test_shares_of_all_that_is_proposed_are_at_most_one() -> None:
    found = candidates(scene_of())
    assert sum(math.exp(item.score) for item in found) <= 1.0 + 1e-6
    assert all(item.score < 0 for item in found)


def test_a_key_of_the_kind_is_weighed_beside_the_edits_of_turns() -> None:
    own = key_of("in-words", 5, 12, 13, '"none of them"')
    found = candidates(with_keys(scene_of(), own))
    (item,) = [item for item in found if item.key is not None]
    assert item.made is None
    assert item.texts == {"hives.py": PROGRAM.replace("best = 0", 'best = "none of them"')}


def test_what_a_kind_and_a_turn_propose_alike_is_one() -> None:
    scene = scene_of()
    made = next(item for item in gathered(scene, seconds=3) if item.made is not None and item.made.text == "int(count)")
    assert made.made is not None
    assert made.ground is not None
    same = Key(id="to-whole", title="", reason="", confidence=0.9, edits=edits_of("hives.py", made.made))
    found = gathered(with_keys(scene, same), seconds=3)
    both = [item for item in found if item.key is not None]
    assert [item.made is not None for item in both] == [True]
    assert len(found) == len(gathered(with_keys(scene), seconds=3))


def test_keys_that_cannot_be_made_are_left_out() -> None:
    edit = Edit(file="gone.py", line=1, column=1, end_line=1, end_column=1, new_text="x")
    scene = with_keys(scene_of(), Key(id="x", title="", reason="", confidence=0.9, edits=(edit,)))
    assert all(item.key is None for item in gathered(scene, seconds=3))
    assert texts_with(scene, (edit,)) is None


def test_weights_add_up_and_features_are_named() -> None:
    scene = scene_of()
    item = next(item for item in gathered(scene, seconds=3) if item.made is not None and item.made.text == "int(count)")
    plain = Weigher(scene, {})
    names = plain.features(item)
    assert plain.weigh(item) == 0.0
    assert {"turn convert", "turn convert:int({0})", "how snag", "distance 0"} <= set(names)
    weighed = Weigher(scene, {"turn convert": 2.0, "distance 0": 0.5, "never": 9.0})
    assert weighed.weigh(item) == pytest.approx(2.5)


def test_a_place_that_is_no_root_ranks_last() -> None:
    scene = scene_of()
    weigher = Weigher(scene, {})
    ranks = {weigher.rank(item.ground.place) for item in gathered(scene, seconds=3) if item.ground is not None}
    assert 0 in ranks
    assert max(ranks) == LAST


def test_a_name_that_stands_once_and_one_that_is_told_are_noticed() -> None:
    text = "kilos = [31, 28]\nprint(sum(kilso))\nprint(kilos)\n"
    trace = """\
Traceback (most recent call last):
  File "hives.py", line 2, in <module>
    print(sum(kilso))
NameError: name 'kilso' is not defined
"""
    scene = scene_of(text, trace)
    weigher = Weigher(scene, {})
    item = next(
        item
        for item in gathered(scene, seconds=3)
        if item.made is not None and item.part is not None and (item.part.source, item.made.text) == ("kilso", "kilos")
    )
    names = set(weigher.features(item))
    assert {"takes told", "takes heard 1", "puts heard 2"} <= names


def test_proposals_without_a_place_are_weighed_too() -> None:
    scene = scene_of()
    alone = Proposed(key=key_of("k", 5, 12, 13, "1"), key_rank=1)
    names = Weigher(scene, {}).features(alone)
    assert "key alone" in names
    assert "key alone 1" in names


@pytest.mark.parametrize("name", ["weights.json", "outputs.json"])
def test_tables_hold_weights_by_name(name: str) -> None:
    table = json.loads(files("jamkey.search").joinpath(name).read_text(encoding="utf-8"))
    assert len(table["weights"]) > 10
    assert all(isinstance(value, (int, float)) and abs(value) < 20 for value in table["weights"].values())


def printed(stdout: str, **more: object) -> Output:
    return Output(-3.0, stdout, "hives\n", **more)  # type: ignore[arg-type]


def test_what_is_lost_is_noticed() -> None:
    assert loses(printed("other\n"))
    assert not loses(printed("hives\n31\n"))
    assert later("hives\n31\n", "hives\n") == "31\n"
    assert "nothing more" in features(printed("hives\n"))
    assert "nothing more" not in features(printed("hives\n31\n"))


@pytest.mark.parametrize(
    ("stdout", "feature"), [("hives\nnan\n", "empty value"), ("hives\n<function total at 0x7f>\n", "uncalled")]
)
def test_outputs_that_nobody_means(stdout: str, feature: str) -> None:
    assert feature in features(printed(stdout))
    assert feature not in features(printed("hives\noak 31\nelm 28\n"))


def test_uncalled_things() -> None:
    assert is_uncalled("<bound method Hive.total of x>")
    assert is_uncalled("[Function: total]")
    assert not is_uncalled("total 31 < 40")


def test_what_prints_the_same_is_one_group_and_groups_are_ranked() -> None:
    outputs = [printed("hives\n1\n"), printed("hives\n2\n"), printed("hives\n1\n"), printed("hives\n", skips=True)]
    groups = ranked_outputs(outputs, {"score": 1.0, "nothing more": -5.0})
    assert groups == [[0, 2], [1], [3]]


def test_a_likelier_edit_leads_its_group() -> None:
    weak = msgspec.structs.replace(printed("hives\n1\n"), score=-8.0)
    assert ranked_outputs([weak, printed("hives\n1\n")], {"score": 1.0}) == [[1, 0]]


def test_what_only_shows_a_wrong_value_comes_behind_what_makes_it() -> None:
    makes = msgspec.structs.replace(printed("hives\n1\n"), score=-4.0)
    assert ranked_outputs([printed("hives\n1\n", shows=True), makes]) == [[1, 0]]


def test_a_bonus_is_apart_from_the_likelihood_before() -> None:
    here = printed("hives\n31\n")
    surer = msgspec.structs.replace(here, score=-1.0)
    assert bonus(here) == pytest.approx(bonus(surer))
    assert weigh(surer) > weigh(here)
    assert none_right() > 0


def test_what_prints_nothing_more_comes_behind_what_does() -> None:
    quiet = Output(-1.0, "", "")
    alone = beside_others([quiet, quiet])
    assert not any(item.silent for item in alone), "where nothing is printed by any of them it says nothing"
    both = [quiet, Output(-2.0, "31\n", "")]
    assert [item.silent for item in beside_others(both)] == [True, False]
    assert ranked_outputs(both) == [[1], [0]]
    assert beside_others([]) == []


def test_a_zero_where_others_print_a_value_speaks_against_an_edit() -> None:
    outputs = [Output(0.0, printed, "") for printed in ("hives 0\n", "hives 3\n", "hives 10.05\n", "nothing\nNone\n")]
    assert [item.blanker for item in beside_others(outputs)] == [True, False, False, False]
    assert weigh(beside_others(outputs)[0]) < weigh(beside_others(outputs)[1])


def test_fewer_lines_than_others_speak_against_an_edit() -> None:
    outputs = [Output(0.0, "first\n" + rest, "first\n") for rest in ("a 1\n", "a 1\nb 2\nc 3\nd 4\n", "")]
    found = beside_others(outputs)
    assert [item.fewer for item in found] == [0.75, 0.0, 1.0]
    assert weigh(found[1]) > weigh(found[0]) > weigh(found[2])


def test_an_edit_that_ends_the_loop_earlier_prints_less_and_is_not_held_against() -> None:
    rows = "3\n5\n8\n"
    ends, round_again = Output(-1.0, rows, rows, bounds=True), Output(-4.0, rows + "3\n", rows)
    assert ranked_outputs([round_again, ends]) == [[1], [0]]
    plain = msgspec.structs.replace(ends, bounds=False)
    assert ranked_outputs([round_again, plain]) == [[0], [1]]
    shorter = Output(-3.0, "3\n5\n", rows, bounds=True)
    assert ranked_outputs([shorter, round_again]) == [[1], [0]], "what was printed before is still to be printed"


@pytest.mark.parametrize(
    ("stdout", "first", "lacking"),
    [
        ("1 Jan\n2 Feb\n3 Mar\n", "1 Feb\n2 Mar\n", False),
        ("1 Jan\n", "1 Feb\n2 Mar\n", True),
        ("", "oak\n", True),
        ("oak\nelm\n", "oak\n", False),
        ("oak", "oak\n", False),
        ("elm\n", "oak\n", False),
    ],
)
def test_other_words_are_no_work_left_out(stdout: str, first: str, lacking: bool) -> None:
    assert lacks(Output(0.0, stdout, first)) == lacking
