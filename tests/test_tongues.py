"""What a runtime printed in another language is read as it is in English."""

from __future__ import annotations

import os
import struct
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import jamkey as library
from jamkey import tongues
from jamkey.model import Jam
from jamkey.pipeline import read
from jamkey.tongues import catalogues, mo, turning
from jamkey.tongues.layouts import language_of, layout
from jamkey.tongues.mo import pairs
from jamkey.tongues.wordings import Quotes, wording
from tests.conftest import jamkey

R_LANGUAGES = ("de", "fr", "es", "pt_BR", "ru", "zh_CN", "ja", "tr", "it", "pl", "ko", "da")
R_PROGRAMS = {
    "argument": "weigh <- function(kg) log10(kg)\nshow <- function(kg) weigh(kg)\nshow('oak')\n",
    "name": "honey <- 3\nprint(hony + 1)\n",
    "file": "read.csv('no/such/hive.csv')\n",
    "syntax": "hive <- function(kg) {\n  kg kg\n}\n",
    "own words": "stop('the scale of hive 7 is stuck')\n",
    "subscript": "hives <- list(oak = 1)\nhives[[3]]\n",
    "package": "library(beekeeping)\n",
    "type": "sum(list('a', 2))\n",
}
C_PROGRAMS = {
    "undeclared": "int main(void) { return kg; }\n",
    "semicolon": "int main(void) { int kg = 3 return kg; }\n",
    "header": '#include "hive.h"\nint main(void) { return 0; }\n',
    "arguments": "int weigh(int kg) { return kg; }\nint main(void) { return weigh(1, 2); }\n",
    "pointer": "struct hive { int kg; };\nint main(void) { struct hive oak = {3}; return oak.weight; }\n",
    "linker": "int weigh(int kg);\nint main(void) { return weigh(3); }\n",
}


def printed(argv: list[str], folder: Path, language: str) -> str:
    done = subprocess.run(
        argv, cwd=folder, capture_output=True, timeout=60, env={**os.environ, "LC_ALL": "C.UTF-8", "LANGUAGE": language}
    )
    return done.stderr.decode("utf-8", "replace")


def same(jams: list[Jam]) -> list[object]:
    return [
        (jam.runtime, jam.phase, jam.exception_type, jam.kind, jam.facts, [(f.line, f.function) for f in jam.frames])
        for jam in jams
    ]


@pytest.mark.spread(2)
@pytest.mark.parametrize("name", R_PROGRAMS)
def test_r_in_its_languages(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "hive.R").write_text(R_PROGRAMS[name])
    argv = ["Rscript", "hive.R"]
    wanted = read(printed(argv, tmp_path, "en"))
    assert wanted
    assert wanted[0].english is None
    differing = []
    # each program in four of the languages, each language with some of the programs
    for language in R_LANGUAGES[list(R_PROGRAMS).index(name) % 3 :: 3]:
        text = printed(argv, tmp_path, language)
        monkeypatch.setenv("LANGUAGE", language)
        found = read(text)
        if same(found) != same(wanted):
            differing.append((language, text, same(found)))
        elif found[0].message != wanted[0].message:
            assert found[0].english == wanted[0].message
            assert found[0].message and found[0].message.split("\n")[0].strip() in text.replace("\xa0", " ")
    assert not differing


@pytest.mark.parametrize("name", C_PROGRAMS)
@pytest.mark.parametrize("language", ["de", "fr", "es", "ru", "ja", "zh_CN"])
def test_the_compiler_in_other_languages(name: str, language: str, tmp_path: Path) -> None:
    (tmp_path / "hive.c").write_text(C_PROGRAMS[name])
    argv = ["gcc", "-o", "hive", "hive.c", "-g"]
    wanted, text = read(printed(argv, tmp_path, "en")), printed(argv, tmp_path, language)
    assert wanted
    found = read(text)
    assert same(found) == same(wanted), text
    if found[0].message != wanted[0].message:
        assert found[0].english == wanted[0].message


def test_a_mail_in_another_language(tmp_path: Path) -> None:
    (tmp_path / "hive.R").write_text(R_PROGRAMS["argument"])
    text = "\n".join("> " + row for row in printed(["Rscript", "hive.R"], tmp_path, "ru").split("\n"))
    [jam] = read(f"Привет,\n{text}\n")
    assert (jam.kind, jam.english) == ("wrong-type", "non-numeric argument to mathematical function")


def test_a_run_and_a_fix_in_another_language(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "hive.R").write_text("honey <- c(3, 4)\nprint(sum(hony))\n")
    monkeypatch.setenv("LANGUAGE", "de")
    monkeypatch.setenv("LC_ALL", "C.UTF-8")
    done = jamkey("run", "hive.R", cwd=tmp_path)
    assert "Objekt 'hony' nicht gefunden" in done.err
    assert "hive.R, line 2" in done.err
    assert printed(["Rscript", "hive.R"], tmp_path, "de") in done.err, "what R printed stands there as R prints it"
    assert "`hony`" in done.err, "the meaning names it"
    mended = jamkey("fix", "--yes", "hive.R", cwd=tmp_path)
    assert mended.status == 0, mended.out + mended.err
    assert (tmp_path / "hive.R").read_text() == "honey <- c(3, 4)\nprint(sum(honey))\n"


def test_a_reading_shows_both(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "hive.R").write_text(R_PROGRAMS["argument"])
    text = printed(["Rscript", "hive.R"], tmp_path, "de")
    [jam] = library.read(text)
    assert jam.message == "Nicht-numerisches Argument für mathematische Funktion"
    assert jam.english == "non-numeric argument to mathematical function"
    assert jam.wording == jam.english
    done = jamkey("read", "-", stdin=text, cwd=tmp_path)
    assert "Nicht-numerisches Argument" in done.out
    assert "in English: non-numeric argument to mathematical function" in done.out


@pytest.mark.parametrize("language", sorted(layout()["r"]))
def test_without_a_catalogue_the_failure_and_its_place_are_found(language: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(turning, "found", lambda runtime, language: iter(()))
    turning._all.cache_clear()
    turning._by_opening.cache_clear()
    turning._of_lines.cache_clear()
    words = layout()["r"][language]
    inside = words.get("Error in %s : ", words.get("Error in ", "Error in ") + "%s : ").replace("%s", "weigh(kg)")
    text = f"{inside}Xyz abc\n{words.get('Calls:', 'Calls:')} show -> weigh\n{words['Execution halted' + chr(10)]}"
    try:
        [jam] = read(text)
        assert (jam.runtime, jam.message) == ("r", "Xyz abc")
        assert [frame.function for frame in jam.frames] == ["show", "weigh"]
    finally:
        for cache in (turning._all, turning._by_opening, turning._of_lines):
            cache.cache_clear()


@pytest.mark.parametrize("language", sorted(language for language, words in layout()["c"].items() if "error: " in words))
def test_a_compilers_place_is_found_without_a_catalogue(language: str) -> None:
    words = layout()["c"][language]
    text = f"hive.c:7:12: {words['error: ']}Xyz abc\n    7 | int kg = ;\n      |            ^\n"
    [jam] = read(text)
    assert (jam.phase, jam.frames[0].file, jam.frames[0].line, jam.frames[0].column) == ("compile", "hive.c", 7, 12)
    assert (jam.message or "").startswith("Xyz abc")


def test_english_opens_no_catalogue(monkeypatch: pytest.MonkeyPatch) -> None:
    def opened(path: Path) -> list[tuple[str, str]]:
        raise AssertionError(path)

    monkeypatch.setattr(mo, "pairs", opened)
    monkeypatch.setattr(catalogues, "pairs", opened)
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
        monkeypatch.delenv(name, raising=False)
    for text in (
        "Error in log10(kg) : non-numeric argument to mathematical function\nCalls: show -> weigh\nExecution halted\n",
        "Error: the scale of hive 7 is stuck\nExecution halted\n",
        "hive.c:1:25: error: ‘kg’ undeclared (first use in this function)\n",
    ):
        assert read(text)[0].english is None
        assert tongues.turned(text) is None


def catalogue(entries: list[tuple[bytes, bytes]], order: str = "<") -> bytes:
    """Return the bytes of a catalogue."""
    count = len(entries)
    head = struct.pack(f"{order}7I", 0x950412DE, 0, count, 28, 28 + 8 * count, 0, 0)
    at = 28 + 16 * count
    tables: list[bytes] = []
    body = b""
    for side in range(2):
        for entry in entries:
            tables.append(struct.pack(f"{order}2I", len(entry[side]), at + len(body)))
            body += entry[side] + b"\0"
    return head + b"".join(tables) + body


@pytest.mark.parametrize("order", ["<", ">"])
def test_catalogues_of_either_order_plurals_contexts_and_charsets(order: str, tmp_path: Path) -> None:
    head = b"Content-Type: text/plain; charset=iso-8859-1\n"
    entries = [
        (b"", head),
        (b"no hive", "kein Stock f\xfcr".encode("latin-1")),
        (b"menu\x04open", b"offen"),
        (b"%d hive\0%d hives", b"%d Stock\0%d St\xf6cke\0%d viele"),
    ]
    path = tmp_path / "a.mo"
    path.write_bytes(catalogue(entries, order))
    assert pairs(path) == [
        ("no hive", "kein Stock für"),
        ("open", "offen"),
        ("%d hive", "%d Stock"),
        ("%d hives", "%d Stöcke"),
        ("%d hives", "%d viele"),
    ]


@given(st.binary(max_size=300), st.integers(0, 200))
def test_damaged_catalogues_give_what_is_whole(noise: bytes, cut: int) -> None:
    whole = catalogue([(b"", b"charset=utf-8\n"), (b"no hive", b"kein Stock"), (b"no bee", b"keine Biene")])
    path = Path(os.environ.get("TMPDIR", "/tmp")) / f"jamkey-damaged-{os.getpid()}.mo"
    try:
        for raw in (noise, whole[:4] + noise, whole[:cut], whole[:20] + noise):
            path.write_bytes(raw)
            assert all(isinstance(part, str) for pair in pairs(path) for part in pair)
    finally:
        path.unlink()
    assert pairs(path) == []


words = st.text("abcdefgäöüß", min_size=1, max_size=8)


@given(st.lists(words, min_size=1, max_size=4), st.data())
def test_what_fills_the_holes_comes_back(literals: list[str], data: st.DataObject) -> None:
    holes = [data.draw(st.text("ABC123 ", min_size=1, max_size=6)) for _ in literals]
    order = data.draw(st.permutations(range(len(holes))))
    original = " ".join(f"x{place} %s" for place in range(len(holes)))
    own = "".join(f" {literal} '%{place + 1}$s'" for literal, place in zip(literals, order, strict=True))
    one = wording(original, own)
    assert one is not None
    said = own
    for place, hole in enumerate(holes):
        said = said.replace(f"%{place + 1}$s", hole)
    found = one.match(said.strip())
    assert found is not None
    assert one.filled(found) == " ".join(f"x{place} {hole}" for place, hole in enumerate(holes))


def test_quotes_are_the_languages() -> None:
    one = wording("%qE undeclared here (not in a function)", "%qE hier nicht deklariert", Quotes("»", "«"))
    assert one is not None
    assert one.match("»kg« hier nicht deklariert") == ["kg"]
    assert one.filled(["kg"]) == "‘kg’ undeclared here (not in a function)"


def test_much_text_takes_time_by_its_size_only() -> None:
    text = "Fehler in " + "a" * 1_000_000 + "\n" + "Fehler in f(x) : " + "‘x’ " * 200_000
    assert read(text) is not None
    assert tongues.turned("Fehler in f(x) : x\n" * 400_000) is None, "longer than what is looked at"
    rows = tongues.turned("Fehler in f(x) : objekt\n" * 30_000)
    assert rows is not None
    assert rows.text.count("\n") == 30_000


def test_each_layout_names_its_language() -> None:
    for runtime, known in layout().items():
        for language, words_ in known.items():
            own = words_.get("Execution halted\n") or words_.get("error: ")
            if own is None or own.strip() in ("Error:", "error:"):
                continue
            text = own if runtime == "r" else f"hive.c:1:2: {own}x"
            told = language_of(text, runtime)
            assert told is not None
            assert own.strip() in [
                other.get("Execution halted\n", other.get("error: ", "")).strip() for other in [known[told]]
            ], language


def test_the_table_is_what_the_catalogues_here_say() -> None:
    checked = 0
    for language in catalogues.languages("r"):
        kept = layout()["r"].get(language, {})
        told: dict[str, str] = {}
        for original, own in catalogues.found("r", language):
            if original in kept:
                told.setdefault(original, own)
        assert told == kept, language
        checked += bool(kept)
    assert checked > 10
