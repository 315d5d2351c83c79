"""Swift's facts."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import C_LIKE
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class Swift(Tokened):
    """Swift as Jam Key knows it."""

    name = "swift"
    lexer = "swift"
    idioms = Idioms(
        missing="nil",
        true="true",
        false="false",
        to_text="String({0})",
        to_whole="Int({0}) ?? 0",
        to_number="Double({0}) ?? 0",
        is_missing="{0} == nil",
        choice="{1} ? {0} : {2}",
        not_zero="{0} != 0",
        length="{0}.count",
        whole_division="/",
        import_module="import {0}",
        from_module="import {0}.{1};",
        lowered="{0}.lowercased()",
        raised="{0}.uppercased()",
        stripped="",
        constant_word="let",
        variable_word="var",
        look_alikes={
            "True": "true",
            "False": "false",
            "null": "nil",
            "None": "nil",
            "NULL": "nil",
            "string": "String",
            "int": "Int",
            "len": "count",
        },
    )
    style = C_LIKE
    grammar = Grammar(function_words=frozenset({"func"}))
    keywords = frozenset(
        """
        actor as associatedtype async await break case catch class continue default defer deinit do else enum extension
        fallthrough fileprivate final for func guard if import in init inout internal is lazy let mutating nil open
        operator override private protocol public rethrows return self static struct subscript super switch throw throws
        try typealias var weak where while
    """.split()
    )
    builtins = frozenset(
        """
        String Int Double Float Bool Array Dictionary Set Character Optional Result Error Void Any AnyObject print min
        max abs zip stride fatalError precondition assert true false nil self Self URL Data Date JSONDecoder JSONEncoder
        Foundation
    """.split()
    )


LANGUAGE = Swift()
