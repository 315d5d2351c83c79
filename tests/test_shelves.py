"""The contract of everything registered: readers, phrases, languages, kinds, views."""

from __future__ import annotations

import random
import sys
from pathlib import Path

import msgspec
import pytest

from jamkey import kinds, languages, phrases, readers, views
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.model import Frame, Jam
from jamkey.phrases import TABLES, classify, compile_all, compile_pattern, table
from jamkey.pipeline import diagnose, read
from jamkey.shelf import Shelf
from jamkey.views.json import parse
from tests.conftest import corpus_cases, jamkey, printed
from tests.test_typescript import HIVES as TYPED
from tests.test_typescript import SAID as REFUSED

READERS = readers.SHELF.names()
KINDS = kinds.SHELF.names()
LANGUAGES = languages.SHELF.names()


@pytest.mark.parametrize(
    "shelf", [readers.SHELF, kinds.SHELF, languages.SHELF, views.SHELF], ids=["readers", "kinds", "languages", "views"]
)
def test_names_are_unique_and_load(shelf: Shelf) -> None:
    names = shelf.names()
    assert len(set(names)) == len(names) > 1
    assert all(shelf.get(name) is not None for name in names)
    assert "no-such-thing" not in shelf
    with pytest.raises(KeyError):
        shelf.get("no-such-thing")


def test_listing_imports_nothing() -> None:
    import subprocess

    code = (
        "import sys; from jamkey import kinds, readers, languages; "
        "names = kinds.SHELF.names(outside=False) + readers.SHELF.names(outside=False) + languages.SHELF.names(outside=False); "
        "assert len(names) > 20; "
        "print([m for m in sys.modules if m.startswith(('jamkey.kinds.', 'jamkey.readers.', 'jamkey.languages.p'))])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    loaded = set(msgspec.json.decode(done.stdout.replace("'", '"')))
    assert loaded <= {"jamkey.readers.base", "jamkey.readers.pasted"}


@pytest.mark.parametrize("group", ["jamkey.readers", "jamkey.kinds"])
def test_others_can_add(group: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    info = tmp_path / "abacus-1.dist-info"
    info.mkdir()
    (info / "METADATA").write_text("Metadata-Version: 2.1\nName: abacus\nVersion: 1\n", encoding="utf-8")
    (info / "entry_points.txt").write_text(f"[{group}]\nabacus = jamkey.readers.python:READER\n", encoding="utf-8")
    for where in (tmp_path / "nowhere", info / "METADATA", tmp_path):  # what is no folder is passed over, or asked
        monkeypatch.syspath_prepend(str(where))
    shelf = Shelf({"python": "jamkey.readers.python:READER"}, group="jamkey.readers")
    assert shelf.names() == (("python", "abacus") if group == "jamkey.readers" else ("python",))
    if group == "jamkey.readers":
        assert shelf.get("abacus").name == "python"


@pytest.mark.parametrize("name", KINDS)
def test_a_kind_explains_itself(name: str) -> None:
    kind = kinds.SHELF.get(name)
    assert kind.name == name
    assert kind.title and kind.title[0].islower()
    assert len(kind.about.split()) > 8 and kind.about.endswith(".")
    assert len(kind.usual) >= 2
    assert kind.avoid.endswith(".")
    assert sys.modules[type(kind).__module__].__doc__


@pytest.mark.parametrize("name", KINDS)
@pytest.mark.parametrize("runtime", list(TABLES))
def test_a_kind_says_something_without_sources(name: str, runtime: str) -> None:
    for frames in ((), (Frame(file="hives.py", line=3, function="gain", source="return x"),)):
        jam = Jam(runtime=runtime, kind=name, exception_type="Error", message="odd", frames=frames, snag=0 if frames else None)
        found = kinds.SHELF.get(name).diagnose(Scene(jam, Sources()))
        assert found.meaning
        assert found.causes


@pytest.mark.parametrize("name", READERS)
def test_a_reader_scores_and_never_raises(name: str) -> None:
    reader = readers.SHELF.get(name)
    assert reader.name == name
    assert type(reader).__doc__
    assert reader.score("") == 0.0
    assert reader.score("all hives are well\n") == 0.0
    generator = random.Random(4)
    texts = [next((text for text in printed(case) if reader.score(text) > 0), "") for case in corpus_cases(name)]
    if name == "typescript":  # no case of the corpus is of it
        texts = ["\n".join(row for row, *_ in REFUSED)]
    assert texts
    for text in texts:
        assert 0.0 < reader.score(text) <= 1.0
        for _ in range(4):
            start, end = sorted(generator.sample(range(len(text) + 1), 2))
            for piece in (text[start:], text[:end], text[start:end], text[end:] + text[:start]):
                for jam in reader.read(piece):
                    assert jam.runtime == name or (name, jam.runtime) == ("swift", "objective-c")
                    assert jam.first_line and jam.last_line and jam.first_line <= jam.last_line


@pytest.mark.parametrize("name", LANGUAGES)
def test_a_language_survives_cut_off_code(name: str) -> None:
    language = languages.SHELF.get(name)
    assert language.name == name
    assert language.keywords and language.builtins
    generator = random.Random(7)
    endings = [ending for ending, language_name in languages.ENDINGS.items() if language_name == name and ending != ".ipynb"]
    # its files end like another language's, and lie with those of the apps
    where, endings = ("swift", [".m"]) if name == "objective-c" else (name, endings)
    files = [
        path for case in corpus_cases(where) for path in sorted((case / "src").rglob("*")) if path.suffix.lower() in endings
    ]
    texts = [path.read_text(encoding="utf-8", errors="replace") for path in files[:25]]
    if name == "typescript":
        texts = [TYPED]
    assert texts
    for text in texts:
        cut = generator.randrange(len(text) + 1)
        for piece in (text, text[:cut], text[cut:]):
            code = language.code(piece)
            last = piece.count("\n") + 1
            for line in {1, last, last // 2, last + 5}:
                code.statement(line)
                code.visible(line)
                code.scope_at(line)
                code.loops(line)
            for definition in code.definitions():
                code.reaching(definition.name, last)
                code.uses(definition.name)
            code.functions(), code.literal_keys(), code.all_members()
            language.first_error(piece)


@pytest.mark.parametrize("runtime", list(TABLES))
def test_phrase_tables(runtime: str) -> None:
    known = table(runtime)
    assert known.phrases
    for phrase in known.phrases:
        assert phrase.kind in KINDS, phrase.kind
    phases = {kind for phase, kind in known.defaults.items() if phase != "refusals"}
    assert set(known.types.values()) | phases <= {*KINDS, "of-its-cause"}
    assert known.defaults.get("refusals", "told") == "told", "by the words that compilers share"


def test_cut_tables_are_fresh() -> None:
    with open(phrases._CUT, "rb") as handle:
        assert handle.read() == compile_all(), "run `make phrases` and commit cut.json"


@pytest.mark.parametrize(
    ("pattern", "text", "facts"),
    [
        ("name '{name}' is not defined", "name 'hive' is not defined", {"name": "hive"}),
        ("name '{name}' is not defined", "name 'a' b' is not defined", {"name": "a' b"}),
        ("name '{name}' is not defined", "name '' is not defined", None),
        ("index {index:int} of {size:int}", "index -3 of 12", {"index": "-3", "size": "12"}),
        ("index {index:int} of {size:int}", "index x of 12", None),
        ("saw {given:int}{rest*}", "saw 4 in all", {"given": "4", "rest": " in all"}),
        ("bad: {value*}", "bad: ", {"value": ""}),
        ("{left} and {right}", "a and b and c", {"left": "a", "right": "b and c"}),
        ("{{{name}}}", "{oak}", {"name": "oak"}),
        ("plain", "plain", {}),
        ("plain", "plainer", None),
    ],
)
def test_patterns(pattern: str, text: str, facts: dict[str, str] | None) -> None:
    assert compile_pattern(pattern).match(text) == facts


@pytest.mark.parametrize(
    ("runtime", "kind", "message", "expected", "fact"),
    [
        ("python", "NameError", "global name 'wieght' is not defined", "unknown-name", ("name", "wieght")),
        ("python", "NameError", "name 'x' is not defined. Did you mean: 'y'?", "unknown-name", ("suggestion", "y")),
        ("python", "hives.errors.KeyError", "'oak'", "no-such-key", None),
        ("python", "AttributeError", "'NoneType' object has no attribute 'kilos'", "missing-value", ("member", "kilos")),
        ("python", "TypeError", 'can only concatenate str (not "NoneType") to str', "missing-value", ("left", "str")),
        ("python", "TypeError", 'can only concatenate str (not "int") to str', "wrong-type", ("right", "int")),
        ("python", "TypeError", "list indices must be integers or slices, not str", "bad-index", ("type", "str")),
        ("python", "TypeError", "'list' object is not callable", "not-callable", ("type", "list")),
        ("python", "ValueError", "invalid literal for int() with base 10: 'n/a'", "unreadable-value", ("value", "'n/a'")),
        ("python", "ValueError", "too many values to unpack (expected 3)", "wrong-count", ("expected", "3")),
        ("python", "ValueError", "math domain error", "bad-arithmetic", None),
        ("python", "BeeError", "swarm gone", "raised-on-purpose", None),
        (
            "python",
            "AttributeError",
            "module 'csv' has no attribute 'x' (consider renaming '/a/csv.py' since it has the same name as a)",
            "no-such-module",
            ("shadow", "/a/csv.py"),
        ),
        (
            "javascript",
            "TypeError",
            "Cannot read properties of undefined (reading 'kilos')",
            "missing-value",
            ("member", "kilos"),
        ),
        ("javascript", "TypeError", "hive.weigh is not a function", "not-callable", ("name", "hive.weigh")),
        (
            "javascript",
            "SyntaxError",
            "Expected ',' or '}' after property value in JSON at position 50 (line 3 column 3)",
            "unreadable-value",
            ("at", "50"),
        ),
        ("cobol", "Error", "what", None, None),
    ],
)
def test_classify(runtime: str, kind: str, message: str, expected: str | None, fact: tuple[str, str] | None) -> None:
    found, facts = classify(runtime, kind, message)
    assert found == expected
    if fact is not None:
        assert facts[fact[0]] == fact[1]


def test_an_unknown_kind_is_still_read() -> None:
    jams = read('Traceback (most recent call last):\n  File "a.py", line 1, in <module>\n    swarm()\nBeeError: gone\n')
    jam = diagnose(msgspec.structs.replace(jams[0], kind="no-such-kind"))
    assert "gone" in jam.meaning


#: What the examples of the quiet kinds should print.
RIGHT = {
    "early-return": "63",
    "shared-default": "['acacia']",
    "joined-not-added": "[32, 34]",
    "spreading-missing-value": "32",
    "lost-last-item": "31\n32\n33",
    "truncated-division": "3.5",
    "unused-result": "linden",
    "hidden-name": "31",
}


@pytest.mark.spread(2)
@pytest.mark.parametrize("kind", sorted(RIGHT))
def test_the_example_is_quietly_wrong_as_the_kind_says(kind: str, tmp_path: Path) -> None:
    """The catalogue's example, run by a real interpreter and compared with what it should print, is read as that kind."""
    (tmp_path / "example.py").write_text(kinds.SHELF.get(kind).example, encoding="utf-8")
    jamkey("fix", "--preview", "--expect", RIGHT[kind], "--save", "out.json", "example.py", cwd=tmp_path)
    jam = parse((tmp_path / "out.json").read_bytes()).jams[-1]
    assert (jam.kind, jam.phase, jam.snag_frame is not None) == (kind, "quiet", True)


@pytest.mark.spread(2)
@pytest.mark.parametrize("kind", [kind for kind in KINDS if kind not in RIGHT])
def test_the_example_fails_as_the_kind_says(kind: str, tmp_path: Path) -> None:
    """The catalogue's example, run by a real interpreter, is read as that kind."""
    if kind == "stale-wiring":
        kind_read = "raised-on-purpose"  # Python has no layouts: the example checks by itself
    else:
        kind_read = kind
    (tmp_path / "example.py").write_text(kinds.SHELF.get(kind).example, encoding="utf-8")
    more = {"endless": ("--limit", "1s"), "interrupted": ("--limit", "1s"), "unrepeatable": ("--doubts",)}.get(kind, ())
    jamkey("run", "--save", "out.json", *more, "example.py", cwd=tmp_path)
    jam = parse((tmp_path / "out.json").read_bytes()).jams[-1]
    assert (jam.kind, jam.snag_frame is not None) == (kind_read, True), jam.headline
