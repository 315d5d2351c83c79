"""A function is called with fewer arguments than it has parameters, in a language that lets this pass: the call."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.languages.base import Definition, Part
from jamkey.model import Edit

#: Names offered in place of the argument that is not there.
_MOST = 3


class Unpassed:
    """Calls of the functions on the stack."""

    kinds = frozenset(
        "missing-value unknown-name unset-name wrong-type bad-arithmetic no-such-member wrong-arguments bad-index".split()
    )

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the call, with each name of its surroundings that it does not hand over."""
        counts = scene.traits.counts_arguments
        if counts and scene.jam.kind != "wrong-arguments":
            return  # the compiler counts, and says so
        if not counts and not scene.traits.drops_arguments:
            return
        named = {frame.function for frame in scene.jam.frames if frame.function}
        if counts:
            named = set(re.findall(r"\w+", scene.jam.message or ""))
        for where, code in scene.own_codes():
            for function in code.functions():
                params = [param.name for param in function.params]
                if function.name not in named or not params or any(param.default is not None for param in function.params):
                    continue
                head = scene.row(where, function.span.line)
                if any(re.search(rf"\b{re.escape(name)}\s*=", head) for name in params):
                    continue  # it has defaults
                for file, other in scene.own_codes():
                    for call in other.calls(function.name):
                        given = [part for _, part in call.arguments]
                        inside = function.span.line <= call.span.line <= function.span.end_line and other is code
                        if not given or len(given) >= len(params) or inside or any(name for name, _ in call.arguments):
                            continue
                        self._offer(scene, found, file, call, params[len(given)], other.definitions())

    def _offer(
        self, scene: Scene, found: Diagnosis, file: str, call: Part, missing: str, definitions: list[Definition]
    ) -> None:
        line, last = call.span.line, call.arguments[-1][1].span
        told = " ".join([*scene.facts.values(), scene.jam.message or ""])
        asked = re.search(rf"\b{re.escape(missing)}\b", told) is not None
        if call.arguments[-1][1].sort == "call" and scene.traits.last_call_spreads:
            return  # a call in the last place may give several values
        found.root(file, line, f"nothing is handed over for `{missing}` here", 0.88 if asked else 0.68)
        row = scene.row(file, line)
        before = [
            definition.name for definition in definitions if definition.span.line <= line and definition.sort != "function"
        ]
        names = [name for name in dict.fromkeys(reversed(before)) if not re.search(rf"\b{re.escape(name)}\b", row)]
        names.sort(key=lambda name: (name != missing, not (name.startswith(missing[:3]) or missing.startswith(name[:3]))))
        for rank, name in enumerate(names[:_MOST]):
            edit = Edit(
                file=file,
                line=last.end_line,
                column=last.end_column,
                end_line=last.end_line,
                end_column=last.end_column,
                new_text=f", {name}",
            )
            sure = 0.9 if name == missing else 0.74 - 0.03 * rank
            found.key(
                f"hand-{name}",
                f"Hand `{name}` over as well, for `{missing}`",
                f"`{missing}` is not given in this call",
                sure,
                [edit],
            )


CLUE = Unpassed()
