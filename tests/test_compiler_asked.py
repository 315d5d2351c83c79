"""What the compiler itself would write: asked in a second compilation, tried like every other key."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.observe.target import command_target
from jamkey.runs.fix_loop import main_jam, run_captured
from jamkey.search.compiler_asked import keys_of_compiler
from tests.conftest import jamkey

Project = Callable[..., Path]

HIVE = """\
#include <vector>

struct Hive {
    double kilos;
    int frames;
};

double total(const std::vector<Hive> &hives) {
    double sum = 0;
    for (const Hive &hive : hives) {
        sum += hive.kilo;
    }
    return sum;
}

int main() {
    std::vector<Hive> hives = {{31.5, 10}, {28.0, 11}};
    return total(hives) > 50 ? 0 : 1;
}
"""


def failure(folder: Path, *command: str) -> Jam:
    jam = main_jam(run_captured(command_target(list(command)), folder, limit=60))
    assert jam is not None
    return jam


def asked(folder: Path, *command: str) -> list[str]:
    jam = failure(folder, *command)
    return [key.title for key in keys_of_compiler(jam, command_target(list(command)), folder, limit=60)]


def test_a_misspelt_member_is_proposed(project: Project) -> None:
    folder = project({"main.cpp": HIVE})
    assert "Write `kilos` instead of `kilo` on line 11 of main.cpp" in asked(folder, "g++", "main.cpp", "-o", "main")
    assert sorted(path.name for path in folder.iterdir()) == ["main.cpp"], "the second compilation is on a copy"


def test_a_missing_header_is_proposed_where_it_belongs(project: Project) -> None:
    folder = project({"main.c": 'int main(void) {\n    printf("%d\\n", 31);\n    return 0;\n}\n'})
    titles = asked(folder, "gcc", "-Werror=implicit-function-declaration", "main.c", "-o", "main")
    assert any("#include <stdio.h>" in title for title in titles)


def test_columns_count_characters(project: Project) -> None:
    text = 'struct Hive { int kilos; };\nint main() {\n    Hive hive = {31}; const char *name = "Bienenstöcke"; return hive.kilo;\n}\n'
    folder = project({"main.cpp": text})
    jam = failure(folder, "g++", "main.cpp", "-o", "main")
    (key,) = keys_of_compiler(jam, command_target(["g++", "main.cpp", "-o", "main"]), folder, limit=60)
    (edit,) = key.edits
    row = text.split("\n")[edit.line - 1]
    assert row[edit.column - 1 : edit.end_column - 1] == "kilo"


@pytest.mark.parametrize("text", ["int main() { return 31 }\n", "int main() { return x; }\n"])
def test_proposals_stay_within_the_file(text: str, project: Project) -> None:
    folder = project({"main.cpp": text})
    jam = failure(folder, "g++", "main.cpp", "-o", "main")
    for key in keys_of_compiler(jam, command_target(["g++", "main.cpp", "-o", "main"]), folder, limit=60):
        for edit in key.edits:
            assert edit.file == "main.cpp"
            assert edit.line <= text.count("\n") + 1


def test_others_are_not_asked(project: Project) -> None:
    folder = project({"hive.py": "print(kilo)\n"})
    jam = failure(folder, "python3", "hive.py")
    assert keys_of_compiler(jam, command_target(["python3", "hive.py"]), folder, limit=60) == []


def test_a_header_of_the_system_is_never_changed(project: Project) -> None:
    folder = project({"main.cpp": "#include <vector>\nint main() { std::vector<int> v; v.push_bakc(1); return 0; }\n"})
    jam = failure(folder, "g++", "main.cpp", "-o", "main")
    keys = keys_of_compiler(jam, command_target(["g++", "main.cpp", "-o", "main"]), folder, limit=60)
    assert all(edit.file == "main.cpp" for key in keys for edit in key.edits)
    assert any("push_back" in key.title for key in keys)


def test_fix_offers_what_the_compiler_proposes(project: Project) -> None:
    folder = project({"main.cpp": HIVE})
    jamkey("fix", "--preview", "--no-keep", "--save", "found.json", "main.cpp", cwd=folder)
    first, *others = json.loads((folder / "found.json").read_text(encoding="utf-8"))["jams"][-1]["keys"]
    assert all(key["edits"] != first["edits"] for key in others), "what a kind proposes alike is said once"
    assert first["edits"][0]["new_text"] == "kilos"
    assert first["trial"]["outcome"] == "runs"


THROWS = """\
import java.nio.file.*;

class Hive {
    static double total(Path file) {
        double kilos = 0;
        for (String row : Files.readAllLines(file)) {
            kilos += Double.parseDouble(row.trim());
        }
        return kilos;
    }

    public static void main(String[] args) {
        System.out.println(total(Path.of("kilos.txt")));
    }
}
"""


def test_what_a_compiler_refuses_is_no_broken_grammar(project: Project) -> None:
    folder = project({"Hive.java": THROWS, "kilos.txt": "3.5\n4\n"})
    jam = failure(folder, "java", "Hive.java")
    assert (jam.phase, jam.kind, jam.snag_frame.line if jam.snag_frame else None) == ("compile", "broken-syntax", 6)
    assert not jam.keys, "no token of a text that is whole is changed to please the parser"
    assert "the compiler can read the text" in jam.meaning


@pytest.mark.long
def test_one_refusal_behind_another_is_mended_too(project: Project) -> None:
    folder = project({"Hive.java": THROWS, "kilos.txt": "3.5\n4\n"})
    done = jamkey("fix", "--yes", "Hive.java", cwd=folder, env={"JAMKEY_PATIENCE": "8"})
    assert "7.5" in done.out, done.err
    text = (folder / "Hive.java").read_text()
    assert text.count("throws IOException") == 2
    assert text.startswith("import java.io.IOException;\n")
