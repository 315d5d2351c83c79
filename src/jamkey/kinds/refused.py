"""A slip of the fingers can leave a text whose grammar is whole: where no key of a kind is taken, the compiler is searched.

`al val = 3;` declares a name of an unknown type, and was meant to be `al_val`. What a compiler says of it is true, and no
key for an unknown name mends it.
"""

from __future__ import annotations

import os
import re
from collections.abc import Sequence
from pathlib import Path

import msgspec

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.broken_syntax import edits_of, words_of_edit
from jamkey.languages.trees import is_whole
from jamkey.model import Key
from jamkey.repair.judges import available, parses, told
from jamkey.repair.mend import Mended, mend
from jamkey.text import splice

#: Sorts of edits that lose nothing: where the grammar is whole another sign, or one more, may please the compiler alone.
_KEEPING = ("join", "exchange", "swap")
#: Sorts of edits of one sign, where they are likelier a slip of the fingers than not (in logs).
_MOVING, _EVEN = ("insert", "delete"), 0.0
_WORD = re.compile(r"[^\W\d]\w*")
#: Keys of a kind that the compiler is asked about, and mended texts that are offered.
_ASKED, _MOST = 4, 3
#: The kind of which a slip of the fingers is.
_SLIP = "broken-syntax"
#: Endings of texts of which a compiler can be asked many: with C++'s own headers each takes half a second.
_QUICK = (".c", ".h")
#: What is left of the likelihood of a key that the compiler does not take.
_REFUSED = 0.1


def mend_besides(scene: Scene, found: Diagnosis) -> None:
    """Add the edits after which the compiler takes the text, where it takes none of the keys that a kind has."""
    frame, language = scene.frame, scene.language
    text = scene.sources.text(frame.file) if frame is not None else None
    if frame is None or frame.line is None or language is None or text is None:
        return
    ending = os.path.splitext(frame.file)[1].lower()
    if ending not in _QUICK or not available(language.name) or parses(language.name):
        return  # there is no compiler here that judges more than the grammar, and soon
    folder = str((scene.sources.root or Path()) / os.path.dirname(frame.file))
    if _is_taken(text, found.keys, frame.file, language.name, folder, ending):
        return
    message = scene.jam.wording or ""
    stop = (frame.column, frame.end_column or frame.column) if frame.column else None
    mended = mend(text, frame.line, language, message=message, ending=ending, stop=stop, folder=folder)
    if is_whole(text, language.name, ending):
        mended = [item for item in mended if _is_kept(text, item)]
    if not mended:
        return
    slips = Diagnosis(kind=_SLIP, meaning="")
    for rank, item in enumerate(mended[:_MOST]):
        line, title, reason = words_of_edit(text, item.edits[0], frame.line)
        if len(item.edits) > 1:
            title += f", then {words_of_edit(item.edits[0].of(text), item.edits[1], frame.line)[1]}"
        name = f"{item.edits[0].sort}-{line}-{rank}"
        slips.key(name, title[:1].upper() + title[1:], reason, edits_of(frame.file, text, item), known="mended", rank=rank)
        slips.root(frame.file, line, reason, "mended", rank=rank)
    found.keys[:] = [*slips.keys, *(msgspec.structs.replace(key, confidence=_REFUSED * key.confidence) for key in found.keys)]
    known = {(root.file, root.line) for root in found.roots}
    found.roots += [root for root in slips.roots if (root.file, root.line) not in known]


def _is_kept(text: str, item: Mended) -> bool:
    """Tell edits that put together what stands there, into words of the text, or a sign that fingers add or miss."""
    before, after = _WORD.findall(text), _WORD.findall(item.text)
    kept = all(edit.sort in _KEEPING for edit in item.edits) and set(before).issuperset(after)
    return kept or (item.cost < _EVEN and before == after and all(edit.sort in _MOVING for edit in item.edits))


def _is_taken(text: str, keys: Sequence[Key], file: str, language: str, folder: str, ending: str) -> bool:
    """Tell whether the compiler takes the text with one of the keys, or as it is."""
    made = [text]
    for key in sorted(keys, key=lambda key: -key.confidence)[:_ASKED]:
        if key.edits and all(edit.file == file for edit in key.edits):
            made.append(splice(text, key.edits))
    answers = told(language, made, ending=ending, beside=[folder] * len(made))
    return answers is None or "" in answers or "fatal error" in answers[0]
