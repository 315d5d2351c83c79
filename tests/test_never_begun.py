"""What a compiler refuses never began: nothing can be printed there, no value was the reason, and what is said is in its words."""

from __future__ import annotations

import subprocess
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.pipeline import read_and_diagnose

Project = Callable[[Mapping[str, str | bytes]], Path]

MAIN = "public class Main {\n    public static void main(String[] given) {\n%s    }\n}\n"
#: What javac refuses: (text, kind, words of the meaning).
JAVA = {
    "operands": (
        MAIN % "        boolean ripe = true;\n        int kilos = 2;\n        System.out.println(ripe + kilos);\n",
        "wrong-type",
        "`+` stands between a `boolean` and an `int`",
    ),
    "compared": (
        MAIN % '        String name = "3";\n        int kilos = 3;\n        System.out.println(name == kilos);\n',
        "wrong-type",
        "`==` stands between a `String` and an `int`",
    ),
    "raw": (
        MAIN % "        java.util.List<int> kilos = new java.util.ArrayList<>();\n",
        "wrong-type",
        "An `int` stands where a `reference` is wanted",
    ),
    "no array": (
        MAIN % "        int kilos = 3;\n        System.out.println(kilos[0]);\n",
        "wrong-type",
        "An `int` is used here",
    ),
    "final": (
        "final class Hive {\n}\n\nclass Big extends Hive {\n}\n\n" + MAIN % "",
        "broken-syntax",
        "the compiler can read the text",
    ),
    "break": (
        MAIN % "        if (given.length > 1) {\n            break;\n        }\n",
        "broken-syntax",
        "the compiler can read the text",
    ),
    "abstract": ("abstract class Hive {\n}\n\n" + MAIN % "        System.out.println(new Hive());\n", "wrong-type", ""),
    "unset": (MAIN % "        int kilos;\n        kilos += 1;\n", "unset-name", "`kilos`"),
    "lambda": (
        MAIN % "        int kilos = 0;\n        java.util.List.of(1, 2).forEach(one -> kilos += one);\n",
        "fixed-value",
        "",
    ),
    "arguments": (
        "class Hive {\n    Hive(String name) {\n    }\n}\n\n" + MAIN % "        System.out.println(new Hive());\n",
        "wrong-arguments",
        "`Hive`",
    ),
}
#: What gcc refuses.
C = {
    "operands": (
        "int main(void)\n{\n    double kilos = 3.5;\n    return kilos % 2;\n}\n",
        "wrong-type",
        "`%` stands between a `double` and an `int`",
    ),
    "struct": (
        "struct hive { int n; };\nint main(void)\n{\n    struct hive oak;\n    oak = 3;\n    return oak.n;\n}\n",
        "wrong-type",
        "An `int` stands where a `struct hive` is wanted",
    ),
    "constant": (
        "int main(void)\n{\n    const int frames = 3;\n    frames = 4;\n    return frames;\n}\n",
        "fixed-value",
        "`frames`",
    ),
    "goto": ("int main(void)\n{\n    goto out;\n    return 0;\n}\n", "unknown-name", "the compiler can read the text"),
    "case": (
        "int main(int n, char **given)\n{\n    switch (n) {\n    case 1: return 1;\n    case 1: return 2;\n    }\n    return 0;\n}\n",
        "wrong-order",
        "the compiler can read the text",
    ),
    "star": ("int main(void)\n{\n    int frames = 3;\n    return *frames;\n}\n", "wrong-type", "An `int` is used here"),
    "negative": (
        "int main(void)\n{\n    int kilos[-3];\n    return kilos[0];\n}\n",
        "broken-syntax",
        "the compiler can read the text",
    ),
}
ALL = [("Main.java", ("javac", "-d", "out", "Main.java"), name) for name in JAVA] + [
    ("main.c", ("gcc", "-c", "main.c", "-o", "main.o"), name) for name in C
]


def refused(folder: Path, file: str, argv: tuple[str, ...], text: str) -> Jam:
    (folder / file).write_text(text, encoding="utf-8")
    done = subprocess.run(argv, cwd=folder, capture_output=True, text=True, timeout=120, check=False)
    assert done.returncode, "the compiler takes it"
    return read_and_diagnose(done.stdout + done.stderr, root=folder)[0]


@pytest.mark.parametrize(("file", "argv", "name"), ALL, ids=[f"{file}-{name}" for file, _, name in ALL])
def test_what_is_said_before_the_start(file: str, argv: tuple[str, ...], name: str, project: Project) -> None:
    text, kind, words = (JAVA if file.endswith(".java") else C)[name]
    jam = refused(project({}), file, argv, text)
    assert jam.phase == "compile"
    assert jam.kind == kind
    assert words in jam.meaning
    told = " ".join([jam.meaning, jam.look_at, *jam.causes])
    assert "Print " not in told, "nothing is printed by what never began"
    for cause in ("typed or read from a file", "a tuple was made", "parentheses of a call were forgotten", "keyword argument"):
        assert cause not in told
    assert jam.look_at


@pytest.mark.parametrize("name", ["goto", "case", "constant", "operands"])
def test_no_key_that_only_pleases_the_compiler(name: str, project: Project) -> None:
    """A name or a sign for any other would be taken, and is not meant."""
    text, _, _ = C[name]
    jam = refused(project({}), "main.c", ("gcc", "-c", "main.c", "-o", "main.o"), text)
    titles = [key.title for key in jam.keys]
    assert not [title for title in titles if "`double` instead of `goto`" in title or "case1" in title or "Put in `*`" in title]
