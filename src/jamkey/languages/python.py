"""Python's facts."""

from __future__ import annotations

import ast
import builtins
import keyword
import sys
import warnings
from typing import ClassVar

from jamkey.languages.base import Code, Idioms
from jamkey.languages.homes import homes
from jamkey.languages.python_code import PythonCode
from jamkey.languages.scan import PYTHON

IDIOMS = Idioms(
    missing="None",
    true="True",
    false="False",
    to_text="str({0})",
    to_whole="int({0})",
    to_number="float({0})",
    is_missing="{0} is None",
    choice="{0} if {1} else {2}",
    length="len({0})",
    whole_division="//",
    import_module="import {0}",
    from_module="from {0} import {1}",
    lowered="{0}.lower()",
    raised="{0}.upper()",
    titled="{0}.title()",
    stripped="{0}.strip()",
    look_alikes={
        "true": "True",
        "false": "False",
        "TRUE": "True",
        "FALSE": "False",
        "none": "None",
        "null": "None",
        "NULL": "None",
        "nil": "None",
        "undefined": "None",
        "NaN": 'float("nan")',
        "nan": 'float("nan")',
        "this": "self",
        "elseif": "elif",
        "Print": "print",
        "raw_input": "input",
        "xrange": "range",
        "unicode": "str",
        "basestring": "str",
        "long": "int",
        "unichr": "chr",
    },
)


class Python:
    """Python as Jam Key knows it."""

    name = "python"
    idioms = IDIOMS
    keywords = frozenset(keyword.kwlist) | {"match", "case"}
    style = PYTHON
    #: Type -> its members, of those that are the same everywhere.
    members_of: ClassVar[dict[str, list[str]]] = {
        kind.__name__: [name for name in dir(kind) if not name.startswith("_")]
        for kind in (dict, list, str, set, tuple, bytes, int, float)
    }
    #: Members of the language's own types.
    members = frozenset(name for kind in (str, list, dict, set, tuple, bytes) for name in dir(kind) if not name.startswith("_"))
    builtins = frozenset(name for name in dir(builtins) if not name.startswith("_"))

    def __init__(self) -> None:
        self._last: Code | None = None

    def code(self, text: str) -> Code:
        """Return the source with its tree; where the parser refuses it, its tokens."""
        if self._last is not None and self._last.text == text:
            return self._last
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                tree = ast.parse(text)
            self._last = PythonCode(text, tree)
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            from jamkey.languages.tokens import TokenCode

            self._last = TokenCode(text, "python3")
        return self._last

    def first_error(self, text: str) -> int | None:
        """Return the line of the first error that this interpreter's own parser finds."""
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                compile(text, "<text>", "exec", dont_inherit=True)
        except SyntaxError as error:
            return error.lineno or 1
        except (ValueError, RecursionError, MemoryError, OverflowError):
            return 0
        return None

    def homes(self, name: str, file: str = "") -> tuple[str, ...]:
        """Return the import lines that give a name, the most usual first."""
        found = homes(self.name, name)
        if name in sys.stdlib_module_names and not name.startswith("_") and f"import {name}" not in found:
            return (*found, f"import {name}") if found else (f"import {name}",)
        return found

    def known_modules(self, file: str = "") -> frozenset[str]:
        """Return the standard library's module names."""
        return sys.stdlib_module_names


LANGUAGE = Python()
