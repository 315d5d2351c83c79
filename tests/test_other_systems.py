"""Failures as macOS, Windows, clang and the shells word them: read as surely as on the system that this is built on."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.pipeline import read, read_and_diagnose
from tests.conftest import jamkey

Project = Callable[..., Path]

#: What clang 14 printed of small programs -> kind, facts.
CLANG = {
    "use of undeclared identifier 'totl'": ("unknown-name", {"name": "totl"}),
    "use of undeclared identifier 'cout'; did you mean 'std::cout'?": (
        "unknown-name",
        {"name": "cout", "suggestion": "std::cout"},
    ),
    "no template named 'vector'; did you mean 'std::vector'?": ("unknown-name", {"name": "vector"}),
    "unknown type name 'Hve'; did you mean 'Hive'?": ("unknown-name", {"name": "Hve", "suggestion": "Hive"}),
    "no member named 'cot' in namespace 'std'; did you mean 'cout'?": ("unknown-name", {"name": "cot"}),
    "no type named 'strin' in namespace 'std'; did you mean 'string'?": ("unknown-name", {"name": "strin"}),
    "no member named 'wieght' in 'struct hive'": ("no-such-member", {"member": "wieght", "class": "struct hive"}),
    "'secret' is a private member of 'Hive'": ("no-such-member", {"member": "secret"}),
    "property 'kilo' not found on object of type 'Hive *'; did you mean 'kilos'?": ("no-such-member", {"suggestion": "kilos"}),
    "no matching function for call to 'gain'": ("wrong-arguments", {"function": "gain"}),
    "too few arguments to function call, expected 2, have 1": ("wrong-arguments", {"takes": "2", "given": "1"}),
    "called object type 'int' is not a function or function pointer": ("not-callable", {"type": "int"}),
    "type 'std::string' (aka 'basic_string<char>') does not provide a call operator": ("not-callable", {"type": "std::string"}),
    "cannot initialize a variable of type 'int' with an lvalue of type 'const char[4]'": (
        "wrong-type",
        {"wanted": "int", "given": "const char[4]"},
    ),
    "no viable conversion from 'std::string' (aka 'basic_string<char>') to 'int'": (
        "wrong-type",
        {"given": "std::string", "wanted": "int"},
    ),
    "invalid operands to binary expression ('Hive' and 'int')": ("wrong-type", {"left": "Hive", "right": "int"}),
    "member reference type 'Hive *' is a pointer; did you mean to use '->'?": ("wrong-type", {"type": "Hive *"}),
    "cannot assign to variable 'limit' with const-qualified type 'const int'": ("fixed-value", {"name": "limit"}),
    "expression is not assignable": ("fixed-value", {}),
    "redefinition of 'n'": ("wrong-order", {"defined": "n"}),
    "expected ';' after expression": ("broken-syntax", {}),
    "expected expression": ("broken-syntax", {}),
}


@pytest.mark.parametrize("message", CLANG)
def test_words_of_another_compiler(message: str) -> None:
    kind, facts = CLANG[message]
    (jam,) = read(f"main.cpp:11:5: error: {message}\n    totl\n    ^~~~\n1 error generated.\n")
    assert (jam.kind, jam.phase, jam.frames[-1].line, jam.frames[-1].column) == (kind, "compile", 11, 5)
    assert facts.items() <= jam.facts.items()


#: What is printed -> kind, type, message, places.
ENDINGS: dict[str, tuple[str, str | None, str | None, list[tuple[str, int | None]]]] = {
    "libc++abi: terminating due to uncaught exception of type std::out_of_range: vector\nzsh: abort      ./hives\n": (
        "index-out-of-range",
        "std::out_of_range",
        "vector",
        [],
    ),
    "libc++abi.dylib: terminating with uncaught exception of type std::invalid_argument: stod: no conversion\n": (
        "unreadable-value",
        "std::invalid_argument",
        "stod: no conversion",
        [],
    ),
    "libc++abi: terminating due to uncaught exception of type int\n": ("raised-on-purpose", "int", None, []),
    "zsh: segmentation fault  ./hives\n": ("memory-misuse", None, "Segmentation fault", []),
    "zsh: floating point exception  ./hives\n": ("bad-arithmetic", None, "Floating point exception", []),
    "./hives: line 3: 812 Floating point exception: 8  ./hives\n": ("bad-arithmetic", None, "Floating point exception", []),
    "Assertion failed: (kilos > 0), function weigh, file main.c, line 5.\nzsh: abort      ./hives\n": (
        "raised-on-purpose",
        None,
        "Assertion failed: (kilos > 0)",
        [("main.c", 5)],
    ),
    "hives(4711,0x1f2) malloc: *** error for object 0x600: pointer being freed was not allocated\n": (
        "memory-misuse",
        None,
        "pointer being freed was not allocated",
        [],
    ),
    "* thread #1, queue = 'main', stop reason = EXC_BAD_ACCESS (code=1, address=0x0)\n  * frame #0: 0x00000001 hives`weigh(hive=0x0) "
    "at main.c:5:18\n    frame #1: 0x00000002 hives`main at main.c:10:5\n    frame #2: 0x7ff8 dyld`start + 2432\n(lldb) \n": (
        "memory-misuse",
        "EXC_BAD_ACCESS",
        "EXC_BAD_ACCESS (code=1, address=0x0)",
        [("main.c", 10), ("main.c", 5)],
    ),
    "C:\\Users\\learner\\hives.c: In function 'main':\nC:\\Users\\learner\\hives.c:5:5: error: 'totl' undeclared (first use in this "
    "function)\n": (
        "unknown-name",
        None,
        "'totl' undeclared (first use in this function)",
        [("C:\\Users\\learner\\hives.c", 5)],
    ),
}


@pytest.mark.parametrize("text", ENDINGS)
def test_how_a_program_ends_elsewhere(text: str) -> None:
    (jam,) = read(text)
    places = [(frame.file, frame.line) for frame in jam.frames]
    assert (jam.kind, jam.exception_type, jam.message, places) == ENDINGS[text]


LINKED = {
    'Undefined symbols for architecture arm64:\n  "_gain", referenced from:\n      _main in main-8f3a2c.o\nld: symbol(s) not found '
    "for architecture arm64\nclang: error: linker command failed with exit code 1 (use -v to see invocation)\n": ("gain", 5),
    "ld.lld: error: undefined symbol: gain\n>>> referenced by main.c:5\n>>>               /tmp/main-8f3a2c.o:(main)\n": (
        "gain",
        5,
    ),
    "main.obj : error LNK2019: unresolved external symbol _gain referenced in function _main\nhives.exe : fatal error LNK1120: 1 "
    "unresolved externals\n": ("gain", 5),
}


@pytest.mark.parametrize("text", LINKED)
def test_what_another_linker_misses(text: str, project: Project) -> None:
    source = "#include <stdio.h>\ndouble gain(double before);\n\nint main(void) {\n    return (int) gain(3.0);\n}\n"
    (jam,) = read_and_diagnose(text, root=project({"main.c": source}))
    name, line = LINKED[text]
    assert (jam.kind, jam.facts["name"]) == ("unknown-name", name)
    assert jam.snag_frame is not None and (jam.snag_frame.file, jam.snag_frame.line) == ("main.c", line)


#: What is printed where nothing began -> runtime, facts, what is said.
NEVER_BEGAN = {
    "python: can't open file '/home/learner/hive.py': [Errno 2] No such file or directory\n": (
        "python",
        "There is `hives.py`.",
    ),
    "Fatal error: cannot open file 'hive.R': No such file or directory\n": ("r", "`hive.R` cannot be opened"),
    "cc1: fatal error: hive.c: No such file or directory\ncompilation terminated.\n": ("c", "There is `hives.c`."),
    "clang: error: no such file or directory: 'hive.c'\nclang: error: no input files\n": ("c", "There is `hives.c`."),
    "bash: pyhton3: command not found\n": (
        "shell",
        "the shell knows no command called `pyhton3`. On this machine there is `python3`",
    ),
    "zsh: command not found: pyhton3\n": ("shell", "On this machine there is `python3`"),
    "sh: 1: pyhton3: not found\n": ("shell", "On this machine there is `python3`"),
    "'pyhton3' is not recognized as an internal or external command,\noperable program or batch file.\n": (
        "shell",
        "On this machine there is `python3`",
    ),
    "'python3' is not recognized as an internal or external command,\n": ("shell", "On this machine there is `python3`"),
    "error: file not found: Hives.java\nUsage: javac <options> <source files>\n": ("java", "`Hives.java` cannot be opened"),
    "bash: ./hives: Permission denied\n": ("shell", "`./hives` cannot be opened: permission denied."),
    "./hives.py: line 1: import: command not found\n": ("shell", "The shell took `./hives.py` for commands of its own"),
}


@pytest.mark.parametrize("text", NEVER_BEGAN)
def test_a_program_that_never_began(text: str, project: Project) -> None:
    runtime, said = NEVER_BEGAN[text]
    (jam,) = read_and_diagnose(text, root=project({"hives.py": "print(3)\n", "hives.c": "int main(void) { return 0; }\n"}))
    assert (jam.runtime, jam.kind, jam.phase) == (runtime, "file-access", "compile")
    assert said in jam.meaning


def test_a_line_of_a_shell_beside_a_failure_is_none(project: Project) -> None:
    """A program may start others that are not there, and go on."""
    trace = "Traceback (most recent call last):\n  File \"hives.py\", line 1, in <module>\n    print(totl)\nNameError: name 'totl' is not defined\n"
    (jam,) = read("sh: 1: clear: not found\n" + trace)
    assert jam.exception_type == "NameError"


def test_the_shell_s_words_on_the_command_line(project: Project) -> None:
    folder = project({"hives.py": "print(3)\n", "said.txt": "zsh: command not found: pyhton3\n"})
    done = jamkey("read", "said.txt", cwd=folder)
    assert done.status == 0
    assert "before the start, the shell" in done.out
