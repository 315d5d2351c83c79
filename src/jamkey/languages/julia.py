"""Julia's facts."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import Style
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class Julia(Tokened):
    """Julia as Jam Key knows it."""

    name = "julia"
    lexer = "julia"
    idioms = Idioms(
        missing="nothing",
        true="true",
        false="false",
        to_text="string({0})",
        to_whole="parse(Int, {0})",
        to_number="parse(Float64, {0})",
        is_missing="isnothing({0})",
        choice="{1} ? {0} : {2}",
        not_zero="{0} != 0",
        length="length({0})",
        whole_division="÷",
        import_module="using {0}",
        from_module="using {0}: {1}",
        lowered="lowercase({0})",
        raised="uppercase({0})",
        stripped="strip({0})",
        look_alikes={
            "True": "true",
            "False": "false",
            "None": "nothing",
            "null": "nothing",
            "nil": "nothing",
            "len": "length",
            "elif": "elseif",
        },
    )
    style = Style(line_comments=("#",), block_comments=(("#=", "=#"),), quotes=('"""', '"'), long_quotes=('"""', '"'))
    grammar = Grammar(
        last_value=True,
        function_words=frozenset({"function", "macro"}),
        blocks=frozenset(
            {"function", "if", "for", "while", "begin", "let", "try", "do", "struct", "module", "macro", "quote", "baremodule"}
        ),
    )
    keywords = frozenset(
        """
        abstract baremodule begin break catch const continue do else elseif end export finally for function global if
        import in let local macro module mutable primitive quote return struct try type using where while
    """.split()
    )
    builtins = frozenset(
        """
        true false nothing missing Inf NaN pi Int Int64 Float64 String Bool Char Vector Matrix Array Dict Set Tuple Any
        Number Real println print string length size sum maximum minimum abs sqrt exp log round floor ceil div mod rem
        push! pop! append! insert! delete! get haskey keys values collect map filter reduce zip enumerate range zeros
        ones rand parse split join strip replace occursin startswith endswith open readlines readline eachline read
        write close error throw include isnothing ismissing isempty sort sort! unique reverse findfirst findall in any
        all first last mean convert typeof isa lowercase uppercase
    """.split()
    )
    imports = {
        "mean": "using Statistics",
        "std": "using Statistics",
        "median": "using Statistics",
        "var": "using Statistics",
        "cor": "using Statistics",
        "quantile": "using Statistics",
        "Date": "using Dates",
        "DateTime": "using Dates",
        "now": "using Dates",
        "today": "using Dates",
        "norm": "using LinearAlgebra",
        "dot": "using LinearAlgebra",
        "det": "using LinearAlgebra",
        "inv": "using LinearAlgebra",
        "tr": "using LinearAlgebra",
    }


LANGUAGE = Julia()
