"""A member is asked of an object that has none of that name."""

from __future__ import annotations

from jamkey.follow.origins import follow
from jamkey.follow.scene import Scene
from jamkey.follow.similar import nearest
from jamkey.kinds.base import Diagnosis, an, rename, show
from jamkey.kinds.installed import members_of, members_of_type
from jamkey.languages.base import Part, Span


class NoSuchMember:
    """See the module."""

    name = "no-such-member"
    title = "a member the object does not have"
    about = (
        "After the dot stands a name that this sort of object does not have. Either the name is misspelt, or the "
        "object is not of the sort one thinks it is."
    )
    usual = (
        "the member's name is misspelt or in the wrong case",
        "the object is of another type than expected",
        "the member is set later, or in another class",
    )
    avoid = "Print the type of an object you are unsure of, and let the editor complete what follows the dot."
    example = 'hive = "oak"\nprint(hive.uper())\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Weigh the member against those the object, its class and the module really have."""
        member = scene.facts.get("member", "")
        kind = scene.facts.get("type", "").rpartition(".")[2]
        module = scene.facts.get("module", "")
        whose = f"module `{module}`" if module else f"object of type `{kind}`" if kind else "object"
        found = Diagnosis(
            meaning=f"The {whose} has nothing called `{member}`.",
            look_at=f"Check the spelling of `{member}`, and whether the object before the dot is what you think it is.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        hidden = scene.facts.get("name", "")
        if hidden and not member:  # the message names what is there, and says why it is out of reach
            found.meaning = f"`{hidden}` is there, and cannot be reached in this way from here: the message says why."
            found.look_at = f"Look at how `{hidden}` is defined, and at what stands before the dot here."
            found.causes.clear()
        if scene.frame is None:
            return found
        file, line = scene.frame.file, scene.line
        part = next((p for p in scene.parts_of(scene.frame) if p.sort == "member" and p.name == member), None)
        owner = part.child("object") if part is not None else None
        if part is not None and owner is not None and part.name_span is not None:
            self._similar(scene, found, part, owner, kind, module)
            for origin in follow(scene, owner, scene.jam.snag or 0)[:2]:
                if (origin.file, origin.line) != (file, line):
                    found.root_at(origin, f"here `{show(owner.source)}` became what it is: {an(kind)}", 0.5)
        found.root(file, line, f"`{member}` is asked of an object that does not have it", 0.62)
        return found

    def _known(self, scene: Scene, owner: Part, kind: str, module: str) -> set[str]:
        """Return the members the object really has: recorded, of its class here, of the type, of the module."""
        value = scene.value(owner.source)
        known = set(value.members if value is not None and value.type != "dict" else ())
        known |= set(members_of_type(kind)) if kind else set()
        if module:
            known |= set(members_of(module))
            own = scene.sources.module_file(module)
            code = scene.sources.code(own) if own else None
            if code is not None:
                known |= {d.name for d in code.definitions() if not d.scope}
        if not known or any(code.bases(kind) is not None for _, code in scene.own_codes()):
            for _, code in scene.own_codes():
                known |= code.all_members()
        return known

    def _similar(self, scene: Scene, found: Diagnosis, part: Part, owner: Part, kind: str, module: str) -> None:
        member, file = part.name, scene.frame.file if scene.frame else ""
        known = self._known(scene, owner, kind, module) - {member}
        candidates = nearest(member, known, most=3)
        suggested = scene.facts.get("suggestion")
        if suggested and all(suggested != text for text, _ in candidates):
            candidates.insert(0, (suggested, 0.9))
        uses = self._uses(scene, member)
        for meant, score in candidates:
            confidence = 0.52 + 0.42 * score + (0.03 if meant == suggested else 0)
            sets = self._sets(scene, meant)
            spans = [span for where, span in uses if where == file] or [part.name_span or part.span]
            if len(uses) >= 2 and len(sets) == 1 and len(self._uses(scene, meant)) <= 1:
                where, span = sets[0]
                found.key(
                    f"define-as-{member}",
                    f"Call it `{member}` where it is set (line {span.line} of {where})",
                    f"`{member}` is used {len(uses)} times, `{meant}` stands only where it is set",
                    confidence + 0.02,
                    rename(where, [span], member),
                )
                found.root(where, span.line, f"set here as `{meant}`, used elsewhere as `{member}`", 0.75)
                confidence -= 0.08
            found.key(
                f"meant-{meant}",
                f"Write `{meant}` instead of `{member}`",
                f"the object has `{meant}`, which differs only a little",
                min(confidence, 0.97),
                rename(file, spans, meant),
            )

    def _uses(self, scene: Scene, member: str) -> list[tuple[str, Span]]:
        """Return the places where `.member` is read in the project."""
        found: list[tuple[str, Span]] = []
        for file, code in scene.own_codes():
            needle = "." + member
            set_at = {(d.span.line, d.span.column) for d in code.members(member)}
            for number, row in enumerate(code.text.split("\n"), 1):
                start = row.find(needle)
                while start >= 0:
                    after = row[start + len(needle) : start + len(needle) + 1]
                    if not (after.isalnum() or after == "_") and (number, start + 2) not in set_at:
                        found.append((file, Span(number, start + 2, number, start + 2 + len(member))))
                    start = row.find(needle, start + 1)
        return found

    def _sets(self, scene: Scene, member: str) -> list[tuple[str, Span]]:
        return [(file, d.span) for file, code in scene.own_codes() for d in code.members(member) if d.sort == "member"]


KIND = NoSuchMember()
