"""What runtimes and libraries can say, asked from what is installed: nothing of it is kept."""

from __future__ import annotations

import ast
import re
import shutil
import subprocess
import sysconfig
import tempfile
import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from jamkey.tongues.catalogues import folders
from jamkey.tongues.mo import pairs

#: What stands in the holes of a message.
WORD, NUMBER = "honey", "3"
_HOLE = re.compile(r"%(?:\d+\$)?[-+ #0]*\d*(?:\.\d+)?(?:l|ll|h|z|w)?([a-zA-Z])")


class Message(NamedTuple):
    """One text that a runtime can print, the type it comes with where it has one, and whose it is."""

    text: str
    type: str | None = None
    source: str = ""


def _filled(text: str) -> str:
    """Fill a C format as its runtime would."""
    return _HOLE.sub(lambda hole: NUMBER if hole[1] in "diufgGeExXc" else WORD, text).replace("%%", "%")


def _asked(command: list[str], text: str = "") -> str:
    return subprocess.run(command, input=text, capture_output=True, text=True, errors="replace", check=False).stdout


def _catalogues(runtime: str, name: str) -> Iterator[str]:
    """Yield what the catalogues of a runtime translate, from one language."""
    for folder in folders(runtime):
        for path in sorted((folder / "de" / "LC_MESSAGES").glob(name)):
            yield from (original for original, _ in pairs(path))


_R = r"""
texts <- character()
fixed <- function(part) if (is.character(part)) part[1] else if (is.call(part)) {
    name <- paste(deparse(part[[1]]), collapse = "")
    if (name %in% c("gettextf", "sprintf", "gettext"))
        gsub("%[-0-9.]*[dif]", "3", gsub("%[-0-9.]*s", "honey", fixed(part[[2]])))
    else if (name == "ngettext" && length(part) > 3) fixed(part[[4]])
    else if (name == "domain") "" else "honey"
} else "honey"
walk <- function(part) {
    if (is.call(part)) {
        if (identical(part[[1]], quote(stop)) && length(part) > 1) {
            given <- as.list(part)[-1]
            names <- names(given)
            if (!is.null(names)) given <- given[names == ""]
            if (length(given)) texts <<- c(texts, paste0(here, "\t", paste(vapply(given, fixed, ""), collapse = "")))
        }
        for (inner in as.list(part)) if (!missing(inner)) walk(inner)
    } else if (is.pairlist(part)) for (inner in as.list(part)) if (!missing(inner)) walk(inner)
}
for (name in c("base", "stats", "utils", "graphics", "grDevices", "methods", "tools", "splines", "parallel", "MASS", "Matrix",
               "nlme", "mgcv", "survival", "lattice", "boot", "cluster", "class", "nnet", "rpart", "foreign")) {
    space <- tryCatch(asNamespace(name), error = function(e) NULL)
    if (is.null(space)) next
    here <- name
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
        package, _, text = line.partition("\t")
        yield Message(text.replace("\\n", "\n"), None, f"r {package}")
    for original in _catalogues("r", "R.mo"):
        if " " in original and not original.startswith(("usage", " ", "Usage", "Options")) and not original.endswith("\n"):
            yield Message(_filled(original), None, "r core")


def of_octave() -> Iterator[Message]:
    """What Octave's scripts give to `error`."""
    called = re.compile(r"""\berror \((?:"Octave:[\w-]+",\s*(?:\.\.\.\s*)?)?["']((?:[^"'\\\n]|\\.|''|"")+)["']""")
    for path in sorted(Path("/usr/share/octave").glob("*/m/**/*.m")):
        code = re.split(r"(?m)^%!", path.read_text(encoding="utf-8", errors="replace"))[0]
        for found in called.finditer(code):
            text = _filled(found[1].replace("\\n", "").replace('\\"', '"').replace("''", "'"))
            yield Message(text, None, f"octave {path.parent.name}")


def of_javascript() -> Iterator[Message]:
    """Node's own codes, and the templates of V8 that its binary holds."""
    source = _asked(["node", "--no-deprecation", "-p", "process.binding('natives')['internal/errors']"])
    for found in re.finditer(
        r"\bE\('(ERR_\w+)',\s*\n?\s*'((?:[^'\\]|\\.)*)'((?:\s*\+\s*\n?\s*'(?:[^'\\]|\\.)*')*),\s*(\w+)", source
    ):
        text = found[2] + "".join(re.findall(r"'((?:[^'\\]|\\.)*)'", found[3]))
        yield Message(_filled(text.replace("\\'", "'")), f"{found[4]} [{found[1]}]", "node")
    data = Path(shutil.which("node") or "").resolve().read_bytes()
    # V8 writes a template's holes as a bare % sign
    for found in re.finditer(rb"[\x20-\x7e]{8,160}\x00", data):
        text = found[0][:-1].decode()
        if re.search(r"(?<![\w%])%(?![\w%.-])", text) and re.fullmatch(r"[A-Z%'\"][\w %'\"().,:;!?#/<>\[\]{}=&|@*+-]*", text):
            yield Message(re.sub(r"(?<!\w)%(?!\w)", WORD, text), "TypeError", "v8")


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
        yield Message(re.sub(r"\{(\d+)\}", WORD, line.replace("\\n", "\n").replace("''", "'")), None, "javac")


def of_java() -> Iterator[Message]:
    """The texts that the classes of `java.base` throw, with their exceptions, from their byte code."""
    made = re.compile(r"(?:// String (.*))|(?:// Method (java/[\w/$]+(?:Exception|Error))\.\"<init>\":\(Ljava/lang/String;)")
    asked = ["jimage", "list", "--include", "regex:.*/java/(util|lang|io|text|time|nio|math)/.*", f"{_java_home()}/lib/modules"]
    names = [line.strip()[:-6].replace("/", ".") for line in _asked(asked).splitlines() if line.strip().endswith(".class")]
    for start in range(0, len(names), 300):
        last = ""
        for found in made.finditer(_asked(["javap", "-c", "-p", *names[start : start + 300]])):
            if found[1] is not None:
                last = found[1]
            elif " " in last:
                yield Message(_filled(last.replace("\\u0001", WORD)), found[2].replace("/", "."), "java")
                last = ""


def _java_home() -> str:
    return str(Path(shutil.which("java") or "/").resolve().parent.parent)


def of_lua() -> Iterator[Message]:
    """The texts of Lua's library."""
    for library in sorted(Path("/usr/lib").glob("*/liblua5.[14].so.0")):
        for found in re.finditer(rb"[\x20-\x7e]{8,120}\x00", library.read_bytes()):
            text = found[0][:-1].decode()
            if re.fullmatch(r"[a-z'%][\w ,'%()<>#.:-]*", text) and text.count(" ") > 1 and "  " not in text:
                yield Message(_filled(text), None, "lua")


def of_c() -> Iterator[Message]:
    """What gcc's catalogue holds and is no help on an option."""
    for original in _catalogues("c", "gcc-*.mo"):
        if re.match(r"[a-z%`<'\"]", original) and " " in original and not original.endswith((".", "\n", ":")):
            yield Message(re.sub(r"%[<>]", "'", _filled(re.sub(r"%q\w+|%E|%T|%D|%qs", f"'{WORD}'", original))), None, "gcc")


def of_typescript() -> Iterator[Message]:
    """The errors of TypeScript's compiler, where NODE_PATH leads to one that is a package of Node's (up to version 5)."""
    every = "Object.values(require('typescript').Diagnostics).filter(told => told.category === 1)"
    code = f"for (const told of {every}) console.log(told.code, told.message)"
    for row in _asked(["node", "-e", code]).splitlines():
        number, _, text = row.partition(" ")
        yield Message(re.sub(r"\{\d\}", WORD, text), f"TS{number}", "typescript")


def of_supercollider() -> Iterator[Message]:
    """What the class library throws."""
    for path in sorted(Path("/usr/share/SuperCollider/SCClassLibrary").rglob("*.sc")):
        code = path.read_text(encoding="utf-8", errors="replace")
        for found in re.finditer(r'\b(?:Error|Exception)\("([^"\n]+)"|"([^"\n]+)"\.(?:error|throw)\b', code):
            yield Message(_filled(found[1] or found[2]), None, "sclang")


def of_python() -> Iterator[Message]:
    """What Python's own library and the packages beside this interpreter raise."""
    places = sysconfig.get_paths()
    for place in dict.fromkeys((places["stdlib"], places["purelib"])):
        for source, kind, text in raised(Path(place)):
            if " " in text:
                yield Message(_filled(text), kind, source)


def text_of(node: ast.expr) -> str | None:
    """Return the text that an expression makes, holes as X; None where it makes none that is written down."""
    if isinstance(node, ast.Constant):
        return node.value if isinstance(node.value, str) else None
    if isinstance(node, ast.JoinedStr):
        return "".join(part.value if isinstance(part, ast.Constant) else WORD for part in node.values)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mod):
        return text_of(node.left)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        left, right = text_of(node.left), text_of(node.right)
        return (left or WORD) + (right or WORD) if left or right else None
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "format":
        return text_of(node.func.value)
    return None


def raised(folder: Path) -> Iterator[tuple[str, str, str]]:
    """Yield (source, type, message) of the raise statements below a folder."""
    for file in sorted(folder.rglob("*.py")):
        parts = file.relative_to(folder).parts
        if {"site-packages", "test", "tests", "testing", "_vendor", "jamkey"} & set(parts):
            continue
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                tree = ast.parse(file.read_text(encoding="utf-8"))
        except (SyntaxError, ValueError, OSError, RecursionError):
            continue
        for node in ast.walk(tree):
            if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call) and node.exc.args:
                named = node.exc.func
                name = named.id if isinstance(named, ast.Name) else named.attr if isinstance(named, ast.Attribute) else ""
                if name and (message := text_of(node.exc.args[0])):
                    yield parts[0].removesuffix(".py"), name, message
