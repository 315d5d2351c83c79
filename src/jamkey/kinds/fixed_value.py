"""Something is to be changed that cannot change."""

from __future__ import annotations

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, an, idioms_of, replace, show
from jamkey.languages.base import Part, Span


class FixedValue:
    """See the module."""

    name = "fixed-value"
    title = "a change of something that cannot change"
    about = "Some values are fixed once made: texts, tuples, constants, read-only fields. One makes a new one instead."
    usual = (
        "a tuple was made where a list was meant",
        "a character of a text is assigned",
        "a constant is given a second value",
        "a property can be read only",
    )
    avoid = "Use a list for what will change, and build a new text instead of changing an old one."
    example = 'hive = ("oak", 31.2)\nhive[1] = 30.8\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Find where the fixed thing was made, and make it one that can change."""
        kind = scene.facts.get("type", "")
        statement = scene.statement_of(scene.frame)
        target = next((t for t in statement.targets if t.sort in ("index", "member")), None) if statement else None
        owner = target.child("object") if target is not None else None
        name = show(owner.source) if owner is not None else scene.facts.get("name", "")
        shown = f"`{name}`" if name else "what it changes"
        what = f"{shown} is {an(kind)}" if kind else f"{shown} is fixed"
        part = "a part of something" if owner is not None else "something"
        found = Diagnosis(
            kind=self.name,
            meaning=f"The line changes {part}, but {what}, and that cannot be changed once it is made.",
            look_at=f"Find where {shown} is made, and decide whether it should be something that can change.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        idioms = idioms_of(scene)
        if idioms.constant_word:
            self._constant(scene, found, file, line)
        if owner is not None and kind == "tuple":
            self._tuple(scene, found, owner)
        if owner is not None and kind == "str" and target is not None and statement is not None:
            self._text(scene, found, file, owner, target, statement.parts[-1] if statement.parts else None)
        found.root(file, line, "this line tries the change", "snag")
        return found

    def _constant(self, scene: Scene, found: Diagnosis, file: str, line: int) -> None:
        """A name declared as a constant is assigned again: declare it as a variable."""
        code = scene.code
        idioms = idioms_of(scene)
        if code is None:
            return
        statement = code.statement(line)
        names = [part.name for part in statement.parts if part.sort == "name"] if statement is not None else []
        for name in dict.fromkeys([scene.facts.get("name", ""), *names]):
            for definition in code.reaching(name, line) if name else ():
                row = scene.row(file, definition.span.line)
                at = row.find(idioms.constant_word + " ")
                if definition.span.line == line or at < 0 or at > definition.span.column:
                    continue
                place = Span(definition.span.line, at + 1, definition.span.line, at + 1 + len(idioms.constant_word))
                found.root(file, definition.span.line, f"`{name}` is declared as a constant here", "constant")
                found.look_at = f"Decide whether `{name}` should be a variable, or the new value another name."
                found.meaning = f"`{name}` was declared with `{idioms.constant_word}`, and such a name keeps its first value."
                found.key(
                    "declare-variable",
                    f"Declare `{name}` with `{idioms.variable_word}`",
                    f"`{name}` gets another value on line {line}",
                    [replace(file, place, idioms.variable_word)],
                )
                return

    def _tuple(self, scene: Scene, found: Diagnosis, owner: Part) -> None:
        for rank, origin in enumerate(follow(scene, owner, scene.jam.snag or 0)[:3]):
            part = origin.part
            if part is None or (part.sort != "tuple" and part.called != "tuple"):
                continue
            found.root_at(origin, "it is made as a tuple here, which is fixed", "tuple", rank=rank)
            if part.sort == "tuple":
                inner = part.source
                inner = inner[1:-1] if inner.startswith("(") and inner.endswith(")") else inner
                new = f"[{inner.rstrip().rstrip(',')}]"
            else:
                new = "list" + part.source[5:]
            found.key(
                "make-list",
                f"Make it a list: `{show(new)}`",
                "a list can be changed, a tuple cannot",
                [replace(origin.file, part.span, new)],
                rank=rank,
            )

    def _text(self, scene: Scene, found: Diagnosis, file: str, owner: Part, target: Part, value: Part | None) -> None:
        key = target.child("key")
        statement = scene.statement_of(scene.frame)
        if key is None or value is None or statement is None or key.sort == "slice":
            return
        after = f"{owner.source}[{key.source} + 1:]" if not key.source.isdigit() else f"{owner.source}[{int(key.source) + 1}:]"
        new = f"{owner.source} = {owner.source}[:{key.source}] + {value.source} + {after}"
        found.key(
            "new-text",
            f"Build a new text: `{show(new)}`",
            "a text cannot be changed in place",
            [replace(file, statement.span, new)],
        )


KIND = FixedValue()
