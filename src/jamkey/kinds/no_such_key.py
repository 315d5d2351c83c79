"""A key, column or label is looked up that is not there."""

from __future__ import annotations

import re

from jamkey.follow.data_places import header_of
from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.follow.suspect import index_part
from jamkey.kinds.base import SUGGESTED, Diagnosis, idioms_of, replace, show, trace_names, wrap
from jamkey.kinds.repair import as_spelt_there
from jamkey.languages.base import Part, Span
from jamkey.model import Value
from jamkey.text import line_at, shorten

#: What parts the columns of a table.
_SIGNS = (",", ";", "\t", "|")
#: How alike two spellings of one word are; what is less alike are two words.
_RESPELT = 0.9
#: Line ends and tabs, as a message writes them.
_BLANKS = ("\\n", "\\r", "\\t")


#: A message that is nothing but the key: a text, a number, something in brackets, a call.
_KEY = re.compile(r"'[^']*'|\"[^\"]*\"|[^\s:]+|[\[({].*[\])}]|[\w.]+\(.*\)")


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
            kind=self.name,
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
        self._similar(scene, found, plain, wanted, key, there)
        if key is not None and key.sort in ("name", "member", "index", "call") and wanted.startswith(("'", '"')):
            as_spelt_there(scene, found, file, key, wanted[1:-1], [text.strip("'\"") for text in there])
        if key is not None and key.sort == "text" and not found.keys:
            self._another(scene, found, key, there)
        if named:
            self._number_or_text(scene, found, wanted, key, container, there)
            self._order(scene, found, wanted, there)
        if key is not None and key.sort in ("name", "member"):
            for origin in follow(scene, key, scene.jam.snag or 0)[:2]:
                if (origin.file, origin.line) != (file, line):
                    written = origin.part is not None and origin.part.sort == "text" and origin.part.name == plain
                    reason = f"the key {show(wanted)} comes from here" if named else "the key comes from here"
                    found.root_at(origin, reason, "key-written" if written else "key-from")
        if container is not None:
            spaced = any(text.strip("'\"").strip() == plain and text.strip("'\"") != plain for text in there)
            for origin in follow(scene, container, scene.jam.snag or 0)[:2]:
                if (origin.file, origin.line) != (file, line):
                    found.root_at(origin, "the table comes from here", "table-spaced" if spaced else "table-from")
        else:
            trace_names(scene, found, "what the call works on comes from here")
        lacks = f"{show(wanted)} is looked up here and is not there"
        found.root(file, line, lacks if named else "what is looked up here is not there under this name", "snag")
        if found.keys:
            found.causes.insert(0, found.keys[0].reason)
        return found

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
                if near and not holders:
                    found.key(
                        f"look-up-{near[0][0]}",
                        f"Look up `{shorten(near[0][0], 40)}` instead of `{part.name}`",
                        f"`{shorten(near[0][0], 40)}` is there and differs only a little",
                        [replace(frame.file, part.span, _quoted_like(scene, frame.file, part.span, near[0][0]))],
                    )
                elif near:
                    found.causes.insert(0, f"`{part.name}` is `{near[0][0]}` in `{others[0].name}`")
                    trace = Part("name", part.span, others[0].name, others[0].name)
                    for origin in follow(scene, trace, scene.jam.snag or 0)[:2]:
                        found.root_at(origin, f"what is `{part.name}` elsewhere is called `{near[0][0]}` here", "called-here")
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
        file = next((file for file in scene.data_files if sign and _first_line(scene, file) == names[0]), None)
        if file is None or container is None or scene.frame is None:
            return False
        shown, parted = (text.replace("\t", "\\t") for text in (names[0], sign))
        found.meaning += (
            f" `{shorten(shown, 40)}` is the first line of {file}: it was read with another separator than `{parted}`."
        )
        found.look_at = f"Look at the first line of {file}, and at how it is read."
        found.causes.insert(0, "the file has another separator than it is read with")
        for origin in follow(scene, container, scene.jam.snag or 0)[:2]:
            found.root_at(origin, f"{file} is read here, and its columns are parted by `{parted}`", "read-parted")
        found.root(scene.frame.file, scene.line, f"`{plain}` is looked up here and is not there", "read-as-one")
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

    def _another(self, scene: Scene, found: Diagnosis, key: Part, there: list[str]) -> None:
        """A key is written out, and nothing like it is there: perhaps another of the few that are is meant."""
        names = [text.strip("'\"") for text in there if text.startswith(("'", '"'))]
        if scene.frame is None or not 1 <= len(names) <= 6:
            return
        for rank, name in enumerate(names[:3]):
            text = _quoted_like(scene, scene.frame.file, key.span, name)
            found.key(
                f"one-of-{name}",
                f"Look up `{shorten(name, 40)}` instead",
                "it is one of the few keys that are there",
                [replace(scene.frame.file, key.span, text)],
                rank=rank,
            )

    def _places(self, scene: Scene, text: str) -> list[tuple[str, Span]]:
        return [(file, span) for file, code in scene.own_codes() for span in code.literal_keys().get(text, [])]

    def _similar(self, scene: Scene, found: Diagnosis, plain: str, wanted: str, key: Part | None, there: list[str]) -> None:
        """A like key exists: decide whether the look-up or the place that put it in is the odd one."""
        if not wanted.startswith(("'", '"')) and not scene.facts.get("name"):
            return
        keys = {text.strip("'\""): text for text in there}
        written: dict[str, int] = {}
        for _, code in scene.own_codes():
            for text, spans in code.literal_keys().items():
                written[text] = written.get(text, 0) + len(spans)
        others = scene.members - {plain} if scene.traits.columns_as_names else written
        candidates = nearest(plain, [*keys, *([] if keys else others)], most=3, least=0.6)
        if (suggested := scene.facts.get("suggestion", "")) and all(suggested != text for text, _ in candidates):
            candidates.insert(0, (suggested, SUGGESTED))
        candidates += [(text, 1.0) for text in keys if text.strip() == plain and text != plain]
        uses = self._places(scene, plain)
        for meant, score in sorted(set(candidates), key=lambda item: -item[1]):
            places = self._places(scene, meant)
            # blanks around a key are not meant: who asks with them is to take them off
            blanks = meant != plain and meant == _bare(plain)
            puts = [place for place in places if not blanks and self._is_put(scene, *place)]
            last = 0
            use_edits = [replace(file, span, _quoted_like(scene, file, span, meant)) for file, span in uses]
            if not use_edits and scene.frame is not None:  # a column read as a member
                sorts = ("member", "name") if scene.traits.columns_as_names else ("member",)
                read = [part for part in scene.parts_of(scene.frame) if part.sort in sorts and part.name == plain]
                asked = dict.fromkeys(part.name_span for part in read if part.name_span is not None)
                use_edits = [replace(scene.frame.file, span, meant) for span in asked]
            if puts and len(uses) >= 2 and len(puts) == len(places) == 1:
                self._put_as(scene, found, plain, meant, puts[0], score)
                last = 1
            elif puts and len(puts) == len(places) == 1 and uses:
                # each stands once: of two other words the one put in is the likelier slip, of two spellings the one looked up
                last = int(score < _RESPELT)
                self._put_as(scene, found, plain, meant, puts[0], score, rank=1 - last)
            if use_edits:
                found.key(
                    f"look-up-{meant.strip()}",
                    f"Look up `{shorten(meant, 40)}` instead of `{plain}`",
                    f"`{shorten(meant, 40)}` is there and differs only a little",
                    use_edits,
                    near=score,
                    rank=last,
                )
            elif puts:
                self._put_as(scene, found, plain, meant, puts[0], score)

    def _put_as(
        self, scene: Scene, found: Diagnosis, plain: str, meant: str, place: tuple[str, Span], near: float, *, rank: int = 0
    ) -> None:
        file, span = place
        found.key(
            f"put-as-{plain}",
            f"Put it in as `{plain}` (line {span.line} of {file})",
            f"it is put in as `{meant}` there and looked up as `{plain}`",
            [replace(file, span, _quoted_like(scene, file, span, plain))],
            near=near,
            rank=rank,
        )
        found.root(file, span.line, f"put in here as `{meant}`, looked up as `{plain}`", "put-as-like", near=near, rank=rank)

    def _is_put(self, scene: Scene, file: str, span: Span) -> bool:
        """Tell whether a literal key stands where something is stored: in a dict display or left of `=`."""
        row = scene.row(file, span.line)
        after = row[span.end_column - 1 :].lstrip()
        if after.startswith(":"):
            return True
        return after.startswith("]") and after[1:].lstrip().startswith("=") and not after[1:].lstrip().startswith("==")

    def _number_or_text(
        self, scene: Scene, found: Diagnosis, wanted: str, key: Part | None, container: Part | None, there: list[str]
    ) -> None:
        """A number is looked up among texts, or the other way round."""
        if key is None or scene.frame is None or not there:
            return
        idioms = idioms_of(scene)
        number = wanted.lstrip("-").isdigit()
        as_text = {text.strip("'\"") for text in there if text.startswith(("'", '"'))} if number else set()
        as_number = {text for text in there if text.lstrip("-").isdigit()} if not number else set()
        plain = wanted.strip("'\"")
        if not (number and plain in as_text) and not (not number and plain in as_number):
            return
        convert = idioms.to_text if number else idioms.to_whole
        other = idioms.to_whole if number else idioms.to_text
        words = ("a number", "text") if number else ("text", "a number")
        reason = f"the key is {words[0]} here, and {words[1]} where it was put in"
        for file, place in self._put_keys(scene, container):
            found.root(file, place.span.line, f"the keys are put in as {words[1]} here", "put-as")
            found.key("put-converted", f"Put it in as `{show(other.format(place.source))}`", reason, [wrap(file, place, other)])
        found.key(
            "look-up-converted", f"Look up `{show(convert.format(key.source))}`", reason, [wrap(scene.frame.file, key, convert)]
        )

    def _put_keys(self, scene: Scene, container: Part | None) -> list[tuple[str, Part]]:
        """Return the key parts of `container[key] = ...` for every name the container goes by."""
        names = {container.name} if container is not None and container.name else set()
        if container is not None:
            for origin in follow(scene, container, scene.jam.snag or 0):
                names.add(origin.name)
                for step in origin.steps:
                    names |= set(step.text.replace("=", " ").replace("(", " ").split()[:2])
        found: list[tuple[str, Part]] = []
        for file, code in scene.own_codes():
            for line in range(1, code.text.count("\n") + 2):
                statement = code.statement(line)
                if statement is None or statement.span.line != line or statement.sort != "assign":
                    continue
                for target in statement.targets:
                    owner, key = target.child("object"), target.child("key")
                    if target.sort == "index" and owner is not None and key is not None and owner.name in names:
                        found.append((file, key))
        return found[:2]

    def _order(self, scene: Scene, found: Diagnosis, wanted: str, there: list[str]) -> None:
        """A tuple key whose parts are all there, in another order."""
        if not wanted.startswith("(") or not there:
            return
        parts = sorted(part.strip() for part in wanted.strip("()").split(","))
        if not any(sorted(part.strip() for part in text.strip("()").split(",")) == parts for text in there):
            return
        for file, code in scene.own_codes():
            for line in range(1, code.text.count("\n") + 2):
                statement = code.statement(line)
                for target in statement.targets if statement and statement.span.line == line else ():
                    key = target.child("key") if target.sort == "index" else None
                    if key is not None and key.sort == "tuple" and len(key.children) == len(parts) == 2:
                        first, second = key.in_role("item")
                        found.root(file, line, "the parts of the key are put in the other way round here", "put-order")
                        found.key(
                            "key-order",
                            f"Put it in under `({second.source}, {first.source})`",
                            "the look-up names the parts of the key in the other order",
                            [replace(file, first.span, second.source), replace(file, second.span, first.source)],
                        )


def _quoted_like(scene: Scene, file: str, span: Span, text: str) -> str:
    """Return the text in the quotes that stand at the place."""
    row = scene.row(file, span.line)
    quote = row[span.column - 1 : span.column]
    return f"{quote}{text}{quote}" if quote in ("'", '"', "`") else f'"{text}"'


def _first_line(scene: Scene, file: str) -> str:
    return line_at(scene.sources.text(file) or "", 1).strip("\ufeff\r\n ")


def _bare(key: str) -> str:
    """Return a key without the blanks around it."""
    for blank in _BLANKS:
        key = key.replace(blank, " ")
    return key.strip()


KIND = NoSuchKey()
