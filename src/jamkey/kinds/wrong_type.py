"""A value of one sort stands where another sort is needed."""

from __future__ import annotations

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.suspect import operand_of_type
from jamkey.kinds.base import Diagnosis, an, replace, show
from jamkey.languages.base import Part

_NUMBERS = ("int", "float", "numpy.float64", "numpy.int64", "Decimal", "complex", "bool")


class WrongType:
    """See the module."""

    name = "wrong-type"
    title = "a value of the wrong sort"
    about = (
        "An operation got a value of a sort it cannot work with: text where a number belongs, one thing where several "
        "are needed, a function instead of its result."
    )
    usual = (
        "text that was typed or read from a file is used as a number",
        "text and a number are joined without turning the number into text",
        "the parentheses of a call were forgotten, so the function itself is used",
        "one value stands where a list is expected, or the other way round",
    )
    avoid = "Turn text into numbers at the place where it enters the program, not where it is used."
    example = 'frames = 10\nprint("frames: " + frames)\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Find the value of the wrong sort, and decide where to convert it."""
        facts = scene.facts
        left, right = facts.get("left", ""), facts.get("right", "")
        found = Diagnosis(avoid=self.avoid, causes=list(self.usual))
        if right and not left:
            left = "str" if "str" in (scene.jam.wording or "").replace(f"'{right}'", "") else left
        operator, left, right = _pair(scene, facts.get("operator", ""), left, right)
        if operator and (left or right):
            one, other = (an(side) if side else "something else" for side in (left, right))
            found.meaning = f"`{operator}` stands between {one} and {other}, and it cannot work on that pair."
            found.look_at = f"Look at both sides of `{operator}`: which of them is not what you meant it to be?"
        elif facts.get("given") and facts.get("wanted"):
            one, other = an(facts["given"]), an(facts["wanted"])
            found.meaning = f"{one[0].upper()}{one[1:]} stands where {other} is wanted, and does not become one by itself."
            found.look_at = "Decide which of the two it should be, and convert it, or declare it so."
        else:
            kind = facts.get("type") or right or left
            found.meaning = (
                f"{an(kind)[0].upper()}{an(kind)[1:]} is used here in a way that {an(kind)} does not allow."
                if kind
                else "What this line works on is of a sort that it cannot work with."
            )
            found.look_at = "Print the value and its type just before this line."
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        parts = scene.parts_of(scene.frame)
        if operator and {left, right} & {"str"} and {left, right} & set(_NUMBERS):
            self._from_text(scene, found, parts, {"operator": operator, "left": left, "right": right})
        self._function_itself(scene, found, parts)
        found.root(file, line, "the value has the wrong sort here", 0.6)
        return found

    def _from_text(self, scene: Scene, found: Diagnosis, parts: list[Part], met: dict[str, str]) -> None:
        """Text meets a number: where the text comes from."""
        text = operand_of_type(scene, parts, "str", met)
        for rank, origin in enumerate(follow(scene, text, scene.jam.snag or 0, want="text")[:3] if text is not None else ()):
            if origin.sort in ("typed", "literal", "read", "open", "computed"):
                written = origin.part is not None and origin.part.sort == "text"
                reason = (
                    f"{show(origin.part.source)} is written as text here"
                    if written and origin.part
                    else "the text comes from here"
                )
                found.root_at(origin, reason, 0.8 - 0.05 * rank)

    def _function_itself(self, scene: Scene, found: Diagnosis, parts: list[Part]) -> None:
        """A function is used instead of its result."""
        kinds = {scene.facts.get("type", ""), scene.facts.get("left", ""), scene.facts.get("right", "")}
        if not kinds & {"builtin_function_or_method", "method", "function", "type"} or scene.frame is None:
            return
        statement = scene.statement_of(scene.frame)
        tops = statement.parts if statement is not None else ()
        names = [p for t in tops for p in t.walk() if p.sort in ("name", "member")]
        called = {p.child("callee") for t in tops for p in t.walk() if p.sort == "call"}
        for part in [*parts, *names]:
            if part.sort not in ("name", "member") or part in called:
                continue
            if part.sort == "member" and scene.value(part.source) is None:
                found.key(
                    "call-it",
                    f"Call it: `{show(part.source)}()`",
                    "without parentheses it is the function itself",
                    0.85,
                    [replace(scene.frame.file, part.span.end, "()")],
                )


def _pair(scene: Scene, operator: str, left: str, right: str) -> tuple[str, str, str]:
    """Return the operator and the types that met, from the source and the captured values where the message is silent."""
    fitting: list[tuple[str, str, str, bool]] = []
    for part in [part for part in scene.parts_of(scene.frame) if part.sort in ("binary", "compare")]:
        sides = [scene.value(side.source) if side is not None else None for side in (part.child("left"), part.child("right"))]
        one, other = (value.type if value is not None else "" for value in sides)
        denied = operator not in ("", part.name) or (one and left not in ("", one)) or (other and right not in ("", other))
        if not denied:
            fitting.append((part.name, left or one, right or other, bool(one and other)))
    # of several operators on the line the one whose both sides were captured, if it is one
    fitting = fitting if len(fitting) == 1 else [found for found in fitting if found[3]]
    if len(fitting) == 1:
        return fitting[0][:3]
    return operator or ("+" if "concatenate" in (scene.jam.wording or "") else ""), left, right


KIND = WrongType()
