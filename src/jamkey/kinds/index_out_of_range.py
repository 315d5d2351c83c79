"""An index points past the end of what is there."""

from __future__ import annotations

from jamkey.follow.origins import Origin, follow
from jamkey.follow.scene import Scene
from jamkey.follow.suspect import index_part
from jamkey.kinds.base import Diagnosis, idioms_of, replace, show, trace_names, wrap
from jamkey.languages.base import Loop, Part, Span

#: Causes that the source or the captured length can deny.
ONE_TOO_FAR = "a loop runs one step too far, or looks one item ahead in its last round"
EMPTY = "the list is empty, because nothing was found or read"


class IndexOutOfRange:
    """See the module."""

    name = "index-out-of-range"
    title = "an index past the end"
    about = (
        "An item is asked for at a place that the list does not have. With n items and counting from 0, the last "
        "place is n - 1."
    )
    usual = (
        ONE_TOO_FAR,
        "the length itself is used as an index",
        EMPTY,
        "counting starts at 1 in one place and at 0 in another",
    )
    avoid = "Loop over the items themselves instead of over indices, and think of the empty list and the last round."
    example = "weights = [31.2, 30.8]\nprint(weights[2])\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Compare the index with the length, and find the loop or the source of the empty list."""
        found = Diagnosis(kind=self.name, avoid=self.avoid, causes=list(self.usual))
        if scene.frame is None:
            found.meaning = "An item is asked for at a place that the list does not have."
            index, size = scene.facts.get("index", ""), scene.facts.get("size", "")
            if index and size.isdigit():
                found.meaning = f"Item {show(index, 20)} is asked for, where there are {size}."
            first, last = (1, "n") if scene.traits.first_place == 1 else (0, "n - 1")
            found.meaning += f" Places count from {first}: of n items the last one is at place {last}."
            return found
        part = index_part(scene)
        container = part.child("object") if part is not None else None
        key = part.child("key") if part is not None else None
        length = getattr(scene.value(container.source), "length", None) if container is not None else None
        at = scene.value(key.source) if key is not None else None
        if container is not None and key is not None:
            shown = f"`{show(container.source)}`"
            number = at.text if at is not None else scene.facts.get("index", key.source)
            number = f" ({number})" if number != key.source else ""
            size = f"has {length} item{'s' if length != 1 else ''}" if length is not None else "has no item there"
            if length == 0:
                size = "is empty"
            found.meaning = f"{shown} {size}, and the line asks for item `{show(key.source)}`{number}."
            if length:
                found.meaning += f" The last place is {length - 1 + scene.traits.first_place}."
            found.look_at = f"Compare `{show(key.source)}` with the length of {shown}"
        else:
            found.meaning = "The line takes an item out of something that has none left, or none at that place."
            found.look_at = "Check how many items there are, and how often the line runs."
        looped = self._loop(scene, found, key)
        if container is not None and key is not None:
            found.look_at += " in the last round of the loop." if looped else "."
            away = {ONE_TOO_FAR: not looped, EMPTY: bool(length)}
            found.causes = [cause for cause in found.causes if not away.get(cause)]
        self._length_as_index(scene, found, container, key)
        self._exhausted(scene, found)
        self._follow_index(scene, found, container, key)
        if part is None:
            for origin in trace_names(scene, found, "a value that the call was given comes from here"):
                self._one_less(scene, found, origin)
        found.root(scene.frame.file, scene.line, "the index is too large for what is there", "snag")
        return found

    def _loop(self, scene: Scene, found: Diagnosis, key: Part | None) -> bool:
        """Shorten the loop that runs the index too far, which may lie in a caller; tell whether there is one."""
        if key is None or scene.frame is None or scene.jam.snag is None:
            return False
        names = {inner.name for inner in key.walk() if inner.sort == "name"}
        ahead = _ahead(key)
        for made in [p for p in self._comprehensions(scene) if p.span.holds(key.span)]:
            for role_place, (role, item) in enumerate(made.children):
                if role == "target" and {inner.name for inner in item.walk()} & names:
                    over = made.children[role_place + 1][1]
                    loop = Loop("for", made.span, item, over, None)
                    self._shorten(found, scene.frame.file, loop, ahead)
                    return True
        index: int | None = scene.jam.snag
        while index is not None and names:
            frame = scene.jam.frames[index]
            code = scene.code_of(frame)
            for loop in code.loops(frame.line) if code is not None and frame.line else ():
                target = {inner.name for inner in loop.target.walk()} if loop.target is not None else set()
                if loop.sort == "for" and target & names and loop.over is not None:
                    self._shorten(found, frame.file, loop, ahead)
                    return True
                if (
                    loop.sort == "while"
                    and loop.condition is not None
                    and {inner.name for inner in loop.condition.walk()} & names
                ):
                    self._tighten(scene, found, frame.file, loop)
                    return True
            names, ahead = self._outward(scene, index, names, ahead)
            index = scene.caller_index(index)
        return False

    def _comprehensions(self, scene: Scene) -> list[Part]:
        statement = scene.statement_of(scene.frame)
        tops = statement.parts if statement is not None else ()
        return [part for top in tops for part in top.walk() if part.sort == "comprehension"]

    def _outward(self, scene: Scene, index: int, names: set[str], ahead: int) -> tuple[set[str], int]:
        """Translate parameter names into the names in the caller's argument."""
        from jamkey.follow.origins import argument_for

        function = scene.function_of(scene.jam.frames[index])
        outer = scene.caller_index(index)
        if function is None or outer is None:
            return set(), ahead
        call = next((part for part in scene.parts_of(scene.jam.frames[outer]) if part.called == function.name), None)
        if call is None:
            return set(), ahead
        outward: set[str] = set()
        for name in names & {param.name for param in function.params}:
            argument, _ = argument_for(function, call, name)
            if argument is not None:
                outward |= {inner.name for inner in argument.walk() if inner.sort == "name"}
                ahead = max(ahead, ahead + _ahead(argument))
        return outward, ahead

    def _shorten(self, found: Diagnosis, file: str, loop: Loop, ahead: int) -> None:
        over = loop.over
        if over is None or over.sort != "call" or over.called != "range":
            return
        arguments = [argument for _, argument in over.arguments]
        if not arguments:
            return
        stop = arguments[1] if len(arguments) > 1 else arguments[0]
        found.root(file, loop.span.line, f"`{show(over.source)}` runs the index too far", "loop-range", column=over.span.column)
        reason = "in the last round the line looks past the end" if ahead else "the loop runs past the last place"
        if stop.sort == "binary" and stop.name in ("+", "-"):
            left, right = stop.child("left"), stop.child("right")
            step = int(right.source) if right is not None and right.source.isdigit() else None
            if left is not None and step is not None:
                net = step if stop.name == "+" else -step
                for change in (1, 2):
                    new = net - change
                    text = left.source + (f" + {new}" if new > 0 else f" - {-new}" if new < 0 else "")
                    found.key(
                        f"shorter-by-{change}",
                        f"Let the loop end earlier: `range` up to `{text}`",
                        reason,
                        [replace(file, stop.span, text)],
                        rank=change - 1,
                    )
                return
        less = max(ahead, 1)
        if stop.sort == "literal" and stop.source.isdigit():
            found.key(
                "shorter-by-1",
                f"Let the loop end earlier: up to `{int(stop.source) - less}`",
                reason,
                [replace(file, stop.span, str(int(stop.source) - less))],
            )
            return
        found.key(
            f"shorter-by-{less}",
            f"Let the loop end earlier: `range` up to `{show(stop.source)} - {less}`",
            reason,
            [replace(file, stop.span.end, f" - {less}")],
        )

    def _tighten(self, scene: Scene, found: Diagnosis, file: str, loop: Loop) -> None:
        condition = loop.condition
        if condition is None:
            return
        for part in condition.walk():
            left, right = part.child("left"), part.child("right")
            if part.sort != "compare" or left is None or right is None or part.name not in ("<=", ">="):
                continue
            strict = part.name[0]
            found.root(file, loop.span.line, f"`{show(part.source)}` lets the loop go one round too far", "loop-bound")
            found.key(
                "strict-bound",
                f"Write `{show(left.source)} {strict} {show(right.source)}`",
                f"with `{part.name}` the loop runs once more than there are items",
                [replace(file, part.span, f"{left.source} {strict} {right.source}")],
            )

    def _length_as_index(self, scene: Scene, found: Diagnosis, container: Part | None, key: Part | None) -> None:
        if container is None or key is None or scene.frame is None:
            return
        if key.source in (f"len({container.source})", f"{container.source}.length"):
            found.key(
                "last-place",
                f"Write `{container.source}[{key.source} - 1]`",
                "the last place is the length less one",
                [replace(scene.frame.file, key.span.end, " - 1")],
            )
            found.key(
                "first-place",
                f"Write `{container.source}[0]`",
                "the first place is 0",
                [replace(scene.frame.file, key.span, "0")],
            )

    def _exhausted(self, scene: Scene, found: Diagnosis) -> None:
        """Something is taken out in a loop until nothing is left."""
        if scene.frame is None:
            return
        taking = next((part for part in scene.parts_of(scene.frame) if part.called in ("pop", "popleft", "choice")), None)
        callee = taking.child("callee") if taking is not None else None
        owner = callee.child("object") if callee is not None and callee.sort == "member" else None
        code = scene.code
        loops = code.loops(scene.line) if code is not None else []
        if owner is None or not loops:
            return
        loop = loops[0]
        found.root(
            scene.frame.file, loop.span.line, f"this loop takes more out of `{owner.source}` than is in it", "loop-takes"
        )
        if loop.sort == "while" and loop.condition is not None:
            self._tighten(scene, found, scene.frame.file, loop)
            found.key(
                "while-something-left",
                f"Go on only while `{owner.source}` holds something",
                f"`{owner.source}` is empty before the loop ends",
                [
                    replace(scene.frame.file, loop.condition.span, owner.source)
                    if loop.condition.source == idioms_of(scene).true
                    else replace(scene.frame.file, loop.condition.span.end, f" and {owner.source}")
                ],
            )
        elif loop.sort == "for" and loop.over is not None and loop.target is not None:
            head = scene.row(scene.frame.file, loop.span.line)
            start = loop.span.column
            colon = head.rstrip().rfind(":")
            used = any(inner.name == loop.target.name for part in scene.parts_of(scene.frame) for inner in part.walk())
            if colon > 0 and not used:
                place = Span(loop.span.line, start, loop.span.line, colon + 1)
                found.key(
                    "while-something-left",
                    f"Loop while `{owner.source}` holds something",
                    "the number of rounds then fits what is there",
                    [replace(scene.frame.file, place, f"while {owner.source}")],
                )

    def _one_less(self, scene: Scene, found: Diagnosis, origin: Origin) -> None:
        """A number of axes or items is handed over where a place is wanted; places count from 0."""
        axis, size = scene.facts.get("axis", ""), scene.facts.get("size", "")
        if origin.part is None or origin.part.source != axis or axis != size:
            return
        for step in origin.steps:
            code = scene.sources.code(step.file, scene.jam.runtime)
            statement = code.statement(step.line) if step.what == "passed" and code is not None else None
            for call in [p for top in (statement.parts if statement else ()) for p in top.walk() if p.sort == "call"]:
                for _, argument in call.arguments:
                    if argument.sort == "name" and argument.source == origin.name:
                        found.key(
                            f"one-less-{argument.source}",
                            f"Hand over `{argument.source} - 1`",
                            "places count from 0",
                            [wrap(step.file, argument, "{0} - 1")],
                        )

    def _follow_index(self, scene: Scene, found: Diagnosis, container: Part | None, key: Part | None) -> None:
        if key is None or scene.frame is None or key.sort == "literal":
            return
        for origin in follow(scene, key, scene.jam.snag or 0)[:2]:
            if (origin.file, origin.line) != (scene.frame.file, scene.line):
                found.root_at(origin, f"the index `{show(key.source)}` comes from here", "from")


def _ahead(key: Part) -> int:
    """Return how far an index expression looks ahead: 1 for `i + 1`."""
    right = key.child("right")
    if key.sort == "binary" and key.name == "+" and right is not None and right.source.isdigit():
        return int(right.source)
    return 0


KIND = IndexOutOfRange()
