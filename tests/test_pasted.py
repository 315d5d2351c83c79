"""Traces as mails, chats and torn screens hand them on are read as they were printed."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jamkey.pipeline import read
from jamkey.readers.pasted import mended, unwrapped
from tests.conftest import CORPUS, SOURCE

sys.path.insert(0, str(SOURCE.parent / "benchmarks"))
from pasted import FORMS, cases, right, torn  # type: ignore[import-not-found]

TRACE = """Traceback (most recent call last):
  File "/srv/apiary/weigh.py", line 21, in <module>
    main()
  File "/srv/apiary/weigh.py", line 17, in main
    print(share(kilos, jars))
  File "/srv/apiary/shares.py", line 4, in share
    return kilos / jars
ZeroDivisionError: division by zero
"""


@pytest.mark.parametrize("form", FORMS)
def test_type_and_place_survive(form: str) -> None:
    known = cases(CORPUS)[::2]
    assert len(known) > 60
    results = []
    for _, text, truth in known:
        made = torn(text, str(truth["message"] or "")) if form == "first lines missing" else FORMS[form](text)
        results.append(right(made, truth, form))
    typed, placed = (sum(result[index] for result in results) / len(results) for index in range(2))
    assert typed > 0.88
    assert placed > 0.84


@pytest.mark.parametrize("form", sorted(set(FORMS) - {"last line missing", "first lines missing"}))
def test_a_trace_is_the_same_in_every_form(form: str) -> None:
    jam = next(jam for jam in read(FORMS[form](TRACE)) if jam.exception_type == "ZeroDivisionError")
    assert jam.message == "division by zero"
    assert [(frame.file, frame.line, frame.function) for frame in jam.frames] == [
        ("/srv/apiary/weigh.py", 21, "<module>"),
        ("/srv/apiary/weigh.py", 17, "main"),
        ("/srv/apiary/shares.py", 4, "share"),
    ]


def test_its_lines_are_those_of_the_text_that_was_given() -> None:
    pasted = FORMS["blank lines between"]("weighing\n" + TRACE)
    [jam] = read(pasted)
    rows = pasted.split("\n")
    assert jam.first_line is not None
    assert jam.last_line is not None
    assert rows[jam.first_line - 1] == "Traceback (most recent call last):"
    assert rows[jam.last_line - 1] == "ZeroDivisionError: division by zero"
    mailed = FORMS["wrapped at 72"](
        "Hello,\n\n" + TRACE.replace("/srv/apiary/", "/home/anna/projects/apiary/scales/of/the/north/")
    )
    [jam] = read(mailed)
    rows = mailed.split("\n")
    assert rows[(jam.first_line or 0) - 1] == "Traceback (most recent call last):"
    assert rows[(jam.last_line or 0) - 1] == "ZeroDivisionError: division by zero"
    assert [frame.line for frame in jam.frames] == [21, 17, 4]


def test_frames_without_a_named_exception_are_no_failure() -> None:
    assert read('Stack (most recent call last):\n  File "a.py", line 3, in go\n    stop()\nweighed 7 hives\n') == []
    [jam] = read('  File "a.py", line 3, in go\n    stop()\nhives.errors.ScaleError: stuck\n')
    assert (jam.exception_type, jam.frames[0].line) == ("hives.errors.ScaleError", 3)


@pytest.mark.parametrize("case", sorted(path.parent.name for path in CORPUS.glob("python/*/stderr.txt"))[::3])
def test_what_was_not_pasted_stays_as_it_is(case: str) -> None:
    text = (CORPUS / "python" / case / "stderr.txt").read_bytes().decode("utf-8", "replace").replace("\r\n", "\n")
    assert mended(text) == (text, None)


def test_a_session_is_no_mail() -> None:
    session = ">>> hives = 3\n>>> hives + kilos\n>>> x\nNameError: name 'kilos' is not defined\n"
    assert mended(session).text == session
    checked = "E   assert 3 == 4\n>       assert hives == 4\n\nhives.py:7: AssertionError\n"
    assert mended(checked).text == checked


@given(
    st.lists(
        st.sampled_from(["> ", ">> ", "> > ", "  ", "", 'File "a', '", line 3, in f', "at ", "x.js:1:2)", "\n", "“", "é"]),
        max_size=60,
    )
)
def test_any_text_keeps_its_words(parts: list[str]) -> None:
    text = "".join(parts)
    made = mended(text)
    assert made.rows is None or len(made.rows) == made.text.count("\n") + 1
    gone = {ord(sign): None for sign in '“">'}
    assert "".join(made.text.split()).translate(gone) == "".join(text.split()).translate(gone)
    other = unwrapped(text)
    assert other is None or "".join(other.text.split()) == "".join(text.split())
    read(text)


def test_quotes_without_end_are_no_table() -> None:
    assert mended("> " * 500_000).rows is None


def test_a_paste_is_read_from_a_file_too(tmp_path: Path) -> None:
    from tests.conftest import jamkey

    (tmp_path / "mail.txt").write_text(FORMS["quoted and wrapped"](TRACE))
    done = jamkey("read", "mail.txt", cwd=tmp_path)
    assert "ZeroDivisionError: division by zero" in done.out
    assert "shares.py:4" in done.out
