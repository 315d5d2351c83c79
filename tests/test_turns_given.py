"""Turns that give a value, ask first, look up otherwise, or write as others are written: the mending edit is there and mends.

Every program is run for real as it is, with other names and further down; the edit is looked for among all that is proposed,
put in, and the program run again.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.follow.rebuilt import built, rebuilt
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.observe.target import command_target
from jamkey.runs.fix_loop import main_jam, run_captured
from jamkey.search.candidates import candidates
from tests.test_turns_elsewhere import JAVA, LUA, NODE, PYTHON, Slip, _ran, variant

Project = Callable[[Mapping[str, str | bytes]], Path]
R = ("Rscript",)
#: Words of the programs -> other ones, to see that no turn goes by a name.
_OTHER = {
    "hive": "barrel",
    "kilos": "litres",
    "notes": "marks",
    "oak": "rum",
    "weigh": "measure",
    "names": "labels",
    "tree": "branch",
}

SLIPS = [
    Slip(
        "a field that is only declared, Java",
        "Main.java",
        JAVA,
        """\
import java.util.*;

public class Main {
    private List<String> notes;

    void add(String text) {
        notes.add(text);
    }

    public static void main(String[] words) {
        Main hive = new Main();
        hive.add("oak");
        System.out.println(hive.notes.size());
    }
}
""",
        4,
        "    private List<String> notes = new ArrayList<>();",
    ),
    Slip(
        "a member that the constructor never sets, JavaScript",
        "main.js",
        NODE,
        """\
class Hive {
  constructor(kilos) {
    this.kilos = kilos;
  }
  weigh(more) {
    this.notes.push(more);
    return this.notes.length;
  }
}
console.log(new Hive(3).weigh(2));
""",
        3,
        "    this.kilos = kilos;\n    this.notes = [];",
    ),
    Slip(
        "a record that lacks a key, Lua",
        "main.lua",
        LUA,
        """\
local Hive = {}
Hive.__index = Hive
function Hive.new(kilos)
  return setmetatable({ kilos = kilos }, Hive)
end
function Hive:weigh(more)
  self.notes[#self.notes + 1] = more
  return #self.notes
end
print(Hive.new(3):weigh(2))
""",
        4,
        "  return setmetatable({ kilos = kilos, notes = {} }, Hive)",
    ),
    Slip(
        "nothing where an object is meant, Java",
        "Main.java",
        JAVA,
        """\
public class Main {
    int kilos = 0;

    void weigh(int more) {
        kilos += more;
    }

    public static void main(String[] words) {
        Main hive = null;
        hive.weigh(3);
        System.out.println(hive.kilos);
    }
}
""",
        9,
        "        Main hive = new Main();",
    ),
    Slip(
        "sizes in each other's place, Java",
        "Main.java",
        JAVA,
        """\
public class Main {
    public static void main(String[] words) {
        int[][] kilos = new int[2][3];
        for (int x = 0; x < 3; x++) {
            for (int y = 0; y < 2; y++) {
                kilos[x][y] = x * y;
            }
        }
        System.out.println(kilos[2][1]);
    }
}
""",
        3,
        "        int[][] kilos = new int[3][2];",
    ),
    Slip(
        "a row where a column is meant, R",
        "main.R",
        R,
        """\
kilos <- matrix(c(3, 9, 4, 7, 5, 8), nrow = 2)
most <- numeric(0)
for (j in 1:3) most <- c(most, max(kilos[j, ]))
print(most)
""",
        3,
        "for (j in 1:3) most <- c(most, max(kilos[, j]))",
    ),
    Slip(
        "a part of nothing for one of many, Python",
        "main.py",
        PYTHON,
        """\
def shares(kilos):
    return [12 / kilo for kilo in kilos]


print(shares([3, 0, 4]))
""",
        2,
        "    return [12 / kilo for kilo in kilos if kilo]",
    ),
    Slip(
        "a condition about what is not there, JavaScript",
        "main.js",
        NODE,
        """\
const hives = [{ next: { kilos: 3 } }, {}];
for (const hive of hives) {
  if (hive.next.kilos > 2) {
    console.log("heavy");
  }
}
""",
        3,
        "  if (hive.next && hive.next.kilos > 2) {",
    ),
    Slip(
        "a call on what ends, Java",
        "Main.java",
        JAVA,
        """\
public class Main {
    int kilos;
    Main next;

    static int sum(Main hive) {
        return hive.kilos + sum(hive.next);
    }

    public static void main(String[] words) {
        Main hive = new Main();
        hive.kilos = 4;
        System.out.println(sum(hive));
    }
}
""",
        6,
        "        if (hive == null) return 0;\n        return hive.kilos + sum(hive.next);",
    ),
    Slip(
        "a map that is asked like an object, JavaScript",
        "main.js",
        NODE,
        """\
const kilos = new Map([["oak", { all: 3 }]]);
console.log(kilos["oak"].all);
""",
        2,
        'console.log(kilos.get("oak").all);',
    ),
    Slip(
        "a member of what may not be there, JavaScript",
        "main.js",
        NODE,
        """\
const hives = [{ at: { town: "oak" } }, {}];
console.log(hives.map((hive) => hive.at.town).length);
""",
        2,
        "console.log(hives.map((hive) => hive.at?.town).length);",
    ),
    Slip(
        "a count that is asked by a call, Java",
        "Main.java",
        JAVA,
        """\
import java.util.*;

public class Main {
    public static void main(String[] words) {
        List<String> names = List.of("oak", "elm");
        for (int i = 0; i < names.length; i++) {
            System.out.println(names.get(i));
        }
    }
}
""",
        6,
        "        for (int i = 0; i < names.size(); i++) {",
    ),
    Slip(
        "a value that is final, Java",
        "Main.java",
        JAVA,
        """\
public class Main {
    public static void main(String[] words) {
        final int kilos = 3;
        kilos += 4;
        System.out.println(kilos);
    }
}
""",
        3,
        "        int kilos = 3;",
    ),
    Slip(
        "a method handed on without its object, JavaScript",
        "main.js",
        NODE,
        """\
class Hive {
  constructor() {
    this.kilos = 0;
  }
  weigh(more) {
    this.kilos += more;
  }
}
const hive = new Hive();
[3, 4].forEach(hive.weigh);
console.log(hive.kilos);
""",
        10,
        "[3, 4].forEach(hive.weigh.bind(hive));",
    ),
    Slip(
        "a method asked without its object, Lua",
        "main.lua",
        LUA,
        """\
local hive = { kilos = 3 }
function hive:weigh(more)
  self.kilos = self.kilos + more
  return self.kilos
end
print(hive.weigh(4))
""",
        6,
        "print(hive:weigh(4))",
    ),
    Slip(
        "a place that begins anew, Python",
        "main.py",
        PYTHON,
        """\
names = ["oak", "elm", "ash"]
for start in (1, 2):
    print(names[start + 1])
""",
        3,
        "    print(names[(start + 1) % len(names)])",
    ),
    Slip(
        "a method of another name than its class asks for, Python",
        "main.py",
        PYTHON,
        """\
from abc import ABC, abstractmethod


class Scale(ABC):
    @abstractmethod
    def weigh(self):
        ...


class Hive(Scale):
    def wiegh(self):
        return 4


print(Hive().weigh())
""",
        11,
        "    def weigh(self):",
    ),
    Slip(
        "a file that is only read, Python",
        "main.py",
        PYTHON,
        """\
with open("main.txt", "w") as made:
    made.write("oak")
with open("main.txt") as more:
    more.write("elm")
print("kept")
""",
        3,
        'with open("main.txt", "a") as more:',
    ),
    Slip(
        "a text unlike those beside it, Python",
        "main.py",
        PYTHON,
        """\
notes = ["3 kg", "250 g", "80g"]
for note in notes:
    amount, unit = note.split()
    print(amount, unit)
""",
        1,
        'notes = ["3 kg", "250 g", "80 g"]',
    ),
    Slip(
        "a piece of a text unlike the others, Java",
        "Main.java",
        JAVA,
        """\
public class Main {
    public static void main(String[] words) {
        double sum = 0;
        for (String kilos : "3.5;4,25;2.0".split(";")) {
            sum += Double.parseDouble(kilos);
        }
        System.out.println(sum);
    }
}
""",
        4,
        '        for (String kilos : "3.5;4.25;2.0".split(";")) {',
    ),
]


@pytest.mark.spread(8)
@pytest.mark.parametrize("changed", ["as written", "renamed", "further down"])
@pytest.mark.parametrize("slip", SLIPS, ids=lambda slip: slip.what)
def test_the_mending_edit_is_proposed_and_mends(slip: Slip, changed: str, project: Project) -> None:
    text, mended = variant(slip, changed, _OTHER)
    folder = project({slip.file: text})
    target = command_target([*slip.command, str(folder / slip.file)])
    ran = run_captured(target, folder, stdin=b"", limit=30.0)
    jam = main_jam(ran)
    assert ran.status and jam is not None
    found = [item.texts.get(slip.file) for item in candidates(Scene(jam, Sources(folder)), seconds=60.0)]
    assert mended in found
    (folder / slip.file).write_text(mended, encoding="utf-8")
    right = _ran(slip, folder)
    assert (right.returncode, right.stderr) == (0, "")
    assert right.stdout.strip()


#: what -> (records, the odd one's place, how it is to be written)
RECORDS = {
    "a letter that looks like a digit": (["oak,31.5", "lime,28.0", "ash,3O.2"], 2, "ash,30.2"),
    "a unit": (["oak;31", "lime;28 kg", "ash;30"], 1, "lime;28"),
    "a sign of money": (["oak,3", "lime,EUR 4", "ash,5"], 1, "lime,4"),
    "a decimal comma": (["oak;8.5", "lime;9,5", "ash;7.0"], 1, "lime;9.5"),
    "a blank for a tab": (["oak\t3", "lime 4", "ash\t5"], 1, "lime\t4"),
    "another sign throughout": (["04.05.2031", "31/05/2031", "02.06.2031"], 1, "31.05.2031"),
    "below the names of columns": (["hive,kilos", "oak,3", "lime,4O", "ash,5"], 2, "lime,40"),
}


@pytest.mark.parametrize("what", RECORDS)
def test_an_odd_record_is_written_as_the_others(what: str) -> None:
    rows, place, wanted = RECORDS[what]
    made = [text for text, _ in rebuilt(rows[place], rows)]
    assert wanted in made
    # what most are like stays as it is
    assert not list(rebuilt(rows[place - 1], rows))


def test_nothing_is_rebuilt_where_every_record_is_another() -> None:
    rows = ["oak: 3", "4; lime", "ash"]
    assert [list(rebuilt(row, rows)) for row in rows] == [[], [], []]
    assert built("oak\t3") != built("oak 3")
    assert built("oak  3") == built("oak 3")
