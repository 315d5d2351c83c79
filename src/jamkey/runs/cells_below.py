"""A notebook run once more as a script, its cells one below the other: what is searched for a script is found for it too."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import msgspec

from jamkey.errors import JamkeyError
from jamkey.follow.cell_module import Module, back_in_cells
from jamkey.follow.sources import Sources
from jamkey.model import Edit, Jam, Key
from jamkey.observe.capture import Captured
from jamkey.observe.target import Target, script_target
from jamkey.runs.read_run import diagnose_run
from jamkey.settings import Settings
from jamkey.trials.copy import copy_project
from jamkey.trials.scratch import scratch


@dataclass(frozen=True)
class Below:
    """The failure of the notebook as that of a script, in a folder that goes away again."""

    target: Target
    root: Path
    ended: Captured
    jam: Jam
    module: Module
    notebook: str

    def back(self, keys: tuple[Key, ...]) -> list[Key]:
        """Return the keys of the script as such of the notebook; what cannot be put back into cells is left out."""
        inside = back_in_cells(msgspec.structs.replace(self.jam, keys=keys, chain=()), self.module).keys
        return [
            msgspec.structs.replace(
                key,
                title=key.title.replace(self.module.name, self.notebook),
                reason=key.reason.replace(self.module.name, self.notebook),
                edits=tuple(map(self._in_notebook, key.edits)),
            )
            for key in inside
            if key.edits
        ]

    def _in_notebook(self, edit: Edit) -> Edit:
        return msgspec.structs.replace(edit, file=self.notebook) if edit.file == self.module.name else edit


@contextmanager
def cells_below(
    target: Target, root: Path, jam: Jam, *, limit: float, settings: Settings, stdin: bytes
) -> Iterator[Below | None]:
    """Run a notebook's cells as a script, held in a copy; None where that fails in another way, or cannot be done.

    Args:
        target: the notebook.
        root: the project folder.
        jam: its failure.
        limit: seconds that the script may take.
        settings: the project's.
        stdin: what it may read.
    """
    frame = jam.snag_frame
    cells = Sources(root).cells(frame.file) if frame is not None and frame.cell is not None else []
    if frame is None or not cells or "--python" not in target.argv:
        yield None
        return
    name = f"{os.path.splitext(frame.file)[0]}_cells.py"
    # it is run from the top: the order of an earlier run does not count
    module = Module(name, [msgspec.structs.replace(cell, run=None) for cell in cells], keep=frame.cell)
    with tempfile.TemporaryDirectory(prefix="jamkey-cells-") as made:
        project = Path(made) / (root.name or "project")
        try:
            copy_project(root, project)
            (project / name).write_text(module.text, encoding="utf-8")
            script = script_target(str(project / name), [], python=target.argv[target.argv.index("--python") + 1])
            with scratch(project, unguarded=settings.unguarded) as place:
                ended = place.run(script, stdin=stdin, limit=limit)
        except (JamkeyError, OSError):
            yield None
            return
        jams = diagnose_run(
            ended.stderr, ended.wire, project, target=script, status=ended.status, stdout=ended.stdout, settings=settings
        )
        same = bool(jams) and jams[-1].exception_type == jam.exception_type and jams[-1].snag is not None
        yield Below(script, project, ended, jams[-1], module, frame.file) if same else None
