"""At the place: links in the terminal, and the editor that opens there."""

from __future__ import annotations

import io
import json
import os
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest
from rich.console import Console

from jamkey.doors.editor import editor_command
from jamkey.errors import UsageError
from jamkey.follow.sources import Sources
from jamkey.ipynb import line_in_file
from jamkey.settings import Settings
from jamkey.views.links import link_form, link_to
from jamkey.views.outline import outline
from jamkey.views.terminal import reading, show
from tests.conftest import jamkey
from tests.test_views import sample

Project = Callable[[Mapping[str, str | bytes]], Path]


def test_forms_of_links() -> None:
    assert link_form("", {"TERM": "xterm-256color"}) == f"file://{os.uname().nodename}{{path}}"
    assert link_form("", {"TERM": "xterm-kitty", "KITTY_WINDOW_ID": "1"}).endswith("#{line}")
    for environ in ({"TERM": "dumb"}, {"TERM": "linux"}, {}):
        assert link_form("", environ) == ""
    assert link_form("none", {"TERM": "xterm"}) == ""
    assert link_to(Path("/a b/gain.py"), 7, "vscode://file{path}:{line}:{column}") == "vscode://file/a%20b/gain.py:7:1"
    assert link_to(Path("/a"), 1, "") == ""
    with pytest.raises(UsageError, match=r"only .path"):
        link_form("x://{nothing}", {"TERM": "xterm"})


def test_places_are_linked_where_a_terminal_shows_them(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = project({"gain.py": "def gain(weights):\n\ttotal = sum(weights)\n\treturn totl\n", "hives.py": "a\nb\nc\nx = 1\n"})
    monkeypatch.setenv("TERM", "xterm-256color")
    view = outline(sample(), Sources(folder))
    assert view.spots["gain.py:3"] == (str(folder / "gain.py"), 3) and view.spots["hives.py:4"][1] == 4
    shown = io.StringIO()
    out = Console(file=shown, force_terminal=True, color_system="truecolor", width=100)
    show([sample()], Sources(folder), out, link="edit:{path}:{line}")
    for place in ("gain.py:3", "hives.py:4"):
        assert f";edit:{folder}/{place}\x1b\\" in shown.getvalue()
    plain = Console(file=io.StringIO(), width=100)
    show([sample()], Sources(folder), plain, link="edit:{path}:{line}")
    assert "\x1b" not in plain.file.getvalue()  # type: ignore[attr-defined]


def test_a_cell_has_no_link() -> None:
    assert reading(outline(sample()), "jam", Console(file=io.StringIO()), form="x{path}") is not None
    assert outline(sample()).spots == {}


@pytest.mark.parametrize(
    ("editor", "words"),
    [
        ("vim", ["vim", "+7", "/a b/gain.py"]),
        ("nano -l", ["nano", "-l", "+7,3", "/a b/gain.py"]),
        ("/usr/bin/emacs", ["/usr/bin/emacs", "+7:3", "/a b/gain.py"]),
        ("code -w", ["code", "-w", "--goto", "/a b/gain.py:7:3"]),
        ("unheard-of", ["unheard-of", "/a b/gain.py"]),
    ],
)
def test_editors_are_told_the_place(editor: str, words: list[str], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("EDITOR", editor)
    monkeypatch.delenv("VISUAL", raising=False)
    assert editor_command(Settings(), "/a b/gain.py", 7, 3) == words
    assert editor_command(Settings(editor="mine --at {line} {file}"), "/a b/gain.py", 7) == [
        "mine",
        "--at",
        "7",
        "/a b/gain.py",
    ]
    assert editor_command(Settings(editor="mine"), "/x.py", 7) == ["mine", "/x.py"]
    with pytest.raises(UsageError, match=r"only .file"):
        editor_command(Settings(editor="mine {where}"), "/x.py", 7)


@pytest.fixture
def editor(tmp_path: Path) -> dict[str, str]:
    """Return an environment with an editor that notes what it is asked to open."""
    folder = tmp_path / "bin"
    folder.mkdir()
    (folder / "vim").write_text(f'#!/bin/sh\nprintf "%s\\n" "$@" > {tmp_path}/opened\n', encoding="utf-8")
    (folder / "vim").chmod(0o755)
    return {"VISUAL": str(folder / "vim")}


def test_open_goes_to_the_place_to_change(project: Project, editor: dict[str, str], tmp_path: Path) -> None:
    folder = project(
        {"gain.py": "from scale import read\nprint(read()['oak'][0])\n", "scale.py": "def read():\n    return {'oak': None}\n"}
    )
    ran = jamkey("run", "--open", "gain.py", cwd=folder, env=editor)
    assert ran.status == 1 and "TypeError" in ran.err
    assert (tmp_path / "opened").read_text().split("\n")[:2] == ["+2", str(folder / "scale.py")]
    jamkey(
        "read",
        "--open",
        cwd=folder,
        env=editor,
        stdin="Traceback (most recent call last):\n  File \"gain.py\", line 1, in <module>\nNameError: name 'totl' is not defined\n",
    )
    assert (tmp_path / "opened").read_text().split("\n")[:2] == ["+1", str(folder / "gain.py")]


def test_open_in_a_notebook_counts_the_files_lines(project: Project, editor: dict[str, str], tmp_path: Path) -> None:
    cells = [
        {"cell_type": "markdown", "metadata": {}, "source": ["# weights"]},
        {
            "cell_type": "code",
            "metadata": {},
            "execution_count": None,
            "outputs": [],
            "source": ["a = 1\n", "b = 2\n", "print(totl)"],
        },
    ]
    text = json.dumps({"cells": cells, "metadata": {}, "nbformat": 4, "nbformat_minor": 5}, indent=1)
    folder = project({"hives.ipynb": text})
    jamkey("run", "--open", "hives.ipynb", cwd=folder, env=editor)
    line = int((tmp_path / "opened").read_text().split("\n")[0].lstrip("+"))
    assert "print(totl)" in text.split("\n")[line - 1]
    assert line_in_file(text, 9, 1) == 1
    flat = json.dumps(json.loads(text))
    assert line_in_file(flat, 1, 3) == 1


def test_without_an_editor_one_line_says_so(project: Project) -> None:
    folder = project({"gain.py": "print(totl)\n"})
    for env, says in (({"VISUAL": "", "EDITOR": ""}, "no editor is known"), ({"VISUAL": "/nowhere/ed"}, "does not exist")):
        ran = jamkey("run", "--open", "gain.py", cwd=folder, env=env)
        assert ran.status == 1
        assert says in ran.err.splitlines()[-1]
