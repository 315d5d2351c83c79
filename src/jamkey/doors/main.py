"""The command tree: one file a command, loaded when it is called."""

from __future__ import annotations

from importlib import import_module

import click

from jamkey.errors import JamkeyError

_COMMANDS = {
    "run": "jamkey.doors.run:run",
    "read": "jamkey.doors.read:read",
    "fix": "jamkey.doors.fix:fix",
    "check": "jamkey.doors.check:check",
    "cells": "jamkey.doors.cells:cells",
    "trail": "jamkey.doors.trail:trail",
    "undo": "jamkey.doors.undo:undo",
    "page": "jamkey.doors.page:page",
    "look": "jamkey.doors.look:look",
    "tally": "jamkey.doors.tally:tally",
    "speak": "jamkey.doors.speak:speak",
    "kinds": "jamkey.doors.kinds:kinds",
    "demo": "jamkey.doors.demo:demo",
}


class LateGroup(click.Group):
    """A group whose commands are imported when named."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return the commands in the order of the job."""
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Load a command."""
        place = _COMMANDS.get(cmd_name)
        if place is None:
            return None
        module, _, attribute = place.partition(":")
        command: click.Command = getattr(import_module(module), attribute)
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
