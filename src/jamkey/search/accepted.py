"""A compiler that is asked of hundreds of changed texts whether it accepts them, while trials of the first ones run."""

from __future__ import annotations

import contextlib
import shutil
import subprocess
import threading
import time
from collections.abc import Iterable, Sequence
from pathlib import Path

from jamkey.follow.sources import Sources
from jamkey.trials.fronts import LIGHT

_AGENTS = Path(__file__).parent.parent / "observe" / "agents"
#: Signs of a program's sources, and files, beyond which the compiler would take too long for each text.
_MOST_SIGNS, _MOST_FILES = 200_000, 40
#: Texts that are asked about, and seconds that an answer is waited for in all.
_MOST, _PATIENCE = 2000, 2.0
#: The number of the text as it is.
_BEFORE = -1
#: Runtime -> the program that asks its compiler, and the endings of its sources.
_ASKING = {"java": ("Accepted.java", ".java")}


class Accepted:
    """Answers for a list of changed texts, as they come.

    Args:
        runtime: of the program.
        sources: of the project; nothing of it is run.
    """

    def __init__(self, runtime: str, sources: Sources) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        #: What is refused in each text: nothing where it is accepted.
        self._said: dict[int, frozenset[bytes]] = {}
        self._asked: set[int] = set()
        #: What was asked, in the order in which it is answered.
        self._order: list[int] = []
        #: Gives what was asked last; the next one waits for it.
        self._giver: threading.Thread | None = None
        self._more = threading.Condition()
        self._patience = _PATIENCE
        agent, ending = _ASKING.get(runtime, ("", ""))
        program = shutil.which(runtime) if agent else None
        if program is None:
            return
        names = [name for name in sources.files() if name.endswith(ending)]
        texts = [(name, sources.text(name) or "") for name in names[: _MOST_FILES + 1]]
        if not texts or len(texts) > _MOST_FILES or sum(len(text) for _, text in texts) > _MOST_SIGNS:
            return
        with contextlib.suppress(OSError):
            self._process = subprocess.Popen(
                [program, *LIGHT, str(_AGENTS / agent)],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )
            self._begin_to_give(self._process, texts)

    def ask(self, texts: Sequence[tuple[int, dict[str, str]]], *, before: tuple[str, str] | None) -> None:
        """Begin to ask about texts, each with a number of its own; only those that change one file are asked about.

        Args:
            texts: number, and the changed files with their texts.
            before: a file and its text as it is.
        """
        process = self._process
        if process is None:
            return
        wanted = [(number, *next(iter(files.items()))) for number, files in texts if len(files) == 1][:_MOST]
        with self._more:
            if before is not None and not self._order:
                wanted.insert(0, (_BEFORE, *before))
            begins = not self._order
            self._order += [number for number, _, _ in wanted]
            self._asked.update(number for number, _, _ in wanted)
        self._begin_to_give(process, [(file, text) for _, file, text in wanted])
        if begins:
            threading.Thread(target=self._take, args=(process,), daemon=True).start()

    def _begin_to_give(self, process: subprocess.Popen[bytes], texts: Iterable[tuple[str, str]]) -> None:
        self._giver = threading.Thread(target=self._give, args=(process, texts, self._giver), daemon=True)
        self._giver.start()

    def _give(
        self, process: subprocess.Popen[bytes], texts: Iterable[tuple[str, str]], before: threading.Thread | None
    ) -> None:
        if before is not None:
            before.join()
        with contextlib.suppress(OSError, ValueError):  # it has ended
            assert process.stdin is not None
            for file, text in texts:
                # the length is counted as the reader counts: in halves of 32 bits
                size = len(text.encode("utf-16-le", "replace")) // 2
                process.stdin.write(f"{file}\n{size}\n{text}\n".encode("utf-8", "replace"))
            process.stdin.write(b"\n")
            process.stdin.flush()

    def _take(self, process: subprocess.Popen[bytes]) -> None:
        assert process.stdout is not None
        with contextlib.suppress(OSError, ValueError):
            for place, row in enumerate(process.stdout):
                with self._more:
                    self._said[self._order[place]] = frozenset(row.split())
                    self._more.notify_all()
        with self._more:
            self._asked &= set(self._said)  # the others will not be answered
            self._more.notify_all()

    def refuses(self, number: int, *, broken: bool = False) -> bool:
        """Tell whether the compiler is known to refuse a text; a short while is waited for its answer.

        Args:
            number: of the text.
            broken: the program as it is was refused too. Otherwise, where what its own compiler took is refused here as it
                is, this one lacks what it is compiled with, and nothing it says counts.
        """
        begin = time.monotonic()
        with self._more:
            if number in self._asked and number not in self._said and self._patience > 0:
                self._more.wait_for(lambda: number in self._said or number not in self._asked, self._patience)
                self._patience -= time.monotonic() - begin
            return bool(self._said.get(number)) and (broken or not self._said.get(_BEFORE))

    def reads_on(self, number: int) -> bool:
        """Tell a text of which the compiler refuses something else than of the program as it is, and no more."""
        with self._more:
            before, after = (self._said.get(one, frozenset()) for one in (_BEFORE, number))
        return not before <= after and len(after) <= len(before)

    def close(self) -> None:
        """End the compiler."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            for pipe in (self._process.stdin, self._process.stdout):
                with contextlib.suppress(OSError):
                    if pipe is not None:
                        pipe.close()
