"""The program (or a library) checked something itself, and said no."""

from __future__ import annotations

import re

from jamkey.follow.origins import Origin, follow
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, replace, show
from jamkey.kinds.repair import in_another_unit, like_its_neighbours
from jamkey.languages.base import Part

_NUMBER = re.compile(r"-?\d{1,18}(?:\.\d{1,18})?")
#: "use X instead", or a call named after a colon at the end.


class RaisedOnPurpose:
    """See the module."""

    name = "raised-on-purpose"
    title = "a check of the program's own"
    about = (
        "Nothing broke by itself: a line of the program or of a library checks something and raises this error when it "
        "does not hold. The message is written for you."
    )
    usual = (
        "a value that was handed over or read is outside of what the check allows",
        "the check is right, and the data is not",
        "the check itself is wrong",
    )
    avoid = "Let every check name the value it refused and where it came from."
    example = 'kilos = -1\nassert kilos >= 0, "a hive cannot weigh less than nothing"\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Follow the values that the check looked at."""
        message = (scene.jam.wording or "").split("\n")[0]
        # a kind told by a library's words: not every runtime shows the library's own frames
        told = scene.jam.kind not in (None, self.name)
        frames = scene.jam.frames
        if frames and frames[-1].owner != "yours" and f"{frames[-1].function}(" in scene.traits.raises_with:
            frames = frames[:-1]  # the runtime's own word for it, called where the check stands
        # where no frame is known to be the program's, whose check it is nobody knows
        own = any(frame.owner == "yours" for frame in frames)
        library = told or (own and frames[-1].owner != "yours")
        whose = "a library" if library else "the code"
        found = Diagnosis(
            kind=self.name,
            meaning=f'A check in {whose} refused to go on, and says why: "{show(message, 160)}".' if message else self.about,
            look_at="Read the message, then look at the values on this line."
            if library
            else "Read the message, then look at the condition above the line and the values in it.",
            avoid=self.avoid,
            causes=[self.usual[0], "the call comes too early or too late for what it works on"]
            if library
            else list(self.usual),
        )
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        self._named_place(scene, found, message)
        code, statement = scene.code, scene.statement_of(scene.frame)
        parts = list(scene.parts_of(scene.frame))
        if code is not None and statement is not None and statement.sort == "raise":
            above = code.statement(statement.span.line - 1)
            if above is not None and above.sort == "if":
                parts = [p for top in above.parts for p in top.walk()] + parts
        for part in [p for p in parts if p.sort == "name"][:4]:
            for origin in follow(scene, part, scene.jam.snag or 0)[:3]:
                if origin.sort in ("literal", "default", "typed", "read", "computed") and (origin.file, origin.line) != (
                    file,
                    line,
                ):
                    found.root_at(origin, f"`{part.name}` comes from here", "computed" if origin.sort == "computed" else "from")
                    self._within_bounds(scene, found, parts, part, origin)
        found.root(
            file, line, "what is done here is refused by a library's check" if library else "the check stands here", "snag"
        )
        return found

    def _within_bounds(self, scene: Scene, found: Diagnosis, parts: list[Part], part: Part, origin: Origin) -> None:
        """The value has the wrong sign, or would be within the check's bounds in another unit."""
        recorded = scene.value(part.name)
        try:
            value = float(recorded.text) if recorded is not None else float("nan")
        except ValueError:
            return
        bounds = sorted(float(p.source) for p in parts if p.sort == "literal" and _NUMBER.fullmatch(p.source))
        if value < 0 and origin.part is not None:
            for literal in origin.part.walk():
                if literal.sort == "literal" and literal.source == (recorded.text if recorded else ""):
                    found.root(origin.file, literal.span.line, f"`{literal.source}` is written here", "written")
                    found.key(
                        "other-sign",
                        f"Write `{literal.source.lstrip('-')}` instead of `{literal.source}`",
                        "the check refuses negative numbers",
                        [replace(origin.file, literal.span, literal.source.lstrip("-"))],
                    )
        if len(bounds) >= 2 and origin.part is not None and origin.sort in ("computed", "read", "typed"):
            in_another_unit(scene, found, origin.file, origin.part, value, bounds[0], bounds[-1])

    def _named_place(self, scene: Scene, found: Diagnosis, message: str) -> None:
        """A message that names a data file and a line of it."""
        for name in scene.data_files:
            short = name.rpartition("/")[2]
            at = message.find(short)
            if at < 0:
                continue
            numbers = [
                int(word) for word in message[at + len(short) :].replace(":", " ").replace(",", " ").split() if word.isdigit()
            ]
            if numbers:
                found.root(name, numbers[0], f"the message names line {numbers[0]} of {name}", "named-line")
                like_its_neighbours(scene, found, name, numbers[0])
                return


KIND = RaisedOnPurpose()
