"""What every kind offers, and the small builders their files share."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Protocol

import msgspec

from jamkey.follow.origins import Origin, follow
from jamkey.follow.scene import Scene
from jamkey.kinds.priors import confidence
from jamkey.languages.base import Idioms, Part, Span
from jamkey.model import Edit, Key, Root, Step
from jamkey.text import line_at, lines_of, shorten

#: How alike what the runtime itself suggests is taken to be.
SUGGESTED = 0.9


class Diagnosis(msgspec.Struct):
    """What a kind has to say about one jam."""

    #: The kind's name, under which `priors.json` has how likely its roots and keys are.
    kind: str = ""
    meaning: str = ""
    causes: list[str] = []
    look_at: str = ""
    avoid: str = ""
    roots: list[Root] = []
    keys: list[Key] = []

    def root(
        self,
        file: str,
        line: int,
        reason: str,
        known: str,
        *,
        rank: int = 0,
        near: float = 1.0,
        sure: float = 1.0,
        column: int = 1,
        steps: Iterable[Step] = (),
    ) -> None:
        """Add a place to change; of two at one line the surer stays.

        Args:
            file: relative to the project.
            line: 1-based.
            reason: in plain words.
            known: how it is known, as `priors.json` names it.
            rank: how many places of the same sort come before it.
            near: how alike two words are where it takes one for the other, 0 to 1.
            sure: what a search or another failure's reading thinks of it, 0 to 1.
            column: 1-based.
            steps: from the snag to it.
        """
        likely = sure * confidence(self.kind, "roots", known, rank=rank, near=near)
        for index, other in enumerate(self.roots):
            if (other.file, other.line) == (file, line):
                if other.confidence >= likely:
                    return
                del self.roots[index]
                break
        self.roots.append(Root(file=file, line=line, column=column, reason=reason, steps=tuple(steps), confidence=likely))

    def root_at(self, origin: Origin, reason: str, known: str, *, rank: int = 0, near: float = 1.0) -> None:
        """Add the place where following ended."""
        self.root(
            origin.file, origin.span.line, reason, known, rank=rank, near=near, column=origin.span.column, steps=origin.steps
        )

    def key(
        self,
        id: str,
        title: str,
        reason: str,
        edits: Iterable[Edit | None] = (),
        *,
        known: str = "",
        rank: int = 0,
        near: float = 1.0,
        sure: float = 1.0,
        skips_work: bool = False,
    ) -> None:
        """Add a typical fix; one whose edits could not all be made, or that stands already, is left out.

        Args:
            id: what it does and, behind a hyphen, with what.
            title: what to do.
            reason: why it helps.
            edits: none where the change lies outside of the code.
            known: its name in `priors.json`, where that is not the beginning of the id.
            rank: how many keys of the same sort come before it.
            near: how alike two words are where it takes one for the other, 0 to 1.
            sure: what a search thinks of it, 0 to 1.
            skips_work: whether the program then goes on without the failing work.
        """
        made = tuple(edits)
        if any(edit is None for edit in made):
            return
        kept = tuple(edit for edit in made if edit is not None)
        if kept and any(other.edits == kept for other in self.keys):
            return
        likely = sure * confidence(self.kind, "keys", known or id, rank=rank, near=near)
        self.keys.append(Key(id=id, title=title, reason=reason, confidence=likely, edits=kept, skips_work=skips_work))


class Kind(Protocol):
    """One universal kind of failure."""

    #: As in DESIGN.md section 6 and `Jam.kind`.
    name: str
    #: The kind in plain words, without an article: "a name that does not exist".
    title: str
    #: What it means in general, two sentences.
    about: str
    #: The usual causes, most usual first.
    usual: tuple[str, ...]
    #: How to avoid it next time.
    avoid: str
    #: A short Python program that fails in this way.
    example: str

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Return meaning, causes, roots and keys for one jam; never raises on odd sources."""
        ...


# --- building edits


def replace(file: str, span: Span, new_text: str) -> Edit:
    """Replace a span."""
    return Edit(
        file=file, line=span.line, column=span.column, end_line=span.end_line, end_column=span.end_column, new_text=new_text
    )


def wrap(file: str, part: Part, template: str) -> Edit:
    """Put a part into a template such as `str({0})`."""
    return replace(file, part.span, template.format(part.source))


def insert_line(file: str, line: int, text: str) -> Edit:
    """Insert a whole line above the 1-based line."""
    return Edit(file=file, line=line, column=1, end_line=line, end_column=1, new_text=text + "\n")


def append_line(scene: Scene, file: str, line: int, text: str) -> Edit:
    """Insert a whole line below the 1-based line, also at the end of a file without a last line end."""
    source = scene.sources.text(file) or ""
    lines = lines_of(source)
    if line >= len(lines) and lines and not lines[-1].endswith("\n"):
        end = len(lines[-1]) + 1
        return Edit(file=file, line=len(lines), column=end, end_line=len(lines), end_column=end, new_text="\n" + text)
    return insert_line(file, line + 1, text)


def delete_lines(file: str, first: int, last: int) -> Edit:
    """Take whole lines out, `last` included."""
    return Edit(file=file, line=first, column=1, end_line=last + 1, end_column=1, new_text="")


def rename(file: str, spans: Iterable[Span], new: str) -> list[Edit]:
    """Replace every given span by the new name."""
    return [replace(file, span, new) for span in spans]


def indent_of(scene: Scene, file: str, line: int) -> str:
    """Return a line's indentation."""
    row = line_at(scene.sources.text(file) or "", line)
    return row[: len(row) - len(row.lstrip())]


def idioms_of(scene: Scene) -> Idioms:
    """Return the idioms of the snag's language, Python's where it is unknown."""
    language = scene.language
    if language is None:
        from jamkey.languages.python import IDIOMS

        return IDIOMS
    return language.idioms


def import_edit(scene: Scene, file: str, line_text: str) -> Edit:
    """Insert an import line where the file's imports stand, below a leading comment or docstring."""
    code = scene.sources.code(file, scene.jam.runtime)
    imports = [d.span.line for d in code.definitions() if d.sort == "import" and not d.scope] if code else []
    if imports:
        return insert_line(file, imports[0], line_text)
    text = scene.sources.text(file) or ""
    line = 1
    rows = text.split("\n")
    while line <= len(rows) and rows[line - 1].startswith(("#", "//", "'use strict'", '"use strict"')):
        line += 1
    if line <= len(rows) and rows[line - 1].lstrip().startswith(('"""', "'''")):
        quote = rows[line - 1].lstrip()[:3]
        if rows[line - 1].count(quote) < 2:
            while line < len(rows) and quote not in rows[line]:
                line += 1
            line += 1
        line += 1
    gap = "\n" if line <= len(rows) and rows[line - 1].strip() else ""
    return insert_line(file, line, line_text + gap)


def show(text: str, width: int = 60) -> str:
    """Return source or a value's text in one line, cut."""
    return shorten(" ".join(text.split()), width)


def counted(number: int, noun: str) -> str:
    """Return `3 items` or `1 item`."""
    return f"{number} {noun}{'' if number == 1 else 's'}"


def trace_names(scene: Scene, found: Diagnosis, reason: str, *, known: str = "led", want: str = "any") -> list[Origin]:
    """Follow every name, and every call of an own function, of the failing expression back; add roots.

    For failures inside a library, where any argument may be the one that does not fit. The likeliest place is where an
    own function computes what it returns, then a value written out in the code, then the call that hands it over.
    """
    if scene.frame is None:
        return []
    origins: list[Origin] = []
    seen: set[str] = set()
    parts = scene.parts_of(scene.frame)
    statement = scene.statement_of(scene.frame)
    if statement is not None and parts and any(target.span == parts[0].span for target in statement.targets):
        # the runtime marks the place that is stored into; what is stored stands on the other side
        parts = [part for top in reversed(statement.parts) for part in top.walk()]
    callees = {part.child("callee") for part in parts if part.sort == "call"}
    for part in parts:
        own_call = part.sort == "call" and bool(scene.functions_named(part.called)) if part.called else False
        if not own_call and (part.sort not in ("name", "member") or part in callees):
            continue
        if part.source not in seen:
            seen.add(part.source)
            origins += follow(scene, part, scene.jam.snag or 0, want=want)[:3]
    here = (scene.frame.file, scene.line)
    named = {scene.facts.get(name, "").strip("'") for name in ("axis", "index", "value", "size")} - {""}
    origins.sort(key=lambda origin: not (origin.part is not None and origin.part.name in named))
    for rank, origin in enumerate(origins):
        computed = next((step for step in origin.steps if step.what == "returned" and _computes(step.text)), None)
        if computed is not None and (computed.file, computed.line) != here:
            found.root(computed.file, computed.line, reason, f"{known}-computed", rank=rank, steps=origin.steps)
        if (origin.file, origin.line) != here and origin.sort != "open":
            written = origin.sort in ("literal", "default") and computed is None
            found.root_at(origin, reason, f"{known}-written" if written else known, rank=rank)
        passed = next((step for step in origin.steps if step.what == "passed"), None)
        if passed is not None and (passed.file, passed.line) != here:
            found.root(passed.file, passed.line, "it is handed over here", f"{known}-handed", rank=rank)
    return origins


def _computes(text: str) -> bool:
    """Tell a return that computes something from one that hands names on."""
    value = text.removeprefix("return").strip(" ;")
    return any(sign in value for sign in "([{+-*/")


_WORD = re.compile(r"[A-Za-z_]\w*")


def words_of(text: str) -> list[str]:
    """Return the identifiers in a text."""
    return _WORD.findall(text)


def an(word: str) -> str:
    """Return a type's name in backticks with its article: "an `int`"."""
    return f"{'an' if word[:1].lower() in 'aeio' else 'a'} `{word}`"
