"""Runs macros in LibreOffice: `python -m jamkey.observe.office FILE [DOCUMENT] [PROCEDURE]`.

FILE is a module (.bas) or a document with macros. A module runs with DOCUMENT, else with the document of its name beside it,
else with an empty sheet; nothing is saved. What `Print` and `MsgBox` would show goes to standard output, `InputBox` takes its
lines from standard input. An error that nobody handled goes to standard error with its place, and the status is 1.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import threading
from collections.abc import Iterator
from pathlib import Path

from jamkey.observe.noted_basic import last_error, noted, placed, procedures

#: What a module may run with, likeliest first.
DOCUMENTS = (".ods", ".xlsx", ".xls", ".csv", ".odt", ".docx")
_AGENT = Path(__file__).parent / "agents" / "office.py"
_PROGRAMS = ("soffice", "libreoffice")
#: Seconds for the office to say whether texts compile.
_LONGEST = 120.0


def main(words: list[str]) -> int:
    """Run it; return 1 when an error ended it, 2 when it cannot be compiled or there is nothing to start."""
    file, rest = Path(words[0]), words[1:]
    office = next((path for name in _PROGRAMS if (path := shutil.which(name)) is not None), None)
    bridge = _bridge(office) if office is not None else None
    if office is None or bridge is None:
        what = "LibreOffice" if office is None else "Python's bridge to LibreOffice (python3-uno)"
        sys.stderr.write(f"jamkey: {what} is not installed or not on the path: install it to run macros\n")
        return 127
    folder = Path(tempfile.mkdtemp(prefix=f"jamkey-office-{os.getpid()}-"))
    try:
        return _Run(file, rest, folder, bridge, office).status()
    except _NotRun as error:
        sys.stderr.write(f"jamkey: {error}\n")
        return 2
    except KeyboardInterrupt:
        return 130
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _bridge(office: str) -> str | None:
    """Return a Python that can talk to the office: the system's, or the office's own."""
    beside = Path(os.path.realpath(office)).parent
    for name in ("/usr/bin/python3", "python3", str(beside / "python"), str(beside / "python.exe")):
        path = shutil.which(name)
        if (
            path is not None
            and not subprocess.run([path, "-I", "-c", "import uno"], capture_output=True, check=False).returncode
        ):
            return path
    return None


class _NotRun(Exception):
    """The office, not the macro, failed."""


class _Run:
    """One run of one file."""

    def __init__(self, file: Path, words: list[str], folder: Path, bridge: str, office: str) -> None:
        self.file, self.folder, self.bridge, self.office = file, folder, bridge, office
        self.document = next((word for word in words if "." in word and Path(word).is_file()), "")
        self.wanted = next((word for word in words if word != self.document), "")
        self.module = file.suffix.lower() == ".bas"
        if self.module and not self.document:
            self.document = next((str(there) for one in DOCUMENTS if (there := file.with_suffix(one)).is_file()), "")
        self.notes, self.printed, self.given = folder / "notes", folder / "printed", folder / "given"

    def status(self) -> int:
        """Run it, pass on what it shows, tell what failed."""
        texts = self._texts()
        start = next(
            (
                f"{module}.{name}"
                for wanted in ([self.wanted] if self.wanted else ["main", ""])
                for module, text in texts.items()
                for name, bare in procedures(text)
                if (name.lower() == wanted.lower() if wanted else bare)
            ),
            "",
        )
        if not start:
            what = f"no procedure {self.wanted}" if self.wanted else "no procedure that can be started"
            sys.stderr.write(f"jamkey: {self.file} has {what}: name one that is there, after the file\n")
            return 2
        self.given.write_bytes(b"" if sys.stdin is None or sys.stdin.isatty() or not _asks(texts) else sys.stdin.buffer.read())
        shown = {"printed": str(self.printed), "given": str(self.given)}
        longest = float(os.environ.get("JAMKEY_HANG") or 0)
        made = {name: noted(text, str(self.notes), name=name, longest=longest, **shown) for name, text in texts.items()}
        with self._passed_on():
            texts_made = {name: one.text for name, one in made.items()}
            answer = self._ask({"modules": texts_made, "start": start, "tried": [*texts.items(), *texts_made.items()]})
        written = placed(self.notes.read_text("utf-8", "replace"), made) if self.notes.exists() else ""
        kept = os.environ.get("JAMKEY_NOTES")
        if kept and written:
            Path(kept).write_text(written, encoding="utf-8")
        if written and last_error(written)[-1][0] == start:
            return self._failed(written, texts)
        # it ended well, errors that the module handles among that; or it could not be compiled, which the office tells nobody
        answers = answer.get("compiles")
        if not isinstance(answers, list) or not all(answers[: len(texts)]):
            return self._refused(texts)
        if not all(answers[len(texts) :]):
            self._ask({"modules": texts, "start": start})  # our notes do not fit into it: it runs as it is, unseen
        return 0

    def _texts(self) -> dict[str, str]:
        if self.module:
            return self._with_called()
        self.document = str(self.file)
        found = self._ask({"list": True}).get("modules", {})
        return {name: text for name, text in found.items() if isinstance(text, str)} if isinstance(found, dict) else {}

    def _with_called(self) -> dict[str, str]:
        """Return the module, and those beside it whose procedures are called."""
        texts = {self.file.stem: self.file.read_text("utf-8", "replace")}
        beside = {
            one.stem: one.read_text("utf-8", "replace") for one in sorted(self.file.parent.glob("*.bas")) if one != self.file
        }
        waiting = list(texts.values())
        while waiting:
            words = {word.lower() for word in re.findall(r"\w+", waiting.pop())}
            for name, text in list(beside.items()):
                if any(one.lower() in words and one.lower() != "main" for one, _ in procedures(text)):
                    texts[name] = beside.pop(name)
                    waiting.append(text)
        return texts

    def _ask(self, order: dict[str, object]) -> dict[str, object]:
        """Have the bridge do what an order says."""
        profile, path, told = self.folder / "profile", self.folder / "order.json", self.folder / "told.json"
        usual = {"modules": {}, "start": "", "document": self.document, "profile": str(profile), "told": str(told)}
        path.write_text(json.dumps({**usual, "office": self.office, **order}), encoding="utf-8")
        # it ends, and the office with it, when its input does: when this process is gone, however it went
        words = [self.bridge, "-I", str(_AGENT), str(path)]
        with subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE) as bridge:
            assert bridge.stderr is not None
            said = bridge.stderr.read()
        if bridge.returncode:
            told_last = said.decode("utf-8", "replace").strip().rpartition("\n")[2]
            raise _NotRun(f"LibreOffice could not run {self.file}: {told_last or 'it said nothing'}")
        try:
            answer = json.loads(told.read_text("utf-8"))
        except (OSError, ValueError):
            return {}
        return answer if isinstance(answer, dict) else {}

    @contextlib.contextmanager
    def _passed_on(self) -> Iterator[None]:
        """Hand on what the macro shows while it runs."""
        over = threading.Event()

        def follow() -> None:
            position = 0
            while True:
                last = over.wait(0.1)
                with contextlib.suppress(OSError), self.printed.open("rb") as handle:
                    handle.seek(position)
                    data = handle.read()
                    position += len(data)
                    sys.stdout.buffer.write(data)
                    sys.stdout.buffer.flush()
                if last:
                    return

        follower = threading.Thread(target=follow)
        follower.start()
        try:
            yield
        finally:
            over.set()
            follower.join()

    def _failed(self, written: str, texts: dict[str, str]) -> int:
        """Tell the error as the office's dialog would, with its place."""
        at, line, number, message = last_error(written)[0][:4]
        module, _, procedure = at.rpartition(".")
        if os.environ.get("JAMKEY_HANG"):
            number, message = "18", "Process interrupted by user."  # what the office says then
        place = int(line)
        rows = texts.get(module, "").splitlines()
        shown = rows[place - 1].strip() if 0 < place <= len(rows) else ""
        told = [f"BASIC runtime error {number} (line {place}): {message}", f"Module: {module}", f"Procedure: {procedure}"]
        sys.stderr.write("\n".join([*told, f"=> {place}  {shown}", ""]))
        return 1

    def _refused(self, texts: dict[str, str]) -> int:
        """Find the line without which a module compiles, and tell it."""
        for name, text in texts.items():
            rows = text.splitlines()
            whole_text = (name, text)
            good, *without = self._compile(
                [whole_text, *((name, "\n".join([*rows[:at], "", *rows[at + 1 :]])) for at in range(len(rows)))]
            )
            if good:
                continue
            place = next((at + 1 for at, compiles in enumerate(without) if compiles and rows[at].strip()), 0)
            sys.stderr.write(f"Compile error:\nBASIC syntax error\nModule: {name}\n")
            if place:
                sys.stderr.write(f"=> {place}  {rows[place - 1].strip()}\n")
            return 2
        return 0

    def _compile(self, tried: list[tuple[str, str]]) -> list[bool]:
        found = self._ask({"tried": tried}).get("compiles", [])
        return [bool(one) for one in found] if isinstance(found, list) and found else [True]


def _asks(texts: dict[str, str]) -> bool:
    return any(re.search(r"\bInputBox\b", text, re.I) for text in texts.values())


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
