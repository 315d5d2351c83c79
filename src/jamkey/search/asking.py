"""How each language's running program is asked what edits would do: where calls of ours stand, and what runs beside it."""

from __future__ import annotations

import contextlib
import json
import re
import shutil
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Protocol

import msgspec

from jamkey.errors import JamkeyError
from jamkey.follow.scene import Scene
from jamkey.languages.base import Part, Span
from jamkey.search.survey import NAME, by_file, can_be_called_around, with_calls
from jamkey.search.weights import Said
from jamkey.text import edited, lines_of, newlines, offset
from jamkey.trials.warm import Warm

_AGENTS = Path(__file__).parent.parent / "observe" / "agents"
_SEPARATOR = "\x1e"
#: A word that belongs to a statement and stands before what is taken for it.
_WORD_AHEAD = re.compile(r"\b(?:local|return)\s+$")


class Statement(msgspec.Struct):
    """A statement that failed, or below which something failed, and other forms of it."""

    file: str
    first: int
    last: int
    text: str
    forms: list[str]


class Expression(msgspec.Struct):
    """An expression behind a call of ours, and other forms of it."""

    site: int
    text: str
    forms: list[str]


Asked = Statement | Expression
Answers = list[list[str | Said | None]]


class Asking(Protocol):
    """One language's way."""

    #: Whether a statement can be run in the frame that failed; else its expressions are asked there as elsewhere.
    runs_statements: bool

    def calls(
        self, scene: Scene, runner: Warm, wanted: Iterable[tuple[str, Part]]
    ) -> tuple[dict[str, bytes], list[tuple[str, Part]]]:
        """Return the files with calls of ours, and the parts these stand at, in the order of their numbers."""
        ...

    def prepare(
        self, runner: Warm, asked: Sequence[Asked], told: Sequence[str], run: float, seconds: float, failure: str
    ) -> dict[str, object]:
        """Lay down what is asked; return what the run is given."""
        ...

    def answers(self, runner: Warm) -> Answers:
        """Return what was answered; nothing where nothing was."""
        ...


class _Python:
    runs_statements = True

    def calls(
        self, scene: Scene, runner: Warm, wanted: Iterable[tuple[str, Part]]
    ) -> tuple[dict[str, bytes], list[tuple[str, Part]]]:
        return with_calls(scene, runner, wanted, NAME)

    def prepare(
        self, runner: Warm, asked: Sequence[Asked], told: Sequence[str], run: float, seconds: float, failure: str
    ) -> dict[str, object]:
        out = runner.folder / "judged.json"
        out.unlink(missing_ok=True)
        return {
            "agent": str(shutil.copy(_AGENTS / "judge.py", runner.folder / "judge.py")),
            "words": str(shutil.copy(_AGENTS / "survey.py", runner.folder / "survey.py")),
            "name": NAME,
            "out": str(out),
            "run": run,
            "seconds": seconds,
            "project": str(runner.place.project),
            "told": list(told),
            "asked": list(asked),
            "failure": failure.rpartition(".")[2],
        }

    def answers(self, runner: Warm) -> Answers:
        return _decoded(runner.folder / "judged.json")


class _Commands:
    """Programs that are started as a command: what is asked stands in a file, which a variable of the environment names."""

    runs_statements = False
    #: Around an expression, and before one that begins a statement; {0} is its number, {1} the text.
    around = ""
    first = ""
    #: Before the whole statement, where a call can not stand around its expressions.
    statement = ""
    #: Lines that only say where names come from.
    imports = re.compile(r"(?!)")

    def calls(
        self, scene: Scene, runner: Warm, wanted: Iterable[tuple[str, Part]]
    ) -> tuple[dict[str, bytes], list[tuple[str, Part]]]:
        grouped = by_file(wanted)
        data: dict[str, bytes] = {}
        chosen: list[tuple[str, Part]] = []
        for file, parts in grouped.items():
            language, text = scene.sources.language(file, scene.jam.runtime), scene.sources.text(file)
            if language is None or text is None:
                continue
            lines = lines_of(newlines(text))
            code = language.code(text)
            names = {item.span for item in code.definitions()}
            lists = {item.span for item in code.definitions() if item.sort in ("import", "parameter")}
            lists |= {param.span for function in code.functions() for param in function.params}
            own = [
                part
                for part in _apart(parts.values())
                if not _is_named(part, names | lists, lists) and not self.imports.match(lines[part.span.line - 1])
            ]
            changed = text
            for number, part in sorted(enumerate(own, len(chosen)), key=lambda item: _start(item[1]), reverse=True):
                if self.statement:
                    whole = code.statement(part.span.line)
                    start = whole.span if whole is not None else part.span
                    ahead = lines[start.line - 1][: start.column - 1]
                    begin = offset(lines, start.line, 1) + len(_WORD_AHEAD.sub("", ahead))
                    changed = changed[:begin] + self.statement.replace("{0}", str(number)) + changed[begin:]
                    continue
                begin = offset(lines, part.span.line, part.span.column)
                begins_line = not lines[part.span.line - 1][: part.span.column - 1].strip()
                form = self.first if begins_line and self.first else self.around
                end = begin + len(part.source)
                if changed[begin:end] == part.source:
                    changed = changed[:begin] + form.replace("{0}", str(number)).replace("{1}", part.source) + changed[end:]
            if code.whole and not language.code(changed).whole:
                continue
            with contextlib.suppress(OSError, JamkeyError):
                path = runner.place.root / file
                data[file] = edited(path.read_bytes(), lambda _, changed=changed: changed, name=file)  # type: ignore[misc]
                chosen += [(file, part) for part in own]
        return data, chosen


class _JavaScript(_Commands):
    around = f"({NAME}({{0}}, c => eval(c)), {{1}})"
    first = f"{NAME}({{0}}, c => eval(c)), {{1}}"
    imports = re.compile(r"\s*(?:import\b|export\s*\{)")

    def prepare(
        self, runner: Warm, asked: Sequence[Asked], told: Sequence[str], run: float, seconds: float, failure: str
    ) -> dict[str, object]:
        agent = shutil.copy(_AGENTS / "judge.js", runner.folder / "judge.js")
        out, file = runner.folder / "judged.json", runner.folder / "asked.json"
        out.unlink(missing_ok=True)
        wanted = {"name": NAME, "out": str(out), "told": list(told), "seconds": seconds, "asked": list(asked)}
        file.write_bytes(msgspec.json.encode(wanted))
        return {"env": {"NODE_OPTIONS": f"--require {json.dumps(str(agent))}", "JAMKEY_JUDGE": str(file)}}

    def answers(self, runner: Warm) -> Answers:
        return _decoded(runner.folder / "judged.json")


class _Lines(_Commands):
    """What is asked and what is answered are lines of text."""

    agent = ""
    #: The variable that names what the runtime reads before the program, and how it names the agent.
    variable, named = "", "{0}"

    def prepare(
        self, runner: Warm, asked: Sequence[Asked], told: Sequence[str], run: float, seconds: float, failure: str
    ) -> dict[str, object]:
        out, file = runner.folder / "judged.txt", runner.folder / "asked.txt"
        out.unlink(missing_ok=True)
        rows = [f"secs {seconds}", *(f"told {word}" for word in told)]
        for item in asked:
            if isinstance(item, Expression):
                rows += [f"site {item.site}", f"text {item.text}", *(f"form {form}" for form in item.forms)]
        lines = (re.sub(r"\r?\n|\r", _SEPARATOR, row) for row in rows)
        file.write_text("\n".join(lines) + "\n", encoding="utf-8")
        agent = str(shutil.copy(_AGENTS / self.agent, runner.folder / self.agent))
        return {"env": {self.variable: self.named.format(agent), "JAMKEY_JUDGE": str(file), "JAMKEY_JUDGED": str(out)}}

    def answers(self, runner: Warm) -> Answers:
        try:
            rows = (runner.folder / "judged.txt").read_text(encoding="utf-8", errors="replace").split("\n")
        except OSError:
            return []
        return [[_said(word) for word in row.split("\t")] if row else [] for row in rows]


class _R(_Lines):
    around = f".{NAME.strip('_')}({{0}}, {{1}})"
    agent = "judge.R"
    variable = "R_PROFILE_USER"


class _Lua(_Lines):
    statement = f"{NAME}({{0}}); "
    agent = "judge.lua"
    variable, named = "LUA_INIT", "@{0}"


class _Octave(_Lines):
    statement = "__jamkey_seen__ ({0}); "
    agent = "judge.m"
    variable = "OCTAVE_SITE_INITFILE"


def _said(word: str) -> str | Said | None:
    pieces = word.split(" ")
    if len(pieces) == 3 and pieces[2].isdigit():
        return Said(pieces[0], pieces[1], int(pieces[2]))
    return None if word == "-" else word


def _decoded(out: Path) -> Answers:
    try:
        return msgspec.json.decode(out.read_bytes(), type=Answers)
    except (OSError, msgspec.MsgspecError):
        return []


def _is_named(part: Part, names: Iterable[Span], lists: Iterable[Span]) -> bool:
    """Tell a function, a name that is given a value there, or a list of such names: no call can stand around it."""
    if part.source.startswith("function") or any(span.holds(part.span) for span in names):
        return True
    return part.sort in ("other", "tuple", "dict") and any(_stands_in(span, part) for span in lists)


def _stands_in(span: Span, part: Part) -> bool:
    """Tell whether a name stands in a part itself, and not in a function in it."""
    return part.span.holds(span) and not any(child.span.holds(span) and child.sort != "name" for _, child in part.children)


def _start(part: Part) -> tuple[int, int]:
    return part.span.line, part.span.column


def _apart(parts: Iterable[Part]) -> list[Part]:
    """Return the parts that lie in no other of them, and around which a call can stand."""
    found: list[Part] = []
    for part in sorted(parts, key=lambda part: (part.span.line, part.span.column, -part.span.end_line, -part.span.end_column)):
        if can_be_called_around(part) and not any(other.span.holds(part.span) for other in found):
            found.append(part)
    return found


ASKING: Mapping[str, Asking] = {"python": _Python(), "javascript": _JavaScript(), "r": _R(), "lua": _Lua(), "octave": _Octave()}
