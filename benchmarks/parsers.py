"""The parsers that judge: which texts of a language its own parser takes, many in one process."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from pathlib import Path

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
        for (String name; (name = names.readLine()) != null; ) {
            DiagnosticCollector<JavaFileObject> told = new DiagnosticCollector<>();
            StandardJavaFileManager files = compiler.getStandardFileManager(told, null, null);
            JavacTask task = (JavacTask) compiler.getTask(null, files, told, null, null, files.getJavaFileObjects(name));
            task.parse();
            String first = "";
            for (Diagnostic<?> one : told.getDiagnostics())
                if (one.getKind() == Diagnostic.Kind.ERROR && first.isEmpty()) first = one.toString().replace("\n", "\\n");
            System.out.println(first);
        }
    }
}
"""
ENDINGS = {"python": ".py", "javascript": ".js", "lua": ".lua", "r": ".R", "octave": ".m", "java": ".java", "c": ".c"}


def available(language: str) -> bool:
    """Tell whether the language's parser is on this machine."""
    return shutil.which(_PROGRAMS[language]) is not None


def told(language: str, texts: Sequence[str], *, interpreter: str = sys.executable, beside: Sequence[str] = ()) -> list[str]:
    """Return what the parser says of each text; empty where it takes it.

    Args:
        language: of all texts.
        texts: whole sources.
        interpreter: whose parser judges Python.
        beside: for each text a folder in which the headers lie that it includes.
    """
    with tempfile.TemporaryDirectory(prefix="jamkey-parsed-") as folder:
        names = []
        for place, text in enumerate(texts):
            below = Path(folder) / str(place)
            below.mkdir()
            path = below / f"source{ENDINGS[language]}"
            path.write_bytes(text.encode("utf-8", "surrogateescape"))
            names.append(str(path))
        if language == "c":
            return [_c(name, folder) for name, folder in zip(names, beside or ["."] * len(names), strict=True)]
        return _asked(language, names, folder, interpreter)


_PROGRAMS = {
    "python": sys.executable,
    "javascript": "node",
    "lua": "lua5.4",
    "r": "Rscript",
    "octave": "octave-cli",
    "java": "java",
    "c": "gcc",
}


def _asked(language: str, names: list[str], folder: str, interpreter: str) -> list[str]:
    if language in ("python", "javascript"):
        argv = [interpreter, "-I", "-c", _PYTHON] if language == "python" else ["node", "-e", _NODE]
        given = json.dumps(names)
    else:
        script = Path(folder) / {"lua": "asked.lua", "r": "asked.R", "octave": "asked.m", "java": "Parsed.java"}[language]
        script.write_text({"lua": _LUA, "r": _R, "octave": _OCTAVE, "java": _JAVA}[language], encoding="utf-8")
        argv = [_PROGRAMS[language], *(["--no-gui", "--norc"] if language == "octave" else []), str(script)]
        given = "".join(name + "\n" for name in names)
    env = {**os.environ, "LC_ALL": "C.UTF-8", "LANGUAGE": "en"}
    done = subprocess.run(argv, input=given, capture_output=True, text=True, errors="replace", env=env)
    lines = done.stdout.splitlines()
    if len(lines) != len(names):
        raise RuntimeError(f"{language}: {len(lines)} answers for {len(names)} texts: {done.stderr[-500:]}")
    return [json.loads(line) if language in ("python", "javascript") else line for line in lines]


def _c(name: str, beside: str) -> str:
    """The compiler's first error; names it does not know count, as there is no parser of it alone."""
    argv = ["gcc", "-fsyntax-only", "-w", "-x", "c", name, "-I", beside]
    done = subprocess.run(argv, capture_output=True, text=True, errors="replace", env={**os.environ, "LC_ALL": "C"})
    return next((row for row in done.stderr.splitlines() if "error: " in row), "")
