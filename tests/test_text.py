"""Decoding, control characters, splicing."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jamkey.errors import BinaryInput, UnreadableInput
from jamkey.languages.octave import LANGUAGE as OCTAVE
from jamkey.languages.scan import C_LIKE, PYTHON, pieces, scan
from jamkey.model import Edit
from jamkey.text import decode, encoding_of, lines_of, plain, read_text, shorten, splice, visible


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "latin-1"])
def test_decode_and_back(encoding: str) -> None:
    data = "Blütenhonig für Bienenstöcke\nzweite Zeile\n".encode(encoding)
    text = decode(data)
    assert text.startswith("Blütenhonig für")
    assert text.encode(encoding_of(data)) == data


def test_a_log_with_damaged_bytes_stays_readable() -> None:
    data = "größe ok\n".encode() * 20 + b"bad \xff byte\n" + "größe ok\n".encode() * 20
    assert "größe ok" in decode(data)


def test_binary_is_refused() -> None:
    with pytest.raises(BinaryInput, match="not text"):
        decode(b"\x00\x01\x02")


@pytest.mark.parametrize(("name", "words"), [("nothing.txt", "does not exist"), (".", "is a folder")])
def test_unreadable_files(tmp_path: Path, name: str, words: str) -> None:
    with pytest.raises(UnreadableInput, match=words):
        read_text(tmp_path / name)


def test_plain_takes_colours_and_carriage_returns() -> None:
    assert plain("\x1b[1;35mZeroDivisionError\x1b[0m: \x1b]8;;http://x\x07no\x1b]8;;\x07\r\n") == "ZeroDivisionError: no\n"


def test_visible_writes_controls_out() -> None:
    assert visible("a\x1b[2Jb\x07\u202ec") == "a\\x1b[2Jb\\x07\\x202ec"


def test_shorten_keeps_both_ends() -> None:
    assert shorten("abcdefghij" * 10, 20) == "abcdefghija...efghij"
    assert len(shorten("x" * 500, 80)) == 80
    assert shorten("short", 80) == "short"


def edit(line: int, column: int, end_line: int, end_column: int, new: str) -> Edit:
    return Edit(file="f", line=line, column=column, end_line=end_line, end_column=end_column, new_text=new)


def test_splice_keeps_line_ends() -> None:
    text = "one\r\ntwo\r\nthree"
    assert splice(text, [edit(2, 1, 2, 4, "2\nand more")]) == "one\r\n2\r\nand more\r\nthree"
    assert splice(text, [edit(2, 1, 3, 1, "")]) == "one\r\nthree"
    assert splice(text, [edit(9, 1, 9, 1, "!")]) == text + "!"


def test_splice_takes_several_and_refuses_overlap() -> None:
    assert splice("abc", [edit(1, 3, 1, 4, "C"), edit(1, 1, 1, 2, "A")]) == "AbC"
    with pytest.raises(ValueError, match="overlap"):
        splice("abc", [edit(1, 1, 1, 3, "x"), edit(1, 2, 1, 4, "y")])


@given(st.text(alphabet="ab\n\r\té"))
def test_lines_join_to_the_same_text(text: str) -> None:
    assert "".join(lines_of(text)) == text
    assert splice(text, []) == text


@pytest.mark.parametrize(
    ("text", "unclosed", "mismatched", "quotes"),
    [
        ("x = [1, (2, 3)]", [], 0, []),
        ("x = [1, (2, 3]", ["["], 1, []),
        ("f(a\ng(b)\n", ["("], 0, []),
        ("x = ')' # (\n", [], 0, []),
        ("x = 'open\ny = 1\n", [], 0, [(1, 5)]),
        ('"""doc\nstill doc (\n', [], 0, [(1, 1)]),
        ("x = 'it\\'s'\n", [], 0, []),
        ("a)\n", [], 1, []),
    ],
)
def test_scan_python(text: str, unclosed: list[str], mismatched: int, quotes: list[tuple[int, int]]) -> None:
    found = scan(text, PYTHON)
    if mismatched == 0:
        assert [mark.text for mark in found.unclosed] == unclosed
    assert len(found.mismatched) == mismatched
    assert [(mark.line, mark.column) for mark in found.open_quotes] == quotes


def test_scan_other_comments() -> None:
    found = scan("/* { */ f(`a\n(`); // (\nif (x) {\n", C_LIKE)
    assert [(mark.text, mark.line) for mark in found.unclosed] == [("{", 3)]


@given(st.text(alphabet="()[]{}'\"#\\\n ab"))
def test_scan_never_raises(text: str) -> None:
    found = scan(text)
    for mark in (*found.unclosed, *found.open_quotes):
        row = text.split("\n")[mark.line - 1]
        assert row.startswith(mark.text, mark.column - 1)


@pytest.mark.parametrize(
    ("text", "texts"),
    [
        ("a = b';\nc = 'it''s';", ["'it''s'"]),
        ("x = [a' b'];\ny = {'oak', 'elm'};", ["'oak'", "'elm'"]),
        ("printf('%d: a path C:\\', k);  % it's", ["'%d: a path C:\\'"]),
        ("z = f(3)' + \"it's\";", ['"it\'s"']),
        ("w = m.k' * 'a'';", []),  # doubled, and closed by nothing
    ],
)
def test_a_quote_that_is_an_operator_too(text: str, texts: list[str]) -> None:
    found = [piece for piece in pieces(text, OCTAVE.style) if piece.sort == "text" and piece.closed]
    assert [text[piece.start : piece.end] for piece in found] == texts
