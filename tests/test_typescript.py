"""TypeScript: what its compiler refuses, in both of its layouts, and traces of programs that ran from it."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.languages import language_of, trees
from jamkey.model import Jam
from jamkey.pipeline import read, read_and_diagnose
from jamkey.text import splice
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

HIVES = """\
interface Hive { name: string; kilos: number; frames?: number }

const hives: Hive[] = [{ name: "oak", kilos: 31.5 }, { name: "brook", kilos: "28" }];

function total(hives: Hive[]): number {
  let sum = 0;
  for (const hive of hives) {
    sum += hive.kilo;
  }
  return sum;
}

function mean(hives: Hive[], decimals: number): string {
  return (totl(hives) / hives.length).toFixed(decimals);
}

console.log(mean(hives));
const first = hives.find(h => h.name === "oak");
console.log(first.kilos);
hives = [];
let used: number;
console.log(used + 1);
console.log(hives[0].kilos());
import { scale } from "./scales";
"""
#: As the compiler prints it: (row, kind, facts that are told, words of the meaning).
SAID = [
    (
        "hives.ts(3,75): error TS2322: Type 'string' is not assignable to type 'number'.",
        "wrong-type",
        {"given": "string", "wanted": "number"},
        "A `string` stands where a `number` is wanted",
    ),
    (
        "hives.ts(8,17): error TS2551: Property 'kilo' does not exist on type 'Hive'. Did you mean 'kilos'?",
        "no-such-member",
        {"member": "kilo", "suggestion": "kilos"},
        "`kilo`",
    ),
    (
        "hives.ts(14,11): error TS2552: Cannot find name 'totl'. Did you mean 'total'?",
        "unknown-name",
        {"name": "totl", "suggestion": "total"},
        "`totl`",
    ),
    ("hives.ts(17,13): error TS2554: Expected 2 arguments, but got 1.", "wrong-arguments", {}, "`mean`"),
    (
        "hives.ts(19,13): error TS18048: 'first' is possibly 'undefined'.",
        "missing-value",
        {"name": "first"},
        "`first` may be undefined",
    ),
    (
        "hives.ts(20,1): error TS2588: Cannot assign to 'hives' because it is a constant.",
        "fixed-value",
        {"name": "hives"},
        "`hives` was declared with `const`",
    ),
    ("hives.ts(22,13): error TS2454: Variable 'used' is used before being assigned.", "unset-name", {"name": "used"}, "`used`"),
    (
        "hives.ts(23,22): error TS2349: This expression is not callable.\n  Type 'Number' has no call signatures.",
        "not-callable",
        {},
        "",
    ),
    (
        "hives.ts(24,23): error TS2307: Cannot find module './scales' or its corresponding type declarations.",
        "no-such-module",
        {"module": "./scales"},
        "./scales",
    ),
    (
        "hives.ts(24,1): error TS1232: An import declaration can only be used at the top level of a namespace or module.",
        "broken-syntax",
        {},
        "",
    ),
]


def the_one(text: str, folder: Path) -> Jam:
    (jam,) = read_and_diagnose(text, root=folder)
    return jam


@pytest.mark.parametrize(("row", "kind", "facts", "words"), SAID, ids=[kind for _, kind, _, _ in SAID])
def test_what_the_compiler_refuses(row: str, kind: str, facts: dict[str, str], words: str, project: Project) -> None:
    jam = the_one(row + "\n", project({"hives.ts": HIVES}))
    assert (jam.runtime, jam.phase, jam.kind) == ("typescript", "compile", kind)
    assert facts.items() <= jam.facts.items()
    assert words in jam.meaning
    assert "Print " not in jam.look_at
    frame = jam.snag_frame
    assert frame is not None
    line, column = (int(part) for part in row[row.index("(") + 1 : row.index(")")].split(","))
    assert (frame.file, frame.line, frame.column, frame.owner) == ("hives.ts", line, column, "yours")


@pytest.mark.parametrize(
    ("row", "old", "new"),
    [(SAID[1][0], "hive.kilo;", "hive.kilos;"), (SAID[2][0], "totl(", "total("), (SAID[5][0], "const hives", "let hives")],
)
def test_the_first_key(row: str, old: str, new: str, project: Project) -> None:
    jam = the_one(row, project({"hives.ts": HIVES}))
    assert splice(HIVES, jam.keys[0].edits) == HIVES.replace(old, new)


def test_where_a_value_that_may_be_missing_comes_from(project: Project) -> None:
    jam = the_one(SAID[4][0], project({"hives.ts": HIVES}))
    assert jam.roots[0].line == 18
    assert jam.roots[0].reason == '`hives.find(h => h.name === "oak")` may find nothing'


PRETTY = """\
hives.ts:8:17 - error TS2551: Property 'kilo' does not exist on type 'Hive'. Did you mean 'kilos'?

8     sum += hive.kilo;
                  ~~~~

  hives.ts:1:32 - 'kilos' is declared here.
    1 interface Hive { name: string; kilos: number; frames?: number }
                                     ~~~~~

hives.ts:14:11 - error TS2552: Cannot find name 'totl'. Did you mean 'total'?

14   return (totl(hives) / hives.length).toFixed(decimals);
             ~~~~


Found 2 errors in the same file, starting at: hives.ts:8
"""


def test_the_layout_of_a_terminal(project: Project) -> None:
    folder = project({"hives.ts": HIVES, "log.txt": PRETTY})
    jams = read_and_diagnose(PRETTY, root=folder)
    assert [(jam.exception_type, jam.frames[0].line) for jam in jams] == [("TS2551", 8), ("TS2552", 14)]
    assert (jams[0].frames[0].column, jams[0].frames[0].end_column) == (17, 21)
    assert [jam.frames[0].source for jam in read(PRETTY)] == [
        "sum += hive.kilo;",
        "return (totl(hives) / hives.length).toFixed(decimals);",
    ]
    done = jamkey("read", "--json", "log.txt", cwd=folder)
    assert [jam["kind"] for jam in json.loads(done.out)["jams"]] == ["no-such-member", "unknown-name"]


@pytest.mark.parametrize("name", ["hives.ts", "src/hives.tsx", "lib/a b/hives.mts"])
def test_files_by_their_endings(name: str) -> None:
    language = language_of(name)
    assert language is not None
    assert language.name == "typescript"
    [jam] = read(f"{name}(2,5): error TS2304: Cannot find name 'oak'.") or [None]
    assert jam is not None
    assert jam.frames[0].file == name


def test_the_source_by_its_tree() -> None:
    language = language_of("hives.ts")
    assert language is not None
    code = language.code(HIVES)
    assert type(code).__name__ == "TreeCode"
    assert trees.is_whole(HIVES, "typescript", ".ts")
    assert trees.is_whole("const a = <b>{c}</b>;\n", "typescript", ".tsx")
    assert [function.name for function in code.functions() if function.name] == ["total", "mean"]
    assert {"Hive", "hives", "sum", "hive", "decimals", "first", "used"} <= {
        definition.name for definition in code.definitions()
    }
    assert [d.span.line for d in code.reaching("first", 19)] == [18]
    assert {d.span.line for d in code.reaching("sum", 10)} == {6, 8}


def test_what_runs_from_it_is_read_as_what_runs_it(project: Project) -> None:
    folder = project({"hives.ts": HIVES})
    trace = (
        f"{folder}/hives.ts:19\nconsole.log(first.kilos);\n                  ^\n\n"
        "TypeError: Cannot read properties of undefined (reading 'kilos')\n"
        f"    at <anonymous> ({folder}/hives.ts:19:19)\n    at ModuleJob.run (node:internal/modules/esm/module_job:271:25)\n\nNode.js v22.18.0\n"
    )
    jam = the_one(trace, folder)
    assert (jam.runtime, jam.kind) == ("javascript", "missing-value")
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line) == ("hives.ts", 19)
    assert jam.roots[0].line == 18


@pytest.mark.parametrize(
    "text",
    [
        "error TS2304",
        "a.ts(x,1): error TS2304: no",
        "(1,2): error TS1: x",
        "a.js(1,2): error TS2304: x",
        "a.ts(1,2): error TS: x",
    ],
)
def test_others_are_not_read(text: str) -> None:
    assert not [jam for jam in read(text) if jam.runtime == "typescript"]


PAGE = """\
type Given = { kilos: number[] };

export function Scale({ kilos }: Given) {
  const heaviest = Math.max(...kilos);
  return <p title="scale">{heaviest.toFixd(1)} kg</p>;
}
"""


def test_elements_of_a_page_in_the_source(project: Project) -> None:
    language = language_of("Scale.tsx")
    assert language is not None
    assert [d.span.line for d in language.code(PAGE).reaching("heaviest", 5)] == [4]
    row = "Scale.tsx(5,37): error TS2551: Property 'toFixd' does not exist on type 'number'. Did you mean 'toFixed'?"
    jam = the_one(row, project({"Scale.tsx": PAGE}))
    assert jam.kind == "no-such-member"
    assert splice(PAGE, jam.keys[0].edits) == PAGE.replace("toFixd", "toFixed")
