"""The notebook extension: `%load_ext jamkey` shows a reading for each cell that fails, `%jam` the last one again."""

from __future__ import annotations

import os
import re
from pathlib import Path
from typing import Any

import msgspec

from jamkey.api import read_in_cells
from jamkey.errors import JamkeyError
from jamkey.follow.sources import Sources
from jamkey.ipynb import Cell
from jamkey.model import Jam, Key
from jamkey.runs.doubts import doubts_in_cells
from jamkey.runs.journaled import keep
from jamkey.settings import load
from jamkey.text import splice, visible
from jamkey.views.cell import render_cell
from jamkey.views.terminal import console, render_plain, show

_HELP = (
    "%jam shows the last reading again; %jam below shows readings under the kernel's own trace, %jam instead in its place, "
    "%jam off none; %jam take N puts the cell with key N turned into a new cell; %jam doubts runs the session's cells once "
    "more on a copy, and tells what may have gone quietly wrong in the last one"
)
#: Cells of a long session that are looked at.
_MOST_CELLS = 400
#: Seconds for a second run of the cells.
_LIMIT = 120.0
#: A cell that only asks this extension.
_OURS = re.compile(r"\s*%(?:jam\b|(?:un)?load_ext\b)")


class Extension:
    """What the extension holds for one shell."""

    def __init__(self, shell: Any) -> None:
        self.shell = shell
        self.mode = "below"
        self.last: tuple[Jam, Sources] | None = None
        self._show_trace: Any = None

    def after_cell(self, result: Any) -> None:
        """Show the reading of a cell that failed. Never raises: the cell's own result stands."""
        error = result.error_in_exec or result.error_before_exec
        if self.mode == "off" or error is None or isinstance(error, (KeyboardInterrupt, SystemExit)):
            return
        try:
            self.last = self._read(error)
            self.show()
        except Exception as problem:
            print(f"jamkey: this failure could not be read ({type(problem).__name__}: {problem})")
            return
        try:
            keep([self.last[0]], self.last[1], load(Path.cwd()), door="notebook", command=_name(self.shell), soon=True)
        except JamkeyError:
            return

    def _read(self, error: BaseException) -> tuple[Jam, Sources]:
        runs = dict(getattr(self.shell.compile, "_filename_map", {}))
        history = self.shell.history_manager.input_hist_parsed
        inputs = {run: history[run] for run in range(max(1, len(history) - _MOST_CELLS), len(history))}
        return read_in_cells(error, runs, inputs, name=_name(self.shell))

    def show(self) -> None:
        """Show the last reading: as HTML where the front end takes it, as text in a terminal."""
        if self.last is None:
            print("jamkey: no cell has failed yet")
            return
        jam, sources = self.last
        if type(self.shell).__name__ == "TerminalInteractiveShell":
            show([jam], sources, console())
            return
        from IPython.display import display  # type: ignore[attr-defined,unused-ignore]

        display({"text/html": render_cell(jam, sources), "text/plain": render_plain([jam], sources)}, raw=True)  # type: ignore[no-untyped-call,unused-ignore]

    def turn(self, mode: str) -> None:
        """Choose where readings stand: below the kernel's trace, instead of it, or nowhere."""
        self.mode = mode
        if mode == "instead" and self._show_trace is None:
            self._show_trace = self.shell._showtraceback

            def silent(kind: Any, value: Any, trace: Any) -> None:
                # the kernel's reply still carries the trace: whoever runs the notebook sees that it failed
                self.shell._last_traceback = trace

            self.shell._showtraceback = silent
        elif mode != "instead" and self._show_trace is not None:
            del self.shell._showtraceback
            self._show_trace = None

    def take(self, number: int) -> None:
        """Put the cell with a key turned into a new cell below."""
        if self.last is None:
            print("jamkey: no cell has failed yet")
            return
        jam, sources = self.last
        if not 1 <= number <= len(jam.keys):
            print(f"jamkey: the last reading has {len(jam.keys)} keys")
            return
        text = _turned(jam.keys[number - 1], sources)
        if text is None:
            print("jamkey: this key changes no cell; what it says is for you to do")
            return
        self.shell.set_next_input(text, replace=False)

    def doubts(self) -> None:
        """Run the session's cells once more, on a copy, and tell what was odd in the last of them."""
        raw = self.shell.history_manager.input_hist_raw
        cells = [
            Cell(index=run - 1, code=True, source=raw[run], run=run)
            for run in range(max(1, len(raw) - _MOST_CELLS), len(raw))
            if raw[run].strip() and not _OURS.match(raw[run])
        ]
        if not cells:
            print("jamkey: no cell has been run yet")
            return
        settings = load(Path.cwd())
        try:
            found = doubts_in_cells(
                cells, _name(self.shell), Path.cwd(), limit=settings.limit or _LIMIT, unguarded=settings.unguarded
            )
        except (JamkeyError, OSError, msgspec.MsgspecError) as error:
            print(f"jamkey: the cells could not be run again: {getattr(error, 'strerror', None) or error}")
            return
        own = [item for item in found if item.cell == cells[-1].index]
        for item in own:
            print(f"jamkey: cell {cells[-1].run}, line {item.line}: {visible(item.reason)}")
        if not own:
            print(f"jamkey: nothing odd in cell {cells[-1].run}" + (f", {len(found)} in others" if found else ""))

    def jam(self, line: str) -> None:
        """Do what the magic's line says."""
        words = line.split()
        if not words:
            self.show()
        elif words[0] in ("below", "instead", "off") and len(words) == 1:
            self.turn(words[0])
        elif words == ["doubts"]:
            self.doubts()
        elif words[0] == "take" and len(words) == 2 and words[1].isdigit():
            self.take(int(words[1]))
        else:
            print(_HELP)


def _turned(key: Key, sources: Sources) -> str | None:
    cells = {(edit.file, edit.cell) for edit in key.edits}
    if len(cells) != 1:
        return None
    ((file, cell),) = cells
    text = sources.text(file, cell) if cell is not None else None
    return splice(text, key.edits).rstrip("\n") if text is not None else None


def _name(shell: Any) -> str:
    """Return the notebook's name where the server tells it."""
    told = os.environ.get("JPY_SESSION_NAME") or shell.user_ns.get("__vsc_ipynb_file__") or ""
    name = os.path.basename(str(told))
    return name if name.endswith(".ipynb") else "notebook.ipynb"


_LOADED: dict[int, Extension] = {}


def load_ipython_extension(shell: Any) -> None:
    """Begin to show readings in a shell (`%load_ext jamkey`)."""
    if id(shell) in _LOADED:
        return
    extension = Extension(shell)
    _LOADED[id(shell)] = extension
    shell.events.register("post_run_cell", extension.after_cell)
    shell.register_magic_function(extension.jam, "line", "jam")


def unload_ipython_extension(shell: Any) -> None:
    """Put the shell back as it was (`%unload_ext jamkey`)."""
    extension = _LOADED.pop(id(shell), None)
    if extension is None:
        return
    extension.turn("off")
    shell.events.unregister("post_run_cell", extension.after_cell)
    shell.magics_manager.magics["line"].pop("jam", None)
