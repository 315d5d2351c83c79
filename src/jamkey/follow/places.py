"""Where a turn may stand: the statements whose values reach the snag, nearest first, then the rest of the program.

One walk over the code model for all languages: from a statement to the definitions of the names it uses, to what own
functions that it calls give back, to the calls that hand a parameter over, to what changes an object in place, to the
loops around it.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Iterator, Sequence

import msgspec

from jamkey.follow.named_lines import inside, told_functions
from jamkey.follow.origins import argument_for, calls_of, put_around
from jamkey.follow.own_exit import KNOWN_WORDS
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.languages.base import Code, Definition, Function, Part, Span, Statement
from jamkey.model import Frame, Jam, Root
from jamkey.text import line_at

#: Hand-overs followed at most, and statements gathered.
DEEPEST, MOST = 6, 90
#: Failures of a chain that are gone back to.
_CAUSES = 4
_NAME = re.compile(r"[A-Za-z_]\w+")
#: Signs of a message that are looked at.
_MESSAGE = 2000
#: Fields of a class looked at, and what stands in a class and is none.
_FIELDS = 12
_NO_FIELDS = ("functiondef", "classdef", "tokens")
#: How alike two names are of which one is a slip for the other, and nobody knows which.
_SLIP = 0.85
#: Distance of a statement that nothing is known about.
FAR = 8


class Place(msgspec.Struct, frozen=True):
    """One statement on the way."""

    file: str
    #: Its first line.
    line: int
    #: Hand-overs from the snag.
    distance: int
    #: The names whose values travel through it; empty where all may.
    names: frozenset[str] = frozenset()
    #: The frame that stopped there, whose values are known.
    frame: Frame | None = None
    #: How it was reached, snag first: snag stack cause set taken opened handed given member namesake nearly offers
    #: peer changed lent loop guard head end import caught class field method anywhere.
    path: tuple[str, ...] = ()
    #: The (file, line) before it on the way from the snag; None at the snag.
    before: tuple[str, int] | None = None
    #: Whether the way begins in the part that the runtime marked, or at a name that the message tells.
    marked: bool = False
    #: All the ways in which it was reached.
    ways: frozenset[str] = frozenset()
    #: How many places lead on from it, the heads of functions and loops not counted: 0 where a value begins.
    leads: int = 0


class _Walk:
    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.found: dict[tuple[str, int], Place] = {}
        self.queue: deque[tuple[str, Code, int, int, frozenset[str], int | None]] = deque()
        self.here: Place | None = None
        self.mark = False
        self.links: dict[tuple[str, int], set[tuple[str, int]]] = {}
        self.ways: dict[tuple[str, int], set[str]] = {}
        self.told = {str(fact).strip("'\"`") for fact in scene.facts.values()}

    def add(
        self, file: str, code: Code | None, line: int | None, distance: int, names: frozenset[str], frame: int | None, how: str
    ) -> None:
        """Note a place, and go on from there when it is new."""
        if code is None or not line or distance > DEEPEST:
            return
        statement = code.statement(line)
        # a line of a long header or of an argument list counts as its statement
        first = statement.span.line if statement is not None else line
        key = (file, first)
        if self.here is not None and how not in ("head", "loop", "guard", "import", "stack", "root"):
            self.links.setdefault((self.here.file, self.here.line), set()).add(key)
        self.ways.setdefault(key, set()).add(how)
        known = self.found.get(key)
        if known is not None:
            if names and known.names and not names <= known.names:
                self.found[key] = msgspec.structs.replace(known, names=known.names | names)
            elif not names and known.names:
                self.found[key] = msgspec.structs.replace(known, names=frozenset())
            return
        if len(self.found) >= MOST:
            return
        stopped = self.scene.jam.frames[frame] if frame is not None else None
        here = self.here
        path = (*(here.path if here is not None else ()), how)
        before = (here.file, here.line) if here is not None else None
        marked = self.mark if here is None or here.distance == 0 else here.marked
        self.found[key] = Place(file, first, distance, names, stopped, path, before, marked)
        self.queue.append((file, code, line, distance, names, frame))

    def run(self) -> None:
        """Follow everything that was noted."""
        while self.queue and not self.scene.sources.out_of_time():
            self.from_statement(*self.queue.popleft())

    def from_statement(self, file: str, code: Code, line: int, distance: int, names: frozenset[str], frame: int | None) -> None:
        """Go from one statement to all that its values depend on."""
        statement = code.statement(line) or _decorated(code, line)
        if statement is None:
            return
        self.here = self.found.get((file, statement.span.line)) or self.found.get((file, line))
        stopped = self.scene.jam.frames[frame] if frame is not None and distance == 0 else None
        # on one line stand a condition and what it does: the runtime may not tell which of them failed
        here = (self.scene.statements_of(stopped) if stopped is not None else []) or [statement]
        parts = [part for item in here for part in _walk(item)]
        said = _said(self.scene, parts) if distance == 0 else None
        used = {part.name for part in parts if part.sort == "name" and part.name}
        stored = {part.name for target in statement.targets for part in [target] if part.sort == "name"}
        scope = code.scope_at(line)
        for name in sorted(used):
            read = {part.name for part in parts if part.sort == "name" and part not in statement.targets}
            if name in stored and name not in read and statement.sort != "augassign":
                continue
            self.mark = said is not None and name in said
            for definition in code.reaching(name, line)[:6]:
                self.from_definition(file, code, definition, distance + 1, name, frame)
            self.changed_in_place(file, code, name, scope, line, distance + 1)
        for part in parts:
            self.mark = said is not None and part.name in said
            if part.sort == "call" and part.called:
                self.from_call(part.called, distance + 1)
            elif part.sort == "member":
                self.from_member(part.name, distance + 1)
            elif part.sort == "name":
                asked = distance == 0 and part.name in self.told
                if not code.reaching(part.name, line):
                    self.from_call(part.name, distance + 1)
                    if asked:
                        self.elsewhere(part.name)
                elif asked and self.scene.jam.kind == "unset-name":
                    self.nearly_set(part.name)
        self.mark = False
        if distance == 0:
            self.in_class(file, code, statement)
        for loop in code.loops(line)[:2]:
            self.add(file, code, loop.span.line, distance + 1, frozenset(), None, "loop")
        if distance <= 2:
            for guard in code.guards(line)[:4]:
                self.add(file, code, guard, distance + 1, frozenset(), None, "guard")
        if statement.sort == "return" or distance == 0:
            for function in code.functions():
                if function.qualified == scope:
                    self.add(file, code, function.span.line, distance + 1, frozenset(), None, "head")

    def from_definition(
        self, file: str, code: Code, definition: Definition, distance: int, name: str, frame: int | None
    ) -> None:
        if definition.sort == "parameter":
            self.to_callers(file, code, definition, distance, frame)
        elif definition.sort == "import" and self.scene.traits.compiled and self.scene.jam.phase == "run":
            return  # it was found when the program was made
        elif definition.sort == "import" and definition.imported:
            other = self.scene.sources.module_file(definition.module, file)
            there = self.scene.sources.code(other, self.scene.jam.runtime) if other else None
            for item in there.definitions(definition.imported) if there is not None else ():
                if other and not item.scope:
                    self.add(other, there, item.span.line, distance, frozenset([name]), None, _how(item))
            self.add(file, code, definition.span.line, distance + 1, frozenset(), None, "import")
        else:
            self.add(file, code, definition.span.line, distance, frozenset([name]), frame, _how(definition))
            if code.is_field(definition):  # what constructors and other methods put there
                self.from_member(name, distance)

    def to_callers(self, file: str, code: Code, definition: Definition, distance: int, frame: int | None) -> None:
        function = next((f for f in code.functions() if f.qualified == definition.scope), None)
        self.add(file, code, definition.span.line, distance + 1, frozenset(), None, "head")
        outer = self.scene.caller_index(frame) if frame is not None else None
        if outer is not None:
            caller = self.scene.jam.frames[outer]
            self.add(caller.file, self.scene.code_of(caller), caller.line, distance, frozenset(), outer, "handed")
            return
        if function is None:
            return
        for other, there in self.scene.own_codes():
            calls = calls_of(there, function, strict=self.scene.every_argument_given)
            for call in calls[:4]:
                self.add(other, there, call.span.line, distance, frozenset(), None, "handed")
            if not calls:  # something else calls it: a thread, a sort, a button
                lent = [span for span in there.uses(function.name) if (other, span.line) != (file, function.span.line)]
                for span in lent[:3]:
                    self.add(other, there, span.line, distance, frozenset(), None, "handed")

    def nearly_set(self, name: str) -> None:
        """Note where nearly the name is set."""
        for file, code in self.scene.own_codes():
            for other, _ in nearest(name, {item.name for item in code.definitions()}, least=_SLIP):
                for item in code.definitions(other)[:2]:
                    self.add(file, code, item.span.line, 1, frozenset([other]), None, "nearly")

    def elsewhere(self, name: str) -> None:
        """Note where a name that is asked for in vain stands all the same: in another scope, in what is imported whole."""
        self.nearly_set(name)
        for file, code in self.scene.own_codes():
            for item in code.definitions(name)[:4]:
                self.add(file, code, item.span.line, 1, frozenset([name]), None, "namesake")
            for item in code.definitions():
                if item.sort != "import" or item.imported:
                    continue
                module = self.scene.sources.module_file(item.module, file)
                there = self.scene.sources.code(module, self.scene.jam.runtime) if module else None
                if there is not None and any(not other.scope for other in there.definitions(name)):
                    self.add(file, code, item.span.line, 1, frozenset([name]), None, "offers")

    def told_definitions(self) -> None:
        """Note what is defined under the names that the message tells, the fields of the classes among them too."""
        words = {
            part for fact in self.told for part in (fact, fact.rpartition(".")[2]) if part.isidentifier() and len(part) > 1
        }
        # types come with more words: `const Crossing &`, `std::vector<Crossing>`
        typed = {word for fact in self.told for word in _NAME.findall(fact)} - words
        for file, code in self.scene.own_codes():
            classes = {item.name for item in code.definitions() if item.sort == "class"} if typed else set()
            for word in sorted(words | typed & classes):
                for item in code.definitions(word)[:3]:
                    how = "class" if item.sort == "class" else "namesake"
                    self.add(file, code, item.span.line, 2, frozenset([word]), None, how)
                    if item.sort == "class":
                        for line in _fields(code, item):
                            self.add(file, code, line, 2, frozenset(), None, "field")
                        for function in [function for function in code.functions() if function.owner == word][:_FIELDS]:
                            self.add(file, code, function.span.line, 2, frozenset(), None, "method")

    def in_class(self, file: str, code: Code, statement: Statement) -> None:
        """Note what stands in the class whose head failed."""
        heads = [item for item in code.definitions() if item.sort == "class" and not item.scope]
        here = [item for item in heads if statement.span.line <= item.span.line <= statement.span.end_line]
        if statement.sort.startswith("class") and here:
            for line in _fields(code, here[0]):
                self.add(file, code, line, 1, frozenset(), None, "member")

    def from_call(self, name: str, distance: int) -> None:
        for file, function in self.scene.functions_named(name)[:4]:
            code = self.scene.sources.code(file, self.scene.jam.runtime)
            for line, _ in function.returns[:4]:
                self.add(file, code, line, distance, frozenset(), None, "given")
            self.add(file, code, function.span.line, distance + 1, frozenset(), None, "head")
            for line in _early_ends(code, function) if function.is_generator and code is not None else ():
                self.add(file, code, line, distance, frozenset(), None, "end")
            if function.falls_off and code is not None:
                self.add(file, code, function.last_line, distance, frozenset(), None, "end")
            for other, inner in put_around(self.scene, function):
                there = self.scene.sources.code(other, self.scene.jam.runtime)
                how = "end" if inner.falls_off else "given"
                self.add(other, there, inner.last_line, distance, frozenset(), None, how)

    def from_member(self, name: str, distance: int) -> None:
        codes = list(self.scene.own_codes())
        known = False
        for file, code in codes:
            for definition in code.members(name)[:5]:
                here = self.here is not None and (self.here.file, self.here.line) == (file, definition.span.line)
                known = known or not here  # `self.kilos += 1` gives no object what it asks for
                self.add(file, code, definition.span.line, distance, frozenset([name]), None, "member")
            for function in code.functions(name)[:2]:
                known = True
                for line, _ in function.returns[:4]:
                    self.add(file, code, line, distance, frozenset(), None, "given")
        if not known and name:
            # nothing gives any object such a member: what else bears the name, or one that is nearly it
            told = name in self.told
            members = {member for _, code in codes for member in code.all_members()} if told else ()
            near = [other for other, _ in nearest(name, members, least=_SLIP)]
            for file, code in codes:
                for definition in code.definitions(name)[:4]:
                    if definition.sort in ("assigned", "changed"):
                        self.add(file, code, definition.span.line, distance, frozenset([name]), None, "namesake")
                for other in near:
                    for definition in code.members(other)[:2]:
                        self.add(file, code, definition.span.line, distance, frozenset([other]), None, "nearly")

    def changed_in_place(self, file: str, code: Code, name: str, scope: str, line: int, distance: int) -> None:
        """Note the statements of the same scope that store into the object, call a method of it, or delete it."""
        owners = {item.scope for item in code.definitions(name) if item.sort != "outer"}
        for span in code.uses(name)[:60]:
            there = code.scope_at(span.line)
            # what belongs to the module may be changed by any function that has no such name of its own
            if span.line == line or (there != scope and ("" not in owners or scope in owners - {""} or there in owners)):
                continue
            statement = code.statement(span.line)
            if statement is None:
                continue
            stores = any(
                # `names(x) <- ...` changes x as `x[1] <- ...` does
                target.sort in ("index", "member", "call", "unary") and any(p.span == span for p in target.walk())
                for target in statement.targets
            )
            asked = any(
                top.sort == "call" and any(p.span == span for p in (top.child("callee") or top).walk())
                for top in statement.parts
            )
            lent = not statement.targets and any(
                top.sort == "call" and any(_bare(argument).span == span for _, argument in top.arguments)
                for top in statement.parts
            )
            if lent and not stores and not asked:
                self.add(file, code, span.line, distance, frozenset([name]), None, "lent")
                self.lent_to(statement, span, distance)
            if stores or (asked and not statement.targets) or statement.sort in ("delete", "augassign"):
                self.add(file, code, span.line, distance, frozenset([name]), None, "changed")

    def lent_to(self, statement: Statement, span: Span, distance: int) -> None:
        """Note what own functions do to an object, or to what a pointer or a reference leads to, that they are handed."""
        if distance >= DEEPEST:
            return
        for call in (part for part in _walk(statement) if part.sort == "call" and part.called):
            for file, function in self.scene.functions_named(call.called)[:2]:
                code = self.scene.sources.code(file, self.scene.jam.runtime)
                handed = ((param, argument_for(function, call, param.name)[0]) for param in function.params)
                parameter = next((param for param, part in handed if part is not None and _bare(part).span == span), None)
                if code is None or parameter is None:
                    continue
                self.changed_in_place(file, code, parameter.name, function.qualified, function.span.line, distance + 1)
                for item in code.definitions(parameter.name) if parameter.is_reference else ():
                    if item.scope == function.qualified and item.sort != "parameter":
                        self.add(file, code, item.span.line, distance + 1, frozenset([item.name]), None, "changed")


def _early_ends(code: Code, function: Function) -> list[int]:
    """Return the lines on which a generator ends before its last one."""
    rows = range(function.body_line, min(function.last_line, function.body_line + 200) + 1)
    found = {row: code.statement(row) for row in rows}
    return [row for row, item in found.items() if item is not None and item.sort == "return" and item.span.line == row][:4]


def _bare(part: Part) -> Part:
    """Return what an argument is of: `x` of `&x`."""
    while part.sort in ("unary", "star") and part.children:
        part = part.children[-1][1]
    return part


def _how(definition: Definition) -> str:
    return {
        "loop": "taken",
        "opened": "opened",
        "import": "import",
        "caught": "caught",
        "function": "head",
        "class": "head",
    }.get(definition.sort, "set")


def _said(scene: Scene, parts: list[Part]) -> set[str]:
    """Return the names in the part that the runtime marked; without a mark those that the message tells."""
    frame = scene.frame
    marked = scene.marked_part(frame) if frame is not None and frame.end_column is not None else None
    names = {part.name for part in (marked.walk() if marked is not None else ()) if part.name}
    told = {str(fact).strip("'\"`") for fact in scene.facts.values()}
    return names or {part.name for part in parts if part.name in told}


def _walk(statement: Statement) -> Iterator[Part]:
    for top in statement.parts:
        yield from top.walk()


def places(scene: Scene, roots: Sequence[Root] = (), *, others: bool = True) -> list[Place]:
    """Return the places of a jam, nearest first.

    Args:
        scene: the jam, located, with its sources.
        roots: what is already taken for a root.
        others: also the statements that are on no way, behind all that are.
    """
    walk = _Walk(scene)
    snag = scene.jam.snag
    if snag is not None:
        frame = scene.jam.frames[snag]
        walk.add(frame.file, scene.code_of(frame), frame.line, 0, frozenset(), snag, "snag")
    walk.run()
    for frame in _causes(scene.jam):
        walk.here = None
        walk.add(frame.file, scene.code_of(frame), frame.line, 1, frozenset(), None, "cause")
    walk.run()
    for root in roots[:6]:
        walk.here = None
        walk.add(root.file, scene.sources.code(root.file, scene.jam.runtime), root.line, 1, frozenset(), None, "root")
    walk.run()
    index = snag
    away = 1
    while index is not None and (index := scene.caller_index(index)) is not None:
        frame = scene.jam.frames[index]
        walk.here = None
        walk.add(frame.file, scene.code_of(frame), frame.line, away, frozenset(), index, "stack")
        away += 1
    walk.run()
    if snag is not None:
        walk.here = None
        walk.told_definitions()
        walk.run()
    near = [
        msgspec.structs.replace(place, leads=len(walk.links.get(key, set()) - {key}), ways=frozenset(walk.ways.get(key, ())))
        for key, place in walk.found.items()
    ]
    near.sort(key=lambda place: place.distance)
    if snag is None and not near:
        return _anywhere(scene)
    return [*near, *(_others(scene, walk.found) if others else ())]


def _decorated(code: Code, line: int) -> Statement | None:
    """Return what a decorator stands above."""
    while line_at(code.text, line).lstrip().startswith("@"):
        line += 1
        statement = code.statement(line)
        if statement is not None:
            return statement
    return None


def _fields(code: Code, owner: Definition) -> list[int]:
    """Return the lines of what stands in a class and in none of its functions."""
    whole = owner.statement or owner.span
    found: list[int] = []
    for line in range(owner.span.line + 1, min(whole.end_line, owner.span.line + 200) + 1):
        statement = code.statement(line)
        if statement is not None and statement.span.line == line and not code.scope_at(line):
            found += [line] if statement.sort not in _NO_FIELDS else []
    return found[:_FIELDS]


def _causes(jam: Jam) -> list[Frame]:
    """Return where the failures stopped that led to this one, or that another process or task met."""
    found: list[Frame] = []
    for link in jam.chain[:_CAUSES]:
        if link.relation != "member-of" and link.jam.snag_frame is not None:
            found.append(link.jam.snag_frame)
        found += _causes(link.jam)
    return found[:_CAUSES]


def _anywhere(scene: Scene) -> list[Place]:
    """Return the statements of a program that failed nobody says where; marked where they call what the message tells."""
    message = (scene.jam.wording or scene.jam.message or "")[:_MESSAGE]
    words = set(_NAME.findall(message))
    found: list[Place] = []
    ran = told_functions(scene.jam, scene.own_codes())
    for place in _others(scene, {}):
        if ran is not None and not inside(ran, place.file, place.line):
            continue
        code = scene.sources.code(place.file, scene.jam.runtime)
        statement = code.statement(place.line) if code is not None else None
        said = any(
            (part.sort == "call" and part.called in words)
            or (part.sort == "text" and len(part.name) > 3 and part.name in message)
            for part in (_walk(statement) if statement is not None else ())
        )
        found.append(msgspec.structs.replace(place, path=("anywhere",), marked=said))
    if KNOWN_WORDS in scene.jam.facts and len({place.file for place in found}) > 1:
        # a line was kept of some program's failure: which of several it was nobody knows
        return []
    return found


def _others(scene: Scene, found: dict[tuple[str, int], Place]) -> list[Place]:
    """Return the other statements of the program, as far as room is left."""
    others: list[Place] = []
    for file, code in scene.own_codes():
        lines = code.text.count("\n") + 1
        if lines > 400:
            continue
        seen: set[int] = set()
        for line in range(1, lines + 1):
            statement = code.statement(line)
            first = statement.span.line if statement is not None else 0
            if first and first not in seen and (file, first) not in found:
                others.append(Place(file, first, FAR))
            seen.add(first)
            if len(others) >= MOST:
                return others
    return others
