"""Where source text comes from: the disk below the project, or texts handed in."""

from __future__ import annotations

import os
import posixpath
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path

from jamkey.budget import Budget
from jamkey.errors import UnreadableInput
from jamkey.ipynb import Cell, cells_of
from jamkey.languages import ENDINGS, language_of
from jamkey.languages.base import Code, Language
from jamkey.text import decode, newlines, without_halves

_SKIPPED = {".git", ".hg", ".venv", "venv", "env", "node_modules", "__pycache__", "site-packages", ".tox", ".mypy_cache"}
#: Files looked at below the project, so that a run in a home folder ends.
MOST_FILES = 3000
#: Where more files of a language lie in the folder, those that nothing names are none of the program's; so many are reached.
MOST_BESIDE, MOST_REACHED = 60, 300
_WORD = re.compile(r"\w+")
#: Endings of what a program reads rather than runs.
DATA = {".csv", ".tsv", ".txt", ".json", ".jsonl", ".dat", ".cfg", ".ini", ".toml", ".yaml", ".yml", ".conf", ".log"}
#: Larger files are not source, in bytes.
LARGEST = 4_000_000
#: Sources longer than this are not looked into at all; the project's other files not even when they are shorter, in lines or
#: characters of one line.
MOST_LINES, MOST_LINES_BESIDE, LONGEST_LINE_BESIDE = 50_000, 20_000, 20_000
#: A notebook holds its outputs, pictures among them.
LARGEST_NOTEBOOK = 60_000_000


class Sources:
    """Finds a frame's file and its text.

    A trace may come from another machine: a file that is not there is sought by the longest matching end of
    its path below the project folder.

    Args:
        root: the project folder; None reads nothing from the disk.
        texts: file -> text, used before the disk (tests, unsaved buffers, cells).
        confined: read nothing outside of the project folder: a trace from elsewhere may name any file of this machine.
    """

    def __init__(self, root: Path | None = None, texts: Mapping[str, str] | None = None, *, confined: bool = False) -> None:
        self.root = root.resolve() if root is not None else None
        #: What the program printed around its failure, for views that show it.
        self.printed = ""
        self._texts = {name: without_halves(text) for name, text in (texts or {}).items()}
        self._cells: dict[str, list[Cell]] = {}
        self._codes: dict[str, Code | None] = {}
        self._found: dict[str, str | None] = {}
        self._listed: list[str] | None = None
        self._ignored: set[str] = set()
        self.confined = confined
        self._hidden: frozenset[str] = frozenset()
        self._languages: dict[str, list[str]] = {}
        self._reached: dict[tuple[str, ...], list[str]] = {}
        self._words: dict[str, frozenset[str]] = {}
        #: When it is spent nothing more is begun.
        self.budget = Budget()
        #: What was left out of the reading, and why.
        self.left_out: list[str] = []

    def ignore(self, name: str) -> None:
        """Leave a file out: the text that was read is no data of the program."""
        self._ignored.add(self.relative(os.path.abspath(name)))

    def files(self) -> list[str]:
        """Return the files below the project, relative, forward slashes; bounded."""
        if self._listed is None:
            self._listed = sorted({*self._texts, *self._walk()} - self._ignored - self._hidden)
        return self._listed

    def _walk(self) -> Iterator[str]:
        if self.root is None:
            return
        count = 0
        for folder, names, files in os.walk(self.root):
            names[:] = sorted(name for name in names if name not in _SKIPPED and not name.startswith("."))
            for name in sorted(files):
                yield os.path.relpath(os.path.join(folder, name), self.root).replace(os.sep, "/")
                count += 1
                if count >= MOST_FILES:
                    return

    def without(self, files: Iterable[str]) -> Sources:
        """Return the same sources without some files: what is there is not what the trace speaks of."""
        other = Sources(self.root, self._texts, confined=self.confined)
        other.printed, other.budget, other.left_out = self.printed, self.budget, self.left_out
        other._ignored, other._cells = self._ignored, self._cells
        other._hidden = self._hidden | frozenset(files)
        return other

    def resolve(self, file: str) -> str | None:
        """Return the name under which this file is read here, or None when it is not here."""
        if file not in self._found:
            found = self._resolve(file)
            self._found[file] = None if found in self._hidden else found
        return self._found[file]

    def is_certain(self, file: str) -> bool:
        """Tell whether a file was found by its path, or by more of it than its last name alone."""
        name = self.resolve(file)
        if name is None or (name in self._texts and name == file):
            return name is not None
        parts, wanted = name.split("/"), [part for part in file.replace("\\", "/").split("/") if part not in ("", ".")]
        return parts == wanted or len(wanted) == 1 or len(parts) == 1 or parts[-2:] == wanted[-2:] or os.path.exists(file)

    def _resolve(self, file: str) -> str | None:
        if file in self._texts:
            return file
        if not file or file.startswith("<"):
            return None
        if self.root is not None:
            path = Path(file)
            inside = path if path.is_absolute() else self.root / path
            try:
                if inside.is_file() and (not self.confined or self._is_within(inside)):
                    return self.relative(str(inside))
            except (OSError, ValueError):
                return None
        wanted = [part for part in file.replace("\\", "/").split("/") if part not in ("", ".")]
        if len(wanted) == 1 and self.root is None:
            return None
        return self._by_end(wanted)

    def _is_within(self, path: Path) -> bool:
        return self.root is not None and path.resolve().is_relative_to(self.root)

    def _by_end(self, wanted: list[str]) -> str | None:
        best, length = None, 0
        for name in self.files():
            parts = name.split("/")
            same = 0
            while same < min(len(parts), len(wanted)) and parts[-1 - same] == wanted[-1 - same]:
                same += 1
            if same > length:
                best, length = name, same
        return best

    def relative(self, file: str) -> str:
        """Return a file below the project relative to it with forward slashes, any other as it is."""
        if self.root is not None and os.path.isabs(file):
            for form in (file, os.path.realpath(file)):
                try:
                    return Path(form).relative_to(self.root).as_posix()
                except ValueError:
                    continue
        return file.replace("\\", "/") if not os.path.isabs(file) else file

    def path(self, file: str) -> Path | None:
        """Return the file on disk, or None."""
        name = self.resolve(file)
        if name is None or self.root is None:
            return None
        path = self.root / name
        try:
            there = path.is_file() and (not self.confined or self._is_within(path))
        except (OSError, ValueError):
            return None
        return path if there else None

    def text(self, file: str, cell: int | None = None) -> str | None:
        """Return the text of a file, or of one cell of a notebook, or None when it is not here or not text."""
        name = self.resolve(file)
        if name is None:
            return None
        if cell is not None:
            return next((item.source for item in self.cells(file) if item.index == cell), None)
        if name not in self._texts:
            path = self.path(file)
            notebook = name.endswith(".ipynb")
            try:
                if path is None or path.stat().st_size > (LARGEST_NOTEBOOK if notebook else LARGEST):
                    return None
                text = newlines(decode(path.read_bytes()))
                self._texts[name] = "\n".join(item.source for item in cells_of(text) if item.code) if notebook else text
            except (OSError, UnreadableInput):
                return None
        return self._texts[name]

    def cells(self, file: str) -> list[Cell]:
        """Return a notebook's cells; none when it is not here or cannot be read."""
        name = self.resolve(file)
        if name in self._cells:
            return self._cells[name]
        path = self.path(file)
        if path is None or name is None:
            return []
        if name not in self._cells:
            try:
                self._cells[name] = cells_of(decode(path.read_bytes())) if path.stat().st_size <= LARGEST_NOTEBOOK else []
            except (OSError, UnreadableInput):
                self._cells[name] = []
        return self._cells[name]

    def put(self, name: str, text: str) -> None:
        """Let a text stand for a file from now on."""
        self._texts[name] = text
        self._found[name] = name
        self._codes.pop(name, None)

    def language(self, file: str, runtime: str = "") -> Language | None:
        """Return the language of a file."""
        return language_of(file, runtime)

    def put_cells(self, name: str, cells: Sequence[Cell]) -> None:
        """Let cells stand for a notebook's from now on."""
        self._cells[name] = list(cells)
        self.put(name, "\n".join(cell.source for cell in cells if cell.code))

    def code(self, file: str, runtime: str = "") -> Code | None:
        """Return a file's code, or None when its text or language is not known."""
        name = self.resolve(file) or file
        if name not in self._codes:
            text = self.text(file)
            language = self.language(name, runtime) if os.path.splitext(name)[1].lower() not in DATA else None
            if text is not None and text.count("\n") > MOST_LINES:
                self.leave_out(f"{name}, which has more than {MOST_LINES:,} lines")
                text = None
            if text is not None and name.lower().endswith((".html", ".htm")):
                from jamkey.languages.pages import scripts_of

                text = scripts_of(text)
            self._codes[name] = language.code(text) if text is not None and language is not None else None
        return self._codes[name]

    def leave_out(self, what: str) -> None:
        """Note something that the reading does not look at."""
        if what not in self.left_out:
            self.left_out.append(what)

    def out_of_time(self) -> bool:
        """Tell whether a reading has taken the time it may take; what is left out is noted."""
        if not self.budget.spent():
            return False
        self.leave_out("what there was no time for")
        return True

    def _is_readable_beside(self, name: str) -> bool:
        """Tell whether a file beside the failing one is of a size that people write."""
        text = self.text(name) or ""
        if text.count("\n") <= MOST_LINES_BESIDE and all(len(row) <= LONGEST_LINE_BESIDE for row in text.split("\n")):
            return True
        self.leave_out(f"{name}, which is too long to be written by hand")
        return False

    def module_file(self, module: str, beside: str = "") -> str | None:
        """Return the project's own file for a module name, `beside` a file of the project."""
        folder = beside.rpartition("/")[0]
        if "/" in module:
            # a path, as JavaScript writes it: relative to the file that names it
            parts = posixpath.normpath(posixpath.join(folder, module)).split("/")
            folder = ""
        else:
            levels = len(module) - len(module.lstrip("."))
            parts = [part for part in module.lstrip(".").split(".") if part]
            for _ in range(max(levels - 1, 0)):
                folder = folder.rpartition("/")[0]
        names = ["/".join(parts)]
        for base in dict.fromkeys((folder, "", "src")):
            for name in names:
                stem = f"{base}/{name}".strip("/")
                for candidate in (f"{stem}.py", f"{stem}/__init__.py", f"{stem}.js", f"{stem}.mjs", stem):
                    if candidate in self._texts or (self.root is not None and (self.root / candidate).is_file()):
                        return candidate
        return None

    def own_code(self, ending: str, starting: Sequence[str] = ()) -> Iterator[tuple[str, Code]]:
        """Yield the project's source files of the same language as `ending`.

        Args:
            ending: of a file's name, with its dot.
            starting: where very many files lie in the folder, only these and those that they name are yielded.
        """
        names = self._of_language(ending)
        for name in names if len(names) <= MOST_BESIDE or not starting else self._named_from(starting, names):
            if self.out_of_time():
                return
            if name not in self._codes and not self._is_readable_beside(name):
                continue
            code = self.code(name)
            if code is not None:
                yield name, code

    def _of_language(self, ending: str) -> list[str]:
        language = ENDINGS.get(ending.lower())
        if language is None:
            return []
        if language not in self._languages:
            self._languages[language] = [
                name for name in self.files() if ENDINGS.get(os.path.splitext(name)[1].lower()) == language
            ]
        return self._languages[language]

    def reached(self, ending: str, starting: Sequence[str], *, whole: bool) -> frozenset[str]:
        """Return the files of a language that can have run when the starting ones did.

        Args:
            ending: of a file's name, with its dot.
            starting: files that are known to have run.
            whole: that where the program began is among them; else those that name them count too, and all that these name.
        """
        names = self._of_language(ending)
        found = set(self._named_from(starting, names))
        if not whole and len(names) <= MOST_BESIDE:
            for name in names:
                if name not in found and found & set(self._named_from([name], names)):
                    found |= set(self._named_from([name], names))
        return frozenset(found)

    def _named_from(self, starting: Sequence[str], names: Sequence[str]) -> list[str]:
        """Return the files that the starting ones name, and those that these name.

        A file is named where its stem stands as a word, and it lies beside the one that names it, at the top, or in a folder
        whose name stands there too.
        """
        key = tuple(starting)
        if key not in self._reached:
            stems: dict[str, list[str]] = {}
            for name in names:
                folder, _, last = name.rpartition("/")
                stem = last.partition(".")[0]
                stems.setdefault(folder.rpartition("/")[2] if stem == "__init__" else stem, []).append(name)
            queue = [name for name in map(self.resolve, starting) if name is not None and name in names]
            found = dict.fromkeys(queue)
            while queue and len(found) < MOST_REACHED:
                own = queue.pop(0)
                words = self._words_of(own)
                near = {own.rpartition("/")[0], "", "src"}
                for name in [name for word in sorted(words & stems.keys()) for name in stems[word] if name not in found]:
                    folder = name.rpartition("/")[0]
                    if folder in near or folder.rpartition("/")[2] in words:
                        found[name] = None
                        queue.append(name)
            self._reached[key] = list(found)
        return self._reached[key]

    def _words_of(self, name: str) -> frozenset[str]:
        if name not in self._words:
            self._words[name] = frozenset(_WORD.findall(self.text(name) or ""))
        return self._words[name]

    def data_files(self) -> list[str]:
        """Return the project's files that are data rather than source."""
        return [name for name in self.files() if os.path.splitext(name)[1].lower() in DATA]
