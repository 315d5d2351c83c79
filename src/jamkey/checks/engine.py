"""Files and folders in, findings out."""

from __future__ import annotations

import ast
import os
import re
import sys
import warnings
from collections.abc import Iterable, Iterator
from pathlib import Path

import msgspec

from jamkey.checks.base import View
from jamkey.checks.rules import SHELF
from jamkey.errors import UnreadableInput
from jamkey.follow.sources import Sources
from jamkey.ipynb import cells_of
from jamkey.kinds.judge import sound
from jamkey.languages import ENDINGS
from jamkey.model import Edit, Finding, Frame, Jam
from jamkey.pipeline import diagnose, named
from jamkey.settings import Settings
from jamkey.text import decode, splice

_PYTHON = (".py", ".pyw")
_SKIPPED = {"__pycache__", "node_modules", "site-packages", "dist-packages", "build", "dist", "venv", "env"}
#: Mistakes of grammar looked for in one file, each behind the mend of the one before.
_MOST_MISTAKES = 5
#: A line with this comment is meant as it is; rule names may follow.
_MEANT = re.compile(r"(?:#|//|--|%)\s*jamkey:\s*meant\b[ \t]*([\w, -]*)")
#: Sources longer than this are left out, in characters.
_LONGEST = 4_000_000


def check_paths(paths: Iterable[str | os.PathLike[str]], settings: Settings | None = None) -> list[Finding]:
    """Return what is likely to go wrong in files, folders and notebooks, in the order of the files.

    Args:
        paths: files are checked as they are; folders with all sources below them.
        settings: the project's; its `meant` rules are left out.

    Raises:
        UnreadableInput: a path does not exist or cannot be read.
    """
    found: list[Finding] = []
    for path in paths:
        for file in _files(Path(path)):
            found += check_file(file, settings)
    return found


def _files(path: Path) -> Iterator[Path]:
    if not path.exists():
        raise UnreadableInput(f"{path} does not exist: give files or folders")
    if path.is_file():
        yield path
        return
    for folder, folders, names in os.walk(path):
        folders[:] = sorted(name for name in folders if name not in _SKIPPED and not name.startswith("."))
        for name in sorted(names):
            ending = os.path.splitext(name)[1].lower()
            if ending in _PYTHON or ending == ".ipynb" or ending in ENDINGS:
                yield Path(folder) / name


def check_file(path: Path, settings: Settings | None = None) -> list[Finding]:
    """Return what is likely to go wrong in one file.

    Raises:
        UnreadableInput: it cannot be read.
    """
    try:
        data = path.read_bytes()
    except OSError as error:
        raise UnreadableInput(f"{path} may not be read ({error.strerror}): check its permissions") from None
    if b"\0" in data[:8192] and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return []
    name = os.path.relpath(path).replace(os.sep, "/")
    if name.startswith("../"):
        name = str(path)
    return check_text(decode(data), name, folder=path.parent, settings=settings)


def check_text(text: str, name: str, *, folder: Path | None = None, settings: Settings | None = None) -> list[Finding]:
    """Return what is likely to go wrong in a source that need not be on the disk.

    Args:
        text: the source.
        name: its file's name; the ending tells the language.
        folder: where it lies, for rules about files beside it.
        settings: the project's.
    """
    if len(text) > _LONGEST:
        return []
    ending = os.path.splitext(name)[1].lower()
    if ending == ".ipynb":
        found = _notebook(text, name, folder)
    elif ending in _PYTHON or ending not in ENDINGS:
        found = list(_python(text, name, folder))
    else:
        from jamkey.checks.other_languages import check_other

        found = check_other(text, name)
    sources = Sources(None, {name: text})
    found = [
        finding if sound(finding.edits, sources, "") else msgspec.structs.replace(finding, title="", edits=())
        for finding in found
    ]
    silenced = frozenset(settings.meant) if settings is not None else frozenset()
    rows = text.split("\n")
    kept = [finding for finding in found if finding.rule not in silenced and not _is_meant(rows, finding)]
    return sorted(dict.fromkeys(kept), key=lambda finding: (finding.cell or 0, finding.line, finding.column))


def _is_meant(rows: list[str], finding: Finding) -> bool:
    if finding.cell is not None or not 1 <= finding.line <= len(rows):
        return False
    match = _MEANT.search(rows[finding.line - 1])
    if match is None:
        return False
    names = {name.strip() for name in match[1].split(",")} - {""}
    return not names or finding.rule in names


def _python(text: str, name: str, folder: Path | None) -> Iterator[Finding]:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            tree = ast.parse(text.removeprefix("\ufeff"))
        except (SyntaxError, ValueError) as error:
            yield from _mistakes(text, name, error)
            return
        except (RecursionError, MemoryError):
            return
    view = View(name, text, tree, folder)
    limit = sys.getrecursionlimit()
    try:
        sys.setrecursionlimit(max(limit, 5000))
        for rule in SHELF:
            yield from rule.look(view)
    except RecursionError:
        return  # a source nested deeper than one could read
    finally:
        sys.setrecursionlimit(limit)


def _mistakes(text: str, name: str, error: SyntaxError | ValueError) -> Iterator[Finding]:
    """Yield each mistake of grammar at its true beginning; behind each mended one the next is looked for."""
    for _ in range(_MOST_MISTAKES):
        line = getattr(error, "lineno", None) or 1
        frame = Frame(file=name, line=line, column=getattr(error, "offset", None) or 1)
        kind = type(error).__name__ if isinstance(error, SyntaxError) else "SyntaxError"
        jam = Jam(
            runtime="python", phase="compile", exception_type=kind, message=getattr(error, "msg", str(error)), frames=(frame,)
        )
        jam = diagnose(named(jam), Sources(None, {name: text}))
        root = jam.roots[0] if jam.roots else None
        key = next((key for key in jam.keys if key.edits), None)
        edits = _own(text, key.edits) if key else ()
        place, reason = (root.line, root.reason) if root is not None else (line, jam.message or "")
        yield Finding(
            file=name,
            line=place,
            column=root.column if root else 1,
            rule="grammar",
            kind="broken-syntax",
            reason=f"{jam.message}: {reason}" if root is not None and reason else f"{jam.message}",
            title=(key.title if len(edits) == len(key.edits) else key.title.partition(", then ")[0]) if key else "",
            edits=edits,
        )
        if key is None:
            return
        text = splice(text, edits)
        try:
            ast.parse(text.removeprefix("\ufeff"))
            return
        except (SyntaxError, ValueError) as following:
            if (getattr(following, "lineno", 0) or 0) <= line:
                return
            error = following
        except (RecursionError, MemoryError):
            return


def _own(text: str, edits: tuple[Edit, ...]) -> tuple[Edit, ...]:
    """Return the edits of the first mistake only, when the parser then reads on to the place of the next."""
    if len(edits) == 2:
        first, second = sorted(edits, key=lambda edit: edit.line)
        try:
            ast.parse(splice(text, [first]).removeprefix("\ufeff"))
        except SyntaxError as following:
            if first.line < second.line <= (following.lineno or 0):
                return (first,)
        except (ValueError, RecursionError, MemoryError):
            pass
    return edits


def _notebook(text: str, name: str, folder: Path | None) -> list[Finding]:
    """Check the cells as one text: what one cell defines, another may use."""
    rows: list[str] = []
    origin: list[tuple[int, int]] = []
    for cell in cells_of(text, name=name):
        if not cell.code or cell.source.lstrip().startswith("%%"):
            continue
        for number, row in enumerate(cell.source.split("\n"), 1):
            magic = row.lstrip().startswith(("%", "!", "?")) or row.rstrip().endswith("?")
            rows.append(row[: len(row) - len(row.lstrip())] + "pass" if magic else row)
            origin.append((cell.index, number))
    found: list[Finding] = []
    for finding in _python("\n".join(rows), name, folder):
        if finding.line > len(origin) or finding.rule in ("call-without-brackets", "compared-not-set", "dropped-result"):
            continue  # a cell shows its last value
        cell_index, line = origin[finding.line - 1]
        shift = finding.line - line
        edits = tuple(_in_cell(edit, origin) for edit in finding.edits)
        found.append(
            msgspec.structs.replace(
                finding,
                cell=cell_index,
                line=line,
                end_line=finding.end_line - shift if finding.end_line else None,
                edits=edits,
            )
        )
    return found


def _in_cell(edit: Edit, origin: list[tuple[int, int]]) -> Edit:
    cell, line = origin[min(edit.line, len(origin)) - 1]
    return msgspec.structs.replace(edit, cell=cell, line=line, end_line=line + edit.end_line - edit.line)
