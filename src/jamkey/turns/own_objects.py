"""What an object of the program's own class cannot do: ask for what it holds instead, or give its class the method."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from jamkey.follow.own_classes import Member, OwnClass, own_classes
from jamkey.languages.base import Part, Span, Statement
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.convert import filled_in

#: Keys of a record as the runtimes show it.
_KEY = re.compile(r"""[{,]\s*['"]?([A-Za-z_]\w{0,40})['"]?\s*[:=]\s*(['"]?)""")
#: Keys of records that are tried.
_KEYS = 8
#: Characters of a file in which keys are looked for where no value was seen.
_TEXT = 20_000
#: What is tried first: orders go by numbers, and what is gone through is many.
_FIRST = ("number", "many", "text", "other")


class OwnObjects(Plain):
    """`len(apiary)` becomes `len(apiary.hives)`, `sorted(hives)` gets a key, `Weight` gets `__add__`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose what an object holds instead of it, and by which of it a call is to compare."""
        if any(part.span == target.span for target in ground.statement.targets) or ground.role(part) in ("callee", "target"):
            return
        kind = _type_of(part, ground)
        if part.sort in ("name", "member", "index", "call") and kind in ground.said:
            for owner in own_classes(ground.scene, frozenset((kind,))):
                for member in _in_order(owner):
                    yield Made(f"held:{member.holds}", part.span, f"{part.source}.{member.name}")
                for word in ground.words.get("of_object", ()):
                    yield Made(f"of object:{word}", part.span, filled_in(word, part.source))
        if part.sort == "call" and ground.place.distance == 0:
            yield from _of_each(part, ground)

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose the method that the operation asks of the object's class."""
        rows: list[dict[str, Any]] = ground.words.get("lacking", [])
        asked = {str(ground.scene.facts.get("operator", ""))} | ground.said
        rows = [row for row in rows if asked & set(row["asked"])]
        for owner in own_classes(ground.scene, ground.said) if rows else ():
            if owner.file != ground.place.file or (ground.place.distance and ground.place.line != owner.span.line):
                continue
            for row in rows:
                text = "\n".join(_rows(owner))
                if re.search(row["has"], text) is None and re.search(row.get("needs", ""), text) is not None:
                    yield from _given_method(row, owner, ground)


def _type_of(part: Part, ground: Ground) -> str:
    """Return the name of the type of a part: as it was seen, else as it is declared."""
    value = ground.value(part)
    if value is not None:
        return _named(value.type)
    for definition in ground.code.reaching(part.name, ground.place.line)[:1] if part.sort == "name" else ():
        row = ground.row(definition.span.line)[: definition.span.column - 1]
        words = re.findall(r"[A-Za-z_]\w*", row)
        return words[-1] if words else ""
    return ""


def _of_each(part: Part, ground: Ground) -> Iterator[Made]:
    """Propose what a call compares by, and what each of the things that it is given holds."""
    words = ground.words
    keyed = words.get("keyed_by", {}).get(part.called, "")
    each = words.get("each_of", "")
    plain = [given for keyword, given in part.arguments if not keyword]
    named = {keyword for keyword, _ in part.arguments if keyword}
    members: list[tuple[str, str]] = []
    for owner in own_classes(ground.scene, ground.said):
        members += [(f".{member.name}", member.holds) for member in _in_order(owner)]
    if not members:
        members = [(words.get("key_of", "").format(name), holds) for name, holds in _keys(part, ground)]
    end = part.span.end_column - 1
    place = Span(part.span.end_line, end, part.span.end_line, end)
    for asks, holds in members:
        if keyed and keyed.partition("=")[0] not in named and part.source.endswith(")") and len(plain) < 2:
            text = (", " if part.arguments else "") + keyed.format(asks)
            yield Made(f"keyed:{holds}", place, text)
        if each and plain and plain[0].sort in ("name", "member", "call", "list"):
            yield Made(f"held each:{holds}", plain[0].span, filled_in(each, plain[0].source, asks))
    if members and plain and plain[0].sort in ("name", "member", "call", "list"):
        for word in words.get("of_each_object", ()):
            yield Made(f"of object:{word}", plain[0].span, filled_in(word, plain[0].source))


def _keys(part: Part, ground: Ground) -> list[tuple[str, str]]:
    """Return the keys of the records that a call is given, as they were seen, with what stands under them."""
    callee = part.child("callee")
    owner = callee.child("object") if callee is not None else None
    for given in (*(given for _, given in part.arguments), *((owner,) if owner is not None else ())):
        value = ground.value(given)
        text = value.text if value is not None else ground.code.text[:_TEXT]
        found = {name: "text" if quote else "number" for name, quote in _KEY.findall(text)}
        if found:
            return sorted(found.items(), key=lambda item: _FIRST.index(item[1]))[:_KEYS]
    return []


def _given_method(row: Mapping[str, Any], owner: OwnClass, ground: Ground) -> Iterator[Made]:
    """Propose a method, once for each member by which it can work."""
    last = owner.span.end_line
    rows = owner.code.text.split("\n")
    closing = rows[last - 1].strip().startswith("}") if last <= len(rows) else False
    head = rows[owner.span.line - 1]
    first = next((line for line in rows[owner.span.line : last] if line.strip()), "")
    indent = first[: len(first) - len(first.lstrip())]
    column = len(rows[last - 1]) + 1
    place = before_line(last) if closing else Span(last, column, last, column)
    summed = [
        row["summed"].format(name) if Member(name, "number") in owner.members else row["kept"].format(name)
        for name in owner.takes
        if "summed" in row
    ]
    by = [member for member in _in_order(owner) if member.holds in row["by"]] if row["by"] else [Member("", "all")]
    if "summed" in row and (not summed or not set(owner.takes) <= {member.name for member in owner.members}):
        return
    more: tuple[tuple[str, Span, str], ...] = ()
    if extends := row.get("extends", ""):
        opening = head.rfind("{")
        if opening < 0 or "implements" in head:
            return
        at = len(head[:opening].rstrip()) + 1
        more = ((owner.file, Span(owner.span.line, at, owner.span.line, at), extends.format(owner.name)),)
    for member in by:
        compared = row.get("compared", {}).get(member.holds, "")
        text = filled_in(row["method"], member.name, owner.name, ", ".join(summed), filled_in(compared, member.name))
        text = "\n".join(indent + line if line else line for line in text.split("\n"))
        gap = "" if row.get("tight") else "\n"
        yield Made(
            f"lacking:{row['asked'][0]} by {member.holds}", place, f"{gap}{text}\n" if closing else f"\n{gap}{text}", more=more
        )


def _rows(owner: OwnClass) -> list[str]:
    return owner.code.text.split("\n")[owner.span.line - 1 : owner.span.end_line]


def _in_order(owner: OwnClass) -> list[Member]:
    return sorted(owner.members, key=lambda member: _FIRST.index(member.holds))


def _named(label: str) -> str:
    return label.rpartition(".")[2]


TURN = OwnObjects()
