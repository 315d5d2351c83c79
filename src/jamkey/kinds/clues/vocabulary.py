"""A member that the runtime's own objects have under nearly the same name: another case, a letter off."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.similar import nearest
from jamkey.model import Edit

#: Runtime -> members that people use every day.
_KNOWN = {
    "javascript": """length push pop shift unshift map filter forEach join split slice splice toUpperCase toLowerCase trim
        includes indexOf replace replaceAll toFixed keys values entries log error parse stringify floor ceil round
        max min abs random sqrt pow sort reverse reduce find findIndex some every concat flat startsWith endsWith
        padStart padEnd toString charAt has set get add delete size then catch finally getElementById querySelector
        querySelectorAll addEventListener textContent innerHTML value style classList appendChild createElement
        readFileSync writeFileSync existsSync exports""",
    "java": """length size get put add remove equals equalsIgnoreCase charAt substring indexOf println printf print
        parseInt parseDouble valueOf toUpperCase toLowerCase trim isEmpty isBlank contains containsKey keySet values
        entrySet getKey getValue format split join hashCode toString compareTo stream map filter collect forEach
        mapToInt mapToDouble sum average orElse getOrDefault asList of copyOf sort reverse max min abs sqrt pow
        round floor ceil nextInt nextDouble nextLine hasNext close append getMessage printStackTrace clear addAll
        removeIf iterator next out err""",
    "c": """size length push_back pop_back begin end at empty c_str substr find insert erase clear front back first
        second emplace_back count reserve resize open close good eof str""",
    "lua": """insert remove concat sort unpack format sub len upper lower gmatch match gsub find rep reverse byte char
        floor ceil max min abs sqrt huge random open lines read write close date time clock getenv""",
    "supercollider": """mean sum maxItem minItem size at put add do collect select reject inject sort reverse differentiate
        integrate round floor ceil abs sqrt postln post asString asInteger asFloat value first last drop keep
        copyRange includes indexOf keys values keysValuesDo isNil notNil clip wrap""",
    "swift": """count isEmpty first last append insert remove removeAll contains map filter reduce sorted reversed joined
        split uppercased lowercased keys values""",
}
_MEMBER = re.compile(r"(?:\.|->|:)([A-Za-z_]\w+)")


class Vocabulary:
    """The failing line's members against the runtime's own."""

    kinds = frozenset(["unknown-name", "no-such-member", "missing-value", "not-callable", "wrong-type", "wrong-arguments"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the member's right name."""
        known = frozenset(_KNOWN.get(scene.jam.runtime, "").split())
        if not known or scene.frame is None:
            return
        told = " ".join([scene.jam.message or "", *scene.facts.values()])
        own = {name for _, code in scene.own_codes() for name in code.all_members()}
        for match in _MEMBER.finditer(scene.row(scene.frame.file, scene.line)):
            member = match[1]
            named = re.search(rf"\b{re.escape(member)}\b", told) is not None
            if member in known or (member in own and not named):
                continue
            same = [name for name in known if name.lower() == member.lower()]
            alike = same or [name for name, _ in nearest(member, known, most=1, least=0.8)]
            if not alike or (scene.jam.kind == "missing-value" and not same):
                continue
            sure = (0.94 if same else 0.88) - (0 if named else 0.1)
            found.root(scene.frame.file, scene.line, f"`{member}` is called `{alike[0]}`", sure)
            edit = Edit(
                file=scene.frame.file,
                line=scene.line,
                column=match.start(1) + 1,
                end_line=scene.line,
                end_column=match.end(1) + 1,
                new_text=alike[0],
            )
            found.key(
                f"called-{alike[0]}",
                f"Write `{alike[0]}` instead of `{member}`",
                "the runtime's own objects call it so",
                sure,
                [edit],
            )


CLUE = Vocabulary()
