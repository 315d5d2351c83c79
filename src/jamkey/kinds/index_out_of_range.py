"""An index points past the end of what is there."""

from __future__ import annotations

from jamkey.follow.origins import argument_for, follow
from jamkey.follow.scene import Scene
from jamkey.follow.suspect import index_part
from jamkey.kinds.base import Diagnosis, show, trace_names
from jamkey.languages.base import Part

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
        found = Diagnosis(avoid=self.avoid, causes=list(self.usual))
        if scene.frame is None:
            found.meaning = self.about
            return found
        part = index_part(scene)
        container = part.child("object") if part is not None else None
        key = part.child("key") if part is not None else None
        length = getattr(scene.value(container.source), "length", None) if container is not None else None
        at = scene.value(key.source) if key is not None else None
        if container is not None and key is not None:
            shown = f"`{show(container.source)}`"
            number = f" ({at.text})" if at is not None and at.text != key.source else ""
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
        self._follow_index(scene, found, container, key)
        if part is None:
            trace_names(scene, found, "a value that the call was given comes from here", 0.58)
        found.root(scene.frame.file, scene.line, "the index is too large for what is there", 0.55)
        return found

    def _loop(self, scene: Scene, found: Diagnosis, key: Part | None) -> bool:
        """Find the loop that makes the index, which may lie in a caller; tell whether there is one."""
        if key is None or scene.frame is None:
            return False
        names = {inner.name for inner in key.walk() if inner.sort == "name"}
        statement = scene.statement_of(scene.frame)
        for top in statement.parts if statement is not None else ():
            for made in [part for part in top.walk() if part.sort == "comprehension" and part.span.holds(key.span)]:
                if {inner.name for target in made.in_role("target") for inner in target.walk()} & names:
                    found.root(scene.frame.file, scene.line, "this loop runs the index too far", 0.87)
                    return True
        index = scene.jam.snag
        while index is not None and names:
            frame = scene.jam.frames[index]
            code = scene.code_of(frame)
            for loop in code.loops(frame.line) if code is not None and frame.line else ():
                bound = loop.target if loop.sort == "for" else loop.condition
                if bound is not None and {inner.name for inner in bound.walk()} & names:
                    found.root(frame.file, loop.span.line, "this loop runs the index too far", 0.87)
                    return True
            names = self._outward(scene, index, names)
            index = scene.caller_index(index)
        return False

    def _outward(self, scene: Scene, index: int, names: set[str]) -> set[str]:
        """Translate parameter names into the names in the caller's argument."""
        function = scene.function_of(scene.jam.frames[index])
        outer = scene.caller_index(index)
        if function is None or outer is None:
            return set()
        call = next((part for part in scene.parts_of(scene.jam.frames[outer]) if part.called == function.name), None)
        given = (
            [argument_for(function, call, param.name)[0] for param in function.params if param.name in names] if call else []
        )
        return {inner.name for argument in given if argument is not None for inner in argument.walk() if inner.sort == "name"}

    def _follow_index(self, scene: Scene, found: Diagnosis, container: Part | None, key: Part | None) -> None:
        if key is None or scene.frame is None or key.sort == "literal":
            return
        for origin in follow(scene, key, scene.jam.snag or 0)[:2]:
            if (origin.file, origin.line) != (scene.frame.file, scene.line):
                found.root_at(origin, f"the index `{show(key.source)}` comes from here", 0.52)


KIND = IndexOutOfRange()
