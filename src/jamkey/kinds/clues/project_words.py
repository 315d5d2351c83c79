"""The words of a project: identifiers and quoted texts with their places, in code and in data."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator

import msgspec

from jamkey.follow.scene import Scene
from jamkey.languages import ENDINGS

_TEXTS = (".csv", ".tsv", ".json", ".txt", ".xml", ".yaml", ".yml", ".toml", ".ini", ".storyboard", ".html", ".htm")
_LONGEST = 200_000
_PAGES = (".html", ".htm")
_ATTRIBUTE = re.compile(r"=\s*[\"']([^\"'<>]{1,200})[\"']")
_MOST_FILES = 60
_TOKEN = re.compile(r"\"((?:[^\"\\\n]|\\.){1,60})\"|'((?:[^'\\\n]|\\.){1,60})'|([A-Za-z_][A-Za-z_0-9]*)")
_PIECE = re.compile(r"[^,;\t|<>\"'={}\[\]()\n]{1,60}")
_COMMENT = {"r": "#", "octave": "%", "lua": "--", "julia": "#", "python": "#", "basic": "'", "stata": "*"}


class Word(msgspec.Struct, frozen=True):
    """One occurrence."""

    text: str
    file: str
    line: int
    #: 0-based, of the word itself without quotes.
    start: int
    quoted: bool
    code: bool

    @property
    def end(self) -> int:
        """Return the column behind it, 0-based."""
        return self.start + len(self.text)


def project_lines(scene: Scene) -> Iterator[tuple[str, int, str, str]]:
    """Yield (file, line, text without comment, language or empty) for the project's sources and small data files."""
    count = 0
    others = {*scene.sources.data_files()} - {*scene.data_files}  # data that the program has nothing to do with
    asked = scene.language.name if scene.language is not None and not scene.traits.sends_in_brackets else ""
    for file in scene.sources.files():
        ending = os.path.splitext(file)[1].lower()
        language = ENDINGS.get(ending, "")
        if (language and asked and language != asked) or (not language and ending not in _TEXTS):
            continue
        if file in others or (language and not scene.can_have_run(file)):
            continue
        text = scene.sources.text(file) or ""
        count += 1
        if count > _MOST_FILES or len(text) > _LONGEST:
            continue
        script = scene.sources.code(file, asked) if ending in _PAGES and asked == "javascript" else None
        codes = script.text.split("\n") if script is not None else []
        for number, row in enumerate(text.split("\n"), 1):
            if codes:
                # a page: its scripts, and what its tags name; what it shows names nothing
                code = codes[number - 1]
                yield file, number, without_comment(code, asked), asked
                row = _named_in_tags("".join(" " if one != " " else other for one, other in zip(code, row, strict=False)))
            yield file, number, without_comment(row, language) if language else row, language


def _named_in_tags(row: str) -> str:
    """Return a line of a page with everything blanked but the values of attributes, in place."""
    kept = [" "] * len(row)
    for found in _ATTRIBUTE.finditer(row):
        kept[found.start(1) : found.end(1)] = found[1]
    return "".join(kept)


def without_comment(row: str, language: str) -> str:
    """Return a line of code up to its comment."""
    mark = _COMMENT.get(language, "//")
    if row.lstrip().startswith((mark, "/*", "* ")) and not (mark == "*" and not row.lstrip().startswith("*")):
        return ""
    at = row.find(mark) if mark not in ("*", "'", "%") else -1
    while at >= 0:
        before = row[:at]
        if before.count('"') % 2 == 0 and before.count("'") % 2 == 0:
            return before
        at = row.find(mark, at + 1)
    return row


def words(scene: Scene) -> list[Word]:
    """Return the words of the project in order."""
    found: list[Word] = []
    for file, number, row, language in project_lines(scene):
        if language:
            for match in _TOKEN.finditer(row):
                quoted = match[3] is None
                group = 3 if not quoted else 1 if match[1] is not None else 2
                found.append(Word(match[group], file, number, match.start(group), quoted, True))
        else:
            for match in _PIECE.finditer(row):
                text = match[0].strip()
                if text and not text.replace(".", "").replace("-", "").isdigit():
                    start = match.start() + len(match[0]) - len(match[0].lstrip())
                    found.append(Word(text, file, number, start, True, False))
        if len(found) > 40_000:
            break
    return found
