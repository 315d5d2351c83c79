"""The program was stopped from outside while it went round and round."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, indent_of, insert_line, replace, show
from jamkey.languages.base import Loop, Span
from jamkey.model import Edit

#: How a counter takes a step; braces and semicolons elsewhere.
_STEPS = {
    "python": "{0} {1}= 1",
    "pypy": "{0} {1}= 1",
    "lua": "{0} = {0} {1} 1",
    "r": "{0} <- {0} {1} 1",
    "octave": "{0} = {0} {1} 1;",
    "julia": "{0} {1}= 1",
}


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
    example = "kilos = 31.2\nwhile kilos > 30:\n    frames = kilos / 3\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Name the loop and what in its condition never changes."""
        found = Diagnosis(meaning=self.about, avoid=self.avoid, causes=list(self.usual))
        code = scene.code
        if scene.frame is None or code is None:
            return found
        loops = sorted(code.loops(scene.line) or self._by_text(scene), key=lambda loop: loop.condition is None)
        for loop in loops[:1]:
            over = loop.condition or loop.over
            found.root(scene.frame.file, loop.span.line, "this loop was still running", 0.8)
            if loop.condition is not None:
                names = {p.source for p in loop.condition.walk() if p.sort in ("name", "member")}
                changed = {d.name for d in code.definitions() if loop.span.line < d.span.line <= loop.span.end_line}
                still = sorted(name for name in names if name.rpartition(".")[2] not in changed)
                found.meaning = (
                    f"The loop on line {loop.span.line} goes on while `{show(loop.condition.source)}` "
                    f"holds, and it always held."
                )
                now = [f"`{name}` is {value.text}" for name in sorted(names) if (value := scene.value(name)) is not None]
                if now:
                    found.meaning += f" When it was stopped, {', '.join(now)}."
                self._behind(scene, found, still)
                if still:
                    found.meaning += f" Inside the loop `{'`, `'.join(still)}` never change{'s' if len(still) == 1 else ''}."
                    found.causes.insert(0, f"`{'`, `'.join(still)}` never changes inside the loop")
            elif over is not None:
                found.meaning = f"The loop on line {loop.span.line} over `{show(over.source)}` was still running."
            self._keys(scene, found, loop)
            found.look_at = "Look for the line that should bring the loop to its end."
        found.root(scene.frame.file, scene.line, "it was here when it was stopped", 0.7)
        return found

    def _behind(self, scene: Scene, found: Diagnosis, still: list[str]) -> None:
        """What sets the names of the condition: in the loop, and yet it does not end; right behind it, and so never."""
        for item in scene.unending[:1]:
            code = scene.sources.code(item.file, scene.jam.runtime)
            for definition in item.changes(code)[:3] if code is not None else ():
                found.root(item.file, definition.span.line, f"`{definition.name}` is set here, and the loop goes on", 0.82)
            statement = code.statement(item.below) if code is not None and item.below else None
            sets = [] if statement is None else [target.source for target in statement.targets if target.source in still]
            if sets:
                found.root(item.file, item.below, f"`{sets[0]}` is set here, behind the loop, and not in it", 0.85)

    def _by_text(self, scene: Scene) -> list[Loop]:
        """Return the loop whose head stands at or above the line, where the language's tokens show none."""
        if scene.frame is None:
            return []
        for line in range(scene.line, max(scene.line - 60, 0), -1):
            row = scene.row(scene.frame.file, line)
            if not re.match(r"\s*(?:while|for|do|repeat|loop)\b", row):
                continue
            indent = len(row) - len(row.lstrip())
            end = line + 1
            while end < line + 200:
                below = scene.row(scene.frame.file, end)
                if below.strip() and len(below) - len(below.lstrip()) <= indent:
                    break
                end += 1
            return [Loop("while", Span(line, indent + 1, end, 1))]
        return []

    def _keys(self, scene: Scene, found: Diagnosis, loop: Loop) -> None:
        """Offer the step that is missing, the comparison that can become false, the copy to go through."""
        if scene.frame is None or scene.code is None:
            return
        file, first, last = scene.frame.file, loop.span.line, loop.span.end_line
        rows = [(number, scene.row(file, number)) for number in range(first + 1, last + 1)]
        body = "\n".join(row for _, row in rows)
        head = scene.row(file, first)
        condition = loop.condition
        if condition is not None and condition.sort == "compare":
            left = condition.child("left")
            counter = left.name if left is not None and left.sort == "name" else ""
            sets = re.search(rf"(?m)^[ \t]*{re.escape(counter)}\s*[-+*/]?=(?!=)", body) if counter else None
            if counter and sets is None and condition.name in ("<", "<=", "!=", ">", ">="):
                sign = "-" if condition.name in (">", ">=") else "+"
                inner = next((n for n, row in rows if row.strip()), first + 1)
                step = indent_of(scene, file, inner) + _STEPS.get(scene.jam.runtime, "{0} {1}= 1;").format(counter, sign)
                closing = last if scene.traits.statement_end else last + 1
                found.key(
                    "step",
                    f"Change `{counter}` in each round: `{step.strip()}`",
                    "nothing in the loop brings it nearer to the end",
                    0.88,
                    [insert_line(file, closing, step)],
                )
            if counter and sets is not None and condition.name in ("!=", "!=="):
                new = "<" if "+" in sets[0] or "-" not in sets[0] else ">"
                right = condition.child("right")
                if left is not None and right is not None:
                    found.key(
                        "reach",
                        f"Compare with `{new}`: `{left.source} {new} {right.source}`",
                        "fractions need not hit a value exactly",
                        0.86,
                        [replace(file, condition.span, f"{left.source} {new} {right.source}")],
                    )
        if loop.over is not None:
            grown = loop.over.source
            if re.search(rf"\b{re.escape(grown)}\.(?:append|insert|extend|push|add)\b", body):
                found.root(file, first, f"the loop goes through `{show(grown)}`, which its body makes longer", 0.9)
                copy = scene.traits.copied.format(grown)
                found.key(
                    "copy",
                    f"Go through a copy: `{copy}`",
                    "what is added is not gone through then",
                    0.88,
                    [replace(file, loop.over.span, copy)],
                )
        for number, row in rows:
            halved = re.match(r"(\s*)(lo\w*|left|start|begin|first|min\w*)( = )(mid\w*|m|half)(\s*;?\s*)$", row)
            if halved is not None:
                found.root(file, number, f"`{halved[2]}` stays where it is when only one place is left", 0.9)
                at = halved.end(4)
                edit = Edit(file=file, line=number, column=at + 1, end_line=number, end_column=at + 1, new_text=" + 1")
                found.key(
                    "past-middle",
                    f"Go past the middle: `{halved[2]} = {halved[4]} + 1`",
                    "the range then shrinks in every round",
                    0.9,
                    [edit],
                )
        if re.match(r"\s*while\s+(?:True|1|\(true\)|true)", head) and not re.search(r"\b(?:break|return)\b", body):
            below = next((row for _, row in reversed(rows) if row.strip()), "")
            indent = below[: len(below) - len(below.lstrip())]
            found.key(
                "leave",
                "Leave the loop: `break`",
                "nothing in it does",
                0.4,
                [insert_line(file, last + 1, f"{indent}break")],
                skips_work=True,
            )


KIND = Endless()
