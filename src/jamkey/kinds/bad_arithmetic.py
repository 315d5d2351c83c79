"""A calculation that has no result."""

from __future__ import annotations

import re

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.suspect import divisors
from jamkey.kinds.base import Diagnosis, an, idioms_of, show, wrap
from jamkey.languages.base import Part

#: What the signal is called that is sent for whole numbers, which have a result but for a division by zero.
_SIGNALS = ("SIGFPE", "FPE", "Floating point exception", "Arithmetic exception")


#: Words of a division by zero, or the division written out.
_BY_ZERO = re.compile(r"zero|[/%]0\b")


class BadArithmetic:
    """See the module."""

    name = "bad-arithmetic"
    title = "a calculation without a result"
    about = (
        "The numbers that came together on this line have no result: a division by zero, a root of a "
        "negative number, a number too large."
    )
    usual = (
        "the thing counted or summed is empty, so its number is zero",
        "a value in the data or settings is zero",
        "a number has the wrong unit or sign",
    )
    avoid = "Ask what the result shall be for none, one and all, and decide it before dividing."
    example = "weights = []\nprint(sum(weights) / len(weights))\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Follow the zero (or the number too large) back to where it came from."""
        message = scene.jam.wording or ""
        zero = (
            _BY_ZERO.search(message) is not None
            or (scene.jam.exception_type or "").startswith("ZeroDivision")
            or message == "float modulo"
        )
        found = Diagnosis(kind=self.name, avoid=self.avoid, causes=list(self.usual))
        if scene.frame is None:
            found.meaning = self.about
            return found
        file, line = scene.frame.file, scene.line
        parts = divisors(scene)
        part = parts[0] if parts else None
        held = scene.value(part.source) if part is not None else None
        # a signal says less than the values
        zero = zero or (_is_signal(scene) and part is not None if held is None else held.text in ("0", "0.0"))
        if not zero:
            self._domain(scene, found)
            found.root(file, line, "the calculation has no result here", "no-result")
            return found
        if part is not None and part.sort == "literal":
            found.meaning = f"The line divides by {part.source} itself, and nothing can be divided by zero."
            found.look_at = "Write what it is to be divided by."
            found.root(file, line, "the zero is written here", "written-here")
            return found
        shown = f"`{show(part.source)}`" if part is not None else "the divisor"
        if len(parts) > 1:
            shown = f"{shown} or {'another' if len(parts) > 2 else f'`{show(parts[1].source)}`'}"
        found.meaning = f"{shown} is zero at this moment, and nothing can be divided by zero."
        found.look_at = f"Find out when {shown} can be zero, and what the result shall be then."
        if part is not None:
            want = "empty" if part.called == "len" else "zero"
            origins = follow(scene, part, scene.jam.snag or 0, want=want)
            for rank, origin in enumerate(origins[:3]):
                if origin.sort in ("literal", "default", "typed") and (origin.file, origin.line) != (file, line):
                    found.root_at(
                        origin, f"the {'empty list' if want == 'empty' else 'zero'} is written here", "written", rank=rank
                    )
            self._guard(scene, found, part)
        found.root(file, line, f"{shown} is zero here", "snag")
        return found

    def _guard(self, scene: Scene, found: Diagnosis, part: Part) -> None:
        """Say what the result shall be when there is nothing to divide by."""
        if scene.frame is None:
            return
        idioms = idioms_of(scene)
        file = scene.frame.file
        test = part.source
        if part.called == "len" and part.arguments:
            test = part.arguments[0][1].source
        statement = scene.statement_of(scene.frame)
        division = next((p for p in scene.parts_of(scene.frame) if p.sort == "binary" and p.child("right") == part), None)
        if division is None or not idioms.choice:
            return
        escaped = (test if test != part.source else idioms.not_zero.format(test)).replace("{", "{{").replace("}", "}}")
        if "\n" in test or len(test) > 60:
            return
        # where every value has a type that is declared, nothing is no number
        fillers = (("0", "result-zero"), (idioms.missing, "result-missing"))[: 1 if scene.traits.compiled else 2]
        for filler, known in fillers:
            template = idioms.choice.format("{0}", escaped, filler)
            top = statement.parts[-1] if statement is not None and statement.parts else None
            if (
                top is not None
                and top.span == division.span
                and statement is not None
                and statement.sort in ("return", "assign")
            ):
                edit = wrap(file, division, template)
            else:
                edit = wrap(file, division, f"({template})")
            found.key(
                f"result-{filler}",
                f"Give {filler} when `{show(test)}` is {'empty' if test != part.source else 'zero'}",
                "there is nothing to divide by then",
                [edit],
                known=known,
            )

    def _domain(self, scene: Scene, found: Diagnosis) -> None:
        """A root, a logarithm or a power beyond what numbers allow."""
        if scene.frame is None:
            return
        file = scene.frame.file
        calls = [part for part in scene.parts_of(scene.frame) if part.sort == "call" and part.arguments]
        calls = list(dict.fromkeys(part for part in calls if part.arguments[0][1].sort != "text"))
        words = re.findall(r"\w+", scene.jam.wording or "")
        told = [part for part in calls if part.called in words] or calls
        call = told[0] if len(told) == 1 else None
        argument = call.arguments[0][1] if call is not None else None
        shown = f"`{show(argument.source)}`" if argument is not None else "a number on this line"
        value = scene.value(argument.source) if argument is not None else None
        found.meaning = (
            f"{shown}{f' ({value.text})' if value else ''} is outside of what "
            f"{f'`{call.called}`' if call else 'the calculation'} can work on."
        )
        found.look_at = f"Print {shown}: its sign, its size, its unit."
        if scene.facts.get("value") and scene.facts.get("wanted"):
            number, held_by = scene.facts["value"], scene.facts["wanted"]
            found.meaning = f"`{show(number)}` is to become {an(held_by)} here, and no `{show(held_by)}` has that value."
            found.look_at = f"Decide whether it may be rounded, or what shall hold it instead of {an(held_by)}."
            found.causes = ["a division gives a number with a fraction", "a number is too large, or below zero"]
        within = [argument] if argument is not None else [each.arguments[0][1] for each in calls[:1]]
        names = [inner for each in within for inner in each.walk() if inner.sort == "name"]
        for inner in names:
            for origin in follow(scene, inner, scene.jam.snag or 0)[:2]:
                if origin.steps and (origin.file, origin.line) != (file, scene.line):
                    passed = next((step for step in origin.steps if step.what == "passed"), None)
                    if passed is not None and "LinAlg" not in (scene.jam.exception_type or ""):
                        found.root(passed.file, passed.line, f"`{inner.name}` is handed over here", "handed")
                    found.root_at(origin, f"`{inner.name}` comes from here", "from")


def _is_signal(scene: Scene) -> bool:
    """Tell the signal for arithmetic from what a function refuses."""
    return (scene.jam.exception_type or scene.jam.wording or "").startswith(_SIGNALS)


KIND = BadArithmetic()
