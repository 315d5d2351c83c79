"""Words that a message quotes or names."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.late import pattern

_QUOTED = pattern(r"'([^']*)'|\"([^\"]*)\"|`([^`]*)`|\u2018([^\u2019]*)\u2019|\u201c([^\u201d]*)\u201d")
_WANTED = ("name", "member", "method", "key", "value", "index", "suggestion", "column", "label", "keyword", "text", "given")


def words_told(scene: Scene) -> list[str]:
    """Return the words that the message quotes, and those of its facts that name something, without the file names."""
    found = [*_QUOTED.findall((scene.jam.wording or "")[:2000])]
    words = [next(word for word in match if word) if any(match) else "" for match in found]
    words += [str(fact) for name, fact in scene.facts.items() if name in _WANTED and len(str(fact)) <= 60]
    return list(dict.fromkeys(word for word in words if word and len(word) <= 60 and "\n" not in word))
