"""What the commands share: saving, sources, targets."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from jamkey.errors import UnreadableInput, UsageError
from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.observe.target import Target, command_target, module_target, script_target
from jamkey.secrets import masked_jam
from jamkey.settings import Settings
from jamkey.views import SHELF


def check_save(paths: Sequence[str]) -> None:
    """Make sure every `--save` has an ending that names a form.

    Raises:
        UsageError: it has not.
    """
    for path in paths:
        ending = Path(path).suffix
        if ending not in SHELF:
            raise UsageError(f"--save {path}: the ending chooses the form: {', '.join(SHELF.names())}")


def save_all(paths: Sequence[str], jams: Sequence[Jam], sources: Sources) -> None:
    """Write the readings in the form each path's ending names, with secrets hidden.

    Raises:
        UnreadableInput: a path cannot be written.
    """
    if not paths:
        return
    hidden = [masked_jam(jam) for jam in jams]
    for path in paths:
        text = SHELF.get(Path(path).suffix)(hidden, sources)
        try:
            Path(path).write_text(text, encoding="utf-8")
        except OSError as error:
            raise UnreadableInput(f"{path} cannot be written: {error.strerror}") from None


def target_of(words: Sequence[str], module: str | None, python: str, settings: Settings) -> Target:
    """Return what the words of a call name: a script with arguments, `-m MODULE`, or a command after `--`."""
    python = python or settings.python
    if module is not None:
        return module_target(module, list(words), python=python)
    if words and words[0] == "--":
        return command_target(list(words[1:]))
    if not words:
        raise UsageError("a script is missing: give one, or -m MODULE, or -- COMMAND")
    return script_target(words[0], list(words[1:]), python=python, commands=settings.commands)
