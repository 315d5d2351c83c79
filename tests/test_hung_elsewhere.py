"""Programs of other languages that do not end: a second run tells where, what the names hold then, and whether it waited."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import pytest

from jamkey.follow.sources import Sources
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

JARS = """#include <stdio.h>

static long filled(long wanted)
{
    unsigned char jars = 0;
    long grams = 0;
    while (jars < wanted) {
        jars++;
        grams += 250;
    }
    return grams;
}

int main(void)
{
    printf("filling\\n");
    printf("%ld g\\n", filled(300));
    return 0;
}
"""
WAITS = """#include <stdio.h>
#include <unistd.h>

int main(void)
{
    int hives = 3;
    while (hives > 0) {
        sleep(100);
        hives--;
    }
    printf("%d\\n", hives);
    return 0;
}
"""
YARD = """import java.util.List;

public class Yard {
    static double honey(List<Double> combs, double wanted) {
        double kilos = 0;
        int rounds = 0;
        while (kilos != wanted) {
            kilos += combs.get(0);
            rounds++;
        }
        return kilos;
    }

    public static void main(String[] args) {
        System.out.println("weighing");
        System.out.println(honey(List.of(0.1, 0.2), 0.75));
    }
}
"""
RESTS = """public class Rests {
    public static void main(String[] args) throws Exception {
        int hives = 2;
        while (hives > 0) {
            Thread.sleep(100000);
            hives--;
        }
    }
}
"""


@pytest.fixture(autouse=True)
def _tools() -> None:
    for program in ("gcc", "gdb", "java", "javac", "node", "Rscript"):
        assert shutil.which(program), f"{program} is not installed: .ci/run installs it"


def hung(folder: Path, *words: str, limit: str = "2s") -> dict[str, Any]:
    done = jamkey("run", "--no-keep", "--limit", limit, "--save", "out.json", *words, cwd=folder)
    assert done.status == 124, done.err
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    return dict(jam)


def held(jam: dict[str, Any], name: str) -> str:
    (value,) = [value for value in jam["frames"][jam["snag"]]["values"] if value["name"] == name]
    return str(value["text"])


@pytest.mark.spread(3)
@pytest.mark.parametrize(
    "words", [["jars.c"], ["--", "sh", "-c", "gcc -o jars jars.c && ./jars"]], ids=["by-its-file", "by-a-shell"]
)
def test_a_loop_of_c_tells_what_its_names_hold(words: list[str], project: Project) -> None:
    jam = hung(project({"jars.c": JARS}), *words)
    frame = jam["frames"][jam["snag"]]
    assert (jam["runtime"], jam["phase"], jam["kind"]) == ("c", "hang", "endless")
    assert (frame["file"], frame["function"]) == ("jars.c", "filled")
    assert frame["line"] == 7, "the head of the loop, wherever it was halted"
    assert held(jam, "wanted") == "300"
    assert 0 <= int(held(jam, "jars").split()[0]) < 256
    assert float(jam["facts"]["busy"]) > 0.4
    assert "which goes on while `jars < wanted` holds." in jam["meaning"]
    assert "Nothing in the loop assigns `wanted`." in jam["meaning"], "jars++ assigns it"
    assert ("jars.c", 8) in [(root["file"], root["line"]) for root in jam["roots"]]


@pytest.mark.spread(4)
@pytest.mark.parametrize(
    "words", [["Yard.java"], ["--", "sh", "-c", "javac Yard.java && java Yard"]], ids=["by-its-file", "by-a-shell"]
)
def test_a_loop_of_java_tells_what_its_names_hold(words: list[str], project: Project) -> None:
    jam = hung(project({"Yard.java": YARD}), *words, limit="5s")
    frame = jam["frames"][jam["snag"]]
    assert (jam["runtime"], jam["phase"], jam["kind"]) == ("java", "hang", "endless")
    assert (frame["file"], frame["function"]) == ("Yard.java", "Yard.honey")
    assert frame["line"] == 7, "the head of the loop, wherever it was halted"
    assert held(jam, "wanted") == "0.75"
    assert float(held(jam, "kilos")) > 0.75
    assert "`wanted` was 0.75" in jam["meaning"]
    assert ("Yard.java", 8) in [(root["file"], root["line"]) for root in jam["roots"]]


@pytest.mark.spread(3)
@pytest.mark.parametrize(
    ("file", "text", "line"),
    [("waits.c", WAITS, 8), ("Rests.java", RESTS, 5), ("weigh.R", "hives <- 3\nSys.sleep(100)\nprint(hives)\n", 2)],
    ids=["c", "java", "r"],
)
def test_what_waits_is_no_endless_loop(file: str, text: str, line: int, project: Project) -> None:
    """It was in the library, and used no processor: the line that waits is pointed at."""
    jam = hung(project({file: text}), file, limit="5s")
    frame = jam["frames"][jam["snag"]]
    assert (jam["kind"], frame["file"], frame["line"]) == ("interrupted", file, line)
    # a virtual machine, and R, are busy while they start
    assert float(jam["facts"]["busy"]) < (0.1 if file.endswith("c") else 0.4)


def test_what_does_not_hang_the_second_time_is_no_hang(project: Project) -> None:
    """The file that keeps the first run back is the run's own: the second ends, and nothing is said of a loop."""
    text = JARS.replace("filled(300)", "filled(3)").replace(
        'printf("filling\\n");',
        'FILE *seen = fopen("seen.txt", "r");\n    if (seen == NULL) { fclose(fopen("seen.txt", "w")); while (1) { } }',
    )
    folder = project({"jars.c": text})
    done = jamkey("run", "--no-keep", "--limit", "2s", "--save", "out.json", "jars.c", cwd=folder)
    assert done.status == 124
    assert "left no trace to read" in done.err


def test_a_folder_without_sources_is_not_run_again(project: Project) -> None:
    """Nobody could tell a line of it: the wait would be for nothing."""
    folder = project({"notes.txt": "weigh\n"})
    done = jamkey("run", "--no-keep", "--limit", "1s", "--", "sh", "-c", "echo x >> runs.txt; sleep 60", cwd=folder)
    assert done.status == 124
    assert "left no trace to read" in done.err
    assert (folder / "runs.txt").read_text() == "x\n"


COUNTED = {
    "c": (
        "jars.c",
        "int main(void)\n{\n    int i = 0;\n    i++;\n    --i;\n    for (int k = 0; k < 3; k++) {\n    }\n    return i++;\n}\n",
    ),
    "java": (
        "A.java",
        "class A {\n  void f() {\n    int i = 0;\n    i++;\n    --i;\n    for (int k = 0; k < 3; k++) {\n    }\n    g(i++);\n  }\n}\n",
    ),
    "javascript": (
        "a.js",
        "function f() {\n  // weighs\n  let i = 0;\n  i++;\n  --i;\n  for (let k = 0; k < 3; k++) {\n  }\n  return i++;\n}\n",
    ),
}


@pytest.mark.parametrize("runtime", COUNTED)
def test_what_counts_sets(runtime: str) -> None:
    file, text = COUNTED[runtime]
    code = Sources(texts={file: text}).code(file, runtime)
    assert code is not None
    made = [(item.span.line, item.sort) for item in code.definitions("i")]
    assert made == [(3, "assigned"), (4, "changed"), (5, "changed"), (8, "changed")]
    assert [item.sort for item in code.definitions("k")] == ["assigned", "changed"]
    alone, beside = code.statement(4), code.statement(8)
    assert alone is not None and beside is not None
    assert (alone.sort, [target.source for target in alone.targets]) == ("augassign", ["i"])
    assert beside.sort != "augassign" and not beside.targets, "it returns, or calls, and counts only besides"


CAVE = """const rooms = { mouth: ['hall'], hall: ['mouth'] };

function explore(start) {
  const queue = [start];
  let steps = 0;
  while (queue.length > 0) {
    const room = queue.shift();
    steps += 1;
    for (const next of rooms[room]) queue.push(next);
  }
  return steps;
}

console.log('exploring');
console.log(explore('mouth'));
"""
TICKS = "const hives = 3;\nfunction weigh() {\n  return hives + 1;\n}\nsetInterval(() => {\n  weigh();\n}, 50);\n"


@pytest.mark.spread(3)
@pytest.mark.parametrize("words", [["cave.js"], ["--", "node", "cave.js"]], ids=["by-its-file", "by-its-command"])
def test_a_loop_of_node_tells_what_its_names_hold(words: list[str], project: Project) -> None:
    """A thread beside it halts it: the loop itself leaves no room for anything."""
    jam = hung(project({"cave.js": CAVE}), *words)
    frame = jam["frames"][jam["snag"]]
    assert (jam["runtime"], jam["kind"], frame["file"], frame["function"]) == ("javascript", "endless", "cave.js", "explore")
    assert frame["line"] == 6
    assert held(jam, "start") == '"mouth"'
    assert int(held(jam, "steps")) > 100
    assert float(jam["facts"]["busy"]) > 0.4
    assert "line 6, which goes on while `queue.length > 0` holds." in jam["meaning"]
    assert jam["meaning"].endswith("In the loop stands `queue.shift()`, `queue.push(next)`.")


def test_what_only_ticks_is_found_when_it_ticks(project: Project) -> None:
    jam = hung(project({"ticks.js": TICKS}), "ticks.js")
    assert (jam["kind"], jam["frames"][jam["snag"]]["file"]) == ("interrupted", "ticks.js")
    assert jam["frames"][jam["snag"]]["line"] in (3, 5, 6)
    assert float(jam["facts"]["busy"]) < 0.4


def test_a_loop_of_r_outside_of_functions_is_found(project: Project) -> None:
    """No call has a place there; the statements that were done are counted."""
    text = "kilos <- 1\nweeks <- 0\nwhile (kilos < 9) {\n  weeks <- weeks + 1\n}\nprint(weeks)\n"
    jam = hung(project({"weeks.R": text}), "--", "Rscript", "weeks.R")
    frame = jam["frames"][jam["snag"]]
    assert (jam["kind"], frame["file"], frame["line"]) == ("endless", "weeks.R", 3)
    assert held(jam, "kilos") == "1"
    assert jam["meaning"].endswith("Then `kilos` was 1. Nothing in the loop assigns `kilos`.")
