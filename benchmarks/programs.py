"""Real programs by others, for the yardsticks: example scripts out of source distributions, fetched by pip, never committed.

A program counts when it runs twice without input, network or window, ends well, and prints the same both times. Packages and
programs lie in a cache folder (JAMKEY_PROGRAMS, or the user's), with a manifest; `python benchmarks/programs.py` fills it.
By their names half of the programs are *open*, half *apart*.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import json
import os
import shutil
import signal
import subprocess
import sys
import tarfile
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

import platformdirs

#: Source distributions with examples, demos or algorithms that print something.
PACKAGES = tuple(
    """
    algorithms control deap h5py hmmlearn lark lmfit marshmallow matplotlib mpmath networkx nltk numpy peewee ply pyomo
    pyparsing python-constraint python-dateutil pywavelets scikit-learn scipy simpy sly sqlalchemy statsmodels sympy tables
    tqdm xarray xlsxwriter
""".split()
)
#: What the programs import besides.
NEEDED = ("pandas", "railroad-diagrams")
FOLDERS = {"examples", "example", "demo", "demos", "tutorials", "tutorial", "gallery", "galleries", "samples", "scripts"}
#: Words of programs that ask for input, a window, the network or other processes.
_UNFIT = ("input(", "tkinter", "PyQt", "urllib", "requests.", "fetch_", "socket", "multiprocessing", "subprocess")
LIMIT = 10.0
#: Seconds that a program may take to be used: each case runs it a dozen times.
SLOWEST = 4.0


class Program(NamedTuple):
    """A healthy program."""

    package: str
    path: Path
    printed: str
    seconds: float

    @property
    def name(self) -> str:
        return f"{self.package}/{self.path.name}"


def side(name: str) -> str:
    """Return whether something of that name is open or apart."""
    return "apart" if hashlib.sha256(name.encode()).digest()[0] % 2 else "open"


def cache() -> Path:
    """Return the folder in which packages and programs lie."""
    folder = Path(os.environ.get("JAMKEY_PROGRAMS") or platformdirs.user_cache_path("jamkey-programs"))
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def python() -> str:
    """Return the interpreter that has what the programs import; makes its environment the first time."""
    place = cache() / "venv"
    if not (place / "ready").exists():
        subprocess.run([sys.executable, "-m", "venv", "--clear", place], check=True)
        install = [place / "bin" / "python", "-m", "pip", "install", "-q", "--prefer-binary"]
        wanted = [name for name in PACKAGES if name != "algorithms"]
        subprocess.run([*install, *wanted, *NEEDED], check=True, capture_output=True)
        (place / "ready").touch()
    return str(place / "bin" / "python")


def source_of(package: str) -> Path:
    """Return the unpacked source distribution of a package, fetched by pip's own finder without building anything."""
    place = cache() / "sources" / package
    if not place.exists():
        from pip._internal.commands import create_command

        command = create_command("download")
        options, _ = command.parse_args([package, "--no-deps", "--no-binary", ":all:"])
        with command.main_context():
            session = command.get_default_session(options)
            finder = command._build_package_finder(options=options, session=session)
            best = finder.find_best_candidate(package).best_candidate
            data = session.get(best.link.url_without_fragment).content
        made = place.with_name(f"{package}.new")
        shutil.rmtree(made, ignore_errors=True)
        with tarfile.open(fileobj=io.BytesIO(data)) as archive:
            archive.extractall(made, filter="data")
        made.rename(place)
    return place


def scripts_of(package: str) -> list[Path]:
    """Return the scripts of a package that may be programs: short, of an examples' folder or with a main part, printing."""
    found = []
    root = source_of(package)
    for path in sorted(root.rglob("*.py")):
        parts = [part.lower() for part in path.relative_to(root).parts[1:-1]]
        text = path.read_text(encoding="utf-8", errors="replace")
        fit = 12 <= text.count("\n") <= 220 and "print(" in text and not any(word in text for word in _UNFIT)
        if fit and not {"tests", "test"} & set(parts) and (FOLDERS & set(parts) or "__main__" in text):
            found.append(path)
    return found


def run(interpreter: str, folder: str, name: str, limit: float = LIMIT) -> tuple[int | None, str, str, float]:
    """Run a script in its folder; return its status (None: it did not end), what it printed twice, and the seconds."""
    env = {**os.environ, "PYTHONHASHSEED": "0", "MPLBACKEND": "Agg"}
    env.pop("PYTHONDONTWRITEBYTECODE", None)
    begin = time.perf_counter()
    child = subprocess.Popen(
        [interpreter, name],
        cwd=folder,
        env=env,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        start_new_session=True,
    )
    try:
        out, error = (stream.decode("utf-8", "replace") for stream in child.communicate(timeout=limit))
        status: int | None = child.returncode
    except subprocess.TimeoutExpired:
        status, out, error = None, "", ""
    finally:
        # what it started ends with it
        with contextlib.suppress(ProcessLookupError):
            os.killpg(child.pid, signal.SIGKILL)
        child.wait()
    return status, out, error, time.perf_counter() - begin


def _tried(path: Path) -> tuple[str, float] | None:
    """Run a script alone, twice; return what it printed and the seconds, or None when it is no program for us."""
    printed = []
    with tempfile.TemporaryDirectory(prefix="jamkey-program-") as folder:
        shutil.copy(path, folder)
        for _ in range(2):
            status, out, _, seconds = run(python(), folder, path.name)
            if status != 0 or not out.strip():
                return None
            printed.append(out)
    return (printed[0], seconds) if printed[0] == printed[1] and seconds <= SLOWEST else None


def programs(*, jobs: int = 2) -> list[Program]:
    """Return all programs, in the order of their names; the first time they are fetched and tried."""
    manifest = cache() / "programs.json"
    if not manifest.exists():
        python()
        found = [(package, path) for package in PACKAGES for path in scripts_of(package)]
        with ThreadPoolExecutor(jobs) as pool:
            results = list(pool.map(lambda item: _tried(item[1]), found))
        rows = [(package, str(path), *result) for (package, path), result in zip(found, results, strict=True) if result]
        manifest.write_text(json.dumps(rows), encoding="utf-8")
    rows = json.loads(manifest.read_text(encoding="utf-8"))
    return sorted((Program(package, Path(path), out, seconds) for package, path, out, seconds in rows), key=lambda p: p.name)


if __name__ == "__main__":
    every = programs()
    counts = {one: sum(side(program.name) == one for program in every) for one in ("open", "apart")}
    print(f"{len(every)} programs of {len({program.package for program in every})} packages: {counts}")
