"""A name is used that nothing defines."""

from __future__ import annotations

import re

from jamkey.follow.linked import Missing, missing
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import (
    SUGGESTED,
    Diagnosis,
    append_line,
    delete_lines,
    idioms_of,
    import_edit,
    insert_line,
    rename,
    replace,
    show,
    words_of,
)
from jamkey.kinds.repair import name_in_data
from jamkey.languages.base import Code, Function, Span
from jamkey.languages.members import own_names
from jamkey.model import Edit


class UnknownName:
    """See the module."""

    name = "unknown-name"
    title = "a name that does not exist"
    about = (
        "The line uses a name, and at that moment nothing of that name exists. The runtime does not guess what "
        "was meant: it looks the name up letter by letter, capitals included."
    )
    usual = (
        "the name is misspelt, here or where it is defined",
        "a module is used but not imported",
        "it is defined later in the file, or in another function",
        "text was written without its quotes",
    )
    avoid = "Let the editor complete names instead of typing them, and define things above the place that uses them."
    example = "kilos = 31.2\nprint(kilo)\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Weigh the use against every name that could have been meant."""
        absent = missing(scene, scene.facts.get("name", "")) if scene.facts.get("by") == "linker" else None
        name = absent.name if absent is not None else scene.facts.get("name", "")
        file, line = (scene.frame.file, scene.line) if scene.frame else ("", 0)
        found = Diagnosis(
            kind=self.name,
            meaning=f"`{name}` is used on this line, but nothing with that name exists there (yet).",
            look_at=f"Compare `{name}` letter by letter with the names you defined, capitals included.",
            avoid=self.avoid,
        )
        if absent is not None:
            self._not_linked(scene, found, absent)
        code = scene.code
        if code is None or not name:
            found.causes = list(self.usual)
            if file:
                found.root(file, line, f"`{name}` is used here", "used")
            return found
        if any(definition.sort == "parameter" for definition in code.reaching(name, line)):
            # it is spelt as the function takes it: only its value has not come
            found.meaning = f"`{name}` is used on this line, and has no value there."
            found.look_at = f"The function takes `{name}`: look at the calls that should hand it over."
            found.causes = ["a call leaves an argument out", "the value was deleted on the way"]
            found.root(file, line, f"`{name}` has no value here", "no-value")
            return found
        spans = [span for span in code.uses(name) if code.scope_at(span.line) == code.scope_at(line)]
        spans = spans or code.uses(name)
        if scene.row(file, line).startswith(f"{name} ["):
            from jamkey.kinds.copied import leave_out_prompts

            leave_out_prompts(scene, found, name)
        self._in_evaluated_text(scene, found, name)
        self._look_alike(scene, found, name, file, spans)
        if absent is None:
            self._import(scene, found, name, file)
        self._later(scene, found, name, file, code)
        self._elsewhere(scene, found, name, file, code)
        self._similar(scene, found, name, file, code, spans)
        self._member_or_text(scene, found, name, file, code, spans)
        found.root(file, line, f"`{name}` is used here and defined nowhere in reach", "snag")
        alike = any(key.id.startswith(("copied", "meant-", "define-as-", "import-")) for key in found.keys)
        begun = any(item.sort != "changed" and item.span.line != line for item in code.definitions(name))
        if absent is None and not alike and not begun and _is_changed(code, name):
            found.meaning = f"Nothing has given `{name}` a value when this line runs, and the program goes on from one."
            found.look_at = (
                f"Give `{name}` its first value above: before the loop that goes on from it, or where the function begins."
            )
        found.causes = [key.reason for key in found.keys[:3]] or list(self.usual)
        return found

    def _not_linked(self, scene: Scene, found: Diagnosis, absent: Missing) -> None:
        """The compiler took the name; none of what is put together defines it."""
        name, source, library = absent.name, absent.source, absent.library
        found.meaning = f"`{name}` is used on this line, and none of the files that are put together defines it."
        found.look_at = f"Which file, or which library, defines `{name}`? Name that where the program is put together."
        reason = ""
        if source:
            reason = f"`{name}` is defined in {source}, which the linker does not seem to be given"
        elif library:
            reason = f"`{name}` is in the library `{library}`, which is not linked (`-l{library}`)"
        if not reason:
            return
        found.meaning = f"The line can be compiled, and not linked: {reason}."
        found.look_at = f"Link it too: name `{source}`" if source else f"Link the library too: write `-l{library}`"
        found.look_at += " where the program is put together."
        if absent.build is not None:
            file, line = absent.build
            found.root(file, line, reason, "linked")
            edits = [
                Edit(file=file, line=row, column=column, end_line=row, end_column=column, new_text=text)
                for row, column, text in absent.changes
            ]
            found.key("link", f"Link `{source or '-l' + library}` too, in {file}", reason, edits)

    def _in_evaluated_text(self, scene: Scene, found: Diagnosis, name: str) -> None:
        """A frame of evaluated text inside the snag: the name stands in the text, often read from a file."""
        inner = scene.jam.frames[-1] if scene.jam.frames else None
        if inner is None or not inner.file.startswith("<") or scene.frame is inner:
            return
        texts = [value.text.strip("'\"") for value in (scene.frame.values if scene.frame else ()) if value.type == "str"]
        for data in scene.data_files:
            text = scene.sources.text(data) or ""
            for number, row in enumerate(text.split("\n"), 1):
                if name in row and (not texts or any(part and part in row for part in texts)):
                    found.root(data, number, f"the text that was evaluated names `{name}`", "evaluated")
                    name_in_data(scene, found, data, number, name)
                    return

    def _look_alike(self, scene: Scene, found: Diagnosis, name: str, file: str, spans: list[Span]) -> None:
        meant = idioms_of(scene).look_alikes.get(name)
        if meant is not None:
            found.key(
                "spell-as-here",
                f"Write `{meant}` instead of `{name}`",
                f"this language spells it `{meant}`",
                rename(file, spans, meant),
            )

    def _import(self, scene: Scene, found: Diagnosis, name: str, file: str) -> None:
        language = scene.language
        found_in = language.homes(name, file) if language is not None and _asked(scene, name) else ()
        line = found_in[0] if found_in else None
        own = scene.sources.module_file(name, file)
        if own is not None and own != file:
            line = idioms_of(scene).import_module.format(name)
        text = scene.sources.text(file) or ""
        if line is not None and line not in (row.strip() for row in text.split("\n")):
            line = self._with_others(scene, line)
            edit = import_edit(scene, file, line)
            if not scene.traits.imports_anywhere:
                first = next((n for n in range(1, 60) if scene.row(file, n).lstrip().startswith(line.split(" ")[0])), 1)
                found.root(file, first, f"the import of `{name}` is missing here", "import")
            found.key(
                "import-it", f"Import it: `{line}`", f"`{name}` comes from a module that this file does not import", [edit]
            )

    def _with_others(self, scene: Scene, line: str) -> str:
        """Name what else this file uses of the same module and does not import."""
        code, language = scene.code, scene.language
        head, word, first = line.partition(" import ")
        if code is None or language is None or not word or not head.startswith("from "):
            return line
        known = {d.name for d in code.definitions()} | set(language.builtins)
        more = {
            name for name in words_of(code.text) if name not in known and f"{head} import {name}" in language.homes(name)[:1]
        }
        return f"{head} import {', '.join(sorted({first, *more}))}"

    def _later(self, scene: Scene, found: Diagnosis, name: str, file: str, code: Code) -> None:
        """Defined at the outer level, but below the outer-level line that was running."""
        outer = next((f for f in scene.jam.frames if f.file == file and f.function in ("<module>", None)), None)
        later = [d for d in code.definitions(name) if not d.scope and d.sort != "outer"]
        if outer is None or outer.line is None or not later or later[0].span.line <= outer.line:
            return
        statement = code.statement(outer.line)
        target = later[0]
        if statement is None:
            return
        first, final = _whole(scene, file, statement.span.line, statement.span.end_line, target.span.line)
        text = "\n".join(scene.row(file, n) for n in range(first, final + 1))
        last = target.statement.end_line if target.statement else target.span.line
        if target.sort in ("function", "class"):
            last = max([f.span.end_line for f in code.functions(name)], default=last)
        gap = "\n\n" if target.sort in ("function", "class") else ""
        if file.endswith(".ipynb"):
            self._cell_first(scene, found, name, file, (target.span.line, last), first)
            return
        definitions = [f for f in code.functions(name) if f.span.line == target.span.line] if target.sort == "function" else []
        between = [
            n
            for n in range(final + 1, target.span.line)
            if scene.row(file, n)[:1] not in ("", " ", "\t", "#", ")", "]", "}")
            and scene.row(file, n).split(" ")[0] not in ("def", "class", "import", "from", "function", "async", "@")
        ]
        if definitions and not definitions[0].decorators:
            body = "\n".join(scene.row(file, n) for n in range(target.span.line, last + 1))
            use = _first_use(scene, code, file, name, first)
            found.key(
                "definition-first",
                f"Move the definition of `{name}` up, above line {use}",
                f"`{name}` is defined on line {target.span.line}, but line {outer.line} runs before that",
                [insert_line(file, use, body + "\n\n"), delete_lines(file, target.span.line, last)],
                rank=int(not between),
            )
        found.key(
            "call-after-definition",
            f"Move `{show(text)}` below the definition of `{name}` (line {target.span.line})",
            f"`{name}` is defined on line {target.span.line}, but line {outer.line} runs before that",
            [delete_lines(file, first, final), append_line(scene, file, last, gap + text)],
        )
        function = scene.function_of(scene.frame)
        where = function.span.line if function else outer.line
        found.root(file, where, f"`{name}` is needed here before line {target.span.line} has defined it", "needed-before")

    def _cell_first(self, scene: Scene, found: Diagnosis, name: str, file: str, lines: tuple[int, int], use: int) -> None:
        """In a notebook the cell that defines the name stands below, or was not run yet."""
        text = "\n".join(scene.row(file, line) for line in range(lines[0], lines[1] + 1))
        found.meaning += f" It is defined on line {lines[0]}, which had not run at that moment."
        found.look_at = f"Run the cell that defines `{name}` first; if that was all, nothing needs to change."
        found.key(
            "definition-first",
            f"Move the definition of `{name}` up, before it is used",
            f"`{name}` is defined on line {lines[0]}, but line {use} runs before that",
            [insert_line(file, use, text), delete_lines(file, *lines)],
        )
        found.root(file, lines[0], f"`{name}` is defined here, below the line that needs it", "defined-below")

    def _elsewhere(self, scene: Scene, found: Diagnosis, name: str, file: str, code: Code) -> None:
        """Defined inside another function, or in another file of the project."""
        line = scene.line
        for definition in code.definitions(name):
            if not definition.scope or definition.sort not in ("assigned", "loop", "changed"):
                continue
            for function in code.functions(definition.scope):
                if any(part is not None and part.source == name for _, part in function.returns):
                    self._keep_result(scene, found, name, file, code, function)
        for other, other_code in scene.project_codes():
            if other == file or not other.endswith((".py", ".js", ".mjs")):
                continue
            if any(not d.scope and d.sort in ("function", "class", "assigned") for d in other_code.definitions(name)):
                module = other.rpartition(".")[0].replace("/", ".")
                if other.endswith(".py"):
                    import_line = idioms_of(scene).from_module.format(module, name)
                else:
                    import_line = idioms_of(scene).from_module.format("./" + other.rpartition(".")[0], name)
                found.key(
                    "import-own",
                    f"Import it from your own file: `{import_line}`",
                    f"`{name}` is defined in {other}",
                    [import_edit(scene, file, import_line)],
                )
                found.root(file, line, f"`{name}` is defined in {other}, which this file does not import", "defined-elsewhere")

    def _keep_result(self, scene: Scene, found: Diagnosis, name: str, file: str, code: Code, function: Function) -> None:
        """Its function returns it, and a call above drops what is returned."""
        for call in code.calls(function.name):
            statement = code.statement(call.span.line)
            if statement is None or statement.sort not in ("expr", "tokens") or call.span.line > scene.line:
                continue
            if statement.parts and statement.parts[0].span == call.span:
                text = f"{name} = {call.source}"
                found.key(
                    "keep-result",
                    f"Keep what `{function.name}` returns: `{show(text)}`",
                    f"`{name}` exists only inside `{function.name}`, which returns it, but the call drops it",
                    [replace(file, call.span, text)],
                )
                found.root(file, call.span.line, f"the result of `{function.name}` is dropped here", "dropped")

    def _similar(self, scene: Scene, found: Diagnosis, name: str, file: str, code: Code, spans: list[Span]) -> None:
        """The definition or the use may be the odd one out."""
        language = scene.language
        visible = code.visible(scene.line) - {name}
        known = set(language.builtins | language.keywords | own_names(language.name)) if language is not None else set()
        suggested = scene.facts.get("suggestion")
        if suggested in known and _is_changed(code, name):
            suggested = None  # it is no function of the language that is set here
        candidates = nearest(name, visible, most=4)
        if not any(score > 0.85 for _, score in candidates) and not _is_changed(code, name):
            idioms = idioms_of(scene)
            words = {word for word in known if word not in language.keywords} if language is not None else set()
            candidates += nearest(name, words | {idioms.true, idioms.false, idioms.missing}, most=2, least=0.8)
        if suggested and all(suggested != text for text, _ in candidates):
            candidates.append((suggested, SUGGESTED))
        if scene.traits.columns_as_names and not _is_changed(code, name):
            known_too = {text for text, _ in candidates}
            candidates += [item for item in nearest(name, scene.members - {name}, most=2) if item[0] not in known_too]
        recorded = {value.name for value in scene.frame.values} if scene.frame else set()
        for meant, score in candidates:
            meant_spans = code.uses(meant)
            odd_definition = len(spans) >= 2 and len(meant_spans) == 1 and meant in visible
            found.key(
                f"meant-{meant}",
                f"Write `{meant}` instead of `{name}`",
                f"`{meant}` exists here and differs from `{name}` only a little",
                rename(file, spans, meant),
                near=score,
                rank=int(odd_definition) + int(meant not in recorded and meant != suggested),
            )
            if len(meant_spans) == 1 and not odd_definition and meant in visible:
                found.root(
                    file, meant_spans[0].line, f"defined here as `{meant}`, used as `{name}`", "defined-nearly", near=score
                )
            if odd_definition:
                place = meant_spans[0]
                found.key(
                    f"define-as-{name}",
                    f"Call it `{name}` where it is defined (line {place.line})",
                    f"`{name}` is used {len(spans)} times, `{meant}` stands only where it is defined",
                    rename(file, [place], name),
                    near=score,
                )
                found.root(file, place.line, f"defined here as `{meant}`, used everywhere else as `{name}`", "defined-odd")

    def _member_or_text(self, scene: Scene, found: Diagnosis, name: str, file: str, code: Code, spans: list[Span]) -> None:
        here = [span for span in spans if span.line == scene.line] or spans[:1]
        function = scene.function_of(scene.frame)
        if function is not None and function.owner and function.params and code.members(name):
            receiver = function.params[0].name
            found.key(
                "through-receiver",
                f"Write `{receiver}.{name}`",
                f"`{name}` belongs to the object, not to the function",
                rename(file, here, f"{receiver}.{name}"),
            )
        imported = [d.name for d in code.definitions() if d.sort == "import" and not d.imported]
        for module in imported:
            value = scene.value(module)
            members = value.members if value is not None else _members_of_module(scene, code, module)
            if name in members:
                found.key(
                    "through-module",
                    f"Write `{module}.{name}`",
                    f"`{name}` belongs to the imported module `{module}`",
                    rename(file, here, f"{module}.{name}"),
                )
        called = bool(here) and scene.row(file, here[0].end_line)[here[0].end_column - 1 :].lstrip().startswith("(")
        if here and not called and not _is_changed(code, name) and not _calculated(scene, here[0]):
            key = name in code.literal_keys()
            known = "quote-it-key" if key else _among_texts(scene, here[0])
            reason = (
                f'"{name}" is a key in this program, not a name'
                if key
                else "text stands in quotes, else it is taken for a name"
            )
            found.key("quote-it", f'Put quotes around it: `"{name}"`', reason, rename(file, here, f'"{name}"'), known=known)


def _is_changed(code: Code, name: str) -> bool:
    """Tell whether a name is set, or something is asked or set of what it holds: no text, and nothing of the language's own."""
    for line in {span.line for span in code.uses(name)}:
        statement = code.statement(line)
        if statement is None:
            continue
        if any(part.name == name for target in statement.targets for part in target.walk() if part.sort == "name"):
            return True
        for part in (part for top in statement.parts for part in top.walk() if part.sort == "member"):
            owner = part.child("object")
            if owner is not None and owner.sort == "name" and owner.name == name:
                return True
    return False


#: Signs that are for numbers; some languages take the last two with a text as well.
_CALCULATES = frozenset({"-", "^", "**", "%%", "%/%", ".*", "./", "*", "/"})
_WITH_TEXT = frozenset({"*", "/"})


def _calculated(scene: Scene, span: Span) -> bool:
    """Tell a name that is calculated with, by a sign between which and a text the language has nothing."""
    signs = _CALCULATES - _WITH_TEXT if scene.traits.python_values else _CALCULATES
    statement = scene.statement_of(scene.frame)
    for part in (part for top in (statement.parts if statement is not None else ()) for part in top.walk()):
        sides = [side for role, side in part.children if role in ("left", "right")] if part.sort == "binary" else []
        if len(sides) == 2 and any(side.sort == "name" and side.span == span for side in sides):
            # a path can be divided by a text; a number can not
            if part.name in signs or (part.name == "/" and any(side.sort in ("literal", "binary") for side in sides)):
                return True
    return False


def _among_texts(scene: Scene, span: Span) -> str:
    """Return how a name is known to be meant as text: behind square brackets, beside texts, in calls that take text."""
    for part in scene.parts_of(scene.frame):
        for role, child in part.children:
            if child.sort != "name" or child.span != span:
                continue
            if part.sort == "index" and role == "key":
                return "quote-it-index"
            if part.sort == "call" and role == "argument":
                place = [argument.span for _, argument in part.arguments].index(span)
                others = [call for _, code in scene.own_codes() for call in code.calls(part.called)] if part.called else []
                same = [call.arguments[place][1].sort for call in others if len(call.arguments) > place]
                return "quote-it-argument" if "text" in same else "quote-it"
            if part.sort in ("list", "tuple", "set", "dict"):
                return "quote-it-item" if any(other.sort == "text" for _, other in part.children) else "quote-it"
    return "quote-it"


def _asked(scene: Scene, name: str) -> bool:
    """Tell whether something is asked of the name, or declared by it: a plain variable comes from no library."""
    shown = re.compile(rf"(?<![\w.]){re.escape(name)}\s*(?:[(.:<*&]|\s\w)")
    return name[:1].isupper() or any(shown.search(code.text) for _, code in scene.own_codes())


def _members_of_module(scene: Scene, code: Code, name: str) -> tuple[str, ...]:
    """Return the members of a standard-library module that is small enough to import safely."""
    from jamkey.languages.installed import members_of

    definition = next((d for d in code.definitions(name) if d.sort == "import"), None)
    return members_of(definition.module) if definition is not None and scene.traits.whole_tree else ()


def _first_use(scene: Scene, code: Code, file: str, name: str, line: int) -> int:
    """Return the first outer-level line above `line` whose statement, or whose block, uses the name."""
    lines = [span.line for span in code.uses(name) if not code.scope_at(span.line)] + [line]
    first = min(lines)
    while first > 1 and (scene.row(file, first)[:1].isspace() or not scene.row(file, first)):
        first -= 1
    return first


def _whole(scene: Scene, file: str, first: int, last: int, before: int) -> tuple[int, int]:
    """Return the lines of the outer-level statement around some lines: up to its head, down to the end of its block."""
    while first > 1 and (scene.row(file, first)[:1].isspace() or not scene.row(file, first)):
        first -= 1
    end = last
    for line in range(last + 1, before):
        row = scene.row(file, line)
        if row and not row[:1].isspace() and not row.startswith((")", "]", "}", "else", "elif", "except", "finally")):
            break
        if row.strip():
            end = line
    return first, end


KIND = UnknownName()
