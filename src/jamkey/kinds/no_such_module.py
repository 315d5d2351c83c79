"""A module that is to be imported is not found, or is not the one that was meant."""

from __future__ import annotations

import posixpath

from jamkey.follow.modules import modules_meant
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import SUGGESTED, Diagnosis, append_line, delete_lines, indent_of, insert_line, rename, replace, show
from jamkey.languages.base import Span
from jamkey.languages.installed import members_of

#: What usually causes it where a module is asked for by its file.
_OF_FILES = (
    "the file's name is misspelt",
    "its folder is none of those in which the compiler looks",
    "what comes with the library to compile against it is not installed",
)

#: How alike a module's name has to be for nobody to be told to install the one that was written.
_SPELT = 0.83


class NoSuchModule:
    """See the module."""

    name = "no-such-module"
    title = "a module that is not there, or not the one meant"
    about = (
        "An import found no module of that name, or found another one: a file of your own with a library's name comes "
        "first, and two files that import each other meet half-finished."
    )
    usual = (
        "the module's name is misspelt",
        "the library is not installed in this environment",
        "a file of your own bears the library's name",
        "two of your files import each other",
    )
    avoid = "Name your files unlike any library, and keep a list of the libraries a project needs."
    example = "import maths\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Tell misspelt, not installed, hidden by an own file, and circular apart."""
        facts = scene.facts
        module = facts.get("module", "").strip("'")
        found = Diagnosis(
            kind=self.name,
            meaning=f"The module `{module}` could not be used as this line asks.",
            look_at=f"Check the spelling of `{module}`, and whether a file of yours has that name.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        if "partially initialized" in (scene.jam.wording or "") and facts.get("name"):
            self._circular(scene, found, module, facts["name"])
        elif facts.get("name"):
            self._name_in_module(scene, found, module, facts["name"])
        elif "member" in facts or "shadow" in facts:
            self._hidden(scene, found, module, facts.get("member", ""))
        else:
            self._missing(scene, found, module)
        found.root(file, line, "the import stands here", "snag")
        return found

    def _path(self, scene: Scene, found: Diagnosis, module: str, file: str) -> None:
        """A module named by its path: look for the same or a like path among the project's files."""
        folder = posixpath.dirname(file)
        row = scene.row(file, scene.line)
        at = row.find(module)
        if at < 0:
            return
        ending = posixpath.splitext(module)[1]
        paths: dict[str, str] = {}
        for name in scene.sources.files():
            stem, own = posixpath.splitext(name)
            if own in (".js", ".mjs", ".cjs", ".json") and name != file:
                relative = posixpath.relpath(name if ending else stem, folder or ".")
                paths[relative if relative.startswith(".") else "./" + relative] = name
        same = [path for path in paths if posixpath.basename(path) == posixpath.basename(module)]
        for rank, path in enumerate(dict.fromkeys([*same, *(text for text, _ in nearest(module, paths, most=2))])):
            found.key(
                f"path-{rank + 1}",
                f"Write `{path}`",
                f"there is {paths[path]}",
                [replace(file, Span(scene.line, at + 1, scene.line, at + 1 + len(module)), path)],
                rank=rank,
            )

    def _missing(self, scene: Scene, found: Diagnosis, module: str) -> None:
        file = scene.frame.file if scene.frame else ""
        if "/" in module and scene.traits.relative_modules:
            self._path(scene, found, module, file)
            found.meaning = f"There is no module at `{module}`, seen from {file}."
            return
        head = module.split(".")[0]
        traits, code = scene.traits, scene.code
        found.meaning = f"No module called `{module}` is found in this environment or beside the script."
        if traits.modules_by_file:
            found.meaning = f"No file called `{module}` is found, neither beside this one nor among those of the compiler."
            found.causes = list(_OF_FILES)
        spelt = False
        for item in modules_meant(scene, file, scene.line, module, least=0.72):
            spelt = spelt or item.score > _SPELT
            written = scene.row(file, scene.line)[item.span.column - 1 : item.span.end_column - 1]
            spans = code.uses(written) if code is not None and not traits.relative_modules else []
            spans = spans if any(span.line == scene.line for span in spans) else [item.span, *spans]
            found.key(
                f"meant-{item.name}",
                f"Write `{item.name}` instead of `{written}`",
                f"`{item.name}` is {item.what}",
                rename(file, spans, item.name),
                near=item.score,
            )
        inside = [name for name in scene.sources.files() if name.endswith(f"/{head}.py")]
        for other in inside[:1]:
            path = other[:-3].replace("/", ".")
            row = scene.row(file, scene.line)
            at = row.find(head)
            if at >= 0 and row.lstrip().startswith("from "):
                found.key(
                    "module-path",
                    f"Import it as `{path}`",
                    f"it lies in {other}",
                    [replace(file, Span(scene.line, at + 1, scene.line, at + 1 + len(head)), path)],
                )
        if traits.installs and not module.startswith(".") and not spelt:
            library = head if traits.modules_within else module
            found.key(
                "install-it",
                f"Install it: `{traits.installs.format(traits.installed_as.get(library, library))}`",
                f"`{library}` is not installed in the environment that runs this script",
            )

    def _hidden(self, scene: Scene, found: Diagnosis, module: str, member: str) -> None:
        """A file of the project bears the library's name and was imported in its place."""
        own = scene.sources.module_file(module, scene.frame.file if scene.frame else "")
        if own is None:
            return
        found.meaning = f"`{module}` is not the library here: your own file {own} has that name and is found first."
        found.causes.insert(0, f"{own} hides the library `{module}`")
        found.root(own, 1, f"this file's name hides the library `{module}`", "hides")
        code = scene.sources.code(own)
        stem = own.rpartition(".")[0]
        found.key(
            "rename-file",
            f"Rename {own}, for example to {stem}_data.py (and where it is imported)",
            f"as long as it is called {own.rpartition('/')[2]}, `import {module}` finds it instead of the library",
        )
        if (
            code is not None
            and member
            and member not in {d.name for d in code.definitions() if not d.scope}
            and member in members_of(module)
        ):
            found.causes.insert(1, f"`{module}.{member}` of the library cannot be reached while {own} is there")

    def _circular(self, scene: Scene, found: Diagnosis, module: str, name: str) -> None:
        """Import inside the function that needs it: by then both files are complete."""
        if scene.frame is None:
            return
        file, line = scene.frame.file, scene.line
        code = scene.code
        found.meaning = (
            f"`{module}` imports this file, and this file imports `{module}`: when it asks for "
            f"`{name}`, `{module}` is not finished."
        )
        found.root(file, line, f"this import comes while `{module}` is only half read", "half-read")
        statement = code.statement(line) if code is not None else None
        if code is None or statement is None:
            return
        row = scene.row(file, line).strip()
        users = {code.scope_at(span.line) for span in code.uses(name) if span.line != line} - {""}
        at_top = any(not code.scope_at(span.line) for span in code.uses(name) if span.line != line)
        if users and not at_top and row.count(",") == 0:
            edits = [delete_lines(file, line, line)]
            for user in users:
                for function in code.functions(user)[:1]:
                    indent = indent_of(scene, file, function.body_line)
                    edits.append(insert_line(file, function.body_line, indent + row))
            found.key(
                "import-inside",
                f"Move `{show(row)}` into the function that uses `{name}`",
                "when the function is called, both files are complete",
                edits,
            )
        else:
            found.key(
                "import-last",
                f"Move `{show(row)}` to the end of the file",
                "by then the other file is complete",
                [delete_lines(file, line, line), append_line(scene, file, code.text.count("\n") + 1, row)],
            )

    def _name_in_module(self, scene: Scene, found: Diagnosis, module: str, name: str) -> None:
        if scene.frame is None:
            return
        file = scene.frame.file
        own = scene.sources.module_file(module, file)
        code = scene.sources.code(own) if own else None
        known = {d.name for d in code.definitions() if not d.scope} if code is not None else set(members_of(module))
        found.meaning = f"The module `{module}` exists, but has nothing called `{name}`."
        found.look_at = f"Compare `{name}` with what {own or module} defines."
        here = scene.code
        near = nearest(name, known, most=2)
        suggested = scene.facts.get("suggestion")
        if suggested and suggested not in dict(near):
            near.insert(0, (suggested, SUGGESTED))
        for meant, score in near:
            spans = here.uses(name) if here is not None else []
            if spans:
                found.key(
                    f"meant-{meant}",
                    f"Write `{meant}` instead of `{name}`",
                    f"`{module}` has `{meant}`",
                    rename(file, spans, meant),
                    near=score,
                )
            if own and code is not None:
                places = [d for d in code.definitions(meant) if not d.scope]
                if places and len(code.uses(meant)) == 1 and here is not None and len(here.uses(name)) > 1:
                    found.root(own, places[0].span.line, f"defined here as `{meant}`", "defined-as")
        if own is not None and self._is_standard(scene, module):
            self._hidden(scene, found, module, name)

    def _is_standard(self, scene: Scene, module: str) -> bool:
        language = scene.language
        return language is not None and module in language.known_modules()


KIND = NoSuchModule()
