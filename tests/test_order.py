"""A failure that is met before the one in question is no way past it, nor is one that the edit itself has made."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.model import Edit, Trial
from jamkey.trials.bench import Bench
from tests.benches import bench_of, outcome_of

Project = Callable[[Mapping[str, str | bytes]], Path]

PYTHON = """\
def load(name):
    fields = name.split(",")
    return int(fields[1])


names = "oak,12"
total = load(names)
weights = [total, 3]
for hive in ["oak", "elm"]:
    known = len(hive)
    total += known / (3 - len(hive))
print(total)
"""
JAVASCRIPT = """\
function load(name) {
  const fields = name.split(",");
  return fields[1].length;
}
let total = load("oak,12");
const box = {};
total += box.deep.frames;
console.log(total);
"""
LUA = """\
local function load(name)
  return #name
end
local total = load("oak")
local box = {}
total = total + box.deep.frames
print(total)
"""
R = """\
load <- function(name) nchar(name)
total <- load("oak")
box <- list(1)
total <- total + box[[3]]
cat(total, "\\n")
"""
OCTAVE = """\
1;
function n = load_it (name)
  n = numel (name);
end
total = load_it ("oak");
box = [1, 2];
total = total + box(5);
disp (total)
"""
JAVA = """\
public class Yard {
    static int load(String name) {
        return name.length();
    }

    public static void main(String[] args) {
        int total = load("oak");
        int[] box = {1, 2};
        total += box[5];
        System.out.println(total);
    }
}
"""
COMPILED = JAVA.replace("total += box[5];", "total += box.frames();")
C = """\
#include <stdio.h>

static int load(int frames)
{
    return 2 * frames;
}

int main(void)
{
    int total = lod(5);
    printf("%d\\n", total);
    return 0;
}
"""

#: Name -> file, text, what is written instead of what (each stands in one place), how the trial ends.
EDITS = {
    "python, fails above": ("yard.py", PYTHON, '"oak,12"', "12 .x", "worse"),
    "python, fails inside of a call above": ("yard.py", PYTHON, "fields[1]", "fields[7]", "worse"),
    "python, a line put in above fails": ("yard.py", PYTHON, "total = load", "nothing\ntotal = load", "worse"),
    "python, another round": ("yard.py", PYTHON, "len(hive)\n    total", "hive.x\n    total", "moved"),
    "python, the same line": ("yard.py", PYTHON, "known / (3 - len(hive))", "known / hive", "moved"),
    "python, past it": ("yard.py", PYTHON, "known / (3 - len(hive))\nprint(total)", "known\nprint(tota)", "moved"),
    "python, lines above and past it": ("yard.py", "\n" + PYTHON, "3 - len(hive))\nprint(total)", "9)\n\nprint(tota)", "moved"),
    "javascript, above": ("yard.js", JAVASCRIPT, "const box = {};", "const box = deep;", "worse"),
    "javascript, inside of a call": ("yard.js", JAVASCRIPT, "fields[1]", "fields[9]", "worse"),
    "javascript, past it": ("yard.js", JAVASCRIPT, "box.deep.frames;\nconsole", "box.frames;\nconsol", "moved"),
    "lua, above": ("yard.lua", LUA, "#name", "#nam", "worse"),
    "lua, past it": ("yard.lua", LUA, "box.deep.frames\nprint(total)", "1\nprint(total.x.y)", "moved"),
    "r, above": ("yard.R", R, "list(1)", "list(boxes)", "worse"),
    "r, past it": ("yard.R", R, "box[[3]]\ncat(total", "1\ncat(tota", "moved"),
    "octave, above": ("yard.m", OCTAVE, "numel (name)", "numel (nam)", "worse"),
    "octave, past it": ("yard.m", OCTAVE, "box(5);\ndisp (total)", "1;\ndisp (tota)", "moved"),
    "java, above": ("Yard.java", JAVA, '"oak"', "null", "worse"),
    "java, not compiled any more": ("Yard.java", JAVA, "box[5]", "bo[5]", "worse"),
    "java, past it": ("Yard.java", JAVA, "box[5];", "1 / (total - 3);", "moved"),
    "java, no statement": ("Yard.java", COMPILED, "total += box.frames();", "(int) box.length;", "worse"),
    "java, another place": ("Yard.java", COMPILED.replace("load(String", "load(Sting"), "box.frames()", "1", "same"),
    "c, refused in its turn": ("yard.c", C, "lod(5)", "lod[5]", "worse"),
    "c, the linker is next": ("yard.c", C.replace("total)", "totl)"), "totl", "total", "moved"),
}


def tried(folder: Path, file: str, text: str, before: str, after: str) -> tuple[Bench, Trial]:
    """Return how the program ends with one piece of its text written otherwise."""
    assert text.count(before) == 1
    head = text[: text.index(before)]
    line, column = head.count("\n") + 1, len(head) - head.rfind("\n")
    last = before.count("\n")
    end = len(before) - before.rfind("\n") if last else column + len(before)
    edit = Edit(file=file, line=line, column=column, end_line=line + last, end_column=end, new_text=after)
    bench = bench_of(folder, file)
    bench.limit = 60.0  # a busy machine takes its time
    return bench, outcome_of(bench, edit)


@pytest.mark.parametrize("name", EDITS)
def test_only_what_comes_later_is_past_it(name: str, project: Project) -> None:
    file, text, before, after, outcome = EDITS[name]
    bench, trial = tried(project({file: text}), file, text, before, after)
    assert (trial.outcome, trial.next) == (outcome, trial.next)
    assert ("k" in bench.behind) == (outcome == "moved")
