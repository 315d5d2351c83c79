"""JavaScript's facts."""

from __future__ import annotations

from jamkey.languages.base import Code, Idioms
from jamkey.languages.scan import C_LIKE, scan
from jamkey.languages.tokens import TokenCode

_MODULES = frozenset(
    """
    assert buffer child_process crypto events fs http https net os path process querystring readline stream timers url
    util worker_threads zlib
""".split()
)

IDIOMS = Idioms(
    missing="undefined",
    true="true",
    false="false",
    to_text="String({0})",
    to_whole="parseInt({0}, 10)",
    to_number="Number({0})",
    is_missing="{0} == null",
    choice="{1} ? {0} : {2}",
    length="{0}.length",
    whole_division="/",
    import_module="const {0} = require('{0}');",
    from_module="const {{ {1} }} = require('{0}');",
    lowered="{0}.toLowerCase()",
    raised="{0}.toUpperCase()",
    stripped="{0}.trim()",
    constant_word="const",
    variable_word="let",
    look_alikes={
        "True": "true",
        "False": "false",
        "None": "null",
        "nil": "null",
        "NULL": "null",
        "Null": "null",
        "self": "this",
        "string": "String",
        "number": "Number",
        "math": "Math",
        "json": "JSON",
        "date": "Date",
        "Console": "console",
    },
)


class JavaScript:
    """JavaScript as Jam Key knows it."""

    name = "javascript"
    idioms = IDIOMS
    style = C_LIKE
    keywords = frozenset(
        """
        async await break case catch class const continue debugger default delete do else export extends finally for
        function if import in instanceof let new of return static super switch this throw try typeof var void while with
        yield
    """.split()
    )
    builtins = frozenset(
        """
        Array ArrayBuffer BigInt Boolean DataView Date Error Function Infinity Int32Array Float64Array Intl JSON Map
        Math NaN Number Object Promise Proxy RangeError ReferenceError Reflect RegExp Set String Symbol SyntaxError
        TypeError URL Uint8Array WeakMap WeakSet console clearInterval clearTimeout decodeURIComponent document
        encodeURIComponent exports fetch globalThis isFinite isNaN module null parseFloat parseInt process require
        setImmediate setInterval setTimeout structuredClone undefined window true false __dirname __filename
    """.split()
    )

    def code(self, text: str) -> Code:
        """Return the source by its tree, or by its tokens where there is no grammar."""
        from jamkey.languages.tree_code import tree_code

        return tree_code(text, "javascript", "javascript", None) or TokenCode(text, "javascript")

    def first_error(self, text: str) -> int | None:
        """Tell only whether brackets and quotes pair up: there is no parser of the language here."""
        found = scan(text, self.style)
        if found.unclosed or found.mismatched or found.open_quotes:
            return (found.open_quotes or found.unclosed or (found.mismatched[0][1],))[0].line
        return 0

    def homes(self, name: str, file: str = "") -> tuple[str, ...]:
        """Return the line that gives one of Node's own modules."""
        return (IDIOMS.import_module.format(name),) if name in _MODULES else ()

    def known_modules(self, file: str = "") -> frozenset[str]:
        """Return the names of Node's own modules."""
        return _MODULES


LANGUAGE = JavaScript()
