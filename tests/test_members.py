"""What the runtimes' own types have is known from the runtimes: what is misspelt of it is spelt, in every language."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages.members import own_members, own_names, takers
from jamkey.pipeline import diagnose, read
from jamkey.search.candidates import candidates

#: (file, command, program with the name in pointed quotes, what is written instead).
MISSPELT = [
    ("main.js", "node", 'const rows = ["oak"].map((name) => name.«toUpperCase»());\nconsole.log(rows);\n', "toUppercase"),
    ("main.js", "node", 'const kilos = new Map([["oak", 3]]);\nkilos.«forEach»((kilo) => console.log(kilo));\n', "foreach"),
    ("main.js", "node", 'const fs = require("fs");\nconsole.log(fs.«existsSync»("oak"));\n', "existSync"),
    ("main.js", "node", "console.log(Math.«floor»(3.5));\n", "flor"),
    ("main.lua", "lua5.4", "local name = 'oak'\nprint(name:«upper»())\n", "uper"),
    ("main.lua", "lua5.4", "print(table.«concat»({ 3, 9 }, ' '))\n", "conact"),
    ("main.lua", "lua5.4", "for _, kilo in «ipairs»({ 3, 9 }) do\n  print(kilo)\nend\n", "ipair"),
    (
        "Main.java",
        "java",
        'class Main {\n    public static void main(String[] words) {\n        String name = "oak";\n        System.out.println(name.«toUpperCase»());\n    }\n}\n',
        "toUppercase",
    ),
    ("main.R", "Rscript", "kilos <- c(3, 9)\nprint(«vapply»(kilos, sqrt, 0))\n", "vaply"),
    ("main.m", "octave-cli", "kilos = [3 9];\ndisp («circshift» (kilos, 1));\n", "circshft"),
]


@pytest.mark.spread(4)
@pytest.mark.parametrize(("file", "command", "text", "wrong"), MISSPELT, ids=[f"{row[1]} {row[3]}" for row in MISSPELT])
def test_a_misspelt_member_is_spelt(
    file: str, command: str, text: str, wrong: str, project: Callable[[Mapping[str, str | bytes]], Path]
) -> None:
    right, name = text.replace("«", "").replace("»", ""), text[text.index("«") + 1 : text.index("»")]
    broken = right.replace(name, wrong, 1)
    folder = project({file: broken})
    failed = subprocess.run([command, file], cwd=folder, capture_output=True, text=True, check=False, timeout=60)
    assert failed.returncode
    sources = Sources(folder)
    found = candidates(Scene(diagnose(read(failed.stderr)[-1], sources), sources), seconds=60.0)
    assert right in [item.texts.get(file) for item in found[:3]]


@pytest.mark.parametrize("language", ["javascript", "lua", "java", "r", "octave"])
def test_members_are_names(language: str) -> None:
    kinds = own_members(language)
    names = {name for own in kinds.values() for name in own} | own_names(language)
    assert len(names) > 100
    assert all(name.replace(".", "_").isidentifier() for name in names)
    assert bool(kinds) != (language in ("r", "octave"))


def test_nobody_was_asked_for_other_languages() -> None:
    assert not own_members("stata")
    assert not own_names("python")


def test_node_still_has_what_the_table_says() -> None:
    kinds = {
        kind: list(names) for kind, names in own_members("javascript").items() if kind in ("String", "Array", "Map", "Math")
    }
    asks = (
        "const kinds = JSON.parse(process.argv[1]);"
        "const lacks = [];"
        "for (const [kind, names] of Object.entries(kinds)) for (const name of names)"
        " if (!(name in globalThis[kind]) && !(name in (globalThis[kind].prototype ?? {}))) lacks.push(`${kind}.${name}`);"
        "console.log(JSON.stringify(lacks));"
    )
    done = subprocess.run(["node", "-e", asks, json.dumps(kinds)], capture_output=True, text=True, check=True)
    # an older Node has a few less, none of what is older than it
    lacks = json.loads(done.stdout)
    assert len(lacks) <= sum(map(len, kinds.values())) // 10
    assert not {"String.toUpperCase", "Array.forEach", "Map.forEach", "Math.floor"} & set(lacks)


def test_r_says_which_functions_take_an_argument() -> None:
    known = takers("r")
    assert {"mean", "sum", "sapply"} <= known["na.rm"]
    assert {"read.csv", "data.frame"} <= known["check.names"]
    assert not any("list" in functions for functions in known.values())
    assert not takers("lua")


def test_an_argument_is_put_only_where_it_is_taken(project: Callable[[Mapping[str, str | bytes]], Path]) -> None:
    text = (
        "gain <- function(kilos, na.rm = FALSE) if (na.rm) 0 else stop('a gap')\n"
        "weigh <- function(kilos) mean(kilos)\nboth <- list(gain(c(3, NA)), weigh(c(3, NA)))\n"
    )
    folder = project({"main.R": text})
    failed = subprocess.run(["Rscript", "main.R"], cwd=folder, capture_output=True, text=True, check=False)
    sources = Sources(folder)
    scene = Scene(diagnose(read(failed.stderr)[-1], sources), sources)
    made = [item.texts.get("main.R") or "" for item in candidates(scene, seconds=60.0)]
    assert any("gain(c(3, NA), na.rm = TRUE)" in item for item in made)
    assert not any(
        "weigh(c(3, NA), na.rm = TRUE)" in item or "list(gain(c(3, NA)), weigh(c(3, NA)), na.rm" in item for item in made
    )
