"""The office macro language's facts."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import Style
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class Basic(Tokened):
    """The office macro language as Jam Key knows it."""

    name = "basic"
    lexer = "vb.net"
    idioms = Idioms(
        missing="Nothing",
        true="True",
        false="False",
        to_text="CStr({0})",
        to_whole="CLng({0})",
        to_number="CDbl({0})",
        is_missing="{0} Is Nothing",
        choice="",
        length="UBound({0})",
        whole_division="\\\\",
        import_module="import {0};",
        from_module="import {0}.{1};",
        lowered="LCase({0})",
        raised="UCase({0})",
        stripped="Trim({0})",
    )
    style = Style(line_comments=("'",), quotes=('"',), long_quotes=())
    grammar = Grammar(
        function_words=frozenset({"sub", "function"}),
        blocks=frozenset({"sub", "function"}),
        ends=frozenset({"end"}),
        exact_case=False,
    )
    keywords = frozenset(
        """
        And As ByRef ByVal Call Case Const Dim Do Each Else ElseIf End Exit For Function GoTo If In Is Let Loop Mod Next
        Not Nothing Null On Option Or Private Public ReDim Resume Select Set Static Step Stop Sub Then To Type Until
        Wend While With Xor
    """.split()
    )
    builtins = frozenset(
        """
        Abs Array Asc CBool CDate CDbl Chr CInt CLng CStr Date DateAdd DateDiff DateSerial DateValue Day Dir Err Fix
        Format Hour IIf InStr Int IsArray IsDate IsEmpty IsError IsNull IsNumeric IsObject LBound LCase Left Len Log
        LTrim Mid Minute Month MonthName MsgBox InputBox Now Replace Right Rnd Round RTrim Second Sgn Space Split Sqr
        Str StrComp Time Trim UBound UCase Val Weekday Year Worksheets Sheets Range Cells Rows Columns ActiveSheet
        ActiveWorkbook ThisWorkbook Application Selection Workbooks True False Nothing Empty Null Debug Print
        ThisComponent
    """.split()
    )


LANGUAGE = Basic()
