"""What is defined under another name than it is asked for: the definition gets that name, in every language."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.budget import Budget
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.search.candidates import edits_of, proposals
from jamkey.text import splice
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

#: Name -> file, program, the name that it should have at its definition, the one that it has, what the mended program prints.
PROGRAMS = {
    "java, an abstract method": (
        "Yard.java",
        "public class Yard {\n    interface Box {\n        int frames();\n    }\n\n    static class Deep implements Box {\n"
        "        public int FRAMES() {\n            return 10;\n        }\n    }\n\n"
        "    public static void main(String[] args) {\n        Box box = new Deep();\n        System.out.println(box.frames());\n    }\n}\n",
        "frames",
        "combs",
        "10\n",
    ),
    "python, an abstract method": (
        "yard.py",
        "from abc import ABC, abstractmethod\n\n\nclass Box(ABC):\n    @abstractmethod\n    def frames(self):\n        ...\n\n\n"
        "class Deep(Box):\n    def FRAMES(self):\n        return 10\n\n\nboxes = [Deep() for _ in range(2)]\nprint(sum(box.frames() for box in boxes))\n",
        "frames",
        "combs",
        "20\n",
    ),
    "javascript, called twice": (
        "yard.js",
        "class Box {\n  FRAMES(extra) {\n    return 10 + extra;\n  }\n}\n\nconst box = new Box();\nconst low = box.frames(0);\n"
        "const high = box.frames(1);\nconsole.log(low + high);\n",
        "frames",
        "combs",
        "21\n",
    ),
    "lua, called twice": (
        "yard.lua",
        "local function FRAMES(extra)\n  return 10 + extra\nend\n\nlocal low = frames(0)\nlocal high = frames(1)\nprint(low + high)\n",
        "frames",
        "combs",
        "21\n",
    ),
    "r, called twice": (
        "yard.R",
        "FRAMES <- function(extra) 10 + extra\nlow <- frames(0)\nhigh <- frames(1)\ncat(low + high, '\\n')\n",
        "frames",
        "combs",
        "21 \n",
    ),
    "octave, called twice": (
        "yard.m",
        "1;\nfunction count = FRAMES(extra)\n  count = 10 + extra;\nend\nlow = frames(0);\nhigh = frames(1);\ndisp(low + high)\n",
        "frames",
        "combs",
        "21\n",
    ),
    "c, called twice": (
        "yard.c",
        "#include <stdio.h>\n\nstatic int FRAMES(int extra)\n{\n    return 10 + extra;\n}\n\nint main(void)\n{\n"
        '    int low = frames(0);\n    int high = frames(1);\n    printf("%d\\n", low + high);\n    return 0;\n}\n',
        "frames",
        "combs",
        "21\n",
    ),
}


#: Where no name can be changed at the call: the class is not whole without the method.
ABSTRACT = ["python, an abstract method", "java, an abstract method"]


@pytest.mark.spread(2)
@pytest.mark.parametrize("name", ABSTRACT)
def test_the_definition_gets_the_name_that_is_asked_for(name: str, project: Project) -> None:
    file, text, wanted, has, printed = PROGRAMS[name]
    folder = project({file: text.replace("FRAMES", has), "right.txt": printed})
    done = jamkey("fix", "--yes", "--no-keep", "--expect", "right.txt", file, cwd=folder, timeout=200)
    assert done.status == 0, done.err
    assert (folder / file).read_text(encoding="utf-8") == text.replace("FRAMES", wanted)


@pytest.mark.spread(4)
@pytest.mark.parametrize("name", PROGRAMS)
def test_the_edit_is_proposed(name: str, project: Project) -> None:
    file, text, wanted, has, _ = PROGRAMS[name]
    broken = text.replace("FRAMES", has)
    folder = project({file: broken})
    assert jamkey("run", "--no-keep", "--save", "out.json", file, cwd=folder).status
    scene = Scene(parse((folder / "out.json").read_bytes()).jams[-1], Sources(folder))
    made = [edits_of(file, item.made) for item in proposals(scene, Budget(20)) if item.made is not None]
    assert text.replace("FRAMES", wanted) in [
        splice(broken, list(edits)) for edits in made if {e.file for e in edits} == {file}
    ]


@pytest.mark.parametrize("name", PROGRAMS)
def test_a_definition_is_its_name(name: str) -> None:
    file, text, _, has, _ = PROGRAMS[name]
    text = text.replace("FRAMES", has)
    sources = Sources(texts={file: text})
    code = sources.code(file, name.partition(",")[0])
    assert code is not None
    spans = [item.span for item in code.definitions(has) if item.sort == "function"]
    rows = text.split("\n")
    assert [rows[span.line - 1][span.column - 1 : span.end_column - 1] for span in spans] == [has]


def test_the_programs_are_known_here() -> None:
    for program in ("java", "node", "lua5.4", "Rscript", "octave-cli", "gcc"):
        assert shutil.which(program), f"{program} is not installed: .ci/run installs it"
