"""What is to be run: a script by its ending, a module, or any command."""

from __future__ import annotations

import os
import sys

from jamkey.errors import CannotLaunch, UnreadableInput, UsageError

#: File ending -> command words; the file's name follows.
COMMANDS = {
    ".js": ("node",),
    ".mjs": ("node",),
    ".cjs": ("node",),
    ".r": ("Rscript",),
    ".m": ("octave-cli|octave",),
    ".lua": ("lua5.4|lua|lua5.3|lua5.2|lua5.1|luajit",),
    ".jl": ("julia",),
    ".do": ("stata", "-b", "do"),
    ".swift": ("swift",),
}
#: File ending -> our own runner, and the runtime it runs.
_RUNNERS = {
    ".java": ("compiled", "java"),
    ".c": ("compiled", "c"),
    ".cc": ("compiled", "c"),
    ".cpp": ("compiled", "c"),
    ".cxx": ("compiled", "c"),
    ".scd": ("sclang", "supercollider"),
    ".html": ("browser", "javascript"),
    ".htm": ("browser", "javascript"),
    ".bas": ("office", "basic"),
    ".ods": ("office", "basic"),
}
_RUNTIMES = {
    "Rscript": "r",
    "R": "r",
    "octave": "octave",
    "octave-cli": "octave",
    "julia": "julia",
    "sclang": "supercollider",
    "java": "java",
    "javac": "java",
    "gcc": "c",
    "g++": "c",
    "stata": "stata",
    "swift": "swift",
    "swiftc": "swift",
}
#: Runtimes whose command names a script before its words.
_SCRIPTED = frozenset({"python", "pypy", "javascript", "r", "lua", "octave"})
#: Endings of languages that we could not run if they were given to Python.
_ELSEWHERE = tuple(
    ".bat .c++ .cls .cs .f90 .for .go .hs .jar .kt .mm .php .pl .ps1 .rb .rmd .rs .sas .sb .sc .sh .sql .ts .tsx".split()
)
#: What Python runs although it is no text.
_BINARY = (".pyc", ".pyz", ".zip", ".egg", ".whl")
_DEBUGGERS = frozenset({"gdb", "lldb"})
#: Whose commands are names of browsers.
_PAGES = (".html", ".htm")
_ISOLATED = ("pipx", "uv")


class Target:
    """A program ready to be started."""

    def __init__(self, argv: list[str], executable: str, script: str | None, runtime: str) -> None:
        #: The full command.
        self.argv = argv
        #: The file to start.
        self.executable = executable
        #: The script's path as given, or None for `-m`, `-c` and foreign commands.
        self.script = script
        self.runtime = runtime

    @property
    def is_python(self) -> bool:
        """Whether our own agent for Python looks at a failure of it."""
        return self.runtime == "python"

    @property
    def is_recordable(self) -> bool:
        """Whether a second run of it can record how values change."""
        return self.is_python and self.notebook is None

    @property
    def is_page(self) -> bool:
        """Whether it is a web page, which runs in a browser."""
        return self.script is not None and self.script.lower().endswith(_PAGES)

    @property
    def is_other(self) -> bool:
        """Whether it is a program of another runtime that is known."""
        return self.runtime not in ("", "python")

    @property
    def is_office(self) -> bool:
        """Whether our own runner starts it in an office."""
        return self.script is not None and self.script.lower().endswith((".bas", ".ods"))

    @property
    def is_debugged(self) -> bool:
        """Whether a debugger runs the program, who ends well himself when it fails."""
        return any(os.path.basename(word) in _DEBUGGERS for part in self.argv for word in part.split())

    @property
    def notebook(self) -> str | None:
        """The script's path when it is a notebook."""
        return self.script if self.script is not None and self.script.endswith(".ipynb") else None

    @property
    def words(self) -> list[str]:
        """What tells this call from others: program, script and arguments, wherever the interpreter lies."""
        first = os.path.basename(self.argv[0])
        return [first, *(_absolute(word) if word == self.script else word for word in self.argv[1:])]


def _absolute(path: str) -> str:
    try:
        return os.path.abspath(path)
    except OSError:  # the working folder has been deleted
        return path


def find_program(name: str) -> str:
    """Return the path of a program.

    Raises:
        CannotLaunch: it is not there or not executable.
    """
    if os.sep in name:
        if not os.path.exists(name):
            raise CannotLaunch(f"{name} does not exist: give the path of an interpreter or program")
        if os.path.isdir(name) or not os.access(name, os.X_OK):
            raise CannotLaunch(f"{name} cannot be executed: give the path of an interpreter or program")
        return name
    for folder in os.environ.get("PATH", os.defpath).split(os.pathsep):
        path = os.path.join(folder or ".", name)
        if os.path.isfile(path) and os.access(path, os.X_OK):
            return path
    raise CannotLaunch(f"{name} is not installed or not on the path: install it, or give its full path")


def check_readable(path: str) -> None:
    """Make sure a script can be read before anything starts.

    Raises:
        UnreadableInput: with a message that says what to do.
    """
    if path == "-":
        return
    if not os.path.exists(path):
        raise UnreadableInput(f"{path} does not exist: check the name and the folder you are in")
    if os.path.isdir(path):
        if not os.path.exists(os.path.join(path, "__main__.py")):
            raise UnreadableInput(f"{path} is a folder: give a script")
        return
    if not os.path.isfile(path) or path.lower().endswith(_BINARY):
        return  # what another program writes must not be read before it
    try:
        with open(path, "rb") as handle:
            head = handle.read(8192)
    except OSError as error:
        raise UnreadableInput(f"{path} may not be read ({error.strerror}): check its permissions") from None
    if b"\0" in head and not head.startswith((b"PK", b"\xff\xfe", b"\xfe\xff")):
        raise UnreadableInput(f"{path} is not a script: it holds binary data")


def interpreter(wanted: str, script: str | None) -> str:
    """Return the Python to run a script with: the one asked for, the active environment's, the script's own, ours."""
    if wanted:
        return find_program(wanted)
    active = os.environ.get("VIRTUAL_ENV")
    if active:
        path = os.path.join(active, "bin", "python")
        if os.access(path, os.X_OK):
            return path
    named = _shebang(script) if script else ""
    if named:
        try:
            return find_program(named)
        except CannotLaunch:
            pass
    if any(part in _ISOLATED for part in sys.prefix.split(os.sep)):
        # installed as a tool of its own: its environment is not the user's
        return find_program("python3")
    return sys.executable


def _shebang(script: str) -> str:
    """Return the interpreter a script's first line asks for, when it is a certain Python."""
    if not os.path.isfile(script):
        return ""
    try:
        with open(script, "rb") as handle:
            first = handle.readline(200).decode("utf-8", "replace").strip()
    except OSError:
        return ""
    words = first[2:].split() if first.startswith("#!") else []
    if words and words[0].endswith("/env"):
        words = [word for word in words[1:] if not word.startswith("-")]
    name = os.path.basename(words[0]) if words else ""
    return words[0] if name.startswith(("python3.", "pypy")) else ""


def script_target(script: str, args: list[str], *, python: str = "", commands: dict[str, str] | None = None) -> Target:
    """Return the target for a script file, its command chosen by its ending.

    Raises:
        UnreadableInput: the script cannot be read.
        CannotLaunch: its runtime is not there.
    """
    check_readable(script)
    ending = os.path.splitext(script)[1].lower()
    if ending == ".ipynb":
        if args:
            raise UsageError(f"{script} is a notebook and takes no arguments: leave {args[0]} out")
        return Target(own_runner("kernel", "--python", interpreter(python, None), script), sys.executable, script, "python")
    words: tuple[str, ...] = tuple((commands or {}).get(ending, "").split()) or COMMANDS.get(ending, ())
    if words and ending in _PAGES:
        return Target(own_runner("browser", "--in", ",".join(words), script), sys.executable, script, "javascript")
    if words:
        executable = _first_there(words[0].split("|"), ending)
        return Target([executable, *words[1:], script, *args], executable, script, runtime_of(executable))
    if ending in _RUNNERS:
        runner, runtime = _RUNNERS[ending]
        return Target(own_runner(runner, script, *args), sys.executable, script, runtime)
    if ending in _ELSEWHERE and not os.path.isdir(script) and not python:
        raise UsageError(f"no command is known for '{ending}' files: name it, as in jamkey run -- COMMAND {script}")
    executable = interpreter(python, script)
    return Target([executable, script, *args], executable, script, "python")


def own_runner(name: str, *words: str) -> list[str]:
    """Return the command that starts one of our own runners, isolated from whatever lies in the working folder."""
    beside = os.path.join(os.path.dirname(os.path.abspath(__file__)), "agents", "own_runner.py")
    return [sys.executable, "-I", beside, name, *words]


def _first_there(names: list[str], ending: str) -> str:
    """Return the first program of a runtime's usual names that is there.

    Raises:
        CannotLaunch: none is.
    """
    for name in names:
        try:
            return find_program(name)
        except CannotLaunch:
            continue
    raise CannotLaunch(
        f"{names[0]} is not installed or not on the path: install it, or name its command in jamkey.toml: "
        f'commands = {{ "{ending}" = "..." }}'
    )


def module_target(module: str, args: list[str], *, python: str = "") -> Target:
    """Return the target for `-m MODULE`."""
    executable = interpreter(python, None)
    return Target([executable, "-m", module, *args], executable, None, "python")


def command_target(command: list[str]) -> Target:
    """Return the target for any command; a script among its words is recognised.

    Raises:
        CannotLaunch: the program is not there.
        UsageError: the command is empty.
    """
    if not command:
        raise UsageError("a command is missing after --")
    executable = find_program(command[0])
    runtime = runtime_of(command[0])
    script = None
    if runtime in _SCRIPTED:
        script = next((word for word in command[1:] if not word.startswith("-")), None)
        before = command[1 : command.index(script)] if script else command[1:]
        if script and (any(word in ("-c", "-m", "-e", "-p") for word in before) or not os.path.exists(script)):
            script = None
    return Target(list(command), executable, script, runtime)


def runtime_of(program: str) -> str:
    """Return the runtime a program's name stands for, empty when it is none we know."""
    name = os.path.basename(program)
    if name.startswith(("python", "pypy")):
        return "python"
    if name.startswith("lua"):
        return "lua"
    return "javascript" if name in ("node", "nodejs") else _RUNTIMES.get(name, "")
