"""The program was stopped from outside while it went round and round."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.follow.unending import Unending
from jamkey.kinds.base import Diagnosis, show
from jamkey.languages.base import Loop, Part, Span

#: Calls in the loop that are told.
_CALLS = 4


class Endless:
    """See the module."""

    name = "endless"
    title = "a loop that does not end"
    about = "The program did not fail: it was stopped while a loop was still running."
    usual = (
        "the value in the loop's condition never changes",
        "the loop adds to what it goes through",
        "a fraction is compared with == and never hits it exactly",
    )
    avoid = "For every loop say which line brings it nearer to its end, and run with --limit while trying."
    example = "kilos = 31.2\nwhile kilos > 30:\n    frames = kilos / 3\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Name the loop, what its condition reads, and where that is set."""
        found = Diagnosis(kind=self.name, meaning=self.about, avoid=self.avoid, causes=list(self.usual))
        if scene.frame is None:
            return found
        item = next(iter(scene.unending), None)
        file = item.file if item is not None else scene.frame.file
        for loop in [item.loop] if item is not None else self._by_text(scene):
            found.root(file, loop.span.line, "this loop was still running", "loop")
            found.meaning = f"The program was stopped in the loop on line {loop.span.line}."
            if item is not None and loop.condition is not None:
                self._condition(scene, found, item, loop.condition)
            elif loop.over is not None:
                found.meaning = (
                    f"The program was stopped in the loop on line {loop.span.line}, over `{show(loop.over.source)}`."
                )
            found.look_at = "Look for the line that should bring the loop to its end."
        found.root(scene.frame.file, scene.line, "it was here when it was stopped", "snag")
        return found

    def _condition(self, scene: Scene, found: Diagnosis, item: Unending, condition: Part) -> None:
        """What the names of the condition hold, and where they are set: in the loop, right behind it, or not at all."""
        code = scene.sources.code(item.file, scene.jam.runtime)
        if code is None:
            return
        names = sorted(
            {part.source for part in condition.walk() if part.sort in ("name", "member") and part.name in item.names}
        )
        found.meaning = f"{found.meaning[:-1]}, which goes on while `{show(condition.source)}` holds."
        now = [f"`{name}` was {show(value.text)}" for name in names if (value := scene.value(name, item.frame)) is not None]
        if now:
            found.meaning += f" Then {', '.join(now)}."
        changes = item.changes(code)
        for definition in changes[:3]:
            found.root(item.file, definition.span.line, f"`{definition.name}` is set here, and the loop goes on", "goes-on")
        changed = {definition.name for definition in changes} | item.stored(code)
        still = [name for name in names if not changed & {name, name.rpartition(".")[2]}]
        calls = {name: item.asked(code, name) for name in still}
        told = dict.fromkeys(f"`{show(call.source)}`" for name in still for call in calls[name])
        if told:
            found.meaning += f" In the loop stands {', '.join(list(told)[:_CALLS])}."
        still = [name for name in still if not any(calls[other] for other in still if f"{name}.".startswith(f"{other}."))]
        if still:
            nothing = f"othing in the loop assigns `{'`, `'.join(still)}`"
            found.meaning += f" N{nothing}."
            found.causes.insert(0, f"n{nothing}")
        statement = code.statement(item.below) if item.below else None
        for target in statement.targets if statement is not None else ():
            if target.source in still:
                found.root(
                    item.file, item.below, f"`{target.source}` is set here, behind the loop, and not in it", "behind-loop"
                )

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


KIND = Endless()
