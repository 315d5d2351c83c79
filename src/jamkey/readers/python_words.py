"""The words by which a trace of Python's is known, for all that reads one."""

from __future__ import annotations

from jamkey.late import pattern

HEADER = "Traceback (most recent call last):"
#: Mistakes of grammar: those of the main script have no header, a place and a summary only.
SYNTAX = ("SyntaxError", "IndentationError", "TabError")
#: A summary that names an exception by what exceptions are called.
NAMED = pattern(r"(?:[A-Za-z_]\w*\.)*[A-Za-z_]\w*(?:Error|Exception|Warning|Interrupt|Exit|Iteration)(?:: |$)")
