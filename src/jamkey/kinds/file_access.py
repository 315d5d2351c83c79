"""A file cannot be opened, or its text cannot be decoded."""

from __future__ import annotations

import posixpath
from pathlib import Path

from jamkey.follow.commands import commands
from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import Diagnosis, import_edit, replace, show
from jamkey.languages import is_source
from jamkey.languages.base import Definition, Part, Span
from jamkey.late import pattern

#: Calls that open a file.
_OPENERS = ("open", "read_csv", "read_text", "read_excel", "reader")


#: What a system says of a file that is not there.
_IS_MISSING = pattern(r"(?i)no such file|not found|unable to access")


class FileAccess:
    """See the module."""

    name = "file-access"
    title = "a file that cannot be opened or read"
    about = (
        "The program asked for a file, and the system refused: it is not there, it is a folder, it may not be opened, or "
        "its bytes are not in the encoding expected. A name without a folder is sought in the folder one is in."
    )
    usual = (
        "the program was started in another folder than the file is in",
        "the file's name is misspelt, or has another ending or case",
        "the file was saved in another encoding",
        "the folder to write to does not exist",
    )
    avoid = "Build paths from the script's own place, and name the encoding when opening a text file."
    example = 'print(open("hive_wieghts.csv").read())\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Look for the file nearby, and mend the path where it is written."""
        path = scene.facts.get("path", "")
        reason = scene.facts.get("reason", "")
        found = Diagnosis(kind=self.name, avoid=self.avoid, causes=list(self.usual))
        found.meaning = f"`{show(path)}` cannot be opened: {reason.lower()}." if path else self.about
        if path and not reason:
            said = show((scene.jam.wording or "").split("\n")[0], 120)
            found.meaning = f'`{show(path)}` is not there, or not what it should be: "{said}".'
        found.look_at = "Check the name, the folder you are in, and what is in that folder."
        if scene.facts.get("by") == "start":
            self._start(scene, found, path, scene.facts.get("command", ""))
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        if "codec" in scene.facts:
            self._encoding(scene, found)
        elif path:
            places = self._written(scene, path)
            errno = scene.facts.get("errno")
            if errno in ("2", None):
                self._nearby(scene, found, path, places)
                self._new_folder(scene, found, path)
            elif errno == "21":
                found.meaning = f"`{path}` is a folder, and a folder cannot be read like a file."
            for where, part in places[:2]:
                found.root(
                    where, part.span.line, f"the path `{show(path)}` is written here", "path-here", column=part.span.column
                )
        self._followed(scene, found)
        opened = [] if path else self._opened(scene)
        for other in opened:
            found.root(file, other, "the file is opened here", "opened")
        opens = any(part.called in _OPENERS for part in scene.parts_of(scene.frame))
        found.root(file, line, "the file is opened here" if opens else "the file is used here", "snag")
        return found

    def _start(self, scene: Scene, found: Diagnosis, path: str, command: str) -> None:
        """Nothing began: the program asked for, or the command, is not there under this name."""
        script = scene.facts.get("script", "")
        if script and is_source(script):
            found.meaning = f"The shell took `{show(script)}` for commands of its own, and knows no `{show(command)}`."
            found.look_at = (
                f"Start `{show(script)}` with the interpreter of its language, or name that in its first line (`#!`)."
            )
            found.causes = ["the file was started as a program of its own, and its first line names no interpreter"]
            return
        if command:
            found.meaning = f"Nothing has run: the shell knows no command called `{show(command)}`."
            found.look_at = f"Check the spelling of `{show(command)}`, and whether it is installed."
            found.causes = ["the command is misspelt", "it is not installed, or not in a folder in which commands are sought"]
            here = commands()
            near = [command] if command in here else [name for name, _ in nearest(command, here, most=2, least=0.75)]
            if near:
                found.meaning += f" On this machine there is `{'` and `'.join(map(show, near))}`."
            return
        found.meaning = f"Nothing has run: {found.meaning}"
        if not _IS_MISSING.search(scene.facts.get("reason", "")):
            found.look_at = f"Look at what `{show(path)}` is, and at who may run or read it."
            found.causes = ["it is there, and may not be run or read, or is no program"]
            return
        found.causes = ["it was started in another folder than the file is in", "the file's name is misspelt"]
        base = posixpath.basename(path.replace("\\", "/"))
        files = scene.sources.files()
        same = [name for name in files if posixpath.basename(name).lower() == base.lower() and name != path]
        near = same or [name for name in files if nearest(base, [posixpath.basename(name)], most=1, least=0.75)]
        if near:
            found.meaning += f" There is `{show(near[0])}`."

    def _written(self, scene: Scene, path: str) -> list[tuple[str, Part]]:
        """Return the text literals that hold the path, or its last part."""
        base = posixpath.basename(path.replace("\\", "/"))
        exact: list[tuple[str, Part]] = []
        partly: list[tuple[str, Part]] = []
        for file, code in scene.own_codes():
            for number in range(1, code.text.count("\n") + 2):
                if base not in scene.row(file, number):
                    continue
                statement = code.statement(number)
                for part in (p for top in (statement.parts if statement else ()) for p in top.walk()):
                    if part.sort != "text" or part.span.line != number:
                        continue
                    if part.name == path:
                        exact.append((file, part))
                    elif base and base in part.name:
                        partly.append((file, part))
                if statement is not None and not any(p.span.line == number for _, p in (*exact, *partly)):
                    at = scene.row(file, number).find(path)
                    if at >= 0:
                        span = Span(number, at + 1, number, at + 1 + len(path))
                        partly.append((file, Part("path", span, path, path)))
        return exact or partly

    def _nearby(self, scene: Scene, found: Diagnosis, path: str, places: list[tuple[str, Part]]) -> None:
        """The same name in another folder, or a like name in the same one."""
        base = posixpath.basename(path.replace("\\", "/"))
        files = scene.sources.files()
        same_name = [name for name in files if posixpath.basename(name).lower() == base.lower() and name != path]
        same_name.sort(key=lambda name: (posixpath.basename(name) != base, name.count("/"), name))
        near = [
            name for name, _ in nearest(base, [posixpath.basename(name) for name in files if not name.endswith(".py")], most=2)
        ]
        likely = same_name + [name for name in files if posixpath.basename(name) in near and name not in same_name]
        for rank, other in enumerate(likely[:3]):
            where = f"it is in `{posixpath.dirname(other) or '.'}`" if other in same_name else f"there is a file `{other}`"
            found.causes.insert(rank, where)
            if rank == 0:
                found.meaning += f" There is `{other}`."
            for file, part in places[:1]:
                span, quote = part.span, part.source[:1] if part.sort == "text" else ""
                written = part.name
                if "/" not in written and posixpath.dirname(other) == posixpath.dirname(path) != "":
                    # the folder is written elsewhere, as in join("data", "name.csv")
                    other = posixpath.basename(other)
                found.key(
                    f"path-{rank + 1}",
                    f"Write the path as `{other}`",
                    where,
                    [replace(file, span, f"{quote}{other}{quote}")],
                    rank=rank,
                )

    def _new_folder(self, scene: Scene, found: Diagnosis, path: str) -> None:
        """Written to, and its folder does not exist."""
        folder = posixpath.dirname(path.replace("\\", "/"))
        call = next((p for p in scene.parts_of(scene.frame) if p.called in ("open", "to_csv", "savefig", "write_text")), None)
        if call is None or not folder or scene.frame is None or not scene.traits.whole_tree:
            return
        arguments = [part for _, part in call.arguments]
        writes = call.called != "open" or any(
            part.sort == "text" and part.name[:1] in ("w", "a", "x") for part in arguments[1:]
        )
        if writes and arguments and (scene.sources.root is None or not (scene.sources.root / folder).is_dir()):
            from jamkey.kinds.base import indent_of, insert_line

            statement = scene.statement_of(scene.frame)
            line = statement.span.line if statement else scene.line
            text = (
                f"{indent_of(scene, scene.frame.file, line)}os.makedirs(os.path.dirname({arguments[0].source}), exist_ok=True)"
            )
            edits = [insert_line(scene.frame.file, line, text)]
            code = scene.code
            if code is not None and not code.definitions("os"):
                edits.append(import_edit(scene, scene.frame.file, "import os"))
            found.key(
                "make-folder", f"Make the folder `{folder}` first", "files can be written only into a folder that exists", edits
            )

    def _encoding(self, scene: Scene, found: Diagnosis) -> None:
        """Which encoding reads the file: try the usual ones on its bytes."""
        codec = scene.facts["codec"]
        found.meaning = f"The file's bytes are not `{codec}`: it was saved in another encoding."
        found.look_at = "Ask the program that wrote the file for its encoding, or open it in an editor that names it."
        call, file, index = self._opening(scene)
        if call is None:
            return
        found.root(file, call.span.line, "the file is opened here without its real encoding", "encoding")
        data = self._bytes(scene, call, index)
        for rank, name in enumerate(_encodings(data)):
            word = next((part for keyword, part in call.arguments if keyword == "encoding"), None)
            if word is not None:
                edit = replace(file, word.span, f'"{name}"')
            else:
                spot = Span(call.span.end_line, call.span.end_column - 1, call.span.end_line, call.span.end_column - 1)
                edit = replace(file, spot, f', encoding="{name}"')
            found.key(
                f"encoding-{name}",
                f'Open it with `encoding="{name}"`',
                f"the bytes of the file make sense as {name}",
                [edit],
                rank=rank,
            )

    def _opened(self, scene: Scene) -> list[int]:
        """Return the lines above that open what the failing line works on."""
        code = scene.code_of(scene.frame) if scene.frame is not None else None
        if code is None:
            return []
        names = {part.name for part in scene.parts_of(scene.frame) if part.sort == "name"}
        found = {item.span.line for name in names for item in code.reaching(name, scene.line) if _opens(item)}
        return sorted(found - {scene.line})

    def _opening(self, scene: Scene) -> tuple[Part | None, str, int]:
        """Return the call that opened the file, in the snag or further out."""
        index: int | None = scene.jam.snag
        while index is not None:
            frame = scene.jam.frames[index]
            code = scene.code_of(frame)
            if code is not None and frame.line is not None:
                for name in _OPENERS:
                    calls = [c for c in code.calls(name) if c.span.line <= frame.line]
                    if calls:
                        return calls[-1], frame.file, index
            index = scene.caller_index(index)
        return None, "", 0

    def _bytes(self, scene: Scene, call: Part, index: int) -> bytes:
        names = [part.name for _, part in call.arguments if part.sort == "text"]
        frame = scene.jam.frames[index]
        for _, part in call.arguments[:1]:
            value = scene.value(part.source, frame)
            if value is not None:
                names.insert(0, value.text.strip("'\""))
            for origin in follow(scene, part, index, want="text"):
                if origin.part is not None and origin.part.sort == "text":
                    names.append(origin.part.name)
        for name in names:
            path = scene.sources.path(name)
            if path is not None:
                return _read(path)
        return b""

    def _followed(self, scene: Scene, found: Diagnosis) -> None:
        call = next((p for p in scene.parts_of(scene.frame) if p.sort == "call" and p.arguments), None)
        if call is None or scene.frame is None:
            return
        for rank, origin in enumerate(follow(scene, call.arguments[0][1], scene.jam.snag or 0, want="text")[:3]):
            if (origin.file, origin.line) != (scene.frame.file, scene.line):
                found.root_at(origin, "the path comes from here", "path-from", rank=rank)


def _opens(item: Definition) -> bool:
    return item.sort == "opened" or (item.value is not None and item.value.called in _OPENERS)


def _read(path: Path) -> bytes:
    try:
        with path.open("rb") as handle:
            return handle.read(200_000)
    except OSError:
        return b""


def _encodings(data: bytes) -> list[str]:
    """Return the encodings worth trying, the likeliest first.

    Latin-1 gives letters to 0xA0-0xFF and control characters to 0x80-0x9F, where cp1252 has punctuation.
    """
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return ["utf-16"]
    if any(0x80 <= byte <= 0x9F for byte in data):
        return ["cp1252", "latin-1"]
    return ["latin-1", "cp1252"]


KIND = FileAccess()
