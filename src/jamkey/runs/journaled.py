"""Keep a reading in the journal, and note there that a program runs again."""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Iterable, Sequence
from pathlib import Path

from jamkey.errors import JamkeyError, NoFailureFound, UnreadableInput
from jamkey.folders import state_folder, target_mark
from jamkey.follow.sources import Sources
from jamkey.ipynb import Cell
from jamkey.journal.kept import MOST_PRINTED, MOST_TEXT, MOST_TEXTS, Kept, Reading
from jamkey.journal.spool import MOST_LAID, Laid, lay_down
from jamkey.model import Jam
from jamkey.observe.target import Target
from jamkey.secrets import masked, masked_jam, masked_lines
from jamkey.settings import Settings
from jamkey.text import decode, plain

#: Open failures remembered for the runs to come.
_MOST_OPEN = 200


def kept_reading(jams: Sequence[Jam], sources: Sources, *, command: str = "") -> Kept:
    """Return what is to be kept of a reading: jams and texts with secrets hidden.

    Args:
        jams: of one run or text, diagnosed.
        sources: the ones they were diagnosed with; `printed` among them.
        command: what was run, as typed.
    """
    texts: dict[str, str] = {}
    cells: dict[str, dict[int, str]] = {}
    size = 0
    for file in dict.fromkeys(_files(jams)):
        text = sources.text(file)
        name = sources.resolve(file)
        if text is None or name is None or len(text) > MOST_TEXT or size + len(text) > MOST_TEXTS:
            continue
        size += len(text)
        texts[file] = masked_lines(text)
        if file.endswith(".ipynb"):
            cells[file] = {cell.index: masked_lines(cell.source) for cell in sources.cells(file) if cell.code}
    printed = "\n".join(masked(line[:2000]) for line in plain(sources.printed[-MOST_PRINTED:]).split("\n"))
    return Kept(
        jams=tuple(masked_jam(jam) for jam in jams),
        texts=texts,
        cells=cells,
        folder=str(sources.root or ""),
        command=masked(command),
        printed=printed,
        time=time.time(),
    )


def _files(jams: Iterable[Jam]) -> Iterable[str]:
    for jam in jams:
        for frame in reversed(jam.frames):
            if frame.owner == "yours":
                yield frame.file
        for root in jam.roots[:3]:
            yield root.file
            for step in root.steps:
                yield step.file
        for key in jam.keys:
            for edit in key.edits:
                yield edit.file


def keep(
    jams: Sequence[Jam],
    sources: Sources,
    settings: Settings,
    *,
    door: str,
    target: Target | None = None,
    command: str = "",
    cwd: str = "",
    soon: bool = False,
) -> int:
    """Write a reading to the journal; return its number, 0 when the settings say that none are kept or it is not known yet.

    Args:
        jams: diagnosed, the one that ended the program last.
        sources: the ones they were diagnosed with.
        settings: the project's.
        door: the command or call it came through.
        target: what was run; None for a text.
        command: what was run, as typed.
        cwd: the working folder of the run; the current one by default.
        soon: the journal itself takes it in when it is opened next, which is sooner done now.

    Raises:
        UnreadableInput: the journal cannot be written.
    """
    if not jams or not settings.keep:
        return 0
    cwd = cwd or os.getcwd()
    kept = kept_reading(jams, sources, command=command)
    words = target.words if target is not None else []
    rows = [_row(jam, kept, cwd, words, door) for jam in kept.jams]
    number = 0
    if soon:
        _lay_down(Laid(readings=tuple(rows), kept=kept, days=settings.keep_days))
    else:
        from jamkey.journal.store import Journal

        with Journal() as journal:
            number = journal.add(rows, kept, days=settings.keep_days)
    if target is not None:
        _leave_mark(cwd, words)
    return number


def _lay_down(laid: Laid) -> None:
    try:
        waiting = lay_down(Path(state_folder()), laid)
    except OSError as error:
        raise UnreadableInput(f"{state_folder()} cannot be written: {error.strerror}") from None
    if waiting > MOST_LAID:
        from jamkey.journal.store import Journal

        with Journal():
            pass  # opening it takes them in


def _row(jam: Jam, kept: Kept, cwd: str, words: list[str], door: str) -> Reading:
    frame = jam.snag_frame
    root = jam.roots[0] if jam.roots else None
    return Reading(
        time=kept.time,
        folder=cwd,
        target=masked("\0".join(words)),
        door=door,
        runtime=jam.runtime,
        kind=jam.kind,
        type=jam.exception_type,
        headline=jam.headline[:400],
        file=frame.file if frame else None,
        line=frame.line if frame else None,
        root_file=root.file if root else None,
        root_line=root.line if root else None,
        advice=jam.avoid or None,
    )


def _leave_mark(cwd: str, words: list[str]) -> None:
    """Say with an empty file that this call is open: all that a healthy run has to look for."""
    mark = Path(target_mark(cwd, words))
    with contextlib.suppress(OSError):
        mark.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        mark.touch()
        marks = sorted(mark.parent.iterdir(), key=lambda path: path.stat().st_mtime)
        for old in marks[:-_MOST_OPEN]:
            old.unlink(missing_ok=True)


def ended_well(target: Target, *, cwd: str = "") -> None:
    """Note that a target runs, if a failure of it is open. Never raises: the run was fine."""
    cwd = cwd or os.getcwd()
    mark = target_mark(cwd, target.words)
    try:
        if not os.path.exists(mark):
            return
        os.unlink(mark)
        _lay_down(Laid(folder=cwd, target=masked("\0".join(target.words)), time=time.time()))
    except (OSError, JamkeyError):
        return


def last_reading(number: int | None = None) -> Kept:
    """Return the newest reading of the journal, or the one of a number.

    Raises:
        NoFailureFound: there is none.
        UnreadableInput: the journal cannot be used.
    """
    from jamkey.journal.store import Journal

    kept = None
    if os.path.isdir(state_folder()):
        with Journal() as journal:
            kept = journal.last(number)
    if kept is None:
        if number is not None:
            raise NoFailureFound(
                f"reading {number} is not in the journal, or no longer whole: jamkey tally --list shows what is"
            )
        raise NoFailureFound("no reading is kept yet: run a program with jamkey run, or give its text to jamkey read")
    return kept


def sources_of(kept: Kept) -> Sources:
    """Return the texts as they were when the program failed."""
    sources = Sources(texts=kept.texts)
    for file, cells in kept.cells.items():
        sources.put_cells(
            file, [Cell(index=index, code=True, source=source, run=index + 1) for index, source in sorted(cells.items())]
        )
    sources.printed = kept.printed
    return sources


def unchanged(kept: Kept, file: str) -> bool:
    """Tell whether a file on disk is still the one that failed."""
    try:
        text = decode((Path(kept.folder) / file).read_bytes())
    except (OSError, UnreadableInput):
        return False
    return same_text(kept, file, text)


def same_text(kept: Kept, file: str, text: str) -> bool:
    """Tell whether a text is the one of a file that was kept; secrets aside, which were not."""
    return masked_lines(text) == kept.texts.get(file)
