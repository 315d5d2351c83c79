"""Readings for others: SARIF valid against its published schema, Markdown for a question, log events out and in."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import jsonschema
import pytest

import jamkey as library
from jamkey.follow.packages import versions_of
from jamkey.follow.sources import Sources
from jamkey.model import Edit, Frame, Jam, Key, Root, Step, Trial
from jamkey.pipeline import read
from jamkey.views import SHELF, sarif
from tests.conftest import corpus_cases, jamkey, printed
from tests.test_views import hostile, sample

Project = Callable[[Mapping[str, str | bytes]], Path]
#: As published by OASIS (SARIF 2.1.0, errata 01); a copy, so that the tests need no network.
SCHEMA = json.loads((Path(__file__).parent / "schemas" / "sarif-2.1.0.json").read_text(encoding="utf-8"))
FILES = {
    "gain.py": "from scale import read\n\n\ndef gain(weights):\n    return weights[-1] - weights[0]\n\n\nfor hive, weights in read().items():\n    print(hive, gain(weights))\n",
    "scale.py": "def read():\n    return {'north': [31.2, 32.0],\n            'oak': None}\n",
}


def valid(text: str) -> dict[str, Any]:
    data = json.loads(text)
    validator = jsonschema.Draft7Validator(SCHEMA, format_checker=jsonschema.FormatChecker())
    assert [f"{list(error.absolute_path)}: {error.message}" for error in validator.iter_errors(data)] == []
    return dict(data["runs"][0])


@pytest.fixture
def sources() -> Sources:
    return Sources(texts={"gain.py": "def gain(weights):\n\ttotal = sum(weights)\n\treturn totl\n"})


# --- SARIF


def test_a_run_with_stack_way_and_fixes(project: Project) -> None:
    folder = project(FILES)
    jamkey("fix", "--preview", "--save", "x.sarif", "gain.py", cwd=folder)
    run = valid((folder / "x.sarif").read_text(encoding="utf-8"))
    (result,) = run["results"]
    assert run["tool"]["driver"]["rules"][result["ruleIndex"]]["id"] == result["ruleId"] == "missing-value"
    place = result["locations"][0]["physicalLocation"]
    assert place == {
        "artifactLocation": {"uri": "gain.py"},
        "region": {"startLine": 5, "startColumn": 12, "endLine": 5, "endColumn": 23},
    }
    lines = [frame["location"]["physicalLocation"]["region"]["startLine"] for frame in result["stacks"][0]["frames"]]
    assert lines == [5, 9]  # innermost first, as the standard asks
    way = [one["location"]["physicalLocation"] for one in result["codeFlows"][0]["threadFlows"][0]["locations"]]
    assert (way[0]["artifactLocation"]["uri"], way[0]["region"]["startLine"]) == ("scale.py", 3)
    assert way[-1]["region"]["startLine"] == 5
    assert result["relatedLocations"][0]["physicalLocation"]["artifactLocation"]["uri"] == "scale.py"
    replacement = result["fixes"][0]["artifactChanges"][0]["replacements"][0]
    assert set(replacement) == {"deletedRegion", "insertedContent"}


def test_every_sort_of_jam_is_valid(sources: Sources) -> None:
    odd = [
        sample(),
        hostile(),
        Jam(runtime="lua"),
        Jam(runtime="r", phase="quiet", kind="early-return", frames=(Frame(file="<string>", line=0),), snag=0),
        sample(
            frames=(Frame(file="a b#?.ipynb", line=2, cell=3, column=4),),
            snag=0,
            roots=(Root(file="a b#?.ipynb", line=1, cell=0, steps=(Step(file="x", line=1, what="assigned", text="y"),)),),
            keys=(
                Key(
                    id="k",
                    title="t",
                    reason="",
                    confidence=1,
                    edits=(Edit(file="n.ipynb", line=1, column=1, end_line=1, end_column=1, new_text="x", cell=0),),
                ),
            ),
        ),
    ]
    run = valid(sarif.render(odd, sources))
    assert len(run["results"]) == len(odd)
    assert run["results"][4]["locations"][0]["message"]["text"] == "cell 4"
    assert "fixes" not in run["results"][4]  # the standard cannot say which cell is meant
    assert run["results"][3]["level"] == "warning"
    assert valid(sarif.render([], sources))["results"] == []


@pytest.mark.parametrize("case", corpus_cases()[::16], ids=lambda case: f"{case.parent.name}-{case.name}")
def test_real_traces_are_valid(case: Path) -> None:
    jams = [library.diagnose(jam, Sources(case)) for text in printed(case) for jam in read(text)]
    assert len(valid(sarif.render(jams, Sources(case)))["results"]) == len(jams)


def test_findings_are_valid(project: Project) -> None:
    folder = project(
        {"a b.py": "def gain(weights, seen=[]):\n    seen.append(weights)\n    if weights == None\n        return seen\n"}
    )
    jamkey("check", "--save", "x.sarif", ".", cwd=folder)
    run = valid((folder / "x.sarif").read_text(encoding="utf-8"))
    assert run["results"] and run["results"][0]["locations"][0]["physicalLocation"]["artifactLocation"]["uri"] == "a%20b.py"


# --- Markdown


def test_a_question_holds_what_a_colleague_needs(project: Project) -> None:
    folder = project(FILES)
    jamkey("fix", "--preview", "--save", "x.md", "gain.py", cwd=folder)
    text = (folder / "x.md").read_text(encoding="utf-8")
    order = [
        "## TypeError",
        "**It fails here:** gain.py, line 5",
        "return weights[-1]",
        "weights = None",
        "It seems to come from",
        "scale.py",
        "**Versions:** Python 3.",
        "### What was tried",
        "```diff",
    ]
    places = [text.index(part) for part in order]
    assert places == sorted(places)
    assert "(tried: " in text
    assert str(folder) not in text


def test_what_was_not_tried_is_not_said_to_be(sources: Sources) -> None:
    keys = (
        Key(id="a", title="One", reason="r", confidence=1),
        Key(id="b", title="Two", reason="", confidence=1, trial=Trial(outcome="same")),
    )
    text = SHELF.get(".md")([sample(keys=keys)], sources)
    assert (
        text.index("### What was tried")
        < text.index("**Two** (tried: no change)")
        < text.index("### What could be tried")
        < text.index("**One**")
    )


def test_versions_of_the_packages_on_the_path() -> None:
    import pandas
    import rich

    frames = (
        Frame(file=str(Path(pandas.__file__).parent / "core" / "frame.py"), line=1, owner="library"),
        Frame(file=str(Path(rich.__file__).parent / "table.py"), line=1, owner="library"),
        Frame(file="/nowhere/site-packages/absent/x.py", line=1, owner="library"),
        Frame(file="/no\0where/site-packages/absent/x.py", line=1, owner="library"),
        Frame(file="gain.py", line=1),
    )
    found = versions_of(Jam(runtime="python", frames=frames))
    assert found[1] == f"pandas {pandas.__version__}"
    assert found[0].startswith("rich 1") and len(found) == 2


# --- log events


def attributes(line: str) -> dict[str, str]:
    record = json.loads(line)["resourceLogs"][0]["scopeLogs"][0]["logRecords"][0]
    return {pair["key"]: next(iter(pair["value"].values())) for pair in record["attributes"]}


def test_events_go_out_and_come_back(project: Project) -> None:
    folder = project(FILES)
    jamkey("run", "--save", "x.jsonl", "gain.py", cwd=folder)
    text = (folder / "x.jsonl").read_text(encoding="utf-8")
    found = attributes(text)
    assert (found["exception.type"], found["code.file.path"], found["code.line.number"]) == ("TypeError", "gain.py", "5")
    assert (
        found["exception.stacktrace"].startswith("Traceback (most recent call last):")
        and found["jamkey.kind"] == "missing-value"
    )
    back = json.loads(jamkey("read", "--json", "x.jsonl", cwd=folder).out)["jams"]
    assert [(jam["exception_type"], jam["frames"][jam["snag"]]["line"], jam["roots"][0]["file"]) for jam in back] == [
        ("TypeError", 5, "scale.py")
    ]


def test_the_runtimes_own_trace_is_what_goes_out(project: Project) -> None:
    folder = project(
        {"gain.js": "const weights = {north: 31.2};\nfunction gain(hive) {\n  return hive.kilos.length;\n}\ngain(weights);\n"}
    )
    jamkey("run", "--save", "x.jsonl", "gain.js", cwd=folder)
    found = attributes((folder / "x.jsonl").read_text(encoding="utf-8"))
    assert "at gain (" in found["exception.stacktrace"] and "Traceback" not in found["exception.stacktrace"]
    (back,) = json.loads(jamkey("read", "--json", "x.jsonl", cwd=folder).out)["jams"]
    assert (back["runtime"], back["exception_type"], back["frames"][back["snag"]]["line"]) == ("javascript", "TypeError", 3)


TRACE = "Traceback (most recent call last):\n  File \"gain.py\", line 9, in <module>\n    print(totl)\nNameError: name 'totl' is not defined\n"
FLAT = {"exception.type": "NameError", "exception.message": "name 'totl' is not defined", "exception.stacktrace": TRACE}
FORMS = {
    "flat": FLAT,
    "attributes": {"ts": 1, "level": "error", "attributes": FLAT},
    "nested": {
        "severity": "ERROR",
        "exception": {"type": "NameError", "message": "name 'totl' is not defined", "stacktrace": TRACE},
    },
    "pairs": {
        "resourceLogs": [
            {
                "resource": {"attributes": []},
                "scopeLogs": [
                    {
                        "logRecords": [
                            {"attributes": [{"key": name, "value": {"stringValue": text}} for name, text in FLAT.items()]}
                        ]
                    }
                ],
            }
        ]
    },
    "span event": {"name": "weigh", "events": [{"name": "exception", "attributes": FLAT}]},
}


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("before", ["", "2026-11-25T10:00:00Z stdout F "])
def test_events_in_every_form_are_read(form: str, before: str) -> None:
    lines = [
        json.dumps({"level": "info", "message": "weighed"}),
        before + json.dumps(FORMS[form]),
        json.dumps({"level": "info"}),
    ]
    (jam,) = read("\n".join(lines))
    assert (jam.runtime, jam.exception_type, jam.kind, jam.facts["name"]) == ("python", "NameError", "unknown-name", "totl")
    assert (jam.first_line, jam.last_line, jam.frames[0].line) == (2, 2, 9)


def test_an_event_without_a_trace_tells_type_and_message() -> None:
    event = {
        "resource": {"attributes": {"telemetry.sdk.language": "java"}},
        "attributes": {"exception.type": "java.lang.NullPointerException", "exception.message": "hive is null"},
    }
    (jam,) = read(json.dumps(event))
    assert (jam.runtime, jam.exception_type, jam.message, jam.kind) == (
        "java",
        "java.lang.NullPointerException",
        "hive is null",
        "missing-value",
    )


@pytest.mark.parametrize(
    "line",
    [
        '{"exception": 3}',
        '{"exception.type": "X"',
        '{"exception.stacktrace": "nothing here"}',
        "[" * 5000 + '{"exception',
        '{"attributes": [{"key": "exception.type"}, 4, null]}',
        '{"exception": {"type": ["x"]}}',
    ],
)
def test_other_lines_are_left_alone(line: str) -> None:
    assert read(line) == []


def test_traces_around_events_are_still_read() -> None:
    found = read(f"{TRACE}\n{json.dumps(FLAT)}\n{TRACE.replace('gain.py', 'yield.py')}")
    assert [jam.first_line for jam in found] == [1, 6, 7]
