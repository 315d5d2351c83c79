"""`jamkey undo`: put back what the last fix changed."""

from __future__ import annotations

import os
from pathlib import Path

import click

from jamkey.trials.apply import undo as put_back


@click.command()
def undo() -> None:
    """Put back what the last fix in this folder changed; again for the one before."""
    for path in put_back(Path.cwd()):
        click.echo(f"put back: {os.path.relpath(path)}")
