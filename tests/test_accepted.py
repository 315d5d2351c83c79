"""A compiler is asked of many changed texts at once, and says of each what it says of that text alone."""

from __future__ import annotations

import subprocess
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import closing
from pathlib import Path

import psutil
import pytest

from jamkey.follow.sources import Sources
from jamkey.search.accepted import Accepted

Project = Callable[[Mapping[str, str | bytes]], Path]
SOURCE = """import java.util.*;

public class Gain {
    static int most(List<Integer> kilos) {
        int best = kilos.get(0);
        for (int kilo : kilos) {
            best = Math.max(best, kilo);
        }
        return best;
    }

    public static void main(String[] words) {
        System.out.println(most(List.of(3, 1)) + " ölig");
    }
}
"""
#: What is changed, and whether a compiler accepts it.
CHANGES = [
    ("Math.max", "Math.min", True),
    ("Math.max", "Math.maxx", False),
    ("return best;", "", False),
    ("int best", "String best", False),
    ("int best", "long best", False),
    ("int best", "int other, best", True),
    ("int best", "int best, other", False),
    ("kilos.get(0)", "kilos.get(0", False),
    ("ölig", "🐝 ölig", True),
    ("import java.util.*;", "", False),
]


def changed(source: str = SOURCE) -> Iterator[tuple[int, dict[str, str]]]:
    for number, (old, new, _) in enumerate(CHANGES * 12):
        yield number, {"Gain.java": source.replace(old, new)}


@pytest.mark.spread(2)
@pytest.mark.parametrize("package", ["", "package hives;\n"])
def test_many_texts_are_judged_as_each_alone(package: str, project: Project) -> None:
    folder = project({"Gain.java": package + SOURCE})
    with closing(Accepted("java", Sources(folder))) as asked:
        asked._patience = 60.0
        asked.ask(list(changed(package + SOURCE)), before=("Gain.java", package + SOURCE))
        for number, (_, new, good) in enumerate(CHANGES * 12):
            assert asked.refuses(number) is not good, new


@pytest.mark.long
def test_the_compiler_itself_says_the_same(project: Project) -> None:
    folder = project({"Gain.java": SOURCE})
    for old, new, good in CHANGES:
        (folder / "Gain.java").write_text(SOURCE.replace(old, new), encoding="utf-8")
        words = ["javac", "-encoding", "UTF-8", "-d", "built", "Gain.java"]
        assert (subprocess.run(words, cwd=folder, capture_output=True, check=False).returncode == 0) is good, new


def test_it_can_be_asked_again(project: Project) -> None:
    folder = project({"Gain.java": SOURCE})
    with closing(Accepted("java", Sources(folder))) as asked:
        asked._patience = 60.0
        for turn in range(3):
            texts = [(1000 * turn + number, text) for number, text in changed()]
            asked.ask(texts, before=("Gain.java", SOURCE))
            assert [asked.refuses(number) for number, _ in texts[:9]] == [not good for _, _, good in CHANGES[:9]]


def test_what_lacks_a_library_is_not_judged(project: Project) -> None:
    text = "import apiary.Scales;\n" + SOURCE
    folder = project({"Gain.java": text})
    with closing(Accepted("java", Sources(folder))) as asked:
        asked._patience = 60.0
        asked.ask(list(changed(text)), before=("Gain.java", text))
        assert not any(asked.refuses(number) for number in range(len(CHANGES)))


def test_another_file_is_seen(project: Project) -> None:
    folder = project({"Gain.java": SOURCE, "Hive.java": "class Hive {\n    int kilos = 3;\n}\n"})
    with closing(Accepted("java", Sources(folder))) as asked:
        asked._patience = 60.0
        texts = [(1, {"Gain.java": SOURCE.replace("List.of(3, 1)", "List.of(new Hive().kilos)")})]
        texts.append((2, {"Gain.java": SOURCE.replace("List.of(3, 1)", "List.of(new Hive().kilo)")}))
        asked.ask(texts, before=("Gain.java", SOURCE))
        assert [asked.refuses(number) for number in (1, 2)] == [False, True]


def test_no_compiler_stays(project: Project) -> None:
    folder = project({"Gain.java": SOURCE})
    asked = Accepted("java", Sources(folder))
    asked.ask(list(changed()), before=None)
    asked.close()
    time.sleep(0.1)
    assert not [one for one in psutil.Process().children(recursive=True) if "Accepted.java" in " ".join(one.cmdline())]


def test_nobody_is_asked_of_other_languages(project: Project) -> None:
    folder = project({"gain.py": "print(3)\n"})
    with closing(Accepted("python", Sources(folder))) as asked:
        asked.ask([(1, {"gain.py": "print("})], before=None)
        assert not asked.refuses(1)


def test_what_comes_further_is_told_from_what_stands_where_it_was(project: Project) -> None:
    text = SOURCE.replace("List.of(3, 1)", "hives()").replace("int best", "String best")
    folder = project({"Gain.java": text})
    texts = {
        "one of two mended": (text.replace("String best", "int best"), True, True),
        "a line above, nothing else": ("// kilograms\n" + text, True, False),
        "one mended, two more broken": (
            text.replace("String best", "int best")
            .replace("Math.max", "Math.x")
            .replace("return best", "return a + b + c + d + e"),
            True,
            False,
        ),
        "all mended": (SOURCE, False, True),
    }
    with closing(Accepted("java", Sources(folder))) as asked:
        asked._patience = 60.0
        asked.ask(
            [(number, {"Gain.java": changed}) for number, (changed, _, _) in enumerate(texts.values())],
            before=("Gain.java", text),
        )
        for number, (name, (_, refused, further)) in enumerate(texts.items()):
            assert asked.refuses(number, broken=True) is refused, name
            assert asked.reads_on(number) is further, name
            assert not asked.refuses(number), "nothing counts where the program was compiled with more than is here"
