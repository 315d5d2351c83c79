"""Every form of a reading: what it holds, and that hostile text in it is harmless."""

from __future__ import annotations

import io
import shutil
import subprocess
import sys
from pathlib import Path

import msgspec
import pytest
from rich.text import Text

from jamkey.errors import UnreadableInput
from jamkey.follow.sources import Sources
from jamkey.model import Edit, Frame, Jam, Key, Link, Report, Root, Step, Trial, Value
from jamkey.views import SHELF
from jamkey.views import json as json_view
from jamkey.views.columns import Columns, Narrow
from jamkey.views.outline import outline
from jamkey.views.schema import schema
from jamkey.views.terminal import Console, render_plain, show

DOCS = Path(__file__).parent.parent / "docs"
SOURCE = "def gain(weights):\n\ttotal = sum(weights)\n\treturn totl\n"


def sample(**changes: object) -> Jam:
    jam = Jam(
        runtime="python",
        runtime_version="3.12.1",
        exception_type="NameError",
        message="name 'totl' is not defined",
        kind="unknown-name",
        frames=(
            Frame(file="gain.py", line=9, function="<module>", source="gain([1])"),
            Frame(file="/usr/lib/python3.12/x.py", line=2, function="inner", owner="library"),
            Frame(
                file="gain.py",
                line=3,
                column=9,
                end_line=3,
                end_column=13,
                function="gain",
                source="return totl",
                values=(Value(name="weights", type="list", text="[1, 2]", length=2),),
            ),
        ),
        snag=2,
        roots=(
            Root(
                file="hives.py",
                line=4,
                reason="it is set here",
                steps=(Step(file="hives.py", line=4, what="assigned", text="x = 1"),),
            ),
        ),
        meaning="`totl` does not exist.",
        causes=("misspelt",),
        look_at="Compare the names.",
        avoid="Let the editor complete.",
        keys=(
            Key(
                id="k",
                title="Write `total`",
                reason="it exists",
                confidence=0.9,
                trial=Trial(outcome="moved", next="gain.py:9 KeyError: 1"),
                edits=(Edit(file="gain.py", line=3, column=9, end_line=3, end_column=13, new_text="total"),),
            ),
        ),
        chain=(Link(relation="while-handling", jam=Jam(runtime="python", exception_type="KeyError", message="'oak'")),),
    )
    return msgspec.structs.replace(jam, **changes)


@pytest.fixture
def sources() -> Sources:
    return Sources(texts={"gain.py": SOURCE})


def test_terminal_order_and_content(sources: Sources) -> None:
    text = render_plain([sample()], sources)
    order = [
        "NameError: name 'totl'",
        "your line gain.py, line 3, in gain",
        "values",
        "root hives.py:4",
        "means",
        "keys 1",
        "chain",
        "path",
    ]
    places = [text.index(part) for part in order]
    assert places == sorted(places)
    assert "tried: past this, next is gain.py:9 KeyError: 1" in text
    assert "(1 library and runtime frames folded)" in text
    assert "list, 2 items" in text


def test_the_mark_stands_below_the_failing_part(sources: Sources) -> None:
    lines = render_plain([sample()], sources).split("\n")
    index = next(number for number, line in enumerate(lines) if "▌" in line)
    start = lines[index].index("totl")
    assert lines[index + 1] == " " * start + "▔▔▔▔"


@pytest.mark.parametrize("width", [40, 80, 200])
def test_narrow_and_wide_terminals(width: int, sources: Sources) -> None:
    out = Console(file=io.StringIO(), width=width, color_system=None)
    show([sample(), sample()], sources, out)
    text = out.file.getvalue()  # type: ignore[attr-defined]
    assert max(map(len, text.split("\n"))) <= width
    assert "jam 1/2" in text


HOSTILE = "<script>alert(1)</script>\x1b[2J\x1b]0;title\x07 [bold]no[/bold] ``` \x00 \u202e &amp;"


def hostile() -> Jam:
    frame = Frame(
        file=HOSTILE, line=1, function=HOSTILE, source=HOSTILE, values=(Value(name=HOSTILE, type=HOSTILE, text=HOSTILE),)
    )
    return sample(
        exception_type=HOSTILE,
        message=HOSTILE + "\n" + HOSTILE,
        frames=(frame,),
        snag=0,
        meaning=HOSTILE,
        causes=(HOSTILE,),
        roots=(Root(file=HOSTILE, line=1, reason=HOSTILE, steps=(Step(file=HOSTILE, line=1, what=HOSTILE, text=HOSTILE),)),),
        keys=(Key(id="k", title=HOSTILE, reason=HOSTILE, confidence=0.5),),
        look_at=HOSTILE,
        avoid=HOSTILE,
    )


@pytest.mark.parametrize("ending", [".txt", ".md"])
def test_no_escape_gets_through(ending: str) -> None:
    text = SHELF.get(ending)([hostile()], Sources())
    assert "\x1b" not in text
    assert "\x07" not in text
    assert "\x00" not in text
    assert "\u202e" not in text
    if ending == ".md":
        outside = [part for index, part in enumerate(text.split("`")) if index % 2 == 0]
        assert not any(
            "<script>" in part
            for part in outside
            if "\\<script" not in part and "alert" in part and "\n>" not in part and "```" in part
        )
        assert "\\<script\\>" in text


def test_terminal_markup_is_text() -> None:
    out = Console(file=io.StringIO(), width=300, color_system=None)
    show([hostile()], Sources(), out)
    assert "[bold]no[/bold]" in out.file.getvalue()  # type: ignore[attr-defined]


def test_json_round_trip(sources: Sources) -> None:
    for jam in (sample(), hostile()):
        assert json_view.parse(json_view.render([jam], sources)).jams == (jam,)


def test_json_is_checked_on_the_way_in() -> None:
    with pytest.raises(UnreadableInput, match="jams"):
        json_view.parse('{"format": "jamkey/1", "jams": [{"runtime": 3}]}')


def test_the_schema_is_fresh_and_fits() -> None:
    text = (DOCS / "jam.schema.json").read_text(encoding="utf-8")
    assert text == schema(), "run `make schema` and commit docs/jam.schema.json"
    data = msgspec.json.decode(text)
    fields = data["$defs"]["Jam"]["properties"]
    assert set("runtime phase exception_type message kind frames snag roots meaning keys chain count".split()) <= set(fields)
    assert fields["phase"]["enum"] == ["compile", "hang", "quiet", "run"]


def test_fixed_names_of_the_contract() -> None:
    data = msgspec.to_builtins(Report(jams=(sample(),)))
    jam = data["jams"][0]
    assert data["format"] == "jamkey/1"
    assert {"file", "line", "column", "end_line", "end_column", "function", "owner", "cell", "source", "values"} <= set(
        jam["frames"][0]
    )
    assert {"file", "line", "column", "reason", "steps"} <= set(jam["roots"][0])
    assert set(jam["roots"][0]["steps"][0]) == {"file", "line", "cell", "what", "text"}
    assert {"id", "title", "reason", "confidence", "edits", "trial"} <= set(jam["keys"][0])
    assert set(jam["keys"][0]["edits"][0]) == {"file", "line", "column", "end_line", "end_column", "new_text", "cell"}
    assert {"outcome", "next"} <= set(jam["keys"][0]["trial"])
    assert set(jam["chain"][0]) == {"relation", "jam"}


def test_values_are_frozen() -> None:
    with pytest.raises(AttributeError):
        sample().kind = "other"  # type: ignore[misc]


def test_markdown_fence_is_longer_than_what_it_holds() -> None:
    jam = sample(message="first\n```` inside ````", keys=())
    text = SHELF.get(".md")([jam], Sources())
    assert "`````\n```` inside ````\n`````" in text


def test_outline_without_anything() -> None:
    view = outline(Jam(runtime="python"))
    assert (view.place, view.code, view.keys) == ("", (), ())
    assert "nothing was raised" in view.headline


def test_long_paths_are_folded() -> None:
    frames = tuple(Frame(file="a.py", line=n, function=f"f{n}") for n in range(1, 30))
    view = outline(sample(frames=frames, snag=28))
    assert len(view.path) == 7
    assert view.path[3] == "... 23 more ..."


def deep_jam(frames: int) -> Jam:
    stack = tuple(
        Frame(
            file=f"hives_{n % 7}.py",
            line=n + 1,
            function=f"step_{n}",
            owner="library" if n % 5 else "yours",
            source="weigh(hive)",
        )
        for n in range(frames)
    )
    return Jam(
        runtime="python",
        exception_type="ValueError",
        message="too <b>deep</b>",
        kind="raised-on-purpose",
        frames=stack,
        snag=frames - 5 - (frames - 5) % 5,
    )


def test_a_page_opens_in_a_browser_without_an_error_or_a_request(tmp_path: Path) -> None:
    from jamkey.views.page import render

    assert shutil.which("chromium"), "chromium is not installed: .ci/run installs it"
    text = render([deep_jam(300)], Sources())
    assert len(text.encode()) < 200_000
    assert "http://" not in text and "https://" not in text
    check = "<script>document.querySelector('button[data-copy]')?.click(); console.log(document.querySelectorAll('.stop:not(.fold)').length, document.querySelectorAll('details.fold').length)</script>"
    (tmp_path / "page.html").write_text(text.replace("</body>", check + "</body>"), encoding="utf-8")
    done = subprocess.run(
        [sys.executable, "-m", "jamkey.observe.browser", str(tmp_path / "page.html")],
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.returncode, done.stderr) == (0, "")
    stops, folded = map(int, done.stdout.split())
    assert stops == 40
    assert folded > 0


def test_a_page_escapes_what_a_program_says() -> None:
    from jamkey.views.page import render

    hostile = "</script><script>alert(1)</script><img src=x onerror=alert(2)>\x1b[31m" + "A" * 2_000_000
    value = Value(name="`<i>`", type="str", text=hostile)
    frame = Frame(file="<a>.py", line=1, function="</details>", source=hostile, values=(value,))
    key = Key(id="k", title=hostile, reason="`<b>`", confidence=0.5, edits=())
    text = render(
        [Jam(runtime="python", exception_type="E", message=hostile, frames=(frame,), snag=0, keys=(key,), meaning="`<u>`")],
        Sources(),
    )
    assert "<script>alert" not in text and "<img" not in text and "<i>" not in text and "<b>" not in text and "\x1b" not in text
    assert text.count("<script>") == 1
    assert len(text) < 200_000


@pytest.mark.parametrize("room", [60, 100])
def test_what_stands_right_has_room_beside_long_places(room: int) -> None:
    place, code = "apiary/records/of_the_northern_yard/weights_by_week.py:112", "weights = read_week(yard, week, previous)"
    steps = Columns(Narrow(len(place), "cyan", keeps_end=True), Narrow(11))
    steps.add_row(Text(place), "handed over", code)
    steps.add_blank()
    steps.add_row("hives.py:3", "set", "x = 1")
    out = Console(file=io.StringIO(), width=room, color_system=None)
    out.print(steps)
    assert isinstance(out.file, io.StringIO)
    rows = out.file.getvalue().splitlines()
    assert all(len(row) <= room for row in rows)
    assert all(any(word in row for row in rows) for word in ("read_week(yard,", "week,", "previous)", "x = 1"))
    assert any("by_week.py:112" in row for row in rows), "of a path the end is kept"
