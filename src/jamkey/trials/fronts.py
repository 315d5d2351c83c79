"""Tools that take longer to start than to work: for quick trials of commands, they are asked where they stay warm.

A front is a small program of the tool's own name, found first on the path: the command itself stays as it is. What
the front cannot do as the tool does it, it leaves to the tool.
"""

from __future__ import annotations

import os
import re
import shlex
import shutil
from collections.abc import Sequence
from pathlib import Path

import msgspec

_AGENTS = Path(__file__).parent.parent / "observe" / "agents"
_WORD = re.compile(r"[\w./+-]+")
#: What a program of a second, or less, is started with: no long preparations.
LIGHT = ("-XX:TieredStopAtLevel=1", "-XX:+UseSerialGC", "-Xshare:auto")
_JAVAC = """#!/bin/sh
case " $* " in *" -J"*|*" @"*) exec {real} "$@" ;; esac
[ "$PWD" = {project} ] && [ -p {folder}/asked ] || exec {real} "$@"
printf '%s\\0' javac "$@" > {folder}/asked
read -r status < {folder}/answer
cat {folder}/said
cat {folder}/told >&2
exit "$status"
"""
_JAVA = """#!/bin/sh
case " $* " in *" -XX:"*) exec {real} "$@" ;; esac
case "$1" in
*.java)
    # one file, compiled and run: the first class in it is started
    package=$(sed -n 's/^ *package  *\\([A-Za-z0-9_.]*\\).*/\\1./p' "$1" | head -n 1)
    before='\\(\\(public\\|final\\|abstract\\|sealed\\|strictfp\\)  *\\)*'
    what='\\(class\\|record\\|interface\\|enum\\)'
    name=$(sed -n "s/^ *$before$what  *\\([A-Za-z0-9_]*\\).*/\\4/p" "$1" | head -n 1)
    rm -rf {folder}/classes
    mkdir {folder}/classes
    {folder}/javac -proc:none -d {folder}/classes "$1" || {{ echo "error: compilation failed" >&2; exit 1; }}
    shift
    set -- -cp {folder}/classes "$package$name" "$@"
    ;;
esac
if [ "$PWD" = {project} ] && [ -p {folder}/asked ] && ! grep -rqs --include='*.java' 'System *[.] *in' .; then
    printf '%s\\0' java "$@" > {folder}/asked
    read -r status < {folder}/answer
    case "$status" in [0-9]*) cat {folder}/said; cat {folder}/told >&2; exit "$status" ;; esac
fi
exec {real} {light} "$@"
"""
#: Interpreters that stay, and run each script in a child of their own. What reads its own arguments or what is typed, or
#: has its errors handled, is left to the tool, and so is a run that an agent of ours takes part in.
_FORKING = """#!/bin/sh
[ $# -eq 1 ] && [ -f "$1" ] && [ "$PWD" = {project} ] && [ -p {folder}/asked ] && [ -z "$JAMKEY_JUDGE" ] || exec {real} "$@"
grep -q -E 'stdin|commandArgs|options *\\(.*error|argv|program_name|input *\\(|keyboard' "$1" && exec {real} "$@"
printf '%s\\0' "$1" > {folder}/asked
read -r status < {folder}/answer
cat {folder}/said
cat {folder}/told >&2
exit "$status"
"""
#: Program -> how it is started to stay, and the file of ours that it then runs.
_STAYING = {
    "Rscript": (("--no-echo",), "forks.R"),
    "octave-cli": (("--no-history",), "forks.m"),
    "octave": (("--no-history", "--no-gui"), "forks.m"),
}


class Fronts(msgspec.Struct):
    """What quick trials of a command are given besides."""

    #: Put before the path; empty where there is nothing to gain.
    folder: str = ""
    #: Pipes between the fronts and their helper.
    pipes: list[str] = []
    #: Started once beside the trials, in the project; empty for none.
    helper: list[str] = []

    def of(self, program: str) -> str:
        """Return the front of a program, or the program where it has none."""
        path = os.path.join(self.folder, os.path.basename(program))
        return path if self.folder and os.path.exists(path) else program


def fronts(words: Sequence[str], folder: Path, project: Path) -> Fronts:
    """Lay the fronts of the tools that a command calls.

    Args:
        words: the command.
        folder: an empty one of ours.
        project: the folder that the trials run in.
    """
    program = os.path.basename(words[0]) if words else ""
    if program in _STAYING and len(words) == 2:
        return _staying(words[0], folder, project)
    said = {word for text in words for word in _WORD.findall(text)}
    # by java itself, or by our own runner, which looks for javac and java on the path
    source = (program == "java" or any(word.endswith("own_runner.py") for word in words)) and any(
        word.endswith(".java") for word in words[1:]
    )
    compiler, runtime = shutil.which("javac"), shutil.which("java")
    if not (source or "javac" in said) or compiler is None or runtime is None:
        return Fronts()
    quoted = {"folder": shlex.quote(str(folder)), "project": shlex.quote(str(project))}
    for name, text in (
        ("javac", _JAVAC.format(real=shlex.quote(compiler), **quoted)),
        ("java", _JAVA.format(real=shlex.quote(runtime), light=" ".join(LIGHT), **quoted)),
    ):
        path = folder / name
        path.write_text(text, encoding="utf-8")
        path.chmod(0o755)
    helper = shutil.copy(_AGENTS / "Compiler.java", folder / "Compiler.java")
    return _asked_through(folder, [runtime, *LIGHT, *_holding(runtime), str(helper), str(folder)])


def _holding(runtime: str) -> list[str]:
    """Return what lets a virtual machine keep running when a program calls System.exit, where it has to be told."""
    try:
        release = (Path(runtime).resolve().parent.parent / "release").read_text(encoding="utf-8")
    except OSError:
        return []
    version = re.search(r'JAVA_VERSION="(\d+)', release)
    return ["-Djava.security.manager=allow"] if version is not None and 12 <= int(version[1]) <= 23 else []


def _staying(program: str, folder: Path, project: Path) -> Fronts:
    real = shutil.which(program)
    if real is None:
        return Fronts()
    options, name = _STAYING[os.path.basename(program)]
    front = folder / os.path.basename(program)
    places = {"real": real, "folder": str(folder), "project": str(project)}
    front.write_text(_FORKING.format(**{what: shlex.quote(place) for what, place in places.items()}), encoding="utf-8")
    front.chmod(0o755)
    helper = shutil.copy(_AGENTS / name, folder / name)
    return _asked_through(folder, [real, *options, str(helper), str(folder)])


def _asked_through(folder: Path, helper: list[str]) -> Fronts:
    return Fronts(str(folder), [str(folder / name) for name in ("asked", "answer")], helper)
