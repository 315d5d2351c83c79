"""A word that stands once, in the whole project, and is nearly another: one of the two is a slip."""

from __future__ import annotations

from pathlib import PurePath

from rapidfuzz.distance import DamerauLevenshtein

from jamkey.follow.scene import Scene
from jamkey.follow.similar import Neighbours
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import Word, words
from jamkey.model import Edit

#: Pairs that are two words, not one misspelt.
_PAIRS = 3


class Twins:
    """Words that differ by a letter, by case, by a space."""

    kinds = frozenset(
        """
        missing-value no-such-key no-such-member unknown-name raised-on-purpose wrong-count index-out-of-range
        stale-wiring not-callable
    """.split()
    )

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer both places, the odd one first."""
        every = words(scene)
        places: dict[str, list[Word]] = {}
        for word in every:
            places.setdefault(word.text, []).append(word)
        language = scene.language
        known = (language.keywords | language.builtins) if language is not None else frozenset()
        own = {function.name for _, code in scene.own_codes() for function in code.functions()}
        # what a file is called is told from outside
        known |= {PurePath(name).stem for name, _ in scene.own_codes()}
        named = set(scene.facts.values())
        near = Neighbours(places)
        offered = 0
        pairs: list[tuple[float, int, Word, Word]] = []
        for text, spots in places.items():
            if scene.sources.out_of_time():
                break
            odd = spots[0]
            if len(spots) > 1 or len(text) < 2 or text in known or (odd.quoted and not _key_like(text)):
                continue
            for other in near.of(text):
                others = places[other]
                score = _alike(text, other, named=other in named)
                if not score or other in known or (others[0].file, others[0].line) == (odd.file, odd.line):
                    continue
                if scene.jam.kind in ("unknown-name", "not-callable") and not {text, other} & named:
                    continue  # only the name that is not known is in question
                if score < 0.5 and odd.code != others[0].code and text not in named:
                    continue  # a heading in the singular, a variable in the plural
                if others[0].quoted and not _key_like(other):
                    continue
                if _was_called(scene, odd) or _was_called(scene, others[0]):
                    continue
                if (
                    not odd.quoted
                    and not others[0].quoted
                    and score == 1.0
                    and not {text, other} & named
                    and text[0] != other[0]
                ):
                    continue  # a class and its object are named so
                if odd.quoted != others[0].quoted and not (odd.quoted and (other in own or not odd.code)):
                    continue
                pairs.append((score, -min(len(others), 3), odd, others[0]))
        pairs.sort(key=lambda pair: (-pair[0], pair[1], not pair[2].code))
        message = (scene.jam.wording or "") + " " + " ".join(scene.facts.values())
        for score, _, odd, twin in pairs:
            if offered >= _PAIRS:
                break
            both_once = len(places[twin.text]) == 1
            if (
                both_once
                and odd.code == twin.code
                and (odd.file, odd.line) < (twin.file, twin.line)
                and odd.text not in message
            ):
                continue  # the later one uses what the earlier one sets up
            if both_once and not odd.code and twin.code:
                continue
            offered += 1
            told = "-told" if odd.text in message or twin.text in message else ""
            found.root(
                odd.file,
                odd.line,
                f"`{odd.text}` stands only here, and `{twin.text}` is nearly the same",
                f"twin-odd{told}",
                near=min(score, 1.0),
                column=odd.start + 1,
            )
            asked = both_once and twin.text in message and odd.text not in message
            found.root(
                twin.file,
                twin.line,
                f"`{twin.text}` here is nearly `{odd.text}`",
                "twin-asked" if asked else f"twin-other{told}",
                near=min(score, 1.0),
                column=twin.start + 1,
            )
            edit = Edit(
                file=odd.file,
                line=odd.line,
                column=odd.start + 1,
                end_line=odd.line,
                end_column=odd.end + 1,
                new_text=twin.text,
            )
            found.key(
                f"as-elsewhere-{twin.text}",
                f"Write `{twin.text}` instead of `{odd.text}` on line {odd.line} of {odd.file}",
                f"`{twin.text}` is what it is called elsewhere",
                [edit],
                known=f"as-elsewhere{told}",
                near=min(score, 1.0),
            )


def _was_called(scene: Scene, word: Word) -> bool:
    """Tell what is called, not defined, on another line than those that failed: a call of what is none would have."""
    code = scene.sources.code(word.file, scene.jam.runtime)
    if code is not None and any(function.span.line == word.line for function in code.functions(word.text)):
        return False
    stopped = any((frame.file, frame.line) == (word.file, word.line) for frame in scene.jam.frames)
    called = not word.quoted and scene.row(word.file, word.line)[word.end :].lstrip().startswith("(")
    return called and not stopped and scene.jam.phase == "run" and bool(scene.jam.frames)


def _key_like(text: str) -> bool:
    """Tell a key or a name in quotes from prose."""
    return text == text.strip() and text[-1:].isalnum() and text[:1].isalnum() and text.count(" ") <= 2


def _alike(one: str, other: str, *, named: bool = False) -> float:
    """Return 1 for the same letters in another case or spacing, 0.8 for one slip, less for a plural, 0 for two words."""
    if one == other or abs(len(one) - len(other)) > 2:
        return 0.0
    plain, second = ("".join(c for c in text.lower() if c.isalnum()) for text in (one, other))
    if plain == second:
        return 1.0 if plain else 0.0
    if min(len(plain), len(second)) < (3 if named else 4) or plain[0] != second[0]:
        return 0.0
    if any(c.isdigit() for c in set(plain) ^ set(second)):
        return 0.0
    if DamerauLevenshtein.distance(plain, second, score_cutoff=1) > 1:
        return 0.0
    if plain + "s" == second or second + "s" == plain:
        return 0.45
    return 0.8


CLUE = Twins()
