"""A script run once more, held in a place of its own: while names are watched, or under one of our agents."""

from __future__ import annotations

import shutil
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from jamkey.follow.sources import Sources
from jamkey.model import Change
from jamkey.observe.capture import Captured
from jamkey.observe.recording import record
from jamkey.observe.target import Target
from jamkey.observe.typed import Typed
from jamkey.trials.scratch import Scratch, scratch

_AGENTS = Path(__file__).parent.parent / "observe" / "agents"


def watched_run(
    target: Target,
    root: Path,
    names: Sequence[str],
    *,
    functions: Sequence[str] = (),
    stdin: bytes | Typed = b"",
    limit: float = 0.0,
    until: str = "",
    latest: bool = True,
    unguarded: bool = False,
) -> tuple[Captured, list[Change], int]:
    """Return how a run ended, its changes in order with files as the project has them, and how many there were.

    Args:
        target: a Python script.
        root: the project folder.
        names: plain names, dotted ones such as `self.kilos`, or `*` for all names of the functions.
        functions: only inside these; none for all.
        stdin: what the program may read.
        limit: seconds, 0 for none.
        until: end the program when a name turns `nan`, `none`, another `type`, or makes an expression true.
        latest: of very many changes return the latest; else the first, and the rest of the run is not watched.
        unguarded: run it also where nothing holds it in its folders.

    Raises:
        OSError: the program cannot be started.
        NoSandbox: nothing can hold it here, and `unguarded` is not said.
    """
    sources = Sources(root)
    with scratch(root, unguarded=unguarded) as place:
        files = [place.project / name for name in sources.files() if name.endswith((".py", ".pyw"))]
        ended, changes, total = record(
            lambda env: place.run(target, stdin=stdin, limit=limit, env=env),
            list(dict.fromkeys(names)),
            files,
            place.folder / "changes",
            functions=functions,
            until=until,
            latest=latest,
        )
        there = place.sources()
        found = [msgspec.structs.replace(change, file=there.resolve(change.file) or change.file) for change in changes]
    return ended, found, total


def under_agent(
    place: Scratch,
    agents: Sequence[str],
    asked: Mapping[str, Any],
    target: Target,
    sources: Sources,
    *,
    stdin: bytes | Typed = b"",
    limit: float = 0.0,
    env: dict[str, str] | None = None,
) -> tuple[bytes, Captured]:
    """Run a script in a place under an agent of ours; return what the agent wrote, and how the run ended.

    Args:
        place: where it runs.
        agents: files of our agents; the first is started, the others lie beside it.
        asked: what the agent is asked, besides the user's own files and where to write.
        target: a Python script, as the project has it.
        sources: the project's.
        stdin: what the program may read.
        limit: seconds, 0 for none.
        env: variables added.

    Raises:
        OSError: the program cannot be started, or the agent wrote nothing.
        NoSandbox: nothing can hold it here, and nobody said that it may run all the same.
    """
    folder = place.folder / "agent"
    folder.mkdir()
    for name in agents:
        shutil.copy(_AGENTS / name, folder)
    files = [str(place.project / name) for name in sources.files() if name.endswith((".py", ".pyw"))]
    out = folder / "out.json"
    words = msgspec.json.encode({**asked, "files": files, "out": str(out)}).decode()
    moved, at = place.target(target), target.argv.index(target.script or "")
    argv = [*moved.argv[:at], str(folder / agents[0]), words, *moved.argv[at:]]
    ended = place.run(Target(argv, moved.executable, None, "none"), stdin=stdin, limit=limit, env=env)
    return out.read_bytes(), ended
