"""Have a constructor call that of the class which its own is made from."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Function, Statement
from jamkey.turns.base import Ground, Made, Plain, before_line


class Inherited(Plain):
    """`constructor(name, seats) {` is followed by `super(name);`, where nothing in it calls the parent's."""

    def at_statement(self, statement: Statement, ground: Ground) -> Iterator[Made]:
        """Propose the call as the first thing that the constructor around the statement does."""
        form = ground.words.get("parent", "")
        function = _constructor(ground, ground.place.line) if form else None
        if function is None or not function.body_line or function.body_line == function.span.line:
            return
        bases = ground.code.bases(function.owner) or []
        body = "\n".join(ground.row(line) for line in range(function.body_line, function.last_line + 1))
        if not bases or "super" in body:
            return
        own = [param.name for param in function.params if param.name != ground.words.get("receiver")]
        wanted = next((names for base in bases if (names := _taken(base, ground)) is not None), own)
        given = [name for name in wanted if name in own]
        texts = dict.fromkeys([", ".join(given), ", ".join(own[: len(wanted)]), ""])
        for text in texts:
            row = ground.indent(function.body_line) + form.format(text) + "\n"
            yield Made("inherited", before_line(function.body_line), row)


def _constructor(ground: Ground, line: int) -> Function | None:
    around = [item for item in ground.code.functions() if item.span.line <= line <= item.last_line]
    return next((item for item in around if item.owner and item.name == (_name(ground) or item.owner)), None)


def _name(ground: Ground) -> str:
    return str(ground.words.get("constructor", ""))


def _taken(base: str, ground: Ground) -> list[str] | None:
    """Return the parameters of a class's constructor; None where it is not here."""
    plain = base.rpartition(".")[2]
    for _, function in ground.scene.functions_named(_name(ground) or plain):
        if function.owner == plain:
            return [param.name for param in function.params if param.name != ground.words.get("receiver")]
    return None


TURN = Inherited()
