"""Clues: the place that the project's text gives away, for programs of our apiary in several languages."""

from __future__ import annotations

from pathlib import Path

import pytest

from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.pipeline import diagnose, read

#: Clue -> (files, what was printed, root's file and line).
CASES: dict[str, tuple[dict[str, str], str, tuple[str, int]]] = {
    "a key in another case": (
        {
            "hives.lua": ("return {\n  Linden = 41.2,\n  Acacia = 39.8,\n}\n"),
            "main.lua": ('local hives = require("hives")\nprint(hives.linden + 1)\n'),
        },
        (
            "lua5.4: main.lua:2: attempt to perform arithmetic on a nil value (field 'linden')\n"
            "stack traceback:\n"
            "\tmain.lua:2: in main chunk\n"
            "\t[C]: in ?\n"
        ),
        ("hives.lua", 2),
    ),
    "a value the message names": (
        {
            "scale.js": (
                "const most = 60;\n"
                "function check(kilos) {\n"
                "  if (kilos > most) {\n"
                "    throw new Error(`a hive of ${kilos} kilos is too heavy`);\n"
                "  }\n"
                "}\n"
                "check(31);\n"
                "check(312);\n"
            )
        },
        (
            "scale.js:4\n"
            "    throw new Error(`a hive of ${kilos} kilos is too heavy`);\n"
            "    ^\n"
            "\n"
            "Error: a hive of 312 kilos is too heavy\n"
            "    at check (/p/scale.js:4:11)\n"
            "    at Object.<anonymous> (/p/scale.js:8:1)\n"
            "\n"
            "Node.js v20.1.0\n"
        ),
        ("scale.js", 8),
    ),
    "a value that is dropped": (
        {
            "sum.lua": (
                "local function total(list)\n"
                "  local sum = 0\n"
                "  for _, v in ipairs(list) do\n"
                "    sum = sum + v\n"
                "  end\n"
                "  print(#list)\n"
                "end\n"
                "local t = total({ 1, 2 })\n"
                "print(t + 1)\n"
            )
        },
        (
            "lua5.4: sum.lua:9: attempt to perform arithmetic on a nil value (local 't')\n"
            "stack traceback:\n"
            "\tsum.lua:9: in main chunk\n"
            "\t[C]: in ?\n"
        ),
        ("sum.lua", 6),
    ),
    "a file of another name": (
        {
            "read.js": ("const fs = require('fs');\nconst text = fs.readFileSync('weight.csv', 'utf8');\nconsole.log(text);\n"),
            "weights.csv": ("hive,kilos\n"),
        },
        (
            "node:fs:573\n"
            "  return binding.open(\n"
            "                 ^\n"
            "\n"
            "Error: ENOENT: no such file or directory, open 'weight.csv'\n"
            "    at Object.openSync (node:fs:573:18)\n"
            "    at Object.<anonymous> (/p/read.js:2:17) {\n"
            "  errno: -2,\n"
            "  code: 'ENOENT'\n"
            "}\n"
            "\n"
            "Node.js v20.1.0\n"
        ),
        ("read.js", 2),
    ),
    "a loop to the size itself": (
        {
            "Sum.java": (
                "public class Sum {\n"
                "    public static void main(String[] args) {\n"
                "        int[] w = {3, 4};\n"
                "        int s = 0;\n"
                "        for (int i = 0; i <= w.length; i++) {\n"
                "            s += w[i];\n"
                "        }\n"
                "    }\n"
                "}\n"
            )
        },
        (
            'Exception in thread "main" java.lang.ArrayIndexOutOfBoundsException: Index 2 out of bounds for length 2\n'
            "\tat Sum.main(Sum.java:6)\n"
        ),
        ("Sum.java", 5),
    ),
    "a list that is one short": (
        {"pairs.R": ('hives <- c("linden", "acacia", "willow")\nkilos <- c(41.2, 39.8)\nprint(data.frame(hives, kilos))\n')},
        (
            "Error in data.frame(hives, kilos) : \n"
            "  arguments imply differing number of rows: 3, 2\n"
            "Calls: print -> data.frame\n"
            "Execution halted\n"
        ),
        ("pairs.R", 2),
    ),
    "a column of another name": (
        {
            "w.csv": ("hive,weight_kg\nlinden,41.2\n"),
            "w.R": ('w <- read.csv("w.csv")\nif (w$weight > 40) {\n  print("heavy")\n}\n'),
        },
        ("Error in if (w$weight > 40) { : argument is of length zero\nExecution halted\n"),
        ("w.R", 2),
    ),
    "nothing handed over": (
        {
            "Hive.java": (
                "public class Hive {\n"
                "    final String name;\n"
                "    Hive(String name) {\n"
                "        this.name = name;\n"
                "    }\n"
                "    int length() {\n"
                "        return name.length();\n"
                "    }\n"
                "    public static void main(String[] args) {\n"
                "        System.out.println(new Hive(null).length());\n"
                "    }\n"
                "}\n"
            )
        },
        (
            'Exception in thread "main" java.lang.NullPointerException: Cannot invoke "String.length()" because "this.name" is null\n'
            "\tat Hive.length(Hive.java:7)\n"
            "\tat Hive.main(Hive.java:10)\n"
        ),
        ("Hive.java", 10),
    ),
    "a test that never ends the calls": (
        {
            "days.lua": (
                "local function days(n)\n  if n == 0.5 then return 0 end\n  return 1 + days(n - 1)\nend\nprint(days(4))\n"
            )
        },
        (
            "lua5.4: days.lua:3: stack overflow (message truncated)\n"
            "stack traceback:\n"
            "\tdays.lua:3: in upvalue 'days'\n"
            "\tdays.lua:3: in upvalue 'days'\n"
            "\t...\t(skipping 9 levels)\n"
            "\tdays.lua:5: in main chunk\n"
            "\t[C]: in ?\n"
        ),
        ("days.lua", 2),
    ),
}


def jam_of(files: dict[str, str], text: str) -> Jam:
    sources = Sources(None, files)
    return diagnose(read(text)[-1], sources)


@pytest.mark.parametrize("name", list(CASES))
def test_the_place_is_given_away(name: str) -> None:
    files, text, place = CASES[name]
    jam = jam_of(files, text)
    assert place in [(root.file, root.line) for root in jam.roots[:3]], [
        (root.file, root.line, root.reason) for root in jam.roots
    ]


def test_words_of_prose_are_no_twins() -> None:
    files = {"a.lua": 'local price = 3\nprint("prize:")\nprint(price + pricy)\n'}
    jam = jam_of(
        files,
        "lua5.4: a.lua:3: attempt to perform arithmetic on a nil value (global 'pricy')\nstack traceback:\n\ta.lua:3: in main chunk\n\t[C]: in ?\n",
    )
    assert [key for key in jam.keys if any(edit.new_text == "price" for edit in key.edits)]
    assert [root.line for root in jam.roots[:1]] != [2]


def test_a_comment_is_no_place(tmp_path: Path) -> None:
    files = {"a.lua": "-- wieght in kilos\nlocal weight = 3\nlocal hive = {}\nprint(hive.weight + 1)\n"}
    jam = jam_of(
        files,
        "lua5.4: a.lua:4: attempt to perform arithmetic on a nil value (field 'weight')\nstack traceback:\n\ta.lua:4: in main chunk\n\t[C]: in ?\n",
    )
    assert not [root for root in jam.roots if root.line == 1]


def test_an_argument_that_is_not_handed_over() -> None:
    files = {"g.lua": "local limit = 40\nlocal function over(kilos, most)\n  return kilos - most\nend\nprint(over(41))\n"}
    text = "lua5.4: g.lua:3: attempt to perform arithmetic on a nil value (local 'most')\nstack traceback:\n\tg.lua:3: in local 'over'\n\tg.lua:5: in main chunk\n\t[C]: in ?\n"
    jam = jam_of(files, text)
    assert ("g.lua", 5) in [(root.file, root.line) for root in jam.roots[:2]]


def test_a_module_that_does_not_parse_is_the_place() -> None:
    files = {
        "main.lua": 'local scale = require("scale")\nprint(scale)\n',
        "scale.lua": "local M = {}\nfunction M.weigh(hive\n  return hive\nend\nreturn M\n",
    }
    text = (
        "lua5.4: error loading module 'scale' from file './scale.lua':\n\t./scale.lua:3: ')' expected near 'return'\nstack traceback:\n\t[C]: in ?\n"
        "\t[C]: in function 'require'\n\tmain.lua:1: in main chunk\n\t[C]: in ?\n"
    )
    jam = jam_of(files, text)
    frame = jam.snag_frame
    assert frame is not None
    assert (frame.file, frame.line, jam.phase, jam.kind) == ("scale.lua", 3, "compile", "broken-syntax")
    assert (jam.roots[0].file, jam.roots[0].line) == ("scale.lua", 2)
