"""For languages known by their tokens: where the values of the failing line come from, beyond what its kind has found."""

from __future__ import annotations

import re

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import Diagnosis, replace, show, trace_names, wrap
from jamkey.model import Edit

#: Kinds whose line is the place, or whose root is not a value.
_PLACES = ("broken-syntax", "no-such-module", "stale-wiring", "child-failed")


def trace_line(scene: Scene, found: Diagnosis) -> None:
    """Add the places that give the line's names their values, the calls that hand them over, and the loop around it."""
    frame, code = scene.frame, scene.code
    if frame is None or code is None or scene.jam.kind in _PLACES:
        return
    here = (frame.file, scene.line)
    if scene.jam.kind == "unknown-name":
        return
    if scene.jam.kind == "wrong-arguments" and scene.functions_named(scene.facts.get("function", "")):
        return  # a call that was refused gave nothing back, whatever its function gives
    named = {scene.facts.get(name, "").rpartition(".")[2] for name in ("name", "member", "array")} - {""}
    _loop(scene, found)
    origins = []
    for part in scene.parts_of(frame):
        if part.sort in ("name", "member", "index") and part.name in named:
            origins += follow(scene, part, scene.jam.snag or 0)[:3]
    for origin in origins:
        if (origin.file, origin.line) != here:
            found.root_at(origin, f"`{show(origin.name or 'it')}` comes from here", "named-from")
        for step in origin.steps:
            if step.what in ("passed", "returned", "assigned") and (step.file, step.line) != here:
                known = "named-passed" if step.what == "passed" else "named-through"
                found.root(step.file, step.line, "the value comes through here", known)
    traced = trace_names(scene, found, "a value of this line comes from here", known="line")
    through = 0
    for origin in traced[:4]:
        for step in origin.steps[:3]:
            if step.what in ("passed", "returned", "assigned", "taken") and (step.file, step.line) != here:
                found.root(step.file, step.line, "the value comes through here", "through", rank=through)
                through += 1


def _loop(scene: Scene, found: Diagnosis) -> None:
    """An index that runs too far is made by the loop around the line, or around the call."""
    if scene.jam.kind not in ("index-out-of-range", "missing-value", "memory-misuse") or scene.jam.snag is None:
        return
    index: int | None = scene.jam.snag
    while index is not None:
        frame = scene.jam.frames[index]
        code = scene.code_of(frame)
        loops = code.loops(frame.line) if code is not None and frame.line is not None else []
        row = scene.row(frame.file, frame.line or 0)
        for loop in loops:
            name = loop.target.source if loop.target is not None else ""
            head = scene.bare_row(frame.file, loop.span.line)
            counts = loop.over is not None and (loop.over.sort == "slice" or loop.over.name == ":")  # not `row : rows`
            bounded = counts or any(sign in head for sign in ("<=", "..", "+ 1", ", #", "= 0", "1,", "range"))
            if (not name or name in row) and bounded:
                reason = "this loop may run one step too far, or begin one too early"
                found.root(frame.file, loop.span.line, reason, "loop-may")
                return
        index = scene.caller_index(index)


def offer_usual(scene: Scene, found: Diagnosis) -> None:
    """Add the keys that are usual in every language and need no syntax tree; a trial tells which of them runs."""
    frame, code = scene.frame, scene.code
    if frame is None or code is None:
        return
    parts = scene.parts_of(frame)
    kind = scene.jam.kind
    if kind in ("missing-value", "no-such-member"):
        _misspelt_member(scene, found)
    if kind == "bad-index":
        for part in [p for p in parts if p.sort in ("index", "call")]:
            inner = part.child("key") or (part.arguments[0][1] if part.arguments else None)
            if inner is None or inner.sort == "text":
                continue
            asked = scene.facts.get("index", "")
            whole = asked.lstrip("-").isdigit()
            for name, template, reason, fits in (
                ("one-more", "1" if inner.source == "0" else "{0} + 1", "places count from 1 here", asked in ("", "0")),
                ("whole", "ceil({0})", "places are whole numbers", not whole),
                ("whole-down", "floor({0})", "places are whole numbers", not whole),
            ):
                if not fits:
                    continue
                found.key(
                    f"{name}-{inner.source}",
                    f"Ask for `{show(template.format(inner.source))}`",
                    reason,
                    [wrap(frame.file, inner, template)],
                )
    if kind in ("index-out-of-range", "missing-value"):
        _range_bounds(scene, found)


def _misspelt_member(scene: Scene, found: Diagnosis) -> None:
    """The member is set under a name that differs a little: where it is set, or here."""
    member = scene.facts.get("member", "") or scene.facts.get("name", "")
    member = member.rpartition(".")[2]
    if scene.frame is None or len(member) < 3:
        return
    if (
        not scene.facts.get("member")
        and scene.code is not None
        and any(d.name == member for d in scene.code.reaching(member, scene.line))
    ):
        return  # it has a value of its own here, and that one is missing
    for file, code in scene.own_codes():
        names = code.all_members() | {function.name for function in code.functions()} | {d.name for d in code.definitions()}
        for meant, score in nearest(member, names - {member}, most=2, least=0.75):
            rows = code.text.split("\n")
            spots = [(n, m) for n, row in enumerate(rows, 1) for m in re.finditer(rf"(?<![\w]){re.escape(meant)}(?![\w])", row)]
            sets = [(n, m) for n, m in spots if re.match(r"\s*[=:(]", rows[n - 1][m.end() :]) or "function" in rows[n - 1]]
            if not sets:
                continue
            line = sets[0][0]
            reason = f"it is called `{meant}` here, and `{member}` where it is asked for"
            found.root(file, line, reason, "called-nearly", near=score)
            if len(spots) == len(sets) <= 2:
                edits = [
                    Edit(file=file, line=n, column=m.start() + 1, end_line=n, end_column=m.end() + 1, new_text=member)
                    for n, m in sets
                ]
                found.key(
                    f"call-it-{member}",
                    f"Call it `{member}` on line {line} of {file}",
                    "it is asked for by that name",
                    edits,
                    near=score,
                )


_UPPER = re.compile(r"(\s*\+\s*1)(?=\s*[\)\]\{;,]|\s*$|\s+do\b|\s+loop\b)")


def _range_bounds(scene: Scene, found: Diagnosis) -> None:
    """The loop around the line goes one too far: its upper bound, or the look ahead in its last round."""
    index: int | None = scene.jam.snag
    ahead = (
        re.search(r"[\[\(]\s*\w+ ?\+ ?1\s*[\]\),]", scene.row(scene.frame.file, scene.line))
        if scene.frame is not None
        else None
    )
    while index is not None:
        frame = scene.jam.frames[index]
        code = scene.code_of(frame)
        for loop in (code.loops(frame.line) if code is not None and frame.line is not None else [])[:1]:
            row = scene.row(frame.file, loop.span.line)
            for match in _UPPER.finditer(row):
                found.key(
                    "bound-without-one",
                    f"Leave out the `+ 1` on line {loop.span.line}",
                    "the loop goes one step too far",
                    [_within(frame.file, loop.span.line, match.start(), match.end(), "")],
                )
            over = loop.over if loop.over is not None else loop.condition
            bound = over.child("right") if over is not None else None
            if bound is not None and ahead is not None:
                found.key(
                    "bound-one-less",
                    f"Let the loop end one earlier: `{show(bound.source)} - 1`",
                    "in its last round the line looks past the end",
                    [wrap(frame.file, bound, "({0} - 1)" if ":" in row else "{0} - 1")],
                )
            if over is not None and over.sort == "compare" and over.name in ("<=", ">="):
                span = over.span
                left, right = over.child("left"), over.child("right")
                if left is not None and right is not None:
                    found.root(
                        frame.file, loop.span.line, f"`{show(over.source)}` lets the loop go one round too far", "loop-bound"
                    )
                    found.key(
                        "strict-bound",
                        f"Write `{show(left.source)} {over.name[0]} {show(right.source)}`",
                        "the last place is one less",
                        [replace(frame.file, span, f"{left.source} {over.name[0]} {right.source}")],
                    )
            lower = re.search(r"=\s*0\s*,\s*(#?\w+)\s*-\s*1", row)
            if scene.traits.first_place == 1 and lower:
                found.key(
                    "from-one",
                    f"Count from 1: `= 1, {lower[1]}`",
                    "places count from 1 here",
                    [_within(frame.file, loop.span.line, lower.start(), lower.end(), f"= 1, {lower[1]}")],
                )
            return
        index = scene.caller_index(index)


def _within(file: str, line: int, start: int, end: int, text: str) -> Edit:
    return Edit(file=file, line=line, column=start + 1, end_line=line, end_column=end + 1, new_text=text)
