"""Kinds that the words of a message do not tell, and the program's source does."""

from __future__ import annotations

import msgspec

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.languages.base import Definition, Loop
from jamkey.languages.traits import traits_of
from jamkey.model import Jam


def by_evidence(jam: Jam, sources: Sources) -> Jam:
    """Return the jam, located, with the kind that its program tells."""
    if jam.kind == "unknown-name":
        return _without_value(jam, Scene(jam, sources))
    if jam.kind == "wrong-type" and "arguments" in jam.facts and traits_of(jam.runtime).calls_by_types:
        return _by_method(jam, Scene(jam, sources))
    return jam


def _without_value(jam: Jam, scene: Scene) -> Jam:
    """A name that is not there: a parameter that the call left out, or one that a loop at the margin sets for itself."""
    name = jam.facts.get("name", "")
    function = scene.function_of(scene.frame)
    if function is not None:
        given = any(param.name == name for param in function.params)
    else:
        given = loop_of_its_own(scene, name) is not None
    return msgspec.structs.replace(jam, kind="unset-name") if given else jam


def loop_of_its_own(scene: Scene, name: str) -> tuple[Loop, Definition] | None:
    """Return the loop at the margin whose own the name is, and where the other one of that name is set before it."""
    code = scene.code
    if not scene.traits.loops_own or code is None or scene.frame is None or scene.function_of(scene.frame) is not None:
        return None
    around = code.loops(scene.line)
    set_at = [definition for definition in code.definitions(name) if not definition.scope]
    for loop in reversed(around):
        inside = any(loop.span.line < definition.span.line <= loop.span.end_line for definition in set_at)
        before = [definition for definition in set_at if definition.span.line < loop.span.line]
        if inside and before:
            return loop, before[-1]
    return None


def _by_method(jam: Jam, scene: Scene) -> Jam:
    """A call that no method takes: of nothing, or of another number of arguments than the only function of that name has."""
    from jamkey.follow.dispatched import miscounted, nothing_of

    kind = (
        "missing-value" if nothing_of(scene) is not None else "wrong-arguments" if miscounted(scene) is not None else jam.kind
    )
    return msgspec.structs.replace(jam, kind=kind)
