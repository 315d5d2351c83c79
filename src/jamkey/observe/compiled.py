"""Compiles a C, C++ or Java program into a scratch folder and runs it: one of our own runners, `compiled FILE [ARGS]`.

Nothing is left in the user's folder. What the compiler and the program print passes through; the exit status is the
program's own.
"""

from __future__ import annotations

import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

_C = (".c", ".cc", ".cpp", ".cxx")
_PACKAGE = re.compile(r"^[ \t]*package[ \t]+([\w.]+)[ \t]*;", re.M)
_MAIN = re.compile(r"\bint\s+main\s*\(|\bvoid\s+main\s*\(")


def main(words: list[str]) -> int:
    """Compile and run; return the exit status, or minus the signal's number."""
    file, args = Path(words[0]), words[1:]
    scratch = Path(tempfile.mkdtemp(prefix=f"jamkey-build-{os.getpid()}-"))
    try:
        return _java(file, args, scratch) if file.suffix == ".java" else _c(file, args, scratch)
    except KeyboardInterrupt:
        return -int(signal.SIGINT)
    finally:
        shutil.rmtree(scratch, ignore_errors=True)


def _program(*names: str) -> str | None:
    return next((path for name in names if (path := shutil.which(name)) is not None), None)


def _missing(what: str) -> int:
    sys.stderr.write(
        f"jamkey: {what} is not installed or not on the path: install it, or compile by hand and use jamkey run -- COMMAND\n"
    )
    return 127


def _c(file: Path, args: list[str], scratch: Path) -> int:
    plus = file.suffix != ".c"
    compiler = _program("g++", "c++", "clang++") if plus else _program("gcc", "cc", "clang")
    if compiler is None:
        return _missing("a C++ compiler" if plus else "a C compiler")
    others = [
        str(one)
        for one in sorted(file.parent.glob(f"*{file.suffix}"))
        if one != file and not _MAIN.search(one.read_text("utf-8", "replace"))
    ]
    sources = [str(file), *others]
    program = scratch / "program"
    built = subprocess.run([compiler, "-g", "-o", str(program), *sources, "-lm"], stdin=subprocess.DEVNULL, check=False)
    if built.returncode:
        return built.returncode
    status = _run([str(program), *args])
    if -status in _WORDS:
        sys.stderr.write(f"{_WORDS[-status]}\n")
    return status


def main_files(folder: Path) -> list[Path]:
    """Return the C and C++ sources in a folder that have a `main`."""
    return [path for path in sorted(folder.iterdir()) if path.suffix in _C and _MAIN.search(path.read_text("utf-8", "replace"))]


#: Signal -> what a shell says of a program that it ended.
SIGNALS = {
    "SIGSEGV": "Segmentation fault",
    "SIGFPE": "Floating point exception",
    "SIGABRT": "Aborted",
    "SIGBUS": "Bus error",
    "SIGILL": "Illegal instruction",
}
_WORDS = {int(number): text for name, text in SIGNALS.items() if (number := getattr(signal, name, None)) is not None}


def _run(command: list[str]) -> int:
    try:
        return subprocess.run(command, check=False).returncode
    except KeyboardInterrupt:
        return -int(signal.SIGINT)


def _java(file: Path, args: list[str], scratch: Path) -> int:
    javac, java = _program("javac"), _program("java")
    if javac is None or java is None:
        return _missing("the Java compiler (javac)")
    text = file.read_text("utf-8", "replace")
    package = _PACKAGE.search(text)
    root = file.parent
    if package is not None:
        for _ in package[1].split("."):
            root = root.parent
    built = subprocess.run(
        [javac, "-g", "-d", str(scratch), "-sourcepath", str(root or Path()), str(file)], stdin=subprocess.DEVNULL, check=False
    )
    if built.returncode:
        return built.returncode
    name = f"{package[1]}.{file.stem}" if package is not None else file.stem
    try:
        return subprocess.run(
            [java, "-XX:+ShowCodeDetailsInExceptionMessages", "-cp", str(scratch), name, *args], check=False
        ).returncode
    except KeyboardInterrupt:
        return -int(signal.SIGINT)


if __name__ == "__main__":
    status = main(sys.argv[1:])
    sys.stdout.flush()
    sys.stderr.flush()
    if status < 0:
        signal.signal(-status, signal.SIG_DFL)
        os.kill(os.getpid(), -status)
    sys.exit(status if status >= 0 else 128 - status)
