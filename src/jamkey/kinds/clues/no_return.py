"""A function whose value is used and that gives none: the place where it should have."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, indent_of, insert_line
from jamkey.languages.base import Code, Function
from jamkey.model import Edit

_SETS = re.compile(r"(\s*)(?:local|let|const|var)\s+(\w+)\s*=\s*([^=].*?);?\s*$")
_DROPPED = re.compile(r"(\s*)(\(\{.*\}\)|[A-Za-z_]\w*(?:\.\w+|\[[^\]]*\])*|[\w.]+\s*[-+*/]\s*[\w.]+);?\s*$")


class NoReturn:
    """Own functions, called for their value, that end without one."""

    kinds = frozenset(
        ["missing-value", "wrong-type", "no-such-member", "not-callable", "bad-arithmetic", "unknown-name", "unset-name"]
    )

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the line that computes the value and drops it, or the function's last one."""
        if scene.traits.output_names and scene.jam.kind in ("unknown-name", "unset-name"):
            self._output(scene, found)
        if scene.jam.kind in ("unknown-name", "unset-name"):
            return
        if not scene.traits.silent_without_return:
            return  # in the others a compiler tells, or the last value is the result
        frame = scene.frame
        if frame is None:
            return
        stack = {f.function for f in scene.jam.frames}
        for file, code in scene.own_codes():
            for function in code.functions():
                name = function.name
                if not name or name in stack or function.name in ("constructor",):
                    continue
                if not any(self._for_its_value(scene, other, at, name) for at, other in scene.own_codes()):
                    continue
                self._body(scene, found, file, code, function)

    def _output(self, scene: Scene, found: Diagnosis) -> None:
        """An output that is set on some ways only: the branching that leaves one out."""
        name = scene.facts.get("name", "").strip("'")
        for file, code in scene.own_codes():
            for function in code.functions() if name else ():
                head = scene.bare_row(file, function.span.line)
                if not re.search(rf"function\s+(?:\[[^\]]*\b{re.escape(name)}\b[^\]]*\]|{re.escape(name)})\s*=", head):
                    continue
                for line in range(function.span.line + 1, function.span.end_line + 1):
                    if re.match(r"\s*(?:switch|if)\b", scene.bare_row(file, line)):
                        found.root(file, line, f"on some ways through here `{name}` is never set", "not-set")
                        return

    def _for_its_value(self, scene: Scene, code: Code, file: str, name: str) -> bool:
        pattern = re.compile(rf"(?:=|return|\(|,|in)\s*(?:await\s+)?(?:[\w]+[.:])*{re.escape(name)}\s*\(")
        return any(pattern.search(scene.bare_row(file, call.span.line)) for call in code.calls(name))

    def _body(self, scene: Scene, found: Diagnosis, file: str, code: Code, function: Function) -> None:
        first, last = function.span.line, function.span.end_line
        rows = [(n, scene.bare_row(file, n)) for n in range(first + 1, last)]
        body = "\n".join(row for _, row in rows)
        ends = [n for n, row in rows if row.strip() and row.strip() not in ("end", "}", "});")]
        if not ends or ("=>" in scene.bare_row(file, first) and "{" not in scene.bare_row(file, first)):
            return
        returns = re.findall(r"\breturn\b[ \t]*([^;\n]*)", body)
        top = [row for n, row in rows if n == ends[-1]]
        if top and top[0].lstrip().startswith(("return", "throw", "error")):
            return
        for number, row in rows:
            sets, dropped = _SETS.match(row), _DROPPED.match(row)
            kept = sets is not None and len(re.findall(rf"\b{re.escape(sets[2])}\b", body)) == 1
            if sets is not None and kept:
                new = f"{sets[1]}return {sets[3]}"
            elif dropped is not None and dropped[2] not in tuple("end else do break continue return repeat then".split()):
                new = f"{dropped[1]}return {row.strip()}"
            else:
                continue
            found.root(file, number, f"`{function.name}` computes this and drops it; its callers get nothing", "dropped")
            edit = Edit(file=file, line=number, column=1, end_line=number, end_column=len(row) + 1, new_text=new)
            found.key(
                f"return-it-{number}",
                f"Hand the value out: `{new.strip()}`",
                f"`{function.name}` gives nothing back on this way",
                [edit],
            )
            return
        if returns and any(value.strip() for value in returns):
            return  # it gives a value on another way: nothing found is a result too
        found.root(file, ends[-1], f"`{function.name}` ends here without giving its value back", "end")
        names = re.findall(r"\b(?:local|let|const|var)\s+(\w+)\s*=", body)
        for rank, name in enumerate(dict.fromkeys(names[:3])):
            found.key(
                f"return-{name}",
                f"Return `{name}` at the end of `{function.name}`",
                "its callers use its value",
                [insert_line(file, last, f"{indent_of(scene, file, ends[-1])}return {name}")],
                rank=rank,
            )


CLUE = NoReturn()
