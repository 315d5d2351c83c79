"""Put a part into something, or something behind it: a conversion, a call, a member, a bracket."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.languages.base import Part
from jamkey.turns.base import Ground, Made, Plain, around_sign, names_in
from jamkey.turns.seen import Gives

_TIGHT = ("name", "member", "index", "call", "literal", "text", "list", "tuple", "dict", "set", "comprehension")
#: Places of a list that a word in brackets may mean.
_PLACES = 6
#: Columns of a table that are looked at.
_COLUMNS = 8
#: What takes items out of what stands before it, whatever the language.
_ITEM = re.compile(r"\{0\}(?:\[|\(|\{\{).*")
_COMPARES = re.compile(r"[<>]|[=!~]=|\bin\b|\bis\b")
_SPREAD = ("binary", "compare", "unary", "choice")


class Convert(Plain):
    """`x` becomes `int(x)`, `x.copy()`, `[x]`, `x()` ..."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose every word of the language around or behind the part."""
        role = ground.role(part)
        if ground.is_stored(part) or part.sort not in (*_TIGHT, *_SPREAD) or len(part.source) > 400:
            return
        if part.sort in ("name", "member") and role != "callee":
            yield Made("call", part.span, part.source + "()")
        if role in ("callee", "target"):
            return
        loose = part.sort in _SPREAD
        seen = ground.seen(part)
        gives = seen.gives if seen is not None else {}
        nothing = seen is not None and all(held.type == "NoneType" for held in seen.types)
        for word in ground.words.get("wraps", ()):
            if not _is_known(word, ground) or _fails(gives.get(word)):
                continue
            if nothing and " or " not in word:
                continue  # what is never there is made no text or list of
            if part.sort in ("text", "literal") and word in ("{0}[0]", "{0}[1]", "{0}[-1]"):
                continue
            if part.sort in ("list", "tuple") and len(part.children) > 1 and _ITEM.fullmatch(word):
                continue  # who writes several items out means all of them
            if word.strip("\"'`") == "{0}" and (part.sort != "name" or part.source in ground.visible):
                continue  # a name that holds something is not meant as its own text
            tight = f"({part.source})" if loose and not word.endswith(")") and not word.endswith("]") else part.source
            yield Made(f"convert:{word}", part.span, filled_in(word, tight))
        for word in (*ground.words.get("asked", ()), *ground.makers):
            given = gives.get(word)
            if given is not None and not given.fails and not given.same:
                tight = f"({part.source})" if loose else part.source
                yield Made(f"asked:{word}", part.span, filled_in(word, tight))
        yield from _of_columns(part, ground)
        if part.sort in ("text", "literal") and part.source[:1].isdigit():
            return
        if part.sort in ("name", "member", "index", "call"):
            for piece in [piece for piece in ground.residues if '"' not in piece and "\\" not in piece]:
                for word in ground.words.get("swept", ()):
                    yield Made(f"residue:{word}", part.span, part.source + word.replace("{0}", piece))
        operands = [child for role, child in part.children if role in ("left", "right")]
        pieces = around_sign(part, *operands) if loose and len(operands) == 2 else None
        if pieces is not None:
            for turn, word in (("whole", ground.idioms.to_whole), ("number", ground.idioms.to_number)):
                yield Made(f"convert:both {turn}", part.span, word.format(pieces[0]) + pieces[1] + word.format(pieces[2]))
        for word in ground.words.get("tails", ()):
            if _fails(gives.get("{0}" + word)):
                continue
            tight = f"({part.source})" if loose else part.source
            yield Made(f"convert:{word}", part.span, tight + word)


class LookUp(Plain):
    """`stock[name]` becomes `stock.get(name)` and back; a member is asked for in another way: `a->b`, `a?.b`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the other ways in which the language looks something up."""
        owner = part.child("object")
        if part.sort == "member" and owner is not None:
            for sign in ground.words.get("asks", ()):
                if part.source != f"{owner.source}{sign}{part.name}":
                    yield Made(f"look up:{sign}", part.span, f"{owner.source}{sign}{part.name}")
            return
        key = part.child("key")
        held = ground.value(owner) if part.sort == "index" and owner is not None and key is not None else None
        if held is not None and key is not None and key.sort == "text" and held.type in ("list", "tuple"):
            for place in range(min(held.length or 0, _PLACES)):
                yield Made("look up:place", key.span, str(place))
        forms = ground.words.get("look_ups", ()) if not ground.is_stored(part) else ()
        for form in forms:
            found = _looked_up(part, form)
            for other in forms if found is not None else ():
                if found is not None and other != form:
                    yield Made(f"look up:{other}", part.span, filled_in(other, *found))


def _looked_up(part: Part, form: str) -> tuple[str, str] | None:
    """Return what a look-up of one form asks and for which key."""
    if part.sort == "index" and form == "{0}[{1}]":
        owner, key = part.child("object"), part.child("key")
        return (owner.source, key.source) if owner is not None and key is not None and key.sort != "slice" else None
    callee = part.child("callee") if part.sort == "call" and len(part.arguments) == 1 else None
    owner = callee.child("object") if callee is not None else None
    if owner is None or filled_in(form, owner.source, part.arguments[0][1].source) != part.source:
        return None
    return owner.source, part.arguments[0][1].source


class Brackets(Plain):
    """Square brackets for round ones and back; round ones around what an operator binds too tightly."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the other brackets."""
        if part.sort == "index":
            owner, key = part.child("object"), part.child("key")
            if owner is not None and key is not None and key.sort != "slice" and not ground.is_stored(part):
                yield Made("brackets:round", part.span, f"{owner.source}({key.source})")
                if ground.words.get("doubled"):
                    yield Made("brackets:both", part.span, f"{owner.source}[[{key.source}]]")
                if key.sort == "tuple" and len(key.children) == 2:
                    keys = [child.source for _, child in key.children]
                    yield Made("brackets:apart", part.span, f"{owner.source}[{keys[0]}][{keys[1]}]")
        elif part.sort == "call":
            callee, words = part.child("callee"), part.arguments
            if callee is not None and len(words) == 1 and not words[0][0]:
                yield Made("brackets:square", part.span, f"{callee.source}[{words[0][1].source}]")
                yield Made("brackets:times", part.span, f"{callee.source} * ({words[0][1].source})")
                if ground.words.get("braces"):
                    yield Made("brackets:braces", part.span, f"{callee.source}{{{words[0][1].source}}}")
        elif part.sort in ("compare", "other"):
            yield from _compared(part, ground)
        elif part.sort == "binary" and (left := part.child("left")) is not None and (right := part.child("right")) is not None:
            for inner, before in ((left, True), (right, False)):
                if inner.sort != "binary" or part.source.startswith("("):
                    continue
                outer, ends = around_sign(part, left, right), [child for _, child in inner.children]
                inside = around_sign(inner, *ends) if len(ends) == 2 else None
                if outer is None or inside is None:
                    continue
                if before:
                    yield Made("brackets:other", part.span, f"{inside[0]}{inside[1]}({inside[2]}{outer[1]}{outer[2]})")
                else:
                    yield Made("brackets:other", part.span, f"({outer[0]}{outer[1]}{inside[0]}){inside[1]}{inside[2]}")


def _compared(part: Part, ground: Ground) -> Iterator[Made]:
    """Propose brackets around the comparisons that an operator binds too tightly."""
    signs = [sign for sign in ground.words.get("guarded", ()) if sign in part.source]
    pieces = _split(part.source, signs) if signs and "\n" not in part.source else []
    if len(pieces) > 1:
        words = [f"({piece.strip()})" if _COMPARES.search(piece) else piece.strip() for piece in pieces]
        yield Made("brackets:compared", part.span, " ".join(words))


def _split(source: str, signs: list[str]) -> list[str]:
    """Return the pieces between signs outside of brackets and texts, the signs among them."""
    pieces, depth, quote = [""], 0, ""
    for sign in source:
        if quote:
            quote = "" if sign == quote else quote
        elif sign in "'\"":
            quote = sign
        else:
            depth += (sign in "([{") - (sign in ")]}")
        if sign in signs and not depth and not quote:
            pieces += [f" {sign} ", ""]
        else:
            pieces[-1] += sign
    return pieces


def _of_columns(part: Part, ground: Ground) -> Iterator[Made]:
    """Propose what is done with one column of a table that the part was seen to hold; told ones come first."""
    value = ground.value(part)
    if value is None or not value.type.endswith(".DataFrame") or part.sort in ("binary", "compare"):
        return
    names = names_in(value)
    columns = sorted((name for name in names if '"' not in name), key=lambda name: name not in ground.told)[:_COLUMNS]
    told = [word for word in ground.told if '"' not in word and word not in names][:2]
    for word in ground.words.get("of_column", ()):
        for column in columns:
            for other in told if "{1}" in word else ("",):
                yield Made(f"of column:{word}", part.span, part.source + filled_in(word, column, other))


def filled_in(word: str, *pieces: str) -> str:
    """Return a word of the table with its holes filled."""
    for number in range(len(pieces)):
        word = word.replace(f"{{{number}}}", chr(number))
    word = word.replace("{{", "{").replace("}}", "}")
    for number, piece in enumerate(pieces):
        word = word.replace(chr(number), piece)
    return word


def _fails(given: Gives | None) -> bool:
    """Tell a form that fails with the value that the part was seen to hold."""
    return given is not None and given.fails


def _is_known(word: str, ground: Ground) -> bool:
    """Tell a word that calls what is there: a module that is imported, a class that can be named here."""
    called, bracket, _ = word.partition("(")
    owner, dot, _ = called.partition(".")
    if not bracket or not owner.isidentifier() or not ground.words.get("imports"):
        return True  # where modules are not imported by name nothing tells
    there = owner in ground.visible or owner in ground.builtins
    return there or not (dot or owner[:1].isupper())


TURN = Convert()
LOOK_UP = LookUp()
BRACKETS = Brackets()
