"""Node and browser traces, from text alone; and from the real Node."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.pipeline import read, read_and_diagnose

UNCAUGHT = """/home/learner/project/main.js:19
  return totalKilo / list.length;
  ^

ReferenceError: totalKilo is not defined
    at summarise (/home/learner/project/main.js:19:3)
    at Array.map (<anonymous>)
    at Object.<anonymous> (/home/learner/project/main.js:22:26)
    at Module._compile (node:internal/modules/cjs/loader:1521:14)
    at node:internal/main/run_main_module:28:49

Node.js v20.20.2
"""


def one(text: str) -> Jam:
    jams = read(text)
    assert len(jams) == 1, [jam.headline for jam in jams]
    return jams[0]


def test_uncaught() -> None:
    jam = one("starting\n" + UNCAUGHT)
    assert (jam.runtime, jam.runtime_version, jam.phase, jam.kind) == ("javascript", "20.20.2", "run", "unknown-name")
    assert [(f.file.rpartition("/")[2], f.line, f.function) for f in jam.frames[-3:]] == [
        ("main.js", 22, "<module>"),
        ("<native>", None, "Array.map"),
        ("main.js", 19, "summarise"),
    ]
    assert jam.frames[-1].source == "return totalKilo / list.length;"
    assert jam.first_line == 2


def test_syntax_error_has_its_place_only_in_the_head() -> None:
    text = (
        "/p/main.js:4\n  return 'Tide;\n         ^^^^^\n\nSyntaxError: Invalid or unexpected token\n"
        "    at wrapSafe (node:internal/modules/cjs/loader:1464:18)\n\nNode.js v20.20.2\n"
    )
    jam = one(text)
    assert (jam.phase, jam.kind, jam.frames[-1].line, jam.frames[-1].marked) == ("compile", "broken-syntax", 4, (8, 13))


def test_cause() -> None:
    text = UNCAUGHT.replace(
        "28:49\n",
        "28:49 {\n  [cause]: TypeError: Cannot read properties of undefined (reading 'map')\n"
        "      at parse (/home/learner/project/main.js:5:21)\n}\n",
    )
    jam = one(text)
    assert (jam.chain[0].relation, jam.chain[0].jam.kind) == ("caused-by", "missing-value")
    assert jam.frames[-1].function == "parse"


def test_members() -> None:
    text = (
        "[AggregateError: All promises were rejected] {\n  [errors]: [\n    Error: pier is silent\n"
        "        at ask (file:///p/main.mjs:6:11),\n    Error: buoy is silent\n        at ask (file:///p/main.mjs:7:11)\n  ]\n}\n\nNode.js v20.20.2\n"
    )
    jam = one(text)
    assert jam.exception_type == "AggregateError"
    assert [link.jam.message for link in jam.chain] == ["pier is silent", "buoy is silent"]
    assert jam.frames[-1].file == "/p/main.mjs"


@pytest.mark.parametrize(
    ("text", "line", "kind"),
    [
        (
            "Uncaught TypeError: station.readings is undefined\n    warmest@http://localhost:8123/stations.js:7:22\n"
            "    @http://localhost:8123/stations.js:14:45\n",
            7,
            "missing-value",
        ),
        (
            "ReferenceError: Can't find variable: crateSize\ncrates@http://localhost:8123/count.js:4:39\nmap@[native code]\n",
            4,
            "unknown-name",
        ),
        (
            "[3:3:1125/031139.1:INFO:CONSOLE:8] \"Uncaught TypeError: Cannot set properties of null (setting 'x')\", source: file:///p/f.js (8)\n",
            8,
            "missing-value",
        ),
        (
            "Uncaught (in promise) SyntaxError: Unexpected end of JSON input\n    at JSON.parse (<anonymous>)\n"
            "    at load (http://localhost:8123/log.js:7:23)\n",
            7,
            "unreadable-value",
        ),
    ],
)
def test_browsers(text: str, line: int, kind: str) -> None:
    jam = one(text)
    assert jam.kind == kind
    own = [frame for frame in jam.frames if frame.line]
    assert own[-1].line == line


def test_message_over_several_lines() -> None:
    text = UNCAUGHT.replace("totalKilo is not defined", "the file says:\n  ]\n}\nand no more")
    assert one(text).message == "the file says:\n  ]\n}\nand no more"


def test_a_mention_is_no_failure() -> None:
    assert read("Error: retrying the hive scale\nfine now\n") == []


node = shutil.which("node")


def test_node_is_installed() -> None:
    assert node, "install Node (apt-get install nodejs): the tests of JavaScript need the real one"


@pytest.mark.parametrize(
    ("text", "kind", "line"),
    [
        ("function f(h) {\n  return h.kilos;\n}\nf();\n", "missing-value", 2),
        ("const a = 1;\na = 2;\n", "fixed-value", 2),
        ("let hive = {};\nhive.weigh();\n", "not-callable", 2),
        ("console.log(hives);\n", "unknown-name", 1),
        ("f();\nfunction f() { return LIMIT; }\nconst LIMIT = 3;\n", "unset-name", 2),
        ("JSON.parse('{oak: 1}');\n", "unreadable-value", 1),
        ("require('./hives');\n", "no-such-module", 1),
        ("require('fs').readFileSync('none.csv');\n", "file-access", 1),
        ("function f(n) {\n  return f(n + 1);\n}\nf(1);\n", "too-deep", 2),
        ("function f() {\n  return 1;\n", "broken-syntax", 3),
        ("throw new Error('no bees');\n", "raised-on-purpose", 1),
        ("new Array(-1);\n", "wrong-count", 1),
    ],
)
def test_real_node(text: str, kind: str, line: int, project: Callable[..., Path]) -> None:
    folder = project({"main.js": text})
    done = subprocess.run([str(node), "main.js"], cwd=folder, capture_output=True, text=True, check=False)
    jam = read_and_diagnose(done.stderr, root=folder)[-1]
    assert jam.kind == kind
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line) == ("main.js", line)


@pytest.mark.parametrize(("ending", "loads"), [("js", 'require("./kilos.js");'), ("mjs", 'import "./kilos.mjs";')])
def test_a_file_that_is_loaded_and_does_not_parse_is_the_place(ending: str, loads: str, tmp_path: Path) -> None:
    (tmp_path / f"main.{ending}").write_text(f"{loads}\nconsole.log(3);\n")
    (tmp_path / f"kilos.{ending}").write_text("const a = [1, 2];\nfor (const one of a) {\n  one;\n}}\n")
    done = subprocess.run(["node", f"main.{ending}"], cwd=tmp_path, capture_output=True, text=True, timeout=60)
    [*_, jam] = read_and_diagnose(done.stderr, root=tmp_path)
    assert (jam.phase, jam.kind, jam.exception_type) == ("compile", "broken-syntax", "SyntaxError")
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line) == (f"kilos.{ending}", 4)


def test_a_text_that_is_no_json_is_no_broken_source(tmp_path: Path) -> None:
    (tmp_path / "main.js").write_text('const kilos = JSON.parse("{kilos");\nconsole.log(kilos);\n')
    done = subprocess.run(["node", "main.js"], cwd=tmp_path, capture_output=True, text=True, timeout=60)
    [*_, jam] = read_and_diagnose(done.stderr, root=tmp_path)
    assert (jam.phase, jam.snag_frame.line if jam.snag_frame else None) == ("run", 1)
