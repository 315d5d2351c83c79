"""Ask the runtimes for what their own types and modules have, and write it for the turns that spell names.

    python benchmarks/members.py

Writes `src/jamkey/languages/members.json`: language -> type, module or global object -> the names that it has; under the
empty name what stands alone; "r arguments": argument -> the functions that take it. Python is not among them: its interpreter
is asked while the program runs.
"""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import tempfile
from pathlib import Path

from jamkey.turns.base import words_of

TABLE = Path(__file__).parent.parent / "src" / "jamkey" / "languages" / "members.json"

_NODE = r"""
const found = {};
const plain = (name) => /^[A-Za-z]\w*$/.test(name) && name !== "constructor";
const note = (name, names) => { found[name] = [...new Set([...(found[name] ?? []), ...names.filter(plain)])].sort(); };
for (const name of Object.getOwnPropertyNames(globalThis)) {
  const value = globalThis[name];
  if (value === null || !["object", "function"].includes(typeof value) || value === globalThis) continue;
  const everywhere = ["length", "name", "prototype", "caller", "arguments"];
  note(name, Object.getOwnPropertyNames(value).filter((own) => !everywhere.includes(own)));
  if (typeof value === "function" && value.prototype) note(name, Object.getOwnPropertyNames(value.prototype));
}
const modules = ["fs", "path", "util", "os", "events", "readline", "crypto", "child_process"];
for (const name of modules) note(name, Object.keys(require(name)));
note("module", Object.keys(module));
note("process", Object.keys(process));
const types = `Array Object String Number Boolean Map Set WeakMap WeakSet Promise Date RegExp Function Symbol BigInt JSON Math
  console process module URL URLSearchParams Intl Reflect`.split(/\s+/);
const wanted = (name) => types.includes(name) || modules.includes(name) || /^[A-Z]\w*(?:Array|Error)$/.test(name);
const given = ["module", "exports", "require", "__dirname", "__filename", "arguments"];
const alone = [...Object.getOwnPropertyNames(globalThis).filter((name) => /^[A-Za-z]\w*$/.test(name)), ...given];
const rows = Object.entries(found).filter(([name, names]) => wanted(name) && names.length);
console.log(JSON.stringify({ "": [...new Set(alone)].sort(), ...Object.fromEntries(rows) }));
"""
_LUA = r"""
local function names(t)
  local found = {}
  for name in pairs(t) do
    if type(name) == "string" and name:match("^%a[%w_]*$") then found[#found + 1] = '"' .. name .. '"' end
  end
  table.sort(found)
  return "[" .. table.concat(found, ",") .. "]"
end
local parts = { '"":' .. names(_G), '"file":' .. names(getmetatable(io.stdout).__index) }
for _, name in ipairs({ "string", "table", "math", "io", "os", "coroutine", "utf8", "debug", "package" }) do
  if _G[name] then parts[#parts + 1] = '"' .. name .. '":' .. names(_G[name]) end
end
print("{" .. table.concat(parts, ",") .. "}")
"""
_JAVA = r"""
import java.lang.reflect.*;
import java.util.*;

public class Members {
    public static void main(String[] words) throws Exception {
        List<String> rows = new ArrayList<>();
        for (String name : words) {
            Class<?> type = Class.forName(name);
            TreeSet<String> names = new TreeSet<>();
            for (Method method : type.getMethods()) names.add(method.getName());
            for (Field field : type.getFields()) names.add(field.getName());
            List<String> quoted = new ArrayList<>();
            for (String own : names) if (own.matches("[A-Za-z]\\w*")) quoted.add('"' + own + '"');
            rows.add('"' + type.getSimpleName() + "\":[" + String.join(",", quoted) + "]");
        }
        var files = java.nio.file.FileSystems.getFileSystem(java.net.URI.create("jrt:/"));
        var base = files.getPath("/modules/java.base/java/lang");
        TreeSet<String> alone = new TreeSet<>();
        try (var listed = java.nio.file.Files.list(base)) {
            listed.map(file -> file.getFileName().toString()).filter(file -> file.matches("[A-Z]\\w*\\.class"))
                .forEach(file -> alone.add('"' + file.replace(".class", "") + '"'));
        }
        rows.add("\"\":[" + String.join(",", alone) + "]");
        System.out.println("{" + String.join(",", rows) + "}");
    }
}
"""
_CLASSES = """
    java.lang.String java.lang.StringBuilder java.lang.Math java.lang.Integer java.lang.Long java.lang.Double
    java.lang.Boolean java.lang.Character java.lang.Object java.lang.Thread java.lang.System java.lang.Runtime
    java.lang.Iterable java.lang.Throwable java.io.PrintStream java.io.BufferedReader java.io.BufferedWriter java.io.File
    java.io.PrintWriter java.util.List java.util.ArrayList java.util.LinkedList java.util.Map java.util.HashMap
    java.util.TreeMap java.util.LinkedHashMap java.util.Set java.util.HashSet java.util.TreeSet java.util.Arrays
    java.util.Collections java.util.Collection java.util.Iterator java.util.Optional java.util.Objects java.util.Scanner
    java.util.Random java.util.Queue java.util.Deque java.util.ArrayDeque java.util.PriorityQueue java.util.Locale
    java.util.Comparator java.util.stream.Stream java.util.stream.IntStream java.util.stream.Collectors java.nio.file.Files
    java.nio.file.Path java.nio.file.Paths java.time.LocalDate java.time.LocalTime java.time.LocalDateTime
    java.time.Duration java.time.Instant java.time.DayOfWeek java.math.BigDecimal java.math.BigInteger
    java.util.concurrent.ExecutorService java.util.concurrent.Executors java.util.concurrent.Future
    java.util.concurrent.CompletableFuture java.util.concurrent.atomic.AtomicInteger java.util.regex.Pattern
    java.util.regex.Matcher
"""
_R = r"""
plain <- function(names) sort(names[grepl("^[A-Za-z][A-Za-z0-9._]*$", names)])
packages <- c("base", "stats", "utils", "graphics", "grDevices", "methods")
found <- plain(unique(unlist(lapply(packages, function(name) ls(paste0("package:", name))))))
cat('{"":[', paste0('"', found, '"', collapse = ","), "]}", sep = "")
"""
#: Which functions of R take each argument that the turns try: by their own head, a method's, or what they hand it on to.
_R_TAKES = r"""
words <- commandArgs(TRUE)
functions <- unlist(lapply(c("base", "stats", "utils", "graphics", "grDevices"), function(name) {
  names <- ls(paste0("package:", name))
  names[grepl("^[A-Za-z][A-Za-z0-9._]*$", names) & vapply(names, function(n) is.function(get(n)), NA)]
}))
heads <- function(name) names(formals(args(get(name))))
takes <- function(name) {
  own <- heads(name)
  for (class in c("default", "data.frame", "matrix", "character", "Date", "factor")) {
    method <- tryCatch(getS3method(name, class, optional = TRUE), error = function(e) NULL)
    if (!is.null(method)) own <- c(own, names(formals(method)))
  }
  if ("..." %in% own && startsWith(name, "read.")) own <- c(own, heads("read.table"))
  if ("..." %in% own && any(c("FUN", "f") %in% own)) own <- c(own, words)
  unique(own)
}
known <- lapply(functions, takes)
rows <- vapply(words, function(word) {
  found <- sort(functions[vapply(known, function(own) word %in% own, NA)])
  paste0('"', word, '":[', if (length(found)) paste0('"', found, '"', collapse = ",") else "", "]")
}, "")
cat("{", paste(rows, collapse = ","), "}", sep = "")
"""
_OCTAVE = r"""
names = unique ([__list_functions__(); __builtins__()]);
names = names(! cellfun (@isempty, regexp (names, '^[A-Za-z]\w*$')));
printf ('{"":["%s"]}', strjoin (names', '","'));
"""


def asked(command: list[str], text: str, ending: str, *words: str) -> dict[str, list[str]]:
    """Run a program of a runtime that prints what it has; nothing where the runtime is not here."""
    if not shutil.which(command[0]):
        return {}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"Members{ending}"
        path.write_text(text, encoding="utf-8")
        done = subprocess.run([*command, str(path), *words], capture_output=True, text=True, check=True)
    return dict(sorted(json.loads(done.stdout).items()))


def _flags(language: str) -> list[str]:
    """Return the names of the arguments that the turns put into calls of a language."""
    flags = words_of(language)["flags"]
    return sorted({flag.partition("=")[0].strip() for flag in flags if re.match(r"[A-Za-z][\w.]* = ", flag)})


def main() -> None:
    """Ask all runtimes that are here; of one that is not, what is known already stays."""
    known = json.loads(TABLE.read_text(encoding="utf-8")) if TABLE.exists() else {}
    for language, found in (
        ("javascript", asked(["node"], _NODE, ".js")),
        ("lua", asked(["lua5.4"], _LUA, ".lua")),
        ("java", asked(["java"], _JAVA, ".java", *_CLASSES.split())),
        ("r", asked(["Rscript"], _R, ".R")),
        ("r arguments", asked(["Rscript"], _R_TAKES, ".R", *_flags("r"))),
        ("octave", asked(["octave-cli", "--quiet"], _OCTAVE, ".m")),
    ):
        known[language] = found or known.get(language, {})
        print(language, len(known[language]), sum(map(len, known[language].values())))
    rows = [
        f"  {json.dumps(language)}: {{\n"
        + ",\n".join(f"    {json.dumps(kind)}: {json.dumps(names)}" for kind, names in types.items())
        + "\n  }"
        for language, types in known.items()
    ]
    TABLE.write_text("{\n" + ",\n".join(rows) + "\n}\n", encoding="utf-8")


if __name__ == "__main__":
    main()
