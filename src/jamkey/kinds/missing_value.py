"""A value is used, and it is the language's word for "nothing"."""

from __future__ import annotations

import re

from jamkey.follow.origins import Origin, follow
from jamkey.follow.scene import Scene
from jamkey.follow.suspect import missing_part
from jamkey.follow.value_sorts import NOTHING, gap_of, is_gap
from jamkey.kinds.base import Diagnosis, idioms_of, replace, show, trace_names
from jamkey.languages.base import Part


class MissingValue:
    """See the module."""

    name = "missing-value"
    title = "a value that is not there"
    about = (
        "The line needs a value, and what it got is the word for nothing (None, null, undefined, NaN). The line "
        "itself is usually right: something earlier failed to hand a value over."
    )
    usual = (
        "a function ends without returning what it computed",
        "a method that changes its object in place was used as if it returned it",
        "a look-up found nothing",
        "a default or a first value is the word for nothing",
    )
    avoid = "Let every way through a function return a value, and check what a look-up found before using it."
    example = 'hives = ["oak", "brook"]\nhives = hives.sort()\nprint(hives[0])\n'

    def _nothing(self, scene: Scene, part: Part | None) -> str:
        """Return the word for the value that is missing: as it was held, as the message has it, as the language does."""
        usual = idioms_of(scene).missing
        held = scene.value(part.source) if part is not None else None
        if held is not None and (held.text in NOTHING or is_gap(held)):
            return held.text
        said = re.findall(r"(?<![\w'\"])(?:null|undefined|nil|NULL|NA|nullptr)(?![\w'\"])", scene.jam.wording or "")
        return usual if usual in said or not said else said[0]

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Follow the missing value back, and mend it where it went missing."""
        found = Diagnosis(avoid=self.avoid, causes=list(self.usual))
        part, told = missing_part(scene)
        nothing = self._nothing(scene, part)
        shown = f"`{show(part.source)}`" if part is not None and told else "a value on this line"
        found.meaning = f"{shown} is {nothing} at this moment, and {nothing} cannot do what the line asks of it."
        found.look_at = f"Ask where {shown} got its value, and on which way it could have got none."
        held = scene.value(part.source) if part is not None else None
        gap = gap_of(held) if held is not None and not is_gap(held) else ""
        if gap:
            found.meaning = f"{shown} holds {gap} among its values, and the line needs one that is there."
            found.look_at = f"Ask which of the values of {shown} could not be read or computed, and why."
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        origins = follow(scene, part, scene.jam.snag or 0, want="missing") if part is not None else []
        for rank, origin in enumerate(origins[:4]):
            self._origin(scene, found, origin, 0.9 - 0.07 * rank)
        if not origins and "NoneType" not in (scene.jam.wording or "") and scene.traits.whole_tree:
            trace_names(scene, found, "the table with the missing values comes from here", 0.66)
        found.root(file, line, f"{shown} holds {gap} here" if gap else f"{shown} is {nothing} here", 0.5 if origins else 0.6)
        known = [root.reason for root in found.roots[:2] if (root.file, root.line) != (file, line)]
        found.causes = known or found.causes
        return found

    def _origin(self, scene: Scene, found: Diagnosis, origin: Origin, sure: float) -> None:
        """Say why there is nothing where following ended."""
        name = origin.function.name if origin.function is not None else "the function"
        source, called = (show(origin.part.source), origin.part.called) if origin.part is not None else ("", "")
        why = {
            "in-place": f"`{called}` changes its object in place and returns nothing",
            "fell-off": f"`{name}` can reach its end without returning anything",
            "bare-return": f"`{name}` returns nothing on this way",
            "default": f"the default is {source}, and a call gives no other value",
            "literal": f"it is set to {source} here",
            "unpassed": f"`{name}` is called here without its `{origin.name}`",
            "look-up": f"`{source}` found nothing",
            "pattern": "this pattern does not match the text it was given",
        }
        if origin.sort in why:
            found.root_at(origin, why[origin.sort], sure)
        if origin.sort == "in-place":
            self._in_place(scene, found, origin)

    def _in_place(self, scene: Scene, found: Diagnosis, origin: Origin) -> None:
        """Only call it, or use the form that makes a new one."""
        part = origin.part
        callee = part.child("callee") if part is not None else None
        owner = callee.child("object") if callee is not None else None
        code = scene.sources.code(origin.file, scene.jam.runtime)
        statement = code.statement(part.span.line) if code is not None and part is not None else None
        if part is None or callee is None or owner is None or statement is None:
            return
        kept = statement.sort == "assign" and statement.parts and statement.parts[-1].span == part.span
        if kept and [target.source for target in statement.targets] == [owner.source]:
            reason = f"`{part.called}` has already changed `{owner.source}`; assigning its result overwrites it with nothing"
            edit = replace(origin.file, statement.span, part.source)
            found.key("keep-object", f"Only call it: `{show(part.source)}`", reason, 0.95, [edit])
        new = {"sort": "sorted({0}{1})", "reverse": "list(reversed({0}))"}.get(part.called)
        if new is not None:
            arguments = part.source[len(callee.source) :].strip()[1:-1].strip()
            text = new.format(owner.source, f", {arguments}" if arguments else "")
            reason = f"`{part.called}` returns nothing; `{text.split('(')[0]}` returns the result"
            title = f"Use the form that returns a new one: `{show(text)}`"
            found.key("make-new", title, reason, 0.93, [replace(origin.file, part.span, text)])


KIND = MissingValue()
