"""Programs that the compiler takes apart from how they are put together: headers, what is linked, what Java wants declared."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import pytest

from jamkey.follow.linked import library_of
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]

MAIN = '#include <stdio.h>\ndouble weigh(int hives);\nint main(void)\n{\n    printf("%.1f\\n", weigh(3));\n    return 0;\n}\n'
WEIGH = "double weigh(int hives)\n{\n    return hives * 12.5;\n}\n"
POWER = '#include <math.h>\n#include <stdio.h>\nint main(int argc, char **argv)\n{\n    printf("%.0f\\n", pow(argc + 1, 3));\n    return argv == NULL;\n}\n'
COUNTER = {
    "main.c": '#include <stdio.h>\n#include "gate.h"\nint main(void)\n{\n    let_in(3);\n    printf("%d\\n", visitors);\n    return 0;\n}\n',
    "gate.c": '#include "gate.h"\n\nvoid let_in(int people)\n{\n    visitors += people;\n}\n',
}
JAVA = "import java.util.*;\n\npublic class Main {\n"
#: name -> (command, files, what is mended: (file, text in it), what is printed then)
PROGRAMS: dict[str, tuple[str, dict[str, str], tuple[str, str], str]] = {
    "a source is not linked": (
        "make -s && ./prog",
        {"main.c": MAIN, "weigh.c": WEIGH, "Makefile": "prog: main.c\n\t$(CC) -o prog main.c\n"},
        ("Makefile", "$(CC) -o prog main.c weigh.c\n"),
        "37.5",
    ),
    "an object is not linked": (
        "make -s && ./prog",
        {"main.c": MAIN, "weigh.c": WEIGH, "Makefile": "prog: main.o\n\t$(CC) -o prog main.o\n"},
        ("Makefile", "prog: main.o weigh.o\n\t$(CC) -o prog main.o weigh.o\n"),
        "37.5",
    ),
    "a script links": (
        "sh build.sh && ./prog",
        {"main.c": MAIN, "weigh.c": WEIGH, "build.sh": "set -e\ngcc -o prog main.c\n"},
        ("build.sh", "gcc -o prog main.c weigh.c\n"),
        "37.5",
    ),
    "a library is not linked": (
        "make -s && ./prog",
        {"main.c": POWER, "Makefile": "LDLIBS =\nprog: main.c\n\t$(CC) -o prog main.c $(LDLIBS)\n"},
        ("Makefile", "LDLIBS = -lm\n"),
        "8",
    ),
    "a library, in the line itself": (
        "make -s && ./prog",
        {"main.c": POWER, "Makefile": "prog: main.c\n\tgcc -o prog main.c\n"},
        ("Makefile", "gcc -o prog main.c -lm\n"),
        "8",
    ),
    "defined in a header": (
        "gcc -o prog main.c gate.c && ./prog",
        {**COUNTER, "gate.h": "#ifndef GATE_H\n#define GATE_H\nint visitors = 0;\nvoid let_in(int people);\n#endif\n"},
        ("gate.h", "extern int visitors;\n"),
        "3",
    ),
    "a function in a header": (
        "gcc -o prog main.c gate.c && ./prog",
        {
            "main.c": '#include <stdio.h>\n#include "gate.h"\nint more(void);\nint main(void)\n{\n    printf("%d\\n", twice(more()));\n    return 0;\n}\n',
            "gate.c": '#include "gate.h"\nint more(void)\n{\n    return twice(2);\n}\n',
            "gate.h": "#pragma once\nint twice(int bees)\n{\n    return 2 * bees;\n}\n",
        },
        ("gate.h", " int twice(int bees)"),
        "8",
    ),
    "a header is read twice": (
        "gcc -o prog main.c && ./prog",
        {
            "hive.h": "struct hive {\n    double kilos;\n};\n",
            "yard.h": '#include "hive.h"\nstruct yard {\n    struct hive oak;\n};\n',
            "main.c": '#include <stdio.h>\n#include "hive.h"\n#include "yard.h"\nint main(void)\n{\n    struct yard north = {{3.5}};\n'
            '    printf("%.1f\\n", north.oak.kilos);\n    return 0;\n}\n',
        },
        ("hive.h", "#ifndef HIVE_H\n#define HIVE_H\n"),
        "3.5",
    ),
    "a type that does not say what it holds": (
        "javac Main.java && java Main",
        {
            "Main.java": JAVA
            + "    static int total(List rows) {\n        int sum = 0;\n        for (Integer kilos : rows) sum += kilos;\n"
            "        return sum;\n    }\n\n    public static void main(String[] args) {\n        List<Integer> rows = List.of(3, 4);\n"
            "        System.out.println(total(rows));\n    }\n}\n"
        },
        ("Main.java", "total(List<Integer> rows)"),
        "7",
    ),
    "thrown where nothing may be": (
        "javac Main.java && java Main",
        {
            "Main.java": JAVA
            + "    static int read(String text) throws Exception {\n        return Integer.parseInt(text);\n    }\n\n"
            '    public static void main(String[] args) {\n        System.out.println(List.of("3", "4").stream().mapToInt(text -> read(text)).sum());\n    }\n}\n'
        },
        ("Main.java", "throw new RuntimeException(e);"),
        "7",
    ),
    "nothing given back at the end": (
        "javac Main.java && java Main",
        {
            "Main.java": JAVA
            + '    static String size(int kilos) {\n        if (kilos > 30) {\n            return "large";\n        }\n    }\n\n'
            "    public static void main(String[] args) {\n        System.out.println(size(31));\n    }\n}\n"
        },
        ("Main.java", "        }\n        return "),
        "large",
    ),
}


@pytest.mark.parametrize("name", PROGRAMS)
def test_it_is_put_together(name: str, project: Project) -> None:
    command, files, (file, text), printed = PROGRAMS[name]
    folder = project(files)
    done = jamkey("fix", "--yes", "--no-keep", "--", "sh", "-c", command, cwd=folder)
    assert done.status == 0, done.out + done.err
    assert text in (folder / file).read_text(encoding="utf-8")
    assert jamkey("run", "--", "sh", "-c", command, cwd=folder).out.strip() == printed


def read_of(folder: Path, command: str) -> dict[str, Any]:
    jamkey("run", "--no-keep", "--save", "out.json", "--", "sh", "-c", command, cwd=folder)
    (jam,) = json.loads((folder / "out.json").read_text(encoding="utf-8"))["jams"]
    return dict(jam)


def test_what_is_said_where_no_file_says_what_is_linked(project: Project) -> None:
    jam = read_of(project({"main.c": MAIN, "weigh.c": WEIGH}), "gcc -o prog main.c && ./prog")
    assert "`weigh` is defined in weigh.c, which the linker does not seem to be given" in jam["meaning"]
    assert not any(key["id"] == "link" for key in jam["keys"])


def test_what_is_said_where_nobody_defines_it(project: Project) -> None:
    jam = read_of(project({"main.c": MAIN}), "gcc -o prog main.c && ./prog")
    assert jam["meaning"] == "`weigh` is used on this line, and none of the files that are put together defines it."


def test_what_is_said_of_a_second_definition(project: Project) -> None:
    jam = read_of(project({"main.c": "int kilos = 3;\nint kilos = 4;\nint main(void) { return 0; }\n"}), "gcc -o prog main.c")
    assert jam["meaning"] == "`kilos` is defined here once more: it is defined already, and may be only once."
    assert jam["kind"] == "wrong-order"


def test_the_library_of_a_name() -> None:
    assert library_of("pow") == "m"
    assert library_of("no_library_gives_this") == ""
