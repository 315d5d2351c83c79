"""A call that no method takes, in a language that picks methods by the types of what they are called with."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from jamkey.follow.scene import Scene
from jamkey.languages.base import Function, Part


class Refused(msgspec.Struct, frozen=True):
    """What was called, and the types of what it was called with."""

    function: str
    types: tuple[str, ...]
    keywords: tuple[str, ...] = ()


def refused(scene: Scene) -> Refused | None:
    """Return the call that no method takes, as the message tells it; None for any other failure."""
    facts = scene.facts
    if "function" not in facts or "arguments" not in facts or not scene.traits.calls_by_types:
        return None
    plain, _, named = facts["arguments"].partition(";")
    keywords = tuple(word.partition("::")[0].strip() for word in _cut(named))
    return Refused(facts["function"].rpartition(".")[2], tuple(word.partition("::")[2] for word in _cut(plain)), keywords)


def _cut(text: str) -> Iterator[str]:
    """Yield what stands between the commas that lie in no brackets."""
    depth, begun = 0, 0
    for at, sign in enumerate(text):
        depth += sign in "{([" or -(sign in "})]")
        if sign == "," and not depth:
            yield text[begun:at].strip()
            begun = at + 1
    if text[begun:].strip():
        yield text[begun:].strip()


def operand(scene: Scene, call: Refused, place: int) -> Part | None:
    """Return what stands in the source for an argument of the call, where one part alone can be meant.

    Args:
        scene: the jam, located, with its sources.
        call: from `refused`.
        place: of the argument, from 0.
    """
    form = scene.traits.calls_by_types.get(call.function, "")
    found = []
    for part in scene.parts_of(scene.frame):
        if form in ("index", "member") and part.sort == form:
            found.append(part.child("object") if place == 0 else part.child("key") if form == "index" and place == 1 else None)
        elif part.sort in ("binary", "compare") and part.name == call.function and len(call.types) == 2:
            found.append(part.child(("left", "right")[place]))
        elif part.sort == "call" and part.called == call.function and len(part.arguments) > place:
            found.append(part.arguments[place][1])
    statement = scene.statement_of(scene.frame)
    by_sign = len(call.types) == 2 and not call.function[0].isalpha()
    if statement is not None and statement.sort == "augassign" and by_sign and place == 1:
        found += statement.parts[-1:]
    if statement is not None and form == "loop" and statement.sort == "for" and place == 0:
        found += statement.parts[-1:]
    alike = {part.source: part for part in found if part is not None}
    return next(iter(alike.values())) if len(alike) == 1 else None


def nothing_of(scene: Scene) -> tuple[int, str] | None:
    """Return which argument of the call was one of the language's words for nothing, and that word."""
    call = refused(scene)
    for place, name in enumerate(call.types if call is not None else ()):
        if name in scene.traits.nothings:
            return place, scene.traits.nothings[name]
    return None


def miscounted(scene: Scene) -> tuple[str, Function, Refused] | None:
    """Return the file and the only function of one's own of that name, where it takes another number of arguments."""
    call = refused(scene)
    own = scene.functions_named(call.function) if call is not None else []
    if call is None or len(own) != 1:
        return None
    file, function = own[0]
    plain = [param for param in function.params if param.name not in call.keywords]
    if any(param.star for param in plain):
        return None
    needed = [param for param in plain if param.default is None]
    return None if len(needed) <= len(call.types) <= len(plain) else (file, function, call)


def types_told(call: Refused) -> str:
    """Return the types of a call's arguments in words."""
    words = [f"`{name}`" for name in call.types]
    return " and ".join([", ".join(words[:-1]), words[-1]]) if len(words) > 1 else words[0] if words else "nothing at all"
