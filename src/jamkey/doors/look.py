"""`jamkey look` and `run --stay`: look around in a jam, by typing."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.text import Text

from jamkey import system
from jamkey.errors import UsageError
from jamkey.folders import state_folder
from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.observe.kept_alive import Stayed
from jamkey.observe.launch import Ended
from jamkey.observe.launch import run as launch
from jamkey.observe.target import Target
from jamkey.observe.wire import worded
from jamkey.runs.explore import WORDS, Alive, Answer, Looker
from jamkey.runs.journaled import last_reading, sources_of
from jamkey.runs.read_run import diagnose_run, project_of
from jamkey.settings import load
from jamkey.text import visible
from jamkey.views.look import show_asked, show_code, show_keys, show_path, show_reading, show_steps, show_values, show_words
from jamkey.views.outline import at
from jamkey.views.terminal import console, show

TYPE_CHECKING = False
if TYPE_CHECKING:
    from jamkey.doors.run_call import Call


@click.command()
@click.argument("number", type=int, required=False)
def look(number: int | None) -> None:
    """Look around in the last jam: its calls, the values that were recorded, the way of a name, the keys.

    NUMBER chooses an earlier reading, as `jamkey tally --list` numbers them. `jamkey run --stay SCRIPT` keeps a failed program
    alive instead, so that expressions can be asked as well.
    """
    kept = last_reading(number)
    sources = sources_of(kept)
    looker = Looker(kept.jams[-1], sources)
    out = console()
    lines = _typed(looker, sys.stdin) if sys.stdin.isatty() else _piped(sys.stdin)
    look_around(looker, out, lines)


def look_around(looker: Looker, out: Console, lines: Iterator[str], *, read: bool = False) -> None:
    """Answer line by line until there is none left. `read` says that the whole reading was just shown."""
    if not read:
        out.print(Text(visible(looker.jam.headline), style="bold red"))
        _show(looker, Answer(form="code"), out)
    out.print(Text("`words` lists what can be typed here.", style="dim"))
    for line in lines:
        answer = looker.answer(line)
        if answer.form == "leave":
            return
        _show(looker, answer, out)


def _show(looker: Looker, answer: Answer, out: Console) -> None:
    jam, sources = looker.jam, looker.sources
    if answer.form == "code" and jam.frames:
        show_code(jam.frames[looker.place], sources, out, count=answer.count)
    elif answer.form == "values":
        show_values(answer.values, out)
    elif answer.form == "value":
        show_asked(answer.asked.value, answer.asked.shown, answer.asked.printed, answer.asked.error, out)
    elif answer.form == "path":
        show_path(jam, looker.place, out)
    elif answer.form == "steps":
        show_steps(answer.steps, sources, out)
    elif answer.form == "keys":
        show_keys(jam, answer.count, sources, out)
    elif answer.form == "reading":
        show_reading(jam, sources, out)
    elif answer.form == "words":
        show_words(WORDS, out, alive=looker.seat.alive)
    elif answer.note:
        out.print(Text(visible(answer.note), style="yellow"))


def _piped(stream: Iterable[str]) -> Iterator[str]:
    """Lines from a file or a pipe, as they come."""
    for line in stream:
        yield line.rstrip("\n")


def _typed(looker: Looker, stream: Any) -> Iterator[str]:
    """Lines typed at a terminal, with history and completion."""
    from prompt_toolkit import PromptSession
    from prompt_toolkit.completion import Completer, Completion
    from prompt_toolkit.document import Document
    from prompt_toolkit.history import FileHistory, InMemoryHistory
    from prompt_toolkit.input import create_input
    from prompt_toolkit.output import create_output

    class Names(Completer):
        """What the frame knows."""

        def get_completions(self, document: Document, complete_event: object) -> Iterable[Completion]:
            begun = _last_name(document.text_before_cursor)
            for name in looker.names(begun)[:60]:
                yield Completion(name, start_position=-len(begun))

    folder = Path(state_folder())
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        history: Any = FileHistory(str(folder / "look-history"))
    except OSError:
        history = InMemoryHistory()
    session: Any = PromptSession(
        history=history,
        completer=Names(),
        complete_while_typing=False,
        input=create_input(stream),
        output=create_output(stdout=sys.stderr if not sys.stdout.isatty() else sys.stdout),
    )
    while True:
        try:
            yield session.prompt(_prompt(looker))
        except KeyboardInterrupt:
            continue
        except EOFError:
            return


def _last_name(text: str) -> str:
    """Return the dotted name at the end of a text."""
    start = len(text)
    while start and (text[start - 1].isalnum() or text[start - 1] in "_."):
        start -= 1
    return text[start:]


def _prompt(looker: Looker) -> list[tuple[str, str]]:
    frame = looker.jam.frames[looker.place] if looker.jam.frames else None
    place = visible(at(os.path.basename(frame.file), frame.line, frame.cell)) if frame is not None else "jam"
    return [("bold ansiblue", place), ("", " ? ")]


class _Visit:
    """Shows the reading of a program that is kept alive, and looks around in it."""

    def __init__(self, call: Call, target: Target, terminal: Any) -> None:
        self.call, self.target, self.terminal = call, target, terminal
        self.stayed = Stayed()
        self.address = self.stayed.address
        self.jams: list[Jam] = []

    def ready(self) -> bool:
        return self.stayed.ready()

    def visit(self, ended: Ended) -> None:
        from jamkey.doors.show_run import keep_quietly

        cwd = Path.cwd()
        root = project_of(self.target, cwd)
        sources = Sources(root)
        printed = ended.stderr or "".join(worded(ended.wire)).encode("utf-8", "replace")
        sources.printed = printed.decode("utf-8", "replace")
        out = console(stderr=True)
        try:
            settings = load(cwd)
            self.jams = diagnose_run(
                printed,
                ended.wire,
                root,
                target=self.target,
                status=1,
                settings=settings,
                hung=ended.seconds if ended.hit_limit else 0.0,
            )
            if not self.jams:
                return
            keep_quietly(self.call, self.jams, sources, self.target)
            out.print()
            show(self.jams, sources, out, link=settings.link)
            out.print()
            looker = Looker(self.jams[-1], sources, Alive(self.stayed, self.jams[-1]))
            look_around(looker, out, _typed(looker, self.terminal), read=True)
        finally:
            self.stayed.close()


def stay(call: Call, target: Target, limit: float) -> int:
    """Run a program; when it fails, look around in it before it ends. Return the exit status.

    Raises:
        UsageError: the program is none of Python's, or there is no terminal to ask at.
    """
    from jamkey.doors.call import save_all
    from jamkey.doors.show_run import after_run

    if not target.is_recordable:
        raise UsageError("--stay keeps Python programs alive only: leave it out here; jamkey look shows what was recorded")
    terminal = sys.stdin if sys.stdin is not None and sys.stdin.isatty() else _terminal()
    visit = _Visit(call, target, terminal)
    ended = launch(
        target.argv, executable=target.executable, limit=limit, trace=call.keep_trace, runtime=target.runtime, visitor=visit
    )
    if not visit.jams:
        visit.stayed.close()
        if ended.status != 0:
            after_run(call, target, ended)
    else:
        save_all(call.save, visit.jams, Sources(project_of(target, Path.cwd())))
    return 124 if ended.hit_limit else ended.status


def _terminal() -> Any:
    """Return the terminal itself where standard input comes from elsewhere: the program's input is not ours to read."""
    try:
        return open(system.TERMINAL, encoding="utf-8")
    except OSError:
        raise UsageError("--stay needs a terminal to ask at: there is none here") from None
