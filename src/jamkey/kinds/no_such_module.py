"""A module that is to be imported is not found, or is not the one that was meant."""

from __future__ import annotations

from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.installed import members_of
from jamkey.languages.homes import packages

#: Import name -> what installs it, where the two differ.
_PACKAGES = {
    "cv2": "opencv-python",
    "sklearn": "scikit-learn",
    "PIL": "pillow",
    "yaml": "pyyaml",
    "bs4": "beautifulsoup4",
    "dateutil": "python-dateutil",
    "skimage": "scikit-image",
    "serial": "pyserial",
    "dotenv": "python-dotenv",
}


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
        found.root(file, line, "the import stands here", 0.62)
        return found

    def _missing(self, scene: Scene, found: Diagnosis, module: str) -> None:
        file = scene.frame.file if scene.frame else ""
        if "/" in module:
            found.meaning = f"There is no module at `{module}`, seen from {file}."
            return
        head = module.split(".")[0]
        found.meaning = f"No module called `{module}` is found in this environment or beside the script."
        language = scene.language
        own = [name.rpartition("/")[2].rpartition(".")[0] for name in scene.sources.files()]
        known = [*own, *packages(), *(language.known_modules() if language is not None else ())]
        near = [meant for meant, _ in nearest(head, known, most=1, least=0.72)] if head not in (*packages(), *_PACKAGES) else []
        if near:  # never the advice to install what is only misspelt
            found.causes.insert(0, f"the module is misspelt: there is `{near[0]}`")
        elif not scene.traits.relative_modules:
            package = _PACKAGES.get(head, head)
            found.key(
                "install-it",
                f"Install it: `python -m pip install {package}`",
                f"`{head}` is not installed in the environment that runs this script",
                0.6,
            )

    def _hidden(self, scene: Scene, found: Diagnosis, module: str, member: str) -> None:
        """A file of the project bears the library's name and was imported in its place."""
        own = scene.sources.module_file(module, scene.frame.file if scene.frame else "")
        if own is None:
            return
        found.meaning = f"`{module}` is not the library here: your own file {own} has that name and is found first."
        found.causes.insert(0, f"{own} hides the library `{module}`")
        found.root(own, 1, f"this file's name hides the library `{module}`", 0.9)
        code = scene.sources.code(own)
        stem = own.rpartition(".")[0]
        found.key(
            "rename-file",
            f"Rename {own}, for example to {stem}_data.py (and where it is imported)",
            f"as long as it is called {own.rpartition('/')[2]}, `import {module}` finds it instead of the library",
            0.9,
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
        found.meaning = (
            f"`{module}` imports this file, and this file imports `{module}`: when it asks for "
            f"`{name}`, `{module}` is not finished."
        )
        found.root(file, line, f"this import comes while `{module}` is only half read", 0.88)

    def _name_in_module(self, scene: Scene, found: Diagnosis, module: str, name: str) -> None:
        if scene.frame is None:
            return
        file = scene.frame.file
        own = scene.sources.module_file(module, file)
        code = scene.sources.code(own) if own else None
        known = {d.name for d in code.definitions() if not d.scope} if code is not None else set(members_of(module))
        found.meaning = f"The module `{module}` exists, but has nothing called `{name}`."
        found.look_at = f"Compare `{name}` with what {own or module} defines."
        near = nearest(name, known, most=2)
        suggested = scene.facts.get("suggestion")
        if suggested and suggested not in dict(near):
            near.insert(0, (suggested, 0.95))
        if near:
            found.causes.insert(0, f"`{module}` has `{near[0][0]}`")
        if own is not None and self._is_standard(scene, module):
            found.root(own, 1, f"this file hides the library `{module}`", 0.82)
            found.causes.insert(0, f"{own} hides the library `{module}`")

    def _is_standard(self, scene: Scene, module: str) -> bool:
        language = scene.language
        return language is not None and module in language.known_modules()


KIND = NoSuchModule()
