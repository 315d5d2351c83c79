"""The page, in a real headless browser: complete, quiet, readable at every width, usable by keyboard, harmless."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import pytest

from jamkey.follow.sources import Sources
from jamkey.model import Frame, Jam, Key, Root, Step, Value
from jamkey.views.drawing import WIDTH, Node, picture
from jamkey.views.page import MADE_BY, render
from tests.conftest import jamkey
from tests.test_views import deep_jam, hostile

Project = Callable[[Mapping[str, str | bytes]], Path]
FILES = {
    "best.py": "from apiary import ranked\n\n\ndef best(order, count):\n    return order[:count]\n\n\ndef report():\n    order = ranked(['oak', 'north'])\n"
    "    print(best(order, 2))\n\n\nreport()\n",
    "apiary.py": "def ranked(hives):\n    hives = list(hives)\n    return hives.sort()\n",
}


def visit(page: Path, question: str) -> Any:
    """Open a page, ask it something (a JavaScript expression) once it is loaded, and make sure that nothing went wrong there."""
    assert shutil.which("chromium"), "chromium is not installed: .ci/run installs it"
    text = page.read_text(encoding="utf-8")
    asking = page.with_name(f"asking-{page.name}")
    script = (
        f"<script>addEventListener('load', async () => console.log('ANSWER' + JSON.stringify(await ({question}))))</script>"
    )
    asking.write_text(text.replace("</body>", script + "</body>"), encoding="utf-8")
    done = subprocess.run(
        [sys.executable, "-m", "jamkey.observe.browser", str(asking)], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stderr) == (0, ""), done.stderr
    return json.loads(next(line for line in done.stdout.splitlines() if line.startswith("ANSWER"))[6:])


@pytest.fixture
def page(project: Project) -> Path:
    folder = project(FILES)
    jamkey("fix", "--preview", "best.py", cwd=folder)
    done = jamkey("page", cwd=folder)
    assert (done.status, done.out) == (0, "") and done.err.startswith("jam.html: reading 1, TypeError")
    return folder / "jam.html"


def test_everything_of_a_reading_is_there(page: Path) -> None:
    found = visit(
        page,
        """({
        head: document.querySelector('h1').textContent, snag: document.querySelector('.stop.snag .where').textContent,
        mark: document.querySelector('.stop.snag mark').textContent, values: document.querySelector('.stop.snag table').textContent,
        root: document.querySelector('.stop.root .where').textContent,
        steps: [...document.querySelectorAll('.badge')].map((one) => [one.textContent, one.closest('.row').querySelector('pre').textContent.trim()]),
        boxes: [...document.querySelectorAll('svg a')].map((one) => one.getAttribute('href')), ways: document.querySelectorAll('svg .way').length,
        keys: [...document.querySelectorAll('.key h3')].map((one) => one.textContent), tried: document.querySelector('.key .runs').textContent,
        raw: document.body.textContent.includes('Traceback (most recent call last)'), requests: performance.getEntriesByType('resource').length,
        targets: [...document.querySelectorAll('svg a')].every((one) => document.querySelector(one.getAttribute('href'))) })""",
    )
    assert found["head"].startswith("TypeError")
    assert (found["snag"], found["mark"]) == ("best.py:5 in best", "order[:count]")
    assert "order" in found["values"] and "None" in found["values"]
    assert found["root"] == "apiary.py:3"
    assert sorted(found["steps"]) == [
        ["1", "return hives.sort()"],
        ["2", "order = ranked(['oak', 'north'])"],
        ["3", "print(best(order, 2))"],
    ]
    assert len(found["boxes"]) == 4 and found["targets"] and found["ways"] == 2
    assert len(found["keys"]) >= 2 and found["tried"] == "tried: runs"
    assert found["raw"] and found["requests"] == 0
    assert page.stat().st_size < 200_000
    assert "http" not in re.sub(r"xmlns=\S+", "", page.read_text(encoding="utf-8")).replace("http-equiv", "")


def framed(width: int, question: str) -> str:
    """Return an expression that asks the page in a frame of a width."""
    return f"""new Promise((done) => {{
        const copy = document.documentElement.cloneNode(true);
        copy.querySelectorAll('script').forEach((one) => one.remove());
        const frame = document.createElement('iframe');
        frame.style = 'border: 0; width: {width}px; height: 800px';
        frame.srcdoc = '<!doctype html>' + copy.outerHTML;
        frame.onload = () => {{ const inside = frame.contentDocument; const view = frame.contentWindow; done({question}); }};
        document.body.append(frame); }})"""


@pytest.mark.parametrize("width", [400, 1280])
def test_readable_at_every_width(page: Path, width: int) -> None:
    text = page.read_text(encoding="utf-8").replace("default-src 'none';", "default-src 'none'; frame-src 'self';")
    page.write_text(text, encoding="utf-8")
    found = visit(
        page,
        framed(
            width,
            """({
        wide: inside.documentElement.scrollWidth, size: parseFloat(view.getComputedStyle(inside.querySelector('.row pre')).fontSize),
        beside: inside.querySelector('.drawn').getBoundingClientRect().right <= inside.querySelector('.stop').getBoundingClientRect().left })""",
        ),
    )
    assert found["wide"] <= width
    assert found["size"] >= 12
    assert found["beside"] is (width == 1280)


def test_light_dark_and_print_are_readable(page: Path) -> None:
    """Each colour of text stands out from the ground it is on: a contrast of 4.5, as WCAG 2.1 asks (AA)."""
    text = page.read_text(encoding="utf-8")
    light = dict(re.findall(r"--([\w-]+): (#[0-9a-f]{6})", text.split("@media (prefers-color-scheme: dark)")[0]))
    dark = dict(re.findall(r"--([\w-]+): (#[0-9a-f]{6})", text.split("@media (prefers-color-scheme: dark)")[1].split("* {")[0]))
    for colours in (light, dark):
        for ink, grounds in {
            "ink": ("ground", "card"),
            "quiet": ("ground", "card"),
            "bad": ("card", "bad-soft"),
            "root": ("card", "root-soft"),
            "good": ("card",),
        }.items():
            for ground in grounds:
                assert contrast(colours[ink], colours[ground]) >= 4.5, (ink, ground, colours is dark)
    assert "@media print" in text


def contrast(one: str, other: str) -> float:
    def light(colour: str) -> float:
        parts = [int(colour[place : place + 2], 16) / 255 for place in (1, 3, 5)]
        parts = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    high, low = sorted((light(one), light(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def test_by_keyboard(page: Path) -> None:
    found = visit(
        page,
        """(async () => {
        const stops = [...document.querySelectorAll('a[href], summary, button')]; const order = stops.map((one) => { one.focus(); return document.activeElement === one; });
        const fold = document.querySelector('details'); fold.querySelector('summary').click(); const open = fold.open;
        const button = document.querySelector('button[data-copy]'); button.click(); await new Promise((done) => setTimeout(done, 200)); const picture = document.querySelector('svg');
        return { order: order.every(Boolean), count: stops.length, open, copied: button.textContent, label: picture.getAttribute('aria-label'), lang: document.documentElement.lang }; })()""",
    )
    assert found["order"] and found["open"] and found["count"] > 6
    assert found["copied"] == "Copied" and found["label"] and found["lang"] == "en"


def test_three_hundred_frames_are_usable(tmp_path: Path) -> None:
    path = tmp_path / "deep.html"
    path.write_text(render([deep_jam(300)], Sources()), encoding="utf-8")
    assert path.stat().st_size < 200_000
    found = visit(
        path,
        "({ stops: document.querySelectorAll('.stop:not(.fold)').length, boxes: document.querySelectorAll('svg rect').length,"
        " unfolded: document.querySelectorAll('details[open]').length, time: performance.now() })",
    )
    assert found["stops"] == 40 and found["boxes"] <= 16 and found["unfolded"] == 0


def test_calls_that_follow_themselves_are_one_stop() -> None:
    frames = (
        Frame(file="a.py", line=9),
        *(Frame(file="a.py", line=4, function="walk") for _ in range(120)),
        Frame(file="a.py", line=2, function="walk"),
    )
    text = render([Jam(runtime="python", frames=frames, snag=121)], Sources())
    assert text.count('<section class="stop') == 3
    assert "120 times in a row" in text


def test_hostile_text_does_nothing(tmp_path: Path) -> None:
    path = tmp_path / "bad.html"
    jam = hostile()
    attack = "</script><script>document.title='taken'</script><img src=x onerror=\"document.title='taken'\"><svg onload=\"document.title='taken'\">\x1b[2J\x00"
    steps = (Step(file=attack, line=1, what=attack, text=attack),)
    jam = Jam(
        runtime=attack,
        exception_type=attack,
        message=attack + "A" * 2_000_000,
        kind=attack,
        meaning=f"`{attack}`",
        causes=(attack,),
        look_at=attack,
        frames=(
            Frame(file=attack, line=1, function=attack, source=attack, values=(Value(name=attack, type=attack, text=attack),)),
            Frame(file="x", owner="library", function=attack),
        ),
        snag=0,
        roots=(Root(file=attack, line=3, reason=attack, steps=steps),),
        keys=(Key(id="k", title=attack, reason=attack, confidence=1), *jam.keys),
        avoid=attack,
    )
    sources = Sources()
    sources.printed = attack * 1000
    path.write_text(render([jam, hostile()], sources), encoding="utf-8")
    assert path.stat().st_size < 400_000
    found = visit(
        path, "({ title: document.title, images: document.querySelectorAll('img').length, scripts: document.scripts.length })"
    )
    assert found["images"] == 0 and found["scripts"] == 2  # ours, and the one that asks
    assert found["title"] != "taken"
    assert "\x1b" not in path.read_text(encoding="utf-8") and "\x00" not in path.read_text(encoding="utf-8")


def test_the_picture_keeps_what_matters_of_a_long_path() -> None:
    nodes = [
        Node(
            name=f"s{number}",
            title=f"hives.py:{number} in f",
            snag=number == 50,
            root=number == 20,
            steps=(1,) if number == 20 else (),
        )
        for number in range(80)
    ]
    found = picture(nodes)
    names = [box.node.name for box in found.boxes]
    assert {"s0", "s20", "s50", "s79"} <= set(names) and len(names) < 20
    assert [box.node.small for box in found.boxes if box.node.small] == ["16 more", "29 more", "23 more"]
    assert len(found.way) == 1
    assert all(box.x >= 0 and box.x + box.width <= WIDTH and box.y + box.height <= found.height for box in found.boxes)


def test_a_users_own_file_is_not_overwritten(page: Path) -> None:
    assert MADE_BY in page.read_text(encoding="utf-8")
    assert jamkey("page", cwd=page.parent).status == 0  # our own one is
    page.write_text("<p>jam recipes</p>", encoding="utf-8")
    done = jamkey("page", cwd=page.parent)
    assert done.status == 2 and "--save" in done.err
    assert page.read_text(encoding="utf-8") == "<p>jam recipes</p>"
    assert jamkey("page", "--save", "other.html", "--save", "x.md", cwd=page.parent).status == 0
    assert (page.parent / "other.html").exists() and (page.parent / "x.md").read_text(encoding="utf-8").startswith(
        "## TypeError"
    )
