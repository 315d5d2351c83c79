"""Look a member up as a key, and a key as a member: `pond.fish` is `pond["fish"]`."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain


class Keyed(Plain):
    """`pond.fish` becomes `pond["fish"]`, `tile["colour"]` `tile.colour`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the other of the two, in languages where they are not the same."""
        form: str = ground.words.get("keyed", "")
        owner = part.child("object")
        if not form or owner is None or any(part.span == target.span for target in ground.statement.targets):
            return
        key = part.child("key")
        if part.sort == "member" and ground.role(part) != "callee":
            yield Made("keyed:key", part.span, form.format(owner.source, part.name))
        elif part.sort == "index" and key is not None and key.sort == "text" and key.name.isidentifier():
            yield Made("keyed:member", part.span, f"{owner.source}.{key.name}")


TURN = Keyed()
