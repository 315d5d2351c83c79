"""Where does a name come from? Count it in real code, ask the runtimes, and write it for the turns that import.

    python benchmarks/homes.py [--python PYTHON]

Writes `src/jamkey/languages/homes.tsv`: a row has language, name and the lines that give it, the most usual first. Python's are
counted: every import in the standard library and in the packages that an interpreter has, where at least two files have
it. Java's are the public classes of its modules; C's and C++'s are what each header of the standard declares, asked of
gcc: the header of that name first, then the one that gcc would name, then those that declare little.
"""

from __future__ import annotations

import argparse
import ast
import importlib
import re
import shutil
import subprocess
import sys
import tempfile
import warnings
from collections import Counter, defaultdict
from collections.abc import Iterator
from pathlib import Path

TABLE = Path(__file__).parent.parent / "src" / "jamkey" / "languages" / "homes.tsv"
#: Lines kept for a name; files that must have an import.
_MOST, _LEAST = 3, 2
#: Files that import from a module of which all is offered; lines that give one name, beyond which none is likely.
_USED, _VAGUE = 5, 8
#: Aliases that everybody uses and the code of no package shows.
_SAID = {"sns": "import seaborn as sns"}
_WORD = re.compile(r"\b[A-Za-z]\w*\b")
_C = """
    assert complex ctype errno fenv float inttypes iso646 limits locale math setjmp signal stdarg stdbool stddef stdint
    stdio stdlib string time wchar wctype unistd pthread
"""
_CPP = """
    algorithm any array atomic bitset cassert cctype cerrno cfloat chrono climits cmath complex condition_variable cstdint
    cstdio cstdlib cstring ctime deque exception filesystem forward_list fstream functional future initializer_list iomanip
    ios iostream iterator limits list map memory mutex numeric optional ostream queue random ratio regex set sstream stack
    stdexcept string string_view thread tuple type_traits typeinfo unordered_map unordered_set utility valarray variant vector
"""


def python_homes(interpreter: str) -> dict[str, list[str]]:
    """Return name -> import lines, as often as files of the library and of installed packages have them."""
    asked = "import sysconfig as s; print(s.get_paths()['stdlib']); print(s.get_paths()['purelib'])"
    done = subprocess.run([interpreter, "-c", asked], capture_output=True, text=True, check=True)
    roots = [Path(row) for row in done.stdout.split()]
    files = {path for root in roots for path in root.rglob("*.py")}
    known = {path.name for path in roots[1].iterdir() if (path / "__init__.py").exists()} | sys.stdlib_module_names
    counts: dict[str, Counter[str]] = defaultdict(Counter)
    modules: Counter[str] = Counter()
    for path in sorted(files):
        lines = set(_imports(path))
        for name, line in lines:
            if line.split()[1].partition(".")[0] in known:
                counts[name][line] += 1
        modules.update({line.split()[1] for _, line in lines})
    # what is seldom imported by name may be what learners need: `from statistics import mean`
    for module in sorted(sys.stdlib_module_names):
        for name in _offered(module) if modules[module] >= _USED and not module.startswith("_") else ():
            counts[name].setdefault(f"from {module} import {name}", _LEAST)
    found = {name: [line] for name, line in _SAID.items()}
    for name, seen_lines in counts.items():
        usual = [line for line, seen in seen_lines.most_common() if seen >= _LEAST]
        # what everybody has stands before what must be installed
        usual.sort(key=lambda line: line.split()[1].partition(".")[0] not in sys.stdlib_module_names)
        if usual and len(usual) <= _VAGUE:
            found[name] = usual[:_MOST]
    return dict(sorted(found.items()))


def _offered(module: str) -> list[str]:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return list(getattr(importlib.import_module(module), "__all__", ()))
    except Exception:  # one that cannot be imported here offers nothing
        return []


def _imports(path: Path) -> Iterator[tuple[str, str]]:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            tree = ast.parse(path.read_bytes())
    except (SyntaxError, ValueError):
        return
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module and not node.level and node.module != "__future__":
            # a package's own code imports from where others do not; its tests do as others do
            own = node.module.partition(".")[0] in path.parts
            public = not own or ("tests" in path.parts and node.module.count(".") <= 1 and "._" not in node.module)
            for item in node.names if public else ():
                if not item.asname and not item.name.startswith(("_", "*")):
                    yield item.name, f"from {node.module} import {item.name}"
        elif isinstance(node, ast.Import):
            for item in node.names:
                if "_" not in item.name and (item.asname or "." not in item.name) and not (item.asname or "").startswith("_"):
                    line = f"import {item.name} as {item.asname}" if item.asname else f"import {item.name}"
                    yield item.asname or item.name, line


_JAVA = r"""
import java.lang.reflect.*;
import java.net.*;
import java.nio.file.*;
import java.util.*;

public class Homes {
    public static void main(String[] modules) throws Exception {
        FileSystem files = FileSystems.getFileSystem(URI.create("jrt:/"));
        for (String module : modules) {
            try (var all = Files.walk(files.getPath("/modules", module))) {
                for (Path path : (Iterable<Path>) all::iterator) {
                    String name = path.toString().replaceFirst("/modules/[^/]*/", "").replace('/', '.');
                    if (!name.endsWith(".class") || !name.startsWith("java.") || name.contains("$")) continue;
                    ClassLoader loader = ClassLoader.getSystemClassLoader();
                    Class<?> type = Class.forName(name.substring(0, name.length() - 6), false, loader);
                    boolean open = ModuleLayer.boot().findModule(module).get().isExported(type.getPackageName());
                    if (open && Modifier.isPublic(type.getModifiers())) System.out.println(type.getName());
                }
            }
        }
    }
}
"""


def java_homes() -> dict[str, list[str]]:
    """Return name -> imports of the public classes of Java's own modules; of one name the shorter packages first."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "Homes.java"
        path.write_text(_JAVA, encoding="utf-8")
        done = subprocess.run(
            ["java", str(path), "java.base", "java.sql", "java.net.http"], capture_output=True, text=True, check=True
        )
    found: dict[str, list[str]] = defaultdict(list)
    for name in sorted(done.stdout.split(), key=lambda name: (name.startswith("java.sql"), name.count("."), name)):
        package, _, last = name.rpartition(".")
        if package != "java.lang":
            found[last].append(f"import {name};")
    return {name: lines[:_MOST] for name, lines in sorted(found.items())}


def c_homes(compiler: str, headers: list[str], ending: str) -> dict[str, list[str]]:
    """Return name -> includes of the headers that declare it: the one of its name, the one gcc knows, those of few names.

    A name is what the preprocessed text of a header holds and the compiler takes where a name must be declared.
    """
    found: dict[str, list[tuple[bool, int, str]]] = defaultdict(list)
    for header in headers:
        line = f"#include <{header}>\n"
        text = _compiled(compiler, ["-E", "-P"], line, ending)
        words = set(_WORD.findall(text.stdout)) | {
            row.split()[1].partition("(")[0]
            for row in _compiled(compiler, ["-E", "-dM"], line, ending).stdout.splitlines()
            if row.startswith("#define ")
        }
        names = sorted(word for word in words - _before(compiler, ending) if not word.startswith("_"))
        asked = line
        for number, name in enumerate(names):
            asked += (
                f"using std::{name};\n"
                if ending == ".cpp"
                else f"\n#ifndef {name}\nint a{number}(void) {{ return sizeof({name}); }}\n#endif\n"
            )
        refused = _compiled(compiler, ["-fsyntax-only", "-fmax-errors=0", "-w"], asked, ending).stderr
        row_of = dict(_rows(asked, names))
        wrong = {
            row_of[int(hit[1])] for hit in re.finditer(r"^[^:\n]+:(\d+):\d+: error", refused, re.M) if int(hit[1]) in row_of
        }
        taken = [name for name in names if name not in wrong]
        for name in taken:
            found[name].append((header.removesuffix(".h") != name, len(taken), line.strip()))
    known = _hinted(compiler, sorted(found), ending)
    for name, lines in found.items():
        lines.sort(key=lambda item: (item[0], item[2] != known.get(name), item[1]))
    return {name: [line for _, _, line in lines[:_MOST]] for name, lines in sorted(found.items())}


def _hinted(compiler: str, names: list[str], ending: str) -> dict[str, str]:
    """Return name -> the include that the compiler itself says is missing where nothing is included."""
    scope = "std::" if ending == ".cpp" else ""
    asked = "".join(f"void f{number}(void) {{ {scope}{name}; }}\n" for number, name in enumerate(names))
    told = _compiled(compiler, ["-fsyntax-only", "-fmax-errors=0"], asked, ending).stderr
    found: dict[str, str] = {}
    for hit in re.finditer(r":(\d+):\d+: note: .*?header [‘'](<[\w./]+>)[’']", told):
        found.setdefault(names[int(hit[1]) - 1], f"#include {hit[2]}")
    return found


def _rows(text: str, names: list[str]) -> Iterator[tuple[int, str]]:
    known = set(names)
    for number, row in enumerate(text.split("\n"), 1):
        name = row.removeprefix("using std::").rstrip(";") if row.startswith("using") else row.partition("sizeof(")[2][:-4]
        if name in known:
            yield number, name


def _before(compiler: str, ending: str) -> set[str]:
    """Return the words that the compiler has before any header: keywords and its own macros."""
    done = _compiled(compiler, ["-E", "-dM"], "", ending)
    return {row.split()[1].partition("(")[0] for row in done.stdout.splitlines() if row.startswith("#define ")}


def _compiled(compiler: str, flags: list[str], text: str, ending: str) -> subprocess.CompletedProcess[str]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"homes{ending}"
        path.write_text(text, encoding="utf-8")
        return subprocess.run([compiler, *flags, str(path)], capture_output=True, text=True, check=False)


def main() -> None:
    """Ask all that are here; of what is not, what is known already stays."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument("--python", default=sys.executable, help="an interpreter with the packages that people import")
    asked = parser.parse_args()
    known: dict[str, dict[str, list[str]]] = defaultdict(dict)
    for row in TABLE.read_text(encoding="utf-8").splitlines() if TABLE.exists() else ():
        language, name, *lines = row.split("\t")
        known[language][name] = lines
    known["python"] = python_homes(asked.python)
    if shutil.which("java"):
        known["java"] = java_homes()
    for language, compiler, names, ending in (("c", "gcc", _C, ".c"), ("cpp", "g++", _CPP, ".cpp")):
        if shutil.which(compiler):
            headers = [f"{name}.h" if ending == ".c" else name for name in names.split()]
            known[language] = c_homes(compiler, headers, ending)
    rows = sorted("\t".join([language, name, *lines]) for language, names in known.items() for name, lines in names.items())
    TABLE.write_text("\n".join(rows) + "\n", encoding="utf-8")
    for language, names in known.items():
        print(language, len(names))


if __name__ == "__main__":
    main()
