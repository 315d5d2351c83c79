"""Follow a value back from where it hurt to where it came from.

From the part that carries the bad value, through assignments, parameters and the callers' arguments, what own
functions return, attributes, loops and literals, until something says: here it became so. Recorded values
steer; without them the source alone does.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
from msgspec.structs import replace

from jamkey.follow.put_in import put_in
from jamkey.follow.scene import Scene
from jamkey.follow.value_sorts import gap_of, is_missing, is_number, is_text
from jamkey.languages.base import Code, Definition, Function, Part, Span
from jamkey.model import Step, Value
from jamkey.text import shorten

#: Hand-overs followed at most.
DEEPEST = 14
#: Methods that change their object and return nothing.
IN_PLACE = {"sort", "append", "extend", "insert", "reverse", "remove", "clear", "update", "add", "discard", "shuffle"}
#: Calls that answer with nothing when they find nothing.
LOOK_UPS = {"get", "match", "search", "fullmatch", "find", "querySelector", "getElementById", "exec", "getenv"}
_TYPED = {"input", "raw_input", "prompt", "readline", "read", "readlines"}
_READS = {"DictReader", "reader", "load", "loads", "read_csv", "read_excel", "read_json", "open", "split", "splitlines"}
#: Calls that hand their first argument's items on unchanged.
_PASS_ON = set("sorted list tuple reversed enumerate zip set iter next max min items values keys copy strip deepcopy".split())


#: Calls that turn one sort of value into another.
_CONVERTS = {"int", "float", "str", "round", "Number", "parseInt", "parseFloat", "abs"}


class Origin(msgspec.Struct, frozen=True):
    """A place where a value became what it is."""

    #: literal, default, unpassed, fell-off, bare-return, in-place, look-up, typed, read, computed, open
    sort: str
    file: str
    span: Span
    steps: tuple[Step, ...]
    #: The part at that place, where there is one.
    part: Part | None = None
    #: The function concerned, for unpassed, default, fell-off and bare-return.
    function: Function | None = None
    #: The name whose value it is.
    name: str = ""

    @property
    def line(self) -> int:
        """Return the line."""
        return self.span.line


class _Spot(msgspec.Struct, frozen=True):
    """Where following stands: a file, a line, the frame there if it is on the stack."""

    file: str
    code: Code
    line: int
    frame: int | None
    steps: tuple[Step, ...] = ()
    depth: int = 0
    name: str = ""

    def step(self, what: str, line: int, text: str, file: str | None = None) -> _Spot:
        """Return the spot one hand-over further."""
        step = Step(file=file or self.file, line=line, what=what, text=shorten(" ".join(text.split()), 120))
        return replace(self, steps=(*self.steps, step), depth=self.depth + 1)


def follow(scene: Scene, part: Part, frame: int, *, want: str = "any") -> list[Origin]:
    """Return where the part's value came from, likeliest first.

    Args:
        scene: the jam with its sources.
        part: the suspect, in the code of that frame.
        frame: index of the frame in which the part was evaluated.
        want: what is wrong with the value: missing, zero, text, empty, number, or any.
    """
    here = scene.jam.frames[frame]
    code = scene.code_of(here)
    if code is None or here.line is None:
        return []
    spot = _Spot(here.file, code, here.line, frame)
    seen: set[tuple[str, int, int, str]] = set()
    found: list[Origin] = []
    for origin in _part(scene, part, spot, want, seen):
        found.append(origin)
        if len(found) >= 8:
            break
    return found


def _end(sort: str, spot: _Spot, part: Part | None, span: Span | None = None, function: Function | None = None) -> Origin:
    place = span or (part.span if part is not None else Span(spot.line, 1, spot.line, 1))
    return Origin(sort, spot.file, place, spot.steps, part, function, spot.name)


def _part(scene: Scene, part: Part, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]) -> Iterator[Origin]:
    key = (spot.file, part.span.line, part.span.column, part.source)
    if spot.depth > DEEPEST or key in seen or scene.sources.out_of_time():
        return
    seen.add(key)
    if part.sort == "name":
        yield from _name(scene, part, spot, want, seen)
    elif part.sort == "member":
        yield from _member(scene, part, spot, want, seen)
    elif part.sort == "call":
        yield from _call(scene, part, spot, want, seen)
    elif part.sort == "index":
        yield from _index(scene, part, spot, want, seen)
    elif part.sort in ("literal", "text"):
        if fits(part, want):
            yield _end("literal", spot, part)
    elif part.sort in ("list", "tuple", "set", "dict"):
        yield from _container(scene, part, spot, want, seen)
    elif part.sort == "comprehension":
        for inner in (*part.in_role("element"), *part.in_role("iterable")):
            yield from _part(scene, inner, spot, want, seen)
    else:
        yield from _operands(scene, part, spot, want, seen)


def fits(part: Part, want: str) -> bool:
    """Tell whether a literal is of the bad sort."""
    text = part.source.strip()
    if want == "missing":
        return text in ("None", "null", "undefined", "nil", "NULL") or "nan" in text.lower()
    if want == "zero":
        return text.strip("-") in ("0", "0.0", "0.")
    if want == "text":
        return part.sort == "text"
    if want == "number":
        return part.sort == "literal" and text[:1].isdigit()
    if want == "empty":
        return text in ("''", '""')
    return True


def value_fits(value: Value, want: str) -> bool:
    """Tell whether a recorded value is of the bad sort."""
    if want == "missing":
        return is_missing(value) or bool(gap_of(value))
    if want == "zero":
        return value.text in ("0", "0.0", "-0.0", "-0")
    if want == "text":
        return is_text(value)
    if want == "number":
        return is_number(value)
    if want == "empty":
        return value.length == 0
    return True


def _recorded(scene: Scene, part: Part, spot: _Spot) -> Value | None:
    return scene.value(part.source, scene.jam.frames[spot.frame]) if spot.frame is not None else None


def _operands(scene: Scene, part: Part, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]) -> Iterator[Origin]:
    """Go into the operand that carries the bad value: by its recorded value, else each in turn."""
    children = [child for role, child in part.children if role not in ("test", "callee")]
    sure = [child for child in children if (value := _recorded(scene, child, spot)) and value_fits(value, want)]
    for child in sure or children:
        value = _recorded(scene, child, spot)
        if want != "any" and value is not None and not value_fits(value, want):
            continue
        yield from _part(scene, child, spot, want, seen)
    if not children:
        yield _end("computed", spot, part)


def _name(scene: Scene, part: Part, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]) -> Iterator[Origin]:
    found = False
    for definition in spot.code.reaching(part.name, spot.line):
        for origin in _definition(scene, definition, replace(spot, name=part.name), want, seen):
            found = True
            yield origin
        if want in ("missing", "zero", "empty"):
            for line, value in put_in(spot.code, part.name, definition.scope, lambda line: scene.bare_row(spot.file, line)):
                if fits(value, want):
                    found = True
                    yield _end(
                        "literal", replace(spot.step("put in", line, scene.bare_row(spot.file, line).strip()), line=line), value
                    )
    if not found and spot.steps:
        yield _end("open", spot, part)


def _definition(
    scene: Scene, definition: Definition, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]
) -> Iterator[Origin]:
    line = definition.span.line
    if definition.sort == "parameter":
        yield from _parameter(scene, definition, spot, want, seen)
    elif definition.sort == "import" and definition.imported:
        file = scene.sources.module_file(definition.module, spot.file)
        code = scene.sources.code(file, scene.jam.runtime) if file else None
        if file and code is not None:
            for other in reversed([d for d in code.definitions(definition.imported) if not d.scope]):
                inner = replace(spot, file=file, code=code, line=10**9, frame=None)
                yield from _definition(scene, other, inner, want, seen)
    elif definition.value is not None:
        what = {"loop": "taken", "opened": "opened"}.get(definition.sort, "assigned")
        if definition.sort == "opened" and definition.value.sort == "call":
            # the name stands for what the object's own beginning gives back
            begins = scene.functions_named(f"{definition.value.called}.__enter__")
            for file, function in begins if len(begins) == 1 else ():
                yield from _returned(scene, file, function, spot, want, seen)
        source = scene.bare_row(spot.file, line).strip() or definition.value.source
        onward = replace(spot.step(what, line, source), line=line)
        if definition.value.sort in ("list", "tuple", "dict", "set") and want == "empty" and not definition.value.children:
            yield _end("literal", onward, definition.value)
            return
        yield from _part(scene, definition.value, onward, want, seen)


def _parameter(
    scene: Scene, definition: Definition, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]
) -> Iterator[Origin]:
    """Go out to the argument in the caller's frame; where the call is over, to every call in the project."""
    function = next((f for f in spot.code.functions() if f.qualified == definition.scope), None)
    names = [param.name for param in function.params] if function is not None else []
    if function is None or definition.name not in names:
        yield from _handed_over(scene, "", definition.span, spot, want, seen)
        return
    outer = scene.caller_index(spot.frame) if spot.frame is not None else None
    if outer is not None:
        caller = scene.jam.frames[outer]
        code = scene.code_of(caller)
        call = _call_of(scene, outer, function) if code is not None else None
        if code is not None and call is not None and caller.line is not None:
            onward = _Spot(caller.file, code, caller.line, outer, spot.steps, spot.depth, spot.name)
            yield from _argument(scene, definition, function, call, onward, spot, want, seen)
            return
    if outer is not None:
        caller = scene.jam.frames[outer]
        code = scene.code_of(caller)
        if code is not None and caller.line is not None:
            onward = _Spot(caller.file, code, caller.line, outer, spot.steps, spot.depth, spot.name)
            handed = list(_handed_over(scene, function.name, None, onward, want, seen))
            if handed:
                yield from handed
                return
    calls = 0
    for file, code in scene.own_codes():
        for call in calls_of(code, function, strict=scene.every_argument_given):
            if calls >= 4:
                return
            calls += 1
            onward = _Spot(file, code, call.span.line, None, spot.steps, spot.depth, spot.name)
            yield from _argument(scene, definition, function, call, onward, spot, want, seen)


def _handed_over(
    scene: Scene, name: str, inside: Span | None, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]
) -> Iterator[Origin]:
    """A function that is itself an argument, as in `map(f, rows)` or `sorted(rows, key=lambda r: ...)`: its parameter
    takes the items of the other arguments.

    Args:
        name: the function's name, or empty for one without a name.
        inside: for one without a name, a place inside it.
    """
    statement = spot.code.statement(spot.line)
    for part in (p for top in (statement.parts if statement else ()) for p in top.walk()):
        if part.sort != "call":
            continue
        arguments = [argument for _, argument in part.arguments]
        passed = [
            a
            for a in arguments
            if (name and a.sort == "name" and a.name == name)
            or (inside is not None and a.sort == "function" and a.span.holds(inside))
        ]
        if not passed:
            continue
        onward = spot.step("passed", part.span.line, scene.bare_row(spot.file, part.span.line).strip())
        others = [argument for argument in arguments if argument not in passed]
        callee = part.child("callee")
        if not others and callee is not None and (owner := callee.child("object")) is not None:
            others = [owner]
        for other in others:
            yield from _part(scene, other, onward, want, seen)


def _call_of(scene: Scene, index: int, function: Function) -> Part | None:
    """Return the call of that function in the statement of a frame, the runtime's mark first."""
    frame = scene.jam.frames[index]
    called = function.owner if function.name == "__init__" else function.name
    marked = scene.marked_part(frame)
    if marked is not None and marked.sort == "call" and marked.called == called:
        return marked
    calls = [part for part in scene.parts_of(frame) if part.sort == "call"]
    statement = scene.statement_of(frame)
    calls += [part for top in statement.parts for part in top.walk() if part.sort == "call"] if statement else []
    return next((part for part in calls if part.called == called), None)


def calls_of(code: Code, function: Function, *, strict: bool = False) -> list[Part]:
    """Return the calls in a file that may be of a function: those that begin an object count for what begins it.

    Args:
        code: of the file.
        function: of the project.
        strict: where some calls hand over as much as it takes, leave out those that do not: they are of a namesake.
    """
    if function.name not in ("__init__", "constructor", "init", function.owner or None):
        found = code.calls(function.name)
        binding = [call for call in found if _binds(call, function)] if strict else found
        return binding or found
    found = list(code.calls(function.owner))
    for call in (*(code.calls(function.name) if function.name != function.owner else ()), *code.calls("super")):
        # `super().__init__(...)`, or `super(...)`, in a class that is made of this one
        callee = call.child("callee")
        above = callee.child("object") if callee is not None else None
        asked = above.called if above is not None else "" if function.name == "__init__" else call.called
        around = code.scope_at(call.span.line).rpartition(".")[0].rpartition(".")[2]
        if asked == "super" and function.owner in (code.bases(around) or ()):
            found.append(call)
    return found


def _binds(call: Part, function: Function) -> bool:
    """Tell whether a call hands over as many arguments as a function takes."""
    plain = [param for param in function.params if not (function.owner and param.name in ("self", "cls"))]
    count = len(call.arguments)
    if any(part.sort == "star" or keyword == "**" for keyword, part in call.arguments):
        return True
    least = sum(1 for param in plain if not param.star and param.default is None)
    return least <= count and (count <= len(plain) or any(param.star in ("*", "**") for param in plain))


def argument_for(function: Function, call: Part, name: str) -> tuple[Part | None, bool]:
    """Return the argument a call gives to a parameter, and whether that can be told (no `*` on the way)."""
    plain = [param for param in function.params if param.star == ""]
    skip_first = bool(function.owner) and not function.is_static and plain[:1] and plain[0].name in ("self", "cls")
    if skip_first:
        plain = plain[1:]
    arguments = call.arguments
    for keyword, part in arguments:
        if keyword == name:
            return part, True
    positional = [part for keyword, part in arguments if not keyword]
    if any(part.sort == "star" for part in positional) or any(keyword == "**" for keyword, _ in arguments):
        return None, False
    position = next((index for index, param in enumerate(plain) if param.name == name), None)
    if position is not None and position < len(positional):
        return positional[position], True
    return None, True


def _argument(
    scene: Scene,
    definition: Definition,
    function: Function,
    call: Part,
    outer: _Spot,
    inner: _Spot,
    want: str,
    seen: set[tuple[str, int, int, str]],
) -> Iterator[Origin]:
    argument, certain = argument_for(function, call, definition.name)
    if argument is None and not certain:
        argument = next((a.child("item") for _, a in call.arguments if a.sort == "star"), None)
    if argument is not None:
        source = scene.bare_row(outer.file, argument.span.line).strip()
        onward = outer.step("passed", argument.span.line, source)
        found = False
        if want == "any" and (argument.sort == "binary" or argument.called in _CONVERTS):
            # computed on the way: as likely a place to change as where its parts come from
            found = True
            yield _end("computed", onward, argument)
        for origin in _part(scene, argument, onward, want, seen):
            found = True
            yield origin
        if not found and want == "any":
            yield _end("computed", onward, argument)
        return
    default = next((param.default for param in function.params if param.name == definition.name), None)
    if default is not None and certain:
        row = scene.bare_row(inner.file, default.span.line).strip()
        onward = inner.step("defaulted", default.span.line, row)
        if fits(default, want):
            yield _end("default", onward, default, function=function)
            called = outer.step("called", call.span.line, call.source)
            yield replace(_end("unpassed", called, call, function=function), name=definition.name)
    elif certain and not scene.every_argument_given:
        onward = outer.step("called", call.span.line, call.source)
        yield replace(_end("unpassed", onward, call, function=function), name=definition.name)


def _member(scene: Scene, part: Part, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]) -> Iterator[Origin]:
    """Go to where the member is set: in the same file first, then in the project's others."""
    owner = part.child("object")
    if owner is not None and owner.sort == "name":
        imported = next((d for d in spot.code.definitions(owner.name) if d.sort == "import" and not d.imported), None)
        file = scene.sources.module_file(imported.module, spot.file) if imported else None
        code = scene.sources.code(file, scene.jam.runtime) if file else None
        if file and code is not None:
            for other in reversed([d for d in code.definitions(part.name) if not d.scope]):
                yield from _definition(scene, other, replace(spot, file=file, code=code, frame=None), want, seen)
            return
    places = [(spot.file, spot.code), *((f, c) for f, c in scene.own_codes() if f != spot.file)]
    for file, code in places:
        sets = code.members(part.name)
        # the constructor's is the likeliest to hold the first value
        sets.sort(key=lambda d: (not d.scope.endswith("__init__"), d.span.line))
        for definition in sets:
            if definition.value is None:
                continue
            onward = replace(spot, file=file, code=code, frame=None, name=part.name)
            row = scene.bare_row(file, definition.span.line).strip()
            onward = replace(onward.step("assigned", definition.span.line, row), line=definition.span.line)
            yield from _part(scene, definition.value, onward, want, seen)
        if sets:
            return
    if owner is not None and not scene.traits.members_in_code:
        # set nowhere in the code: it came with the object
        yield from _part(scene, owner, spot, want, seen)


def _call(scene: Scene, part: Part, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]) -> Iterator[Origin]:
    called = part.called
    functions = _own_functions(scene, called, spot)
    callee = part.child("callee")
    if functions and not (callee is not None and callee.sort == "member" and called in IN_PLACE | LOOK_UPS):
        for file, function in functions[:2]:
            for other, wrapper in put_around(scene, function):
                yield from _returned(scene, other, wrapper, spot, want, seen)
            yield from _returned(scene, file, function, spot, want, seen)
        return
    if want == "missing" and called in IN_PLACE:
        yield _end("in-place", spot, part)
        return
    if want == "missing" and called in LOOK_UPS:
        second = [argument for _, argument in part.arguments][1:2]
        if called == "get" and second:
            onward = spot.step("looked-up", part.span.line, part.source)
            yield from _part(scene, second[0], onward, want, seen)
            return
        if called == "get" and callee is not None and (owner := callee.child("object")) is not None:
            # the key may be there and hold nothing
            for origin in _part(scene, owner, spot, want, seen):
                if origin.sort == "literal" and origin.part is not None and fits(origin.part, want):
                    yield origin
        if callee is not None and (owner := callee.child("object")) is not None and called != "get":
            # a pattern of the program's own that does not match what it should
            onward = spot.step("looked-up", part.span.line, part.source)
            patterns = [owner, *(argument for _, argument in part.arguments)]
            if any(pattern.sort == "function" for pattern in patterns):
                patterns = []  # what is looked for is what a function says yes to: there is no pattern
            for origin in (o for pattern in patterns for o in _part(scene, pattern, onward, "any", seen)):
                if origin.sort == "literal" and origin.part is not None and origin.part.sort == "text":
                    yield replace(origin, sort="pattern")
        yield _end("look-up", spot, part)
        return
    if called in _TYPED and want in ("text", "any"):
        yield _end("typed", spot, part)
        return
    if want in ("zero", "empty") and called in ("len", "sum", "count"):
        for _, argument in part.arguments:
            yield from _part(scene, argument, spot, "empty", seen)
        return
    inner = [argument for _, argument in part.arguments]
    if callee is not None and callee.sort == "member" and (owner := callee.child("object")) is not None:
        inner.insert(0, owner)
    if called in _PASS_ON or want in ("any", "text"):
        for argument in inner:
            yield from _part(scene, argument, spot, want, seen)
    if called in _READS:
        yield _end("read", spot, part)


def put_around(scene: Scene, function: Function) -> Iterator[tuple[str, Function]]:
    """Yield the functions within a function's own decorators: one of them is what is really called."""
    for name in function.decorators:
        for file, decorator in scene.functions_named(name):
            code = scene.sources.code(file, scene.jam.runtime)
            for inner in code.functions() if code is not None else ():
                if inner.qualified.startswith(f"{decorator.qualified}."):
                    yield file, inner


def _own_functions(scene: Scene, called: str, spot: _Spot) -> list[tuple[str, Function]]:
    if not called:
        return []
    here = [(spot.file, function) for function in spot.code.functions(called)]
    return here or scene.functions_named(called)


def _returned(
    scene: Scene, file: str, function: Function, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]
) -> Iterator[Origin]:
    """Go into what a function of the program's returns."""
    code = scene.sources.code(file, scene.jam.runtime)
    if code is None:
        return
    inner = _Spot(file, code, function.last_line, None, spot.steps, spot.depth, spot.name)
    if want == "missing":
        for line, part in function.returns:
            if part is None or fits(part, want):
                row = scene.bare_row(file, line).strip()
                onward = inner.step("returned", line, row)
                column = len(scene.bare_row(file, line)) - len(row) + 1
                place = Span(line, column, line, column + len(row))
                yield _end("bare-return", onward, part, place, function)
        if function.falls_off:
            last = scene.bare_row(file, function.last_line)
            onward = inner.step("fell-off", function.last_line, f"the end of {function.name}()")
            column = len(last) - len(last.lstrip()) + 1
            place = Span(function.last_line, column, function.last_line, len(last.rstrip()) + 1)
            yield _end("fell-off", onward, None, place, function)
    for line, part in function.returns:
        if part is not None and not (want == "missing" and fits(part, want)):
            row = scene.bare_row(file, line).strip()
            onward = replace(inner.step("returned", line, row), line=line)
            yield from _part(scene, part, onward, want, seen)


def _index(scene: Scene, part: Part, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]) -> Iterator[Origin]:
    """Go to the container: a literal one names the item, else where the container came from."""
    container, key = part.child("object"), part.child("key")
    if container is not None:
        yield from _part(scene, container, spot, want, seen)
    if key is not None and want == "any":
        yield from _part(scene, key, spot, want, seen)


def _container(scene: Scene, part: Part, spot: _Spot, want: str, seen: set[tuple[str, int, int, str]]) -> Iterator[Origin]:
    """Find the bad item in a container that is written out."""
    items = [inner for inner in part.walk() if inner is not part and inner.sort in ("literal", "text")]
    bad = [inner for inner in items if fits(inner, want)] if want != "any" else []
    if want == "empty":
        bad = [inner for inner in part.walk() if inner.sort in ("list", "tuple", "dict") and not inner.children]
    for inner in bad[:2]:
        yield _end("literal", spot, inner)
    names = [inner for role, inner in part.children if role == "item" and inner.sort in ("name", "member", "call")]
    if bad or (want == "any" and (items or not names)):
        if not bad:
            yield _end("literal", spot, part)
        return
    for inner in part.walk():
        if inner.sort in ("name", "call", "member"):
            yield from _part(scene, inner, spot, want, seen)
