"""What mends small programs of many languages is among the edits that the search tries, however the names are."""

from __future__ import annotations

import re
from dataclasses import dataclass

import pytest

from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.pipeline import diagnose, read
from jamkey.search.candidates import candidates


@dataclass(frozen=True)
class Slip:
    """A program that fails, what it prints, and the line that mends it."""

    what: str
    files: dict[str, str]
    printed: str
    line: tuple[str, int]
    mended: str


SLIPS = [
    Slip(
        "the end of a loop, JavaScript",
        {"main.js": "function heaviest(kilos) {\n  let best = 0;\n  for (let i = 0; i <= kilos.length; i++) {\n    if (kilos[i].net > best) best = kilos[i].net;\n  }\n  return best;\n}\nconsole.log(heaviest([{ net: 3 }]));\n"},
        "/p/main.js:4\n    if (kilos[i].net > best) best = kilos[i].net;\n                 ^\n\nTypeError: Cannot read properties of undefined (reading 'net')\n    at heaviest (/p/main.js:4:18)\n    at Object.<anonymous> (/p/main.js:8:13)\n\nNode.js v20.1.0\n",
        ("main.js", 3),
        "for (let i = 0; i < kilos.length; i++) {",
    ),
    Slip(
        "a condition and what it rules on one line, Java",
        {"Hive.java": "class Hive {\n    static int best(int[] kilos) {\n        int best = 0;\n        for (int kilo : kilos) if (kilo < best) best = kilo;\n        return best;\n    }\n    public static void main(String[] args) {\n        int[] counts = new int[3];\n        System.out.println(counts[best(new int[] {1, 2, 9}) - 1]);\n    }\n}\n"},
        'Exception in thread "main" java.lang.ArrayIndexOutOfBoundsException: Index -1 out of bounds for length 3\n\tat Hive.main(Hive.java:9)\n',
        ("Hive.java", 4),
        "for (int kilo : kilos) if (kilo > best) best = kilo;",
    ),
    Slip(
        "a condition and what it rules on one line, Python",
        {"hive.py": "def best(kilos):\n    top = 0\n    for kilo in kilos:\n        if kilo < top: top = kilo\n    return top\n\n\nprint([4, 5][best([1, 2]) - 3])\n"},
        'Traceback (most recent call last):\n  File "hive.py", line 8, in <module>\n    print([4, 5][best([1, 2]) - 3])\nIndexError: list index out of range\n',
        ("hive.py", 4),
        "if kilo > top: top = kilo",
    ),
    Slip(
        "a member that another file gives, Java",
        {
            "Main.java": "class Main {\n    public static void main(String[] args) {\n        Frame frame = new Frame(\"oak\", 31);\n        System.out.println(frame.getKilos());\n    }\n}\n",
            "Frame.java": "record Frame(String hive, int kilos) {}\n",
        },
        "Main.java:4: error: cannot find symbol\n        System.out.println(frame.getKilos());\n                                ^\n  symbol:   method getKilos()\n  location: variable frame of type Frame\n1 error\n",
        ("Main.java", 4),
        "System.out.println(frame.kilos());",
    ),
    Slip(
        "a field asked for twice by a wrong name, Lua",
        {"main.lua": "local hives = require(\"hives\")\nprint(hives.oak.top - hives.oak.low)\n", "hives.lua": "return { old_oak = { top = 3, low = 1 } }\n"},
        "lua: main.lua:2: attempt to index a nil value (field 'oak')\nstack traceback:\n\tmain.lua:2: in main chunk\n\t[C]: in ?\n",
        ("main.lua", 2),
        "print(hives.old_oak.top - hives.old_oak.low)",
    ),
    Slip(
        "a field that a struct has by another name, Octave",
        {"net.m": "1;\nfunction w = net (rec)\n  w = rec.gross_kg - rec.tare_kg;\nend\nprintf (\"%g\\n\", net (struct (\"gross_kg\", 4, \"box_kg\", 1)));\n"},
        "error: invalid use of undefined value\nerror: called from\n    net at line 3 column 5\n    net at line 5 column 1\n",
        ("net.m", 3),
        "w = rec.gross_kg - rec.box_kg;",
    ),
    Slip(
        "a column by another name, R",
        {"gain.R": "gain <- function(df) {\n  df$actual - df$planned\n}\nhives <- data.frame(net_actual = 3, planned = 2)\nhives$gain <- gain(hives)\n"},
        "Error in `$<-.data.frame`(`*tmp*`, gain, value = numeric(0)) : \n  replacement has 0 rows, data has 1\nCalls: $<- -> $<-.data.frame\nExecution halted\n",
        ("gain.R", 2),
        "df$net_actual - df$planned",
    ),
    Slip(
        "a choice that the message names, R",
        {"smooth.R": "smoothed <- function(x, how = c(\"mean\", \"median\")) {\n  how <- match.arg(how)\n  how\n}\nhow <- \"medain\"\nprint(smoothed(1, how))\n"},
        "Error in match.arg(how) : 'arg' should be one of \u201cmean\u201d, \u201cmedian\u201d\nCalls: print -> smoothed -> match.arg\nExecution halted\n",
        ("smooth.R", 5),
        'how <- "median"',
    ),
    Slip(
        "a power of each, Octave",
        {"fall.m": "fall = @(t) 9.81 / 2 * t ^ 2;\ndisp (fall ([1 2 3]));\n"},
        "error: for x^y, only square matrix arguments are permitted and one argument must be scalar.  Use .^ for elementwise power.\nerror: called from\n    fall>@<anonymous> at line 1 column 25\n    fall at line 2 column 1\n",
        ("fall.m", 1),
        "fall = @(t) 9.81 / 2 * t .^ 2;",
    ),
    Slip(
        "a sign that means more in a pattern, Java",
        {"Parts.java": "class Parts {\n    public static void main(String[] args) {\n        String[] parts = args[0].split(\".\");\n        System.out.println(parts[0]);\n    }\n}\n"},
        'Exception in thread "main" java.lang.ArrayIndexOutOfBoundsException: Index 0 out of bounds for length 0\n\tat Parts.main(Parts.java:4)\n',
        ("Parts.java", 3),
        'String[] parts = args[0].split("\\\\.");',
    ),
    Slip(
        "a sign that means more in a pattern, R",
        {"parts.R": "parts <- strsplit(\"oak(3)\", \"(\")\nprint(parts)\n"},
        "Error in strsplit(\"oak(3)\", \"(\") : \n  invalid regular expression '(', reason 'Missing ')''\nExecution halted\n",
        ("parts.R", 1),
        'parts <- strsplit("oak(3)", "[(]")',
    ),
    Slip(
        "the type of a variable, C++",
        {"main.cpp": "#include <algorithm>\nint main() {\n    int best = 0;\n    const double kilos = 3.5;\n    best = std::max(best, kilos);\n    return best;\n}\n"},
        "main.cpp: In function 'int main()':\nmain.cpp:5:20: error: no matching function for call to 'max(int&, const double&)'\n    5 |     best = std::max(best, kilos);\n      |            ~~~~~~~~^~~~~~~~~~~~~\n",
        ("main.cpp", 3),
        "double best = 0;",
    ),
    Slip(
        "braces for what a cell holds, Octave",
        {"show.m": "1;\nfunction show (name)\n  printf (\"%s\\n\", upper (name));\nend\nnames = {\"oak\", \"elm\"};\nshow (names(1));\n"},
        "error: printf: wrong type argument 'cell array'\nerror: called from\n    show at line 3 column 3\n    show at line 6 column 1\n",
        ("show.m", 6),
        "show (names{1});",
    ),
    Slip(
        "two texts taken from each other, Python",
        {"gain.py": "first, last = input().split()\nprint(last - first)\n"},
        'Traceback (most recent call last):\n  File "gain.py", line 2, in <module>\n    print(last - first)\nTypeError: unsupported operand type(s) for -: \'str\' and \'str\'\n',
        ("gain.py", 2),
        "print(float(last) - float(first))",
    ),
]  # fmt: skip


def rows(slip: Slip, files: dict[str, str], printed: str) -> set[str]:
    """Return what the edited lines of all candidates look like."""
    sources = Sources(texts=files)
    scene = Scene(diagnose(read(printed)[-1], sources), sources)
    file, line = slip.line
    found = candidates(scene, seconds=30.0)
    return {" ".join(item.texts[file].split("\n")[line - 1].split()) for item in found if file in item.texts}


@pytest.mark.parametrize("slip", SLIPS, ids=lambda slip: slip.what)
def test_the_mending_edit_is_among_those_tried(slip: Slip) -> None:
    assert slip.mended in rows(slip, slip.files, slip.printed)


#: Names of the programs above -> others as long, so that the marks of the traces still fit.
_OTHER = {
    "best": "peak",
    "kilos": "grams",
    "hives": "boxes",
    "hive": "crib",
    "kilo": "gram",
    "parts": "bits_",
    "names": "words",
}


@pytest.mark.parametrize("slip", SLIPS[::2], ids=lambda slip: slip.what)
def test_the_names_do_not_matter(slip: Slip) -> None:
    names = _OTHER.keys() - {name.split(".")[0] for name in slip.files}

    def renamed(text: str) -> str:
        return re.sub(r"\b(" + "|".join(names) + r")\b", lambda match: _OTHER[match[1]], text)

    files = {name: renamed(text) for name, text in slip.files.items()}
    assert renamed(slip.mended) in rows(slip, files, renamed(slip.printed))


UNWRAPPED = [
    ("high.py", "def high(shift, hours):\n    if shift:\n        late = hours + shift\n    return late\n\n\nprint(high(0, 3))\n",
     'Traceback (most recent call last):\n  File "high.py", line 7, in <module>\n    print(high(0, 3))\n  File "high.py", line 4, in high\n    return late\nUnboundLocalError: local variable \'late\' referenced before assignment\n',
     "def high(shift, hours):\n    late = hours + shift\n    return late\n\n\nprint(high(0, 3))\n"),
    ("high.R", "high <- function(shift, hours) {\n  if (shift != 0) {\n    late <- hours + shift\n  }\n  late\n}\nprint(high(0, 3))\n",
     "Error in high(0, 3) : object 'late' not found\nCalls: print -> high\nExecution halted\n",
     "high <- function(shift, hours) {\n  late <- hours + shift\n  late\n}\nprint(high(0, 3))\n"),
    ("high.js", "function high(shift, hours) {\n  let late;\n  if (shift) {\n    late = { at: hours + shift };\n  }\n  return late.at;\n}\nconsole.log(high(0, 3));\n",
     "/p/high.js:6\n  return late.at;\n              ^\n\nTypeError: Cannot read properties of undefined (reading 'at')\n    at high (/p/high.js:6:15)\n    at Object.<anonymous> (/p/high.js:8:13)\n\nNode.js v20.1.0\n",
     "function high(shift, hours) {\n  let late;\n  late = { at: hours + shift };\n  return late.at;\n}\nconsole.log(high(0, 3));\n"),
]  # fmt: skip


@pytest.mark.parametrize(("file", "text", "printed", "mended"), UNWRAPPED, ids=lambda item: item[:8])
def test_a_condition_is_taken_off(file: str, text: str, printed: str, mended: str) -> None:
    sources = Sources(texts={file: text})
    scene = Scene(diagnose(read(printed)[-1], sources), sources)
    assert mended in [item.texts.get(file) for item in candidates(scene, seconds=30.0)]


WITHIN = [
    (
        "heap.py",
        "kilos = [3, 2, 1]\nplace = 0\nwhile kilos[place + 1] < kilos[place]:\n    place += 1\nprint(place)\n",
        'Traceback (most recent call last):\n  File "heap.py", line 3, in <module>\n    while kilos[place + 1] < kilos[place]:\n'
        "IndexError: list index out of range\n",
        "while place + 1 < len(kilos) and kilos[place + 1] < kilos[place]:",
    ),
    (
        "heap.R",
        "kilos <- c(3, 2, 1)\nplace <- 1\nwhile (kilos[place + 1] < kilos[place]) {\n  place <- place + 1\n}\nprint(place)\n",
        "Error in while (kilos[place + 1] < kilos[place]) { : \n  missing value where TRUE/FALSE needed\nExecution halted\n",
        "while (place + 1 <= length(kilos) && kilos[place + 1] < kilos[place]) {",
    ),
    (
        "heap.lua",
        "local kilos = {3, 2, 1}\nlocal place = 1\nwhile kilos[place + 1] < kilos[place] do\n  place = place + 1\nend\nprint(place)\n",
        "lua5.4: heap.lua:3: attempt to compare nil with number\nstack traceback:\n\theap.lua:3: in main chunk\n\t[C]: in ?\n",
        "while place + 1 <= #kilos and kilos[place + 1] < kilos[place] do",
    ),
]


@pytest.mark.parametrize(("file", "text", "printed", "mended"), WITHIN, ids=lambda item: item[:8])
def test_a_condition_asks_first_whether_the_index_is_there(file: str, text: str, printed: str, mended: str) -> None:
    sources = Sources(texts={file: text})
    scene = Scene(diagnose(read(printed)[-1], sources), sources)
    found = [item.texts[file].split("\n")[2] for item in candidates(scene, seconds=30.0) if file in item.texts]
    assert mended in found


THROWN = """\
import java.io.IOException;
import java.nio.file.*;

class Hives {
    static String text(Path path) {
        return Files.readString(path);
    }

    static int count(Path path) {
        return text(path).split("\\n").length;
    }

    public static void main(String[] args) {
        System.out.println(count(Path.of("hives.csv")));
    }
}
"""


def test_heads_say_what_is_thrown_up_to_the_first() -> None:
    printed = (
        "Hives.java:6: error: unreported exception IOException; must be caught or declared to be thrown\n"
        "        return Files.readString(path);\n                               ^\n1 error\n"
    )
    sources = Sources(texts={"Hives.java": THROWN})
    scene = Scene(diagnose(read(printed)[-1], sources), sources)
    texts = [item.texts["Hives.java"] for item in candidates(scene, seconds=30.0)]
    wanted = THROWN
    for head in ("text(Path path)", "count(Path path)", "main(String[] args)"):
        wanted = wanted.replace(f"{head} {{", f"{head} throws IOException {{")
    assert wanted in texts
    assert THROWN.replace("text(Path path) {", "text(Path path) throws IOException {") in texts
    assert not any("throws IOException throws" in text for text in texts)
