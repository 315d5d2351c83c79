"""Is a message the program's own? Then its words stand in a text of the program, and no library's check said them."""

from __future__ import annotations

import os
import re

from jamkey.follow.sources import Sources
from jamkey.languages import ENDINGS
from jamkey.model import Jam

#: Texts of one line between quotes; what stands between two holes of a format is looked for by itself.
_TEXT = re.compile(r"\"((?:[^\"\\\n]|\\.){4,400})\"|'((?:[^'\\\n]|\\.){4,400})'|`((?:[^`\\]|\\.){4,400})`")
_HOLES = re.compile(r"%[-+ #0]*[\d.*]*[a-zA-Z]|\$\{[^}]*\}|\\\([^)]*\)|\{[^{}]*\}|\$\w+|\\.")
#: Letters of a message that are in one text of the program, at least; how much of it, or so many, are.
_LEAST, _SHARE, _ENOUGH = 5, 0.4, 12
#: Files and characters that are looked through.
_MOST_FILES, _MOST_TEXT = 40, 400_000


def says_it_itself(jam: Jam, sources: Sources) -> bool:
    """Tell whether a message, or much of it, stands as a text in the program's own source."""
    message = (jam.wording or "").split("\n", 1)[0][:400]
    letters = sum(map(str.isalpha, message))
    if not letters:
        return False
    own = [name for name in sources.files() if os.path.splitext(name)[1].lower() in ENDINGS]
    named = [sources.resolve(frame.file) for frame in jam.frames if frame.owner == "yours"]
    for name in [name for name in dict.fromkeys([*named, *own]) if name][:_MOST_FILES]:
        for found in _TEXT.finditer((sources.text(name) or "")[:_MOST_TEXT]):
            pieces = _HOLES.split(found[1] or found[2] or found[3])
            said = sum(sum(map(str.isalpha, piece)) for piece in pieces if len(piece.strip()) > 1 and piece.strip() in message)
            if said >= max(_LEAST, min(_SHARE * letters, _ENOUGH)):
                return True
    return False
