"""Ask first: a condition looks whether the item, the key or the object is there before it uses it."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Part, Span, Statement
from jamkey.turns.base import Ground, Made, Plain

#: How a line with a condition begins, in all languages.
_HEAD = re.compile(r"[\s}]*(?:else\s+|end\s+)?(?:if|elif|elseif|while|until)\b\s*")
#: Where a condition without brackets around it ends.
_END = re.compile(r"\s+(?:then|do)\s*$|:\s*$|\s*[,;]?\s*$")
_EITHER = re.compile(r"\bor\b|\|\|")
_MOST = 4


class Condition(Plain):
    """`while v[i] > 0` becomes `while i < len(v) and v[i] > 0`."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose what a condition may ask before all else."""
        both = ground.words.get("both", "")
        span = _condition(ground, statement.span.line) if both else None
        if span is None:
            return
        source = ground.row(span.line)[span.column - 1 : span.end_column - 1]
        rest = f"({source})" if _EITHER.search(source) else source
        inside = [part for top in statement.parts for part in top.walk() if span.holds(part.span)]
        for turn, test in dict.fromkeys(_tests(inside, ground)):
            yield Made(f"condition:{turn}", span, both.format(test, rest))


def _condition(ground: Ground, line: int) -> Span | None:
    """Return where the condition on a line stands, without brackets around all of it."""
    row = re.sub(rf"\s{re.escape(ground.idioms.comment.strip())}.*", "", ground.row(line))
    head = _HEAD.match(row)
    if head is None:
        return None
    start = head.end()
    if row[start : start + 1] == "(" and (end := _closing(row, start)) is not None and _ends(row[end + 1 :]):
        return Span(line, start + 2, line, end + 1)
    end_of = _END.search(row, start)
    end = end_of.start() if end_of is not None else len(row.rstrip())
    return Span(line, start + 1, line, end + 1) if end > start else None


def _ends(rest: str) -> bool:
    """Tell whether the condition is over behind its closing bracket."""
    return not re.match(r"\s*(?:[-+*/<>=!~^.\[|&]|and\b|or\b|in\b|is\b|not\b)", rest)


def _closing(row: str, start: int) -> int | None:
    depth = 0
    for place in range(start, len(row)):
        depth += (row[place] == "(") - (row[place] == ")")
        if depth == 0:
            return place
    return None


def _tests(parts: list[Part], ground: Ground) -> Iterator[tuple[str, str]]:
    """Yield what could be asked of the parts of a condition."""
    within, has, low = (ground.words.get(word, "") for word in ("within", "has", "low"))
    items = [(part, *_item(part)) for part in parts]
    for _, owner, key in [item for item in items if item[1] is not None][:_MOST]:
        if owner is None or key is None or key.sort == "slice":
            continue
        if within and key.sort != "text":
            yield "within", within.format(owner.source, key.source)
        if low and key.sort == "binary" and key.name == "-":
            yield "not below", low.format(key.source)
        if has:
            yield "has", has.format(owner.source, key.source)
    objects = [
        child.source for part in parts if part.sort in ("member", "index") and (child := part.child("object")) is not None
    ]
    objects += [part.source for part in parts if part.sort in ("member", "index") or (part.sort == "name" and len(parts) < 6)]
    for source in list(dict.fromkeys(objects))[: _MOST + 2]:
        yield "present", ground.idioms.not_missing.format(source)


def _item(part: Part) -> tuple[Part | None, Part | None]:
    """Return what an item is taken of, and its key."""
    if part.sort == "index":
        return part.child("object"), part.child("key")
    # a call may be one: `v(i)`
    callee = part.child("callee") if part.sort == "call" else None
    arguments = part.in_role("argument")
    if callee is not None and callee.sort == "name" and len(arguments) == 1:
        return callee, arguments[0]
    return None, None


TURN = Condition()
