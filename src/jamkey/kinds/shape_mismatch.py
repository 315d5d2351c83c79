"""Arrays, columns or series whose sizes do not fit together."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, trace_names

_SHAPES = re.compile(r"\(([\d, ]*)\)")


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
            found.root(file, line, "the two are combined here", 0.72)
        else:
            found.root(file, line, "the sizes meet here", 0.55)
        trace_names(scene, found, "one of the two gets its size here", 0.62)
        return found


KIND = ShapeMismatch()
