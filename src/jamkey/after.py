"""What a run left behind, read: printed text and the agent's records joined, diagnosed."""

from __future__ import annotations

import os
from pathlib import Path

from jamkey.follow.sources import Sources
from jamkey.follow.words import ended_with_words
from jamkey.live.target import Target
from jamkey.live.wire import join, read_records
from jamkey.model import Jam
from jamkey.pipeline import diagnose, named, read
from jamkey.settings import Settings
from jamkey.text import decode, plain


def project_of(target: Target, cwd: Path) -> Path:
    """Return the project folder: the working folder, or the script's own when it lies elsewhere."""
    if target.script is not None:
        script = Path(os.path.abspath(target.script))
        if not script.is_relative_to(cwd.resolve()) and not script.is_relative_to(cwd):
            return script.parent
    return cwd


def jams_of(
    stderr: bytes, wire: str, *, target: Target, status: int, stdout: bytes = b"", sources: Sources | None = None
) -> list[Jam]:  # fmt: skip
    """Return the failures of a run: printed and recorded ones joined, kinds named, a notebook's cells found."""
    jams = _jams_of(stderr, wire, runtime=target.runtime, status=status, stdout=stdout)
    if target.notebook is not None and sources is not None:
        from jamkey.follow.notebooks import numbered

        return numbered(jams, sources, os.path.basename(target.notebook))
    return jams


def _jams_of(stderr: bytes, wire: str, *, runtime: str, status: int, stdout: bytes = b"") -> list[Jam]:
    recorded = read_records(wire)
    if status == 0 and not recorded:
        # a program that ends well may still have printed the traces it handled
        text = decode(stderr) if b"\0" not in stderr else ""
        return read(text, runtime=runtime or None) if _unhandled(text) else []
    text = stderr.decode("utf-8", "replace")
    printed = read(text, runtime=runtime or None)
    if not printed and not recorded and status != 0 and stdout:
        printed = read(stdout.decode("utf-8", "replace"), runtime=runtime or None)
    return [named(jam) for jam in join(printed, recorded)]


def _unhandled(text: str) -> bool:
    """Tell a failure nobody handled (a thread's, a task's) from a trace the program chose to print."""
    return "Exception in thread " in text or "exception was never retrieved" in text


def diagnose_run(stderr: bytes, wire: str, root: Path, *, target: Target, status: int, stdout: bytes = b"",
                 settings: Settings | None = None) -> list[Jam]:  # fmt: skip
    """Read and diagnose the failures of a run."""
    sources = Sources(root)
    jams = jams_of(stderr, wire, target=target, status=status, stdout=stdout, sources=sources)
    if not jams and status == 1 and target.runtime == "python":
        ended = ended_with_words(plain(stderr.decode("utf-8", "replace")), sources)
        jams = [ended] if ended is not None else []
    return [diagnose(jam, sources, settings) for jam in jams]
