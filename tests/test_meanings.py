"""What words of turns mean, in every language alike."""

from __future__ import annotations

import tomllib
from importlib.resources import files

import pytest

from jamkey.follow.value_sorts import sort_of_type
from jamkey.turns.meanings import meaning_of


def table(name: str) -> dict[str, dict[str, list[str] | dict[str, list[str]]]]:
    return tomllib.loads(files("jamkey.turns").joinpath(f"{name}.toml").read_text(encoding="utf-8"))


WORDS = table("words")


def test_every_word_that_means_something_is_a_word_of_some_language() -> None:
    said = {word for language in WORDS.values() for name in ("wraps", "tails", "asked") for word in language.get(name, ())}
    means = table("meanings")["means"]
    lists = [words for entry in means.values() for words in ([entry] if isinstance(entry, list) else entry.values())]
    # what the classes of the library make is asked of the running program and stands in no table
    assert {word for words in lists for word in words if ".fromisoformat(" not in word} - said == set()


@pytest.mark.parametrize(
    ("turn", "languages", "meaning"),
    [
        ("convert:.trim()", ("javascript", "java"), "convert trimmed"),
        ("convert:.strip()", ("python", "java"), "convert trimmed"),
        ("convert:trimws({0})", ("r",), "convert trimmed"),
        ("convert:tonumber({0})", ("lua",), "convert to number"),
        ("convert:as.numeric({0})", ("r",), "convert to number"),
        ("convert:{0}[1]", ("lua", "r"), "convert first"),
        ("convert:{0}[1]", ("python", "javascript"), "convert second"),
        ("literal:None to []", ("python",), "nothing to no items"),
        ("literal:null to 0", ("java", "javascript"), "nothing to zero"),
        ("strip:int", ("python",), "not to whole"),
        ("strip:tonumber", ("lua",), "not to number"),
        ("guard:get 0", ("python",), "guard with zero"),
        ("guard:get new ArrayList<>()", ("java",), "guard with no items"),
        ("guard:made {0}.setdefault({1}, [])", ("python",), "guard made list"),
        ("guard:made ({0}[{1}] ??= [])", ("javascript",), "guard made list"),
        ("operator:+ to -", ("python", "r"), "operator reversed"),
    ],
)
def test_a_meaning_is_the_same_in_every_language(turn: str, languages: tuple[str, ...], meaning: str) -> None:
    assert {meaning_of(turn, language) for language in languages} == {meaning}


def test_a_sort_is_the_same_for_every_runtime() -> None:
    assert {sort_of_type(type_) for type_ in ("int", "float", "numpy.float64", "number", "numeric", "Integer")} == {"number"}
    assert {sort_of_type(type_) for type_ in ("NoneType", "nil", "undefined", "NULL")} == {"nothing"}
    assert sort_of_type("Hive") == ""
