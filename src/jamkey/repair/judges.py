"""The languages' own parsers as judges: which of many texts they take, asked in one process each. Nothing is run."""

from __future__ import annotations

import ast
import contextlib
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import warnings
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from pathlib import Path

from jamkey.languages import trees
from jamkey.languages.base import Language
from jamkey.languages.traits import traits_of

#: What a judge is started with: no windows, no long preparations.
_STARTED = {"octave": ("--no-gui", "--norc"), "java": ("-XX:TieredStopAtLevel=1", "-XX:+UseSerialGC")}
_PYTHON = r"""
import json, sys, warnings
warnings.simplefilter("ignore")
for name in json.load(sys.stdin):
    try:
        compile(open(name, "rb").read(), name, "exec", dont_inherit=True)
        print(json.dumps(""))
    except (SyntaxError, ValueError) as error:
        import traceback
        print(json.dumps("".join(traceback.format_exception_only(type(error), error))))
"""
_NODE = r"""
const fs = require("fs"), vm = require("vm");
for (const name of JSON.parse(fs.readFileSync(0, "utf8"))) {
  const text = fs.readFileSync(name, "utf8");
  try {
    new vm.Script("(function (exports, require, module, __filename, __dirname) {" + text + "\n})", { filename: name });
    console.log(JSON.stringify(""));
  } catch (error) { console.log(JSON.stringify(String(error.stack))); }
}
"""
_LUA = r"""
for name in io.lines() do
  local chunk, message = loadfile(name)
  print(chunk and "" or (message:gsub("[\r\n]", " ")))
end
"""
_R = r"""
for (name in readLines(file("stdin"))) {
  told <- tryCatch({ parse(name, keep.source = TRUE); "" }, error = function(e) conditionMessage(e))
  cat(gsub("\n", "\\\\n", told), "\n", sep = "")
}
"""
_OCTAVE = r"""
while ischar (name = fgetl (stdin))
  told = "";
  try
    __parse_file__ (name);
  catch problem
    told = strrep (problem.message, "\n", "\\n");
  end_try_catch
  printf ("%s\n", told);
endwhile
"""
_JAVA = r"""
import com.sun.source.util.JavacTask;
import java.io.*;
import java.nio.file.*;
import java.util.*;
import javax.tools.*;

public class Parsed {
    public static void main(String[] words) throws Exception {
        JavaCompiler compiler = ToolProvider.getSystemJavaCompiler();
        BufferedReader names = new BufferedReader(new InputStreamReader(System.in));
        StandardJavaFileManager files = compiler.getStandardFileManager(null, null, null);
        for (String name; (name = names.readLine()) != null; ) {
            DiagnosticCollector<JavaFileObject> told = new DiagnosticCollector<>();
            ((JavacTask) compiler.getTask(null, files, told, null, null, files.getJavaFileObjects(name))).parse();
            String first = "";
            for (Diagnostic<?> one : told.getDiagnostics())
                if (one.getKind() == Diagnostic.Kind.ERROR && first.isEmpty()) first = one.toString().replace("\n", "\\n");
            System.out.println(first);
        }
    }
}
"""
ENDINGS = {"python": ".py", "javascript": ".js", "lua": ".lua", "r": ".R", "octave": ".m", "java": ".java", "c": ".c"}
_PROGRAMS = {
    "python": sys.executable,
    "javascript": "node",
    "lua": "lua5.4",
    "r": "Rscript",
    "octave": "octave-cli",
    "java": "java",
    "c": "gcc",
}
#: Languages of which what is asked refuses nothing but grammar; the compilers of C and Python refuse more.
_GRAMMAR_ALONE = frozenset("javascript lua r octave java".split())
#: Seconds that a parser may take for all texts.
LIMIT = 20.0


def is_refused_whole(text: str, language: Language, ending: str = "", version: str = "") -> bool:
    """Tell a text whose grammar is whole, and which a compiler refuses all the same.

    Args:
        text: of a file that was refused.
        language: of it.
        ending: of the file, where the language has several.
        version: of Python, such as `3.8.1`; the one that runs this by default.
    """
    if language.name != "python":
        return traits_of(language.name).compiled and trees.is_whole(text, language.name, ending)
    found = re.match(r"3\.(\d+)", version)
    feature = (3, int(found[1])) if found and int(found[1]) < 11 else None
    if not is_read(text, feature):
        return False
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            compile(ast.parse(text, feature_version=feature), "<text>", "exec", dont_inherit=True)
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            return True
    return False  # what was refused there is taken here: nothing is known of why


@lru_cache(maxsize=2)
def is_read(text: str, feature: tuple[int, int] | None = None) -> bool:
    """Tell whether Python's grammar, of an older version if one is named, fits a text; one long text is asked of twice."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            ast.parse(text, feature_version=feature)
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            return False
    return True


def parses(language: str) -> bool:
    """Tell whether the language's parser is on this machine and judges the grammar alone."""
    return language in _GRAMMAR_ALONE and available(language)


def available(language: str) -> bool:
    """Tell whether the language's parser is on this machine."""
    return language in _PROGRAMS and shutil.which(_PROGRAMS[language]) is not None


def told(
    language: str, texts: Sequence[str], *, interpreter: str = sys.executable, beside: Sequence[str] = (), ending: str = ""
) -> list[str] | None:
    """Return what the parser says of each text, empty where it takes it; None when it gave no answers.

    Args:
        language: of all texts.
        texts: whole sources.
        interpreter: whose parser judges Python.
        beside: for each text a folder in which the headers lie that it includes.
        ending: of the files, where the language has several.
    """
    with tempfile.TemporaryDirectory(prefix=f"jamkey-parsed-{os.getpid()}-") as scratch:
        names = []
        for place, text in enumerate(texts):
            below = Path(scratch) / str(place)
            below.mkdir()
            path = below / f"source{ending or ENDINGS[language]}"
            path.write_bytes(text.encode("utf-8", "surrogateescape"))
            names.append(str(path))
        with contextlib.suppress(OSError, subprocess.SubprocessError, ValueError):
            if language == "c":
                with ThreadPoolExecutor(max_workers=2) as pool:
                    return list(pool.map(_c, names, beside or ["."] * len(names)))
            return _asked(language, names, scratch, interpreter)
        return None


def _asked(language: str, names: list[str], folder: str, interpreter: str) -> list[str] | None:
    if language in ("python", "javascript"):
        argv = [interpreter, "-I", "-c", _PYTHON] if language == "python" else ["node", "-e", _NODE]
        given = json.dumps(names)
    else:
        script = Path(folder) / {"lua": "asked.lua", "r": "asked.R", "octave": "asked.m", "java": "Parsed.java"}[language]
        script.write_text({"lua": _LUA, "r": _R, "octave": _OCTAVE, "java": _JAVA}[language], encoding="utf-8")
        argv = [_PROGRAMS[language], *_STARTED.get(language, ()), str(script)]
        given = "".join(name + "\n" for name in names)
    env = {**os.environ, "LC_ALL": "C.UTF-8", "LANGUAGE": "en"}
    done = subprocess.run(
        argv, input=given, capture_output=True, text=True, errors="replace", env=env, timeout=LIMIT, check=False
    )
    lines = done.stdout.split("\n")[:-1]  # a message may hold other signs that end lines
    if len(lines) != len(names):
        return None
    return [json.loads(line) if language in ("python", "javascript") else line for line in lines]


def _c(name: str, beside: str) -> str:
    """Return the compiler's first error; names it does not know count, as there is no parser of it alone."""
    language = "c" if name.endswith((".c", ".h")) else "c++"
    argv = ["gcc", "-fsyntax-only", "-w", "-x", language, name, "-I", beside]
    env = {**os.environ, "LC_ALL": "C"}
    done = subprocess.run(argv, capture_output=True, text=True, errors="replace", env=env, timeout=LIMIT, check=False)
    return next((row for row in done.stderr.splitlines() if "error: " in row), "")
