"""What a reading says of a failure is true of it: real programs of every runtime, and the words that must and must not stand there."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.text import splice
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

#: Name -> file, text, kind, what the meaning says, what it does not, what the first key writes (if the reading has one).
READINGS: dict[str, tuple[str, str, str, str, str, str]] = {
    "c, a signal": (
        "yard.c",
        '#include <stdio.h>\n\nint main(void)\n{\n    int box[3] = {1, 2, 3};\n    printf("%d\\n", box[1] / (box[0] - 1));\n    return 0;\n}\n',
        "bad-arithmetic",
        "`box[0] - 1` is zero",
        "printf",
        "",
    ),
    "c, a signal in a function": (
        "yard.c",
        "#include <stdio.h>\n\nstatic int share(int kilos, int hives)\n{\n    return kilos % hives;\n}\n\nint main(void)\n{\n"
        '    printf("%d\\n", share(31, 0));\n    return 0;\n}\n',
        "bad-arithmetic",
        "`hives` is zero",
        "printf",
        "",
    ),
    "c++, a name of the library": (
        "yard.cpp",
        "#include <iostream>\n\nint main() {\n    cout << 3 << std::endl;\n}\n",
        "unknown-name",
        "`cout`",
        "",
        "std::cout",
    ),
    "c++, a key": (
        "yard.cpp",
        "#include <iostream>\n#include <map>\n#include <string>\n\nint main() {\n    std::map<std::string, int> kilos;\n"
        '    std::cout << kilos.at("oak");\n}\n',
        "no-such-key",
        "is not there",
        "map::at",
        "",
    ),
    "java, a cast": (
        "Yard.java",
        "import java.util.*;\n\npublic class Yard {\n    public static void main(String[] words) {\n        Object box = new ArrayList<Integer>();\n"
        "        String text = (String) box;\n        System.out.println(text);\n    }\n}\n",
        "wrong-type",
        "`java.util.ArrayList` stands where a `java.lang.String` is wanted",
        "a way that",
        "",
    ),
    "java, past the end": (
        "Yard.java",
        'public class Yard {\n    public static void main(String[] words) {\n        String[] names = {"oak", "elm"};\n'
        "        for (int i = 0; i <= names.length; i++) System.out.println(names[i]);\n    }\n}\n",
        "index-out-of-range",
        "`i` (2)",
        "",
        "i < names.length",
    ),
    "java, a small letter": (
        "Yard.java",
        "public class Yard {\n    public static void main(String[] words) {\n        system.out.println(3);\n    }\n}\n",
        "no-such-module",
        "`system`",
        "pip",
        "System",
    ),
    "lua, what a loop goes over": (
        "yard.lua",
        "for place, name in {'oak', 'elm'} do print(place, name) end\n",
        "not-callable",
        "`table` is called",
        "`print`",
        "",
    ),
    "lua, a member that is misspelt": (
        "yard.lua",
        "local text = string.fromat('%d', 3)\nprint(text)\n",
        "missing-value",
        "`string.fromat` is nil",
        "`string` is nil",
        "",
    ),
    "lua, an owner that is not there": (
        "yard.lua",
        "local box = {}\nprint(box.deep.frames)\n",
        "missing-value",
        "`box.deep` is nil",
        "`box` is nil",
        "",
    ),
    "octave, another type is wanted": (
        "yard.m",
        "made = str2func (3);\n",
        "wrong-type",
        "`string` is wanted",
        "does not allow",
        "",
    ),
    "octave, places from 1": (
        "yard.m",
        "kilos = [1 2 3];\ndisp (kilos(0))\n",
        "bad-index",
        "`0` stands in the brackets, but it is no place",
        "what stands",
        "",
    ),
    "octave, a block that nobody ends": (
        "yard.m",
        "kilos = 5;\nif kilos > 3\n  disp ('heavy')\n",
        "broken-syntax",
        "end",
        "ifkilos",
        "end",
    ),
    "r, a text and a number": (
        "yard.R",
        "kilos <- '3'\nprint(kilos + 1)\n",
        "wrong-type",
        "`+` stands between `kilos`, a `character`, and `1`",
        "something else",
        "",
    ),
    "javascript, a member of the language": (
        "yard.js",
        "const names = ['oak'];\nnames.foreach((name) => console.log(name));\n",
        "not-callable",
        "`names.foreach` is not a function",
        "",
        "forEach",
    ),
    "c++, a member that is private": (
        "yard.cpp",
        "class Hive {\n    int kilos;\n};\n\nint main() {\n    Hive oak;\n    oak.kilos = 3;\n    return oak.kilos;\n}\n",
        "no-such-member",
        "`kilos` is there, and cannot be reached",
        "nothing called",
        "",
    ),
    "java, a file of another name": (
        "Yard.java",
        "public class Hive {\n    public static void main(String[] words) {\n        System.out.println(3);\n    }\n}\n",
        "file-access",
        "`Hive.java` is not there, or not what it should be",
        "refused",
        "",
    ),
    "java, a constant": (
        "Yard.java",
        "public class Yard {\n    public static void main(String[] words) {\n        final int kilos = 3;\n        kilos = 4;\n"
        "        System.out.println(kilos);\n    }\n}\n",
        "fixed-value",
        "`kilos` is fixed",
        "the value",
        "",
    ),
    "java, nothing next": (
        "Yard.java",
        "import java.util.*;\n\npublic class Yard {\n    public static void main(String[] words) {\n"
        "        System.out.println(new ArrayList<Integer>().iterator().next());\n    }\n}\n",
        "wrong-order",
        "at a moment when it cannot work.",
        '""',
        "",
    ),
    "java, too large": (
        "Yard.java",
        "public class Yard {\n    public static void main(String[] words) {\n        long kilos = 3000000000;\n"
        "        System.out.println(kilos);\n    }\n}\n",
        "bad-arithmetic",
        "outside of what the calculation can work on",
        "println",
        "",
    ),
    "lua, two texts added": (
        "yard.lua",
        "print('3' + 'oak')\n",
        "wrong-type",
        "`+` stands between a `string` and a `string`",
        "`add`",
        "",
    ),
    "lua, a bound that is a text": (
        "yard.lua",
        "for i = 1, 'oak' do print(i) end\n",
        "wrong-type",
        "`number` is wanted",
        "library",
        "",
    ),
    "lua, a check of one's own": (
        "yard.lua",
        "local box = setmetatable({}, {__index = function(_, key) error('no ' .. key) end})\nprint(box.oak)\n",
        "raised-on-purpose",
        "A check in the code",
        "library",
        "",
    ),
    "javascript, digits": (
        "yard.js",
        "console.log((3).toFixed(200));\n",
        "bad-arithmetic",
        "`200` is outside of what `toFixed` can work on",
        "`log`",
        "",
    ),
    "r, nothing to put in": (
        "yard.R",
        "yard <- data.frame(kilos = 1:3)\nyard[5, ] <- NULL\n",
        "missing-value",
        "is not there",
        "by name",
        "",
    ),
    "c, two divisions": (
        "yard.c",
        "#include <stdio.h>\n\nint main(int count, char **words)\n{\n    int kilos = 31, hives = count - 1;\n"
        '    printf("%d\\n", kilos / 2 + kilos / hives);\n    return words[0] == NULL;\n}\n',
        "bad-arithmetic",
        "`hives` is zero",
        "`2`",
        "",
    ),
    "octave, a place before the first": (
        "yard.m",
        "kilos = [1 2 3];\ndisp (kilos(-1))\n",
        "bad-index",
        "no place",
        "whole number",
        "",
    ),
    "python, nested calls": (
        "yard.py",
        "import math\n\nkilos = -4\nprint(math.sqrt(kilos))\n",
        "bad-arithmetic",
        "outside of what",
        "`print`",
        "",
    ),
    "python, a key that is told": ("yard.py", "kilos = {'oak': 3}\nprint(kilos['elm'])\n", "no-such-key", "`'elm'`", "", ""),
}


@pytest.mark.spread(4)
@pytest.mark.parametrize("name", READINGS)
def test_the_reading_is_true(name: str, project: Project) -> None:
    file, text, kind, said, denied, written = READINGS[name]
    folder = project({file: text})
    jamkey("run", "--no-keep", "--save", "out.json", file, cwd=folder)
    jam = parse((folder / "out.json").read_bytes()).jams[-1]
    assert jam.kind == kind
    assert said in jam.meaning
    assert not denied or denied not in jam.meaning
    if written:
        first = next(key for key in jam.keys if key.edits)
        assert splice(text, list(first.edits)).count(written) > text.count(written)
