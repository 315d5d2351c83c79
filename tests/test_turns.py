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
        {
            "main.js": """\
function heaviest(kilos) {
  let best = 0;
  for (let i = 0; i <= kilos.length; i++) {
    if (kilos[i].net > best) best = kilos[i].net;
  }
  return best;
}
console.log(heaviest([{ net: 3 }]));
"""
        },
        """\
/p/main.js:4
    if (kilos[i].net > best) best = kilos[i].net;
                 ^

TypeError: Cannot read properties of undefined (reading 'net')
    at heaviest (/p/main.js:4:18)
    at Object.<anonymous> (/p/main.js:8:13)

Node.js v20.1.0
""",
        ("main.js", 3),
        "for (let i = 0; i < kilos.length; i++) {",
    ),
    Slip(
        "a condition and what it rules on one line, Java",
        {
            "Hive.java": """\
class Hive {
    static int best(int[] kilos) {
        int best = 0;
        for (int kilo : kilos) if (kilo < best) best = kilo;
        return best;
    }
    public static void main(String[] args) {
        int[] counts = new int[3];
        System.out.println(counts[best(new int[] {1, 2, 9}) - 1]);
    }
}
"""
        },
        'Exception in thread "main" java.lang.ArrayIndexOutOfBoundsException: Index -1 out of bounds for length 3\n\tat Hive.main(Hive.java:9)\n',
        ("Hive.java", 4),
        "for (int kilo : kilos) if (kilo > best) best = kilo;",
    ),
    Slip(
        "a condition and what it rules on one line, Python",
        {
            "hive.py": """\
def best(kilos):
    top = 0
    for kilo in kilos:
        if kilo < top: top = kilo
    return top


print([4, 5][best([1, 2]) - 3])
"""
        },
        """\
Traceback (most recent call last):
  File "hive.py", line 8, in <module>
    print([4, 5][best([1, 2]) - 3])
IndexError: list index out of range
""",
        ("hive.py", 4),
        "if kilo > top: top = kilo",
    ),
    Slip(
        "a member that another file gives, Java",
        {
            "Main.java": """\
class Main {
    public static void main(String[] args) {
        Frame frame = new Frame("oak", 31);
        System.out.println(frame.getKilos());
    }
}
""",
            "Frame.java": "record Frame(String hive, int kilos) {}\n",
        },
        """\
Main.java:4: error: cannot find symbol
        System.out.println(frame.getKilos());
                                ^
  symbol:   method getKilos()
  location: variable frame of type Frame
1 error
""",
        ("Main.java", 4),
        "System.out.println(frame.kilos());",
    ),
    Slip(
        "a field asked for twice by a wrong name, Lua",
        {
            "main.lua": """\
local hives = require("hives")
print(hives.oak.top - hives.oak.low)
""",
            "hives.lua": "return { old_oak = { top = 3, low = 1 } }\n",
        },
        "lua: main.lua:2: attempt to index a nil value (field 'oak')\nstack traceback:\n\tmain.lua:2: in main chunk\n\t[C]: in ?\n",
        ("main.lua", 2),
        "print(hives.old_oak.top - hives.old_oak.low)",
    ),
    Slip(
        "a field that a struct has by another name, Octave",
        {
            "net.m": '1;\nfunction w = net (rec)\n  w = rec.gross_kg - rec.tare_kg;\nend\nprintf ("%g\\n", net (struct ("gross_kg", 4, "box_kg", 1)));\n'
        },
        """\
error: invalid use of undefined value
error: called from
    net at line 3 column 5
    net at line 5 column 1
""",
        ("net.m", 3),
        "w = rec.gross_kg - rec.box_kg;",
    ),
    Slip(
        "a column by another name, R",
        {
            "gain.R": """\
gain <- function(df) {
  df$actual - df$planned
}
hives <- data.frame(net_actual = 3, planned = 2)
hives$gain <- gain(hives)
"""
        },
        """\
Error in `$<-.data.frame`(`*tmp*`, gain, value = numeric(0)) :\x20
  replacement has 0 rows, data has 1
Calls: $<- -> $<-.data.frame
Execution halted
""",
        ("gain.R", 2),
        "df$net_actual - df$planned",
    ),
    Slip(
        "a choice that the message names, R",
        {
            "smooth.R": """\
smoothed <- function(x, how = c("mean", "median")) {
  how <- match.arg(how)
  how
}
how <- "medain"
print(smoothed(1, how))
"""
        },
        """\
Error in match.arg(how) : 'arg' should be one of “mean”, “median”
Calls: print -> smoothed -> match.arg
Execution halted
""",
        ("smooth.R", 5),
        'how <- "median"',
    ),
    Slip(
        "a power of each, Octave",
        {
            "fall.m": """\
fall = @(t) 9.81 / 2 * t ^ 2;
disp (fall ([1 2 3]));
"""
        },
        """\
error: for x^y, only square matrix arguments are permitted and one argument must be scalar.  Use .^ for elementwise power.
error: called from
    fall>@<anonymous> at line 1 column 25
    fall at line 2 column 1
""",
        ("fall.m", 1),
        "fall = @(t) 9.81 / 2 * t .^ 2;",
    ),
    Slip(
        "a sign that means more in a pattern, Java",
        {
            "Parts.java": """\
class Parts {
    public static void main(String[] args) {
        String[] parts = args[0].split(".");
        System.out.println(parts[0]);
    }
}
"""
        },
        'Exception in thread "main" java.lang.ArrayIndexOutOfBoundsException: Index 0 out of bounds for length 0\n\tat Parts.main(Parts.java:4)\n',
        ("Parts.java", 3),
        'String[] parts = args[0].split("\\\\.");',
    ),
    Slip(
        "a sign that means more in a pattern, R",
        {
            "parts.R": """\
parts <- strsplit("oak(3)", "(")
print(parts)
"""
        },
        """\
Error in strsplit("oak(3)", "(") :\x20
  invalid regular expression '(', reason 'Missing ')''
Execution halted
""",
        ("parts.R", 1),
        'parts <- strsplit("oak(3)", "[(]")',
    ),
    Slip(
        "the type of a variable, C++",
        {
            "main.cpp": """\
#include <algorithm>
int main() {
    int best = 0;
    const double kilos = 3.5;
    best = std::max(best, kilos);
    return best;
}
"""
        },
        """\
main.cpp: In function 'int main()':
main.cpp:5:20: error: no matching function for call to 'max(int&, const double&)'
    5 |     best = std::max(best, kilos);
      |            ~~~~~~~~^~~~~~~~~~~~~
""",
        ("main.cpp", 3),
        "double best = 0;",
    ),
    Slip(
        "braces for what a cell holds, Octave",
        {
            "show.m": '1;\nfunction show (name)\n  printf ("%s\\n", upper (name));\nend\nnames = {"oak", "elm"};\nshow (names(1));\n'
        },
        """\
error: printf: wrong type argument 'cell array'
error: called from
    show at line 3 column 3
    show at line 6 column 1
""",
        ("show.m", 6),
        "show (names{1});",
    ),
    Slip(
        "two texts taken from each other, Python",
        {
            "gain.py": """\
first, last = input().split()
print(last - first)
"""
        },
        """\
Traceback (most recent call last):
  File "gain.py", line 2, in <module>
    print(last - first)
TypeError: unsupported operand type(s) for -: 'str' and 'str'
""",
        ("gain.py", 2),
        "print(float(last) - float(first))",
    ),
]


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
    (
        "high.py",
        """\
def high(shift, hours):
    if shift:
        late = hours + shift
    return late


print(high(0, 3))
""",
        """\
Traceback (most recent call last):
  File "high.py", line 7, in <module>
    print(high(0, 3))
  File "high.py", line 4, in high
    return late
UnboundLocalError: local variable 'late' referenced before assignment
""",
        """\
def high(shift, hours):
    late = hours + shift
    return late


print(high(0, 3))
""",
    ),
    (
        "high.R",
        """\
high <- function(shift, hours) {
  if (shift != 0) {
    late <- hours + shift
  }
  late
}
print(high(0, 3))
""",
        """\
Error in high(0, 3) : object 'late' not found
Calls: print -> high
Execution halted
""",
        """\
high <- function(shift, hours) {
  late <- hours + shift
  late
}
print(high(0, 3))
""",
    ),
    (
        "high.js",
        """\
function high(shift, hours) {
  let late;
  if (shift) {
    late = { at: hours + shift };
  }
  return late.at;
}
console.log(high(0, 3));
""",
        """\
/p/high.js:6
  return late.at;
              ^

TypeError: Cannot read properties of undefined (reading 'at')
    at high (/p/high.js:6:15)
    at Object.<anonymous> (/p/high.js:8:13)

Node.js v20.1.0
""",
        """\
function high(shift, hours) {
  let late;
  late = { at: hours + shift };
  return late.at;
}
console.log(high(0, 3));
""",
    ),
]


@pytest.mark.parametrize(("file", "text", "printed", "mended"), UNWRAPPED, ids=lambda item: item[:8])
def test_a_condition_is_taken_off(file: str, text: str, printed: str, mended: str) -> None:
    sources = Sources(texts={file: text})
    scene = Scene(diagnose(read(printed)[-1], sources), sources)
    assert mended in [item.texts.get(file) for item in candidates(scene, seconds=30.0)]
