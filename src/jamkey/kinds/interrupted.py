"""Stopped from outside, and not in a loop of the program's own as far as is known: it waited, or did long work."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, indent_of, insert_line, show, trace_names
from jamkey.model import Edit


class Interrupted:
    """See the module."""

    name = "interrupted"
    title = "stopped from outside"
    about = "The program did not fail: it was stopped from outside, by Ctrl-C or by the limit."
    usual = (
        "it waits for input, a lock, a queue or another program that never answers",
        "it sleeps longer than meant",
        "it was simply stopped too early",
    )
    avoid = "Give every wait a time after which it gives up."
    example = "import time\n\ntime.sleep(60)\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Say where it was, and what share of its time it used a processor, where that is known."""
        found = Diagnosis(kind=self.name, meaning=self.about, avoid=self.avoid, causes=list(self.usual))
        if scene.frame is None:
            return found
        found.meaning = f"The program was stopped at `{show(scene.frame.source or '')}`."
        if "busy" in scene.facts:
            found.meaning += f" Until then it used a processor for {float(scene.facts['busy']):.0%} of its time."
        found.look_at = "Ask what should have ended this, a wait or long work, and whether it can still happen."
        found.root(scene.frame.file, scene.line, "it was here when it was stopped", "snag")
        trace_names(scene, found, "what it waits for or works on comes from here")
        self._keys(scene, found)
        return found

    def _keys(self, scene: Scene, found: Diagnosis) -> None:
        """What the wait is for: a sleep, a queue that stays empty, an event nobody sets."""
        frame = scene.frame
        if frame is None:
            return
        row = scene.row(frame.file, scene.line)
        text = scene.sources.text(frame.file) or ""
        sleeps = re.search(r"\bsleep\(([^()]*)\)", row)
        if sleeps is not None:
            found.meaning = f"The program was stopped while it slept: `{show(sleeps[0])}`."
            found.key(
                "sleep-less",
                "Wait a moment only: `sleep(0.1)`",
                "it waits longer than it was given",
                [self._within(frame.file, scene.line, sleeps.start(1), sleeps.end(1), "0.1")],
            )
        if re.search(r"\.join\(\)", row):
            for name in re.findall(r"\b(\w+)\b[^=\n]*=\s*[^\n]*\bEvent\(\)", text):
                if not re.search(rf"\b{name}\.set\(", text):
                    found.meaning = f"The program waits for a thread that waits for `{name}`, and nothing sets `{name}`."
                    found.key(
                        "set-event",
                        f"Set the event first: `{name}.set()`",
                        "the thread waits for it",
                        [insert_line(frame.file, scene.line, f"{indent_of(scene, frame.file, scene.line)}{name}.set()")],
                    )
        if re.search(r"\.get\(\)", row):
            found.meaning = "The program waits for an item of a queue that stays empty."
            for root in found.roots:
                called = scene.row(root.file, root.line)
                for match in re.finditer(r"(?<=[(, ])(\d+)(?=\s*[,)])", called):
                    fewer = str(int(match[1]) - 1)
                    found.key(
                        f"fewer-{root.line}",
                        f"Ask for {fewer} items instead of {match[1]} on line {root.line}",
                        "fewer were put in",
                        [self._within(root.file, root.line, match.start(1), match.end(1), fewer)],
                    )

    def _within(self, file: str, line: int, start: int, end: int, new: str) -> Edit:
        return Edit(file=file, line=line, column=start + 1, end_line=line, end_column=end + 1, new_text=new)


KIND = Interrupted()
