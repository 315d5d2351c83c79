"""The whole flow in one screen: text -> jams -> kind and facts -> snag -> roots, meaning, keys."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path, PurePath

import msgspec

from jamkey.budget import Budget
from jamkey.errors import NoFailureFound
from jamkey.follow.frames import ALONE, locate, owner_of
from jamkey.follow.likely import LEADS, likely
from jamkey.follow.own_exit import KNOWN_WORDS
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.ipynb import cell_number, cells_of
from jamkey.kinds import SHELF as KINDS
from jamkey.kinds.base import Kind
from jamkey.kinds.by_evidence import by_evidence
from jamkey.kinds.claims import is_true, true_part
from jamkey.kinds.judge import sound_keys
from jamkey.languages import is_source
from jamkey.languages.traits import traits_of
from jamkey.model import Frame, Jam, Key, Link, Root, Value
from jamkey.phrases import classify, is_fallback, is_worded
from jamkey.phrases.signs import kind_by_signs
from jamkey.readers import read_all
from jamkey.settings import Settings
from jamkey.text import splice

TYPE_CHECKING = False
if TYPE_CHECKING:
    from jamkey.tongues import Turned


def read(text: str, *, runtime: str | None = None) -> list[Jam]:
    """Return every failure in a text, with kind and facts; needs no file system.

    Args:
        text: what programs printed; other output around it is allowed.
        runtime: such as `python`, where it is known.

    >>> [jam.kind for jam in read("Traceback (most recent call last):\\n  File \\"a.py\\", line 1, in <module>\\n"
    ...                           "    print(totl)\\nNameError: name 'totl' is not defined\\n")]
    ['unknown-name']
    """
    jams, strange = _named(read_all(text, only=runtime))
    if strange and (runtime is None or traits_of(runtime).translated):
        from jamkey.readers.pasted import as_printed
        from jamkey.tongues import turned

        if (english := turned(as_printed(text))) is not None:
            jams = _named([_in_both(jam, english) for jam in read_all(english.text, only=runtime)])[0] or jams
    if not jams:
        from jamkey.readers.not_started import not_started

        jams = [jam for jam in not_started(text) if runtime in (None, jam.runtime)]
    return _with_children(jams)


def _named(jams: Sequence[Jam]) -> tuple[list[Jam], bool]:
    """Return the jams with kind and facts; and whether another language may tell more: nothing was read, or words not known."""
    found: list[Jam] = []
    strange = not jams
    for jam in jams:
        found.append(named(_bounded(jam)))
        if not strange and traits_of(jam.runtime).translated:
            strange = not is_worded(jam.runtime, jam.exception_type, jam.message)
    return found, strange


def _in_both(jam: Jam, turned: Turned) -> Jam:
    """Give a jam that was read in English its own words back; the English ones stand beside them."""
    message = jam.message or ""
    rows = [turned.own.get(row, row) for row in message.split("\n")]
    own = turned.own.get(message) or "\n".join(rows)
    return msgspec.structs.replace(jam, message=own, english=message) if own != message else jam


def named(jam: Jam) -> Jam:
    """Return the jam with its kind and facts, and its chain's likewise."""
    chain = tuple(Link(relation=link.relation, jam=named(link.jam)) for link in jam.chain)
    kind, facts = classify(jam.runtime, jam.exception_type, jam.wording, jam.phase)
    if jam.phase == "hang" and jam.exception_type is None:
        kind = jam.kind or "interrupted"
    if jam.phase == "run" and jam.frames and jam.exception_type and _checks_itself(jam):
        kind = "raised-on-purpose"
    if _is_thrown(jam) and is_fallback(jam.runtime, jam.exception_type, jam.wording):
        kind = "raised-on-purpose"
    kind = _by_sign(jam) or kind
    facts = {**jam.facts, **facts}
    if kind == "no-such-member" and facts.get("receiver") in ("nil", "None", "null"):
        # nothing is asked for a member: what is missing is the object
        kind = "missing-value"
    cause = next((link.jam for link in chain if link.relation == "caused-by"), None)
    if kind == "of-its-cause":
        kind, facts = (cause.kind, cause.facts) if cause is not None else ("raised-on-purpose", facts)
    member = next((link.jam for link in chain if link.relation == "member-of"), None)
    if member is not None and jam.exception_type and "Group" in jam.exception_type:
        # a group stands for its members; the first one decides what it is about
        kind, facts = member.kind, member.facts
    return msgspec.structs.replace(jam, kind=kind, facts=facts, chain=chain)


def _checks_itself(jam: Jam) -> bool:
    """Tell a check of the program's own: its innermost line raises."""
    frame = jam.frames[-1]
    raises = (frame.source or "").startswith(traits_of(jam.runtime).raises_by) if frame.source else False
    return raises and owner_of(frame.file, Sources(), Settings()) == "yours"


def _by_sign(jam: Jam) -> str | None:
    """Return what a library's check is about, by its words; None where it is another's, or they do not tell."""
    if jam.phase != "run" or (jam.exception_type or "").endswith("Warning"):
        return None  # a filter makes exceptions of warnings
    if not is_fallback(jam.runtime, jam.exception_type, jam.wording):
        return _by_counts(jam)
    if traits_of(jam.runtime).raises_by:
        return kind_by_signs(jam.wording) if _is_a_librarys(jam) else None
    # whose check it is does not show in the trace; what the program says itself is told apart where its source is there
    usual, _ = classify(jam.runtime, jam.exception_type, jam.wording, jam.phase)
    return kind_by_signs(jam.wording) if usual == "raised-on-purpose" or _is_thrown(jam) else None


#: Kinds that a library's words tell more surely than the type that it raises.
_COUNTED = frozenset(["wrong-count", "shape-mismatch"])


def _by_counts(jam: Jam) -> str | None:
    """Return that lengths or shapes do not fit, where a library's check says so by a type that tells less."""
    kind, _ = classify(jam.runtime, jam.exception_type, jam.wording, jam.phase)
    if kind != "wrong-type" or is_worded(jam.runtime, jam.exception_type, jam.wording) or not _is_a_librarys(jam):
        return None
    sign = kind_by_signs(jam.wording)
    return sign if sign in _COUNTED else None


def _is_thrown(jam: Jam) -> bool:
    """Tell an object that a program threw from what its system ended it for."""
    return "thrown" in jam.facts


def _may_be_own(jam: Jam, sign: str | None) -> bool:
    """Tell where a message may be the program's own though no line of the trace raises it: made here, raised elsewhere."""
    traits = traits_of(jam.runtime)
    if traits.native_unseen or jam.phase != "run":
        return False
    if _is_thrown(jam):
        return jam.kind != "raised-on-purpose"
    if not traits.raises_by:
        return sign is not None
    return jam.kind != "raised-on-purpose" and not is_worded(jam.runtime, jam.exception_type, jam.wording)


def _says_it_itself(jam: Jam, sources: Sources) -> bool:
    from jamkey.follow.named_lines import writes_it
    from jamkey.follow.unplaced import codes_of

    return writes_it(jam, codes_of(jam, sources))


#: What is wrong where a compiler cannot read on.
_UNREAD = "broken-syntax"


def _by_compiler(jam: Jam, sources: Sources) -> str | None:
    """Return what a compiler refuses, where no table knows its message, or where that tells what comes second.

    A compiler looks names and types up while it reads: it refuses one before it says that it cannot read on. Where a tree of
    the language does not fit the line either, that is what is wrong.
    """
    if jam.phase != "compile" or not traits_of(jam.runtime).compiled:
        return None
    by_words = jam.kind if is_fallback(jam.runtime, jam.exception_type, jam.wording) and jam.kind != _UNREAD else None
    if jam.snag is None:
        return by_words
    from jamkey.languages.trees import fits_at

    frame = jam.frames[jam.snag]
    language, text = sources.language(frame.file, jam.runtime), sources.text(frame.file)
    if language is None or text is None or frame.line is None:
        return by_words
    ending = PurePath(frame.file).suffix.lower()
    if jam.kind != _UNREAD and not fits_at(text, frame.line, language.name, ending):
        return _UNREAD
    return by_words


def _is_a_librarys(jam: Jam) -> bool:
    """Tell a library's check from the program's own, by the line that raised it."""
    if not jam.frames or jam.exception_type is None or any(jam.frames[-1] in link.jam.frames for link in jam.chain):
        return False  # where it was raised is not known: the innermost place is the cause's
    frame = jam.frames[-1]
    own = owner_of(frame.file, Sources(), Settings()) == "yours"
    unseen = traits_of(jam.runtime).native_unseen and frame.source and not _checks_itself(jam)
    return bool(not own or unseen)


def _with_children(jams: Sequence[Jam]) -> list[Jam]:
    """Hand a failure that was printed just before `child failed` to the one that reports it."""
    found: list[Jam] = []
    for jam in jams:
        before = found[-1] if found else None
        if jam.kind == "child-failed" and before is not None:
            found[-1] = msgspec.structs.replace(jam, chain=(*jam.chain, Link(relation="carried-by", jam=before)))
        else:
            found.append(jam)
    return found


def diagnose(jam: Jam, sources: Sources | None = None, settings: Settings | None = None) -> Jam:
    """Return the jam located, with roots, meaning and keys; keys are not tried yet.

    Args:
        jam: from `read` or from the agent.
        sources: where source text comes from; without it the text alone must do.
        settings: the project's, for whose code is whose.
    """
    sources = sources or Sources()
    if any(frame.cell is not None or cell_number(frame.file) is not None for frame in jam.frames):
        from jamkey.follow import cell_module as notebooks

        inside, module = notebooks.placed(jam, sources)
        if module is not None:
            return notebooks.back_in_cells(_diagnosed(named(inside), sources, settings or Settings()), module)
    if jam.kind is None:
        jam = named(jam)
    return _diagnosed(jam, sources, settings or Settings())


#: Seconds that one reading may take; what was left out then is said.
BUDGET = 3.0
#: Failures of a chain that are kept: the first ones and the last ones.
_MOST_LINKS = 24


def _bounded(jam: Jam) -> Jam:
    """Cut a chain of very many failures in the middle; nothing here may recurse as deep as a text can."""
    line = [jam]
    while line[-1].chain:
        line.append(line[-1].chain[0].jam)
    if len(line) <= 2 * _MOST_LINKS:
        return jam
    kept = line[:_MOST_LINKS] + line[-_MOST_LINKS:]
    made = kept[-1]
    for outer in reversed(kept[:-1]):
        made = msgspec.structs.replace(outer, chain=(Link(relation=outer.chain[0].relation, jam=made), *outer.chain[1:]))
    return made


def _diagnosed(jam: Jam, sources: Sources, settings: Settings) -> Jam:
    sources.budget = Budget(BUDGET)
    sources.left_out.clear()
    jam = locate(jam, sources, settings)
    chain = tuple(
        Link(relation=link.relation, jam=diagnose(link.jam, sources, settings)) if link.relation == "carried-by" else link
        for link in jam.chain
    )
    jam = msgspec.structs.replace(jam, chain=chain)
    jam = _deepest(_full_stack(_hang(jam, sources)))
    sign, missed = _by_sign(jam) or _by_compiler(jam, sources), jam.kind
    if sign is not None and jam.phase == "compile":
        jam = msgspec.structs.replace(jam, kind=sign)
    elif _may_be_own(jam, sign) and _says_it_itself(jam, sources):
        jam = msgspec.structs.replace(jam, kind="raised-on-purpose")
    drifted = {frame.file for frame in jam.frames if frame.changed}
    sources = sources.without(drifted) if drifted else sources
    jam = by_evidence(jam, sources)
    # a library's check says itself what is wrong: of a kind told by its words alone, no more is known to be true
    told = jam.kind if sign is None and jam.kind in KINDS else None
    kind: Kind = KINDS.get(told or ("broken-syntax" if jam.phase == "compile" else "raised-on-purpose"))
    scene = Scene(jam, sources)
    found = kind.diagnose(scene)
    if missed and jam.phase == "compile" and missed != jam.kind == _UNREAD and not found.keys:
        # nothing small makes the compiler read on: the tree may not know all of the language
        jam, kind = msgspec.structs.replace(jam, kind=missed), KINDS.get(missed)
        scene = Scene(jam, sources)
        found = kind.diagnose(scene)
    if jam.phase == "compile" and jam.kind != _UNREAD and scene.traits.compiled:
        from jamkey.kinds.before_start import as_never_begun
        from jamkey.kinds.refused import mend_besides

        mend_besides(scene, found)
        as_never_begun(scene, kind, found)
    if not scene.traits.whole_tree:
        # what only the other languages need is loaded for them only
        from jamkey.kinds.clues import follow_clues
        from jamkey.kinds.line_values import offer_usual, trace_line

        trace_line(scene, found)
        offer_usual(scene, found)
        follow_clues(scene, found)
    roots = sorted(found.roots, key=lambda root: -root.confidence)
    if jam.phase == "run":
        roots = likely(scene, roots)
    elif scene.traits.compiled and jam.snag is not None and not (jam.kind == "broken-syntax" and found.keys):
        # what a compiler refuses leads to other places as what fails while running does; it is seldom far
        least = roots[-1].confidence if roots else 1.0
        known = {(root.file, root.line) for root in roots}
        others = (root for root in likely(scene, roots) if (root.file, root.line) not in known)
        roots += [msgspec.structs.replace(root, confidence=least * root.confidence) for root in others]
    keys = distinct(
        sorted(sound_keys(found.keys, sources, jam.runtime), key=lambda key: (-key.confidence, key.skips_work)), sources
    )
    return msgspec.structs.replace(
        jam,
        roots=tuple(_as_known(root, jam) for root in roots),
        meaning=_sentence(true_part(found.meaning, jam.frames, kind.about))
        + (_sizes(scene) if sign in _COUNTED else "")
        + _how_placed(jam),
        causes=tuple(cause for cause in dict.fromkeys(found.causes) if is_true(cause, jam.frames))[:4],
        look_at=true_part(found.look_at, jam.frames),
        avoid=found.avoid,
        left_out=tuple(sources.left_out),
        keys=tuple(keys),
    )


def _sizes(scene: Scene) -> str:
    """Say what sizes met on the line, where they were captured and differ."""
    used = {part.source for part in scene.parts_of(scene.frame)}
    sized = [value for value in (scene.frame.values if scene.frame is not None else ()) if value.name in used]
    told = {
        value.name: "x".join(map(str, value.shape)) if value.shape else str(value.length) for value in sized if _has_size(value)
    }
    if len(set(told.values())) < 2:
        return ""
    return " Here " + ", ".join(f"`{name}` has {size}" for name, size in list(told.items())[:4]) + "."


def _has_size(value: Value) -> bool:
    return bool(value.shape) or (value.length is not None and value.type not in ("str", "bytes"))


def _as_known(root: Root, jam: Jam) -> Root:
    """Return a root with how it is known, and without a reason that the captured values deny."""
    known = root.known or ("text" if jam.phase == "compile" else "followed" if is_source(root.file) else "data")
    reason = root.reason if is_true(root.reason, jam.frames) else LEADS
    return msgspec.structs.replace(root, known=known, reason=reason)


def _how_placed(jam: Jam) -> str:
    """Say so where only words are left of a failure, and where the line is not the runtime's word."""
    return _as_words(jam) + _as_placed(jam)


def _as_words(jam: Jam) -> str:
    if KNOWN_WORDS not in jam.facts:
        return ""
    return (
        " Only its words are here, and no trace: the whole text, or a run in which nothing catches it, tells where it failed."
    )


def _as_placed(jam: Jam) -> str:
    placed = jam.facts.get("placed", "")
    return f" The runtime names no line; this is {placed}." if placed.startswith(ALONE) else ""


def distinct(keys: Sequence[Key], sources: Sources) -> list[Key]:
    """Return the keys without those that make the same text as one before them."""
    kept: list[Key] = []
    seen: set[tuple[str, ...]] = set()
    for key in keys:
        try:
            made = tuple(
                part
                for file in sorted({edit.file for edit in key.edits})
                for part in (file, splice(sources.text(file) or "", [edit for edit in key.edits if edit.file == file]))
            )
        except (ValueError, IndexError):
            made = ()
        if not made or made not in seen:
            kept.append(key)
        seen.add(made)
    return kept


#: Share of its life in which a program that went round used a processor, at least; others may want it too.
_BUSY = 0.4


def _hang(jam: Jam, sources: Sources) -> Jam:
    """Stopped in the program's own loop: endless; stopped in a library that may have waited: interrupted.

    In one that was busy the loop around the library is meant, wherever it was at that moment.
    """
    if jam.phase != "hang" or jam.snag is None or jam.kind != "interrupted":
        return jam
    busy = float(jam.facts.get("busy", 0.0)) >= _BUSY
    if not busy and jam.snag != len(jam.frames) - 1:
        return jam
    for place in range(jam.snag, -1 if busy else jam.snag - 1, -1):
        frame = jam.frames[place]
        code = sources.code(frame.file, jam.runtime) if frame.owner == "yours" else None
        if code is not None and frame.line and code.loops(frame.line):
            return _at_loop(msgspec.structs.replace(jam, kind="endless", snag=place), sources)
    return jam


def _at_loop(jam: Jam, sources: Sources) -> Jam:
    """Of a program that was asked where it was, and printed nothing, the head of the loop is more than that moment's line."""
    from jamkey.follow.unending import unending

    printed = jam.exception_type is not None or jam.message is not None
    loop = next(iter(unending(jam, sources)), None) if not printed else None
    rows = (sources.text(loop.file) or "").split("\n") if loop is not None else []
    if loop is None or loop.loop.span.line > len(rows):
        return jam
    head = msgspec.structs.replace(
        loop.frame,
        line=loop.loop.span.line,
        column=None,
        end_line=None,
        end_column=None,
        source=rows[loop.loop.span.line - 1].strip(),
    )
    place = next(place for place, frame in enumerate(jam.frames) if frame is loop.frame)
    return msgspec.structs.replace(jam, frames=(*jam.frames[:place], head, *jam.frames[place + 1 :]), snag=place)


#: Calls of one function, one in the other, from which its stack was full when the system ended it.
_FULL = 6


def _full_stack(jam: Jam) -> Jam:
    """What touches memory below a stack that one function filled called itself without end."""
    if jam.kind != "memory-misuse":
        return jam
    own = [frame for frame in jam.frames if frame.owner == "yours"]
    # where the calls begin is not among those that are shown: a few calls deep it would be
    one = len({(frame.file, frame.function) for frame in own}) == 1
    full = one and sum(1 + frame.repeated for frame in own) >= _FULL
    return msgspec.structs.replace(jam, kind="too-deep") if full else jam


def _deepest(jam: Jam) -> Jam:
    """For calls without end the snag is the line that calls again, not the one where the stack happened to be full."""
    if jam.kind != "too-deep":
        return jam
    own = [(index, (frame.file, frame.line)) for index, frame in enumerate(jam.frames) if frame.owner == "yours"]
    counts: dict[tuple[str, int | None], int] = {}
    for index, place in own:
        counts[place] = counts.get(place, 0) + 1 + jam.frames[index].repeated
    if not counts or max(counts.values()) < 2:
        return jam
    most = max(counts, key=lambda place: counts[place])
    return msgspec.structs.replace(jam, snag=max(index for index, place in own if place == most))


def read_notebook(text: str, *, name: str, root: Path | None = None, settings: Settings | None = None) -> list[Jam]:
    """Read and diagnose the failures that a notebook's outputs hold.

    Args:
        text: of the notebook file.
        name: of the file, relative to `root`.
        root: the project folder.
        settings: the project's.

    Raises:
        UnreadableInput: it is not a notebook.
        NoFailureFound: no output of it is an error.
    """
    sources = Sources(root)
    jams: list[Jam] = []
    for cell in cells_of(text, name=name):
        for failure in cell.failures:
            found = read(failure.text, runtime="python")
            jam = found[-1] if found else Jam(runtime="python", frames=(Frame(file=name, cell=cell.index),))
            jam = msgspec.structs.replace(
                jam, exception_type=failure.exception_type, message=failure.message, first_line=None, last_line=None
            )
            frames = tuple(
                msgspec.structs.replace(frame, file=name, cell=cell.index)
                if (number := cell_number(frame.file)) is not None and number == cell.run
                else frame
                for frame in jam.frames
            )
            jams.append(named(msgspec.structs.replace(jam, frames=frames)))
    if not jams:
        raise NoFailureFound(f"no failure found in {name}: none of its cells' outputs is an error")
    return [diagnose(jam, sources, settings) for jam in jams]


def read_and_diagnose(
    text: str,
    *,
    root: Path | None = None,
    settings: Settings | None = None,
    runtime: str | None = None,
    name: str = "input",
    confined: bool = False,
) -> list[Jam]:
    """Read a text and diagnose every failure in it.

    Args:
        text: what the failing program printed.
        root: the project folder.
        settings: those of the project.
        runtime: whose trace it is, where that is known.
        name: what the text is called in an error.
        confined: read no file outside of the project folder, whatever the text names.

    Raises:
        NoFailureFound: the text is empty or no reader finds a failure in it.
    """
    if not text.strip():
        raise NoFailureFound(f"{name} is empty: give the text that a failing program printed")
    jams = read(text, runtime=runtime)
    sources = Sources(root, confined=confined)
    sources.ignore(name)
    if not jams:
        from jamkey.words_alone import from_last_line, from_words

        found = from_words(text, sources, runtime) or from_last_line(text, runtime)
        jams = [found] if found is not None else []
    if not jams:
        raise NoFailureFound(f"no failure found in {name}: give the whole text the program printed, its last lines included")
    return [diagnose(jam, sources, settings) for jam in jams]


def _sentence(text: str) -> str:
    """Return a text that begins as a sentence does, where it begins with a word of ours."""
    return text[:1].upper() + text[1:]
