"""The path of calls as a picture (SVG): boxes from the outside in, and the way of the bad value beside them."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import msgspec

from jamkey.text import shorten

#: In pixels of the drawing.
WIDTH = 300
_LEFT, _OWN, _SMALL, _GAP = 8, 46, 24, 22
_BOX = 222
#: Boxes drawn; of a longer path the middle is counted.
_MOST = 15


class Node(msgspec.Struct, frozen=True, kw_only=True):
    """One box: a call of one's own, folded calls (with `small`), or a place beside the path."""

    name: str
    title: str = ""
    small: str = ""
    #: How often the same call follows itself.
    times: int = 1
    snag: bool = False
    root: bool = False
    aside: bool = False
    #: Numbers of the value's steps that happen there.
    steps: tuple[int, ...] = ()


class Box(msgspec.Struct, frozen=True):
    """A box with its place."""

    node: Node
    x: int
    y: int
    width: int
    height: int
    #: Two lines of text: where, and in what.
    first: str
    second: str


class Picture(msgspec.Struct, frozen=True):
    """All that the template draws."""

    height: int
    boxes: tuple[Box, ...]
    #: (x, y from, y to) of the arrows between calls.
    calls: tuple[tuple[int, int, int], ...]
    #: Paths (SVG's `d`) of the value's way, from the root to the failing line.
    way: tuple[str, ...]


def picture(nodes: Sequence[Node]) -> Picture:
    """Return the picture of a path, outermost first."""
    nodes = _bounded(nodes)
    boxes: list[Box] = []
    y = 12
    for node in nodes:
        height = _SMALL if node.small else _OWN
        first, _, second = node.title.partition(" in ")
        if node.times > 1:
            second = f"{second} ({node.times} times)".strip()
        inset = 36 if node.small else 0
        boxes.append(Box(node, _LEFT + inset, y, _BOX - 2 * inset, height, _tail(first), shorten(second, 26)))
        y += height + _GAP
    calls = tuple(
        (_LEFT + _BOX // 2, upper.y + upper.height, lower.y)
        for upper, lower in pairwise(boxes)
        if not upper.node.aside and not lower.node.aside
    )
    return Picture(y - _GAP + 8, tuple(boxes), calls, _way(boxes))


def _tail(text: str) -> str:
    """Keep the end of a long path: file and line stand there."""
    return text if len(text) <= 26 else "..." + text[-23:]


def _bounded(nodes: Sequence[Node]) -> list[Node]:
    """Count the middle of a long path; the snag, the root and what the value passes stay."""
    if len(nodes) <= _MOST:
        return list(nodes)
    kept = {*range(4), *range(len(nodes) - 6, len(nodes))}
    kept |= {index for index, node in enumerate(nodes) if node.snag or node.root or node.steps}
    found: list[Node] = []
    for index, node in enumerate(nodes):
        if index in kept:
            found.append(node)
        elif index - 1 in kept or index == 0:
            count = next((other for other in range(index, len(nodes)) if other in kept), len(nodes)) - index
            found.append(Node(name=node.name, small=f"{count} more"))
    return found


def _way(boxes: Sequence[Box]) -> tuple[str, ...]:
    """Return one curve for each hand-over, along the right-hand side, between the boxes where the steps happen."""
    stops = [(step, box) for box in boxes for step in box.node.steps]
    order = [box for _, box in sorted(stops, key=lambda pair: pair[0])]
    snag = next((box for box in boxes if box.node.snag), None)
    if snag is not None and order:
        order.append(snag)
    curves: list[str] = []
    for start, end in pairwise(order):
        if start is end:
            continue
        right = _LEFT + _BOX
        bulge = min(right + 22 + abs(end.y - start.y) // 8, WIDTH - 6)
        from_y, to_y = start.y + start.height // 2 - 5, end.y + end.height // 2 + 5
        curves.append(f"M {right} {from_y} C {bulge} {from_y}, {bulge} {to_y}, {right + 5} {to_y}")
    return tuple(curves)
