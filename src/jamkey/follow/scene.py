"""A jam with its sources at hand: what following, kinds and keys ask their questions to."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

from jamkey.follow.sources import Sources
from jamkey.follow.warned import Warned, warned
from jamkey.languages.base import Code, Function, Language, Part, Span, Statement
from jamkey.languages.scan import pieces
from jamkey.languages.traits import Traits, traits_of
from jamkey.late import pattern
from jamkey.model import Frame, Jam, Value
from jamkey.text import line_at

TYPE_CHECKING = False
if TYPE_CHECKING:
    from jamkey.follow.unending import Unending

#: Data files whose first lines are looked at for the names of columns, and names of each.
_TABLES, _COLUMNS = 6, 60
#: Data files that are all looked at, and what a program asks for names of files with.
_FEW = 4
_ASKS = pattern(
    r"(?i)\b(?:argv|args?|argc|commandArgs|argparse|click|stdin|input|readline|readlines|getline|scanf|scanner|listdir|glob|iterdir"
    r"|scandir|walk|readdir|list\.files|dir|environ|getenv)\b"
)
#: What the frame of a program's own margin is called.
MARGIN = (None, "", "<module>")


class Scene:
    """One jam, located, with sources.

    Attributes:
        jam: the located jam.
        sources: where texts come from.
        frame: the snag, or None.
    """

    def __init__(self, jam: Jam, sources: Sources) -> None:
        self.jam = jam
        self.sources = sources
        self.frame: Frame | None = jam.snag_frame
        self.facts = jam.facts
        self._bare: dict[str, list[str]] = {}

    @cached_property
    def unending(self) -> list[Unending]:
        """The loops that the program was in when it was stopped; none of one that ended by itself."""
        from jamkey.follow.unending import unending

        return unending(self.jam, self.sources) if self.jam.phase == "hang" else []

    @property
    def language(self) -> Language | None:
        """Return the language of the snag's file."""
        return self.sources.language(self.frame.file if self.frame else "", self.jam.runtime)

    @property
    def traits(self) -> Traits:
        """Return the facts of the runtime that failed."""
        return traits_of(self.jam.runtime)

    @property
    def code(self) -> Code | None:
        """Return the code of the snag's file."""
        return self.code_of(self.frame)

    def code_of(self, frame: Frame | None) -> Code | None:
        """Return the code of a frame's file."""
        return self.sources.code(frame.file, self.jam.runtime) if frame is not None else None

    @property
    def line(self) -> int:
        """Return the snag's line, 0 without a snag."""
        return self.frame.line or 0 if self.frame else 0

    def row(self, file: str, line: int) -> str:
        """Return a source line as it stands."""
        return line_at(self.sources.text(file) or "", line)

    def bare_row(self, file: str, line: int) -> str:
        """Return a source line without a comment, as far as the language's signs tell; what stands before keeps its place."""
        if file not in self._bare:
            language, text = self.sources.language(file, self.jam.runtime), self.sources.text(file) or ""
            style = language.style if language is not None else None
            kept, behind = [], 0
            for piece in pieces(text, style) if style is not None else ():
                if piece.sort == "comment":
                    hidden = text[piece.start : piece.end]
                    kept += [text[behind : piece.start], *(sign if sign == "\n" else " " for sign in hidden)]
                    behind = piece.end
            self._bare[file] = [row.rstrip() for row in "".join([*kept, text[behind:]]).split("\n")]
        rows = self._bare[file]
        return rows[line - 1] if 0 < line <= len(rows) else ""

    def statement_of(self, frame: Frame | None) -> Statement | None:
        """Return the statement a frame stopped in."""
        code = self.code_of(frame)
        if code is None or frame is None or not frame.line:
            return None
        statement = code.statement(frame.line)
        if statement is None or frame.column is None:
            return statement
        mark = Span(frame.line, frame.column, frame.line, frame.column)
        # several may stand on one line: `if` and what it does
        there = [] if statement.span.holds(mark) else [head for head in code.heads(frame.line) if head.span.holds(mark)]
        return there[-1] if there else statement

    def statements_of(self, frame: Frame) -> list[Statement]:
        """Return the statement a frame stopped in; all that begin on its line where the runtime does not tell which."""
        statement, code = self.statement_of(frame), self.code_of(frame)
        if statement is None or code is None or frame.column is not None or not frame.line:
            return [statement] if statement is not None else []
        others = [head for head in code.heads(frame.line) if head.span.line == frame.line and head.span != statement.span]
        return [statement, *others]

    def parts_of(self, frame: Frame | None) -> list[Part]:
        """Return all parts of the failing expression, outermost first; the whole statement's where unknown."""
        if frame is None or frame.line is None:
            return []
        marked = self.marked_part(frame)
        if marked is not None and frame.end_column is not None:
            return list(marked.walk())
        found = [part for statement in self.statements_of(frame) for top in statement.parts for part in top.walk()]
        if marked is not None:
            # only where it starts is known: what stands there first, then the rest of the statement
            found = [*marked.walk(), *found]
        on_line = [part for part in found if part.span.line <= frame.line <= part.span.end_line]
        return on_line or found

    def marked_part(self, frame: Frame | None) -> Part | None:
        """Return the part the runtime marked as failing."""
        code = self.code_of(frame)
        if code is None or frame is None or frame.line is None or frame.column is None:
            return None
        end_line = frame.end_line or frame.line
        end_column = frame.end_column or frame.column + 1
        return code.part_at(Span(frame.line, frame.column, end_line, end_column))

    def value(self, text: str, frame: Frame | None = None) -> Value | None:
        """Return the recorded value of a name or expression in a frame (the snag by default)."""
        frame = frame or self.frame
        return next((value for value in frame.values if value.name == text), None) if frame else None

    def function_of(self, frame: Frame | None) -> Function | None:
        """Return the function a frame is in, as its source shows it."""
        code = self.code_of(frame)
        if code is None or frame is None or frame.line is None:
            return None
        best: Function | None = None
        for function in code.functions():
            if function.span.line <= frame.line <= function.span.end_line:
                best = function
        return best

    def caller_index(self, index: int) -> int | None:
        """Return the index of the nearest frame of yours further out."""
        for outer in range(index - 1, -1, -1):
            if self.jam.frames[outer].owner == "yours":
                return outer
        return None

    def own_codes(self) -> Iterator[tuple[str, Code]]:
        """Yield the project's files in the snag's language that can have run, the snag's own first."""
        for file, code in self.project_codes():
            if self.can_have_run(file):
                yield file, code

    def can_have_run(self, file: str) -> bool:
        """Tell whether a source of the snag's language is one that those on the stack name, and so on."""
        return self._reached is None or file in self._reached

    @cached_property
    def _reached(self) -> frozenset[str] | None:
        """The files that those of the stack name, and so on; None where the names in a source do not tell."""
        own = [frame for frame in self.jam.frames if frame.owner == "yours"]
        files = tuple(dict.fromkeys(frame.file for frame in own))
        if self.traits.linked or self.frame is None or self.sources.text(self.frame.file) is None:
            return None
        return self.sources.reached(self._ending, files, whole=own[0].function in MARGIN) | {*files}

    @property
    def _ending(self) -> str:
        file = self.frame.file if self.frame else ""
        return "." + file.rpartition(".")[2] if "." in file else ""

    def project_codes(self) -> Iterator[tuple[str, Code]]:
        """Yield the project's files in the snag's language, the snag's own first."""
        if self.frame is None:
            from jamkey.follow.unplaced import codes_of

            yield from codes_of(self.jam, self.sources)
            return
        file = self.frame.file if self.frame else ""
        code = self.code
        if code is not None:
            yield file, code
        starting = tuple(dict.fromkeys(frame.file for frame in self.jam.frames if frame.owner == "yours"))
        for name, other in self.sources.own_code(self._ending, starting):
            if name != file:
                yield name, other

    @cached_property
    def members(self) -> frozenset[str]:
        """Every name that the project's objects and records are given or asked for: members, methods, keys, columns."""
        found: set[str] = set()
        for _, code in self.own_codes():
            found |= code.all_members() | code.used_members() | code.literal_keys().keys()
            found |= {
                definition.name for definition in code.definitions() if definition.sort in ("member", "parameter", "function")
            }
        tables = self.sources.data_files()[:_TABLES]
        if tables:
            from jamkey.follow.data_places import header_of

            for name in tables:
                found |= {cell.strip() for cell in header_of(self.sources, name)[:_COLUMNS]}
        return frozenset(name for name in found if name and len(name) <= 60)

    @cached_property
    def data_files(self) -> list[str]:
        """The data files whose names stand in the program or in what it printed.

        Where none does, a few are all of them, if the program may be told their names: by its command line, by a folder.
        """
        said = f"{self.jam.message} {self.sources.printed}"
        texts = [code.text for _, code in self.own_codes()]
        files = self.sources.data_files()
        names = {file: file.rpartition("/")[2] for file in files}
        named = [file for file in files if names[file] in said or any(names[file] in text for text in texts)]
        if named or len(files) > _FEW:
            return named
        return files if any(_ASKS.search(text) for text in texts) or not texts else []

    @cached_property
    def warned(self) -> list[Warned]:
        """What the compiler of the program warns of, in the files of the snag's language."""
        return warned(self.sources, self.jam.runtime, [file for file, _ in self.own_codes()]) if self.jam.phase == "run" else []

    @property
    def every_argument_given(self) -> bool:
        """Whether a function that runs was given all that it takes: else the call itself would have failed."""
        return self.traits.missing_argument_fails or (self.traits.counts_arguments and self.jam.phase != "compile")

    def functions_named(self, name: str) -> list[tuple[str, Function]]:
        """Return the project's functions of that last name, each with its file."""
        short = name.rpartition(".")[2]
        found = [(file, function) for file, code in self.own_codes() for function in code.functions(short)]
        exact = [item for item in found if item[1].qualified == name]
        return exact or found
