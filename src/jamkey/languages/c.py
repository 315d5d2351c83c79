"""C's facts, and C++'s as far as tokens go."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import C_LIKE
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class CLanguage(Tokened):
    """C, and C++'s as far as tokens go as Jam Key knows it."""

    name = "c"
    tree = "c++"
    lexer = "cpp"
    idioms = Idioms(
        missing="NULL",
        true="true",
        false="false",
        to_text="{0}",
        to_whole="atoi({0})",
        to_number="atof({0})",
        is_missing="{0} == NULL",
        choice="{1} ? {0} : {2}",
        length="sizeof {0} / sizeof {0}[0]",
        whole_division="/",
        import_module="#include <{0}.h>",
        from_module='#include "{0}.h"',
        lowered="",
        raised="",
        stripped="",
        directives=tuple("include define undef if ifdef ifndef elif else endif error warning pragma line".split()),
        look_alikes={
            "null": "NULL",
            "nil": "NULL",
            "None": "NULL",
            "nullptr": "NULL",
            "True": "true",
            "False": "false",
            "string": "char *",
        },
    )
    style = C_LIKE
    grammar = Grammar(typed=True, function_words=frozenset())
    keywords = frozenset(
        """
        alignas auto bool break case catch char class const constexpr continue default delete do double else enum
        explicit extern float for friend goto if inline int long namespace new noexcept nullptr operator private
        protected public register return short signed sizeof static struct switch template this throw try typedef
        typename union unsigned using virtual void volatile while
    """.split()
    )
    builtins = frozenset(
        ["NULL", "std", "main", "printf", "malloc", "free", "size_t", "true", "false", "stderr", "stdout", "stdin"]
    )


LANGUAGE = CLanguage()
