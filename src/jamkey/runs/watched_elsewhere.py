"""A program of another runtime run once more, on a copy, with calls of ours where something can go wrong without a word."""

from __future__ import annotations

import contextlib
import json
import os
import re
import shutil
from collections.abc import Mapping
from pathlib import Path
from typing import NamedTuple

from jamkey.errors import JamkeyError
from jamkey.follow.similar import nearest
from jamkey.follow.sources import Sources
from jamkey.languages import ENDINGS, language_of
from jamkey.languages.walk import statements
from jamkey.observe.target import Target
from jamkey.observe.typed import Typed
from jamkey.runs.weaving import BY_THEMSELVES, WAYS, Site, Weaver
from jamkey.text import edited, lines_of, newlines, shorten
from jamkey.trials.scratch import Scratch

_AGENTS = Path(__file__).parent.parent / "observe" / "agents"
#: What is left out -> what says that it is read elsewhere.
_ENDS = {"first-left-out": "at-first", "last-left-out": "at-last"}
_LEAVES = re.compile(r"\b(?:return|break)\b")
#: What may well be so where the text asks whether it is there.
_ASKED = frozenset({"not-there", "past-end", "gaps-made"})
#: Below this two members are not taken for each other.
_LIKE = 0.9
#: Signs of one example.
_EXAMPLE = 200


class _Agent(NamedTuple):
    """What looks on in one runtime, and the variable of the environment that has it read before the program."""

    file: str
    variable: str
    named: str


AGENTS: Mapping[str, _Agent] = {
    "javascript": _Agent("watch.js", "NODE_OPTIONS", "--require {}"),
    "lua": _Agent("watch.lua", "LUA_INIT", "@{}"),
    "octave": _Agent("watch.m", "OCTAVE_SITE_INITFILE", "{}"),
    "r": _Agent("watch.R", "R_PROFILE_USER", "{}"),
}


class Told(NamedTuple):
    """What was odd at one place of the program."""

    file: str
    line: int
    code: str
    times: int
    example: str
    #: What is asked for a place or a member.
    about: str


def is_woven(target: Target) -> bool:
    """Tell a script of a runtime whose programs can be watched so."""
    return target.runtime in AGENTS and target.script is not None and not target.is_page


def watched_elsewhere(
    place: Scratch,
    target: Target,
    sources: Sources,
    *,
    stdin: bytes | Typed = b"",
    limit: float = 0.0,
    seconds: float,
    printed: bytes | None = None,
) -> tuple[list[Told], bytes]:
    """Run a woven copy of a program; return what was odd, files named as the sources name them, and what it printed.

    Nothing is told where the copy prints something else than the text as it stands, and the same again: then it is
    another program. One that prints something else each time may be watched all the same.

    Args:
        place: where it runs.
        target: a script of a runtime of `AGENTS`.
        sources: the project's.
        stdin: what the program may read.
        limit: seconds for the run, 0 for none.
        seconds: how long is looked; then the program goes on unwatched.
        printed: what it printed, where that is known; else it is run once more to see.
    """
    agent = AGENTS[target.runtime]
    folder = place.folder / "agent"
    folder.mkdir()
    if printed is None:
        printed = place.run(target, stdin=stdin, limit=limit).stdout
    sites: list[Site] = []
    with contextlib.suppress(OSError, JamkeyError):
        sites = _lay(place, target, sources, folder)
    out = folder / "watched.txt"
    looked = str(shutil.copy(_AGENTS / agent.file, folder / agent.file))
    named = json.dumps(looked) if agent.variable == "NODE_OPTIONS" else looked
    env = {agent.variable: agent.named.format(named), "JAMKEY_WATCH": str(out), "JAMKEY_WATCH_SECONDS": str(seconds)}
    ended = place.run(target, stdin=stdin, limit=limit, env=env)
    if ended.status:
        return [], printed
    if ended.stdout != printed:
        again = place.run(target, stdin=stdin, limit=limit, env={**env, "JAMKEY_WATCH": str(folder / "again.txt")})
        if again.status or again.stdout == ended.stdout:
            return [], printed
    told = [item for item in _read(out, sites) if not _is_meant(item, sources, target.runtime)]
    gives = {_last(item.about) for item in told if item.code == "gives"}
    kept = [
        _in_function(item, sources, target.runtime) if item.code == "gives-nothing" else item
        for item in told
        if item.code != "gives-nothing" or _last(item.about) not in gives
    ]
    return kept, ended.stdout


def _last(name: str) -> str:
    """Return the last name of what is called."""
    return re.split(r"[.:]", name)[-1]


def _in_function(item: Told, sources: Sources, runtime: str) -> Told:
    """Return what a function never gives, at the place in it where it should: what a function within gives, else its end."""
    name = _last(item.about)
    for file in sources.files():
        code = sources.code(file, runtime) if ENDINGS.get(os.path.splitext(file)[1].lower()) == runtime else None
        if code is None:
            continue
        for function in code.functions(name):
            own = {line for line, _ in function.returns}
            below = (each for each in statements(code) if each.sort == "return" and each.parts)
            inner = [each.span.line for each in below if function.span.holds(each.span) and each.span.line not in own]
            if inner or function.falls_off:
                return item._replace(file=file, line=inner[0] if inner else function.last_line, example=f"`{name}`")
    return item._replace(example=f"`{name}`")


def _is_meant(item: Told, sources: Sources, runtime: str) -> bool:
    """Tell what is odd to the eye alone: a loop that ends when it has found something, a function that may be handed over."""
    code, text = sources.code(item.file, runtime), sources.text(item.file)
    if item.code == "not-called" and code is not None:
        return any(each.sort == "parameter" for each in code.definitions(_last(item.about)))
    if item.code not in _ENDS:
        return False
    loop = next(iter(code.loops(item.line)), None) if code is not None else None
    if loop is None or text is None:
        return False
    return _LEAVES.search("\n".join(lines_of(newlines(text))[loop.span.line - 1 : loop.span.end_line])) is not None


def _lay(place: Scratch, target: Target, sources: Sources, folder: Path) -> list[Site]:
    """Put woven texts in the place of the program's own; return where the calls stand, by their number less one."""
    if target.runtime in BY_THEMSELVES:
        script = sources.resolve(target.script or "")
        text = sources.text(script) if script is not None else None
        if script is not None and text is not None:
            copy = folder / "script"
            copy.write_text(newlines(text), encoding="utf-8")
            changed = f".jamkey_watched({json.dumps(str(copy))}, {json.dumps(script)})\n"
            place.put(script, changed.encode(), changed)
        return []
    sites: list[Site] = []
    for name in sources.files():
        if ENDINGS.get(os.path.splitext(name)[1].lower()) != target.runtime:
            continue
        language, text = language_of(name, target.runtime), sources.text(name)
        if language is None or text is None or language.name not in WAYS:
            continue
        weaver = Weaver(language.code(text), language, name, len(sites) + 1)
        woven = weaver.woven()
        if weaver.sites:
            data = edited((place.project / name).read_bytes(), lambda _, woven=woven: woven, name=name)  # type: ignore[misc]
            place.put(name, data, woven)
            sites += weaver.sites
    return sites


def _read(out: Path, sites: list[Site]) -> list[Told]:
    """Return what the agent wrote: the number of a place, or its file and line, then what was odd there.

    A first or last one that is left out in one place and read in another, as neighbours are, is not left out.
    """
    found: list[Told] = []
    for row in out.read_text(encoding="utf-8", errors="replace").splitlines():
        words = row.split("\t")
        with contextlib.suppress(ValueError, IndexError):
            if sites:
                site = sites[int(words[0]) - 1]
                if site.is_asked_for and words[1] in _ASKED:
                    continue  # the text itself asks whether it is there
                if words[1] == "not-there" and site.code.sort == "index":
                    continue  # a key that is worked out may well be new
                thing = site.code if words[1] == "not-called" else site.code.child("object") or site.code.child("callee")
                file, line, rest, about = site.file, site.line, words[1:], thing.source if thing is not None else ""
            else:
                file, line, rest, about = words[0], int(words[1]), words[2:], words[5]
            code, example = _of_members(rest[2]) if rest[0] == "not-there" else (rest[0], rest[2])
            found.append(Told(file, line, code, int(float(rest[1])), example[:_EXAMPLE], about))
    ends = {(item.file, item.about, item.code) for item in found if item.code in _ENDS.values()}
    return [item for item in found if (item.file, item.about, _ENDS.get(item.code, "")) not in ends]


def _of_members(told: str) -> tuple[str, str]:
    """Return what is odd about a member that is not there, by those that are."""
    name, *there = told.split("\x1f")
    like = nearest(name, there, most=1, least=_LIKE)
    if like:
        return "nearly-there", f"`{shorten(name, 40)}` is not there, and `{shorten(like[0][0], 40)}` is"
    return "not-there", f"`{shorten(name, 40)}` is not among {shorten(', '.join(there), 60)}"
