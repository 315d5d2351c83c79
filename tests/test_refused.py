"""What compilers refuse: words said aside, words that they know better, and a grammar that is broken behind another message."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.languages import SHELF
from jamkey.model import Jam
from jamkey.phrases import classify
from jamkey.text import splice
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

DIRECTIVES = """\
#include <stdio.h>
#define MOST 3
#undef LEAST
#ifdef MOST
#define FEW 2
#else
#define FEW 1
#endif
#ifndef FEW
#error nothing
#elif FEW > 9
#warning many
#endif
#if MOST > 2
#pragma GCC diagnostic ignored "-Wunused"
#endif

int main(void)
{
    printf("%d\\n", MOST + FEW);
    return 0;
}
"""

STRUCT = """\
#include <stdio.h>

typedef struct hive_s {
    int frames;
    double kilos;
} hive;

int main(void)
{
    hive oak = {10, 31.5};
    hive *at = &oak;
    if (at->kilos > 3 && oak.frames > 2) *at = oak;
    printf("%d %g\\n", oak.frames, at->kilos);
    return 0;
}
"""

YARD = """\
public class Yard {
    int frames;

    Yard(int frames) {
        this.frames = frames;
    }

    static int both(String one, String other) {
        return one.length() + other.length();
    }

    public static void main(String[] words) {
        int most = words.length == 0 ? both("oak", "elm") : 3;
        for (int place = 0; place < 2; place++) {
            most += new Yard(place).frames;
        }
        System.out.println(most);
    }
}
"""


def read(project: Project, file: str, text: str) -> Jam:
    """Return the failure of a program that its compiler refuses, as `run` reads it."""
    folder = project({file: text})
    done = jamkey("run", "--no-keep", "--save", "out.json", file, cwd=folder)
    assert done.status
    return parse((folder / "out.json").read_bytes()).jams[0]


def mended(jam: Jam, text: str) -> list[str]:
    """Return the texts that the keys leave, best first."""
    return [splice(text, list(key.edits)) for key in jam.keys if key.edits]


def test_every_directive_of_the_program_is_a_word_of_the_language() -> None:
    words = {row[1:].split()[0] for row in DIRECTIVES.split("\n") if row.startswith("#")}
    assert words <= set(SHELF.get("c").idioms.directives)
    assert len(words) == 12


@pytest.mark.spread(9)
@pytest.mark.parametrize("slip", ["exchanged", "left out", "twice"])
@pytest.mark.parametrize("word", ["include", "define", "ifdef", "else", "endif", "pragma"])
def test_a_misspelt_directive_is_spelt(word: str, slip: str, project: Project) -> None:
    odd = {"exchanged": word[0] + word[2] + word[1] + word[3:], "left out": word[:2] + word[3:], "twice": word[:3] + word[2:]}[
        slip
    ]
    text = DIRECTIVES.replace(f"#{word}", f"#{odd}", 1)
    if word == "pragma":
        text = text.replace("#pragma", f"#{odd}")
    jam = read(project, "yard.c", text)
    assert DIRECTIVES in mended(jam, text)[:3]
    assert jam.kind == "broken-syntax"


@pytest.mark.parametrize("member, odd", [("frames", "frame"), ("kilos", "kilo")])
def test_what_is_said_aside_hides_nothing(member: str, odd: str, project: Project) -> None:
    at = STRUCT.rindex(member)
    text = STRUCT[:at] + odd + STRUCT[at + len(member) :]
    jam = read(project, "yard.c", text)
    assert (jam.kind, jam.facts["member"], jam.facts["class"]) == ("no-such-member", odd, "hive")
    assert "aka" in (jam.message or ""), "the compiler's own words are kept"
    assert mended(jam, text)[0] == STRUCT


@pytest.mark.parametrize(
    "message",
    [
        "‘{0}’ undeclared here (not in a function)",
        "‘{0}’ undeclared (first use in this function)",
        "unknown type name ‘{0}’",
        "‘{0}’ was not declared in this scope",
        "‘hive’ {{aka ‘struct hive_s’}} has no member named ‘{0}’",
        "implicit declaration of function ‘{0}’",
    ],
)
def test_what_the_compiler_takes_it_for_is_a_fact_of_every_message(message: str) -> None:
    plain, facts = classify("c", None, message.format("frams"), "compile")
    told, more = classify("c", None, message.format("frams") + "; did you mean ‘frames’?", "compile")
    assert told == plain in ("unknown-name", "no-such-member")
    assert more == {**facts, "suggestion": "frames"}


def test_many_asides_take_no_time() -> None:
    text = "invalid operands to binary + (have ‘" + "a’ {aka ‘b’} " * 4000 + "’ and ‘int’)"
    assert classify("c", None, text, "compile")[0]


#: Slips of a sign -> what is written instead of what, each in one place.
SIGNS = {
    "a comparison for an assignment": ("this.frames = frames;", "this.frames == frames;"),
    "a dot for a comma": ('"oak", "elm"', '"oak". "elm"'),
    "no bracket behind a condition": ("place < 2; place++) {", "place < 2; place++ {"),
    "no semicolon": ("System.out.println(most);", "System.out.println(most)"),
    "an exchanged word": ("return one", "retrun one"),
}


@pytest.mark.parametrize("name", SIGNS)
def test_what_java_refuses_to_read_is_grammar(name: str, project: Project) -> None:
    right, wrong = SIGNS[name]
    text = YARD.replace(right, wrong)
    jam = read(project, "Yard.java", text)
    assert jam.kind == "broken-syntax"
    assert YARD in mended(jam, text)[:3]


@pytest.mark.spread(4)
@pytest.mark.parametrize("name", SIGNS)
def test_it_runs_then(name: str, project: Project) -> None:
    right, wrong = SIGNS[name]
    folder = project({"Yard.java": YARD.replace(right, wrong), "right.txt": "7\n"})
    done = jamkey("fix", "--yes", "--no-keep", "--expect", "right.txt", "Yard.java", cwd=folder, timeout=120)
    assert done.status == 0, done.err
    assert (folder / "Yard.java").read_text(encoding="utf-8") == YARD


def test_a_type_that_is_refused_before_a_bracket_is_missed(project: Project) -> None:
    text = STRUCT.replace("oak.frames > 2) *at = oak;", "oak.frames > 2 *at = oak;")
    jam = read(project, "yard.c", text)
    assert jam.kind == "broken-syntax"
    assert STRUCT in mended(jam, text)[:3]
