"""A name exists, but has no value yet at that moment."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, append_line, delete_lines, idioms_of, indent_of, insert_line, replace, show
from jamkey.kinds.by_evidence import loop_of_its_own
from jamkey.languages.base import Code, Definition, Function, Loop, Span


class UnsetName:
    """See the module."""

    name = "unset-name"
    title = "a name without a value yet"
    about = (
        "The name belongs to this function (or block), because it is set somewhere in it. At this line, on the way "
        "taken this time, it has not been set yet."
    )
    usual = (
        "the function changes a name that was meant to be the outer one",
        "it is set in some branches only, and another branch was taken",
        "a counter was never given its first value",
    )
    avoid = "Give a name its first value before any branch, and hand values in and out instead of changing outer names."
    example = "total = 0\n\n\ndef add(kilos):\n    total += kilos\n\n\nadd(31.2)\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Tell an outer name that was meant from a branch that sets nothing."""
        name = scene.facts.get("name", "")
        file, line = (scene.frame.file, scene.line) if scene.frame else ("", 0)
        found = Diagnosis(
            kind=self.name,
            meaning=f"`{name}` is set somewhere in this function, but not on the way that led to this line.",
            look_at=f"Find every line that sets `{name}` in this function, and ask which of them ran before it was asked for.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        code, function = scene.code, scene.function_of(scene.frame)
        if (of_loop := loop_of_its_own(scene, name)) is not None:
            self._loops_own(scene, found, name, *of_loop)
            return found
        if code is None:
            if file:
                found.root(file, line, f"`{name}` has no value here", "snag")
            return found
        if function is not None and any(param.name == name for param in function.params):
            return self._not_given(scene, name, function)
        scope = function.qualified if function else ""
        own = [d for d in code.definitions(name) if d.scope == scope]
        outside = [d for d in code.definitions(name) if d.scope != scope and _encloses(d.scope, scope)]
        if not scope or (not own and outside) or idioms_of(scene).variable_word:
            self._declared_later(scene, found, name, file, code)
        if function is not None and outside:
            self._outer(scene, found, name, file, function, outside)
        if function is not None and own:
            self._branch(scene, found, name, file, code, function, own)
        found.root(file, line, f"`{name}` is read here before this function has set it", "read-early")
        return found

    def _loops_own(self, scene: Scene, found: Diagnosis, name: str, loop: Loop, outer: Definition) -> None:
        """A loop at the margin that sets a name: it is the loop's own."""
        file, place = scene.frame.file if scene.frame else "", outer.span.line
        found.meaning = (
            f"Because the loop on line {loop.span.line} sets `{name}`, that is a name of the loop's own, and it has no value "
            f"yet. The `{name}` of line {place} is another one."
        )
        found.look_at = f"Decide whether the loop shall change the `{name}` of line {place}."
        found.causes.insert(
            0, f"`{name}` of line {place} was meant; setting it in a loop that stands in no function makes a new one"
        )
        statement = scene.statement_of(scene.frame)
        if statement is not None and any(target.name == name for target in statement.targets):
            row, indent = scene.row(file, statement.span.line), indent_of(scene, file, statement.span.line)
            begun = Span(statement.span.line, len(indent) + 1, statement.span.line, len(indent) + 1)
            if row[len(indent) :].startswith(name):
                reason = f"the loop changes `{name}`, which is set outside of it on line {place}"
                found.key(
                    "say-global", f"Say that the outer one is meant: `global {name}`", reason, [replace(file, begun, "global ")]
                )
        found.root(file, place, f"`{name}` is set here, outside of the loop", "set-outside")
        found.root(file, scene.line, f"`{name}` of line {place} is meant, but this makes one of the loop's own", "loops-own")

    def _not_given(self, scene: Scene, name: str, function: Function) -> Diagnosis:
        """A parameter that no call filled."""
        found = Diagnosis(
            kind=self.name,
            meaning=f"`{name}` is a parameter of `{function.name}`, and this call of it handed nothing over for `{name}`.",
            look_at=f"Compare the call of `{function.name}` with its definition, one argument after the other.",
            avoid="Give a parameter that may be left out a value of its own.",
            causes=["the call leaves out an argument", f"`{name}` was meant to have a value of its own when it is left out"],
        )
        index = scene.caller_index(scene.jam.snag) if scene.jam.snag is not None else None
        if index is not None and (caller := scene.jam.frames[index]).line:
            found.root(caller.file, caller.line, f"nothing is handed over for `{name}` here", "not-handed")
        elif scene.frame is not None:
            found.root(scene.frame.file, scene.line, f"`{name}` was left out by the call", "left-out")
        return found

    def _outer(
        self, scene: Scene, found: Diagnosis, name: str, file: str, function: Function, outside: list[Definition]
    ) -> None:
        word = "nonlocal" if any(d.scope for d in outside) else "global"
        place = outside[0]
        found.causes.insert(0, f"`{name}` of line {place.span.line} was meant; setting it here makes a new, local one")
        found.meaning = (
            f"Because `{function.name}` sets `{name}`, Python takes it for a name of its own there, and that one has "
            f"no value yet. The `{name}` of line {place.span.line} is another one."
        )
        if scene.traits.whole_tree:
            body = _first_body_line(scene, file, function)
            found.key(
                f"say-{word}",
                f"Say that the outer one is meant: `{word} {name}`",
                f"`{function.name}` changes `{name}`, which is defined outside on line {place.span.line}",
                [insert_line(file, body, f"{indent_of(scene, file, body)}{word} {name}")],
            )
        found.root(file, scene.line, f"`{name}` of line {place.span.line} is meant, but this makes a local one", "local-one")

    def _branch(
        self, scene: Scene, found: Diagnosis, name: str, file: str, code: Code, function: Function, own: list[Definition]
    ) -> None:
        """Set in branches only: the last of them is where the missing case belongs."""
        before = [d for d in own if d.span.line < scene.line and d.sort != "parameter"]
        changed = [d for d in own if d.sort == "changed" and d.span.line >= function.body_line]
        first = _first_value(own, idioms_of(scene).missing)
        body = _first_body_line(scene, file, function)
        indent = indent_of(scene, file, body)
        if before:
            last = before[-1]
            branch = _branch_line(scene, file, last.span.line, scene.line)
            found.root(
                file, branch or last.span.line, f"`{name}` is set in this branch, and no branch sets it otherwise", "one-branch"
            )
            found.causes.insert(0, f"`{name}` is set in some branches only, and another one was taken this time")
            head = indent_of(scene, file, branch) if branch else indent
            row = scene.row(file, branch).strip() if branch else ""
            if row.startswith(("if ", "elif ")) and scene.traits.whole_tree:
                inner = indent_of(scene, file, last.span.line)
                after = scene.row(file, last.span.line + 1).strip()
                if not after.startswith(("elif", "else")):
                    found.key(
                        "add-else",
                        f"Add the missing case: `else: {name} = {first}`",
                        f"when no condition holds, nothing sets `{name}`",
                        [append_line(scene, file, last.span.line, f"{head}else:\n{inner}{name} = {first}")],
                    )
        found.key(
            "first-value",
            f"Give it a first value: `{name} = {first}`",
            f"then `{name}` exists whichever way the function takes",
            [insert_line(file, body, f"{indent}{name} = {first}")],
            known="first-value-changed" if changed and not before else "first-value",
        )

    def _declared_later(self, scene: Scene, found: Diagnosis, name: str, file: str, code: Code) -> None:
        """Read before the line that declares it: move the declaration up, above the statement that was running."""
        outer = next((f for f in scene.jam.frames if f.file == file and f.function in ("<module>", None)), scene.frame)
        later = [d for d in code.definitions(name) if d.sort == "assigned" and d.span.line > scene.line]
        later = later or [d for d in code.definitions(name) if not d.scope and d.sort == "assigned"]
        if outer is None or outer.line is None or not later:
            return
        place = later[0]
        statement = place.statement or place.span
        text = "\n".join(scene.row(file, n) for n in range(statement.line, statement.end_line + 1))
        if statement.line <= outer.line:
            return
        found.key(
            "define-first",
            f"Move `{show(text)}` above line {outer.line}",
            f"line {outer.line} runs before line {statement.line} has set `{name}`",
            [delete_lines(file, statement.line, statement.end_line), insert_line(file, outer.line, text)],
        )
        found.root(file, outer.line, f"this runs before line {statement.line} has set `{name}`", "runs-early")


def _encloses(outer: str, inner: str) -> bool:
    return not outer or inner.startswith(outer + ".")


def _first_body_line(scene: Scene, file: str, function: Function) -> int:
    """Return the first line of a body below its docstring."""
    line = function.body_line
    row = scene.row(file, line).strip()
    code = scene.sources.code(file, scene.jam.runtime)
    statement = code.statement(line) if code is not None else None
    is_text = statement is not None and statement.sort == "expr" and statement.parts and statement.parts[0].sort == "text"
    if is_text and statement is not None and row[:1] in "\"'rRuU" and statement.span.end_line < function.last_line:
        return statement.span.end_line + 1
    return line


def _branch_line(scene: Scene, file: str, line: int, read: int) -> int | None:
    """Return the line of the branch around a line, when the reading line is outside it."""
    inner = len(indent_of(scene, file, line))
    if inner <= len(indent_of(scene, file, read)):
        return None
    for number in range(line - 1, 0, -1):
        row = scene.row(file, number)
        if row.strip() and len(indent_of(scene, file, number)) < inner:
            return number
    return None


def _first_value(own: list[Definition], missing: str) -> str:
    """Guess a first value from what the name is set to elsewhere."""
    for definition in own:
        value = definition.value
        if value is None:
            continue
        if value.sort == "text":
            return '""'
        if value.sort in ("list", "comprehension"):
            return "[]"
        if value.sort == "dict":
            return "{}"
        if definition.sort == "changed" or value.sort in ("literal", "binary"):
            return "0.0" if "." in value.source and value.sort == "literal" else "0"
    return missing


KIND = UnsetName()
