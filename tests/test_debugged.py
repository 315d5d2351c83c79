"""Compiled programs that fail are built and run again under a debugger: where they stopped, and what their names held."""

from __future__ import annotations

import os
import random
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from jamkey.model import Jam, Value
from jamkey.observe.agents import debugged, java
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[..., Path]

HIVES_C = """#include <stdio.h>
#include <string.h>
struct hive { const char *name; double kilos; struct hive *next; };
static double last_of(const struct hive *first, int wanted)
{
    const struct hive *at = first;
    for (int step = 0; step < wanted; step++)
        at = at->next;
    double kilos = at->kilos;
    return kilos;
}
int main(void)
{
    char label[12] = "linden";
    int rows[2][3] = {{1, 2, 3}, {4, 5, 6}};
    struct hive south = {"south", 2.5, NULL}, north = {label, 3.25, &south};
    printf("%g\\n", last_of(&north, rows[0][1]));
    return 0;
}
"""
HIVES_CPP = """#include <map>
#include <string>
#include <vector>
#include <iostream>
struct Apiary {
    std::map<std::string, int> kilos;
    int of(const std::string &hive) const { return kilos.at(hive); }
};
int main()
{
    std::vector<int> days{3, 1, 2};
    Apiary apiary{{{"linden", 41}, {"acacia", 39}}};
    std::cout << apiary.of("lindem") << days[0] << std::endl;
}
"""
OVERRUN = """#include <stdlib.h>
#include <string.h>
#include <stdio.h>
static char *copied(const char *name)
{
    char *copy = malloc(strlen(name));
    strcpy(copy, name);
    return copy;
}
int main(void)
{
    char *one = copied("acacia and linden and rob");
    char *two = copied("linden and acacia and bee");
    printf("%s %s\\n", one, two);
    free(one);
    free(one);
    return 0;
}
"""
LEAVES = """#include <stdio.h>
#include <stdlib.h>
static int counted(int frames)
{
    if (frames < 0) {
        fprintf(stderr, "terminate: %d frames\\n", frames);
        abort();
    }
    return frames;
}
int main(void) { return counted(-4); }
"""
HIVES_JAVA = """import java.util.*;

public class Hives {
    record Kept(String name, Integer frames) {}

    static int total(List<Kept> kept, Map<String, Integer> more, String password) {
        int sum = 0;
        for (Kept one : kept) {
            Set<String> seen = new HashSet<>(List.of("x"));
            sum += one.frames() + more.get(one.name());
        }
        int unset = sum * 2;
        return unset;
    }

    public static void main(String[] args) {
        List<Kept> kept = new ArrayList<>(List.of(new Kept("linden", 8), new Kept("acacia", null)));
        Map<String, Integer> more = new HashMap<>(Map.of("linden", 2));
        double[] kilos = {41.5, 39.25};
        String[] none = {};
        char mark = 'x';
        System.out.println(total(kept, more, "honeypot") + kilos.length);
    }
}
"""
ROWS_M = """#import <Foundation/Foundation.h>
static void add(NSMutableArray *rows, id row) {
    [rows addObject:row];
}
int main(void) {
    NSAutoreleasePool *pool = [NSAutoreleasePool new];
    NSMutableArray *rows = [NSMutableArray arrayWithObjects:@"linden", nil];
    NSString *key = [@"aca" stringByAppendingString:@"cia"];
    NSDictionary *record = [NSDictionary dictionaryWithObject:@"3" forKey:@"linden"];
    add(rows, [record objectForKey:key]);
    [pool release];
    return 0;
}
"""


def jam_of(folder: Path, *words: str, env: dict[str, str] | None = None) -> Jam:
    jamkey("run", "--no-keep", "--save", "out.json", *words, cwd=folder, env=env)
    return parse((folder / "out.json").read_bytes()).jams[-1]


def held(jam: Jam, function: str) -> dict[str, Value]:
    frame = next(frame for frame in reversed(jam.frames) if frame.function and frame.function.endswith(function))
    return {value.name: value for value in frame.values}


def own(jam: Jam) -> list[tuple[str, int | None]]:
    return [(frame.file, frame.line) for frame in jam.frames if frame.owner == "yours"]


def test_a_signal_has_its_frames_and_values(project: Project) -> None:
    jam = jam_of(project({"hives.c": HIVES_C}), "hives.c")
    assert own(jam) == [("hives.c", 17), ("hives.c", 9)]
    inner, outer = held(jam, "last_of"), held(jam, "main")
    assert (inner["at"].text, inner["at"].type) == ("NULL", "const struct hive *")
    assert inner["first"].text.startswith('-> {name = "linden", kilos = 3.25')
    assert inner["wanted"].text == "2"
    assert "kilos" not in inner, "it had not been set"
    assert (outer["label"].text, outer["label"].length) == ('"linden"', 12)
    assert (outer["rows"].text, outer["rows"].shape) == ("{{1, 2, 3}, {4, 5, 6}}", (2, 3))


def test_the_shell_that_builds_without_debug_information(project: Project) -> None:
    folder = project({"hives.c": HIVES_C, "unrelated.txt": "kept\n"})
    jam = jam_of(folder, "--", "sh", "-c", "gcc -O1 hives.c -o hives && ./hives; exit $?")
    assert own(jam)[-1] == ("hives.c", 9)
    assert held(jam, "main")["label"].text == '"linden"'
    assert sorted(path.name for path in folder.iterdir()) == ["hives", "hives.c", "out.json", "unrelated.txt"]
    assert (folder / "hives").read_bytes()[:4] == b"\x7fELF", "the user's program is the user's"


@pytest.mark.long
def test_a_makefile(project: Project) -> None:
    make = "CC = gcc\n\nrun: hives\n\t./hives\n\nhives: hives.o\n\t$(CC) -o hives hives.o\n\nhives.o: hives.c\n\t$(CC) -c hives.c\n"
    jam = jam_of(project({"hives.c": HIVES_C, "Makefile": make}), "--", "make", "--silent", "run")
    assert own(jam) == [("hives.c", 17), ("hives.c", 9)]
    assert held(jam, "last_of")["at"].text == "NULL"


@pytest.mark.long
def test_a_program_that_had_been_built(project: Project) -> None:
    folder = project({"hives.c": HIVES_C})
    subprocess.run(["gcc", "-g", "-o", "hives", "hives.c"], cwd=folder, check=True)
    before = (folder / "hives").read_bytes()
    jam = jam_of(folder, "--", "./hives")
    assert own(jam) == [("hives.c", 17), ("hives.c", 9)]
    assert held(jam, "last_of")["wanted"].text == "2"
    assert (folder / "hives").read_bytes() == before


def test_what_cpp_threw(project: Project) -> None:
    jam = jam_of(project({"hives.cpp": HIVES_CPP}), "hives.cpp")
    assert jam.exception_type == "std::out_of_range"
    assert own(jam) == [("hives.cpp", 13), ("hives.cpp", 7)]
    inner, outer = held(jam, "Apiary::of"), held(jam, "main")
    assert (inner["hive"].type, inner["hive"].text) == ("const std::string &", '"lindem"')
    assert (outer["days"].type, outer["days"].length) == ("std::vector<int>", 3)
    assert '["linden"] = 41' in outer["apiary"].text


def test_memory_is_stopped_where_it_is_first_misused(project: Project) -> None:
    jam = jam_of(project({"names.c": OVERRUN}), "names.c")
    assert own(jam) == [("names.c", 12), ("names.c", 7)]
    assert held(jam, "copied")["name"].text == '"acacia and linden and rob"'


@pytest.mark.long
def test_a_program_that_ends_itself(project: Project) -> None:
    jam = jam_of(project({"leaves.c": LEAVES}), "leaves.c")
    assert own(jam)[-1] == ("leaves.c", 7)
    assert held(jam, "counted")["frames"].text == "-4"


@pytest.mark.long
def test_without_a_debugger_the_checkers_tell_the_place(project: Project, tmp_path: Path) -> None:
    tools = tmp_path / "tools"
    tools.mkdir()
    for name in os.listdir("/usr/bin"):
        if name != "gdb":
            (tools / name).symlink_to(Path("/usr/bin") / name)
    jam = jam_of(project({"hives.c": HIVES_C}), "hives.c", env={"PATH": str(tools)})
    assert own(jam)[-1] == ("hives.c", 9)


def test_what_a_debugger_ran_is_read_although_it_ends_well(project: Project) -> None:
    command = "gcc -g -o hives hives.c && gdb -q -batch -ex run -ex bt ./hives"
    jam = jam_of(project({"hives.c": HIVES_C}), "--", "sh", "-c", command)
    assert own(jam)[-1] == ("hives.c", 9)


def test_objects_of_objective_c(project: Project) -> None:
    command = "gcc $(gnustep-config --objc-flags) rows.m -o rows $(gnustep-config --base-libs) 2>/dev/null && ./rows"
    jam = jam_of(project({"rows.m": ROWS_M}), "--", "sh", "-c", command)
    assert (jam.runtime, jam.exception_type) == ("objective-c", "NSInvalidArgumentException")
    assert own(jam) == [("rows.m", 10), ("rows.m", 3)]
    assert held(jam, "add")["row"].text == "NULL"
    outer = held(jam, "main")
    assert (outer["key"].type, outer["key"].text) == ("NSString", '"acacia"')
    assert outer["rows"].text == "with 1 items"


def test_java_tells_every_frame(project: Project) -> None:
    jam = jam_of(project({"Hives.java": HIVES_JAVA}), "Hives.java")
    inner, outer = held(jam, "total"), held(jam, "main")
    assert inner["one"].text == 'Hives$Kept(name="acacia", frames=null)'
    assert (inner["sum"].text, inner["more"].text) == ("10", '{"linden"=2}')
    assert inner["seen"].text == '["x"]'
    assert "unset" not in inner, "it had not been set"
    assert "honeypot" not in inner["password"].text
    assert (outer["kept"].type, outer["kept"].length) == ("java.util.ArrayList", 2)
    assert (outer["kilos"].type, outer["kilos"].text) == ("double[]", "{41.5, 39.25}")
    assert (outer["none"].text, outer["none"].length, outer["mark"].text) == ("{}", 0, "'x'")


@pytest.mark.parametrize(
    "command", ["javac Hives.java && java Hives", "java Hives.java", "javac -d out Hives.java; java -cp out Hives"]
)
def test_java_by_a_shell(command: str, project: Project) -> None:
    folder = project({"Hives.java": HIVES_JAVA})
    jam = jam_of(folder, "--", "sh", "-c", command)
    assert own(jam) == [("Hives.java", 22), ("Hives.java", 10)]
    assert held(jam, "total")["sum"].text == "10"


def test_an_exception_that_java_code_caught_is_left_alone(project: Project) -> None:
    text = """public class Kept {
    public static void main(String[] args) {
        try {
            Object[] frames = new Object[2];
            System.out.println(frames[2]);
        } catch (RuntimeException error) {
            error.printStackTrace();
            System.exit(3);
        }
    }
}
"""
    done = jamkey("run", "--no-keep", "--save", "out.json", "Kept.java", cwd=project({"Kept.java": text}))
    assert done.status == 3
    assert "ArrayIndexOutOfBounds" in done.err


def test_a_second_run_that_goes_another_way_tells_nothing(project: Project) -> None:
    """What it had read from a pipe is gone: the second run divides, the first had touched memory that is not there."""
    text = """#include <stdio.h>
int main(void)
{
    int frames = 0, *none = NULL;
    if (scanf("%d", &frames) == 1)
        return *none;
    return 7 / frames;
}
"""
    folder = project({"frames.c": text})
    subprocess.run(["gcc", "-g", "-o", "frames", "frames.c"], cwd=folder, check=True)
    done = jamkey("run", "--no-keep", "--save", "out.json", "--", "sh", "-c", "./frames; exit $?", cwd=folder, stdin="4\n")
    jam = parse((folder / "out.json").read_bytes()).jams[-1]
    assert "Segmentation fault" in done.err
    assert ("frames.c", 7) not in own(jam)
    assert all(value.name != "frames" or value.text != "0" for frame in jam.frames for value in frame.values)


def test_what_was_printed_elsewhere_is_read(project: Project) -> None:
    text = "import sys\ntry:\n    print({'linden': 1}['acacia'])\nexcept KeyError as error:\n    print('could not go on: KeyError:', error)\n    sys.exit(2)\n"
    folder = project({"told.sh": "echo \"Error in weigh(hive) : object 'hive' not found\"\nexit 4\n", "told.py": text})
    done = jamkey("run", "--no-keep", "--", "sh", "told.sh", cwd=folder)
    assert done.status == 4
    assert "unknown-name" in done.err


@pytest.mark.parametrize("seed", range(20))
def test_records_of_the_machine_interface(seed: int) -> None:
    chance = random.Random(seed)

    def made(depth: int) -> Any:
        kind = chance.choice("tls" if depth else "s")
        if kind == "s":
            return "".join(chance.choice('ab"\\\n\t{}[],=é') for _ in range(chance.randrange(8)))
        if kind == "l":
            return [made(depth - 1) for _ in range(chance.randrange(4))]
        return {f"n-{index}": made(depth - 1) for index in range(chance.randrange(4))}

    def written(value: Any) -> str:
        if isinstance(value, str):
            for plain, escaped in (("\\", "\\\\"), ('"', '\\"'), ("\n", "\\n"), ("\t", "\\t"), ("é", "\\303\\251")):
                value = value.replace(plain, escaped)
            return f'"{value}"'
        if isinstance(value, list):
            named = chance.choice(["frame=", ""])
            return "[" + ",".join(named + written(one) for one in value) + "]"
        return "{" + ",".join(f"{name}={written(one)}" for name, one in value.items()) + "}"

    values = {f"name{index}": made(3) for index in range(3)}
    assert debugged.result("^done," + ",".join(f"{name}={written(one)}" for name, one in values.items())) == values


@pytest.mark.parametrize("cut", range(0, 60, 7))
def test_a_record_that_is_cut_off_is_read_as_far_as_it_goes(cut: int) -> None:
    line = '^done,stack=[frame={level="0",func="main"},frame={level="1"}],more="text"'
    assert isinstance(debugged.result(line[:cut]), dict)


@pytest.mark.parametrize(
    ("written", "read"),
    [
        ("std::vector<int, std::allocator<int> >", "std::vector<int>"),
        (
            "const std::map<std::__cxx11::basic_string<char, std::char_traits<char>, std::allocator<char> >, int, "
            "std::less<std::__cxx11::basic_string<char, std::char_traits<char>, std::allocator<char> > >, "
            "std::allocator<std::pair<std::__cxx11::basic_string<char, std::char_traits<char>, std::allocator<char> > "
            "const, int> > > &",
            "const std::map<std::string, int> &",
        ),
        ("struct hive *", "struct hive *"),
        ("objc_object *", "id"),
    ],
)
def test_types_as_they_are_written(written: str, read: str) -> None:
    assert debugged.short(written) == read


@pytest.mark.parametrize(
    ("told", "shown"),
    [
        ('0x555555556004 "linden"', '"linden"'),
        ("33.100000000000001", "33.1"),
        ('"kilo\\000\\000\\000"', '"kilo"'),
        ("\"russet\", '\\000' <repeats 13 times>", '"russet"'),
        ('{next = 0x0, name = 0x5555 <label> "a"}', '{next = NULL, name = "a"}'),
        ("@0x7fffffffdfb0: {kilos = 3}", "{kilos = 3}"),
    ],
)
def test_texts_without_addresses(told: str, shown: str) -> None:
    assert debugged.plain(told) == shown


@pytest.mark.parametrize(
    ("sign", "name"),
    [
        ("I", "int"),
        ("[[D", "double[][]"),
        ("Ljava/lang/String;", "String"),
        ("[Ljava/lang/String;", "String[]"),
        ("LHives$Kept;", "Hives$Kept"),
    ],
)
def test_signatures_of_java(sign: str, name: str) -> None:
    assert java.readable(sign) == name


def test_a_second_run_changes_nothing_outside_of_its_copy(project: Project) -> None:
    text = '#include <stdio.h>\nint main(void) {\n    FILE *log = fopen("log.txt", "a");\n    fputs("once\\n", log);\n    fclose(log);\n    int *none = NULL;\n    return *none;\n}\n'
    folder = project({"log.c": text})
    jam = jam_of(folder, "log.c")
    assert own(jam)[-1] == ("log.c", 7)
    assert (folder / "log.txt").read_text() == "once\n"
    assert shutil.which("gdb"), "the tests drive it"
