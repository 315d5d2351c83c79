"""`jamkey check`: what is likely to jam or go quietly wrong, before running."""

from __future__ import annotations

from pathlib import Path

import click

import jamkey
from jamkey.checks.engine import check_paths
from jamkey.errors import UnreadableInput, UsageError
from jamkey.model import CheckReport
from jamkey.settings import load
from jamkey.text import decode
from jamkey.views.findings import show_findings
from jamkey.views.json import written
from jamkey.views.sarif import render_findings
from jamkey.views.terminal import console


@click.command()
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead.")
@click.option("--save", metavar="FILE", multiple=True, help="Also write the findings: .json or .sarif.")
@click.argument("paths", nargs=-1, metavar="PATH...")
def check(as_json: bool, save: tuple[str, ...], paths: tuple[str, ...]) -> None:
    """See what is likely to jam or go quietly wrong in files, folders and notebooks, without running them.

    A line that is meant as it is bears the comment `jamkey: meant`, a project's settings name rules under `meant`.
    Exit status 1 means that something was found.
    """
    if not paths:
        raise UsageError("a path is missing: give files or folders")
    for name in save:
        if not name.endswith((".json", ".sarif")):
            raise UsageError(f"--save {name}: the ending chooses the form: .json or .sarif")
    findings = check_paths(paths, load(Path.cwd()))
    report = written(CheckReport(findings=tuple(findings)))
    if as_json:
        click.echo(report, nl=False)
    else:
        show_findings(findings, _text, console())
    for name in save:
        try:
            Path(name).write_text(
                report if name.endswith(".json") else render_findings(findings, version=jamkey.__version__), encoding="utf-8"
            )
        except OSError as error:
            raise UnreadableInput(f"{name} cannot be written: {error.strerror}") from None
    if findings:
        raise click.exceptions.Exit(1)


def _text(file: str) -> str:
    try:
        return decode(Path(file).read_bytes())
    except OSError:
        return ""
