"""Every small edit of tokens and of indentation near the place where a parser gave up, each with what it costs."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.repair.foreign import foreign
from jamkey.repair.ground import Edit, Ground
from jamkey.repair.of_characters import characters
from jamkey.repair.of_directives import directives
from jamkey.repair.of_lines import block_ends, indented, lines
from jamkey.repair.of_prompts import prompts
from jamkey.repair.of_quotes import alike, quotes
from jamkey.repair.of_tokens import holes, of_tokens, phrases, renamed


def edits(ground: Ground) -> Iterator[Edit]:
    """Yield the edits of a broken text, in no order."""
    if lacking := list(holes(ground)):
        yield from lacking  # what is wrong is known; a text no longer formatted would only hide it
        return
    yield from alike(ground)
    yield from prompts(ground)
    yield from foreign(ground)
    yield from directives(ground)
    yield from quotes(ground)
    yield from of_tokens(ground)
    yield from phrases(ground)
    yield from renamed(ground)
    yield from lines(ground)
    yield from characters(ground)
    if ground.python:
        yield from indented(ground)
    else:
        yield from block_ends(ground)
