"""A name is used that nothing defines."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import Diagnosis, idioms_of, import_edit, rename, words_of
from jamkey.languages.base import Code, Span
from jamkey.languages.members import own_names


class UnknownName:
    """See the module."""

    name = "unknown-name"
    title = "a name that does not exist"
    about = (
        "The line uses a name, and at that moment nothing of that name exists. The runtime does not guess what "
        "was meant: it looks the name up letter by letter, capitals included."
    )
    usual = (
        "the name is misspelt, here or where it is defined",
        "a module is used but not imported",
        "it is defined later in the file, or in another function",
        "text was written without its quotes",
    )
    avoid = "Let the editor complete names instead of typing them, and define things above the place that uses them."
    example = "kilos = 31.2\nprint(kilo)\n"

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Weigh the use against every name that could have been meant."""
        name = scene.facts.get("name", "")
        file, line = (scene.frame.file, scene.line) if scene.frame else ("", 0)
        found = Diagnosis(
            meaning=f"`{name}` is used on this line, but nothing with that name exists there (yet).",
            look_at=f"Compare `{name}` letter by letter with the names you defined, capitals included.",
            avoid=self.avoid,
        )
        code = scene.code
        if code is None or not name:
            found.causes = list(self.usual)
            if file:
                found.root(file, line, f"`{name}` is used here", 0.5)
            return found
        if any(definition.sort == "parameter" for definition in code.reaching(name, line)):
            # it is spelt as the function takes it: only its value has not come
            found.meaning = f"`{name}` is used on this line, and has no value there."
            found.look_at = f"The function takes `{name}`: look at the calls that should hand it over."
            found.causes = ["a call leaves an argument out", "the value was deleted on the way"]
            found.root(file, line, f"`{name}` has no value here", 0.6)
            return found
        spans = [span for span in code.uses(name) if code.scope_at(span.line) == code.scope_at(line)]
        spans = spans or code.uses(name)
        self._look_alike(scene, found, name, file, spans)
        self._import(scene, found, name, file)
        self._similar(scene, found, name, file, code, spans)
        found.root(file, line, f"`{name}` is used here and defined nowhere in reach", 0.6)
        found.causes = [key.reason for key in found.keys[:3]] or list(self.usual)
        return found

    def _look_alike(self, scene: Scene, found: Diagnosis, name: str, file: str, spans: list[Span]) -> None:
        meant = idioms_of(scene).look_alikes.get(name)
        if meant is not None:
            found.key(
                "spell-as-here",
                f"Write `{meant}` instead of `{name}`",
                f"this language spells it `{meant}`",
                0.96,
                rename(file, spans, meant),
            )

    def _import(self, scene: Scene, found: Diagnosis, name: str, file: str) -> None:
        language = scene.language
        found_in = language.homes(name, file) if language is not None and _asked(scene, name) else ()
        line = found_in[0] if found_in else None
        own = scene.sources.module_file(name, file)
        if own is not None and own != file:
            line = idioms_of(scene).import_module.format(name)
        if line is not None:
            line = self._with_others(scene, line)
            edit = import_edit(scene, file, line)
            if not scene.traits.imports_anywhere:
                first = next((n for n in range(1, 60) if scene.row(file, n).lstrip().startswith(line.split(" ")[0])), 1)
                found.root(file, first, f"the import of `{name}` is missing here", 0.75)
            found.key(
                "import-it",
                f"Import it: `{line}`",
                f"`{name}` comes from a module that this file does not import",
                0.93,
                [edit],
            )

    def _with_others(self, scene: Scene, line: str) -> str:
        """Name what else this file uses of the same module and does not import."""
        code, language = scene.code, scene.language
        head, word, first = line.partition(" import ")
        if code is None or language is None or not word or not head.startswith("from "):
            return line
        known = {d.name for d in code.definitions()} | set(language.builtins)
        more = {
            name for name in words_of(code.text) if name not in known and f"{head} import {name}" in language.homes(name)[:1]
        }
        return f"{head} import {', '.join(sorted({first, *more}))}"

    def _similar(self, scene: Scene, found: Diagnosis, name: str, file: str, code: Code, spans: list[Span]) -> None:
        """The definition or the use may be the odd one out."""
        language = scene.language
        visible = code.visible(scene.line) - {name}
        known = set(language.builtins | language.keywords | own_names(language.name)) if language is not None else set()
        suggested = scene.facts.get("suggestion")
        candidates = nearest(name, visible, most=4)
        if not any(score > 0.85 for _, score in candidates):
            idioms = idioms_of(scene)
            words = {word for word in known if word not in language.keywords} if language is not None else set()
            candidates += nearest(name, words | {idioms.true, idioms.false, idioms.missing}, most=2, least=0.8)
        if suggested and all(suggested != text for text, _ in candidates):
            candidates.append((suggested, 0.8))
        recorded = {value.name for value in scene.frame.values} if scene.frame else set()
        for meant, score in candidates:
            confidence = 0.55 + 0.4 * score + (0.03 if meant in recorded or meant == suggested else 0)
            meant_spans = code.uses(meant)
            odd_definition = len(spans) >= 2 and len(meant_spans) == 1 and meant in visible
            found.key(
                f"meant-{meant}",
                f"Write `{meant}` instead of `{name}`",
                f"`{meant}` exists here and differs from `{name}` only a little",
                min(confidence - (0.1 if odd_definition else 0), 0.97),
                rename(file, spans, meant),
            )
            if len(meant_spans) == 1 and not odd_definition and meant in visible:
                found.root(file, meant_spans[0].line, f"defined here as `{meant}`, used as `{name}`", 0.5 + 0.1 * score)
            if odd_definition:
                place = meant_spans[0]
                found.key(
                    f"define-as-{name}",
                    f"Call it `{name}` where it is defined (line {place.line})",
                    f"`{name}` is used {len(spans)} times, `{meant}` stands only where it is defined",
                    min(confidence + 0.02, 0.97),
                    rename(file, [place], name),
                )
                found.root(file, place.line, f"defined here as `{meant}`, used everywhere else as `{name}`", 0.72)


def _asked(scene: Scene, name: str) -> bool:
    """Tell whether something is asked of the name, or declared by it: a plain variable comes from no library."""
    shown = re.compile(rf"(?<![\w.]){re.escape(name)}\s*(?:[(.:<*&]|\s\w)")
    return name[:1].isupper() or any(shown.search(code.text) for _, code in scene.own_codes())


KIND = UnknownName()
