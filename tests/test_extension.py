"""In a notebook, executed by a real kernel; in a terminal shell; in a plain script with `jamkey.attach()`."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import nbformat
import pytest
from jupyter_client.kernelspec import KernelSpec
from jupyter_client.manager import KernelManager
from nbclient import NotebookClient

from jamkey.journal.store import Journal
from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]
MODULE = "def heaviest(weights):\n    best = None\n    for hive, kilos in weights.items():\n        if kilos > 100:\n            best = hive\n    return best\n"
CELLS = [
    "import hives\nweights = {'north': 31.2, 'oak': 28.9}\nprint(len(weights))",
    "def title(name):\n    return name.upper()",
    "top = hives.heaviest(weights)\ntitle(top)",
    "print('after')\nsum(weights.values())",
]


class Kernel:
    """A kernel in a folder, executing cells one by one as a front end does."""

    def __init__(self, folder: Path) -> None:
        self.manager: Any = KernelManager(kernel_name="python3")
        command = [sys.executable, "-m", "ipykernel_launcher", "-f", "{connection_file}"]
        self.manager._kernel_spec = KernelSpec(argv=command, display_name="Python 3", language="python")
        self.manager.start_kernel(cwd=str(folder), stderr=subprocess.DEVNULL)
        self.client = self.manager.blocking_client()
        self.client.start_channels()
        self.client.wait_for_ready(timeout=60)

    def run(self, source: str) -> tuple[dict[str, Any], list[dict[str, Any]]]:
        """Execute a cell; return the reply and the outputs."""
        outputs: list[dict[str, Any]] = []
        reply = self.client.execute_interactive(
            source, allow_stdin=False, timeout=60, output_hook=lambda message: outputs.append(message)
        )
        found = [{"type": one["msg_type"], **one["content"]} for one in outputs]
        return dict(reply["content"]), [
            one for one in found if one["type"] in ("stream", "error", "display_data", "execute_result")
        ]

    def stop(self) -> None:
        self.client.stop_channels()
        self.manager.shutdown_kernel(now=True)


@pytest.fixture
def kernel(project: Project) -> Iterator[Kernel]:
    made = Kernel(project({"hives.py": MODULE}))
    yield made
    made.stop()


def plain(outputs: list[dict[str, Any]]) -> str:
    (shown,) = [one for one in outputs if one["type"] == "display_data"]
    return str(shown["data"]["text/plain"])


def test_a_failing_cell_shows_its_reading_below_the_trace(kernel: Kernel) -> None:
    assert kernel.run("%load_ext jamkey")[0]["status"] == "ok"
    for source in CELLS[:2]:
        assert [one["type"] for one in kernel.run(source)[1]] in ([], ["stream"])
    reply, outputs = kernel.run(CELLS[2])
    assert (reply["status"], reply["ename"]) == ("error", "AttributeError")
    assert [one["type"] for one in outputs] == ["error", "display_data"]
    text = plain(outputs)
    assert re.search(r"your line notebook\.ipynb, cell 3, line 2, in title", text)
    assert re.search(r"values name +None", text)
    # the way leads through another cell into a module
    assert re.search(r"root hives\.py:2", text) and "cell 4:1" in text and "hives.py:6" in text
    html = outputs[1]["data"]["text/html"]
    assert "<mark>name.upper</mark>" in html and "<script" not in html
    assert kernel.run("1 + 1")[1][0]["data"]["text/plain"] == "2"


def test_the_magic(kernel: Kernel) -> None:
    kernel.run("%load_ext jamkey")
    assert "no cell has failed yet" in kernel.run("%jam")[1][0]["text"]
    kernel.run("weights = [31.2]")
    kernel.run("print(wieghts)")
    assert "NameError" in plain(kernel.run("%jam")[1])
    reply, _ = kernel.run("%jam take 1")
    (payload,) = reply["payload"]
    assert (payload["source"], payload["text"], payload["replace"]) == ("set_next_input", "print(weights)", False)
    assert "the last reading has" in kernel.run("%jam take 40")[1][0]["text"]
    assert "%jam take N" in kernel.run("%jam what")[1][0]["text"]
    kernel.run("%jam instead")
    reply, outputs = kernel.run("1 / 0")
    assert (reply["status"], reply["ename"]) == ("error", "ZeroDivisionError")  # whoever runs it still sees that it failed
    assert reply["traceback"]
    assert [one["type"] for one in outputs] == ["display_data"]
    kernel.run("%jam below")
    assert [one["type"] for one in kernel.run("1 / 0")[1]] == ["error", "display_data"]
    kernel.run("%jam off")
    assert [one["type"] for one in kernel.run("1 / 0")[1]] == ["error"]
    kernel.run("%jam below")
    kernel.run("%unload_ext jamkey")
    assert [one["type"] for one in kernel.run("1 / 0")[1]] == ["error"]
    assert "not found" in json.dumps(kernel.run("%jam")[1])


def test_grammar_interrupts_and_values_that_misbehave(kernel: Kernel) -> None:
    kernel.run("%load_ext jamkey")
    assert "broken-syntax" in plain(kernel.run("weights = [31.2,\nprint(weights)")[1])
    assert [one["type"] for one in kernel.run("raise KeyboardInterrupt")[1]] == ["error"]
    kernel.run(
        "class Odd:\n    def __repr__(self):\n        raise RuntimeError('no')\n    def __getattr__(self, name):\n        raise ValueError(name)\nodd = Odd()"
    )
    text = plain(kernel.run("def weigh(hive):\n    return hive + 1\nweigh(odd)")[1])
    assert "TypeError" in text and "hive" in text
    kernel.run("api_token = 'h0ney77'")
    assert "h0ney" not in json.dumps(
        [one for one in kernel.run("len(api_token) + api_token")[1] if one["type"] == "display_data"]
    )


def test_readings_are_kept_with_their_cells(kernel: Kernel) -> None:
    kernel.run("%load_ext jamkey")
    for source in CELLS[:3]:
        kernel.run(source)
    with Journal() as journal:
        (row,) = journal.readings()
        assert (row.door, row.kind, row.file, row.line) == ("notebook", "missing-value", "notebook.ipynb", 2)
        kept = journal.last()
        assert kept is not None and kept.cells["notebook.ipynb"][2] == CELLS[1]


def test_results_are_the_same_with_and_without(project: Project) -> None:
    folder = project({"hives.py": MODULE})

    def executed(*first: str) -> list[tuple[str, list[dict[str, Any]]]]:
        book = nbformat.v4.new_notebook(cells=[nbformat.v4.new_code_cell(source) for source in (*(first or ("pass",)), *CELLS)])
        client = NotebookClient(
            book, timeout=120, kernel_name="python3", allow_errors=True, resources={"metadata": {"path": str(folder)}}
        )
        client.create_kernel_manager()
        client.km._kernel_spec = KernelSpec(
            argv=[sys.executable, "-m", "ipykernel_launcher", "-f", "{connection_file}"], display_name="", language="python"
        )
        client.execute()
        return [
            (cell.source, [dict(one) for one in cell.outputs if one.output_type != "display_data"]) for cell in book.cells[1:]
        ]

    assert executed("%load_ext jamkey") == executed()


def test_in_a_terminal_shell(project: Project) -> None:
    folder = project({"hives.py": MODULE})
    typed = "%load_ext jamkey\nimport hives\nhives.heaviest({}).upper()\n%jam\n"
    command = [sys.executable, "-m", "IPython", "--simple-prompt", "--no-banner", "--colors=NoColor"]
    done = subprocess.run(command, cwd=folder, input=typed, capture_output=True, text=True, check=False)
    assert done.stdout.count("jam AttributeError: 'NoneType' object has no attribute 'upper'") == 2
    assert "cell 3, line 1" in done.stdout and "<div" not in done.stdout


# --- plain scripts


ATTACHED = "import jamkey\ndetach = jamkey.attach({})\nweights = {{'north': 31.2}}\n{}\n"


def attached(folder: Path, rest: str, options: str = "") -> subprocess.CompletedProcess[str]:
    (folder / "gain.py").write_text(ATTACHED.format(options, rest), encoding="utf-8")
    return subprocess.run([sys.executable, "gain.py"], cwd=folder, capture_output=True, text=True, check=False)


def test_attach_reads_what_nobody_catches(project: Project) -> None:
    folder = project({})
    done = attached(folder, "print(wieghts)")
    assert done.returncode == 1
    assert "jam NameError" in done.stderr and "Write `weights` instead" in done.stderr and "Traceback" not in done.stderr
    assert "Traceback" in attached(folder, "print(wieghts)", "keep_trace=True").stderr
    thread = attached(
        folder,
        "import threading\nworker = threading.Thread(target=lambda: weights['oak'])\nworker.start()\nworker.join()\nprint('on')",
    )
    assert (thread.returncode, thread.stdout) == (0, "on\n") and "jam KeyError" in thread.stderr
    with Journal() as journal:
        assert [row.door for row in journal.readings()] == ["attach"] * 3


def test_attach_leaves_the_rest_alone(project: Project) -> None:
    folder = project({})
    assert attached(folder, "detach()\nprint(wieghts)").stderr.startswith("Traceback")
    assert attached(folder, "raise SystemExit(7)").returncode == 7
    assert attached(folder, "raise SystemExit(7)").stderr == ""
    assert "jam" not in attached(folder, "raise KeyboardInterrupt").stderr
    assert attached(folder, "print(wieghts)", "keep=False").returncode == 1
    assert jamkey("tally", cwd=folder).out.strip() == "No reading is kept yet."
    hidden = attached(folder, "import sys\nsys.modules['jamkey.api'] = None\nprint(wieghts)")
    assert (
        hidden.stderr.startswith("Traceback") and "NameError" in hidden.stderr
    )  # when we cannot, the interpreter's own trace does


def test_the_short_form_of_run(project: Project) -> None:
    folder = project(
        {"gain.py": "import sys\nprint(sys.argv, __name__)\nprint(wieghts)\n", "run": "print('a file of that name')\n"}
    )
    done = jamkey("gain.py", "--save", "x", cwd=folder)
    assert (done.status, done.out) == (1, "['gain.py', '--save', 'x'] __main__\n") and "jam NameError" in done.err
    assert "a file of that name" not in jamkey("run", cwd=folder).out
    assert jamkey("nothing.py", cwd=folder).status == 2


QUIET = [
    "rows = ['9', '10', '31']",
    "%load_ext jamkey",
    "import time\n%time top = 3\ndisplay(top)",
    "def first(rows):\n    for row in rows:\n        return row\n\n\nheaviest = max(rows)\nprint(heaviest)",
]


def test_doubts_of_the_last_cell(kernel: Kernel) -> None:
    for source in QUIET:
        assert kernel.run(source)[0]["status"] == "ok"
    (told,) = kernel.run("%jam doubts")[1]
    assert told["type"] == "stream"
    assert re.fullmatch(r"jamkey: cell 4, line 6: numbers are put in order as texts here: .*'10'.*\n", told["text"]), told[
        "text"
    ]
    kernel.run("open('seen', 'a').write('x')\nprint(len(rows))")
    assert [one["text"] for one in kernel.run("%jam doubts")[1]] == ["jamkey: nothing odd in cell 6, 1 in others\n"]
    (folder,) = [one["data"]["text/plain"] for one in kernel.run("import os\nos.getcwd()")[1]]
    assert (Path(folder.strip("'")) / "seen").read_text() == "x", "what the second run writes is not here"
