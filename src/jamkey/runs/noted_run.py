"""Macros that failed are run once more, on a copy, with a note in each procedure: where it failed, and what names held."""

from __future__ import annotations

from pathlib import Path, PurePath

import msgspec

from jamkey.follow.sources import Sources
from jamkey.model import Frame, Jam
from jamkey.observe.noted_basic import frames_of, noted, placed
from jamkey.observe.target import Target
from jamkey.trials.scratch import scratch

#: Seconds that a second run may take.
_SECOND = 30.0


def frames_noted(notes: Path, sources: Sources) -> tuple[Frame, ...]:
    """Return the frames that our own runner noted.

    Args:
        notes: the file it wrote.
        sources: of the project.
    """
    names = [name for name in sources.files() if name.lower().endswith(".bas")]
    return frames_of(notes.read_text("utf-8", "replace"), {PurePath(name).stem: name for name in names})


def with_notes(jam: Jam, target: Target, root: Path, stdin: bytes, unguarded: bool) -> Jam:
    """Return the jam with the frames that the notes of a second run tell; as it is where they tell none.

    Args:
        jam: of a macro, as printed.
        target: what was run: our own runner, or whatever puts the modules into a document.
        root: the project folder.
        stdin: what it read.
        unguarded: run it also where nothing holds it in its folders.

    Raises:
        OSError: the program cannot be started.
        NoSandbox: nothing can hold it here, and `unguarded` is not said.
    """
    sources = Sources(root)
    texts = {name: sources.text(name) or "" for name in sources.files() if name.lower().endswith(".bas")}
    with scratch(root, unguarded=unguarded) as place:
        notes = place.folder / "notes"
        made = {name: noted(text, str(notes), name=PurePath(name).stem) for name, text in texts.items()}
        if not target.is_office:
            for name, module in made.items():
                place.put(name, module.text.encode(), module.text)
        place.run(target, stdin=stdin, limit=_SECOND, env={"JAMKEY_NOTES": str(notes)})
        told = notes.read_text("utf-8", "replace") if notes.exists() else ""
    if not target.is_office:
        told = placed(told, {PurePath(name).stem: module for name, module in made.items()})
    frames = frames_of(told, {PurePath(name).stem: name for name in texts})
    return msgspec.structs.replace(jam, frames=frames) if frames else jam
