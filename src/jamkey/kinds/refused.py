"""A blank within a name leaves a text whose grammar can be whole: where no key of a kind is taken, the compiler is asked.

`al val = 3;` declares a name of an unknown type, and was meant to be `al_val`. What a compiler says of it is true, and no
key for an unknown name mends it. Other edits that a compiler takes are not asked about: of a text whose grammar is whole
they please the compiler alone.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from pathlib import Path

import msgspec

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.broken_syntax import edits_of, words_of_edit
from jamkey.repair.edits import edits
from jamkey.repair.ground import Ground
from jamkey.repair.judges import available, parses, told
from jamkey.repair.mend import Mended
from jamkey.text import splice

_WORD = re.compile(r"[^\W\d]\w*")
#: Keys of a kind, and edits, that the compiler is asked about.
_ASKED = 4
#: The kind of which a slip of the fingers is.
_SLIP = "broken-syntax"
#: Endings of texts of which a compiler can be asked many: with C++'s own headers each takes half a second.
_QUICK = (".c", ".h")
#: What is left of the likelihood of a key that the compiler does not take.
_REFUSED = 0.1


def mend_besides(scene: Scene, found: Diagnosis) -> None:
    """Add the names put together with which the compiler takes the text, where it takes none of the keys that a kind has."""
    frame, language = scene.frame, scene.language
    text = scene.sources.text(frame.file) if frame is not None else None
    if frame is None or frame.line is None or language is None or text is None:
        return
    ending = os.path.splitext(frame.file)[1].lower()
    if ending not in _QUICK or not available(language.name) or parses(language.name):
        return  # there is no compiler here that judges more than the grammar, and soon
    joined = list(_joined(Ground(text, frame.line, language, scene.jam.wording or "")))[:_ASKED]
    if not joined:
        return
    keys = [key for key in sorted(found.keys, key=lambda key: -key.confidence)[:_ASKED] if key.edits]
    made = [splice(text, key.edits) for key in keys if all(edit.file == frame.file for edit in key.edits)]
    folder = str((scene.sources.root or Path()) / os.path.dirname(frame.file))
    asked = [text, *made, *(item.text for item in joined)]
    answers = told(language.name, asked, ending=ending, beside=[folder] * len(asked))
    if answers is None or "" in answers[: len(made) + 1] or "fatal error" in answers[0]:
        return
    slips = Diagnosis(kind=_SLIP, meaning="")
    for item, said in zip(joined, answers[len(made) + 1 :], strict=True):
        if not said:
            line, title, reason = words_of_edit(text, item.edits[0], frame.line)
            written = edits_of(frame.file, text, item)
            slips.key(f"join-{line}", title[:1].upper() + title[1:], reason, written, known="mended", rank=len(slips.keys))
            slips.root(frame.file, line, reason, "mended")
    if slips.keys:
        weaker = (msgspec.structs.replace(key, confidence=_REFUSED * key.confidence) for key in found.keys)
        found.keys[:] = [*slips.keys, *weaker]
        known = {(root.file, root.line) for root in found.roots}
        found.roots += [root for root in slips.roots if (root.file, root.line) not in known]


def _joined(ground: Ground) -> Iterator[Mended]:
    """Yield the texts in which two words are one that stands elsewhere too, the likeliest first."""
    before = _WORD.findall(ground.text)
    for edit in sorted(edits(ground), key=lambda edit: edit.cost):
        made = edit.of(ground.text) if edit.sort == "join" else ""
        after = _WORD.findall(made)
        if len(after) == len(before) - 1 and set(before).issuperset(after):
            yield Mended((edit,), made, edit.cost)
