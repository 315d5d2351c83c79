"""Links from a place in the terminal to its file and line (OSC 8), where the terminal can show them."""

from __future__ import annotations

import os
import platform
from collections.abc import Mapping
from pathlib import Path
from urllib.parse import quote

from jamkey.errors import UsageError

#: Terminals that print the escape instead of obeying it.
_CANNOT = ("dumb", "linux", "screen", "vt100", "cons25", "emacs")


def link_form(chosen: str, environ: Mapping[str, str]) -> str:
    """Return the form of links: the settings' own, one that names the line where the terminal reads it, or none.

    Args:
        chosen: the settings' `link`; empty for the usual form.
        environ: of the process, which tells the terminal.

    Raises:
        UsageError: the form has other names than path, line and column.
    """
    if chosen == "none" or environ.get("TERM", "dumb").startswith(_CANNOT):
        return ""
    if chosen:
        try:
            chosen.format(path="", line=1, column=1)
        except (KeyError, IndexError, ValueError):
            raise UsageError(
                f"link = {chosen!r} in the settings: only {{path}}, {{line}} and {{column}} may stand there"
            ) from None
        return chosen
    # a fragment is the line to these; others would look for a file of that name
    with_line = "KITTY_WINDOW_ID" in environ or environ.get("TERM_PROGRAM") == "vscode"
    return f"file://{quote(platform.node())}{{path}}" + ("#{line}" if with_line else "")


def link_to(path: Path, line: int, form: str, column: int = 1) -> str:
    """Return the link to a place; empty without a form. The path is absolute and percent-encoded."""
    if not form:
        return ""
    return form.format(path=quote(os.path.abspath(path).replace(os.sep, "/")), line=line, column=column)
