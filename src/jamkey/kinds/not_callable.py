"""Something is called that is not a function."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, an, show
from jamkey.languages.base import Part


class NotCallable:
    """See the module."""

    name = "not-callable"
    title = "a call of something that is no function"
    about = "Round brackets behind a value call it, and this value is not a function."
    usual = (
        "round brackets were written instead of square ones",
        "a variable has taken the name of a function",
        "an operator or a comma is missing before the bracket",
        "the function's name is misspelt, or it is not exported",
    )
    avoid = "Do not give variables the names of functions, and use square brackets to take an item."
    example = "kilos = 31.2\nprint(kilos(1))\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Tell square brackets meant from a hidden function and a misspelt one."""
        kind = scene.facts.get("type", "")
        named = scene.facts.get("name", "")
        call = self._call(scene, named)
        callee = call.child("callee") if call is not None else None
        shown = show(callee.source) if callee is not None else named or "what stands before the bracket"
        found = Diagnosis(
            meaning=f"`{shown}` is {an(kind) if kind else 'not a function'}, so it cannot be called with round brackets.",
            look_at=f"Look where `{shown}` got its value, and whether square brackets were meant.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        if callee is not None:
            self._hidden(scene, found, callee, file)
        found.root(file, line, f"`{shown}` is called here", 0.65)
        return found

    def _call(self, scene: Scene, named: str) -> Part | None:
        calls = [part for part in scene.parts_of(scene.frame) if part.sort == "call"]
        for part in calls:
            callee = part.child("callee")
            if callee is not None and named and callee.source == named:
                return part
        return calls[0] if calls else None

    def _hidden(self, scene: Scene, found: Diagnosis, callee: Part, file: str) -> None:
        """A variable bears a builtin's or an own function's name: rename the variable."""
        language, code = scene.language, scene.code
        if callee.sort != "name" or code is None or language is None or callee.name not in language.builtins:
            return
        definitions = [d for d in code.definitions(callee.name) if d.sort in ("assigned", "loop", "parameter")]
        if not definitions:
            return
        first = definitions[0]
        found.root(file, first.span.line, f"this gives the name of the function `{callee.name}` to a variable", 0.88)


KIND = NotCallable()
