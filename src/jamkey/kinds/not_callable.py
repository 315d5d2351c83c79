"""Something is called that is not a function."""

from __future__ import annotations

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import Diagnosis, an, rename, replace, show
from jamkey.languages.base import Part, Span
from jamkey.languages.members import own_members

_BEFORE = "what stands before the bracket"


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
        shown = f"`{show(callee.source) if callee is not None else named}`" if callee is not None or named else _BEFORE
        found = Diagnosis(
            kind=self.name,
            meaning=f"{shown} is {an(kind) if kind else 'not a function'}, so it cannot be called with round brackets.",
            look_at=f"Look where {shown} got its value, and whether square brackets were meant.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if call is None and named and kind:
            found.meaning = f"{an(kind)[0].upper()}{an(kind)[1:]} is called here, as {named}, and it is not a function."
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        if call is not None and callee is not None:
            if kind in ("list", "dict", "tuple", "str") and call.arguments:
                inside = ", ".join(argument.source for _, argument in call.arguments)
                place = Span(callee.span.end_line, callee.span.end_column, call.span.end_line, call.span.end_column)
                found.key(
                    "square-brackets",
                    f"Use square brackets: `{show(callee.source)}[{show(inside)}]`",
                    f"`{shown}` is {an(kind)}; its items are taken with square brackets",
                    [replace(file, place, f"[{inside}]")],
                )
            elif not call.arguments and kind:
                found.key(
                    "without-call",
                    f"Leave the brackets out: `{show(callee.source)}`",
                    f"`{shown}` is a value, not a function",
                    [replace(file, call.span, callee.source)],
                )
            self._hidden(scene, found, callee, file)
            self._slip(scene, found, callee, file)
            if kind in ("int", "float") and callee.sort == "literal":
                found.key(
                    "multiply",
                    f"Write the multiplication out: `{show(callee.source)} * (...)`",
                    "a number before a bracket does not multiply by itself",
                    [replace(file, callee.span.end, " * ")],
                )
        found.root(file, line, f"{shown} is called here", "snag")
        return found

    def _call(self, scene: Scene, named: str) -> Part | None:
        calls = [part for part in scene.parts_of(scene.frame) if part.sort == "call"]
        for part in calls:
            callee = part.child("callee")
            if callee is not None and named and callee.source == named:
                return part
        # what the message names may be called by no call that stands there
        last = named.rpartition(".")[2]
        return calls[0] if calls and last in scene.row(scene.frame.file if scene.frame else "", scene.line) else None

    def _hidden(self, scene: Scene, found: Diagnosis, callee: Part, file: str) -> None:
        """A variable bears a builtin's or an own function's name: rename the variable."""
        language, code = scene.language, scene.code
        if callee.sort != "name" or code is None or language is None or callee.name not in language.builtins:
            return
        definitions = [d for d in code.definitions(callee.name) if d.sort in ("assigned", "loop", "parameter")]
        calls = {(c.span.line, c.span.column) for c in code.calls(callee.name)}
        if not definitions:
            return
        first = definitions[0]
        new = f"{callee.name}_value"
        spans = [span for span in code.uses(callee.name) if (span.line, span.column) not in calls]
        found.root(file, first.span.line, f"this gives the name of the function `{callee.name}` to a variable", "rebound")
        found.key(
            "rename-variable",
            f"Call the variable `{new}`",
            f"`{callee.name}` is a function's name; the variable hides it",
            rename(file, spans, new),
        )

    def _slip(self, scene: Scene, found: Diagnosis, callee: Part, file: str) -> None:
        """The member is absent, and one like it is there (languages where that reads as nothing)."""
        if scene.traits.absent_member_fails or callee.sort != "member" or callee.name_span is None:
            return
        known: set[str] = set()
        for _, code in scene.own_codes():
            known |= code.all_members() | {d.name for d in code.definitions() if not d.scope}
        language = scene.language
        known |= {name for names in own_members(language.name).values() for name in names} if language is not None else set()
        for meant, score in nearest(callee.name, known - {callee.name}, most=2):
            for other, code in scene.own_codes():
                if other == file:
                    continue
                for definition in code.members(meant):
                    if definition.sort == "member":
                        found.root(other, definition.span.line, f"given out here as `{meant}`", "given-out", near=score)
                        found.key(
                            f"give-out-{callee.name}",
                            f"Give it out as `{callee.name}` (line {definition.span.line} of {other})",
                            f"it is called `{callee.name}` where it is used",
                            rename(other, [definition.span], callee.name),
                            near=score,
                        )
            found.key(
                f"meant-{meant}",
                f"Write `{meant}` instead of `{callee.name}`",
                f"`{meant}` exists and differs only a little",
                [replace(file, callee.name_span, meant)],
                near=score,
            )
        for origin in follow(scene, callee, scene.jam.snag or 0)[:1]:
            found.root_at(origin, f"`{show(callee.source)}` got its value here", "from")


KIND = NotCallable()
