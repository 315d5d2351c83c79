"""Java's facts."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import C_LIKE
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class Java(Tokened):
    """Java as Jam Key knows it."""

    name = "java"
    lexer = "java"
    idioms = Idioms(
        missing="null",
        true="true",
        false="false",
        to_text="String.valueOf({0})",
        to_whole="Integer.parseInt({0})",
        to_number="Double.parseDouble({0})",
        is_missing="{0} == null",
        choice="{1} ? {0} : {2}",
        not_zero="{0} != 0",
        length="{0}.length",
        whole_division="/",
        import_module="import {0};",
        from_module="import {0}.{1};",
        lowered="{0}.toLowerCase()",
        raised="{0}.toUpperCase()",
        stripped="{0}.trim()",
        look_alikes={
            "string": "String",
            "system": "System",
            "math": "Math",
            "integer": "Integer",
            "True": "true",
            "False": "false",
            "None": "null",
            "NULL": "null",
            "nil": "null",
            "Int": "int",
            "bool": "boolean",
        },
    )
    style = C_LIKE
    grammar = Grammar(typed=True, function_words=frozenset())
    keywords = frozenset(
        """
        abstract assert boolean break byte case catch char class const continue default do double else enum extends
        final finally float for if implements import instanceof int interface long native new package private protected
        public record return sealed short static strictfp super switch synchronized this throw throws transient try var
        void volatile while yield
    """.split()
    )
    builtins = frozenset(
        """
        String System Math Integer Double Long Boolean Character Object Exception RuntimeException
        IllegalArgumentException IllegalStateException Thread Runnable StringBuilder Iterable Comparable Override true
        false null
    """.split()
    )


LANGUAGE = Java()
