"""Write another name that really exists: a variable in scope, a member, a key, a sibling word."""

from __future__ import annotations

import functools
import re
from collections.abc import Iterator

from rapidfuzz.distance import DamerauLevenshtein

from jamkey.languages.base import Definition, Part
from jamkey.turns.base import Ground, Made, Plain, names_in

_MOST = 24
#: Members of a type that are all tried, however they are spelt.
_MEMBERS = 80
#: Files of the project that are looked at, and of which one may be meant.
_FILES, _NAMED = 500, 4
#: How alike two names are that one slip makes of each other.
_NEARLY = 0.75
#: Letters from which a word of the message is looked for in a text.
_LEAST = 3
#: A text in which a word is changed has so many letters at most; how alike the other word is.
_LONG, _INNER = 400, 0.6
#: Uses of a variable that are renamed with it.
_USES = 40
_IDENTIFIER = re.compile(r"[A-Za-z_]\w+")
#: A directive of a format, or a word.
_PIECES = re.compile(r"(%-?[A-Za-z]|[A-Za-z]+)")
#: A sign in a short text -> those it is taken for: separators, letters of date formats, ways to open a file.
_SIGNS = {
    "/": "-.",
    "-": "/._",
    ".": "/-",
    ",": ";",
    ";": ",",
    "Y": "y",
    "y": "Y",
    "m": "Md",
    "M": "m",
    "d": "m",
    "H": "I",
    "_": "- ",
    " ": "_",
    "r": "w",
    "w": "ra",
}


class Names(Plain):
    """`totl` becomes `total`, `rows` becomes `row`, `"weigth"` becomes `"weight"`, `append` becomes `extend`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the other names that could stand here."""
        if part.sort == "name":
            yield from self._variable(part, ground)
        elif part.sort == "member" and part.name_span is not None:
            yield from self._member(part, ground)
        elif part.sort == "key":
            known = {name for name in ground.told if name.isidentifier()} | ground.scene.members
            for name in sorted(known - {part.name}, key=lambda name: (-near(name, part.name), name))[:_MOST]:
                if name.isidentifier():
                    yield Made(f"name:{how_alike(name, part.name)}", part.span, name)
        elif part.sort == "text":
            yield from self._text(part, ground)

    def _variable(self, part: Part, ground: Ground) -> Iterator[Made]:
        others = [name for name in ground.visible if name != part.name]
        if ground.is_stored(part):
            used = [name for name in others if near(name, part.name) > 0.6]
            for name in used[:3]:
                yield Made("name:stored", part.span, name)
            return
        for name in sorted(others, key=lambda name: -near(name, part.name))[:_MOST]:
            yield Made(f"name:{how_alike(name, part.name)}", part.span, name)
        if part.name in ground.told:
            for name in sorted(ground.scene.members - ground.code.visible(ground.place.line)):
                if name.isidentifier() and name != part.name and near(name, part.name) >= _NEARLY:
                    yield Made("name:elsewhere", part.span, name)
        if part.name not in ground.visible and part.name not in ground.builtins:
            like = [name for name in ground.builtins if near(name, part.name) > 0.6]
            for name in sorted(like, key=lambda name: (-near(name, part.name), name))[:_MOST]:
                yield Made("name:builtin", part.span, name)
        yield from _siblings(part, part.span, ground)
        if part.name not in ground.visible and (own := ground.idioms.look_alikes.get(part.name)):
            yield Made("name:of another language", part.span, own)
        receiver = ground.words.get("receiver")
        if receiver and part.name in ground.code.all_members():
            yield Made("name:own", part.span, f"{receiver}.{part.name}")
        for definition in ground.code.definitions():
            if (
                definition.sort == "import"
                and not definition.imported
                and definition.name in ground.visible
                and ground.role(part) == "callee"
            ):
                yield Made("name:of module", part.span, f"{definition.name}.{part.name}")
        for name in ground.told:
            if name.isidentifier() and name != part.name and name not in ground.visible:
                yield Made(f"told:{how_alike(name, part.name)}", part.span, name)

    def _member(self, part: Part, ground: Ground) -> Iterator[Made]:
        owner = part.child("object")
        value = ground.value(owner) if owner is not None else None
        known = set(names_in(value)) if value is not None else set()
        # a module by its name, else what the value is of
        kinds = ([owner.source] if owner is not None else []) + ([value.type] if value is not None else [])
        own = next((names for kind in kinds if (names := ground.members_of(kind))), ())
        if value is not None and len(own) <= _MEMBERS:
            for name in sorted(own, key=lambda name: -near(name, part.name)):
                if name != part.name:
                    yield Made(f"member:of {value.type}", part.name_span or part.span, name)
        known |= set(own) or (ground.members | ground.members_told)
        known |= {name for name in ground.told if name.isidentifier()}
        known |= ground.scene.members
        for name in sorted(known, key=lambda name: -near(name, part.name))[:_MOST]:
            if name != part.name and name.isidentifier():
                yield Made(f"member:{how_alike(name, part.name)}", part.name_span or part.span, name)
        yield from _siblings(part, part.name_span or part.span, ground)

    def _text(self, part: Part, ground: Ground) -> Iterator[Made]:
        source = part.source
        yield from _inner(part, ground)
        quote = source[-1:]
        if quote not in ("'", '"') or source[:1] not in ("'", '"') or len(source) > 60:
            return
        word = source[1:-1]
        known: dict[str, None] = {}
        for frame in ground.scene.jam.frames:
            for value in frame.values:
                known.update(dict.fromkeys(names_in(value)))
        known.update(dict.fromkeys(sorted(ground.scene.members)))
        known.update(dict.fromkeys(ground.told))
        for name in ground.residues:
            yield Made("text:residue", part.span, f"{quote}{name}{quote}")
        if "." in word or "/" in word:
            files = [name for name in ground.scene.sources.files()[:_FILES] if quote not in name and name != word]
            for name in sorted(files, key=lambda name: -near(name, word))[:_NAMED]:
                if near(name, word) >= 0.5:
                    yield Made(f"text:file {how_alike(name, word)}", part.span, f"{quote}{name}{quote}")
        for name in sorted(known, key=lambda name: -near(name, word))[:_MOST]:
            if name != word and "\n" not in name and quote not in name and "\\" not in name:
                yield Made(f"text:{how_alike(name, word)}", part.span, f"{quote}{name}{quote}")
        for turn, other in (
            ("stripped", word.strip()),
            ("lower", word.lower()),
            ("upper", word.upper()),
            ("title", word.title()),
            ("blank", f" {word}"),
            ("blank", f"{word} "),
        ):
            if other != word:
                yield Made(f"text:{turn}", part.span, f"{quote}{other}{quote}")
        for group in ground.words.get("alike", ()):
            for other in group if word in group else ():
                if other != word:
                    yield Made(f"text:{word} to {other}", part.span, f"{quote}{other}{quote}")
        for index, sign in enumerate(word):
            for new in _SIGNS.get(sign, ""):
                if len(word) <= 24:
                    yield Made("text:sign", part.span, f"{quote}{word[:index]}{new}{word[index + 1 :]}{quote}")
        yield from _swapped(part, word, quote)
        if len(set(word) & set("/-.,;:")) == 1:
            (sign,) = set(word) & set("/-.,;:")
            for other in "/-.":
                if other != sign:
                    yield Made("text:signs", part.span, f"{quote}{word.replace(sign, other)}{quote}")
        if word.isidentifier() and word in ground.visible:
            yield Made("text:name", part.span, word)
        if len(word) > 1 and not word.startswith("%"):
            yield Made("text:plural", part.span, f"{quote}{word[:-1] if word.endswith('s') else word + 's'}{quote}")


def _swapped(part: Part, word: str, quote: str) -> Iterator[Made]:
    """Propose two pieces of a short text in each other's place: day and month of a format, two names between signs."""
    pieces = _PIECES.split(word)
    if not 5 <= len(pieces) <= 13:
        return
    for first in range(1, len(pieces) - 2, 2):
        if pieces[first] != pieces[first + 2]:
            other = [*pieces]
            other[first], other[first + 2] = other[first + 2], other[first]
            yield Made("text:swapped", part.span, f"{quote}{''.join(other)}{quote}")


def _siblings(part: Part, span: object, ground: Ground) -> Iterator[Made]:
    for group in ground.words.get("siblings", ()):
        if part.name in group:
            for other in group:
                if other != part.name and other:
                    yield Made(f"sibling:{part.name} to {other}", span, other)  # type: ignore[arg-type]


@functools.lru_cache(maxsize=65_536)
def near(one: str, other: str) -> float:
    """Return how alike two names are, 0 to 1; case and signs between words count little."""
    plain = [name.lower().replace("_", "").replace("-", "").replace(" ", "") for name in (one, other)]
    return float(DamerauLevenshtein.normalized_similarity(*plain))


def _inner(part: Part, ground: Ground) -> Iterator[Made]:
    """Propose what nearly is a told word of a longer text, of the words that the program writes elsewhere."""
    inside = set(_IDENTIFIER.findall(part.source[1:-1]))
    words = [word for word in sorted(ground.said & inside, key=lambda word: word not in ground.told) if len(word) > _LEAST]
    if not words or len(part.source) > _LONG or part.source[1:-1] in words:
        return
    known = set(_IDENTIFIER.findall(ground.code.text))
    for word in words[:2]:
        for other in sorted(known - {word}, key=lambda other: (-near(other, word), other))[:4]:
            if near(other, word) >= _INNER:
                yield Made("text:inner nearly", part.span, re.sub(rf"\b{word}\b", other, part.source))


def how_alike(name: str, other: str) -> str:
    """Return how alike two names are, in a word."""
    alike = near(name, other)
    return "nearly" if alike >= _NEARLY else "alike" if alike >= 0.5 else "other"


class Renamed(Plain):
    """What is defined gets the name by which it is asked for."""

    def at_statement(self, statement: object, ground: Ground) -> Iterator[Made]:
        """Propose the wanted names for what is defined here, and of other words of the message what is nearly its name."""
        for definition in ground.code.definitions():
            if definition.span.line != ground.place.line:
                continue
            told = ground.told if definition.sort in ("function", "class", "parameter") else ()
            wanted = [name.rpartition(".")[2] for name in told]  # `box.frames` asks for `frames`
            wanted += [name for name in sorted(ground.said) if len(name) > 2 and near(name, definition.name) >= _NEARLY]
            for name in dict.fromkeys(wanted):
                if name.isidentifier() and name != definition.name:
                    yield Made(f"renamed:{how_alike(name, definition.name)}", definition.span, name)
            if definition.sort == "function":
                for name in ground.words.get("own_methods", ()) if _is_method(definition, ground) else ():
                    if name != definition.name and near(name, definition.name) >= _NEARLY:
                        yield Made("renamed:own method", definition.span, name)
            elif definition.sort in ("assigned", "loop", "parameter") and definition.name in ground.builtins:
                yield from _no_builtin(definition, ground)


def _is_method(definition: Definition, ground: Ground) -> bool:
    return any(item.owner and item.span.line == definition.span.line for item in ground.code.functions(definition.name))


def _no_builtin(definition: Definition, ground: Ground) -> Iterator[Made]:
    """Propose a name that hides no function of the language, for a variable; calls keep theirs."""
    called = {(call.span.line, call.span.column) for call in ground.code.calls(definition.name)}
    uses = [span for span in ground.code.uses(definition.name) if (span.line, span.column) not in called]
    if called and len(uses) <= _USES:
        new = f"{definition.name}_"
        more = tuple((ground.place.file, span, new) for span in uses if span != definition.span)
        yield Made("renamed:no builtin", definition.span, new, more=more)


TURN = Names()
RENAMED = Renamed()
