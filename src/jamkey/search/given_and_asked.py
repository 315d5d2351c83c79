"""Which names of members, keys and columns a program gives to its objects, and which it asks them for.

Where one is given and never asked for, and another is asked for and never given, they are likely meant to be one.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from jamkey.follow.data_places import header_of
from jamkey.follow.scene import Scene

#: Data files whose first lines give names.
_TABLES = 6
_SET = r"\s*(?:=(?![=~])|<-)"
_GIVEN = re.compile(
    rf"(?:[.$]|->)(\w+){_SET}"  # hive.kilos = 3, hive$kilos <- 3
    rf"|\[\s*[\"'](\w+)[\"']\s*\]{{1,2}}{_SET}"  # hive["kilos"] = 3
    r"|[{,(]\s*[\"']?(\w+)[\"']?\s*(?::(?![:=])|=(?![=~>]))"  # {"kilos": 3}, Hive(kilos=3)
)
_ASKED = re.compile(
    rf"(?:[.$]|->)(\w+)\b(?!\s*\()(?!{_SET})"  # hive.kilos
    rf"|\[\s*[\"'](\w+)[\"']\s*\]\]?(?!\])(?!{_SET})"  # hive["kilos"]
    r"|\.get\(\s*[\"'](\w+)[\"']"
)


class GivenAndAsked:
    """The names of one program.

    Args:
        texts: its sources.
        given: names that come from elsewhere, such as the first lines of tables.
    """

    def __init__(self, texts: Iterable[str], given: Iterable[str] = ()) -> None:
        self.given: set[str] = set(given)
        self.asked: set[str] = set()
        for text in texts:
            self.given |= {match[match.lastindex or 1] for match in _GIVEN.finditer(text)}
            self.asked |= {match[match.lastindex or 1] for match in _ASKED.finditer(text)}

    def of(self, word: str) -> str:
        """Return whether a name is `given`, `asked`, `both` or `none`."""
        if word in self.given:
            return "both" if word in self.asked else "given"
        return "asked" if word in self.asked else "none"


def of_scene(scene: Scene, most: int) -> GivenAndAsked:
    """Return the names of a project: those of its sources, `most` characters of them, and of its tables' first lines.

    Args:
        scene: the jam with its sources.
        most: characters looked at.
    """
    texts, left = [], most
    for _, code in scene.own_codes():
        if left > 0:
            texts.append(code.text[:left])
            left -= len(code.text)
    columns = {cell.strip() for name in scene.sources.data_files()[:_TABLES] for cell in header_of(scene.sources, name)}
    return GivenAndAsked(texts, columns)
