"""Things happen in an order in which they cannot."""

from __future__ import annotations

from jamkey.follow.origins import Origin, follow
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, replace, show, trace_names, wrap
from jamkey.languages.base import Span


class WrongOrder:
    """See the module."""

    name = "wrong-order"
    title = "something used too early, too late, or while it changes"
    about = (
        "The thing exists, but not in the state that this line needs: not ready yet, used up, closed, "
        "unsorted, or being changed."
    )
    usual = (
        "a collection is changed while a loop goes through it",
        "a file was closed before it was read",
        "a model is asked before it was fitted",
        "values must be sorted or unique first",
    )
    avoid = "Go through a copy when you change a collection, and keep open, use, close in one block."
    example = 'kilos = {"oak": 31.2, "brook": 0}\nfor hive in kilos:\n    if not kilos[hive]:\n        del kilos[hive]\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Tell the cases apart by the runtime's words, and mend the order."""
        message = scene.jam.wording or ""
        found = Diagnosis(
            kind=self.name,
            meaning="This step came at a moment when it cannot work"
            + (f': "{show(message.split(chr(10))[0], 120)}".' if message else "."),
            look_at="Go through the lines before this one in the order in which they ran.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if (name := scene.facts.get("defined", "")) and "conflicting" not in message:
            found.meaning = f"`{show(name)}` is defined here once more: it is defined already, and may be only once."
            found.look_at = f"Look for the other place that defines `{show(name)}`; both may be one line that is read twice."
            found.causes = ["two things bear one name", "a file is included twice, or by several files that are put together"]
        elif name:
            found.meaning = f"`{show(name)}` is declared in two ways that do not agree."
            found.look_at = f"Compare the places that declare `{show(name)}`: what it takes, and what it gives."
            found.causes = ["it is used before it is declared", "a declaration was not changed with the definition"]
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        if name:
            found.root(file, line, f"`{show(name)}` is defined or declared here too", "declared-too")
            return found
        if "ConcurrentModification" in (scene.jam.exception_type or ""):
            self._changed_inside(scene, found)
        changed = "during iteration" in message or "mutated" in message
        if changed:
            self._copy(scene, found)
        elif "not fitted" in message:
            self._fit(scene, found)
        elif scene.jam.exception_type == "StopIteration" or "StopIteration" in message:
            self._exhausted(scene, found)
        elif "increasing" in message or "duplicate" in message or "sorted" in message or "monotonic" in message:
            origins = trace_names(scene, found, "the values that are not in order come from here")
            if "duplicate" in message:
                self._first_of_each(scene, found, origins)
            elif "increasing" in message or "monotonic" in message:
                self._sort_both(scene, found)
        elif "closed file" in message:
            for part in [p for p in scene.parts_of(scene.frame) if p.sort == "name"][:1]:
                for origin in follow(scene, part, scene.jam.snag or 0)[:1]:
                    found.root_at(origin, "the file is opened, and closed again, here", "opened-closed")
        found.root(file, line, "it fails at this step", "snag")
        return found

    def _changed_inside(self, scene: Scene, found: Diagnosis) -> None:
        """A loop over a collection, and a line in it that takes out or puts in."""
        if scene.frame is None or scene.code is None:
            return
        for loop in scene.code.loops(scene.line)[:1]:
            over = loop.over.source.split(".")[0] if loop.over is not None else ""
            for number in range(loop.span.line, loop.span.end_line + 1):
                row = scene.row(scene.frame.file, number)
                if any(f"{over}.{word}(" in row for word in ("remove", "add", "put", "clear", "removeAll", "addAll")):
                    found.root(
                        scene.frame.file, number, f"`{over}` is changed here while the loop goes through it", "changed-in-loop"
                    )

    def _first_of_each(self, scene: Scene, found: Diagnosis, origins: list[Origin]) -> None:
        """Some labels stand there twice: keep the first of each where the tables were put one below the other."""
        for origin in origins:
            code = scene.sources.code(origin.file, scene.jam.runtime)
            calls = [
                call
                for step in origin.steps
                for call in (code.calls("concat") if code is not None else ())
                if step.file == origin.file and call.span.line <= step.line <= call.span.end_line
            ]
            if origin.part is not None and origin.part.called == "concat":
                calls.append(origin.part)
            for call in calls[:1]:
                found.key(
                    "first-of-each",
                    "Keep the first of each label",
                    "some labels stand there twice",
                    [replace(origin.file, call.span.end, ".loc[lambda both: ~both.index.duplicated()]")],
                )

    def _sort_both(self, scene: Scene, found: Diagnosis) -> None:
        """The first argument must rise: sort it, and the second along with it."""
        call = next((p for p in scene.parts_of(scene.frame) if p.sort == "call" and len(p.arguments) >= 2), None)
        if call is None or scene.frame is None:
            return
        one, two = call.arguments[0][1], call.arguments[1][1]
        if {one.sort, two.sort} <= {"name", "member", "call"}:
            both = Span(one.span.line, one.span.column, two.span.end_line, two.span.end_column)
            found.key(
                "sort-both",
                f"Sort `{show(one.source)}`, and `{show(two.source)}` along with it",
                f"`{show(one.source)}` must rise from item to item",
                [replace(scene.frame.file, both, f"*zip(*sorted(zip({one.source}, {two.source})))")],
            )

    def _exhausted(self, scene: Scene, found: Diagnosis) -> None:
        """An iterator has nothing more: the line that asked for more is the one to change."""
        inner = next(
            (link.jam.snag_frame for link in scene.jam.chain if link.relation in ("caused-by", "while-handling")), None
        )
        frame = inner or scene.frame
        code = scene.code_of(frame)
        if frame is None or frame.line is None or code is None:
            return
        found.meaning = "`next` was asked for one more value, and there is none left."
        found.look_at = "Count the values that go in: the line takes more of them than there are."
        found.root(frame.file, frame.line, "`next` finds nothing more here", "next")
        function = scene.function_of(frame)
        if function is None or not function.is_generator:
            return
        edits = []
        for call in code.calls("next"):
            statement = code.statement(call.span.line)
            simple = statement is not None and len(statement.targets) == 1 and statement.targets[0].sort == "name"
            if not function.span.holds(call.span) or statement is None or not simple or len(call.arguments) != 1:
                continue
            name = statement.targets[0].name
            line = f"\n{statement.indent}if {name} is None:\n{statement.indent}    return"
            spot = Span(call.span.end_line, call.span.end_column - 1, call.span.end_line, call.span.end_column - 1)
            end = scene.row(frame.file, statement.span.end_line)
            at = Span(statement.span.end_line, len(end) + 1, statement.span.end_line, len(end) + 1)
            edits += [replace(frame.file, spot, ", None"), replace(frame.file, at, line)]
        if edits:
            found.key(
                "end-when-empty", "Let the function end when nothing is left", "`next(..., None)` gives None at the end", edits
            )

    def _copy(self, scene: Scene, found: Diagnosis) -> None:
        """Go through a copy of the collection that the loop changes."""
        if scene.frame is None or scene.code is None:
            return
        file = scene.frame.file
        for loop in scene.code.loops(scene.line)[:1]:
            if loop.over is not None:
                found.meaning = (
                    f"The loop on line {loop.span.line} goes through `{show(loop.over.source)}` and "
                    f"changes it at the same time."
                )
                found.root(file, loop.span.line, "this loop changes what it goes through", "loop-changes")
                found.key(
                    "go-through-copy",
                    f"Go through a copy: `list({show(loop.over.source)})`",
                    "the copy stays as it is while the original changes",
                    [wrap(file, loop.over, "list({0})")],
                )
                return
        inside = next((p for p in scene.parts_of(scene.frame) if p.sort == "comprehension"), None)
        over = inside.child("iterable") if inside is not None else None
        if over is not None:
            found.key(
                "go-through-copy",
                f"Go through a copy: `list({show(over.source)})`",
                "the copy stays as it is while the original changes",
                [wrap(file, over, "list({0})")],
            )

    def _fit(self, scene: Scene, found: Diagnosis) -> None:
        """Fit first: in one call where the object is a transformer."""
        for part in scene.parts_of(scene.frame):
            callee = part.child("callee") if part.sort == "call" else None
            if callee is not None and callee.name == "transform" and callee.name_span is not None and scene.frame is not None:
                found.key(
                    "fit-and-transform",
                    f"Fit and transform in one: `{show(callee.source)[:-9]}fit_transform(...)`",
                    "it has not seen any data yet",
                    [replace(scene.frame.file, callee.name_span, "fit_transform")],
                )


KIND = WrongOrder()
