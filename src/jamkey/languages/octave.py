"""The matrix language's facts."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import Style
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class Octave(Tokened):
    """The matrix language as Jam Key knows it."""

    name = "octave"
    lexer = "octave"
    idioms = Idioms(
        missing="[]",
        true="true",
        false="false",
        to_text="num2str ({0})",
        to_whole="round ({0})",
        to_number="str2double ({0})",
        is_missing="isempty ({0})",
        choice="ifelse ({1}, {0}, {2})",
        length="numel ({0})",
        whole_division="/",
        import_module="pkg load {0}",
        from_module='source ("{0}.m")',
        lowered="tolower ({0})",
        raised="toupper ({0})",
        stripped="strtrim ({0})",
        look_alikes={"True": "true", "False": "false", "None": "[]", "null": "[]", "nil": "[]", "len": "numel"},
    )
    style = Style(
        line_comments=("%", "#"),
        block_comments=(("%{", "%}"), ("#{", "#}")),
        quotes=('"', "'"),
        long_quotes=(),
        shared_quotes=("'",),
    )
    grammar = Grammar(
        output_name=True,
        cells=True,
        keyed=frozenset({"struct", "setfield", "getfield", "isfield", "rmfield"}),
        function_words=frozenset({"function"}),
        blocks=frozenset({"function", "if", "for", "while", "switch", "do", "try", "unwind_protect", "parfor"}),
        ends=frozenset(
            "end endfunction endif endfor endwhile endswitch end_try_catch until end_unwind_protect endparfor".split()
        ),
    )
    keywords = frozenset(
        """
        break case catch continue do else elseif end end_try_catch end_unwind_protect endfor endfunction endif endswitch
        endwhile for function global if otherwise persistent return switch try until unwind_protect
        unwind_protect_cleanup while
    """.split()
    )
    builtins = frozenset(
        """
        ans pi e i j Inf NaN NA true false zeros ones eye rand randn linspace size numel length ndims rows columns sum
        mean median std var min max abs sqrt exp log round floor ceil mod rem prod cumsum diff sort find any all isempty
        isnumeric ischar iscell isfield isnan printf fprintf disp sprintf num2str str2num str2double strcat strsplit
        strtrim strrep regexp upper lower toupper tolower cell cellfun arrayfun struct fieldnames error warning fopen
        fclose fgetl fscanf textscan csvread dlmread load save exist input numel repmat reshape inv det transpose plot
        figure hold func2str str2func feval nargin nargout varargin varargout end isrow iscolumn
    """.split()
    )


LANGUAGE = Octave()
