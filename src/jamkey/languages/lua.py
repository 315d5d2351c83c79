"""Lua's facts."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import Style
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class Lua(Tokened):
    """Lua as Jam Key knows it."""

    name = "lua"
    lexer = "lua"
    idioms = Idioms(
        missing="nil",
        true="true",
        false="false",
        to_text="tostring({0})",
        to_whole="math.floor(tonumber({0}))",
        to_number="tonumber({0})",
        is_missing="{0} == nil",
        choice="{1} and {0} or {2}",
        not_zero="{0} ~= 0",
        length="#{0}",
        whole_division="//",
        import_module='local {0} = require("{0}")',
        from_module='local {1} = require("{0}").{1}',
        lowered="{0}:lower()",
        raised="{0}:upper()",
        stripped="",
        variable_word="local",
        look_alikes={
            "True": "true",
            "False": "false",
            "None": "nil",
            "null": "nil",
            "NULL": "nil",
            "undefined": "nil",
            "elif": "elseif",
        },
    )
    style = Style(line_comments=("--",), block_comments=(("--[[", "]]"),), quotes=('"', "'"), long_quotes=())
    grammar = Grammar(
        function_words=frozenset({"function"}),
        blocks=frozenset({"function", "if", "do", "repeat"}),
        ends=frozenset({"end", "until"}),
    )
    keywords = frozenset(
        "and break do else elseif end for function goto if in local not or repeat return then until while".split()
    )
    builtins = frozenset(
        """
        nil true false print pairs ipairs tostring tonumber type table string math io os require error assert pcall
        xpcall select setmetatable getmetatable rawget rawset rawequal next unpack load loadstring dofile coroutine utf8
        _G arg self
    """.split()
    )


LANGUAGE = Lua()
