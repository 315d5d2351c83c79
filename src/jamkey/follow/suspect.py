"""Which part of the failing expression carries the bad value."""

from __future__ import annotations

import re

from jamkey.follow.dispatched import nothing_of, operand, refused
from jamkey.follow.origins import value_fits
from jamkey.follow.scene import Scene
from jamkey.languages.base import Part
from jamkey.model import Frame


def _value_says(scene: Scene, part: Part, want: str, frame: Frame | None) -> bool | None:
    value = scene.value(part.source, frame)
    return None if value is None else value_fits(value, want)


def missing_part(scene: Scene) -> tuple[Part | None, bool]:
    """Return the part whose value is missing, and whether the message or a value says so; else it is the likeliest one.

    Told are the member that is read from it, its name, the operator's side, recorded values.
    """
    parts = scene.parts_of(scene.frame)
    told = _told_missing(scene, parts)
    if told is not None:
        return told, True
    found = _ending_early(scene, parts) or _by_use(scene, parts)
    return (None if found is not None and _value_says(scene, found, "missing", scene.frame) is False else found), False


def _ending_early(scene: Scene, parts: list[Part]) -> Part | None:
    """Return the only call of an own function that can end without giving anything back."""
    calls = [part for part in parts if part.sort == "call" and part.called]
    found = [part for part in calls if any(function.falls_off for _, function in scene.functions_named(part.called))]
    return found[0] if len(found) == 1 else None


def _insisted(parts: list[Part]) -> Part | None:
    """Return the only part of which a line insists that it is there: `rows.first!`."""
    forced = {part.source: part.children[0][1] for part in parts if part.source.endswith("!") and len(part.children) == 2}
    return next(iter(forced.values())) if len(forced) == 1 else None


def _told_missing(scene: Scene, parts: list[Part]) -> Part | None:
    wording = scene.jam.wording or ""
    if "unwrapping" in wording and "implicitly" not in wording:  # that one is written, the other is not
        return _insisted(parts)
    if (nothing := nothing_of(scene)) is not None and (call := refused(scene)) is not None:
        return operand(scene, call, nothing[0])
    if scene.traits.several_nothings and scene.facts.get("key") in scene.traits.nothings.values():
        keys = {key.source: key for part in parts if part.sort == "index" and (key := part.child("key")) is not None}
        return next(iter(keys.values())) if len(keys) == 1 else None
    member = scene.facts.get("member")
    if member:
        for part in parts:
            if part.sort == "member" and part.name == member and (owner := part.child("object")) is not None:
                return owner
        for part in parts:
            key = part.child("key")
            if part.sort == "index" and key is not None and (key.source.strip("'\"") == member):
                return part.child("object")
    named = scene.facts.get("name")
    if named:
        for part in parts:
            if part.source == named:
                return part
        for part in parts:
            if part.sort in ("name", "member") and part.name == named.rpartition(".")[2]:
                return part
    for part in parts:
        if part.sort in ("name", "member", "index") and _value_says(scene, part, "missing", scene.frame):
            return part
    left = _left_over(scene, parts)
    if left is not None:
        return left
    found = operand_of_type(scene, parts, "NoneType")
    return None if found is not None and _value_says(scene, found, "missing", scene.frame) is False else found


def _left_over(scene: Scene, parts: list[Part]) -> Part | None:
    """Return the operand that is left when those are taken away whose values are there."""
    for part in parts:
        sides = [side for role, side in part.children if role in ("left", "right")] if part.sort == "binary" else []
        known = [side for side in sides if side.sort == "literal" or _value_says(scene, side, "missing", scene.frame) is False]
        open_ones = [side for side in sides if side not in known and side.sort in ("name", "member", "index", "call")]
        if known and len(open_ones) == 1:
            return open_ones[0]
    return None


def operand_of_type(scene: Scene, parts: list[Part], type_name: str) -> Part | None:
    """Return the operand on the side that the message says has that type."""
    operator = scene.facts.get("operator", "").split(" ")[0]
    side = "left" if scene.facts.get("left") == type_name else "right" if scene.facts.get("right") == type_name else ""
    if type_name == "NoneType" and not side:
        side = "left" if "right" in scene.facts else "right" if "left" in scene.facts else ""
    operator = operator.rstrip("=") if operator not in ("<=", ">=", "==", "!=") else operator
    wide = [part for part in parts if part.sort in ("binary", "compare") and operator in ("", part.name)]
    # the runtime's mark makes the first one certain; without it those that cannot be of that type are left out
    marked = scene.marked_part(scene.frame)
    if marked is not None and wide and wide[0] is marked and side:
        return marked.child(side)
    fallback: Part | None = None
    for part in reversed(wide):
        chosen = part.child(side) if side else None
        if chosen is None:
            continue
        says = _of_type(scene, chosen, type_name)
        if says is True:
            return chosen
        if says is None and fallback is None:
            fallback = chosen
    if fallback is not None:
        return fallback
    statement = scene.statement_of(scene.frame)
    if statement is not None and statement.sort == "augassign" and side:
        if side == "left" and statement.targets:
            return statement.targets[0]
        return statement.parts[-1] if statement.parts else None
    return None


def _of_type(scene: Scene, part: Part, type_name: str) -> bool | None:
    """Tell whether a part is of a type, by its recorded value or its form; None when that does not show."""
    value = scene.value(part.source)
    if value is not None:
        return value.type.rpartition(".")[2] == type_name.rpartition(".")[2]
    if part.sort == "text":
        return type_name == "str"
    if part.sort == "literal":
        return (type_name == "NoneType") == (part.source == "None") and type_name != "str"
    if part.sort == "call" and part.called in ("str", "int", "float", "list", "input"):
        return type_name == ("str" if part.called == "input" else part.called)
    if part.sort == "binary" and any(inner.sort == "text" for inner in part.walk()):
        return type_name == "str"
    return None


def _by_use(scene: Scene, parts: list[Part]) -> Part | None:
    """Without operator or member: what is iterated, indexed, unpacked, or passed to a builtin."""
    statement = scene.statement_of(scene.frame)
    message = scene.jam.wording or ""
    if "not subscriptable" in message or "__getitem__" in message or "item assignment" in message:
        for part in parts:
            if part.sort == "index":
                return part.child("object")
    if "not callable" in message:
        return next((part.child("callee") for part in parts if part.sort == "call"), None)
    if statement is not None and statement.sort in ("for", "asyncfor") and "iterable" in message:
        top = statement.parts[1] if len(statement.parts) > 1 else statement.parts[0] if statement.parts else None
        marked = scene.marked_part(scene.frame)
        return marked or top
    if statement is not None and statement.sort == "assign" and ("unpack" in message or "iterable" in message):
        return scene.marked_part(scene.frame) or (statement.parts[-1] if statement.parts else None)
    if "iterable" in message and (inside := next((p for p in parts if p.sort == "comprehension"), None)) is not None:
        return inside.child("iterable")
    for part in parts:
        if part.sort == "call" and part.arguments:
            return part.arguments[0][1]
    return parts[0] if parts else None


#: Signs and words that divide, of all languages.
_DIVIDES = ("/", "//", "%", "\\", "%%", "%/%", "./", "Mod", "mod", "div")


def divisors(scene: Scene) -> list[Part]:
    """Return what may have been the zero that was divided by; the one that was captured as zero alone."""
    parts = scene.parts_of(scene.frame)
    found: dict[Part, bool | None] = {}
    for part in parts:
        right = part.child("right") if part.sort == "binary" and part.name in _DIVIDES else None
        if right is not None and not (right.sort == "literal" and re.search(r"[1-9]", right.source)):
            found[right] = _value_says(scene, right, "zero", scene.frame)
    sure = [part for part, says in found.items() if says]
    if kept := sure or [part for part, says in found.items() if says is not False]:
        return kept
    statement = scene.statement_of(scene.frame)
    if statement is not None and statement.sort == "augassign" and statement.parts:
        return [statement.parts[-1]]
    asked = (part for part in parts if part.sort == "call" and part.called in ("divmod", "pow", "fmod") and part.arguments)
    return [part.arguments[-1][1] for part in asked][:1]


def _asked_item(part: Part) -> Part | None:
    """Return a call of a method with one argument as a look-up: `values.at(i)`, `[rows objectAtIndex:i]`, `text.charAt(i)`."""
    callee = part.child("callee") if part.sort == "call" else None
    owner = callee.child("object") if callee is not None and callee.sort == "member" else None
    if owner is None or len(part.arguments) != 1:
        return None
    return Part("index", part.span, part.source, children=(("object", owner), ("key", part.arguments[0][1])))


def index_part(scene: Scene) -> Part | None:
    """Return the look-up by index or key that failed."""
    marked = scene.marked_part(scene.frame)
    if marked is not None and marked.sort == "index":
        return marked
    parts = scene.parts_of(scene.frame)
    found = [part for part in parts if part.sort == "index"]
    for part in (*found, *(asked for part in parts if (asked := _asked_item(part)) is not None)):
        container, key = part.child("object"), part.child("key")
        if container is None or key is None:
            continue
        length = getattr(scene.value(container.source), "length", None)
        number = scene.value(key.source)
        text = number.text if number is not None else key.source
        at = int(text) if re.fullmatch(r"-?\d{1,18}", text) else None
        least = scene.traits.first_place - (length or 0 if scene.traits.python_values else 0)
        if length is not None and at is not None and not least <= at < length + scene.traits.first_place:
            return part
    literal = scene.facts.get("key")
    for part in found:
        key = part.child("key")
        if key is not None and literal is not None and (key.source == literal or key.name == literal.strip("'\"")):
            return part
    # the one that is not recorded as a value could not be evaluated
    unknown = [part for part in found if scene.value(part.source) is None]
    return next(iter(unknown or found), None)
