"""A Basic module with a note in every procedure: what failed, on which line, and what the names held.

An office runs macros without telling anybody of an error that nobody handled. So each procedure is given a handler of ours
that writes a note and raises the error again; whoever handles errors in the module's own code does so as before.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from jamkey.model import Frame, Value
from jamkey.secrets import held_text
from jamkey.text import whole

#: Names noted in one procedure.
_NAMES = 30
_HEAD = re.compile(
    r"[ \t]*(?:(?:public|private|static)[ \t]+)*(sub|function|property[ \t]+(?:get|let|set))[ \t]+(\w+)[ \t]*(\(.*)?", re.I
)
_END = re.compile(r"[ \t]*end[ \t]+(sub|function|property)\b", re.I)
_DECLARED = re.compile(r"[ \t]*(?:(?:dim|static|public|private|global|const)[ \t]+)+(.+)", re.I)
_SET = re.compile(r"[ \t]*(?:(?:set|let|for)[ \t]+)?(\w+)[ \t]*=(?!=)", re.I)
_EACH = re.compile(r"[ \t]*for[ \t]+each[ \t]+(\w+)", re.I)
_LOOP = re.compile(r"[ \t]*(?:do\b|while\b|for\b)", re.I)
_PRINT = re.compile(r"([ \t]*)print(?:[ \t]+(?![#])(.*))?$", re.I)
_NO_NAMES = frozenset(
    "if else elseif end select case do loop while wend next exit goto on resume return call with then to as".split()
)
#: Written below the module's own text. The names are ours; what is written goes to one file, a note a line.
_HELPERS = '''
Private Sub JamKeyWrite(file As String, row As String)
    Dim handle As Integer
    handle = FreeFile
    Open file For Append As #handle
    Print #handle, row
    Close #handle
End Sub
Private Function JamKeyPlain(words As String) As String
    Dim k As Integer
    For k = 1 To Len(words)
        If Asc(Mid(words, k, 1)) < 32 Then Mid(words, k, 1) = " "
        If k > 200 Then Exit For
    Next k
    JamKeyPlain = Left(words, 200)
End Function
Private Function JamKeyText(held) As String
    Dim k As Long, row As String
    On Error GoTo JamKeyNone
    If IsArray(held) Then
        For k = LBound(held) To UBound(held)
            If k - LBound(held) > 12 Then Exit For
            row = row & ", " & JamKeyText(held(k))
        Next k
        JamKeyText = LBound(held) & " to " & UBound(held) & ": " & Mid(row, 3)
    ElseIf IsObject(held) Then
        JamKeyText = "Nothing"
        If Not IsNull(held) Then JamKeyText = JamKeyObject(held)
    ElseIf IsNull(held) Then
        JamKeyText = "Null"
    ElseIf IsEmpty(held) Then
        JamKeyText = "Empty"
    ElseIf TypeName(held) = "String" Then
        JamKeyText = """" & held & """"
    Else
        JamKeyText = CStr(held)
    End If
    Exit Function
JamKeyNone:
    JamKeyText = "not readable"
End Function
Private Function JamKeyObject(held) As String
    JamKeyObject = "an object"
    If HasUnoInterfaces(held, "com.sun.star.container.XNamed") Then JamKeyObject = "object: " & held.Name
    If HasUnoInterfaces(held, "com.sun.star.table.XCell") Then JamKeyObject = "cell: " & held.String
End Function
Private Sub JamKeyNote(place As String, at As Long, number As Long, words As String, held)
    Dim k As Integer, row As String
    JamKeyNumber = number
    row = place & Chr(9) & at & Chr(9) & number & Chr(9) & JamKeyPlain(words)
    For k = LBound(held) To UBound(held) - 1 Step 2
        row = row & Chr(9) & held(k) & Chr(9) & TypeName(held(k + 1)) & Chr(9) & JamKeyPlain(JamKeyText(held(k + 1)))
    Next k
    JamKeyWrite("%(notes)s", row)
End Sub
'''
#: Called in every round of every loop of a program that does not end. An office raises only errors that it makes itself.
_TURNS = """
Private Sub JamKeyTurn
    JamKeyRound = JamKeyRound + 1
    If JamKeyRound Mod 50 > 0 Then Exit Sub
    If JamKeyBegan = 0 Then JamKeyBegan = GetSystemTicks()
    If GetSystemTicks() - JamKeyBegan > %(longest)s Then JamKeyRound = 1 / JamKeyNever
End Sub
"""
#: What stands for the dialogs, where no screen is.
_SPOKEN = """
Function JamKeyShow(words, Optional kind, Optional title) As Long
    JamKeyWrite("%(printed)s", CStr(words))
    JamKeyShow = 1
    If Not IsMissing(kind) Then
        If (kind And 7) >= 3 Then JamKeyShow = 6
    End If
End Function
Sub JamKeyPrint(held)
    Dim k As Integer, row As String
    For k = LBound(held) To UBound(held)
        row = row & held(k)
    Next k
    JamKeyWrite("%(printed)s", row)
End Sub
Function JamKeyAsked(words, Optional title, Optional usual) As String
    Dim handle As Integer, row As String, k As Long
    JamKeyWrite("%(printed)s", CStr(words))
    If Not IsMissing(usual) Then JamKeyAsked = usual
    handle = FreeFile
    Open "%(given)s" For Input As #handle
    Do While Not Eof(handle)
        Line Input #handle, row
        If k = JamKeyRead Then
            JamKeyAsked = row
            Exit Do
        End If
        k = k + 1
    Loop
    Close #handle
    JamKeyRead = JamKeyRead + 1
End Function
"""


@dataclass
class Noted:
    """The module as it is run."""

    text: str
    #: Line of the text -> line of the module.
    lines: dict[int, int] = field(default_factory=dict)


def noted(text: str, notes: str, *, name: str, printed: str = "", given: str = "", longest: float = 0.0) -> Noted:
    """Return a module with a note in each procedure.

    Args:
        text: the module.
        notes: the file that notes are written to.
        name: the module's.
        printed: the file that takes what dialogs would show; empty leaves dialogs as they are.
        given: the file of lines that are typed into dialogs.
        longest: seconds after which a loop ends with an error, 0 for none.
    """
    rows = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    out: list[str] = []
    lines: dict[int, int] = {}
    module: list[str] = []
    names: list[str] = []
    inside = head = ""
    started = False
    position = 0
    while position < len(rows):
        row = rows[position]
        number = position + 1
        begins, ends = _HEAD.match(row), _END.match(row)
        if begins is not None and not inside:
            if not started:
                _add(
                    out,
                    lines,
                    [f"Private JamKey{what} As Double" for what in ("Number", "Read", "Began", "Round", "Never")],
                    number,
                )
                started = True
            while _code(rows[position]).rstrip().endswith(" _") and position + 1 < len(rows):
                _add(out, lines, [rows[position]], position + 1)
                position += 1
                row = row + rows[position]
            head, inside = begins[1].split()[0].capitalize(), begins[2]
            names = [*module, *_parameters(row)]
            _add(out, lines, [rows[position], "On Error GoTo JamKeyHere"], position + 1)
        elif ends is not None and inside:
            kept = [one for one in dict.fromkeys(one.lower() for one in names) if one != inside.lower()][-_NAMES:]
            held = ", ".join(f'"{one}", {one}' for one in kept)
            note = f'JamKeyNote("{name}.{inside}", Erl, Err, Error$, Array({held}))'
            _add(out, lines, [f"Exit {head}", "JamKeyHere:", note, "Error JamKeyNumber", row], number)
            inside = ""
        else:
            found = _names(_code(row))
            (names if inside else module).extend(found)
            turn = longest and inside and _LOOP.match(_code(row)) and not _code(row).rstrip().endswith((" _", ":"))
            _add(out, lines, [_spoken(row) if printed else row, *(["JamKeyTurn"] if turn else [])], number)
        position += 1
    helpers = _HELPERS % {"notes": _quoted(notes)}
    if longest:
        helpers += _TURNS % {"longest": int(1000 * longest)}
    if printed:
        helpers += _SPOKEN % {"printed": _quoted(printed), "given": _quoted(given)}
    return Noted("\n".join([*out, helpers]), lines)


def procedures(text: str) -> list[tuple[str, bool]]:
    """Return the procedures of a module, and whether each can be called without arguments."""
    found = []
    for row in re.sub(r" _\r?\n", "  ", text).splitlines():
        head = _HEAD.match(row)
        if head is not None:
            found.append((head[2], not _parameters(row)))
    return found


def _add(out: list[str], lines: dict[int, int], rows: list[str], number: int) -> None:
    for row in rows:
        out.append(row)
        lines[len(out)] = number


def _quoted(path: str) -> str:
    return path.replace('"', '""')


def _code(row: str) -> str:
    """Return a line without its texts and its comment."""
    bare = re.sub(r'"[^"\n]*"', lambda found: " " * len(found[0]), row)
    return re.sub(r"(?:'|(?<![\w.])rem\b).*$", "", bare, flags=re.I)


def _parameters(head: str) -> list[str]:
    inside = re.search(r"\((.*)\)", _code(head))
    parts = inside[1].split(",") if inside else []
    found = []
    for part in parts:
        words = re.findall(r"\w+", part.split("=")[0])
        named = [word for word in words if word.lower() not in ("byval", "byref", "optional", "paramarray", "_")]
        if named and "optional" not in part.lower():
            found.append(named[0])
    return found


def _names(code: str) -> list[str]:
    declared = _DECLARED.match(code)
    if declared is not None:
        found = []
        for part in re.sub(r"\([^()]*\)", "", declared[1]).split(","):
            name = re.match(r"\s*(\w+)", part)
            if name is not None and name[1].lower() not in ("sub", "function", "declare", "type", "enum", "property"):
                found.append(name[1])
        return found
    each = _EACH.match(code) or _SET.match(code)
    return [each[1]] if each is not None and each[1].lower() not in _NO_NAMES and not each[1].isdigit() else []


def _spoken(row: str) -> str:
    """Lead dialogs to our file: a message box, an input box, and what is printed on the screen."""
    printed = _PRINT.match(row)
    if printed is not None:
        shown = _commas(printed[2] or '""')
        return f"{printed[1]}JamKeyPrint(Array({shown}))"
    places = list(re.finditer(r"\b(MsgBox|InputBox)\b", _code(row), re.I))
    for found in reversed(places):
        ours = "JamKeyShow" if found[1].lower() == "msgbox" else "JamKeyAsked"
        row = row[: found.start()] + ours + row[found.end() :]
    return row


def _commas(parts: str) -> str:
    bare = _code(parts)
    shown = "".join("," if bare[place : place + 1] == ";" else one for place, one in enumerate(parts[: len(bare)]))
    return shown.strip().rstrip(",").strip() or '""'


def last_error(notes: str) -> list[list[str]]:
    """Return the notes of the last error, innermost first: MODULE.PROCEDURE, line, number, message, then name, type, text...

    An error that went on to the caller is told again there.
    """
    last: list[list[str]] = []
    for row in (row.split("\t") for row in notes.splitlines() if row.count("\t") >= 3):
        goes_on = bool(last) and row[2] == last[0][2] and row[0] not in {other[0] for other in last}
        last = [*last, row] if goes_on else [row]
    return last


def placed(notes: str, made: dict[str, Noted]) -> str:
    """Return the notes with the lines of the modules in place of those of their noted texts.

    Args:
        notes: what the modules wrote.
        made: name of a module -> as it was run.
    """
    rows = []
    for row in notes.splitlines():
        place, line, rest = (*row.split("\t", 2), "", "")[:3]
        module = made.get(place.rpartition(".")[0])
        at = module.lines.get(whole(line) or 0) if module is not None else None
        if at is not None:
            rows.append(f"{place}\t{at}\t{rest}")
    return "\n".join(rows)


def frames_of(notes: str, files: dict[str, str]) -> tuple[Frame, ...]:
    """Return the frames that the notes tell, outermost first.

    Args:
        notes: with the lines of the modules.
        files: name of a module -> its file; a document's modules have none.
    """
    found = []
    for place, line, _, _, *held in last_error(notes):
        module, _, procedure = place.rpartition(".")
        file = files.get(module, f"{module}.bas")
        values = [
            Value(name=name, type=kind, text=held_text(name, text), length=_length(text))
            for name, kind, text in zip(held[::3], held[1::3], held[2::3], strict=False)
            if kind != "Empty"
        ]
        found.append(Frame(file=file, line=whole(line), function=procedure, values=tuple(values)))
    return tuple(reversed(found))


def _length(text: str) -> int | None:
    bounds = re.match(r"(-?\d{1,9}) to (-?\d{1,9}): ", text)
    return int(bounds[2]) - int(bounds[1]) + 1 if bounds is not None else None
