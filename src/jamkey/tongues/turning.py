"""Line by line back into English: what lays a failure out, the message behind it, and what fills the message's holes."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cache

from jamkey.tongues.catalogues import found
from jamkey.tongues.layouts import QUOTES, layout
from jamkey.tongues.wordings import ENGLISH, Quotes, Wording, plain_blanks, wording

#: A place in a source, a linker's object, a program's name: a message may stand behind each.
_BEHIND = re.compile(r"(?:\S+:\(\S+\) ?:|[^\s:][^:\n]*:(?:\d+:){0,2}) *")
#: What a compiler puts behind a message: the option that asks for it, or a colon.
_AFTER = re.compile(r" \[[-\w=+]+\]$| ?:$")
#: Messages one behind another in a line, and in one another.
_DEEPEST = 4
#: Different messages that are looked up.
_MOST_MESSAGES = 2000
#: Lines of one message at most, and characters of a line that is looked at.
_MOST_ROWS, _LONGEST = 4, 2000


class Turning:
    """Turns what one runtime printed in one language.

    Args:
        runtime: such as `r`.
        language: as its catalogues name it.

    Attributes:
        own: English message -> as printed, of what was turned.
    """

    def __init__(self, runtime: str, language: str) -> None:
        self.quotes = _quotes(layout()[runtime][language])
        self.openings = _openings(runtime, language)
        first = {opening.literals[0] or opening.literals[-1].strip() for opening in self.openings}
        behind_hole = {opening.literals[-1].strip() for opening in self.openings if not opening.literals[0]}
        self.may_open = re.compile(
            "|".join([*map(re.escape, sorted(first)), *(f".*{re.escape(words)}" for words in sorted(behind_hole) if words)])
        )
        self.wordings = _by_opening(runtime, language)
        self.of_lines = _of_lines(runtime, language)
        #: Whether its layout begins each line with a blank.
        self.set_in = layout()[runtime][language].get("Error: ", "").startswith(" ")
        self.own: dict[str, str] = {}
        self.begun: dict[str, list[Wording]] = {}
        self.seen: dict[str, tuple[int, str] | None] = {}

    def turn(self, text: str, most: int) -> str:
        """Return the text in English, line for line; of a longer one than `most` lines the rest stays."""
        rows = plain_blanks(text).split("\n")
        made: list[str] = []
        while len(made) < min(len(rows), most):
            made += self._rows(rows, len(made))
        return "\n".join(made + rows[len(made) :])

    def _rows(self, rows: list[str], place: int) -> list[str]:
        """Return a row in English, and those behind it that belong to its message."""
        row = rows[place]
        body = row.strip()
        if not body or len(body) > _LONGEST:
            return [row]
        indent = row[: len(row) - len(row.lstrip(" "))]
        opened, message = self._opened(body)
        while opened and message and (more := self._opened(message))[0]:
            opened, message = opened + more[0], more[1]
        if opened:
            # one blank before is the language's
            indent = indent if len(indent) > 1 else ""
        several = self._over_lines(message, rows[place + 1 : place + _MOST_ROWS])
        if several is not None:
            return [indent + opened + several[0], *several[1:]]
        turned = self._deep(message, kept=bool(opened)) if message else ""
        if not opened and turned == message:
            return [row]
        return [(indent + opened + turned).rstrip()]

    def _opened(self, body: str) -> tuple[str, str]:
        """Return what lays a failure out in English where a line begins with it or has it behind a place; and the rest."""
        for start in [0, *(match.end() for match in [_BEHIND.match(body)] if match is not None)]:
            rest = body[start:]
            if self.may_open.match(rest) is None:
                continue
            for opening in self.openings:
                if (holes := _prefix(opening, rest)) is None:
                    continue
                taken, filled = holes
                behind = rest[taken:].strip()
                return _tight(body[:start]) + opening.filled(filled).rstrip() + (" " if behind else ""), behind
        return "", body

    def _deep(self, text: str, *, kept: bool = True, depth: int = 0) -> str:
        """Return a message in English where it is known, or what stands behind a place in it; else with English quotes.

        Args:
            text: of the message.
            kept: whether it is one for certain, as what stands behind "error:" is.
            depth: of places before it.
        """
        found = self._message(text)
        made = found[1] if found is not None else None
        if made is None and depth < _DEEPEST and (match := _BEHIND.match(text)) is not None and match.end() < len(text):
            inner = text[match.end() :]
            turned = self._deep(inner, kept=kept, depth=depth + 1)
            made = _tight(match[0]) + turned if turned != inner else None
        if made is None:
            made = self._english_quotes(text) if kept else text
        if made != text:
            self.own.setdefault(made, text)
        return made

    def _english_quotes(self, text: str) -> str:
        if self.quotes == ENGLISH:
            return text
        return text.replace(self.quotes.opening, "‘").replace(self.quotes.closing, "’")

    def _message(self, text: str, depth: int = 0) -> tuple[int, str] | None:
        """Return how many letters of a whole message are known, and it in English; of those that fit, the best known."""
        if text in self.seen:
            return self.seen[text]
        if len(self.seen) >= _MOST_MESSAGES:
            return None
        best = self._best(text, depth)
        if best is None and (behind := _AFTER.search(text)) is not None and behind.start():
            best = self._best(text[: behind.start()], depth)
            end = behind[0].strip()
            best = (best[0], f"{best[1]} {end}" if end.startswith("[") else best[1] + end) if best is not None else None
        self.seen[text] = best
        return best

    def _best(self, body: str, depth: int) -> tuple[int, str] | None:
        best: tuple[int, str] | None = None
        for one in (*self.wordings.get(body[:1], ()), *self.wordings.get("", ())):
            holes = one.match(body)
            if holes is not None and (filled := self._filled(one, holes, depth)) is not None:
                # two that a language words alike: most messages begin with a small letter
                if (
                    best is None
                    or filled[0] > best[0]
                    or (filled[0] == best[0] and filled[1][:1].islower() > best[1][:1].islower())
                ):
                    best = filled
        return best

    def _filled(self, one: Wording, holes: list[str], depth: int) -> tuple[int, str] | None:
        """Return a message with its holes filled in English; None where it tells too little."""
        known, filled = one.weight, []
        for hole in holes:
            inner = self._message(hole.strip(), depth + 1) if hole.strip() and depth < _DEEPEST else None
            known += inner[0] if inner is not None else 0
            filled.append(inner[1] if inner is not None else hole)
        if not one.literals[0] and one.holes[:1] == (0,):
            filled[0] = _tight(filled[0])  # a program and a file, as often as not
        return (known, one.filled(filled)) if one.tells or known > one.weight else None

    def _over_lines(self, message: str, behind: list[str]) -> list[str] | None:
        """Return a message that goes on in the lines behind; as many lines as it has."""
        # what a language puts before every row
        behind = [row[1:].rstrip() if self.set_in and row[:1] == " " else row for row in behind]
        if message not in self.begun:
            self.begun[message] = [one for one in self.of_lines if _begins(one, message)]
        for one in self.begun[message]:
            count = sum(literal.count("\n") for literal in one.literals)
            if count > len(behind):
                continue
            holes = one.match("\n".join([message, *(row.strip() for row in behind[:count])]))
            if holes is None or (filled := self._filled(one, holes, 0)) is None:
                continue
            made = filled[1].split("\n")
            if len(made) == count + 1:
                # what it quotes of the source keeps its indentation
                return [line if line != row.strip() else row for line, row in zip(made, ["", *behind], strict=False)]
        return None


def _begins(one: Wording, line: str) -> bool:
    """Tell whether a message of several lines can have a line as its first."""
    first = one.literals[0].partition("\n")[0]
    last = next((literal.partition("\n")[0] for literal in one.literals if "\n" in literal), "")
    return line.startswith(first) and line.endswith(last)


def _tight(place: str) -> str:
    """Return a place without the blanks that some languages have before a colon."""
    return re.sub(r" +(?=:)|(?<=: ) +$", "", place)


def _prefix(opening: Wording, text: str) -> tuple[int, list[str]] | None:
    """Return how much of a text an opening takes, and what fills its hole; a call may lie between."""
    first = opening.literals[0]
    if not text.startswith(first):
        return None
    if not opening.holes:
        return len(first), []
    following = opening.literals[1].strip()
    end = text.find(following, len(first)) if following else -1
    # the colon behind a call, not one within it
    while end > 0 and following == ":" and text[end - 1 : end] != " " and text[end + 1 : end + 2] not in ("", " "):
        end = text.find(following, end + 1)
    if end < 0:
        return None
    return end + len(following), [text[len(first) : end].strip()]


def _quotes(words: Mapping[str, str]) -> Quotes:
    """Return how a language quotes; the simple signs stand for the usual ones."""
    opening, closing = (words.get(sign, sign) for sign in QUOTES)
    return ENGLISH if opening == QUOTES[0] or not closing else Quotes(plain_blanks(opening), plain_blanks(closing))


@cache
def _openings(runtime: str, language: str) -> list[Wording]:
    """Return what lays a failure out, also where it is as in English; the longest first."""
    words = layout()[runtime][language]
    shared = {english: english for known in layout()[runtime].values() for english in known}
    pairs = [*words.items(), *shared.items()]
    made = [
        wording(english.replace("\n", ""), own.replace("\n", ""), same=True)
        for english, own in pairs
        if english not in QUOTES and not english.startswith("%") and not any(sign in english for sign in ("%q", "%d"))
    ]
    kept = [one for one in made if one is not None]
    return sorted(kept, key=lambda one: -sum(map(len, one.literals)))


@cache
def _all(runtime: str, language: str) -> tuple[Wording, ...]:
    quotes = _quotes(layout()[runtime][language])
    # what carries another message is not always translated
    carriers = {(english, english) for known in layout()[runtime].values() for english in known if english.startswith("%")}
    made = (wording(*pair, quotes) for pair in (*found(runtime, language), *sorted(carriers)))
    return tuple(one for one in made if one is not None)


@cache
def _by_opening(runtime: str, language: str) -> dict[str, list[Wording]]:
    """Return the messages of one line by their first character; none for those that begin with a hole."""
    kept: dict[str, list[Wording]] = {}
    for one in _all(runtime, language):
        if not any("\n" in literal for literal in one.literals):
            kept.setdefault(one.literals[0][:1], []).append(one)
    return kept


@cache
def _of_lines(runtime: str, language: str) -> list[Wording]:
    """Return the messages of some lines."""
    kept = [one for one in _all(runtime, language) if any("\n" in literal for literal in one.literals)]
    return [one for one in kept if sum(literal.count("\n") for literal in one.literals) < _MOST_ROWS]
