"""Calls without end: the line that should have stopped them."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis

_TEST = re.compile(r"^\s*(?:\}?\s*(?:else\s+)?if\b|guard\b|switch\b|case\b|If\b)")


class BaseCase:
    """The test in the function that calls itself."""

    kinds = frozenset(["too-deep"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the test that never becomes true."""
        frame, code = scene.frame, scene.code
        function = scene.function_of(frame)
        if frame is None or code is None or function is None:
            return
        for line in range(function.span.line, function.span.end_line + 1):
            row = scene.row(frame.file, line)
            if line < scene.line and _TEST.match(row):
                found.root(frame.file, line, "this test should end the calls, and does not become true", 0.88)
                return


CLUE = BaseCase()
