"""What a value is taken out of, by the type that it was captured with: run in the real runtimes."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.observe.target import script_target
from jamkey.runs.fix_loop import main_jam, run_captured
from jamkey.search.candidates import gathered
from tests.test_survey import looked_at

Project = Callable[..., Path]

#: what -> (program it needs, file, text, the edited line)
TABLE = {
    "a coroutine": (
        "",
        "a.py",
        "import asyncio\n\n\nasync def kilos():\n    return 3\n\n\nasync def main():\n    found = kilos()\n    print(found + 1)\n\n\n"
        "asyncio.run(main())\n",
        "print(await found + 1)",
    ),
    "a generator": ("", "a.py", "hives = (n for n in [3, 1])\nprint(hives[0])\n", "print(list(hives)[0])"),
    "bytes": ("", "a.py", "row = b'oak,3'\nprint(row.split(','))\n", "print(row.decode().split(','))"),
    "a function": ("", "a.py", "def kilos():\n    return 3\n\n\nprint(kilos + 1)\n", "print(kilos() + 1)"),
    "a match": (
        "",
        "a.py",
        "import re\nfound = re.search('[0-9]+', 'oak 3')\nprint(found + ' kg')\n",
        "print(found.group() + ' kg')",
    ),
    "keys": ("", "a.py", "hives = {'oak': 3}\nprint(hives.keys()[0])\n", "print(list(hives.keys())[0])"),
    "a promise": (
        "node",
        "a.js",
        "async function kilos() {\n  return [3];\n}\nasync function main() {\n  const found = kilos();\n"
        "  console.log(found.map((n) => n + 1));\n}\nmain();\n",
        "console.log(await found.map((n) => n + 1));",
    ),
    "a map": (
        "node",
        "a.js",
        "const hives = new Map([['oak', 3]]);\nconsole.log(hives.map((n) => n));\n",
        "console.log([...hives.values()].map((n) => n));",
    ),
    "a list, R": ("Rscript", "a.R", "hives <- list(3, 4)\ntotal <- sum(hives)\nprint(total)\n", "total <- sum(unlist(hives))"),
    "a cell array": (
        "octave-cli",
        "a.m",
        "hives = {3, 4};\ntotal = hives + 1;\ndisp (total)\n",
        "total = cell2mat (hives) + 1;",
    ),
}


@pytest.mark.parametrize("what", TABLE)
def test_it_is_taken_out(what: str, project: Project) -> None:
    program, file, text, wanted = TABLE[what]
    if program and shutil.which(program) is None:
        pytest.fail(f"{program} is not installed: .ci/run installs it")
    folder = project({file: text})
    if program:
        jam = main_jam(run_captured(script_target(str(folder / file), []), folder))
        assert jam is not None
        scene, looked = Scene(jam, Sources(folder)), None
    else:
        scene, looked = looked_at(folder, file)
    found = [item.made for item in gathered(scene, seconds=30.0, survey=looked) if item.made is not None]
    code = scene.sources.text(file) or ""
    edits = [(made.span.line, made.span.column, made.span.end_column, made.text) for made in found if made.turn == "taken out"]
    rows = [
        row[: column - 1] + new + row[end - 1 :] for line, column, end, new in edits for row in [code.split("\n")[line - 1]]
    ]
    assert wanted in [row.strip() for row in rows]
