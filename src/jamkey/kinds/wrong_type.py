"""A value of one sort stands where another sort is needed."""

from __future__ import annotations

from jamkey.follow.dispatched import refused, types_told
from jamkey.follow.origins import Origin, follow
from jamkey.follow.scene import Scene
from jamkey.follow.suspect import operand_of_type
from jamkey.kinds.base import Diagnosis, an, idioms_of, replace, show, trace_names, wrap
from jamkey.kinds.repair import numbers_in_quotes
from jamkey.languages.base import Part

_NUMBERS = ("int", "float", "numpy.float64", "numpy.int64", "Decimal", "complex", "bool")
_ADDS = ("+", "+=")

#: Parts whose sort shows as they are written.
_WRITTEN = ("literal", "text")


class WrongType:
    """See the module."""

    name = "wrong-type"
    title = "a value of the wrong sort"
    about = (
        "An operation got a value of a sort it cannot work with: text where a number belongs, one thing where several "
        "are needed, a function instead of its result."
    )
    usual = (
        "text that was typed or read from a file is used as a number",
        "text and a number are joined without turning the number into text",
        "the parentheses of a call were forgotten, so the function itself is used",
        "one value stands where a list is expected, or the other way round",
    )
    avoid = "Turn text into numbers at the place where it enters the program, not where it is used."
    example = 'frames = 10\nprint("frames: " + frames)\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Find the value of the wrong sort, and decide where to convert it."""
        facts = scene.facts
        left, right = facts.get("left", ""), facts.get("right", "")
        found = Diagnosis(kind=self.name, avoid=self.avoid, causes=list(self.usual))
        if right and not left:
            left = "str" if "str" in (scene.jam.wording or "").replace(f"'{right}'", "") else left
        operator, left, right = _pair(scene, facts.get("operator", ""), left, right)
        if (call := refused(scene)) is not None and len(call.types) == 2 and not call.function[0].isalpha():
            operator, (left, right) = call.function, call.types
        if operator and bool(left) != bool(right) and (met := _met(scene)):
            found.meaning = f"{met}, and it cannot work on that pair."
            found.look_at = f"Look at both sides of `{operator}`: which of them is not what you meant it to be?"
        elif operator and (left or right):
            one, other = (an(side) if side else "something else" for side in (left, right))
            found.meaning = f"`{operator}` stands between {one} and {other}, and it cannot work on that pair."
            found.look_at = f"Look at both sides of `{operator}`: which of them is not what you meant it to be?"
        elif call is not None:
            found.meaning = f"`{call.function}` is called with {types_told(call)} here, and no method of it takes these."
            found.look_at = f"Print the type of what `{call.function}` is given just before this line."
        elif facts.get("given") and facts.get("wanted"):
            one, other = an(facts["given"]), an(facts["wanted"])
            found.meaning = f"{one[0].upper()}{one[1:]} stands where {other} is wanted, and does not become one by itself."
            found.look_at = "Decide which of the two it should be, and convert it, or declare it so."
        elif left and right and left != right:
            found.meaning = (
                f"{an(left)[0].upper()}{an(left)[1:]} and {an(right)} meet here, and the line cannot work on that pair."
            )
            found.look_at = "Look at both: which of them is not what you meant it to be?"
        elif facts.get("wanted"):
            found.meaning = (
                f"{an(facts['wanted'])[0].upper()}{an(facts['wanted'])[1:]} is wanted here, and what stands there is none."
            )
            found.look_at = "Print the value and its type just before this line."
        else:
            kind = facts.get("type") or right or left or facts.get("given", "")
            found.meaning = (
                f"{an(kind)[0].upper()}{an(kind)[1:]} is used here in a way that {an(kind)} does not allow."
                if kind
                else "What this line works on is of a sort that it cannot work with."
            )
            found.look_at = "Print the value and its type just before this line."
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        parts = scene.parts_of(scene.frame)
        if {left, right} & {"str"} and ({left, right} & set(_NUMBERS)):
            self._text_and_number(scene, found, parts, left, right, operator)
        self._function_itself(scene, found, parts)
        self._text_for_whole(scene, found, parts)
        self._single_for_many(scene, found, parts)
        self._unhashable(scene, found, parts)
        self._json_or_join(scene, found, parts)
        self._own_class(scene, found)
        found.root(file, line, "the value has the wrong sort here", "snag")
        return found

    def _text_and_number(self, scene: Scene, found: Diagnosis, parts: list[Part], left: str, right: str, operator: str) -> None:
        """Text meets a number: join as text, or turn the text into a number where it enters."""
        if scene.frame is None:
            return
        idioms = idioms_of(scene)
        scene.facts = {**scene.facts, "left": left, "right": right, "operator": operator or "+"}
        text_part = operand_of_type(scene, parts, "str")
        number_type = left if left in _NUMBERS else right
        number_part = operand_of_type(scene, parts, number_type)
        file = scene.frame.file
        joins = (operator or "+") in _ADDS and (text_part is None or _is_wording(text_part))
        if number_part is not None and (operator or "+") in _ADDS:
            found.key(
                "number-to-text",
                f"Turn the number into text: `{show(idioms.to_text.format(number_part.source))}`",
                "`+` joins text only with text",
                [wrap(file, number_part, idioms.to_text)],
                known="number-to-text-joins" if joins else "number-to-text",
            )
        if text_part is None:
            return
        value = scene.value(text_part.source)
        content = value.text.strip("'\"") if value is not None else ""
        whole = content.strip().lstrip("-").isdigit() if content else number_type == "int"
        convert = idioms.to_whole if whole else idioms.to_number
        for rank, origin in enumerate(follow(scene, text_part, scene.jam.snag or 0, want="text")[:3]):
            self._convert_at(scene, found, origin, convert, rank, joins="-joins" if joins else "")
        found.key(
            "text-to-number",
            f"Turn the text into a number: `{show(convert.format(text_part.source))}`",
            f"`{show(text_part.source)}` holds text, and `{operator or '+'}` needs a number",
            [wrap(file, text_part, convert)],
            known="text-to-number-joins" if joins else "text-to-number",
        )

    def _convert_at(self, scene: Scene, found: Diagnosis, origin: Origin, convert: str, rank: int, *, joins: str) -> None:
        part = origin.part
        if part is None:
            return
        if origin.sort == "typed":
            found.root_at(origin, "what is typed in is always text", f"typed{joins}", rank=rank)
            found.key(
                "convert-typed",
                f"Convert it where it is typed in: `{show(convert.format(part.source))}`",
                "typed input is text until it is converted",
                [wrap(origin.file, part, convert)],
                known=f"convert-typed{joins}",
                rank=rank,
            )
        elif origin.sort == "literal" and part.sort == "text":
            inner = part.source.strip("'\"")
            numeric = inner.strip().lstrip("-").replace(".", "", 1).isdigit()
            # text that is no number is meant as text: the operation is what does not fit
            known = f"text-written{joins}" if numeric else "wording"
            found.root_at(origin, f"{show(part.source)} is written as text here", known, rank=rank)
            if numeric:
                found.key(
                    "write-number",
                    f"Write the number without quotes: `{inner.strip()}`",
                    "in quotes it is text, not a number",
                    [replace(origin.file, part.span, inner.strip())],
                    known=f"write-number{joins or '-meant'}",
                    rank=rank,
                )
        elif origin.sort == "literal":
            numbers_in_quotes(scene, found, origin)
        elif origin.sort in ("read", "open", "computed"):
            found.root_at(origin, "the text comes from here", f"text-from{joins}", rank=rank)

    def _text_for_whole(self, scene: Scene, found: Diagnosis, parts: list[Part]) -> None:
        """A call that takes whole numbers is given text: the argument that holds text is to be converted."""
        if "cannot be interpreted as an integer" not in (scene.jam.wording or "") or scene.frame is None:
            return
        idioms = idioms_of(scene)
        statement = scene.statement_of(scene.frame)
        tops = [p for top in (statement.parts if statement else ()) for p in top.walk()]
        for call in [p for p in [*parts, *tops] if p.sort == "call"]:
            for _, argument in call.arguments:
                value = scene.value(argument.source)
                if argument.sort == "text" and argument.name.strip().lstrip("-").isdigit():
                    found.root(
                        scene.frame.file, argument.span.line, f"{argument.source} is text, not a number", "text-argument"
                    )
                    found.key(
                        "write-number",
                        f"Write the number without quotes: `{argument.name.strip()}`",
                        "in quotes it is text",
                        [replace(scene.frame.file, argument.span, argument.name.strip())],
                    )
                elif value is not None and value.type == scene.facts.get("type", "str"):
                    sort = "str" if value.type == "str" else "float"
                    reason = (
                        f"`{show(argument.source)}` holds text"
                        if sort == "str"
                        else f"`{show(argument.source)}` holds a fraction"
                    )
                    found.key(
                        f"whole-{argument.source}",
                        f"Make it a whole number: `{show(idioms.to_whole.format(argument.source))}`",
                        reason,
                        [wrap(scene.frame.file, argument, idioms.to_whole)],
                    )

    def _function_itself(self, scene: Scene, found: Diagnosis, parts: list[Part]) -> None:
        """A function is used instead of its result."""
        kinds = {scene.facts.get("type", ""), scene.facts.get("left", ""), scene.facts.get("right", "")}
        if not kinds & {"builtin_function_or_method", "method", "function", "type"} or scene.frame is None:
            return
        statement = scene.statement_of(scene.frame)
        tops = statement.parts if statement is not None else ()
        names = [p for t in tops for p in t.walk() if p.sort in ("name", "member")]
        called = {p.child("callee") for t in tops for p in t.walk() if p.sort == "call"}
        for part in [*parts, *names]:
            if part.sort not in ("name", "member") or part in called:
                continue
            if part.sort == "member" and scene.value(part.source) is None:
                found.key(
                    "call-it",
                    f"Call it: `{show(part.source)}()`",
                    "without parentheses it is the function itself",
                    [replace(scene.frame.file, part.span.end, "()")],
                )
                continue
            self._members_on_the_way(scene, found, part)

    def _members_on_the_way(self, scene: Scene, found: Diagnosis, part: Part) -> None:
        """An assignment on the way holds `x = object.method`."""
        for index, frame in enumerate(scene.jam.frames):
            code = scene.code_of(frame)
            if code is None or frame.owner != "yours" or frame.line is None:
                continue
            names = {part.name} if index == scene.jam.snag else {d.name for d in code.definitions() if d.value}
            for name in names:
                for definition in code.reaching(name, frame.line):
                    value = definition.value
                    if value is not None and value.sort == "member" and value.name in _METHODS:
                        found.root(frame.file, value.span.line, f"`{show(value.source)}` lacks its parentheses", "uncalled")
                        found.key(
                            "call-it",
                            f"Call it: `{show(value.source)}()`",
                            "without parentheses it is the function itself",
                            [replace(frame.file, value.span.end, "()")],
                        )

    def _single_for_many(self, scene: Scene, found: Diagnosis, parts: list[Part]) -> None:
        """A number is looped over, measured, unpacked or indexed."""
        kind = scene.facts.get("type", "")
        if kind not in _NUMBERS or scene.frame is None:
            return
        file = scene.frame.file
        message = scene.jam.wording or ""
        statement = scene.statement_of(scene.frame)
        if "iterable" in message and statement is not None:
            over = statement.parts[1] if statement.sort == "for" and len(statement.parts) > 1 else None
            over = over or next((p.child("iterable") for p in parts if p.sort == "comprehension"), None)
            if over is not None:
                found.key(
                    "count-up-to",
                    f"Count up to it: `range({show(over.source)})`",
                    "a number cannot be gone through; `range` gives the numbers below it",
                    [wrap(file, over, "range({0})")],
                )
        if "subscriptable" in message or "__getitem__" in message:
            found_part = next((p for p in parts if p.sort == "index"), None)
            container = found_part.child("object") if found_part is not None else None
            key = found_part.child("key") if found_part is not None else None
            if found_part is not None and key is not None and container is not None and container.sort == "call":
                self._index_inside(scene, found, found_part, container, key)

    def _index_inside(self, scene: Scene, found: Diagnosis, part: Part, call: Part, key: Part) -> None:
        """The call already reduces what should have been indexed: take its inside."""
        for file, function in scene.functions_named(call.called)[:1]:
            for _, returned in function.returns:
                if returned is None or returned.sort != "call" or len(returned.arguments) != 1:
                    continue
                inner = returned.arguments[0][1].source
                plain = [param for param in function.params if not param.star]
                arguments = call.arguments
                if len(plain) == len(arguments) and all(not word for word, _ in arguments):
                    for param, (_, argument) in zip(plain, arguments, strict=True):
                        inner = _substitute(inner, param.name, argument.source)
                    found.key(
                        "index-the-inside",
                        f"Index what `{call.called}` works on: `{show(inner)}[{key.source}]`",
                        f"`{call.called}` returns a single value",
                        [replace(scene.frame.file if scene.frame else file, part.span, f"{inner}[{key.source}]")],
                    )

    def _unhashable(self, scene: Scene, found: Diagnosis, parts: list[Part]) -> None:
        if "unhashable" not in (scene.jam.wording or "") or scene.frame is None:
            return
        kind = scene.facts.get("type", "")
        if kind not in ("list", "set"):
            return
        convert = "tuple({0})" if kind == "list" else "frozenset({0})"
        keys: list[Part] = []
        for part in parts:
            key = part.child("key") if part.sort == "index" else None
            if key is not None:
                keys.append(key)
            elif part.sort == "call" and part.called in ("add", "get", "setdefault") and part.arguments:
                keys.append(part.arguments[0][1])
            elif part.sort == "compare" and part.name in ("in", "not in") and (left := part.child("left")) is not None:
                keys.append(left)
        for key in keys[:2]:
            found.key(
                "key-as-tuple",
                f"Make it a key that cannot change: `{convert.format(show(key.source))}`",
                f"{an(kind)} can change, so it cannot be a key",
                [wrap(scene.frame.file, key, convert)],
            )
            for origin in follow(scene, key, scene.jam.snag or 0)[:2]:
                found.root_at(origin, f"the `{kind}` that serves as a key comes from here", "key-from")

    def _own_class(self, scene: Scene, found: Diagnosis) -> None:
        """An object of the program's own class lacks what the operation asks of it."""
        kind = scene.facts.get("type", "").rpartition(".")[2]
        message = scene.jam.wording or ""
        wanted = {
            "context manager": "__exit__",
            "not iterable": "__iter__",
            "no len()": "__len__",
            "not subscriptable": "__getitem__",
            "not supported between": "__lt__",
            "unsupported operand": "__add__",
        }
        kinds = {kind, scene.facts.get("left", ""), scene.facts.get("right", "")} - {""}
        for file, code in scene.own_codes():
            for definition in code.definitions():
                if definition.sort != "class" or definition.name not in kinds or definition.statement is None:
                    continue
                name = next((value for words, value in wanted.items() if words in message), "")
                lacks = f" and has no `{name}`" if name else ""
                found.root(file, definition.span.line, f"the class `{definition.name}` is defined here{lacks}", "class")

    def _json_or_join(self, scene: Scene, found: Diagnosis, parts: list[Part]) -> None:
        message = scene.jam.wording or ""
        if scene.frame is None:
            return
        if message.startswith("sequence item"):
            part = next((p for p in parts if p.called == "join" and p.arguments), None)
            if part is not None:
                found.key(
                    "texts-first",
                    "Turn each item into text while joining",
                    "`join` joins only texts",
                    [wrap(scene.frame.file, part.arguments[0][1], "map(str, {0})")],
                )
        if message.startswith("write() argument"):
            part = next((p for p in parts if p.called == "write" and p.arguments), None)
            if part is not None:
                found.key(
                    "text-first",
                    "Turn it into text: `str(...)`",
                    "`write` takes text",
                    [wrap(scene.frame.file, part.arguments[0][1], "str({0})")],
                )
        if "ufunc" in message or message.startswith("You are trying"):
            for origin in trace_names(scene, found, "one of the two comes from here"):
                numbers_in_quotes(scene, found, origin)
        if "ambiguous" in message:
            statement = scene.statement_of(scene.frame)
            top = statement.parts[0] if statement is not None and statement.parts else None
            if top is not None and statement is not None and statement.sort in ("if", "while"):
                for how, reason in (("any", "when at least one must hold"), ("all", "when every one must hold")):
                    found.key(
                        f"reduce-{how}",
                        f"Say how many: `({show(top.source)}).{how}()`",
                        reason,
                        [wrap(scene.frame.file, top, "({0})." + how + "()")],
                    )


#: Methods that are almost never wanted as a function.
_METHODS = set(
    """
    values keys items lower upper strip split read readlines copy sum mean max min tolist splitlines title isoformat
    total_seconds count
""".split()
)


def _is_wording(part: Part) -> bool:
    """Tell text that is being put together for display from text that should be a number."""
    for inner in part.walk():
        if inner.sort == "text":
            return not inner.source.strip("'\"").replace(".", "", 1).isdigit()
    return False


def _substitute(text: str, name: str, new: str) -> str:
    """Replace a whole identifier."""
    import re

    return re.sub(rf"\b{re.escape(name)}\b", lambda _: new, text)


def _pair(scene: Scene, operator: str, left: str, right: str) -> tuple[str, str, str]:
    """Return the operator and the types that met, from the source and the captured values where the message is silent."""
    fitting: list[tuple[str, str, str, bool]] = []
    for part in [part for part in scene.parts_of(scene.frame) if part.sort in ("binary", "compare")]:
        sides = [scene.value(side.source) if side is not None else None for side in (part.child("left"), part.child("right"))]
        one, other = (value.type if value is not None else "" for value in sides)
        denied = operator not in ("", part.name) or (one and left not in ("", one)) or (other and right not in ("", other))
        if not denied:
            fitting.append((part.name, left or one, right or other, bool(one and other)))
    # of several operators on the line the one whose both sides were captured, if it is one
    fitting = list(dict.fromkeys(fitting))
    fitting = fitting if len(fitting) == 1 else [found for found in fitting if found[3]]
    if len(fitting) == 1:
        return fitting[0][:3]
    return operator or ("+" if "concatenate" in (scene.jam.wording or "") else ""), left, right


def _met(scene: Scene) -> str:
    """Return what met at the line's only operator, where one side was captured and the other is written there."""
    found = []
    for part in [part for part in scene.parts_of(scene.frame) if part.sort == "binary"]:
        sides = [side for side in (part.child("left"), part.child("right")) if side is not None]
        values = [scene.value(side.source) for side in sides]
        told = [
            f"`{show(side.source)}`, {an(value.type)},"
            if value is not None
            else f"`{show(side.source)}`"
            if side.sort in _WRITTEN
            else ""
            for side, value in zip(sides, values, strict=True)
        ]
        if len(told) == 2 and all(told) and any(values):
            found.append(f"`{part.name}` stands between {told[0]} and {told[1].rstrip(',')}")
    return found[0] if len(set(found)) == 1 else ""


KIND = WrongType()
