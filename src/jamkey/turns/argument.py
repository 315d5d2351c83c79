"""Change what a call hands over: leave out, swap, name, spread, add what is in scope or what the function can take."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from jamkey.follow.data_places import header_of
from jamkey.languages.base import Function, Part
from jamkey.languages.members import takers
from jamkey.turns.base import Ground, Made, Plain, before_line
from jamkey.turns.seen import Taken

_MOST_NAMES = 14
#: Tables whose first lines are looked at, and columns of them.
_TABLES, _COLUMNS = 4, 10
#: Parameters that the values of one name are handed over to.
_MOST_PLACES = 4
#: Kinds of parameters that can be named in a call.
_BY_NAME = ("POSITIONAL_OR_KEYWORD", "KEYWORD_ONLY")


class Argument(Plain):
    """`f(a, b)` becomes `f(a)`, `f(b, a)`, `f(*a)`, `f(a, b, c)`, `f(a, axis=1)`."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose other argument lists for a call."""
        callee = part.child("callee") if part.sort == "call" else None
        if callee is None:
            return
        words = part.arguments
        texts = [_written(keyword, argument, ground) for keyword, argument in words]
        inside = _inside(part, callee)
        if inside is None:
            return

        def made(turn: str, new: list[str]) -> Made:
            return Made(f"argument:{turn}", part.span, inside[0] + ", ".join(new) + inside[1])

        for index, (keyword, argument) in enumerate(words):
            rest = texts[:index] + texts[index + 1 :]
            yield made("drop", rest)
            if index + 1 < len(texts) and not keyword and not words[index + 1][0]:
                yield made("swap", [*texts[:index], texts[index + 1], texts[index], *texts[index + 2 :]])
            if not keyword and argument.sort in ("name", "list", "tuple", "call", "index", "member"):
                for sign in ground.words.get("spreads", ()):
                    yield made(f"spread {sign}", [*texts[:index], sign + texts[index], *texts[index + 1 :]])
            if argument.sort in ("list", "tuple") and not keyword:
                yield made("unpacked", [*texts[:index], *(child.source for _, child in argument.children), *texts[index + 1 :]])
            if keyword and keyword != "**":
                yield made("unnamed", [*texts[:index], argument.source, *texts[index + 1 :]])
        if len(texts) > 1 and not words[-1][0]:
            yield made("gathered", [f"[{', '.join(texts)}]"])
            if ground.words.get("tuples"):
                yield made("gathered", [f"({', '.join(texts)})"])
                for start in range(1, len(texts) - 1) if not any(keyword for keyword, _ in words) else ():
                    yield made("gathered", [*texts[:start], f"({', '.join(texts[start:])})"])
        for value in ground.words.get("plain", ())[:4]:
            yield made(f"plain {value}", [*texts, value])
            if len(words) == 1 and words[0][1].sort == "comprehension" and not texts[0].startswith(("[", "(", "{")):
                yield made(f"plain {value}", [f"({texts[0]})", value])
        yield from self._own(part, texts, ground, made)
        yield from _named_elsewhere(part, texts, ground, made)
        seen = ground.seen(callee)
        takes = seen.takes if seen is not None else None
        yield from self._known(part, texts, ground, made, takes)
        if takes is not None and ground.words.get("named"):
            yield from _asked(part, texts, ground, made, takes)

    def _own(self, part: Part, texts: list[str], ground: Ground, made: Callable[[str, list[str]], Made]) -> Iterator[Made]:
        """Propose arguments for an own function: its parameters by name, what is in scope, small values."""
        functions = [function for _, function in ground.scene.functions_named(part.called)][:2]
        named: str = ground.words.get("named", "")
        placed: str = ground.words.get("placed", "")
        for function in functions:
            missing = _missing(function, part)
            if placed and len(part.arguments) == 1 and 0 < len(missing) < _MOST_PLACES:
                first = ground.scene.traits.first_place
                places = range(first, first + 1 + len(missing))
                yield made("by places", [placed.format(texts[0], place) for place in places])
            for param in missing[:3]:
                for name in [n for n in ground.visible if n == param or n.rstrip("s") == param.rstrip("s")]:
                    yield made("by name", [*texts, name])
                    if named:
                        yield made("keyword", [*texts, named.format(param, name)])
            for index, (keyword, argument) in enumerate(part.arguments):
                for param in missing if named and not keyword else ():
                    yield made("name it", [*texts[:index], *texts[index + 1 :], named.format(param, argument.source)])
        names = [name for name in ground.visible if name != part.called][:_MOST_NAMES]
        for name in names:
            if name not in texts:
                yield made("in scope", [*texts, name])
                yield made("in scope first", [name, *texts])

    def _known(
        self,
        part: Part,
        texts: list[str],
        ground: Ground,
        made: Callable[[str, list[str]], Made],
        takes: Mapping[str, Taken] | None,
    ) -> Iterator[Made]:
        """Propose the arguments that many calls of the language take; only those that this one is known to, where it is."""
        given = {keyword for keyword, _ in part.arguments if keyword}
        if part.called in ground.words.get("modes", ()) and len(part.arguments) == 1:
            for mode in [mode for group in ground.words.get("alike", ()) if "w" in group for mode in group]:
                yield made(f"mode:{mode}", [*texts, f'"{mode}"'])
        reads = part.called in ground.words.get("readers", ())
        if reads:
            words = dict.fromkeys((*ground.told, *_headers(ground), *_keys(ground)))
            for word in [word for word in words if '"' not in word and "\\" not in word][:16]:
                for option in ground.words.get("columns", ()):
                    yield made(f"column:{option}", [*texts, option.replace("{0}", word)])
        for kind in ("options", "flags") if reads else ("flags",):
            for flag in ground.words.get(kind, ()):
                name, _, value = flag.partition("=")
                name = name.strip()
                if takes is not None and not can_take(takes, name):
                    continue
                if takes is None and value and not _is_taken(part.called, name, ground):
                    continue
                if value and name in given:
                    for index, (keyword, argument) in enumerate(part.arguments):
                        if keyword == name and argument.source != value.strip():
                            again = [*texts[:index], flag, *texts[index + 1 :]]
                            yield made(f"{kind}={flag}", again)
                    continue
                yield made(f"{kind}:{flag}", [*texts, flag])


def _is_taken(called: str, name: str, ground: Ground) -> bool:
    """Tell whether a function takes an argument of that name, as far as its language was asked."""
    known = takers(ground.language).get(name)
    if known is None or called in known:
        return True
    own = ground.scene.functions_named(called)
    return any(name in [param.name for param in function.params] for _, function in own)


def can_take(takes: Mapping[str, Taken], name: str) -> bool:
    """Tell whether something can be called with an argument of that name."""
    if any(param.kind == "VAR_KEYWORD" for param in takes.values()):
        return True
    return name in takes and takes[name].kind in _BY_NAME


def _asked(
    part: Part, texts: list[str], ground: Ground, made: Callable[[str, list[str]], Made], takes: Mapping[str, Taken]
) -> Iterator[Made]:
    """Propose what the called thing says that it takes: the other truth value, a documented word, a name in scope."""
    given = {keyword for keyword, _ in part.arguments if keyword}
    plain = sum(not keyword for keyword, _ in part.arguments)
    true, false = ground.idioms.true, ground.idioms.false
    for index, (name, param) in enumerate(takes.items()):
        if param.kind not in _BY_NAME or name in given or (param.kind != "KEYWORD_ONLY" and index < plain):
            continue
        named = str(ground.words["named"])
        told = "told " if name in ground.said else ""
        if param.default in (true, false):
            yield made(f"asked {told}flip", [*texts, named.format(name, false if param.default == true else true)])
        for word in param.choices[:6]:
            if word.strip("'\"") != (param.default or "").strip("'\""):
                yield made(f"asked {told}choice", [*texts, named.format(name, word)])
        if name in ground.visible:
            yield made(f"asked {told}by name", [*texts, named.format(name, name)])
        if told and param.default is not None:
            for word in [word for word in ground.told if '"' not in word and "\\" not in word][:4]:
                yield made("asked told word", [*texts, named.format(name, f'"{word}"')])
    for index, (name, argument) in enumerate(part.arguments):
        for word in takes[name].choices[:6] if name in takes else ():
            if word.strip("'\"") != argument.source.strip("'\""):
                text = str(ground.words["named"]).format(name, word)
                yield made("asked other choice", [*texts[:index], text, *texts[index + 1 :]])


def _named_elsewhere(part: Part, texts: list[str], ground: Ground, made: Callable[[str, list[str]], Made]) -> Iterator[Made]:
    """Propose keywords that other calls of the same function name, and other spellings of those that stand here."""
    named: str = ground.words.get("named", "")
    if not named:
        return
    given = {keyword for keyword, _ in part.arguments if keyword}
    others: dict[str, Part] = {}
    for call in ground.code.calls(part.called)[:12]:
        for keyword, argument in call.arguments:
            if keyword not in ("", "**") and keyword not in given:
                others.setdefault(keyword, argument)
                yield made("as elsewhere", [*texts, named.format(keyword, argument.source)])
    for index, (keyword, argument) in enumerate(part.arguments):
        if keyword in ("", "**"):
            continue
        words = {keyword.replace("_", ""), *ground.told, *others} - given - {""}
        for word in sorted(word for word in words if word.isidentifier()):
            yield made("keyword spelt", [*texts[:index], named.format(word, argument.source), *texts[index + 1 :]])


def _headers(ground: Ground) -> list[str]:
    """Return the names of the columns of the project's tables."""
    sources = ground.scene.sources
    cells = (cell.strip() for name in sources.data_files()[:_TABLES] for cell in header_of(sources, name))
    return [cell for cell in dict.fromkeys(cells) if cell][:_COLUMNS]


def _keys(ground: Ground) -> list[str]:
    return list(ground.code.literal_keys())[:8]


def _written(keyword: str, argument: Part, ground: Ground) -> str:
    if keyword == "**":
        return f"**{argument.source}"
    if not keyword:
        return argument.source
    return str(ground.words.get("named", "{0}={1}")).format(keyword, argument.source)


def _inside(part: Part, callee: Part) -> tuple[str, str] | None:
    """Return the call's text before and behind its arguments."""
    text = part.source
    if not text.startswith(callee.source) or not text.endswith(")"):
        return None
    opening = text.find("(", len(callee.source))
    return (text[: opening + 1], ")") if opening >= 0 else None


def _missing(function: Function, part: Part) -> list[str]:
    plain = [param.name for param in function.params if param.star in ("", "k") and param.name not in ("self", "cls")]
    given = {keyword for keyword, _ in part.arguments if keyword}
    positional = len([1 for keyword, _ in part.arguments if not keyword])
    return [name for name in plain[positional:] if name not in given]


class Parameter(Plain):
    """`def f(x)` becomes `def f(self, x)`, `def f(x, y)`, `def f(x=None)`."""

    def at_statement(self, statement: object, ground: Ground) -> Iterator[Made]:
        """Propose another parameter list for the function that begins here."""
        for function in ground.code.functions():
            if function.span.line != ground.place.line or function.params_span is None:
                continue
            names = [param.name for param in function.params]
            start = function.params_span
            behind = ", " if names else ""
            receiver = ground.words.get("receiver", "")
            static = ground.words.get("static", "")
            if function.owner and static and receiver not in names:
                # where a method without an object is marked, its object is a parameter like others
                yield Made("parameter:self", start, f"{receiver}{behind}")
                line = function.span.line
                yield Made("parameter:static", before_line(line), f"{ground.indent(line)}{static}\n")
            for index, param in enumerate(function.params):
                last = param.default.span.end if param.default is not None else param.span.end
                if param.default is None and param.star == "" and param.name not in ("self", "cls"):
                    default = ground.words.get("defaults", "")
                    for value in ground.words.get("plain", ())[:3] if default else ():
                        yield Made("parameter:default", last, default.format(value))
                if param.star == "" and index + 1 < len(function.params) and function.params[index + 1].star == "":
                    other = function.params[index + 1]
                    if param.default is None and other.default is None:
                        yield Made(
                            "parameter:swap", param.span, other.name, more=((ground.place.file, other.span, param.name),)
                        )
                for sign in ground.words.get("gathers", ()):
                    yield Made(f"parameter:{sign}", param.span.start, sign)
            end = function.params[-1] if function.params else None
            place = (end.default.span.end if end.default is not None else end.span.end) if end is not None else start
            for sign in ground.words.get("gathers", ()) if not any(param.star for param in function.params) else ():
                yield Made(f"parameter:rest {sign}", place, f"{behind}{sign}{'rest' if len(sign) > 1 else 'others'}")
            body = [name for name in _free(function, ground) if name not in names]
            for name in body[:3]:
                first = name == receiver  # an object comes before all that it is given
                yield Made("parameter:free", start if first else place, f"{name}{behind}" if first else f"{behind}{name}")


def _free(function: Function, ground: Ground) -> list[str]:
    """Return the names that the body uses and nothing defines."""
    found: list[str] = []
    for line in range(function.body_line or function.span.line, (function.last_line or function.span.end_line) + 1):
        statement = ground.code.statement(line)
        for top in statement.parts if statement is not None else ():
            for part in top.walk():
                known = part.name in ground.builtins and part.name != ground.words.get("receiver")
                if part.sort == "name" and part.name not in found and not known:
                    if not ground.code.reaching(part.name, line):
                        found.append(part.name)
    return found


TURN = Argument()
PARAMETER = Parameter()
