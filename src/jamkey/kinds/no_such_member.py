"""A member is asked of an object that has none of that name."""

from __future__ import annotations

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import SUGGESTED, Diagnosis, an, idioms_of, rename, replace, show
from jamkey.languages.base import Part, Span
from jamkey.languages.installed import members_of, members_of_type

#: What other languages (or older versions) call it: (type or "", member) -> replacement of the call or member.
_ELSEWHERE: dict[tuple[str, str], str] = {
    ("list", "push"): "append",
    ("list", "add"): "append",
    ("list", "addAll"): "extend",
    ("list", "size"): "len",
    ("list", "length"): "len",
    ("str", "length"): "len",
    ("str", "size"): "len",
    ("dict", "length"): "len",
    ("dict", "size"): "len",
    ("tuple", "length"): "len",
    ("list", "contains"): "in",
    ("dict", "has_key"): "in",
    ("str", "contains"): "in",
    ("dict", "iteritems"): "items",
    ("dict", "itervalues"): "values",
    ("dict", "iterkeys"): "keys",
    ("set", "append"): "add",
    ("set", "push"): "add",
    ("deque", "push"): "append",
    ("str", "trim"): "strip",
    ("str", "toUpperCase"): "upper",
    ("str", "toLowerCase"): "lower",
    ("str", "toUpper"): "upper",
    ("str", "toLower"): "lower",
    ("str", "substring"): "slice",
    ("str", "indexOf"): "index",
    ("list", "indexOf"): "index",
    ("list", "sum"): "sum",
    ("list", "mean"): "mean",
    ("list", "max"): "max",
    ("list", "min"): "min",
    ("list", "sorted"): "sorted",
    ("list", "join"): "join",
    ("str", "append"): "+=",
    ("str", "decode"): "",
}


class NoSuchMember:
    """See the module."""

    name = "no-such-member"
    title = "a member the object does not have"
    about = (
        "After the dot stands a name that this sort of object does not have. Either the name is misspelt, or the "
        "object is not of the sort one thinks it is."
    )
    usual = (
        "the member's name is misspelt or in the wrong case",
        "the object is of another type than expected",
        "the member is set later, or in another class",
    )
    avoid = "Print the type of an object you are unsure of, and let the editor complete what follows the dot."
    example = 'hive = "oak"\nprint(hive.uper())\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Weigh the member against those the object, its class and the module really have."""
        member = scene.facts.get("member", "")
        kind = scene.facts.get("type", "").rpartition(".")[2]
        module = scene.facts.get("module", "")
        whose = f"module `{module}`" if module else f"object of type `{kind}`" if kind else "object"
        found = Diagnosis(
            kind=self.name,
            meaning=f"The {whose} has nothing called `{member}`.",
            look_at=f"Check the spelling of `{member}`, and whether the object before the dot is what you think it is.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        hidden = scene.facts.get("name", "")
        if hidden and not member:  # the message names what is there, and says why it is out of reach
            found.meaning = f"`{hidden}` is there, and cannot be reached in this way from here: the message says why."
            found.look_at = f"Look at how `{hidden}` is defined, and at what stands before the dot here."
            found.causes.clear()
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        part = next((p for p in scene.parts_of(scene.frame) if p.sort == "member" and p.name == member), None)
        owner = part.child("object") if part is not None else None
        if module and not kind:
            self._module(scene, found, module, member, part)
        if part is not None and owner is not None and part.name_span is not None:
            self._similar(scene, found, part, owner, kind, module)
            self._from_elsewhere(scene, found, part, owner, kind)
            self._type(scene, found, part, owner, kind)
        elif part is None:
            self._exported(scene, found, member, module)
        found.root(file, line, f"`{member}` is asked of an object that does not have it", "snag")
        return found

    def _known(self, scene: Scene, owner: Part, kind: str, module: str) -> set[str]:
        """Return the members the object really has: recorded, of its class here, of the type, of the module."""
        value = scene.value(owner.source)
        known = set(value.members if value is not None and value.type != "dict" else ())
        known |= set(members_of_type(kind)) if kind else set()
        if module:
            known |= set(members_of(module))
            own = scene.sources.module_file(module)
            code = scene.sources.code(own) if own else None
            if code is not None:
                known |= {d.name for d in code.definitions() if not d.scope}
        if not known or any(code.bases(kind) is not None for _, code in scene.own_codes()):
            for _, code in scene.own_codes():
                known |= code.all_members()
        return known

    def _similar(self, scene: Scene, found: Diagnosis, part: Part, owner: Part, kind: str, module: str) -> None:
        member, file = part.name, scene.frame.file if scene.frame else ""
        known = self._known(scene, owner, kind, module) - {member}
        candidates = nearest(member, known, most=3)
        suggested = scene.facts.get("suggestion")
        if suggested and all(suggested != text for text, _ in candidates):
            candidates.insert(0, (suggested, SUGGESTED))
        uses = self._uses(scene, member)
        for meant, score in candidates:
            last = 0
            sets = self._sets(scene, meant)
            spans = [span for where, span in uses if where == file] or [part.name_span or part.span]
            if len(uses) >= 2 and len(sets) == 1 and len(self._uses(scene, meant)) <= 1:
                where, span = sets[0]
                found.key(
                    f"define-as-{member}",
                    f"Call it `{member}` where it is set (line {span.line} of {where})",
                    f"`{member}` is used {len(uses)} times, `{meant}` stands only where it is set",
                    rename(where, [span], member),
                    near=score,
                )
                found.root(where, span.line, f"set here as `{meant}`, used elsewhere as `{member}`", "set-as")
                last = 1
            found.key(
                f"meant-{meant}",
                f"Write `{meant}` instead of `{member}`",
                f"the object has `{meant}`, which differs only a little",
                rename(file, spans, meant),
                near=score,
                rank=last,
            )

    def _uses(self, scene: Scene, member: str) -> list[tuple[str, Span]]:
        """Return the places where `.member` is read in the project."""
        found: list[tuple[str, Span]] = []
        for file, code in scene.own_codes():
            needle = "." + member
            set_at = {(d.span.line, d.span.column) for d in code.members(member)}
            for number, row in enumerate(code.text.split("\n"), 1):
                start = row.find(needle)
                while start >= 0:
                    after = row[start + len(needle) : start + len(needle) + 1]
                    if not (after.isalnum() or after == "_") and (number, start + 2) not in set_at:
                        found.append((file, Span(number, start + 2, number, start + 2 + len(member))))
                    start = row.find(needle, start + 1)
        return found

    def _sets(self, scene: Scene, member: str) -> list[tuple[str, Span]]:
        return [(file, d.span) for file, code in scene.own_codes() for d in code.members(member) if d.sort == "member"]

    def _module(self, scene: Scene, found: Diagnosis, module: str, member: str, part: Part | None) -> None:
        """A module of the program's own that lacks the name, or one found inside the module (datetime.datetime)."""
        own = scene.sources.module_file(module, scene.frame.file if scene.frame else "")
        if own is not None:
            found.root(own, 1, f"this file is what `{module}` stands for, and it has no `{member}`", "module")
        if module == "datetime" and part is not None and scene.frame is not None:
            owner = part.child("object")
            if owner is not None and member in members_of_type("datetime.datetime"):
                found.key(
                    "class-in-module",
                    f"Write `{owner.source}.datetime.{member}`",
                    f"`{member}` belongs to the class `datetime` inside the module",
                    [replace(scene.frame.file, owner.span, owner.source + ".datetime")],
                )

    def _from_elsewhere(self, scene: Scene, found: Diagnosis, part: Part, owner: Part, kind: str) -> None:
        meant = _ELSEWHERE.get((kind, part.name))
        if meant is None or scene.frame is None or part.name_span is None or not scene.traits.whole_tree:
            return
        file = scene.frame.file
        call = next((p for p in scene.parts_of(scene.frame) if p.sort == "call" and p.child("callee") == part), None)
        if call is None:
            statement = scene.statement_of(scene.frame)
            tops = statement.parts if statement else ()
            call = next((p for t in tops for p in t.walk() if p.sort == "call" and p.child("callee") == part), None)
        inside = ", ".join(argument.source for _, argument in call.arguments) if call else ""
        whole = call.span if call else part.span
        reason = f"for {an(kind)} this language writes it so"
        if meant in ("len", "sum", "max", "min", "sorted"):
            found.key(
                "write-as-function",
                f"Write `{meant}({show(owner.source)})`",
                reason,
                [replace(file, whole, f"{meant}({owner.source})")],
            )
        elif meant == "in" and inside:
            found.key(
                "write-in",
                f"Write `{inside} in {show(owner.source)}`",
                reason,
                [replace(file, whole, f"({inside} in {owner.source})")],
            )
        elif meant == "join" and inside:
            found.key(
                "join-the-other-way",
                f"Write `{inside}.join({show(owner.source)})`",
                reason,
                [replace(file, whole, f"{inside}.join({owner.source})")],
            )
        elif meant == "+=" and inside:
            found.key(
                "add-text",
                f"Write `{show(owner.source)} += {inside}`",
                reason,
                [replace(file, whole, f"{owner.source} += {inside}")],
            )
        elif meant == "" and part.name == "decode":
            found.key(
                "already-text",
                f"Leave `.decode` out: `{show(owner.source)}` is text already",
                reason,
                [replace(file, whole, owner.source)],
            )
        elif meant and meant.isidentifier() and meant not in ("slice", "mean"):
            found.key(
                f"meant-{meant}", f"Write `{meant}` instead of `{part.name}`", reason, [replace(file, part.name_span, meant)]
            )

    def _type(self, scene: Scene, found: Diagnosis, part: Part, owner: Part, kind: str) -> None:
        """The object is of another type than the member belongs to."""
        if scene.frame is None:
            return
        idioms = idioms_of(scene)
        belongs = [t for t in ("str", "list", "dict", "set", "float", "int") if part.name in members_of_type(t)]
        if kind in ("int", "float") and "str" in belongs:
            text = idioms.to_text.format(owner.source)
            found.key(
                "text-first",
                f"Make it text first: `{show(text)}.{part.name}`",
                f"`{part.name}` belongs to text, and `{show(owner.source)}` is a number",
                [replace(scene.frame.file, owner.span, text)],
            )
        if kind == "dict" and part.name_span is not None and part.name not in belongs:
            value = scene.value(owner.source)
            if value is not None and part.name in {member.strip("'\"") for member in value.members}:
                found.key(
                    "as-key",
                    f'Write `{show(owner.source)}["{part.name}"]`',
                    f'"{part.name}" is a key of this dictionary, not a member',
                    [replace(scene.frame.file, part.span, f'{owner.source}["{part.name}"]')],
                )
        if kind == "tuple" and "list" in belongs and owner.sort == "call":
            for _, argument in owner.arguments:
                if argument.sort == "tuple" and argument.source[:1] == "(":
                    found.key(
                        "as-list",
                        f"Make it a list: `[{show(argument.source[1:-1])}]`",
                        f"only a list has `{part.name}`",
                        [replace(scene.frame.file, argument.span, f"[{argument.source[1:-1]}]")],
                    )
        if kind in ("builtin_function_or_method", "method", "function") and owner.sort in ("name", "member"):
            found.key(
                "call-it",
                f"Call it first: `{show(owner.source)}()`",
                f"`{show(owner.source)}` is a function; its result has `{part.name}`",
                [replace(scene.frame.file, owner.span.end, "()")],
            )
        for origin in follow(scene, owner, scene.jam.snag or 0)[:4]:
            literal = origin.part
            if (
                kind == "tuple"
                and "list" in belongs
                and literal is not None
                and literal.sort == "tuple"
                and literal.source[:1] == "("
            ):
                found.root_at(origin, "round brackets make a tuple, which stays as it is", "tuple")
                found.key(
                    "as-list",
                    f"Make it a list: `[{show(literal.source[1:-1])}]`",
                    f"only a list has `{part.name}`",
                    [replace(origin.file, literal.span, f"[{literal.source[1:-1].rstrip(', ')}]")],
                )
        for origin in follow(scene, owner, scene.jam.snag or 0)[:2]:
            if (origin.file, origin.line) != (scene.frame.file, scene.line):
                found.root_at(origin, f"here `{show(owner.source)}` became what it is: {an(kind)}", "became")

    def _exported(self, scene: Scene, found: Diagnosis, member: str, module: str) -> None:
        """An import that names what the other file does not give."""
        own = scene.sources.module_file(module, scene.frame.file if scene.frame else "")
        code = scene.sources.code(own) if own else None
        if code is None or scene.frame is None:
            return
        row = scene.row(scene.frame.file, scene.line)
        at = row.find(member)
        for meant, score in nearest(member, {d.name for d in code.definitions() if not d.scope}, most=2):
            if at >= 0:
                here = scene.sources.code(scene.frame.file)
                spans = here.uses(member) if here is not None else []
                spans = spans or [Span(scene.line, at + 1, scene.line, at + 1 + len(member))]
                found.key(
                    f"meant-{meant}",
                    f"Write `{meant}` instead of `{member}`",
                    f"{own} has `{meant}`",
                    rename(scene.frame.file, spans, meant),
                    near=score,
                )


KIND = NoSuchMember()
