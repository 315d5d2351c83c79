"""Arrays, columns or series whose sizes do not fit together."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, replace, show, trace_names
from jamkey.kinds.repair import fewer_or_more, rows_of_equal_length
from jamkey.languages.base import Part
from jamkey.model import Value

_SHAPES = re.compile(r"\(([\d, ]*)\)")
_COUNTS = re.compile(r"\b\d{1,12}\b")


class ShapeMismatch:
    """See the module."""

    name = "shape-mismatch"
    title = "sizes that do not fit together"
    about = (
        "Two arrays or columns are combined item by item, or as matrices, and their sizes do not allow it. Sizes are "
        "written as (rows, columns)."
    )
    usual = (
        "one of the two has one item more, or is turned on its side",
        "the order of a matrix product is the wrong way round",
        "a row vector stands where a column is needed",
        "rows of a table have different lengths",
    )
    avoid = "Print the shapes before combining, and say on paper which axis is which."
    example = "import numpy\n\nkilos = numpy.array([31.2, 30.8, 33.0])\nprint(kilos + numpy.array([1.0, 2.0]))\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Name both sizes, and try the arrangements in which they fit."""
        message = (scene.jam.wording or "").split("\n")[0]
        shapes = [tuple(int(n) for n in group.replace(" ", "").split(",") if n) for group in _SHAPES.findall(message)]
        listed = " and ".join(str(shape) for shape in shapes[:2])
        found = Diagnosis(
            kind=self.name,
            meaning=f"The sizes {listed or 'of what is combined here'} do not fit together.",
            look_at="Print the shape of each part of the line, and ask which axis is which.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        parts = scene.parts_of(scene.frame)
        operation = next((p for p in parts if p.sort == "binary"), None)
        if operation is not None and ("operands" in message or "matmul" in message or "aligned" in message):
            self._arrange(scene, found, operation, shapes)
            found.root(file, line, "the two are combined here", "combined")
        else:
            found.root(file, line, "the sizes meet here", "snag")
        sizes = [shape[0] for shape in shapes if len(shape) == 1] or [int(n) for n in _COUNTS.findall(message)][:2]
        for origin in trace_names(scene, found, "one of the two gets its size here"):
            rows_of_equal_length(scene, found, origin)
            if len(sizes) == 2:
                fewer_or_more(scene, found, origin, sizes[0], sizes[1])
                fewer_or_more(scene, found, origin, sizes[1], sizes[0])
        return found

    def _arrange(self, scene: Scene, found: Diagnosis, operation: Part, shapes: list[tuple[int, ...]]) -> None:
        """Offer the arrangements under which the operator works on these sizes."""
        left, right = operation.child("left"), operation.child("right")
        if left is None or right is None or scene.frame is None:
            return
        file = scene.frame.file
        one = _shape(scene.value(left.source)) or (shapes[0] if shapes else None)
        two = _shape(scene.value(right.source)) or (shapes[1] if len(shapes) > 1 else None)
        if operation.name == "@":
            if one is None or two is None or _matrix(two, one):
                found.key(
                    "swap-factors",
                    f"Swap the factors: `{show(right.source)} @ {show(left.source)}`",
                    "the columns of the first must be as many as the rows of the second",
                    [replace(file, left.span, right.source), replace(file, right.span, left.source)],
                )
            for part, turned in ((left, one and _matrix(one[::-1], two or ())), (right, two and _matrix(one or (), two[::-1]))):
                if turned:
                    found.key(
                        f"turn-{part.source}",
                        f"Turn one on its side: `{show(part.source)}.T`",
                        "then the sizes fit",
                        [replace(file, part.span.end, ".T")],
                    )
            return
        if one is None or two is None:
            return
        for part, own, other in ((right, two, one), (left, one, two)):
            if len(own) == 1 and len(other) == 2 and own[0] == other[0]:
                found.key(
                    "as-column",
                    f"Make it a column: `{show(part.source)}[:, None]`",
                    f"its {own[0]} items belong to the {other[0]} rows",
                    [replace(file, part.span.end, "[:, None]")],
                )
            if len(own) == 2 and own[::-1] == other:
                found.key(
                    f"turn-{part.source}",
                    f"Turn it on its side: `{show(part.source)}.T`",
                    "then both have the same shape",
                    [replace(file, part.span.end, ".T")],
                )
        if operation.name == "*" and _matrix(one, two):
            found.key(
                "matrix-product",
                f"Multiply as matrices: `{show(left.source)} @ {show(right.source)}`",
                "`*` multiplies item by item",
                [replace(file, operation.span, f"{left.source} @ {right.source}")],
            )


def _shape(value: Value | None) -> tuple[int, ...] | None:
    return tuple(value.shape) if value is not None and value.shape is not None else None


def _matrix(one: tuple[int, ...], two: tuple[int, ...]) -> bool:
    """Tell whether a matrix product of these sizes exists."""
    return bool(one) and bool(two) and one[-1] == two[0 if len(two) == 1 else -2]


KIND = ShapeMismatch()
