"""The calls of the library that need a run or a live exception."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

import msgspec

from jamkey.follow.sources import Sources
from jamkey.ipynb import Cell
from jamkey.model import Change, Finding, Jam, Key, Pile
from jamkey.observe.target import script_target
from jamkey.observe.wire import read_live
from jamkey.pipeline import diagnose, named
from jamkey.runs.fix_loop import Outcome, run_captured, tried
from jamkey.settings import load
from jamkey.trials.apply import apply as apply_edits
from jamkey.trials.apply import digest
from jamkey.trials.apply import undo as undo_last


def run(
    path: str | os.PathLike[str],
    args: Sequence[str] = (),
    *,
    cwd: str | os.PathLike[str] | None = None,
    stdin: bytes = b"",
    limit: float = 0.0,
    python: str = "",
) -> Outcome:
    """Run a script to its end and diagnose its failures.

    Args:
        path: the script.
        args: its arguments.
        cwd: working folder; the current one by default. The script's path is relative to the current one all the same.
        stdin: what it may read.
        limit: seconds, 0 for none.
        python: interpreter for Python scripts.

    Raises:
        UnreadableInput: the script cannot be read.
        CannotLaunch: its runtime is not there.
    """
    folder = Path(cwd) if cwd is not None else Path.cwd()
    settings = load(folder)
    script = os.path.abspath(path) if cwd is not None else str(path)
    target = script_target(script, list(args), python=python or settings.python, commands=settings.commands)
    return run_captured(target, folder, stdin=stdin, limit=limit or settings.limit, settings=settings)


def check(*paths: str | os.PathLike[str]) -> list[Finding]:
    """Return what is likely to jam or go quietly wrong in files, folders and notebooks, without running them.

    Raises:
        UnreadableInput: a path does not exist or cannot be read.
    """
    from jamkey.checks.engine import check_paths

    return check_paths(paths, load(Path.cwd()))


def pile(
    paths: str | os.PathLike[str] | Iterable[str | os.PathLike[str]],
    *,
    root: str | os.PathLike[str] | None = None,
    workers: int = 0,
    on: str = "",
    since: str = "",
) -> Pile:
    """Gather the failures in very many logs into families; nothing is remembered of it.

    Args:
        paths: logs, folders, patterns, addresses of remote stores; plain or compressed.
        root: the project folder; the current one by default.
        workers: processes; 0 for as many as there are processors.
        on: the address of a Dask scheduler; empty for this machine.
        since: a time (ISO 8601) before which nothing counts.

    Raises:
        UnreadableInput: a log is not there or cannot be read.
        UsageError: `since` is no time, or what `on` needs is not there.
    """
    from jamkey.piles.gathered import gather

    given = [paths] if isinstance(paths, (str, os.PathLike)) else list(paths)
    folder = Path(root) if root is not None else None
    return gather(given, root=folder, workers=workers, on=on, since=since, places=True, kept=False)


def trail(
    path: str | os.PathLike[str],
    names: Sequence[str],
    args: Sequence[str] = (),
    *,
    functions: Sequence[str] = (),
    until: str = "",
    stdin: bytes = b"",
    limit: float = 0.0,
    python: str = "",
    unguarded: bool = False,
) -> list[Change]:
    """Run a Python script and return how names change, in order; the latest 2000 changes.

    Args:
        path: the script.
        names: plain names, dotted ones such as `self.kilos`, or `*` for all names of the functions.
        args: the script's arguments.
        functions: only inside these; none for all.
        until: end the run where a name turns `nan`, `none`, another `type`, or makes an expression true.
        stdin: what it may read.
        limit: seconds, 0 for none.
        python: the interpreter.
        unguarded: run it also where nothing keeps it in a copy.

    Raises:
        UnreadableInput: the script cannot be read.
        CannotLaunch: the interpreter is not there.
        NoSandbox: nothing can keep it in a copy here, and `unguarded` is not said.
    """
    from jamkey.runs.read_run import project_of
    from jamkey.runs.second_run import watched_run

    target = script_target(str(path), list(args), python=python)
    root = project_of(target, Path.cwd())
    return watched_run(target, root, names, functions=functions, stdin=stdin, limit=limit, until=until, unguarded=unguarded)[1]


def read_exception(exception: BaseException, *, root: str | os.PathLike[str] | None = None) -> Jam:
    """Return the jam of an exception of this process, with the values of its frames, diagnosed.

    Args:
        exception: one that was raised and caught.
        root: the project folder; the current one by default.
    """
    folder = Path(root) if root is not None else Path.cwd()
    return diagnose(named(read_live(exception)), Sources(folder), load(folder))


def read_in_cells(
    exception: BaseException,
    runs: Mapping[str, int],
    inputs: Mapping[int, str],
    *,
    name: str = "notebook.ipynb",
    root: str | os.PathLike[str] | None = None,
) -> tuple[Jam, Sources]:
    """Return the jam of an exception of this kernel, its frames led to cells, with the sources that show them.

    Args:
        exception: of a cell that has just run.
        runs: file name that the kernel gave a cell -> number of the run.
        inputs: number of a run -> source of the cell.
        name: of the notebook.
        root: the project folder; the current one by default.
    """
    folder = Path(root) if root is not None else Path.cwd()
    sources = Sources(folder)
    sources.put_cells(
        name, [Cell(index=run - 1, code=True, source=source, run=run) for run, source in sorted(inputs.items()) if run > 0]
    )
    jam = _in_cells(read_live(exception), runs, inputs, name)
    return diagnose(named(jam), sources, load(folder)), sources


def _in_cells(jam: Jam, runs: Mapping[str, int], inputs: Mapping[int, str], name: str) -> Jam:
    """Name the cells of a jam's frames, and leave out the kernel's own outer ones."""
    first = next((index for index, frame in enumerate(jam.frames) if frame.file in runs), 0)
    frames = tuple(
        msgspec.structs.replace(frame, file=name, cell=runs[frame.file] - 1) if runs.get(frame.file) in inputs else frame
        for frame in jam.frames[first:]
    )
    chain = tuple(msgspec.structs.replace(link, jam=_in_cells(link.jam, runs, inputs, name)) for link in jam.chain)
    return msgspec.structs.replace(jam, frames=frames, chain=chain)


def keys(
    jam: Jam,
    *,
    outcome: Outcome | None = None,
    path: str | os.PathLike[str] | None = None,
    args: Sequence[str] = (),
    python: str = "",
) -> tuple[Key, ...]:
    """Return the jam's keys; with the outcome and script of the run it came from, tried on copies and ranked."""
    if outcome is None or path is None:
        return jam.keys
    return try_keys(jam, outcome, path, args, python=python)


def try_keys(
    jam: Jam, outcome: Outcome, path: str | os.PathLike[str], args: Sequence[str] = (), *, python: str = ""
) -> tuple[Key, ...]:
    """Return the jam's keys, each tried on a copy of the project, best first.

    Args:
        jam: one of the outcome's.
        outcome: the run in which it arose.
        path: the script of that run.
        args: its arguments.
        python: interpreter for Python scripts.
    """
    target = script_target(os.path.abspath(path), list(args), python=python)
    return tried(outcome, target, jam).keys


def apply(key: Key, *, root: str | os.PathLike[str] | None = None) -> str:
    """Write a key's edits to the disk, whole or not at all; return the unified diff. `undo` takes it back.

    Args:
        key: of a jam whose files have not changed since it was read.
        root: the project folder; the current one by default.

    Raises:
        UnreadableInput: a file is outside the project, cannot be written, or has not the lines the key was made for.
    """
    folder = Path(root) if root is not None else Path.cwd()
    files = {edit.file for edit in key.edits}
    return apply_edits(key.edits, folder, {file: digest(folder / file) for file in files if (folder / file).is_file()})[0]


def undo(root: str | os.PathLike[str] | None = None) -> list[str]:
    """Put back what the last applied key changed in a project folder; return the files. Call again for the one before.

    Raises:
        NothingToUndo: nothing was applied there.
        ChangedSinceRead: a file was changed after that.
    """
    return undo_last(Path(root) if root is not None else Path.cwd())
