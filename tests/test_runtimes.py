"""The other runtimes, run for real: the place is found, a key mends the program, nothing is left behind."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[..., Path]

#: Runtime -> (program that must be there, file, text, kind, snag's line, what the mended program prints).
PROGRAMS: dict[str, tuple[str, str, str, str, int, str]] = {
    "r": (
        "Rscript",
        "gain.R",
        'weights <- c(31.2, 31.9, 33.0)\n\ndaily <- function(w) {\n  steps <- diff(wieghts)\n  mean(steps)\n}\n\ncat(daily(weights), "\\n")\n',
        "unknown-name",
        4,
        "0.9",
    ),
    "octave": (
        "octave-cli",
        "gain.m",
        '1;\nfunction g = gains (w)\n  g = [];\n  for k = 1:numel (w)\n    g(k) = w(k + 1) - w(k);\n  end\nend\nprintf ("%.1f\\n", sum (gains ([31 32 34])));\n',
        "index-out-of-range",
        5,
        "3.0",
    ),
    "lua": (
        "lua5.4",
        "gain.lua",
        "local function total(list)\n  local sum = 0\n  for i = 0, #list - 1 do\n    sum = sum + list[i]\n  end\n  return sum\nend\nprint(total({31, 32, 34}))\n",
        "missing-value",
        4,
        "97",
    ),
    "java": (
        "javac",
        "Gain.java",
        "public class Gain {\n    static int total(int[] w) {\n        int sum = 0;\n        for (int i = 0; i <= w.length; i++) {\n            sum += w[i];\n        }\n"
        "        return sum;\n    }\n    public static void main(String[] args) {\n        System.out.println(total(new int[] {31, 32, 34}));\n    }\n}\n",
        "index-out-of-range",
        5,
        "97",
    ),
    "java compile": (
        "javac",
        "Hive.java",
        "public class Hive {\n    public static void main(String[] args) {\n        int kilos = 31\n        System.out.println(kilos);\n    }\n}\n",
        "broken-syntax",
        3,
        "31",
    ),
    "c compile": (
        "gcc",
        "hive.c",
        '#include <stdio.h>\n\nint main(void)\n{\n    int kilos = 31;\n    printf("%d\\n", kilso);\n    return 0;\n}\n',
        "unknown-name",
        6,
        "31",
    ),
}


@pytest.mark.spread(2)
@pytest.mark.parametrize("name", list(PROGRAMS))
def test_a_program_is_read_and_mended(name: str, project: Project) -> None:
    program, file, text, kind, line, printed = PROGRAMS[name]
    assert shutil.which(program), f"{program} is not installed: .ci/run installs it"
    folder = project({file: text})
    done = jamkey("fix", "--yes", "--save", "out.json", file, cwd=folder)
    (jam,) = parse((folder / "out.json").read_bytes()).jams
    frame = jam.snag_frame
    assert frame is not None
    assert (jam.kind, frame.file, frame.line) == (kind, file, line)
    assert jam.keys[0].trial.outcome == "runs", [key.title for key in jam.keys]
    assert printed in done.out
    assert sorted(path.name for path in folder.iterdir()) == sorted([file, "out.json"])


def test_a_signal_is_traced_to_its_line(project: Project) -> None:
    text = (
        "#include <stdio.h>\n\nstruct hive { double kilos; };\n\nstatic double weigh(const struct hive *h)\n{\n    return h->kilos;\n}\n\n"
        'int main(void)\n{\n    struct hive *none = NULL;\n    printf("%.1f\\n", weigh(none));\n    return 0;\n}\n'
    )
    assert shutil.which("gcc"), "gcc is not installed: .ci/run installs it"
    folder = project({"hive.c": text})
    done = jamkey("run", "--save", "out.json", "hive.c", cwd=folder)
    jam = parse((folder / "out.json").read_bytes()).jams[-1]
    assert done.status in (-11, 139)
    assert (jam.kind, jam.message, jam.snag_frame.line if jam.snag_frame else None) == (
        "memory-misuse",
        "Segmentation fault",
        7,
    )
    assert ("hive.c", 12) in [(root.file, root.line) for root in jam.roots[:3]]


def test_a_missing_runtime_says_how_to_name_it(project: Project) -> None:
    folder = project({"a.jl": "println(1)\n"})
    done = jamkey("run", "a.jl", cwd=folder, env={"PATH": "/nowhere"})
    assert done.status == 127
    assert "julia is not installed" in done.err
    assert "name its command in jamkey.toml" in done.err
