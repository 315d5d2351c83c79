"""A reading as Markdown, for a question to a colleague."""

from __future__ import annotations

from collections.abc import Sequence

from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.views.outline import Outline, Shown, outline


def render(jams: Sequence[Jam], sources: Sources) -> str:
    """Return the readings as Markdown (CommonMark)."""
    return "\n\n".join(_one(outline(jam, sources)) for jam in jams) + "\n"


def _fence(lines: Sequence[str], language: str = "") -> str:
    """Return a code block whose fence is longer than any run of backticks inside."""
    text = "\n".join(lines)
    longest = max((len(run) for run in _runs(text)), default=0)
    fence = "`" * max(3, longest + 1)
    return f"{fence}{language}\n{text}\n{fence}"


def _runs(text: str) -> list[str]:
    runs, current = [], ""
    for character in text + " ":
        if character == "`":
            current += character
        elif current:
            runs.append(current)
            current = ""
    return runs


def _escape(text: str) -> str:
    """Keep text from being markup; code in backticks stays as it is."""
    parts = text.split("`")
    for index in range(0, len(parts), 2):
        for character in "\\*_[]<>#|":
            parts[index] = parts[index].replace(character, "\\" + character)
    return "`".join(parts)


def _one(view: Outline) -> str:
    """Return what a stranger to the program needs: what happened, the lines that matter, versions, what was tried."""
    blocks = [f"## {_escape(view.headline)}", f"*{_escape(view.subtitle)}*"]
    if view.more_message:
        blocks.append(_fence(view.more_message))
    if view.place:
        blocks.append(f"**It fails here:** {_escape(view.place)}")
        rows: list[str] = []
        for line in view.code:
            rows.append(f"{'>' if line.here else ' '} {line.number:>4}  {line.text}")
            if line.mark is not None:
                rows.append(" " * (8 + line.mark[0]) + "▔" * (line.mark[1] - line.mark[0]))
        if rows:
            blocks.append(_fence(rows))
    if view.values:
        rows = [f"{name} = {text}   ({kind})" for name, text, kind in view.values]
        blocks += ["**Values there:**", _fence(rows)]
    if view.root:
        blocks.append(f"**It seems to come from:** {_escape(view.root)}")
    if view.steps:
        blocks.append(_fence([f"{place}  {what}  {code}" for place, what, code in view.steps]))
    if view.path:
        folded = f" ({view.folded} other frames folded)" if view.folded else ""
        blocks.append("**Path of calls:** " + _escape(" > ".join(view.path)) + folded)
    if view.chain:
        blocks.append("**Linked failures:**\n\n" + "\n".join(f"- {_escape(line)}" for line in view.chain))
    blocks.append("**Versions:** " + _escape(", ".join(view.versions)))
    blocks.append(f"**What it means, as far as I know:** {_escape(view.meaning)}")
    if view.causes and not view.keys:
        blocks.append("**Usual causes:**\n\n" + "\n".join(f"- {_escape(cause)}" for cause in view.causes))
    tried = [shown for shown in view.keys if shown.key.trial.outcome != "untried"]
    left = [shown for shown in view.keys if shown.key.trial.outcome == "untried"]
    if tried:
        blocks += ["### What was tried", *map(_key, tried)]
    if left:
        blocks += ["### What could be tried", *map(_key, left)]
    return "\n\n".join(blocks)


def _key(shown: Shown) -> str:
    trial = f" ({_escape(shown.trial)})" if shown.key.trial.outcome != "untried" else ""
    text = f"**{_escape(shown.key.title)}**{trial}"
    if shown.key.reason:
        text += f"\n\n{_escape(shown.key.reason)}"
    if shown.diff:
        text += "\n\n" + _fence([f"{sign} {code}" for _, _, sign, code in shown.diff], "diff")
    if shown.printed:
        text += "\n\nWith it this is printed last:\n\n" + _fence(shown.printed)
    return text
