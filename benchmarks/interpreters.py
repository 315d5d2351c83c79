"""The interpreters that the cases of a corpus name, put on the path: python3.8 ... of pyenv, 3.11 with the data libraries."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import programs


def on_path() -> None:
    """Put a folder with a start script for each version in front of this process's path."""
    folder = Path(tempfile.gettempdir()) / f"jamkey-interpreters-{os.getuid()}"
    folder.mkdir(exist_ok=True)
    managed = Path(os.environ.get("PYENV_ROOT", str(Path.home() / ".pyenv"))) / "versions"
    found = {
        f"python{version.name.rpartition('.')[0]}": version / "bin" / "python" for version in sorted(managed.glob("[23].*"))
    }
    found["python3.11"] = Path(programs.python())
    for name, path in found.items():
        script = folder / name
        if path.exists():
            script.write_text(f'#!/bin/sh\nexec "{path}" "$@"\n', encoding="ascii")
            script.chmod(0o755)
    os.environ["PATH"] = os.pathsep.join([str(folder), os.environ["PATH"]])
    os.environ.setdefault("MPLBACKEND", "Agg")
