"""A run that raised nothing, and whose result is wrong: what was printed, what the source shows, what was expected."""

from __future__ import annotations

import os
import re
from collections.abc import Sequence
from pathlib import Path

import msgspec

from jamkey.checks.by_types import by_types
from jamkey.checks.engine import check_text
from jamkey.checks.never_read import never_read
from jamkey.follow.frames import locate
from jamkey.follow.places import places
from jamkey.follow.scene import Scene
from jamkey.follow.sources import Sources
from jamkey.kinds import SHELF as KINDS
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues import follow_clues
from jamkey.kinds.judge import sound, sound_keys
from jamkey.kinds.nothing_raised import QuietKind
from jamkey.languages import ENDINGS, LIKE, RUNTIMES
from jamkey.languages.traits import traits_of
from jamkey.model import Finding, Frame, Jam, Key, Root
from jamkey.observe.target import Target
from jamkey.pipeline import diagnose, read
from jamkey.runs.doubts import SORTS
from jamkey.runs.first_difference import Difference, first_difference, rows
from jamkey.settings import Settings

#: What languages print for a value that is not there.
_NOTHING = re.compile(r"(?<![\w.])(?:NaN|nan|None|undefined|nil|NA|null|NULL|Infinity|-?[Ii]nf)(?![\w.])")
_PRINTS = re.compile(
    r"\b(?:print|println|printf|cat|disp|display|postln|puts|log|write|echo|MsgBox|fprintf)\b|System\.out|cout"
)
_LITERAL = re.compile(r"\"((?:[^\"\\\n]|\\.)*)\"|'((?:[^'\\\n]|\\.)*)'|`((?:[^`\\]|\\.)*)`")
_WARNED = re.compile(r"(?m)^(.+?):(\d+): (\w*Warning): (.*)$")
#: Findings that explain a wrong result, and not a failure.
_LOUD = frozenset(
    "broken-syntax unknown-name no-such-module file-access wrong-arguments index-out-of-range no-such-member endless".split()
)
#: Kinds whose meaning speaks of what could not be done.
_OF_FAILURES = frozenset("wrong-type bad-arithmetic shape-mismatch wrong-count unreadable-value wrong-order".split())
#: How a value comes to a place.
_ON_THE_WAY = ("set", "taken", "opened", "changed", "given", "member")
#: Keys that go with one quiet jam.
_MOST_KEYS = 8


def expected_text(given: str) -> str:
    r"""Return what should have been printed: the text itself, or a file's content when there is a file of that name.

    In a text of one line `\n` stands for a line end, as a shell does not put one there.
    """
    path = Path(given)
    try:
        if path.is_file():
            return path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError, ValueError):
        return given
    return given.replace("\\n", "\n") if "\n" not in given else given


def same_output(printed: bytes | str, expected: str, near: float = 0.0) -> bool:
    """Compare what was printed with what should have been, spaces at line ends and the last line end aside.

    Args:
        printed: what came.
        expected: what should come.
        near: numbers that differ by no more than this agree, absolutely or in parts of the expected one.
    """
    text = printed.decode("utf-8", "replace") if isinstance(printed, bytes) else printed
    return first_difference(text, expected, near) is None


def quiet_jam(
    target: Target,
    stdout: bytes,
    stderr: bytes,
    root: Path,
    *,
    expected: str | None = None,
    settings: Settings | None = None,
    seen: Sequence[Finding] = (),
) -> Jam | None:
    """Return what went quietly wrong in a run that ended well, or None when nothing shows.

    Args:
        target: what was run.
        stdout: what it printed.
        stderr: what it printed there: warnings are read.
        root: the project folder.
        expected: what should have been printed; None when nobody said.
        settings: the project's.
        seen: what was odd when the program was watched, surest first.
    """
    printed = stdout.decode("utf-8", "replace")
    near = settings.near if settings is not None else 0.0
    differs = first_difference(printed, expected, near) if expected is not None else None
    if expected is not None and differs is None:
        return None
    sources = Sources(root)
    warned = _warned(stderr.decode("utf-8", "replace"), target, sources, settings) if not seen or target.is_other else None
    if warned is not None:
        return _with_seen(warned, seen)
    runtime = target.runtime or _runtime(sources)
    reached = _reached(sources, target, runtime)
    findings = _together(seen, _findings(sources, reached, runtime, root, settings))
    # a word for a missing value where something else should stand, or anywhere when nobody said what should
    missing = _NOTHING.search(printed if differs is None else differs.printed or "")
    missing = missing if missing is not None and not _NOTHING.search(expected or "") else None
    if expected is None and not findings and missing is None:
        return None
    kind = _kind_of(findings) if findings else "spreading-missing-value" if missing is not None else None
    frame = shown_at(printed, differs, target, sources, runtime)
    if expected is None and seen:
        code = sources.code(seen[0].file, runtime)
        function = (code.scope_at(seen[0].line) or None) if code is not None else None
        frame = Frame(file=seen[0].file, line=seen[0].line, function=function)
    told = "\n".join([differs.told(), *differs.beside()]) if differs is not None else findings[0].reason if seen else None
    seen_odd = [f"{item.rule} {item.kind or '-'} {item.line} {item.file}" for item in findings if item.file]
    facts = {"odd": "\n".join(seen_odd)} if seen_odd else {}
    shown = (frame,) if frame is not None else ()
    jam = Jam(runtime=runtime, phase="quiet", kind=kind, message=told, frames=shown, facts=facts)
    jam = locate(jam, sources, settings or Settings())
    return _with_findings(jam, findings, sources, expected)


def _with_seen(warned: Jam, seen: Sequence[Finding]) -> Jam:
    """Return what a runtime warned of, with what was seen in the watched run as its first roots."""
    told = [Root(file=item.file, line=item.line, reason=item.reason, known="watched", confidence=0.9) for item in seen]
    places = {(root.file, root.line) for root in told}
    rest = tuple(root for root in warned.roots if (root.file, root.line) not in places)
    return msgspec.structs.replace(warned, roots=(*told, *rest))


def _kind_of(findings: Sequence[Finding]) -> str | None:
    """Return the kind of the first finding, or of another one on its line."""
    first = findings[0]
    return next((item.kind for item in findings if (item.file, item.line) == (first.file, first.line) and item.kind), None)


def _together(seen: Sequence[Finding], told: list[Finding]) -> list[Finding]:
    """Return what was seen in the run, then what the text alone tells; a key that the text offers goes with what was seen."""
    found: list[Finding] = []
    for item in seen:
        same = next((other for other in told if (other.file, other.line) == (item.file, item.line) and other.edits), None)
        if same is not None and item.kind:
            item = msgspec.structs.replace(item, title=same.title, edits=same.edits)
        found.append(item)
    # what somebody is sure of names a line and no cause: what the text tells of it goes with it
    places = {(item.file, item.line) for item in found if item.kind}
    return found + [other for other in told if (other.file, other.line) not in places]


def _is_own(name: str, runtime: str) -> bool:
    language = ENDINGS.get(os.path.splitext(name)[1].lower(), "")
    return bool(language) and not name.endswith(".ipynb") and _same_sort(language, runtime)


def _same_sort(language: str, runtime: str) -> bool:
    """Tell whether a source can be part of what a runtime ran."""
    ran = RUNTIMES.get(runtime, runtime)
    if traits_of(language).whole_tree or traits_of(runtime).whole_tree:
        return traits_of(language).whole_tree == traits_of(runtime).whole_tree
    return LIKE.get(language, language) == LIKE.get(ran, ran)


def judged(jam: Jam) -> Jam:
    """Return a quiet jam with the line first among the roots whose mended text prints what it should.

    Args:
        jam: its keys tried and ranked.
    """
    best = next((key for key in jam.keys[:1] if key.trial.outcome == "runs" and key.edits), None)
    if best is None:
        return jam
    edit = best.edits[0]
    known = next((root for root in jam.roots if (root.file, root.line) == (edit.file, edit.line)), None)
    first = known or Root(
        file=edit.file, line=edit.line, column=edit.column, reason="changed here, it prints what it should", known="search"
    )
    rest = tuple(root for root in jam.roots if root is not known)
    return msgspec.structs.replace(jam, roots=(msgspec.structs.replace(first, confidence=0.97), *rest))


def _runtime(sources: Sources) -> str:
    counts: dict[str, int] = {}
    for name in sources.files():
        language = ENDINGS.get(os.path.splitext(name)[1].lower())
        if language:
            counts[language] = counts.get(language, 0) + 1
    return max(counts, key=lambda language: counts[language], default="python")


def _reached(sources: Sources, target: Target, runtime: str) -> list[str]:
    """Return the script and the project's files that it names, the script first; all when it is not known."""
    own = [name for name in sources.files() if _is_own(name, runtime)]
    script = sources.resolve(target.script) if target.script else None
    if script is None:
        named = [name for name in own if any(os.path.basename(word) == os.path.basename(name) for word in target.argv)]
        script = named[0] if len(named) == 1 else None
    if script is None:
        return own
    reached = [script]
    for name in reached:
        words = set(re.findall(r"\w+", sources.text(name) or ""))
        reached += [other for other in own if other not in reached and os.path.splitext(os.path.basename(other))[0] in words]
    return reached


def _findings(sources: Sources, reached: list[str], runtime: str, root: Path, settings: Settings | None) -> list[Finding]:
    """Return the findings that explain a wrong result, surest first."""
    found: list[Finding] = []
    quiet: list[Finding] = []
    for name in reached:
        language = ENDINGS.get(os.path.splitext(name)[1].lower(), "")
        text = sources.text(name) if language else None
        if text is None or not _same_sort(language, runtime) or name.endswith(".ipynb"):
            continue
        if language == "python":
            found += check_text(text, name, folder=(root / name).parent, settings=settings)
        else:
            code = sources.code(name, runtime)
            told = [*by_types(code, name, language), *never_read(code, name, language)] if code is not None else []
            quiet += [item if sound(item.edits, sources, runtime) else msgspec.structs.replace(item, edits=()) for item in told]
    return quiet + [finding for finding in found if finding.kind not in _LOUD]


def _warned(text: str, target: Target, sources: Sources, settings: Settings | None) -> Jam | None:
    """Return a warning as a jam: of another runtime by its reader, of Python by the line it prints."""
    if target.is_other:
        found = [jam for jam in read(text, runtime=target.runtime) if jam.phase == "quiet"]
        return diagnose(found[-1], sources, settings) if found else None
    for match in _WARNED.finditer(text):
        if sources.resolve(match[1]) is not None:
            frame = Frame(file=match[1], line=int(match[2]))
            jam = Jam(runtime="python", phase="quiet", exception_type=match[3], message=match[4], frames=(frame,))
            return diagnose(jam, sources, settings)
    return None


def shown_at(printed: str, differs: Difference | None, target: Target, sources: Sources, runtime: str) -> Frame | None:
    """Return the place that prints the wrong value: the one whose fixed text is in the first line that differs."""
    lines = rows(printed)
    differing = (differs.printed or differs.wanted or "") if differs is not None else ""
    differing = differing or next((row for row in lines if _NOTHING.search(row)), lines[-1] if lines else "")
    best: tuple[int, str, int] | None = None
    main = sources.resolve(target.script) if target.script else None
    for name in sources.files():
        language = ENDINGS.get(os.path.splitext(name)[1].lower(), "")
        code = sources.code(name, runtime) if language else None
        if code is None or not _same_sort(language, runtime):
            continue
        for number, row in enumerate(code.text.split("\n"), 1):
            if not _PRINTS.search(row):
                continue
            pieces = [
                piece
                for match in _LITERAL.finditer(row)
                for group in match.groups()
                if group
                for piece in re.split(r"%\S*|\{[^}]*\}|\$\{[^}]*\}|\\n", group)
            ]
            score = sum(len(piece.strip()) for piece in pieces if piece.strip() and piece.strip() in differing) + (
                1 if name == main else 0
            )
            if best is None or score >= best[0]:
                best = (score, name, number)
    if best is None:
        return None
    code = sources.code(best[1], runtime)
    return Frame(file=best[1], line=best[2], function=(code.scope_at(best[2]) or None) if code is not None else None)


def _with_findings(jam: Jam, findings: list[Finding], sources: Sources, meant: str | None = None) -> Jam:
    scene = Scene(jam, sources)
    if jam.kind in KINDS:
        found: Diagnosis = KINDS.get(jam.kind or "").diagnose(scene)
    elif findings and not findings[0].kind:
        found = Diagnosis(meaning="It ran to its end, and what you are sure of does not hold.")
        found.look_at = "Look at this line, and at the lines that gave it its values."
    else:
        found = Diagnosis(meaning="It ran to its end, and what it printed is not what it should be.")
        found.look_at = "Go back from the line that prints this, and look at the values on the way."
    told = findings[0] if findings and findings[0].rule in SORTS and findings[0].kind else None
    if told is not None and (meant is None or told.kind in _OF_FAILURES):
        # what was seen is said, not what the kind usually is: nobody said that it is wrong, or nothing failed here
        found.meaning = f"It ran to its end, and a second run was watched: {told.reason}."
        if meant is None:
            found.meaning += " Only you know whether it is meant."
    if found.kind and not isinstance(KINDS.get(found.kind), QuietKind):
        found.roots = []  # they are of a failure, and nothing failed
    found.keys = []
    for rank, finding in enumerate(findings):
        found.root(finding.file, finding.line, finding.reason, "finding", rank=rank, column=finding.column)
        if finding.edits:
            known = f"{finding.rule}-{finding.line}"
            found.key(known, finding.title, finding.reason, finding.edits, known="finding", rank=rank)
    near = [place for place in places(scene, others=False) if 0 < place.distance <= 2 and place.path[-1] in _ON_THE_WAY]
    for rank, place in enumerate(near[:4]):
        found.root(place.file, place.line, "what is set here is used where the result goes wrong", "near", rank=rank)
    if not findings:
        # the clues ask for a kind: a value that is not there
        asked = Scene(msgspec.structs.replace(jam, kind="missing-value"), sources)
        follow_clues(asked, found)
        if scene.frame is not None:
            from jamkey.kinds.line_values import trace_line

            trace_line(scene, found)
    roots = tuple(sorted(found.roots, key=lambda root: -root.confidence))
    keys: tuple[Key, ...] = tuple(sorted(sound_keys(found.keys, sources, jam.runtime), key=lambda key: -key.confidence))[
        :_MOST_KEYS
    ]
    return msgspec.structs.replace(
        jam,
        roots=roots,
        keys=keys,
        meaning=found.meaning,
        causes=tuple(found.causes)[:4],
        look_at=found.look_at,
        avoid=found.avoid,
    )
