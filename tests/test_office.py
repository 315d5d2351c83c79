"""Macros are run in LibreOffice for real: what they print, where they fail, what their names held."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import psutil
import pytest

from jamkey.model import Jam, Value
from jamkey.observe.noted_basic import frames_of, last_error, noted, placed, procedures
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[..., Path]
AGENT = Path(__file__).parent.parent / "src" / "jamkey" / "observe" / "agents" / "office.py"

TRIPS = """Option Explicit
Dim season As String

Function PerTrip(ByVal kilos As Long, trips As Long) As Long
    PerTrip = kilos \\ trips
End Function

Sub Main
    Dim n As Long, frames(3) As Double, cell As Object, password As String
    season = "spring"
    password = "honeypot"
    frames(1) = 2.5
    Print "season "; season
    n = Val(InputBox("how many trips?"))
    MsgBox "per trip " & PerTrip(340, n)
End Sub
"""
SHEET = """Sub Main
    Dim sheet As Object, row As Long, total As Double
    sheet = ThisComponent.Sheets.getByIndex(0)
    For row = 1 To 2
        total = total + sheet.getCellByPosition(1, row).Value
    Next row
    sheet.getCellByPosition(3, 3).Value = total
    Print "total"; sheet.getCellByPosition(3, 3).Value
    Print ThisComponent.Sheets.getByName("Weights").Name
End Sub
"""
CSV = "hive,kilos\nlinden,41.5\nacacia,39\n"


def jam_of(folder: Path, *words: str, stdin: bytes = b"") -> tuple[Jam, int, str]:
    done = jamkey("run", "--no-keep", "--save", "out.json", *words, cwd=folder, stdin=stdin)
    return parse((folder / "out.json").read_bytes()).jams[-1], done.status, done.out


def held(jam: Jam, function: str) -> dict[str, Value]:
    return {value.name: value for frame in jam.frames if frame.function == function for value in frame.values}


def own(jam: Jam) -> list[tuple[str, int | None]]:
    return [(frame.file, frame.line) for frame in jam.frames]


def test_a_macro_that_ends_well(project: Project) -> None:
    done = jamkey("run", "Trips.bas", cwd=project({"Trips.bas": TRIPS}), stdin=b"4\n")
    assert (done.status, done.out) == (0, "season spring\nhow many trips?\nper trip 85\n")
    assert done.err == ""


def test_where_a_macro_fails_and_what_it_held(project: Project) -> None:
    folder = project({"Trips.bas": TRIPS})
    jam, status, out = jam_of(folder, "Trips.bas", stdin=b"0\n")
    assert (status, out) == (1, "season spring\nhow many trips?\n")
    assert (jam.runtime, jam.kind, jam.exception_type, jam.message) == ("basic", "bad-arithmetic", "11", "Division by zero.")
    assert own(jam) == [("Trips.bas", 15), ("Trips.bas", 5)]
    inner, outer = held(jam, "PerTrip"), held(jam, "Main")
    assert (inner["kilos"].text, inner["trips"].text, inner["trips"].type) == ("340", "0", "Long")
    assert inner["season"].text == '"spring"'
    assert (outer["frames"].text, outer["frames"].length) == ("0 to 3: 0, 2.5, 0, 0", 4)
    assert outer["cell"].text == "Nothing"
    assert "honeypot" not in outer["password"].text
    assert (folder / "Trips.bas").read_text() == TRIPS


def test_a_macro_with_the_document_of_its_name(project: Project) -> None:
    folder = project({"Hives.bas": SHEET, "Hives.csv": CSV})
    jam, status, out = jam_of(folder, "Hives.bas")
    assert (status, out) == (1, "total80.5\n")
    assert (jam.kind, own(jam)) == ("no-such-key", [("Hives.bas", 9)])
    assert held(jam, "Main")["sheet"].text == "object: Hives"
    assert (folder / "Hives.csv").read_text() == CSV, "nothing is saved"


def test_what_does_not_compile_is_found_line_by_line(project: Project) -> None:
    text = TRIPS.replace('season = "spring"', 'season = = "spring"')
    jam, status, _ = jam_of(project({"Trips.bas": text}), "Trips.bas")
    assert status == 2
    assert (jam.phase, jam.kind, own(jam)) == ("compile", "broken-syntax", [("Trips.bas", 10)])
    assert jam.keys[0].edits


@pytest.mark.long
def test_modules_beside_it_and_a_procedure_by_name(project: Project) -> None:
    main = 'Sub Weigh\n    Print Twice(4)\nEnd Sub\n\nSub Other\n    Print "other"\nEnd Sub\n'
    folder = project({"Main.bas": main, "Tools.bas": "Function Twice(n)\n    Twice = 2 * n\nEnd Function\n"})
    assert jamkey("run", "Main.bas", cwd=folder).out == "8\n"
    assert jamkey("run", "Main.bas", "Other", cwd=folder).out == "other\n"
    done = jamkey("run", "Main.bas", "Nobody", cwd=folder)
    assert (done.status, done.err) == (2, "jamkey: Main.bas has no procedure Nobody: name one that is there, after the file\n")


@pytest.mark.long
def test_what_the_module_handles_itself_is_handled(project: Project) -> None:
    text = """Sub Main
    On Error GoTo Failed
    n = 0
    Print 1 / n
    Exit Sub
Failed:
    Print "failed on line " & Erl
    Resume Next
End Sub
"""
    done = jamkey("run", "Main.bas", cwd=project({"Main.bas": text}))
    assert (done.status, done.err) == (0, "")
    assert done.out.startswith("failed on line ")


def test_an_error_that_the_caller_handles_is_no_failure(project: Project) -> None:
    text = """Sub Main
    On Error GoTo Failed
    Print Share(0)
    Exit Sub
Failed:
    Print "handled " & Err
End Sub

Function Share(n)
    Share = 1 / n
End Function
"""
    done = jamkey("run", "Main.bas", cwd=project({"Main.bas": text}))
    assert (done.status, done.out, done.err) == (0, "handled 11\n", "")


HANG = """Function Weighed(wanted As Long) As Long
    Dim round As Long
    Do While Weighed <> wanted
        Weighed = Weighed + 2
        If Weighed > 100 Then Weighed = 0
    Loop
End Function

Sub Main
    Print "begins"
    Print Weighed(7)
End Sub
"""


def offices(below: Path) -> list[str]:
    """Return the offices whose profiles lie in a folder."""
    running = (" ".join(process.info["cmdline"] or []) for process in psutil.process_iter(["cmdline"]))
    return [words for words in running if f"{below}/jamkey-office" in words]


@pytest.mark.long
def test_a_macro_that_does_not_end(project: Project) -> None:
    jam, status, out = jam_of(project({"Main.bas": HANG}), "--limit", "12s", "Main.bas")
    assert (status, out) == (124, "begins\n")
    assert (jam.phase, jam.kind) == ("hang", "endless")
    assert own(jam) == [("Main.bas", 11), ("Main.bas", 3)]
    assert held(jam, "Weighed")["wanted"].text == "7"


def test_nothing_of_the_office_outlives_us(project: Project, tmp_path: Path) -> None:
    words = [sys.executable, "-I", "-m", "jamkey", "run", "--no-keep", "Main.bas"]
    room = tmp_path / "room"
    room.mkdir()
    env = {**os.environ, "TMPDIR": str(room)}
    with subprocess.Popen(words, cwd=project({"Main.bas": HANG}), stdout=subprocess.PIPE, env=env) as process:
        assert process.stdout is not None
        try:
            assert process.stdout.readline() == b"begins\n"
            assert offices(room)
        finally:
            process.kill()
    deadline = time.monotonic() + 10
    while offices(room) and time.monotonic() < deadline:
        time.sleep(0.1)
    assert not offices(room)


def test_the_macros_of_a_document(project: Project, tmp_path: Path) -> None:
    """The document is made by the office itself: an empty sheet with a module."""
    folder = project(
        {"Module1.bas": "Sub Main\n    Print Share(0)\nEnd Sub\nFunction Share(n)\n    Share = 1 / n\nEnd Function\n"}
    )
    made = f"""
import sys
sys.path.insert(0, {str(AGENT.parent)!r})
import office, subprocess, uno
process = subprocess.Popen(["soffice", "--headless", "--norestore", "--nodefault",
    "-env:UserInstallation=" + uno.systemPathToFileUrl({str(tmp_path / "profile")!r}), "--accept=pipe,name=made;urp;"])
context = office.connected("made", process)
desktop = context.ServiceManager.createInstanceWithContext("com.sun.star.frame.Desktop", context)
document = desktop.loadComponentFromURL("private:factory/scalc", "_blank", 0, (office.prop("Hidden", True),))
office.library(document, {{"Module1": open({str(folder / "Module1.bas")!r}).read()}})
document.storeToURL(uno.systemPathToFileUrl({str(folder / "book.ods")!r}), ())
document.close(True)
try:
    desktop.terminate()
except Exception:
    pass
process.wait(20)
"""
    subprocess.run(["/usr/bin/python3", "-c", made], check=True, capture_output=True)
    (folder / "Module1.bas").unlink()
    before = (folder / "book.ods").read_bytes()
    jam, status, _ = jam_of(folder, "book.ods")
    assert (status, jam.kind) == (1, "bad-arithmetic")
    assert own(jam) == [("Module1.bas", 2), ("Module1.bas", 5)]
    assert held(jam, "Share")["n"].text == "0"
    assert (folder / "book.ods").read_bytes() == before
    assert not list(folder.glob(".~lock*"))


def test_a_program_that_drives_the_office_is_asked_too(project: Project) -> None:
    """Whatever puts the modules into a document: they are noted in the copy."""
    case = Path(__file__).parent / "corpus" / "basic" / "office-index-out-of-range"
    folder = project({})
    shutil.copytree(case / "src", folder, dirs_exist_ok=True)
    words = json.loads((case / "cmd.json").read_text())["argv"]
    jam, status, _ = jam_of(folder, "--", *words)
    assert (status, jam.runtime, jam.kind) == (1, "basic", "index-out-of-range")
    assert (jam.frames[-1].file, jam.frames[-1].line) == ("Crates.bas", 7)
    assert held(jam, "Collect")["r"].text == "3"


def test_without_an_office_it_says_what_to_install(project: Project) -> None:
    done = jamkey("run", "Trips.bas", cwd=project({"Trips.bas": TRIPS}), env={"PATH": tempfile.gettempdir()})
    assert done.status == 127
    assert done.err.startswith("jamkey: LibreOffice is not installed")


MODULE = '''Option Explicit
Private counted As Long
Public Const Limit = 3

Public Sub Weigh(ByVal hive As String, _
                 Optional scale, kilos() As Double)
    Dim first As Long, second(2, 3) As Double: first = 1
    Set sheet = Nothing
    For Each frame In frames
        third = third + 1
    Next
    If first = 2 Then fourth = 1
    ' MsgBox "not this"
    MsgBox "say ""MsgBox"""
    Print "a"; first, "b;c" ' shown
    Print #1, "kept"
End Sub
Function Other
End Function
'''


def test_notes_leave_every_line_of_the_module_in_its_place() -> None:
    made = noted(MODULE, "/tmp/notes", name="Hives", printed="/tmp/printed", given="/tmp/given")
    rows, mine = made.text.split("\n"), MODULE.split("\n")
    changed = {14, 15}
    for at, number in made.lines.items():
        if rows[at - 1].strip() == mine[number - 1].strip():
            changed.discard(number)
    kept = {number for at, number in made.lines.items() if rows[at - 1] == mine[number - 1]}
    assert kept == set(range(1, len(mine) + 1)) - {14, 15}
    assert any(row.strip() == 'JamKeyShow "say ""MsgBox"""' for row in rows)
    assert any(row.strip() == 'JamKeyPrint(Array("a", first, "b;c"))' for row in rows)
    note = next(row for row in rows if row.startswith('JamKeyNote("Hives.Weigh"'))
    for name in ("counted", "limit", "hive", "kilos", "first", "second", "sheet", "frame", "third"):
        assert f'"{name}", {name}' in note
    assert "scale" not in note, "what may be left out cannot be asked"
    assert 'JamKeyNote("Hives.Other", Erl, Err, Error$, Array("counted", counted, "limit", limit))' in rows


def test_procedures_that_can_be_started() -> None:
    assert procedures(MODULE) == [("Weigh", False), ("Other", True)]


@pytest.mark.parametrize(
    ("notes", "last"),
    [
        ("M.A\t3\t11\tzero\nM.B\t9\t11\tzero", ["M.A", "M.B"]),
        ("M.A\t3\t11\tzero\nM.A\t3\t11\tzero\nM.B\t9\t11\tzero", ["M.A", "M.B"]),
        ("M.A\t3\t9\tindex\nM.A\t4\t11\tzero", ["M.A"]),
        ("damaged\nM.A\t3\t11\tzero", ["M.A"]),
        ("", []),
    ],
)
def test_the_last_error_of_many_notes(notes: str, last: list[str]) -> None:
    assert [row[0] for row in last_error(notes)] == last


def test_frames_from_notes() -> None:
    made = {"M": noted("Sub A\n    x = 1\nEnd Sub\n", "/tmp/notes", name="M")}
    at = next(at for at, number in made["M"].lines.items() if number == 2)
    told = placed(f"M.A\t{at}\t11\tzero\tx\tLong\t3\ty\tEmpty\tEmpty\nM.A\t9999\t11\tzero", made)
    (frame,) = frames_of(told, {"M": "M.bas"})
    assert (frame.file, frame.line, frame.function) == ("M.bas", 2, "A")
    assert [(value.name, value.type, value.text) for value in frame.values] == [("x", "Long", "3")]
