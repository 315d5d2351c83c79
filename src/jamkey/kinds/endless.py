"""The program was stopped from outside while it went round and round."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, show


class Endless:
    """See the module."""

    name = "endless"
    title = "a loop that does not end"
    about = "The program did not fail: it was stopped while a loop was still running, and nothing in it brings the end nearer."
    usual = (
        "the value in the loop's condition never changes",
        "the loop adds to what it goes through",
        "a fraction is compared with == and never hits it exactly",
    )
    avoid = "For every loop say which line brings it nearer to its end, and run with --limit while trying."
    example = (
        'kilos = 31.2\n'
        'while kilos > 30:\n'
        '    frames = kilos / 3\n'
    )

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Name the loop and what in its condition never changes."""
        found = Diagnosis(meaning=self.about, avoid=self.avoid, causes=list(self.usual))
        code = scene.code
        if scene.frame is None or code is None:
            return found
        for loop in code.loops(scene.line)[:1]:
            over = loop.condition or loop.over
            found.root(scene.frame.file, loop.span.line, "this loop was still running", 0.8)
            if loop.condition is not None:
                names = {p.source for p in loop.condition.walk() if p.sort in ("name", "member")}
                changed = {d.name for d in code.definitions() if loop.span.line < d.span.line <= loop.span.end_line}
                still = sorted(name for name in names if name.rpartition(".")[2] not in changed)
                found.meaning = f"The loop on line {loop.span.line} goes on while `{show(loop.condition.source)}` holds, and it always held."
                if still:
                    found.causes.insert(0, f"`{'`, `'.join(still)}` never changes inside the loop")
            elif over is not None:
                found.meaning = f"The loop on line {loop.span.line} over `{show(over.source)}` was still running."
            found.look_at = "Look for the line that should bring the loop to its end."
        found.root(scene.frame.file, scene.line, "it was here when it was stopped", 0.7)
        return found


KIND = Endless()
