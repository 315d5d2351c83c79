"""A key, column or label is looked up that is not there."""

from __future__ import annotations

import re

from jamkey.follow.data_places import header_of
from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.follow.suspect import index_part
from jamkey.kinds.base import Diagnosis, show, trace_names
from jamkey.languages.base import Part
from jamkey.model import Value
from jamkey.text import line_at, shorten

#: What parts the columns of a table.
_SIGNS = (",", ";", "\t", "|")


#: A message that is nothing but the key: a text, a number, something in brackets, a call.
_KEY = re.compile(r"'[^']*'|\"[^\"]*\"|\S+|[\[({].*[\])}]|[\w.]+\(.*\)")


class NoSuchKey:
    """See the module."""

    name = "no-such-key"
    title = "a key, column or label that is not there"
    about = (
        "The line looks something up by a key, and the table has no such key. Keys match only exactly: letters, "
        'capitals, spaces and type all count, so "12" is not 12.'
    )
    usual = (
        "the key is misspelt, here or where it was put in",
        "the key has another case, or a space at its end",
        "the key is a number here and text there",
        "nothing was put in under this key",
    )
    avoid = "Write keys once, as constants, and print the keys of a table you did not fill yourself."
    example = 'kilos = {"oak": 31.2}\nprint(kilos["Oak"])\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Compare the key with the keys that are there, and with those the program writes."""
        told = (scene.jam.wording or "").split("\n")[0].strip()
        named = "name" in scene.facts or _KEY.fullmatch(told) is not None
        wanted = (scene.facts.get("name") or told) if named else ""
        plain = wanted.strip("'\"")
        found = Diagnosis(
            meaning=f"Nothing is stored under `{show(wanted)}`."
            if named
            else "The line asks by name for something that is not there under this name.",
            look_at=f"Print the keys that are there and compare them with {show(wanted)}: case, spaces, number or text."
            if named
            else "Print the names that are there and compare them with those on this line: case, spaces, number or text.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if scene.frame is None:
            return found
        scene.facts = {**scene.facts, "key": wanted}
        file, line = scene.frame.file, scene.line
        part = index_part(scene)
        container = part.child("object") if part is not None else None
        key = part.child("key") if part is not None else None
        value = scene.value(container.source) if container is not None else None
        there = self._keys_there(scene, value, container)
        if not (not named and self._in_tables(scene, found)) and there:
            listed = ", ".join(f"`{shorten(text, 24)}`" for text in there[:8])
            found.meaning += f" What is there: {listed}{' ...' if len(there) > 8 else ''}."
        if self._read_as_one(scene, found, plain, container, there):
            return found
        if key is not None and key.sort in ("name", "member"):
            for origin in follow(scene, key, scene.jam.snag or 0)[:2]:
                if (origin.file, origin.line) != (file, line):
                    written = origin.part is not None and origin.part.sort == "text" and origin.part.name == plain
                    found.root_at(
                        origin,
                        f"the key {show(wanted)} comes from here" if named else "the key comes from here",
                        0.66 if written else 0.58,
                    )
        if named:
            self._put_in(scene, found, plain, there)
        if container is not None:
            spaced = any(text.strip("'\"").strip() == plain and text.strip("'\"") != plain for text in there)
            for origin in follow(scene, container, scene.jam.snag or 0)[:2]:
                if (origin.file, origin.line) != (file, line):
                    found.root_at(origin, "the table comes from here", 0.8 if spaced else 0.56)
        else:
            trace_names(scene, found, "what the call works on comes from here", 0.58)
        lacks = f"{show(wanted)} is looked up here and is not there"
        found.root(file, line, lacks if named else "what is looked up here is not there under this name", 0.6)
        return found

    def _put_in(self, scene: Scene, found: Diagnosis, plain: str, there: list[str]) -> None:
        """A like key is put in at one place only, and this one is looked up."""
        written = {text: spans for _, code in scene.own_codes() for text, spans in code.literal_keys().items()}
        keys = [text.strip("'\"") for text in there] or list(written)
        for meant, score in nearest(plain, [key for key in keys if key != plain], most=2, least=0.6):
            places = [(file, span) for file, code in scene.own_codes() for span in code.literal_keys().get(meant, [])]
            if len(places) == 1:
                file, span = places[0]
                found.root(file, span.line, f"`{meant}` is written here only, and nearly what is looked up", 0.5 + 0.4 * score)

    def _in_tables(self, scene: Scene, found: Diagnosis) -> bool:
        """A text of the line that one of its tables has not for a name, where another has it, or one that is nearly it."""
        frame = scene.frame
        if frame is None:
            return False
        parts = scene.parts_of(frame)
        used = {part.source for part in parts}
        tables = [value for value in frame.values if value.members and value.name in used]
        for part in parts:
            holders = [value for value in tables if part.sort == "text" and part.name in value.members]
            others = [value for value in tables if part.sort == "text" and value not in holders]
            near = nearest(part.name, others[0].members) if others else []
            if others and (holders or near):
                listed = ", ".join(f"`{shorten(text, 24)}`" for text in others[0].members[:8])
                found.meaning = f"`{others[0].name}` has nothing of the name `{part.name}`; what it has: {listed}."
                if near and holders:
                    found.causes.insert(0, f"`{part.name}` is `{near[0][0]}` in `{others[0].name}`")
                    trace = Part("name", part.span, others[0].name, others[0].name)
                    for origin in follow(scene, trace, scene.jam.snag or 0)[:2]:
                        found.root_at(origin, f"what is `{part.name}` elsewhere is called `{near[0][0]}` here", 0.8)
                return True
        return False

    def _read_as_one(self, scene: Scene, found: Diagnosis, plain: str, container: Part | None, there: list[str]) -> bool:
        """The first line of a file is the only name that is there: it was read with another separator than it has."""
        names = [text.strip("'\"").replace("\\t", "\t") for text in there]
        sign = (
            next((sign for sign in _SIGNS if plain in names[0].split(sign)), "")
            if len(names) == 1 and plain != names[0]
            else ""
        )
        file = next((file for file in scene.sources.data_files() if sign and _first_line(scene, file) == names[0]), None)
        if file is None or container is None or scene.frame is None:
            return False
        shown, parted = (text.replace("\t", "\\t") for text in (names[0], sign))
        found.meaning += (
            f" `{shorten(shown, 40)}` is the first line of {file}: it was read with another separator than `{parted}`."
        )
        found.look_at = f"Look at the first line of {file}, and at how it is read."
        found.causes.insert(0, "the file has another separator than it is read with")
        for origin in follow(scene, container, scene.jam.snag or 0)[:2]:
            found.root_at(origin, f"{file} is read here, and its columns are parted by `{parted}`", 0.95)
        found.root(scene.frame.file, scene.line, f"`{plain}` is looked up here and is not there", 0.4)
        return True

    def _keys_there(self, scene: Scene, value: Value | None, container: Part | None) -> list[str]:
        if value is not None and value.members:
            return list(value.members)
        if container is not None:
            for origin in follow(scene, container, scene.jam.snag or 0):
                if origin.part is not None and origin.part.sort == "dict":
                    return [key.source for key in origin.part.in_role("key")]
                for text in origin.part.walk() if origin.part is not None else ():
                    if text.sort == "text" and text.name and (header := header_of(scene.sources, text.name)):
                        return [repr(name) for name in header]
        return []


def _first_line(scene: Scene, file: str) -> str:
    return line_at(scene.sources.text(file) or "", 1).strip("\ufeff\r\n ")


KIND = NoSuchKey()
