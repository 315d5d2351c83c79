"""Whose code a frame is, and which frame is the snag."""

from __future__ import annotations

import os

import msgspec

from jamkey.follow.sources import Sources
from jamkey.languages.traits import traits_of
from jamkey.late import pattern
from jamkey.model import Frame, Jam, Owner
from jamkey.settings import Settings
from jamkey.text import line_at

_STANDARD = pattern(
    r"(?:^|/)lib(?:64)?/(?:python|pypy)[\d.]+/|/(?:lib-python|lib_pypy)/|(?:^|/)Lib/[\w/]+\.py$|(?:^|/)(?i:python)[\d.-]+/(?i:lib)/"
    r"|/share/julia/(?:stdlib|base)/"
)
_INSTALLED = (
    "/site-packages/",
    "/dist-packages/",
    "/node_modules/",
    "/vendor/bundle/",
    "/.julia/packages/",
    "/usr/include/",
    "/usr/lib/",
)
_RUNTIME = (
    "[eval]-wrapper",
    "[stdin]-wrapper",
    "node:",
    "internal/",
    "<frozen ",
    "<native>",
    "<__array_function__",
    "native ",
    "<julia>",
    "java/",
    "javax/",
    "jdk/",
    "sun/",
    "../sysdeps/",
    "../csu/",
    "../../../../src/",
    "Swift/",
    "/usr/share/",
    "/usr/lib/",
)
#: Text that ran without a file: yours, but only when no file of yours stands further out.
_TYPED = ("<script>", "<string>", "<stdin>", "<console>", "<anonymous", "<ipython", "<unknown>", "<main>", "[eval]")
_BUILT = (".pyx", ".pxd", ".pxi", ".c", ".cpp")


def owner_of(file: str, sources: Sources, settings: Settings) -> Owner:
    """Return whose code a file is.

    In order: the project's settings, the runtime's own names, installed packages, the standard library,
    what lies in the project; an unknown file is yours, as traces of other machines show.
    """
    path = file.replace("\\", "/")
    for owner, places in (("yours", settings.own), ("library", settings.library)):
        for place in places:
            full = place if os.path.isabs(place) else os.path.join(settings.folder, place)
            stem = place.strip("/")
            if path.startswith(full.rstrip("/") + "/") or path == full or f"/{stem}/" in f"/{path}":
                return owner  # type: ignore[return-value]
    if path.startswith(_RUNTIME):
        return "runtime"
    if path.startswith("<"):
        return "yours" if path.startswith(_TYPED) else "runtime"
    if any(part in f"/{path}" for part in _INSTALLED):
        return "library"
    if ("lib" in path.lower() or "julia" in path) and _STANDARD.search(path):
        return "runtime"
    if path.endswith(_BUILT) and not os.path.isabs(path) and sources.resolve(path) is None:
        return "library"
    return "yours"


#: How a line was found that no runtime named.
ALONE = "the only line that"


def locate(jam: Jam, sources: Sources, settings: Settings) -> Jam:
    """Return the jam with owners, the snag, and columns where only marks were printed; the chain likewise."""
    unplaced = all(frame.file.startswith(("node:", "<")) for frame in jam.frames)
    if not traits_of(jam.runtime).names_places or unplaced:
        from jamkey.follow.unplaced import placed_by_words

        jam = placed_by_words(jam, sources)
    frames = tuple(_settle(_main(frame, jam, sources), sources, settings) for frame in jam.frames)
    snag = _snag(frames)
    if snag is None and jam.phase in ("run", "compile"):
        from jamkey.follow.named_lines import named_line
        from jamkey.follow.unplaced import codes_of

        found = named_line(jam, sources, codes_of(jam, sources))
        if found is not None:
            frame, why = found
            frames, snag = (_settle(frame, sources, settings), *frames), 0
            if why:
                jam = msgspec.structs.replace(jam, facts={**jam.facts, "placed": f"{ALONE} {why}"})
    chain = tuple(msgspec.structs.replace(link, jam=locate(link.jam, sources, settings)) for link in jam.chain)
    return msgspec.structs.replace(jam, frames=frames, snag=snag, chain=chain)


def _snag(frames: tuple[Frame, ...]) -> int | None:
    own = [index for index, frame in enumerate(frames) if frame.owner == "yours" and frame.line is not None]
    in_files = [index for index in own if not frames[index].file.startswith(("<", "["))]
    if in_files:
        return in_files[-1]
    return own[-1] if own else None


def _main(frame: Frame, jam: Jam, sources: Sources) -> Frame:
    """A runtime that gives a line and no file means the program's main file: take the one that fits."""
    if frame.file != "<main>" or frame.line is None:
        return frame
    fitting = []
    for name in sources.files():
        row = line_at(sources.text(name) or "", frame.line) if name.endswith(".py") else ""
        if row.strip() and jam.facts.get("name", "") in row:
            fitting.append(name)
    return msgspec.structs.replace(frame, file=fitting[0]) if len(fitting) == 1 else frame


#: Lines around the one that a trace names among which its text is sought.
_NEAR = 60


def _settle(frame: Frame, sources: Sources, settings: Settings) -> Frame:
    """Give a frame its owner, its name below the project, its text and its columns; see whether the file has changed since."""
    owner = owner_of(frame.file, sources, settings)
    changes: dict[str, object] = {"owner": owner}
    if owner != "yours":
        return msgspec.structs.replace(frame, **changes)
    name = sources.resolve(frame.file)
    text = sources.text(frame.file) if name is not None else None
    line = frame.line
    if text is not None and line is not None and frame.source is not None and frame.source.strip():
        line = _now_at(frame.source, line, text)
        if line is None and not sources.is_certain(frame.file):
            name = text = None  # another file of that name
        elif line is None:
            return msgspec.structs.replace(frame, owner=owner, file=name, changed=True)
        elif line != frame.line:
            shift = line - (frame.line or 0)
            end = frame.end_line + shift if frame.end_line is not None else None
            changes |= {"line": line, "end_line": end, "was_line": frame.line}
    elif name is not None and not sources.is_certain(frame.file):
        name = text = None  # nothing but its last name speaks for it
    changes["file"] = name if name is not None else sources.relative(frame.file)
    if text is not None and line is not None:
        row = line_at(text, line)
        source = row.strip()
        if frame.source is None:
            changes["source"] = source or None
        if frame.marked is not None and (frame.column is None or "\t" in row):
            start, end_mark = (_column(row, frame.source or source, place) for place in frame.marked)
            changes |= {"column": start, "end_line": line, "end_column": end_mark}
    return msgspec.structs.replace(frame, **changes)


def _now_at(source: str, line: int, text: str) -> int | None:
    """Return where a trace's own line stands now: where the trace says, else the nearest near by, else the only one."""
    rows = text.split("\n")
    row = rows[line - 1].strip() if line <= len(rows) else ""
    if row and _same_line(source, row):
        return line
    if len(rows) <= line <= len(rows) + 2 and rows and _same_line(source, text.rstrip().rsplit("\n", 1)[-1].strip()):
        return line  # a compiler that came to the end of the text names a line behind it
    wanted = " ".join(source.split())
    everywhere = [number for number, row in enumerate(rows, 1) if " ".join(row.split()) == wanted]
    there = [number for number in everywhere if abs(number - line) <= _NEAR]
    if there:
        return min(there, key=lambda number: abs(number - line))
    if len(everywhere) == 1 and len(wanted) > 8:
        return everywhere[0]
    return line if not row and line <= len(rows) and not everywhere else None


def _same_line(printed: str, source: str) -> bool:
    # compilers print blanks for a tab
    printed, source = " ".join(printed.split()), " ".join(source.split())
    return source.startswith(printed) or printed.startswith(source)


def _column(row: str, printed: str, place: int) -> int:
    """Return the column of a row that stands at a place of what was printed of it, without its indentation; both 1-based."""
    indent = len(row) - len(row.lstrip())
    if "\t" not in row[indent:] or "\t" in printed:
        return indent + place
    wide = len(row[:indent].expandtabs()) + place
    return next((column for column in range(indent, len(row)) if len(row[:column].expandtabs()) >= wide), len(row))


def asked_by(jam: Jam) -> Frame | None:
    """Return the frame of yours that was running and asked for the file that could not be read; None where nothing ran.

    What a compiler names besides (a header's includer, what asked for a template) did not run either.
    """
    snag = jam.snag_frame
    if jam.phase != "compile" or snag is None or traits_of(jam.runtime).compiled:
        return None
    running = (frame for frame in jam.frames[: jam.snag] if frame.owner == "yours" and frame.file != snag.file)
    return next(running, None)
