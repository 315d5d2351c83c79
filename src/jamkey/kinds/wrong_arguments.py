"""A call does not fit what the function takes."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, trace_names
from jamkey.languages.base import Function


class WrongArguments:
    """See the module."""

    name = "wrong-arguments"
    title = "a call that does not fit the function"
    about = (
        "A function is called with too many, too few or other arguments than its definition names. For a method the "
        "object itself is handed over as the first argument, which counts too."
    )
    usual = (
        "an argument was forgotten, or one too many is given",
        "a method's definition lacks the object itself as its first parameter",
        "a keyword argument is misspelt",
        "the call was not changed along with the definition",
    )
    avoid = "Give arguments by name where there are more than two, and look at the definition when a call is refused."
    example = "def gain(before, after):\n    return after - before\n\n\nprint(gain(31.2))\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Compare the call with the definition and mend the one that is off."""
        facts = scene.facts
        named = facts.get("function", "").strip()
        short = named.rpartition(".")[2]
        found = Diagnosis(
            meaning=f"The call of `{short}` does not fit its definition: {_what(facts)}.",
            look_at=f"Put the call and the definition of `{short}` side by side and count.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if "method" in facts and "class" in facts:
            found.meaning = (
                f"The class that `{facts['class']}` is made from asks for a method `{facts['method']}`, and it has none."
            )
            found.look_at = f"Look at the methods of `{facts['class']}`: is one of them meant to be `{facts['method']}`?"
            found.causes = ["the method is misspelt, or not written yet", "the class is one to make others from, not objects"]
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        functions = self._functions(scene, named)
        for where, function in functions[:1]:
            receiver = function.params[0].name if function.params else ""
            if "takes" in facts and function.owner and not function.is_static and receiver not in ("self", "cls"):
                self._no_receiver(found, where, function)
            found.root(where, function.span.line, f"`{function.name}` is defined here", 0.5)
        if not functions and "names" not in facts and not facts.get("value"):
            trace_names(scene, found, "a value that was handed to the call comes from here", 0.6)
        found.root(file, line, "the call stands here", 0.6)
        return found

    def _functions(self, scene: Scene, named: str) -> list[tuple[str, Function]]:
        found = scene.functions_named(named)
        if named.rpartition(".")[2] == "__init__" and "." in named:
            owner = named.rpartition(".")[0].rpartition(".")[2]
            found = [item for item in found if item[1].owner == owner] or found
        return found

    def _no_receiver(self, found: Diagnosis, where: str, function: Function) -> None:
        found.root(where, function.span.line, f"the definition of `{function.name}` lacks `self`", 0.93)
        found.meaning += " For a method, the object before the dot is handed over as the first argument."


def _what(facts: dict[str, str]) -> str:
    if "names" in facts:
        return f"it gives nothing for {facts['names']}"
    if "keyword" in facts:
        return f"there is no parameter called `{facts['keyword'].strip(chr(39))}`, or it is given twice"
    if "given" in facts:
        return f"it takes {facts.get('takes', 'fewer')}, and {facts['given']} were given"
    return "the arguments are not those it takes"


KIND = WrongArguments()
