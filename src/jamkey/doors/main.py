"""The command tree: one file a command, loaded when it is called."""

from __future__ import annotations

from importlib import import_module

import click

from jamkey.errors import JamkeyError

#: Name -> where the command stands, and what it does in one line of the list.
_COMMANDS = {
    "run": ("jamkey.doors.run:run", "Run a program; when it jams, show the reading."),
    "read": ("jamkey.doors.read:read", "Read the failures in saved text, logs or notebooks."),
    "fix": ("jamkey.doors.fix:fix", "Run, try fixes on a copy, apply one, run again."),
    "check": ("jamkey.doors.check:check", "See what is likely to go wrong, without running."),
    "cells": ("jamkey.doors.cells:cells", "Find the cells of a table that do not fit."),
    "trail": ("jamkey.doors.trail:trail", "Show how names change while a script runs."),
    "undo": ("jamkey.doors.undo:undo", "Put back what the last fix changed."),
    "page": ("jamkey.doors.page:page", "Write the last reading as an HTML page."),
    "look": ("jamkey.doors.look:look", "Look around in the last jam: calls, values, keys."),
    "pile": ("jamkey.doors.pile:pile", "See which of very many runs failed, and why."),
    "tally": ("jamkey.doors.tally:tally", "Count what you keep running into."),
    "speak": ("jamkey.doors.speak:speak", "Speak the protocols of editors (LSP, DAP)."),
    "kinds": ("jamkey.doors.kinds:kinds", "Look up kinds of failure and exception types."),
    "demo": ("jamkey.doors.demo:demo", "Take the tour on the apiary's broken scripts."),
}


class LateGroup(click.Group):
    """A group whose commands are imported when named."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return the commands in the order of the job."""
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Load a command."""
        known = _COMMANDS.get(cmd_name)
        if known is None:
            return None
        place, command_help = known
        module, _, attribute = place.partition(":")
        command: click.Command = getattr(import_module(module), attribute)
        command.short_help = command_help
        return command

    def invoke(self, ctx: click.Context) -> object:
        """Turn our own errors into one line and their exit code."""
        try:
            return super().invoke(ctx)
        except JamkeyError as error:
            click.echo(f"jamkey: {error}", err=True)
            ctx.exit(error.exit_code)


@click.group(cls=LateGroup, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="jamkey", message="jamkey %(version)s")
def cli() -> None:
    """Read the failure of a script, find your line and the root behind it, and try fixes on a copy."""
