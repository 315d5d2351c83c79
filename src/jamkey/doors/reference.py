"""Write the reference pages from the code: `python -m jamkey.doors.reference FOLDER`."""

from __future__ import annotations

import ast
import inspect
import sys
from pathlib import Path
from types import ModuleType

import click

from jamkey import errors, model, settings
from jamkey.doors.main import cli
from jamkey.journal import statistics
from jamkey.kinds import SHELF as KINDS
from jamkey.runs.explore import WORDS

_MADE = "*Made from the code by `make reference`; change the code, not this page.*\n"


def pages() -> dict[str, str]:
    """Return file name -> text of every reference page."""
    return {"commands.md": commands(), "configuration.md": configuration(), "json.md": json_form(), "kinds.md": kinds()}


def commands() -> str:
    """Return the commands with their arguments and options, as their help says."""
    parts = [
        "# Commands",
        _MADE,
        "`python -m jamkey` is the same as `jamkey`; `jamkey SCRIPT` is short for `jamkey run SCRIPT`.",
    ]
    for name in cli.list_commands(click.Context(cli)):
        command = cli.get_command(click.Context(cli), name)
        assert command is not None
        inner = command.commands.items() if isinstance(command, click.Group) else ()
        parts.append("")
        for words, one in ((name, command), *((f"{name} {sub}", sub_command) for sub, sub_command in inner)):
            parts += _command(words, one)
    parts += ["## What can be typed in `look`", *[f"- `{word}`: {does}" for word, does in WORDS.items()]]
    parts += [
        "",
        "Anything else is an expression (with `run --stay`) or a recorded name; `= TEXT` says so where a name is "
        "one of these words.\n",
    ]
    parts += ["## Exit status", "", "`run` ends as the program ended, 124 at the time limit. Otherwise:", ""]
    rows = [one for _, one in inspect.getmembers(errors, inspect.isclass) if issubclass(one, errors.JamkeyError)]
    parts += ["| status | when |", "|---|---|", "| 0 | it worked; for `check` and `cells`: nothing was found |"]
    parts += ["| 1 | a failure is left, or something was found |"]
    parts += [
        f"| {one.exit_code} | {(one.__doc__ or '').splitlines()[0]} |"
        for one in sorted(rows, key=lambda one: (one.exit_code, one.__name__))
    ]
    return "\n".join(parts) + "\n"


def _command(words: str, command: click.Command) -> list[str]:
    context = click.Context(command, info_name=f"jamkey {words}")
    usage = command.get_usage(context).removeprefix("Usage: ").replace("\n", " ")
    parts = [f"## `jamkey {words}`", "", f"`{' '.join(usage.split())}`", "", inspect.cleandoc(command.help or ""), ""]
    options = [
        record
        for one in command.params
        if isinstance(one, click.Option) and (record := one.get_help_record(context)) is not None
    ]
    if options:
        parts += [
            "| option | does |",
            "|---|---|",
            *(f"| `{names.replace('|', chr(92) + '|')}` | {does} |" for names, does in options),
            "",
        ]
    return parts


def fields_of(module: ModuleType, name: str) -> list[tuple[str, str, str, str]]:
    """Return (field, type, default, what the comment above it says) of a class, from its source."""
    source = inspect.getsource(module)
    lines = source.split("\n")
    body = next(node for node in ast.parse(source).body if isinstance(node, ast.ClassDef) and node.name == name)
    found: list[tuple[str, str, str, str]] = []
    for node in body.body:
        if not isinstance(node, ast.AnnAssign) or not isinstance(node.target, ast.Name):
            continue
        comment: list[str] = []
        row = node.lineno - 2
        while lines[row].strip().startswith("#:"):
            comment.insert(0, lines[row].strip()[2:].strip())
            row -= 1
        default = ast.unparse(node.value) if node.value is not None else ""
        found.append((node.target.id, ast.unparse(node.annotation), default, " ".join(comment)))
    return found


def _table(rows: list[tuple[str, str, str, str]], *, default: bool) -> list[str]:
    head = (
        ["| name | type | default | meaning |", "|---|---|---|---|"]
        if default
        else ["| name | type | meaning |", "|---|---|---|"]
    )
    for name, kind, value, text in rows:
        cells = [f"`{name}`", f"`{kind}`", *([f"`{value}`"] if default else []), text]
        head.append("| " + " | ".join(cell.replace("|", "\\|") for cell in cells) + " |")
    return head


def configuration() -> str:
    """Return the settings, and the variables of the environment that are looked at."""
    rows = [row for row in fields_of(settings, "Settings") if row[0] != "folder"]
    parts = [
        "# Configuration",
        _MADE,
        "A project's settings stand in `jamkey.toml`, or under `[tool.jamkey]` in `pyproject.toml`; the nearest folder",
    ]
    parts[-1] += " at or above the working folder counts. An unknown name is an error that lists the known ones.\n"
    parts += _table(rows, default=True)
    parts += [
        "",
        "## Environment",
        "",
        "| variable | does |",
        "|---|---|",
        "| `JAMKEY_STATE` | the folder of the journal, of the history of `look` and of what `undo` needs; the "
        "user's state folder otherwise |",
        "| `JAMKEY_PATIENCE` | seconds of the search for keys, over the setting `patience` |",
        "| `VIRTUAL_ENV` | the environment whose Python runs scripts, unless `--python` or the settings name one |",
        "| `VISUAL`, `EDITOR` | the editor of `--open` |",
        "| `NO_COLOR`, `COLUMNS`, `TERM` | colour, width and links of the terminal |",
    ]
    return "\n".join(parts) + "\n"


def json_form() -> str:
    """Return the JSON forms: each object with its fields."""
    parts = ["# JSON", _MADE]
    parts += [
        "`--json` and `--save x.json` write these objects; a field that is added later breaks nothing. The "
        "schema of a report is"
    ]
    parts[-1] += (
        " [`docs/jam.schema.json`](../jam.schema.json). Lines and columns count from 1, columns in characters, "
        "ends are exclusive;"
    )
    parts[-1] += " files below the working folder are relative, with forward slashes.\n"
    rows = [
        (name, ", ".join(f"`{word}`" for word in getattr(model, name).__args__))
        for name in ("Phase", "Owner", "Relation", "Outcome")
    ]
    parts += ["| type | its words |", "|---|---|", *(f"| `{name}` | {words} |" for name, words in rows), ""]
    for title, module, names in (
        (
            "Readings (`run`, `fix`, `read`)",
            model,
            ("Report", "Jam", "Frame", "Value", "Root", "Step", "Key", "Edit", "Trial", "Link"),
        ),
        ("`check`", model, ("CheckReport", "Finding")),
        ("`cells`", model, ("CellReport", "Column", "OddCell")),
        ("`trail`", model, ("Change",)),
        ("`tally`", statistics, ("Tally", "Share", "Advice")),
    ):
        parts += [f"## {title}", ""]
        for name in names:
            about = inspect.getdoc(getattr(module, name)) or ""
            parts += [f"### {name}", "", about.splitlines()[0], "", *_table(fields_of(module, name), default=False), ""]
    return "\n".join(parts)


def kinds() -> str:
    """Return the catalogue of kinds."""
    parts = [
        "# Kinds",
        _MADE,
        "What goes wrong is the same in every language; only the words differ. `jamkey kinds KIND` prints one of these,",
    ]
    parts[-1] += " `jamkey kinds TYPE` the kinds that an exception type of any runtime can mean.\n"
    for kind in KINDS:
        parts += [f"## {kind.name}", "", f"**{kind.title}.** {kind.about}", "", "Usual causes:", ""]
        parts += [
            *(f"- {cause}" for cause in kind.usual),
            "",
            f"Next time: {kind.avoid}",
            "",
            "```",
            kind.example.rstrip("\n"),
            "```",
            "",
        ]
    return "\n".join(parts)


def main(folder: Path) -> None:
    """Write the pages."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in pages().items():
        (folder / name).write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
