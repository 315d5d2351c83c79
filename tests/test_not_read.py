"""Programs whose text a runtime could not read, from the run to the key that mends it: the whole command line, real runtimes."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Mapping
from pathlib import Path

import msgspec
import pytest

from jamkey.model import Edit, Key, Trial
from jamkey.search.by_trial import ranked_keys
from jamkey.text import splice
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str]], Path]

#: Name -> (command, files, where it stands, what the mended text holds, what its trial prints).
PROGRAMS = {
    "a file that R sources": (
        ["Rscript", "main.R"],
        {
            "main.R": 'source("hives.R")\ncat(mean(kilos), "\\n")\n',
            "hives.R": "# kilos of honey\nkilos <- c(31.2, 28.4,\n           26.9 30.1,\n           22.0)\n",
        },
        ("hives.R", 3),
        "26.9, 30.1",
        "27.72",
    ),
    "a block of Lua without its end": (
        ["lua5.4", "main.lua"],
        {
            "main.lua": "local kilos = {31.2, 28.4, 12.0}\n\nlocal function good(list)\n  local count = 0\n  for i = 1, #list do\n"
            "    if list[i] > 20 then\n      count = count + 1\n  end\n  return count\nend\n\nprint('good', good(kilos))\n"
        },
        ("main.lua", None),
        "    end\n  end\n  return",
        "good 2",
    ),
    "a sign of another language": (
        ["lua5.4", "main.lua"],
        {
            "main.lua": "local kilos = {31, 28, 12}\nlocal n = 0\nfor _, k in ipairs(kilos) do\n  if k != 12 then n = n + 1 end\nend\nprint(n)\n"
        },
        ("main.lua", 4),
        "~=",
        "2",
    ),
}


@pytest.mark.spread(1)
@pytest.mark.parametrize("name", PROGRAMS)
def test_the_first_key_makes_it_run(name: str, project: Project) -> None:
    argv, files, (file, line), holds, printed = PROGRAMS[name]
    assert shutil.which(argv[0]), f"{argv[0]} is not here: CI installs it"
    folder = project(files)
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    done = jamkey("fix", "--preview", "--save", "out.json", "--", *argv, cwd=folder)
    told = json.loads((folder / "out.json").read_text(encoding="utf-8"))
    jam = told["jams"][-1]
    assert jam["kind"] == "broken-syntax"
    frame = jam["frames"][jam["snag"]]
    assert frame["file"] == file
    assert line in (None, frame["line"])
    first = jam["keys"][0]
    assert first["trial"]["outcome"] == "runs", done.out
    assert holds in splice(files[file], msgspec.convert(first["edits"], list[Edit]))
    assert first["trial"]["printed"].split() == printed.split()
    assert before == {name: (folder / name).read_bytes() for name in before}, "a preview changes nothing"


#: Command -> files: the first file begins and asks for the second, which cannot be read.
ASKING = {
    "main.py": ("", {"main.py": "print('begun')\nimport hives\n", "hives.py": "kilos = [31.5, 28.0\nprint(kilos\n"}),
    "main.js": (
        "node",
        {"main.js": "console.log('begun');\nrequire('./hives.js');\n", "hives.js": "const kilos = [31.5, 28.0;\n"},
    ),
    "main.R": ("Rscript", {"main.R": 'cat("begun\\n")\nsource("hives.R")\n', "hives.R": "kilos <- c(31.5,\n  28.0 30.2)\n"}),
    "main.lua": (
        "lua5.4",
        {"main.lua": "print('begun')\nrequire('hives')\n", "hives.lua": "local kilos = {31.5, 28.0\nprint(1)\n"},
    ),
}


@pytest.mark.parametrize("name", ASKING)
def test_only_of_the_file_that_was_not_read_it_is_said_that_nothing_ran(name: str, project: Project) -> None:
    runtime, files = ASKING[name]
    folder = project(files)
    unread = list(files)[1]
    done = jamkey("run", "--save", "out.json", *(["--", runtime, name] if runtime else [name]), cwd=folder)
    assert "begun" in done.out
    jam = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"][-1]
    assert jam["meaning"].startswith(f"Nothing in `{unread}` has run")
    assert f"while {unread} was read" in done.err
    alone = jamkey("run", "--save", "out.json", *(["--", runtime, unread] if runtime else [unread]), cwd=folder)
    jam = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"][-1]
    assert jam["meaning"].startswith("Nothing has run")
    assert "before the start" in alone.err


def key(id: str, printed: str, outcome: str = "runs", sure: float = 0.5) -> Key:
    return Key(id=id, title=id, reason="", confidence=sure, edits=(), trial=Trial(outcome=outcome, printed=printed))  # type: ignore[arg-type]


def test_what_prints_nothing_stands_behind_what_prints() -> None:
    keys = [key("silent", "", sure=0.6), key("talks", "oak 31\nelm 28", sure=0.4), key("moved", "", "moved", 0.9)]
    assert [item.id for item in ranked_keys(keys)] == ["talks", "silent", "moved"]


def test_of_those_that_print_alike_the_surest_leads_and_none_is_lost() -> None:
    keys = [key("b", "oak 31", sure=0.2), key("a", "oak 31", sure=0.5), key("c", "oak 30", sure=0.1), key("same", "", "same")]
    made = [item.id for item in ranked_keys(keys)]
    assert made[0] == "a"
    assert sorted(made) == ["a", "b", "c", "same"]
    assert made[-1] == "same"
