"""Give a name its first value, in front of the loop that goes on from it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from jamkey.languages.base import Part, Statement
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.convert import filled_in

#: Rows that go on with the block above them.
_CLOSES = re.compile(r"(?:else|elif|elseif|except|finally|catch|end)\b|[)\]}]|$")
#: Sort of a value that a name is set to elsewhere -> what is asked of a first one like it.
_LIKE = {"text": "+ text", "list": "append", "dict": "items", "literal": "+"}


class Begun(Plain):
    """`total += kilos` in a loop gets its `total = 0` above, `found.append(row)` its `found = []`."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose first values for the names of the statement that the message tells, as they are used: likeliest first."""
        forms: list[dict[str, Any]] = ground.words.get("begun", [])
        if not forms or ground.place.distance or statement.sort == "functiondef":
            return
        parts = [part for top in (*statement.parts, *statement.targets) for part in top.walk()]
        names = {part.name for part in parts if part.sort == "name"} & set(ground.told)
        for name in sorted(names - ground.builtins):
            if any(item.sort in ("function", "class", "import", "parameter") for item in ground.code.definitions(name)):
                continue
            asked = asked_of(name, ground.code.scope_at(ground.place.line), ground)
            if not self._goes_on(name, asked, forms, ground):
                continue
            for line in _above(name, ground):
                for form in sorted(forms, key=lambda form: not asked & set(form["asked"])):
                    word = "as asked" if asked & set(form["asked"]) else "otherwise"
                    text = ground.indent(line) + filled_in(form["text"], name) + "\n"
                    yield Made(f"begun:{word} {form['text']}", before_line(line), text)

    @staticmethod
    def _goes_on(name: str, asked: set[str], forms: list[dict[str, Any]], ground: Ground) -> bool:
        """Tell a name that the program changes or uses as a value of its own, from one that comes from elsewhere."""
        scope = ground.code.scope_at(ground.place.line)
        known = [item for item in ground.code.definitions(name) if item.sort != "outer"]
        if scope and any(
            f"{scope}.".startswith(f"{item.scope}." if item.scope else "") and item.scope != scope for item in known
        ):
            return False  # one that is outside is meant
        own = [item for item in known if item.scope == scope]
        if own and not ground.code.loops(ground.place.line):
            # what is set for the first time further down stands too low
            return any(item.span.line <= ground.place.line for item in own)
        if own:
            return True
        language = ground.scene.sources.language(ground.place.file, ground.scene.jam.runtime)
        comes = language is not None and language.homes(name, ground.place.file)
        return not comes and any(asked & set(form["asked"]) for form in forms)


def _above(name: str, ground: Ground) -> list[int]:
    """Return the lines before which a name may begin: the loops around the place, and the block in which it is first set."""
    line, scope = ground.place.line, ground.code.scope_at(ground.place.line)
    loops = [loop.span.line for loop in ground.code.loops(line) if ground.code.scope_at(loop.span.line) == scope]
    found = [min(loops), max(loops)] if loops else []
    set_at = [item.span.line for item in ground.code.definitions(name) if item.scope == scope and item.sort != "outer"]
    function = next((item for item in ground.code.functions() if item.qualified == scope), None) if scope else None
    margin = ground.indent(function.body_line) if function is not None and function.body_line else ""
    first = min((*set_at, line))
    while first > 1 and (len(ground.indent(first)) > len(margin) or _CLOSES.match(ground.row(first).strip())):
        first -= 1
    if first < line and (not loops or first < min(loops)):
        found.append(first)
    return list(dict.fromkeys(found)) or [line]


def asked_of(name: str, scope: str, ground: Ground) -> set[str]:
    """Return what a function does with a name: members asked of it, signs beside it, calls it is given to, `[]` for keys."""
    found: set[str] = set()
    for line in sorted({span.line for span in ground.code.uses(name)}):
        statement = ground.code.statement(line) if ground.code.scope_at(line) == scope else None
        if statement is None:
            continue
        if statement.sort == "augassign" and any(target.name == name for target in statement.targets):
            found |= {sign for sign in "+-*" if f"{sign}=" in ground.row(line)}
        for target in statement.targets:
            owner = target.child("object")
            if target.sort == "index" and owner is not None and owner.source == name:
                found.add("[]")
        for part in [part for top in statement.parts for part in top.walk()]:
            found |= _of_part(part, name)
    for definition in ground.code.definitions(name):
        if definition.scope == scope and definition.value is not None and definition.sort == "assigned":
            found.add(_LIKE.get(definition.value.sort, ""))
    return found


def _of_part(part: Part, name: str) -> set[str]:
    if part.sort == "member" and (owner := part.child("object")) is not None and owner.source == name:
        return {part.name}
    if part.sort == "binary" and any(child.source == name for _, child in part.children):
        text = any(child.sort == "text" for child in part.walk())
        return {f"{part.name} text" if text else part.name}
    if part.sort == "call" and any(given.source == name for _, given in part.arguments):
        return {f"{part.called}()"}
    return set()


TURN = Begun()
