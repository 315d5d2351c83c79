"""A layout, settings or data file names something that the code no longer has."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import Diagnosis, show, words_of
from jamkey.kinds.repair import data_edit

_LAYOUTS = (".storyboard", ".xib", ".xml", ".nib", ".plist", ".ui", ".gorm", ".json", ".ini", ".cfg", ".toml", ".yaml", ".yml")


class StaleWiring:
    """See the module."""

    name = "stale-wiring"
    title = "a layout that names what the code no longer has"
    about = (
        "A file beside the code connects things by name, and one of these names is not in the code (any more). It was renamed "
        "or removed in the code, and the file still holds the old one."
    )
    usual = (
        "a property or an action was renamed in the code, and the layout still names the old one",
        "the layout belongs to another class than the one it is loaded for",
        "the name is misspelt in the layout",
    )
    avoid = "Rename connected things with the editor's own refactoring, and open each layout once after a change."
    example = (
        'layout = {"label": "kilos"}\n'
        "\n"
        "\n"
        "class Scale:\n"
        "    weight = 31.2\n"
        "\n"
        "\n"
        'assert hasattr(Scale, layout["label"]), "the layout names kilos"\n'
    )

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Find the name in the layout files, and what the code has instead."""
        member = scene.facts.get("member", "").split(":")[0]
        owner = scene.facts.get("class", "").rpartition(".")[2]
        found = Diagnosis(
            kind=self.name,
            meaning=f"Something outside the code asks {f'`{owner}`' if owner else 'an object'} for "
            f"`{show(member) or 'a name'}`, which it does not have.",
            look_at=f"Look for `{show(member)}` in the layout files, and compare with the names in the code.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        own: set[str] = set()
        for _, code in scene.own_codes():
            own |= set(words_of(code.text))
        for name in scene.sources.files():
            if not name.lower().endswith(_LAYOUTS):
                continue
            for number, row in enumerate((scene.sources.text(name) or "").split("\n"), 1):
                for spot in re.finditer(r'(?<=["\'>=])([A-Za-z_]\w*)(?=[:"\'<])', row):
                    word = spot[1]
                    if word == member or (not member and word not in own and word[:1].islower() and "key" in row.lower()):
                        found.root(
                            name,
                            number,
                            f"`{word}` is named here, and the code has no such thing",
                            "named",
                            column=spot.start() + 1,
                        )
                        for rank, (meant, score) in enumerate(nearest(word, own - {word}, most=2, least=0.5)):
                            found.key(
                                f"name-{meant}",
                                f"Write `{meant}` instead of `{word}` in line {number} of {name}",
                                "the code has this one",
                                [data_edit(name, number, spot.start(1), spot.end(1), meant)],
                                rank=rank,
                                near=score,
                            )
        if scene.frame is not None:
            found.root(scene.frame.file, scene.line, f"`{owner or 'the class'}` is defined here, without `{member}`", "snag")
        return found


KIND = StaleWiring()
