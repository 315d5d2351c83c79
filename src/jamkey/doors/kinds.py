"""`jamkey kinds`: the catalogue."""

from __future__ import annotations

import click
from rich.table import Table
from rich.text import Text

from jamkey.errors import UsageError
from jamkey.kinds import SHELF
from jamkey.phrases import TABLES, Pattern, table
from jamkey.views.json import written
from jamkey.views.terminal import console


@click.command()
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead.")
@click.option("--runtime", metavar="NAME", help="What is known of one runtime: its kinds, with wordings of its messages.")
@click.argument("name", required=False, metavar="[KIND or TYPE]")
def kinds(as_json: bool, runtime: str | None, name: str | None) -> None:
    """List the kinds of failure, or show one by its name or by an exception type such as KeyError."""
    if runtime is not None:
        _of_runtime(runtime, name)
        return
    chosen = [SHELF.get(kind) for kind in (SHELF.names() if name is None else _named(name))]
    if as_json:
        data = [
            {
                "kind": kind.name,
                "title": kind.title,
                "about": kind.about,
                "usual": kind.usual,
                "avoid": kind.avoid,
                "example": kind.example,
            }
            for kind in chosen
        ]
        click.echo(written(data), nl=False)
        return
    out = console()
    if name is None:
        grid = Table.grid(padding=(0, 2, 0, 0))
        for kind in chosen:
            grid.add_row(Text(kind.name, style="bold blue"), Text(kind.title))
        out.print(grid)
        return
    for number, kind in enumerate(chosen):
        if number:
            out.print()
        out.print(Text(f"{kind.name}: {kind.title}", style="bold"))
        out.print(Text(kind.about))
        out.print(Text("Usual causes:", style="bold blue"))
        for cause in kind.usual:
            out.print(Text(f"  - {cause}"))
        out.print(Text.assemble(("Next time: ", "bold blue"), kind.avoid))
        out.print(Text("For example:", style="bold blue"))
        for row in kind.example.rstrip("\n").split("\n"):
            out.print(Text(f"    {row}"))


def _of_runtime(runtime: str, name: str | None) -> None:
    """List the kinds that a runtime's messages can mean, each with a few of its wordings and types.

    Raises:
        UsageError: nothing is known of that runtime.
    """
    if runtime not in TABLES:
        raise UsageError(f"nothing is known of a runtime '{runtime}': known are {', '.join(sorted(TABLES))}")
    known = table(runtime)
    rows: dict[str, list[str]] = {}
    for kind_name in SHELF.names():
        types = [type_name for type_name, kind in known.types.items() if kind == kind_name and type_name != "*"]
        wordings = [wording(pattern) for phrase in known.phrases if phrase.kind == kind_name for pattern in phrase.patterns]
        if types or wordings:
            rows[kind_name] = [*types[:3], *wordings[: 3 if name is None else 40]]
    out = console()
    for kind_name, texts in rows.items():
        if name in (None, kind_name):
            out.print(Text(kind_name, style="bold blue"))
            for text in texts:
                out.print(Text(f"    {text}"))


def wording(pattern: Pattern) -> str:
    """Return a pattern as one reads it, its holes as dots."""
    return "…".join(pattern.literals)


def _named(name: str) -> list[str]:
    """Return the kinds a name stands for: itself, or those a runtime's exception type can mean.

    Raises:
        UsageError: nothing is known by that name.
    """
    if name in SHELF:
        return [name]
    found: list[str] = []
    for runtime in TABLES:
        known = table(runtime)
        if name in known.types:
            found.append(known.types[name])
        found += [phrase.kind for phrase in known.phrases if name in phrase.types and len(phrase.types) <= 2]
    found = [kind for kind in dict.fromkeys(found) if kind in SHELF]
    if not found:
        raise UsageError(f"no kind and no exception type is known as '{name}': jamkey kinds lists them")
    return found
