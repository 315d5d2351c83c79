"""A reading as one self-contained HTML file: no request leaves it, all text is escaped."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Any

import msgspec

from jamkey.follow.sources import Sources
from jamkey.model import Frame, Jam
from jamkey.text import shorten, visible
from jamkey.views.outline import Line, Outline, Shown, at, code_of, outline, values_of

#: Own frames drawn; of a longer path the ones in the middle are counted.
_MOST_FRAMES = 40
#: Characters of the whole message and frames kept at the end of the page.
_MOST_RAW = 40_000


class Stop(msgspec.Struct):
    """One place on the path: an own frame, the root's place, or folded library frames."""

    place: str = ""
    snag: bool = False
    root: bool = False
    only_root: bool = False
    reason: str = ""
    code: tuple[Line, ...] = ()
    values: tuple[tuple[str, str, str], ...] = ()
    folded: tuple[str, ...] = ()


class Page(msgspec.Struct):
    """One jam as the template sees it."""

    view: Outline
    stops: list[Stop]
    raw: str


def render(jams: Sequence[Jam], sources: Sources) -> str:
    """Return the page of one or several readings."""
    pages = [Page(outline(jam, sources), _stops(jam, sources), _raw(jam)) for jam in jams]
    return str(_template().render(pages=pages))


@cache
def _template() -> Any:
    import jinja2

    room = jinja2.Environment(autoescape=True, trim_blocks=True, undefined=jinja2.StrictUndefined)
    room.filters["plain"] = lambda text: visible(shorten(text, 400))
    room.filters["spoken"] = _spoken
    room.filters["copied"] = _copied
    return room.from_string((Path(__file__).parent / "templates" / "page.html").read_text(encoding="utf-8"))


def _spoken(text: str) -> str:
    """Return our own sentence as markup: escaped, with what stands in backticks as code."""
    import markupsafe

    parts = text.split("`")
    if len(parts) % 2 == 0:
        return str(markupsafe.escape(text))
    return markupsafe.Markup("").join(
        markupsafe.Markup("<code>{}</code>").format(part) if place % 2 else markupsafe.escape(part) for place, part in enumerate(parts)
    )


def _copied(shown: Shown) -> str:
    return "\n".join(text for _, _, sign, text in shown.diff if sign == "+")


def _stops(jam: Jam, sources: Sources) -> list[Stop]:
    """Return the path from the outside in; the root's own place stands where it is not a frame of the path."""
    root = jam.roots[0] if jam.roots else None
    stops: list[Stop] = []
    folded: list[str] = []
    met = False
    own = [index for index, frame in enumerate(jam.frames) if frame.owner == "yours"]
    left_out = set(own[_MOST_FRAMES // 2 : -_MOST_FRAMES // 2]) if len(own) > _MOST_FRAMES else set()
    for index, frame in enumerate(jam.frames):
        if frame.owner != "yours" or index in left_out:
            folded.append(visible(f"{frame.function or 'the script'} ({at(frame.file, frame.line)})"))
            continue
        if folded:
            stops.append(Stop(folded=tuple(folded)))
            folded = []
        is_root = root is not None and (frame.file, frame.line, frame.cell) == (root.file, root.line, root.cell)
        met = met or is_root
        stops.append(
            Stop(
                place=_place(frame),
                snag=index == jam.snag,
                root=is_root,
                reason=visible(root.reason) if root is not None and is_root else "",
                code=code_of(frame, sources),
                values=values_of(frame) if frame.values else (),
            )
        )
    if folded:
        stops.append(Stop(folded=tuple(folded)))
    if root is not None and not met:
        frame = Frame(file=root.file, line=root.line, cell=root.cell)
        stops.append(Stop(place=_place(frame), root=True, only_root=True, reason=visible(root.reason), code=code_of(frame, sources)))
    return stops


def _place(frame: Frame) -> str:
    function = f" in {frame.function}" if frame.function and frame.function != "<module>" else ""
    return visible(at(frame.file, frame.line, frame.cell) + function)


def _raw(jam: Jam) -> str:
    rows = [jam.headline, *(jam.message or "").split("\n")[1:], ""]
    rows += [f"{frame.file}:{frame.line or '?'}  {frame.function or ''}  {frame.source or ''}" for frame in jam.frames]
    return "\n".join(visible(shorten(row, 400)) for row in rows)[:_MOST_RAW]
