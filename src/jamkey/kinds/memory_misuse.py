"""Memory is used in a way that ends the program: freed twice, written past its end, through a pointer to nowhere."""

from __future__ import annotations

import re

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, replace, show, trace_names

_STORIES = {
    "freed-at": "the memory is given back here",
    "allocated-at": "this much memory is asked for here",
    "previously-at": "the memory was asked for here",
}


class MemoryMisuse:
    """See the module."""

    name = "memory-misuse"
    title = "memory used in a way that ends the program"
    about = (
        "The program read or wrote memory that is not (or no longer) its own: past the end of an array, through a pointer that "
        "points nowhere, or after it was given back. The system or a checker stopped it."
    )
    usual = (
        "a pointer is null: what should have filled it found or opened nothing",
        "an index runs one past the end, or too little memory was asked for",
        "memory is used after it was freed, or is freed twice",
        "a pointer was never given a value",
    )
    avoid = "Check what functions return before using it, and run with a checker while you write."
    example = "import ctypes\n\nctypes.string_at(0)\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Use what the checker tells about the memory's story; else follow the names of the line."""
        message = (scene.jam.wording or "").split("\n")[0]
        found = Diagnosis(
            kind=self.name,
            meaning=f'The program used memory that is not its own: "{show(message, 100)}".',
            look_at="Ask of each pointer on the line what it points to at that moment, and how long that is.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if (seen := self._seen(scene)) is not None:
            found.meaning, found.look_at = seen
        told = False
        for story, reason in _STORIES.items():
            place = scene.facts.get(story, "")
            file, _, line = place.rpartition(":")
            name = scene.sources.resolve(file) if file else None
            if name is not None and line.isdigit():
                found.root(name, int(line), reason, story)
                told = True
                self._larger(scene, found, name, int(line), story)
        if scene.frame is None:
            return found
        file, line_number = scene.frame.file, scene.line
        variable = scene.facts.get("variable-line", "")
        if variable.isdigit():
            found.root(file, int(variable), f"`{scene.facts.get('variable', 'it')}` is made this large here", "made-large")
            loops = scene.code.loops(line_number) if scene.code is not None else []
            for loop in loops[:1]:
                found.root(file, loop.span.line, "this loop runs past its end", "loop-past")
        if not told:
            self._pointers(scene, found)
            trace_names(scene, found, "a value of this line comes from here")
        found.root(file, line_number, "the memory is touched here", "snag")
        return found

    def _seen(self, scene: Scene) -> tuple[str, str] | None:
        """Return what the captured values say of the line: a pointer to nothing, to nowhere, an index out of its array."""
        freed = scene.facts.get("freed-at", "")
        if freed:
            return (
                f"The line uses memory that was given back before, on line {freed.rpartition(':')[2]}.",
                "Ask which name still points there, and give the memory back after its last use.",
            )
        for part in scene.parts_of(scene.frame):
            owner, key = part.child("object"), part.child("key")
            if owner is None and part.sort == "unary" and part.name == "*" and part.children:
                owner = part.children[0][1]
            held = scene.value(owner.source) if owner is not None else None
            if owner is None or held is None:
                continue
            name, index = show(owner.source), scene.value(key.source) if key is not None else None
            if held.text in ("NULL", "nullptr"):
                return (
                    f"`{name}` is {held.text} at this moment, and `{show(part.source)}` asks for what is there.",
                    f"Ask where `{name}` got its value, and on which way it could have got none.",
                )
            if held.text.endswith("(not readable)"):
                return (
                    f"`{name}` points to memory that is not the program's.",
                    f"Ask where `{name}` was given a value, and whether what it points to still exists.",
                )
            at = index.text if index is not None else key.source if key is not None else ""
            if held.length is not None and re.fullmatch(r"-?\d{1,18}", at) and not 0 <= int(at) < held.length:
                there = f"has places 0 to {held.length - 1}" if held.length else "has no places"
                return (
                    f"`{name}` {there}, and `{show(part.source)}` asks for place {at}.",
                    f"Ask how `{show(key.source) if key is not None else at}` came to be {at}.",
                )
        return None

    def _pointers(self, scene: Scene, found: Diagnosis) -> None:
        """What is asked through `->` or `*` may be null: where it was got is the likeliest place."""
        for part in scene.parts_of(scene.frame):
            owner = part.child("object") if part.sort == "member" else None
            if owner is None or owner.sort != "name":
                continue
            nothing = follow(scene, owner, scene.jam.snag or 0, want="missing")[:2]
            for origin in nothing or follow(scene, owner, scene.jam.snag or 0)[:2]:
                found.root_at(
                    origin,
                    f"`{owner.name}` {'can be null from here' if nothing else 'is got here, and may be null'}",
                    "may-be-null",
                )
                for step in origin.steps[:3]:
                    if step.what == "assigned":
                        found.root(
                            step.file,
                            step.line,
                            f"what becomes `{owner.name}` is got here and used unchecked",
                            "got-unchecked",
                            steps=origin.steps,
                        )

    def _larger(self, scene: Scene, found: Diagnosis, file: str, line: int, story: str) -> None:
        """Too little was asked for: one more, or with the size of an item."""
        code = scene.sources.code(file, scene.jam.runtime)
        if story != "allocated-at" or code is None or "free" in (scene.jam.exception_type or ""):
            return
        for call in (call for name in ("malloc", "calloc") for call in code.calls(name)):
            if call.span.line != line or not call.arguments:
                continue
            size = call.arguments[0][1]
            if "sizeof" not in size.source and call.called == "malloc":
                target = scene.row(file, line).partition("=")[0].strip().rpartition(" ")[2].lstrip("*")
                found.key(
                    "size-of-item",
                    f"Ask for `{show(size.source)} * sizeof *{target or 'it'}`",
                    "memory is asked for in bytes",
                    [replace(file, size.span, f"{size.source} * sizeof *{target}")],
                )
            first = size.source.split("*")[0].strip()
            if first.isidentifier():
                found.key(
                    "one-more-item",
                    f"Ask for one item more: `({first} + 1)`",
                    "the last place used is one behind the end",
                    [replace(file, size.span, size.source.replace(first, f"({first} + 1)", 1))],
                )


KIND = MemoryMisuse()
