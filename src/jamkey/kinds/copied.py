"""Code that was copied from a console together with its prompts, where a prompt happens to read as code."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.broken_syntax import edit_of, words_of_prompt
from jamkey.repair.of_prompts import beside_the_typed, prompt_of


def leave_out_prompts(scene: Scene, found: Diagnosis, name: str) -> None:
    """Offer the text without its prompts, where the line that failed begins with one, of which the name is the first word."""
    frame = scene.frame
    text = scene.sources.text(frame.file) if frame is not None else None
    language = scene.language
    if frame is None or text is None or language is None:
        return
    prompt = prompt_of(scene.row(frame.file, scene.line))
    if not prompt.startswith(f"{name} ["):
        return
    changes = beside_the_typed(text, language.name)
    title, reason = words_of_prompt(prompt, scene.line, any("\n" in text[start:end] for start, end, _ in changes))
    found.root(frame.file, scene.line, reason, "copied")
    found.key("copied", title[:1].upper() + title[1:], reason, [edit_of(frame.file, text, *change) for change in changes])
    found.meaning = f"{reason[:1].upper()}{reason[1:]}: it was copied together with what was typed there."
    found.look_at = "Leave out the prompts, and what the console printed: only what was typed is the program."
