"""What the runtimes' own agents tell when a program fails: values and places, and nothing of the program changed."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.views.json import parse
from tests.conftest import jamkey

Project = Callable[..., Path]

R = """gain <- function(weights, days) {
  kept <- weights[-1]
  token <- "s3cret"
  kept + dayz
}
hives <- data.frame(hive = c("linden", "acacia"), kilos = c(41.2, 39.8))
w <- c(41.2, 42.5, 43.9)
cat(gain(w, length(w)), "\\n")
"""
OCTAVE = """1;
function g = gain (weights, days)
  kept = weights(2:end);
  g = kept ./ days;
end
disp (gain ([41.2 42.5 43.9], [1 2 3]));
"""
LUA = """local hives = { linden = { kilos = 41.2 }, acacia = {} }
local function gain(name)
  local hive = hives[name]
  return hive.kilos - 40
end
print(gain("linden"))
print(gain("acacia"))
"""
NODE = """const hives = [{ name: 'linden', kilos: [41.2, 43] }, { name: 'acacia' }];
function gain(hive) {
  const password = 'open';
  const last = hive.kilos;
  return last[last.length - 1] - last[0];
}
(async () => { for (const hive of hives) console.log(gain(hive)); })();
"""


def jam_of(folder: Path, file: str, *words: str, env: dict[str, str] | None = None) -> tuple[Jam, int]:
    done = jamkey("run", *words, "--save", "out.json", file, cwd=folder, env=env)
    return parse((folder / "out.json").read_bytes()).jams[-1], done.status


def values(jam: Jam) -> dict[str, tuple[str, str]]:
    frame = jam.snag_frame
    assert frame is not None
    return {value.name: (value.type, value.text) for value in frame.values}


def test_r_tells_line_column_and_values(project: Project) -> None:
    jam, status = jam_of(project({"gain.R": R}), "gain.R")
    frame = jam.snag_frame
    assert status == 1
    assert frame is not None
    assert (frame.file, frame.line, frame.column, frame.function) == ("gain.R", 4, 10, "gain")
    assert values(jam)["kept"] == ("numeric", "42.5 43.9")
    assert values(jam)["token"] == ("character", "(hidden)")
    assert jam.frames[0].line == 8
    assert {value.name: value.members for value in jam.frames[0].values}["hives"] == ("hive", "kilos")


def test_r_leaves_arguments_alone_that_were_never_looked_at(project: Project) -> None:
    text = 'weigh <- function(hive) {\n  stop("no scale")\n}\nweigh(cat("evaluated\\n"))\n'
    folder = project({"weigh.R": text})
    done = jamkey("run", "weigh.R", cwd=folder)
    assert "evaluated" not in done.out


def test_octave_functions_are_asked_on_a_second_run(project: Project) -> None:
    folder = project({"gain.m": OCTAVE})
    jam, status = jam_of(folder, "gain.m")
    assert status == 1
    assert jam.snag_frame is not None
    assert jam.snag_frame.line == 4
    assert values(jam) == {
        "days": ("double", "[1 2 3]"),
        "kept": ("double", "[42.5 43.9]"),
        "weights": ("double", "[41.2 42.5 43.9]"),
    }
    assert sorted(path.name for path in folder.iterdir()) == ["gain.m", "out.json"]


@pytest.mark.parametrize("program", ["lua5.1", "lua5.2", "lua5.4"])
def test_lua_prints_what_it_always_prints_and_tells_more(program: str, project: Project) -> None:
    assert shutil.which(program), f"{program} is not installed: .ci/run installs it"
    folder = project({"gain.lua": LUA, "jamkey.toml": f'commands = {{ ".lua" = "{program}" }}\n'})
    plain = subprocess.run(
        [shutil.which(program) or program, "gain.lua"], cwd=folder, capture_output=True, text=True, check=False
    )
    done = jamkey("run", "--keep-trace", "--save", "out.json", "gain.lua", cwd=folder)
    jam = parse((folder / "out.json").read_bytes()).jams[-1]
    assert (done.out, done.status) == (plain.stdout, plain.returncode)
    assert plain.stderr in done.err
    assert values(jam) == {"name": ("string", '"acacia"'), "hive": ("table", "{}"), "hives": values(jam)["hives"]}


def test_lua_end_of_a_healthy_script_is_its_own(project: Project) -> None:
    folder = project({"ok.lua": "print(arg[0], ...)\nos.exit(3)\n"})
    done = jamkey("run", "ok.lua", "one", "two", cwd=folder)
    assert (done.out.split(), done.status) == (["ok.lua", "one", "two"], 3)


def test_node_tells_values_of_an_async_function(project: Project) -> None:
    jam, status = jam_of(project({"gain.js": NODE}), "gain.js")
    assert status == 1
    assert jam.snag_frame is not None
    assert jam.snag_frame.line == 5
    found = values(jam)
    assert found["last"] == ("undefined", "undefined")
    assert found["hive"] == ("Object", '{name: "acacia"}')
    assert found["password"] == ("string", "(hidden)")


def test_node_does_not_see_the_agent(project: Project) -> None:
    text = "console.log(JSON.stringify([process.env.NODE_OPTIONS, process.execArgv, Object.keys(process.env).filter((k) => k.startsWith('JAMKEY'))]));\n"
    done = jamkey("run", "env.js", cwd=project({"env.js": text}))
    assert json.loads(done.out) == [None, [], []]


PAGE = """<html><head><script src="weights.js"></script></head><body><p id="sum"></p></body></html>
"""
SCRIPT = """const weights = [31.2, 31.9];
function show() {
  const sum = document.getElementById('sum');
  sum.textContent = weights.reduce((a, b) => a + b, 0);
}
show();
console.log(document.getElementById('sum').textContent);
"""


def test_a_page_runs_in_a_browser_and_is_mended(project: Project) -> None:
    assert shutil.which("chromium"), "chromium is not installed: .ci/run installs it"
    folder = project({"index.html": PAGE, "weights.js": SCRIPT})
    jam, status = jam_of(folder, "index.html")
    assert status == 1
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line, jam.kind) == ("weights.js", 4, "missing-value")
    assert (jam.roots[0].file, jam.roots[0].line) == ("index.html", 1)
    done = jamkey("fix", "--yes", "index.html", cwd=folder)
    assert done.status == 0
    assert 'src="weights.js" defer>' in (folder / "index.html").read_text()


@pytest.mark.spread(3)
@pytest.mark.parametrize(
    ("browsers", "said"),
    [
        ("chromium firefox-esr", ["in chromium:", "Cannot read properties", "in firefox-esr:", "can't access property"]),
        ("firefox-esr", ["can't access property"]),
    ],
)
def test_the_browser_can_be_named(browsers: str, said: list[str], project: Project) -> None:
    for browser in browsers.split():
        assert shutil.which(browser), f"{browser} is not installed: .ci/run installs it"
    page = """<!doctype html>
<div id="kilos"></div>
<script>
const hives = [{name: 'linden', kilos: [41, 42]}, {name: 'acacia'}];
function gain(hive) {
  return hive.kilos[1] - hive.kilos[0];
}
console.log('hives', hives.length, {days: 2});
for (const hive of hives) {
  console.log(hive.name, gain(hive));
}
</script>
<script>alert('not stopped by a dialog'); console.log('after');</script>
"""
    folder = project({"hives.html": page, "jamkey.toml": f'commands = {{ ".html" = "{browsers}" }}\n'})
    done = jamkey("run", "--no-keep", "--save", "out.json", "hives.html", cwd=folder)
    jam = parse((folder / "out.json").read_bytes()).jams[-1]
    assert done.status == 1
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line, jam.kind) == ("hives.html", 6, "missing-value")
    assert ("hives.html", 4) in [(root.file, root.line) for root in jam.roots[:3]]
    lines = done.out.splitlines()
    assert [line for line in lines if line in ("linden 1", "after")] == ["linden 1", "after"] * len(browsers.split())
    places = [done.err.find(words) for words in said]
    assert places == sorted(places) and places[0] >= 0


def test_a_browser_that_is_not_there(project: Project) -> None:
    folder = project({"hives.html": "<script>1</script>", "jamkey.toml": 'commands = { ".html" = "netsurf" }\n'})
    done = jamkey("run", "hives.html", cwd=folder)
    assert (done.status, done.err) == (127, "jamkey: netsurf is not installed or not on the path: install it to run pages\n")


def test_sclang_ends_after_an_error(project: Project) -> None:
    assert shutil.which("sclang"), "sclang is not installed: .ci/run installs it"
    folder = project(
        {
            "gain.scd": "(\nvar weights = [31.2, 31.9, 33.0];\nvar gain = { |w|\n\tw.differentiate.drop(1).averag\n};\ngain.value(weights).postln;\n0.exit;\n)\n"
        }
    )
    jam, status = jam_of(folder, "gain.scd")
    assert status == 1
    assert (jam.runtime, jam.kind, jam.facts["member"]) == ("supercollider", "no-such-member", "averag")
    assert jam.snag_frame is not None
    assert jam.snag_frame.line == 4


def test_a_signal_of_a_program_built_by_hand_is_traced(project: Project) -> None:
    text = '#include <stdio.h>\nstatic int last(const int *w, int n)\n{\n    return w[n - 1] / (n - n);\n}\nint main(void)\n{\n    int w[2] = {3, 4};\n    printf("%d\\n", last(w, 2));\n    return 0;\n}\n'
    folder = project({"w.c": text})
    done = jamkey("run", "--save", "out.json", "--", "sh", "-c", "gcc -w -o prog w.c && ./prog; exit $?", cwd=folder)
    assert done.status == 136
    jam = parse((folder / "out.json").read_bytes()).jams[-1]
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line) == ("w.c", 4)


def test_octave_tells_where_it_stopped_when_it_prints_no_line(project: Project) -> None:
    files = {
        "frames.m": '1;\nfunction show (name, kilos)\n  printf ("%s %g\\n", name, kilos);\nend\n\nnames = {"oak", "elm"};\n'
        "for k = 1:2\n  show (names(k), 30 + k);\nend\n"
    }
    folder = project(files)
    ran = jamkey("run", "--save", "x.json", "frames.m", cwd=folder)
    assert ran.status == 1 and "wrong type argument 'cell'" in ran.err
    (jam,) = json.loads((folder / "x.json").read_text())["jams"]
    assert [(frame["file"], frame["line"]) for frame in jam["frames"]] == [("frames.m", 8), ("frames.m", 3)]
    assert jam["snag"] == 1
    assert {value["name"]: value["text"] for value in jam["frames"][1]["values"]}["kilos"] == "31"
    told = " ".join(key["reason"] for key in jam["keys"])
    assert "`name` may hold text" not in told and "`printf`" not in told, "a cell is no text, and a function no value"
    assert sorted(path.name for path in folder.iterdir()) == ["frames.m", "x.json"], "nothing is left behind"
