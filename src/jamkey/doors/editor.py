"""Open the user's editor at a place."""

from __future__ import annotations

import os
import shlex
import subprocess
from pathlib import Path

from jamkey import system
from jamkey.errors import CannotLaunch, JamkeyError, UsageError
from jamkey.follow.sources import Sources
from jamkey.ipynb import line_in_file
from jamkey.model import Jam
from jamkey.observe.target import find_program
from jamkey.settings import Settings
from jamkey.text import read_text

#: Editor -> how it is told a place. Others are given the file alone.
_PLACES = {
    "vi": "+{line} {file}",
    "vim": "+{line} {file}",
    "nvim": "+{line} {file}",
    "gvim": "+{line} {file}",
    "nano": "+{line},{column} {file}",
    "pico": "+{line} {file}",
    "emacs": "+{line}:{column} {file}",
    "emacsclient": "+{line}:{column} {file}",
    "micro": "+{line}:{column} {file}",
    "joe": "+{line} {file}",
    "jed": "{file} -g {line}",
    "mcedit": "{file}:{line}",
    "hx": "{file}:{line}:{column}",
    "kak": "+{line}:{column} {file}",
    "code": "--goto {file}:{line}:{column}",
    "codium": "--goto {file}:{line}:{column}",
    "subl": "{file}:{line}:{column}",
    "kate": "--line {line} --column {column} {file}",
    "gedit": "+{line}:{column} {file}",
    "geany": "--line {line} --column {column} {file}",
    "pycharm": "--line {line} {file}",
    "idea": "--line {line} {file}",
    "spyder": "--line {line} {file}",
    "mousepad": "--line {line} {file}",
    "zed": "{file}:{line}:{column}",
}
#: Editors that open a window and come back at once.
_WINDOWS = {"code", "codium", "subl", "kate", "gedit", "geany", "pycharm", "idea", "spyder", "mousepad", "zed", "gvim"}


def place_to_change(jam: Jam) -> tuple[str, int, int, int | None] | None:
    """Return file, line, column and cell of the likeliest root, else of the snag."""
    frame = jam.snag_frame
    if jam.roots:
        root = jam.roots[0]
        return root.file, root.line, root.column, root.cell
    if frame is not None and frame.line is not None:
        return frame.file, frame.line, frame.column or 1, frame.cell
    return None


def editor_command(settings: Settings, file: str, line: int, column: int = 1) -> list[str]:
    """Return the words that open an editor at a place.

    Raises:
        UsageError: no editor is named, or the setting is not a command.
    """
    values = {"file": file, "line": str(line), "column": str(column)}
    if settings.editor:
        try:
            words = [word.format(**values) for word in shlex.split(settings.editor)]
        except (KeyError, IndexError, ValueError):
            raise UsageError(
                f"editor = {settings.editor!r} in the settings: only {{file}}, {{line}} and {{column}} may stand there"
            ) from None
        return words if "{file}" in settings.editor else [*words, file]
    chosen = os.environ.get("VISUAL") or os.environ.get("EDITOR")
    if not chosen:
        raise UsageError('no editor is known: set VISUAL or EDITOR, or editor = "..." in jamkey.toml')
    words = shlex.split(chosen)
    if not words:
        raise UsageError("VISUAL or EDITOR is empty: name an editor there")
    # each part is filled in after the template is cut into words, so that a name with blanks stays one
    form = _PLACES.get(os.path.basename(words[0]), "{file}")
    return [*words, *(part.format(**values) for part in form.split())]


def open_place(jam: Jam, sources: Sources, settings: Settings) -> None:
    """Start the editor at the place to change; without a file there, say so in one line and go on."""
    place = place_to_change(jam)
    path = sources.path(place[0]) if place is not None else None
    try:
        if place is None or path is None:
            raise UsageError("--open: the place to change is in no file that is here")
        line, column = place[1], place[2]
        if place[3] is not None:
            # an editor shows the notebook's file as it is written
            line, column = line_in_file(read_text(path), place[3], line), 1
        start_editor(settings, path, line, column)
    except JamkeyError as error:
        os.write(2, f"jamkey: {error}\n".encode())


def start_editor(settings: Settings, path: Path, line: int, column: int = 1) -> None:
    """Start the editor; one that fills the terminal is waited for.

    Raises:
        UsageError: none is named.
        CannotLaunch: it is not there.
    """
    words = editor_command(settings, str(path), line, column)
    program = find_program(words[0])
    try:
        if os.path.basename(words[0]) in _WINDOWS:
            subprocess.Popen([program, *words[1:]], stdin=subprocess.DEVNULL, **system.apart())
        else:
            subprocess.run([program, *words[1:]], check=False)
    except OSError as error:
        raise CannotLaunch(f"{words[0]} cannot be started: {error.strerror}") from None
