"""A call does not fit what the function takes."""

from __future__ import annotations

from jamkey.follow.dispatched import miscounted
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import SUGGESTED, Diagnosis, idioms_of, insert_line, replace, show, trace_names, words_of
from jamkey.languages.base import Code, Function, Part, Span

#: Names of colours as of CSS, the usual ones.
COLOURS = tuple(
    """
    black white gray grey silver red darkred crimson firebrick maroon salmon tomato coral orange darkorange gold yellow
    khaki olive green darkgreen lightgreen lime seagreen teal turquoise cyan aqua skyblue lightblue steelblue blue
    darkblue navy royalblue indigo violet purple magenta fuchsia orchid plum pink hotpink lavender beige ivory linen tan
    wheat brown chocolate sienna peru lightgray lightgrey darkgray darkgrey slategray dimgray
""".split()
)


#: Parameters that hold numbers by their names.
_NUMBERS = ("n", "count", "size", "number", "total", "x", "y")


class WrongArguments:
    """See the module."""

    name = "wrong-arguments"
    title = "a call that does not fit the function"
    about = (
        "A function is called with too many, too few or other arguments than its definition names. For a method the "
        "object itself is handed over as the first argument, which counts too."
    )
    usual = (
        "an argument was forgotten, or one too many is given",
        "a method's definition lacks the object itself as its first parameter",
        "a keyword argument is misspelt",
        "the call was not changed along with the definition",
    )
    #: Causes where no compiler counts arguments: a method that names its object, arguments by name.
    uncounted = usual[1:3]
    avoid = "Give arguments by name where there are more than two, and look at the definition when a call is refused."
    example = "def gain(before, after):\n    return after - before\n\n\nprint(gain(31.2))\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Compare the call with the definition and mend the one that is off."""
        facts = scene.facts = {**scene.facts, **_counted(scene)}
        named = facts.get("function", "").strip() or _asks_for(scene, facts.get("names", ""))
        short = named.rpartition(".")[2]
        found = Diagnosis(
            kind=self.name,
            meaning=f"The call of `{short}` does not fit its definition: {_what(facts)}.",
            look_at=f"Put the call and the definition of `{short}` side by side and count.",
            avoid=self.avoid,
            causes=[cause for cause in self.usual if not (scene.traits.compiled and cause in self.uncounted)],
        )
        if "method" in facts and "class" in facts:
            found.meaning = (
                f"The class that `{facts['class']}` is made from asks for a method `{facts['method']}`, and it has none."
            )
            found.look_at = f"Look at the methods of `{facts['class']}`: is one of them meant to be `{facts['method']}`?"
            found.causes = ["the method is misspelt, or not written yet", "the class is one to make others from, not objects"]
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        functions = self._functions(scene, named)
        call = self._call(scene, short, functions)
        for where, function in functions[:1]:
            if "takes" in facts:
                self._too_many(scene, found, where, function, call, facts)
            if "names" in facts:
                self._missing(scene, found, where, function, call, facts["names"])
            if "keyword" in facts:
                self._keyword(scene, found, where, function, call, facts["keyword"].strip("'"))
        if (
            not functions
            and call is not None
            and (facts.get("class") or facts.get("given") or "no arguments" in (scene.jam.wording or ""))
        ):
            self._constructor(scene, found, short)
        if not functions and "names" not in facts:
            self._written_value(scene, found, facts.get("value", "").strip("'"))
        found.root(file, line, "the call stands here", "snag")
        return found

    def _written_value(self, scene: Scene, found: Diagnosis, value: str) -> None:
        """A library refuses a value: find where it is written, and what it suggests instead."""
        suggested = scene.facts.get("suggestion", "")
        for file, code in scene.own_codes():
            for number in range(1, code.text.count("\n") + 2) if value else ():
                if value not in scene.row(file, number):
                    continue
                statement = code.statement(number)
                for part in (p for top in (statement.parts if statement else ()) for p in top.walk()):
                    if part.sort == "text" and part.name == value and part.span.line == number:
                        found.root(file, number, f"`{show(value)}` is written here", "written")
                        choices = (
                            [suggested]
                            if suggested
                            else [
                                text for text, _ in nearest(value, words_of(scene.facts.get("choices", "")), most=2, least=0.6)
                            ]
                        )
                        for rank, meant in enumerate(choices):
                            quote = part.source[:1]
                            found.key(
                                f"value-{meant}",
                                f"Write {quote}{meant}{quote} instead of {part.source}",
                                "the library knows this one",
                                [replace(file, part.span, f"{quote}{meant}{quote}")],
                                rank=rank,
                            )
        if not value:
            trace_names(scene, found, "a value that was handed to the call comes from here")
        if "color" in (scene.jam.wording or ""):
            self._colour(scene, found)

    def _colour(self, scene: Scene, found: Diagnosis) -> None:
        """A text that is almost the name of a colour."""
        for file, code in scene.own_codes():
            for number in range(1, min(code.text.count("\n") + 2, 5000)):
                statement = code.statement(number)
                for part in (p for top in (statement.parts if statement else ()) for p in top.walk()):
                    if part.sort != "text" or part.span.line != number or part.name in COLOURS or not part.name.isalpha():
                        continue
                    for meant, score in nearest(part.name.lower(), COLOURS, most=2, least=0.75):
                        quote = part.source[:1]
                        found.root(file, number, f"{part.source} is no colour", "colour", near=score)
                        found.key(
                            f"colour-{meant}",
                            f"Write {quote}{meant}{quote} instead of {part.source}",
                            "the library knows this colour",
                            [replace(file, part.span, f"{quote}{meant}{quote}")],
                            near=score,
                        )

    def _functions(self, scene: Scene, named: str) -> list[tuple[str, Function]]:
        found = scene.functions_named(named)
        if named.rpartition(".")[2] == "__init__" and "." in named:
            owner = named.rpartition(".")[0].rpartition(".")[2]
            found = [item for item in found if item[1].owner == owner] or found
        return found

    def _call(self, scene: Scene, short: str, functions: list[tuple[str, Function]]) -> Part | None:
        names = {short} | {function.owner for _, function in functions if function.name == "__init__"}
        parts = scene.parts_of(scene.frame)
        statement = scene.statement_of(scene.frame)
        parts = parts + ([p for top in statement.parts for p in top.walk()] if statement is not None else [])
        calls = [part for part in parts if part.sort == "call"]
        return next((part for part in calls if part.called in names), calls[0] if len(calls) == 1 else None)

    def _too_many(
        self, scene: Scene, found: Diagnosis, where: str, function: Function, call: Part | None, facts: dict[str, str]
    ) -> None:
        names = [param.name for param in function.params]
        if function.owner and not function.is_static and names[:1] not in (["self"], ["cls"]):
            self._no_receiver(scene, found, where, function)
            return
        given = len([1 for word, _ in call.arguments if not word]) if call is not None else 0
        plain = [param for param in function.params if not param.star]
        room = len(plain) - (1 if function.owner and not function.is_static else 0)
        found.root(where, function.span.line, f"`{function.name}` is defined with {_count(room, 'parameter')}", "defined-with")
        if call is None or given <= room or scene.frame is None:
            return
        extra = [argument for word, argument in call.arguments if not word][room]
        new = extra.name if extra.sort == "name" and extra.name not in names else "extra"
        place = function.params[-1].span if function.params else function.params_span
        if place is not None:
            text = f", {new}" if function.params else new
            default = function.params[-1].default if function.params else None
            spot = default.span.end if default is not None else place.end
            found.key(
                "add-parameter",
                f"Let `{function.name}` take it: add a parameter `{new}`",
                "the call hands over more than the definition names",
                [replace(where, spot, text)],
            )

    def _no_receiver(self, scene: Scene, found: Diagnosis, where: str, function: Function) -> None:
        found.root(where, function.span.line, f"the definition of `{function.name}` lacks `self`", "lacks-self")
        found.meaning += " For a method, the object before the dot is handed over as the first argument."
        if function.params_span is not None:
            text = "self, " if function.params else "self"
            found.key(
                "add-self",
                f"Add `self` to the definition of `{function.name}`",
                "a method is handed its object first, and the definition has no place for it",
                [replace(where, function.params_span, text)],
            )
        found.key(
            "make-static",
            f"Mark `{function.name}` as one that needs no object: `@staticmethod`",
            "it does not use the object",
            [insert_line(where, function.span.line, " " * (function.span.column - 1) + "@staticmethod")],
        )

    def _missing(self, scene: Scene, found: Diagnosis, where: str, function: Function, call: Part | None, names: str) -> None:
        wanted = [name.strip(" '") for name in names.replace(" and ", ",").split(",") if name.strip(" '")]
        found.root(where, function.span.line, f"`{function.name}` is defined to need `{'`, `'.join(wanted)}`", "defined-needs")
        code = scene.code
        if call is None or code is None or scene.frame is None:
            return
        file = scene.frame.file
        visible = sorted(code.visible(call.span.line))
        parts: list[str] = []
        for name in wanted:
            near = [name] if name in visible else [text for text, _ in nearest(name, visible, most=1, least=0.8)]
            if near:
                parts.append(near[0])
        spot = Span(call.span.end_line, call.span.end_column - 1, call.span.end_line, call.span.end_column - 1)
        joined = ", " if call.arguments else ""
        if len(parts) == len(wanted):
            keywords = [
                f"{name}={text}" if any(w for w, _ in call.arguments) else text
                for name, text in zip(wanted, parts, strict=True)
            ]
            found.key(
                "pass-it",
                f"Pass it: `{', '.join(keywords)}`",
                f"`{'`, `'.join(parts)}` is at hand in the caller",
                [replace(file, spot, joined + ", ".join(keywords))],
            )
        others = self._other_calls(scene, function, call)
        if others:
            found.key(
                "pass-as-elsewhere",
                f"Pass what the other calls pass: `{show(', '.join(others))}`",
                "other calls of the function give it",
                [replace(file, spot, joined + ", ".join(others))],
            )
        param = next((param for param in function.params if param.name == wanted[0]), None)
        if param is not None and len(wanted) == 1 and param.default is None and not scene.traits.compiled:
            filler = "0" if param.name in _NUMBERS else idioms_of(scene).missing
            found.key(
                "give-default",
                f"Give `{param.name}` a default in the definition: `{param.name}={filler}`",
                "calls may then leave it out",
                [replace(where, param.span.end, f"={filler}")],
            )

    def _other_calls(self, scene: Scene, function: Function, call: Part) -> list[str]:
        given = len(call.arguments)
        for _, code in scene.own_codes():
            for other in code.calls(function.name):
                if len(other.arguments) > given and other.span != call.span:
                    rest = [part for _, part in other.arguments[given:]]
                    if all(part.sort in ("literal", "text") for part in rest):
                        return [part.source for part in rest]
        return []

    def _keyword(self, scene: Scene, found: Diagnosis, where: str, function: Function, call: Part | None, keyword: str) -> None:
        names = [param.name for param in function.params if not param.star.startswith("*")]
        gathers = {param.star for param in function.params}
        if function.decorators or keyword in names or ("*" in gathers and "**" not in gathers):
            self._wrapper(scene, found, keyword)
        if call is None or scene.frame is None:
            return
        file = scene.frame.file
        value = next((part for word, part in call.arguments if word == keyword), None)
        spot = self._keyword_span(scene, file, value, keyword)
        suggested = scene.facts.get("suggestion")
        near = nearest(keyword, names, most=2, least=0.6)
        if suggested and suggested not in dict(near):
            near.insert(0, (suggested, SUGGESTED))
        if spot is not None:
            for meant, score in near:
                found.key(
                    f"meant-{meant}",
                    f"Write `{meant}=` instead of `{keyword}=`",
                    f"`{function.name}` has a parameter `{meant}`",
                    [replace(file, spot, meant)],
                    near=score,
                )
        if function.params and not function.decorators:
            last = function.params[-1]
            end = last.default.span.end if last.default is not None else last.span.end
            found.key(
                "add-parameter",
                f"Let `{function.name}` take `{keyword}`",
                "the call hands it over by name",
                [replace(where, end, f", {keyword}=None")],
            )

    def _keyword_span(self, scene: Scene, file: str, value: Part | None, keyword: str) -> Span | None:
        if value is None:
            return None
        row = scene.row(file, value.span.line)
        at = row.rfind(keyword, 0, value.span.column - 1)
        return Span(value.span.line, at + 1, value.span.line, at + 1 + len(keyword)) if at >= 0 else None

    def _wrapper(self, scene: Scene, found: Diagnosis, keyword: str) -> None:
        """A wrapper that hands on `*args` only drops what is given by name."""
        for file, code in scene.own_codes():
            for function in code.functions():
                stars = [param for param in function.params if param.star == "*"]
                if not stars or any(param.star == "**" for param in function.params):
                    continue
                star = stars[0]
                calls = [
                    part
                    for line in range(function.body_line, function.last_line + 1)
                    for part in _calls_at(code, line)
                    if any(a.sort == "star" and a.source.lstrip("*") == star.name for _, a in part.arguments)
                ]
                if not calls:
                    continue
                found.root(
                    file,
                    function.span.line,
                    f"`{function.name}` takes no arguments by name, so it cannot hand `{keyword}` on",
                    "no-keywords",
                )
                edits = [replace(file, star.span.end, ", **kwargs")]
                for part in calls[:1]:
                    spot = Span(part.span.end_line, part.span.end_column - 1, part.span.end_line, part.span.end_column - 1)
                    edits.append(replace(file, spot, ", **kwargs"))
                found.key(
                    "hand-on-keywords",
                    f"Let `{function.name}` take and hand on `**kwargs`",
                    "arguments given by name then reach the wrapped function",
                    edits,
                )
                return

    def _constructor(self, scene: Scene, found: Diagnosis, short: str) -> None:
        """A class that takes no arguments: its initialiser may be misspelt."""
        for file, code in scene.own_codes():
            for function in code.functions():
                if function.owner == short and function.name != "__init__" and nearest(function.name, ["__init__"], least=0.7):
                    row = scene.row(file, function.span.line)
                    at = row.find(function.name)
                    found.root(file, function.span.line, "the initialiser's name is misspelt here", "initialiser")
                    found.key(
                        "initialiser",
                        "Call the initialiser `__init__`",
                        "only this name is called for a new object",
                        [
                            replace(
                                file,
                                Span(function.span.line, at + 1, function.span.line, at + 1 + len(function.name)),
                                "__init__",
                            )
                        ],
                    )


def _calls_at(code: Code, line: int) -> list[Part]:
    statement = code.statement(line)
    if statement is None or statement.span.line != line:
        return []
    return [part for top in statement.parts for part in top.walk() if part.sort == "call"]


def _counted(scene: Scene) -> dict[str, str]:
    """Return what a call that no method takes leaves out, or how much it gives, as facts."""
    if (found := miscounted(scene)) is None:
        return {}
    _, function, call = found
    names = [param.name for param in function.params if param.default is None and param.name not in call.keywords]
    left_out = names[len(call.types) :]
    return {"names": ", ".join(left_out)} if left_out else {"takes": str(len(function.params)), "given": str(len(call.types))}


def _asks_for(scene: Scene, names: str) -> str:
    """Return the only function of one's own that is called on the line and has a parameter of that name, if one is told."""
    called = {part.called for part in scene.parts_of(scene.frame) if part.sort == "call" and part.called}
    own = {
        name
        for name in called
        for _, function in scene.functions_named(name)
        if not names or names in [param.name for param in function.params]
    }
    return own.pop() if len(own) == 1 else ""


def _what(facts: dict[str, str]) -> str:
    if "labels" in facts:
        return f"its arguments are to be named `{facts['labels']}`"
    if "names" in facts:
        return f"it gives nothing for {facts['names']}"
    if "keyword" in facts:
        return f"there is no parameter called `{facts['keyword'].strip(chr(39))}`, or it is given twice"
    if "given" in facts:
        return f"it takes {facts.get('takes', 'fewer')}, and {facts['given']} were given"
    return "the arguments are not those it takes"


def _count(number: int, noun: str) -> str:
    return f"{number} {noun}{'' if number == 1 else 's'}" if number else f"no {noun}s"


KIND = WrongArguments()
