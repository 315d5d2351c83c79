"""An index of a sort that cannot be one: text, a fraction, a list."""

from __future__ import annotations

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.suspect import index_part
from jamkey.kinds.base import Diagnosis, idioms_of, replace, show
from jamkey.languages.base import Part


class BadIndex:
    """See the module."""

    name = "bad-index"
    title = "an index that cannot be one"
    about = "Places in a list are counted in whole numbers. What stands in the square brackets here is something else."
    usual = (
        "a division gave a fraction where a whole number is needed",
        "the thing in front of the brackets is a list, not a dictionary",
        "the index is text that was typed or read",
    )
    avoid = "Use whole-number division for places, and check what a variable holds before putting brackets behind it."
    example = "weights = [31.2, 30.8]\nprint(weights[1.0])\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Find where the index became what it is."""
        part = index_part(scene)
        key = part.child("key") if part is not None else None
        kind = scene.facts.get("type", "").strip("'")
        shown = show(key.source) if key is not None else scene.facts.get("index", "")
        asked = scene.facts.get("index", shown)
        none = "no place" if asked.lstrip("-").isdigit() else f"not a whole number{f' but a {kind}' if kind else ''}"
        what = f"`{shown}`" if shown else "what stands in the brackets"
        found = Diagnosis(
            kind=self.name,
            meaning=f"{what} stands in the brackets, but it is {none}."
            if shown
            else "The line asks by its place for something that no place of that sort leads to.",
            look_at=f"Print {what} and its type, and what stands before the brackets.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        idioms = idioms_of(scene)
        value = scene.value(key.source) if key is not None else None
        kind = kind or (value.type if value is not None else "")
        if key is not None:
            divisions = [(file, inner) for inner in key.walk() if inner.sort == "binary" and inner.name == "/"]
            for origin in follow(scene, key, scene.jam.snag or 0)[:3]:
                if (origin.file, origin.line) != (file, line):
                    found.root_at(origin, f"`{shown}` comes from here", "from")
            divisions += _divisions(scene, key)
            for where, division in divisions[:2]:
                left, right = division.child("left"), division.child("right")
                if left is not None and right is not None:
                    text = f"{left.source} {idioms.whole_division} {right.source}"
                    found.root(where, division.span.line, "this division gives a fraction", "division")
                    found.key(
                        "whole-division",
                        f"Divide to a whole number: `{show(text)}`",
                        "`/` gives a fraction even when it comes out even",
                        [replace(where, division.span, text)],
                    )
            if key.sort == "text" and key.name.strip().lstrip("-").isdigit():
                found.key(
                    "index-without-quotes",
                    f"Write the place without quotes: `{key.name.strip()}`",
                    "in quotes it is text",
                    [replace(file, key.span, key.name.strip())],
                )
        found.root(file, line, f"{f'`{shown}`' if shown else 'something else'} is used as an index here", "snag")
        return found


def _divisions(scene: Scene, key: Part) -> list[tuple[str, Part]]:
    """Return the divisions in the assignments that the index comes from."""
    found: list[tuple[str, Part]] = []
    code = scene.code
    names = [inner.name for inner in key.walk() if inner.sort == "name"]
    for name in names:
        for definition in code.reaching(name, scene.line)[:2] if code is not None else ():
            value = definition.value
            for inner in value.walk() if value is not None else ():
                if inner.sort == "binary" and inner.name == "/" and scene.frame is not None:
                    found.append((scene.frame.file, inner))
    return found


KIND = BadIndex()
