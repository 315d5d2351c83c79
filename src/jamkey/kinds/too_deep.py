"""A function calls itself without end."""

from __future__ import annotations

from jamkey.follow.origins import Origin
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, idioms_of, replace, show, trace_names


class TooDeep:
    """See the module."""

    name = "too-deep"
    title = "calls that never come to an end"
    about = (
        "A function calls itself (or two call each other) again and again, until the runtime stops it: the "
        "case in which it should stop is never reached."
    )
    usual = (
        "the case that ends the recursion is missing or never true",
        "the call hands over the same value again instead of a smaller one",
        "the data leads in a circle",
    )
    avoid = "Write the case that ends it first, and make sure that every further call comes nearer to it."
    example = "def frames(count):\n    return 1 + frames(count - 1)\n\n\nprint(frames(10))\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Name the line that calls again, and follow what it hands over."""
        found = Diagnosis(kind=self.name, meaning=self.about, avoid=self.avoid, causes=list(self.usual))
        if scene.frame is None:
            return found
        function = scene.function_of(scene.frame)
        name = f"`{function.name}`" if function else "the function"
        found.meaning = (
            f"{name} calls itself on line {scene.line} again and again; the case in which it should stop is never reached."
        )
        found.look_at = f"Ask for which value {name} stops, and print what each call is given."
        if function is not None:
            given = {param.name for param in function.params}
            for call in [p for p in scene.parts_of(scene.frame) if p.called == function.name]:
                handed = [argument.source for _, argument in call.arguments]
                if handed and all(text in given for text in handed):
                    found.root(
                        scene.frame.file, scene.line, f"`{show(call.source)}` hands over the same values again", "same-again"
                    )
                elif handed:
                    found.root(
                        scene.frame.file, scene.line, f"`{show(call.source)}` does not come nearer to an end", "no-nearer"
                    )
        origins = trace_names(scene, found, "the values that lead on and on come from here")
        for origin in origins:
            self._leads_to_itself(scene, found, origin)
        if any(origin.sort == "literal" for origin in origins):
            found.causes.insert(0, "the data leads in a circle")
        found.root(scene.frame.file, scene.line, f"`{show(scene.frame.source or name)}` calls again", "snag")
        return found

    def _leads_to_itself(self, scene: Scene, found: Diagnosis, origin: Origin) -> None:
        """In a table that is gone through step by step, an entry points at itself."""
        part = origin.part
        if part is None or part.sort != "dict":
            return
        missing = idioms_of(scene).missing
        for key, value in zip(part.in_role("key"), part.in_role("value"), strict=False):
            if key.source == value.source:
                found.root(origin.file, value.span.line, f"{key.source} leads to itself here", "to-itself")
                found.key(
                    "end-here",
                    f"Let {key.source} lead to `{missing}`",
                    "an entry that leads to itself never ends",
                    [replace(origin.file, value.span, missing)],
                )


KIND = TooDeep()
