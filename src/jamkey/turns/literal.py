"""Write another literal: text for a number and back, the other truth value, another empty thing."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.repair.of_quotes import LOOK_ALIKES
from jamkey.turns.base import Ground, Made, Plain

#: Signs that mean more than themselves in a pattern.
_SPECIAL = frozenset(".()[]{}*+?|^$")
_NUMBER = re.compile(r"-?\d+(?:\.\d+)?")
_PLAIN = str.maketrans({sign: plain for sign, plain in LOOK_ALIKES.items() if plain not in ("'", '"')})


def _is_cut(part: Part, ground: Ground) -> bool:
    """Tell a text with a fraction that stands where a whole number is made of it: as a number it would be cut."""
    above = ground.above.get(part.span, ("", None))[1]
    return (
        above is not None
        and set(",.") & set(part.source) != set()
        and above.source == ground.idioms.to_whole.format(part.source)
    )


class Literal(Plain):
    """`"5"` becomes `5`, `None` becomes `[]`, `[x]` becomes `(x)` ..."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose literals of another sort in the place of one."""
        source = part.source
        if part.sort == "text" and source[:1] in "'\"":
            inner = source[1:-1]
            if _NUMBER.fullmatch(inner.replace(",", ".")) and not _is_cut(part, ground):
                yield Made("literal:number", part.span, inner.replace(",", "."))
                if "," in inner:
                    yield Made("literal:point", part.span, f'"{inner.replace(",", ".")}"')
            if any(sign in LOOK_ALIKES for sign in inner):
                yield Made("literal:plain signs", part.span, source.translate(_PLAIN))
            if len(inner) == 1 and inner in _SPECIAL:
                for word in ground.words.get("escaped", ()):
                    yield Made("literal:escaped", part.span, source[0] + word.replace("{0}", inner) + source[-1])
            if "{" in inner and (filled := ground.words.get("filled", "")):
                yield Made("literal:filled", part.span, filled + source)
            if "," in inner and ground.words.get("tuples"):
                quoted = ", ".join(f'"{word.strip()}"' for word in inner.split(","))
                yield Made("literal:list", part.span, f"[{quoted}]")
        if part.sort == "literal" and _NUMBER.fullmatch(source):
            yield Made("literal:text", part.span, f'"{source}"')
            for number in ground.numbers:
                if number != source:
                    yield Made("literal:told", part.span, number)
            if "." not in source:
                yield Made("literal:float", part.span, source + ".0")
                for factor in (10, 100, 1000):
                    yield Made("literal:times", part.span, str(int(source) * factor))
            else:
                yield Made("literal:whole", part.span, source.partition(".")[0])
        swap = {ground.idioms.true: ground.idioms.false, ground.idioms.false: ground.idioms.true}
        if source in swap:
            yield Made("literal:truth", part.span, swap[source])
        empty = source in ground.words.get("plain", ()) or (part.sort in ("list", "dict", "tuple", "set") and not part.children)
        if empty:
            shared = ground.scene.traits.shared_defaults if ground.statement.sort == "functiondef" else ()
            for other in ground.words.get("plain", ()):
                if other != source and other not in shared:
                    yield Made(f"literal:{source} to {other}", part.span, other)
        if part.sort in ("list", "tuple") and part.children:
            bare = source[:1] + source[-1:] not in ("()", "[]") or not is_one(source)
            inner = source if bare else source[1:-1]
            opening, closing = ("", "") if bare else (source[0], source[-1])
            for turn, text in (("to list", f"[{inner}]"), ("to tuple", f"({inner})"), ("to set", "{" + inner + "}")):
                if text != source:
                    yield Made(f"literal:{turn}", part.span, text)
            if part.sort == "tuple" and len(part.children) == 1:
                yield Made("literal:no comma", part.span, part.children[0][1].source)
            quote = "'" if "'" in source and '"' not in source else '"'
            for word in ground.told[:4]:
                known = inner.rstrip().rstrip(",")
                yield Made("literal:with told", part.span, f"{opening}{known}, {quote}{word}{quote}{closing}")
            items = [child.source for _, child in part.children]
            if 1 < len(items) <= 4:
                yield Made("literal:reversed", part.span, opening + ", ".join(reversed(items)) + closing)


def is_one(source: str) -> bool:
    """Tell whether the first bracket is closed by the last sign; texts in it are not looked into."""
    depth = 0
    for place, sign in enumerate(source):
        depth += (sign in "([{") - (sign in ")]}")
        if depth == 0:
            return place == len(source) - 1
    return False


class Format(Plain):
    """A place in a format takes another sort of value: `%d` becomes `%s`, `{:d}` becomes `{:.2f}`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose other sorts for each place of a format."""
        if part.sort != "text" or len(part.source) > 300:
            return
        source = part.source
        for match in list(_PLACE.finditer(source))[:8]:
            for other in ("s", ".2f", "d", "g", ""):
                new = match[1] + (other or ("s" if match[1].startswith("%") else ""))
                if match[1].endswith(":") and not other:
                    new = match[1][:-1]
                if new != match[0].rstrip("}"):
                    end = "}" if match[0].endswith("}") else ""
                    text = source[: match.start()] + new + end + source[match.end() :]
                    yield Made(f"format:{match[2] or '-'} to {other or '-'}", part.span, text)
        if source.endswith(("'", '"')):
            for word in (" %s", " %d", " {}", "\\n"):
                yield Made(f"format:more{word}", part.span, source[:-1] + word + source[-1])


_PLACE = re.compile(r"(%-?\d*|\{\w*:[<>^]?,?\d*)((?:\.\d+)?[dsfgxic])\}?")
TURN = Literal()
FORMAT = Format()
