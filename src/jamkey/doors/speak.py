"""`jamkey speak`: the open protocols of editors, over standard input and output."""

from __future__ import annotations

import sys

import click

from jamkey.errors import UsageError


@click.group()
def speak() -> None:
    """Speak an open protocol on standard input and output: an editor starts this, not you."""


@speak.command(short_help="Debug Adapter Protocol: a failure's stack and values.")
def dap() -> None:
    """Debug Adapter Protocol: the stack, values and exception of a failure that has already happened, read-only.

    The launch request's arguments may name a `reading` of the journal by its number; the last one is taken otherwise.
    """
    from jamkey.doors.dap import Adapter

    sys.exit(Adapter(sys.stdin.buffer, sys.stdout.buffer).serve())


@speak.command(short_help="Language Server Protocol: findings and keys.")
def lsp() -> None:
    """Language Server Protocol: findings while you type, the last failure at its lines, keys as code actions."""
    try:
        from jamkey.doors.lsp import serve
    except ImportError:
        raise UsageError("the language server needs pygls: python -m pip install 'jamkey[editor]'") from None
    serve()
