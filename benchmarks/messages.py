"""What the runtimes and their libraries themselves can say: is it read, and is its kind known?

    python benchmarks/messages.py [--only RUNTIME ...] [--list] [--sample N] [--json FILE]

Nothing of it is kept: the messages are asked from what is installed (R's functions and catalogues, Octave's scripts,
Node's internal modules and V8's templates, the Java compiler's bundle and the texts that the classes of `java.base` throw,
Lua's library, gcc's catalogue, the class library of sclang, and what the installed Python libraries raise). Each is
printed as its runtime prints a failure within a library, then read. Told: how many are read at all, how many have a kind
by their words or their type and not by the last resort. `--list` prints the others, `--sample` as many at random with
their kinds, to be judged by hand.
"""

from __future__ import annotations

import argparse
import ast
import json
import random
import re
import shutil
import subprocess
import sys
import sysconfig
import tempfile
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import NamedTuple

from jamkey.pipeline import read
from jamkey.tongues.mo import pairs

#: What stands in the holes of a message.
WORD, NUMBER = "honey", "3"
_HOLE = re.compile(r"%(?:\d+\$)?[-+ #0]*\d*(?:\.\d+)?(?:l|ll|h|z|w)?([a-zA-Z])")


class Message(NamedTuple):
    """One text that a runtime can print, and the type it comes with where it has one."""

    text: str
    type: str | None = None


def _filled(text: str) -> str:
    """Fill a C format as its runtime would."""
    return _HOLE.sub(lambda hole: NUMBER if hole[1] in "diufgGeExXc" else WORD, text).replace("%%", "%")


def _asked(command: list[str], text: str = "", **more: object) -> str:
    done = subprocess.run(command, input=text, capture_output=True, text=True, errors="replace", check=False, **more)  # type: ignore[call-overload]
    return str(done.stdout)


_R = r"""
texts <- character()
fixed <- function(part) if (is.character(part)) part[1] else if (is.call(part)) {
    name <- paste(deparse(part[[1]]), collapse = "")
    if (name %in% c("gettextf", "sprintf", "gettext")) gsub("%[-0-9.]*[dif]", "3", gsub("%[-0-9.]*s", "honey", fixed(part[[2]])))
    else if (name == "ngettext" && length(part) > 3) fixed(part[[4]])
    else if (name == "domain") "" else "honey"
} else "honey"
walk <- function(part) {
    if (is.call(part)) {
        if (identical(part[[1]], quote(stop)) && length(part) > 1) {
            given <- as.list(part)[-1]
            names <- names(given)
            if (!is.null(names)) given <- given[names == ""]
            if (length(given)) texts <<- c(texts, paste(vapply(given, fixed, ""), collapse = ""))
        }
        for (inner in as.list(part)) if (!missing(inner)) walk(inner)
    } else if (is.pairlist(part)) for (inner in as.list(part)) if (!missing(inner)) walk(inner)
}
for (name in c("base", "stats", "utils", "graphics", "grDevices", "methods", "tools", "splines", "parallel", "MASS", "Matrix",
               "nlme", "mgcv", "survival", "lattice", "boot", "cluster", "class", "nnet", "rpart", "foreign")) {
    space <- tryCatch(asNamespace(name), error = function(e) NULL)
    if (is.null(space)) next
    for (own in ls(space, all.names = TRUE)) {
        value <- get(own, envir = space)
        if (is.function(value) && !is.primitive(value)) try(walk(body(value)), silent = TRUE)
    }
}
cat(gsub("\n", "\\\\n", unique(texts)), sep = "\n")
"""


def of_r() -> Iterator[Message]:
    """What R's functions stop with, and what its own core says."""
    for line in _asked(["Rscript", "--vanilla", "-"], _R).splitlines():
        yield Message(line.replace("\\n", "\n"))
    for original, _ in pairs(Path("/usr/lib/R/library/translations/de/LC_MESSAGES/R.mo")):
        if " " in original and not original.startswith(("usage", " ", "Usage", "Options")) and not original.endswith("\n"):
            yield Message(_filled(original))


def of_octave() -> Iterator[Message]:
    """What Octave's scripts give to `error`."""
    called = re.compile(r"""\berror \((?:"Octave:[\w-]+",\s*(?:\.\.\.\s*)?)?["']((?:[^"'\\\n]|\\.|''|"")+)["']""")
    for path in sorted(Path("/usr/share/octave").glob("*/m/**/*.m")):
        code = re.split(r"(?m)^%!", path.read_text(encoding="utf-8", errors="replace"))[0]
        for found in called.finditer(code):
            yield Message(_filled(found[1].replace("\\n", "").replace('\\"', '"').replace("''", "'")))


def of_javascript() -> Iterator[Message]:
    """Node's own codes, and the templates of V8 that its binary holds."""
    source = _asked(["node", "--no-deprecation", "-p", "process.binding('natives')['internal/errors']"])
    for found in re.finditer(r"\bE\('(ERR_\w+)',\s*\n?\s*'((?:[^'\\]|\\.)*)'((?:\s*\+\s*\n?\s*'(?:[^'\\]|\\.)*')*),\s*(\w+)", source):
        text = found[2] + "".join(re.findall(r"'((?:[^'\\]|\\.)*)'", found[3]))
        yield Message(_filled(text.replace("\\'", "'")), f"{found[4]} [{found[1]}]")
    data = Path(shutil.which("node") or "").resolve().read_bytes()
    # V8 writes a template's holes as a bare % sign
    for found in re.finditer(rb"[\x20-\x7e]{8,160}\x00", data):
        text = found[0][:-1].decode()
        if re.search(r"(?<![\w%])%(?![\w%.-])", text) and re.fullmatch(r"[A-Z%'\"][\w %'\"().,:;!?#/<>\[\]{}=&|@*+-]*", text):
            yield Message(re.sub(r"(?<!\w)%(?!\w)", WORD, text), "TypeError")


_BUNDLE = """
import java.util.*;
public class Bundle {
    public static void main(String[] a) throws Exception {
        ResourceBundle bundle = new com.sun.tools.javac.resources.compiler();
        for (String key : new TreeSet<String>(bundle.keySet()))
            if (key.startsWith("compiler.err."))
                System.out.println(bundle.getString(key).replace("\\n", "\\\\n"));
    }
}
"""


def of_javac() -> Iterator[Message]:
    """What the Java compiler refuses."""
    with tempfile.TemporaryDirectory() as folder:
        program = Path(folder, "Bundle.java")
        program.write_text(_BUNDLE, encoding="utf-8")
        told = _asked(["java", "--add-exports", "jdk.compiler/com.sun.tools.javac.resources=ALL-UNNAMED", str(program)])
    for line in told.splitlines():
        yield Message(re.sub(r"\{(\d+)\}", WORD, line.replace("\\n", "\n").replace("''", "'")))


def of_java() -> Iterator[Message]:
    """The texts that the classes of `java.base` throw, with their exceptions, from their byte code."""
    made = re.compile(r"(?:// String (.*))|(?:// Method (java/[\w/$]+(?:Exception|Error))\.\"<init>\":\(Ljava/lang/String;)")
    listed = _asked(["jimage", "list", "--include", "regex:/java.base/java/(util|lang|io|text|time|nio|math)/.*", _java_home() + "/lib/modules"])
    names, package = [], ""
    for line in listed.splitlines():
        if line.strip().startswith("Package: "):
            package = line.split(": ", 1)[1]
        elif line.startswith("    ") and line.strip().endswith(".class") and package:
            names.append(f"{package}.{line.strip().removesuffix('.class')}")
    for start in range(0, len(names), 300):
        last = ""
        for found in made.finditer(_asked(["javap", "-c", "-p", *names[start : start + 300]])):
            if found[1] is not None:
                last = found[1]
            elif " " in last:
                yield Message(_filled(last.replace("\\u0001", WORD)), found[2].replace("/", "."))
                last = ""


def _java_home() -> str:
    return str(Path(shutil.which("java") or "/").resolve().parent.parent)


def of_lua() -> Iterator[Message]:
    """The texts of Lua's library."""
    for library in sorted(Path("/usr/lib/x86_64-linux-gnu").glob("liblua5.[14].so.0")):
        for found in re.finditer(rb"[\x20-\x7e]{8,120}\x00", library.read_bytes()):
            text = found[0][:-1].decode()
            if re.fullmatch(r"[a-z'%][\w ,'%()<>#.:-]*", text) and text.count(" ") > 1 and "  " not in text:
                yield Message(_filled(text))


def of_c() -> Iterator[Message]:
    """What gcc's catalogue holds and is no help on an option."""
    for path in sorted(Path("/usr/share/locale/de/LC_MESSAGES").glob("gcc-*.mo")):
        for original, _ in pairs(path):
            if re.match(r"[a-z%`<'\"]", original) and " " in original and not original.endswith((".", "\n", ":")):
                yield Message(re.sub(r"%[<>]", "'", _filled(re.sub(r"%q\w+|%E|%T|%D|%qs", f"'{WORD}'", original))))


def of_supercollider() -> Iterator[Message]:
    """What the class library throws."""
    for path in sorted(Path("/usr/share/SuperCollider/SCClassLibrary").rglob("*.sc")):
        code = path.read_text(encoding="utf-8", errors="replace")
        for found in re.finditer(r'\b(?:Error|Exception)\("([^"\n]+)"|"([^"\n]+)"\.(?:error|throw)\b', code):
            yield Message(_filled(found[1] or found[2]))


def of_python() -> Iterator[Message]:
    """What the installed libraries raise."""
    folder = Path(sysconfig.get_paths()["purelib"])
    for library in ("numpy", "pandas", "scipy", "matplotlib", "sklearn"):
        for path in sorted((folder / library).rglob("*.py")):
            if "tests" in path.parts:
                continue
            tree = ast.parse(path.read_text(encoding="utf-8", errors="replace"))
            for node in ast.walk(tree):
                if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call) and node.exc.args:
                    text, name = _written(node.exc.args[0]), node.exc.func
                    kind = name.id if isinstance(name, ast.Name) else name.attr if isinstance(name, ast.Attribute) else ""
                    if text and " " in text and kind.endswith(("Error", "Exception")):
                        yield Message(text, kind)


def _written(node: ast.expr) -> str:
    """Return a text as it would be printed, words in its holes."""
    if isinstance(node, ast.Constant):
        return node.value if isinstance(node.value, str) else ""
    if isinstance(node, ast.JoinedStr):
        return "".join(str(part.value) if isinstance(part, ast.Constant) else WORD for part in node.values)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        return (_written(node.left) or WORD) + (_written(node.right) or WORD)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mod):
        return _filled(_written(node.left))
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "format":
        return re.sub(r"\{[^{}]*\}", WORD, _written(node.func.value))
    return ""


def _python(message: Message) -> str:
    return (
        'Traceback (most recent call last):\n  File "/home/me/hives.py", line 9, in <module>\n    total(hives)\n'
        '  File "/usr/lib/python3/site-packages/bees/core.py", line 90, in total\n    raise '
        f"{message.type}(told)\n{message.type}: {message.text}\n"
    )


def _javascript(message: Message) -> str:
    return (
        f"node:internal/errors:496\n    ErrorCaptureStackTrace(err);\n    ^\n\n{message.type}: {message.text}\n"
        "    at total (node:fs:2352:11)\n    at Object.<anonymous> (/home/me/hives.js:3:4)\n\nNode.js v20.20.2\n"
    )


def _java(message: Message) -> str:
    return (
        f'Exception in thread "main" {message.type}: {message.text}\n'
        "\tat java.base/java.util.Bees.total(Bees.java:61)\n\tat Hives.main(Hives.java:7)\n"
    )


#: Runtime -> where its messages come from, and how it prints one.
HARVEST: dict[str, tuple[Callable[[], Iterable[Message]], Callable[[Message], str]]] = {
    "python": (of_python, _python),
    "r": (of_r, lambda message: f"Error in total(hives) : {message.text}\nCalls: sum_up -> total\nExecution halted\n"),
    "octave": (of_octave, lambda message: f"error: {message.text}\nerror: called from\n    total at line 61 column 5\n    hives at line 3 column 1\n"),
    "javascript": (of_javascript, _javascript),
    "java": (of_java, _java),
    "javac": (of_javac, lambda message: f"Hives.java:7: error: {message.text}\n        total(hives);\n        ^\n1 error\n"),
    "lua": (
        of_lua,
        lambda message: f"lua5.4: hives.lua:3: {message.text}\nstack traceback:\n\t[C]: in function 'total'\n\thives.lua:3: in main chunk\n\t[C]: in ?\n",
    ),
    "c": (of_c, lambda message: f"hives.c: In function 'main':\nhives.c:7:9: error: {message.text}\n    7 |         total(hives);\n      |         ^~~~~\n"),
    "supercollider": (of_supercollider, lambda message: f"ERROR: {message.text}\nERROR: Primitive '_Total' failed.\n" if False else f"ERROR: {message.text}\nPROTECTED CALL STACK:\n\tMeta_Hives:total\t0x55d0c8\n\t\targ this = Hives\n"),
}
#: Kinds of last resort: the program's own check where it runs, a text that is not understood where it is compiled.
_LAST = {"javac": "broken-syntax", "c": "broken-syntax"}


class Told(NamedTuple):
    """How one message was read."""

    message: Message
    kind: str | None
    known: bool


def harvested(runtime: str) -> list[Told]:
    """Read every message of a runtime once."""
    asked, printed = HARVEST[runtime]
    found: list[Told] = []
    for message in dict.fromkeys(asked()):
        jams = read(printed(message))
        kind = jams[-1].kind if jams else None
        found.append(Told(message, kind, kind not in (None, "raised-on-purpose", _LAST.get(runtime))))
    return found


def main() -> int:
    """Print a row a runtime."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument("--only", nargs="+", choices=HARVEST, default=list(HARVEST))
    parser.add_argument("--list", action="store_true")
    parser.add_argument("--sample", type=int, default=0)
    parser.add_argument("--json", type=Path)
    asked = parser.parse_args()
    table: dict[str, dict[str, float]] = {}
    chance = random.Random(20)
    for runtime in asked.only:
        found = harvested(runtime)
        unread = sum(told.kind is None for told in found)
        known = sum(told.known for told in found)
        table[runtime] = {"messages": len(found), "unread": unread, "kind_known": known}
        print(f"{runtime:14} {len(found):6} messages, {unread:4} not read, kind by words or type {100 * known / max(len(found), 1):5.1f} %")
        shown = [told for told in found if not told.known] if asked.list else []
        for told in shown + chance.sample(found, min(asked.sample, len(found))):
            print(f"    {told.kind or 'not read':20} {told.message.type or ''} {' '.join(told.message.text.split())[:150]}")
    if asked.json:
        asked.json.write_text(json.dumps(table, indent=1) + "\n", encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
