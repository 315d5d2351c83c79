"""A method or attribute that stands once and is nearly one of Python's own, or one that the file sets."""

from __future__ import annotations

import ast
import io
from collections import Counter
from collections.abc import Iterable, Iterator

from jamkey.checks.base import FUNCTIONS, View
from jamkey.model import Edit, Finding

#: Of well-known libraries, and a letter away from one of Python's own.
_ELSEWHERE = frozenset(
    "reindex splint appends iterm pops indices valued keyed encoded decoded counts inserts removed reversed".split()
)
_OWN = {
    name
    for kind in (str, list, dict, set, tuple, bytes, int, float, io.TextIOWrapper)
    for name in dir(kind)
    if not name.startswith("_")
}


class MembersNearly:
    """See the module."""

    name = "members-nearly"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield members one slip of the fingers away from a known one."""
        uses = Counter(node.attr for node in view.of(ast.Attribute))  # type: ignore[attr-defined]
        functions = {f.name for f in view.of(*FUNCTIONS)}  # type: ignore[attr-defined]
        defined = functions | {n.attr for n in view.of(ast.Attribute) if isinstance(n.ctx, ast.Store)}  # type: ignore[attr-defined]
        often = {name for name in defined if uses[name] + (name in functions) > 1}
        set_here = Nearly(often)
        read = Nearly(name for name in uses if uses[name] > 1 and name not in defined)
        for node in view.of(ast.Attribute):
            if (
                not isinstance(node, ast.Attribute)
                or uses[node.attr] > 1
                or len(node.attr) < 4
                or node.attr.startswith("_")
                or node.attr in _OWN
                or node.attr in _ELSEWHERE
            ):
                continue
            stored = isinstance(node.ctx, ast.Store)
            if (node.attr in defined and not stored) or (
                stored and not (isinstance(node.value, ast.Name) and node.value.id == "self")
            ):
                continue
            called = isinstance(view.parents.get(node), ast.Call) and view.parents[node].func is node  # type: ignore[attr-defined]
            meant = (
                read.meant(node.attr)
                if stored
                else set_here.meant(node.attr) or (_OWN_NEARLY.meant(node.attr) if called else None)
            )
            if meant is None:
                continue
            end = view.column(node.end_lineno or node.lineno, node.end_col_offset or 0)
            line = node.end_lineno or node.lineno
            edit = Edit(file=view.file, line=line, column=end - len(node.attr), end_line=line, end_column=end, new_text=meant)
            yield view.finding(
                self.name,
                "no-such-member",
                node,
                f"`{node.attr}` stands only here; `{meant}` is nearly the same",
                title=f"Write `{meant}`",
                edits=(edit,),
            )


class Nearly:
    """Known words, prepared so that a slip is looked up and not searched: a large file has thousands of words.

    Args:
        known: the words.
    """

    def __init__(self, known: Iterable[str]) -> None:
        self.known = frozenset(known)
        #: Word without one inner letter -> word.
        self.shorter = {
            word[:at] + word[at + 1 :]: word for word in self.known if len(word) > 4 for at in range(1, len(word) - 1)
        }

    def meant(self, word: str) -> str | None:
        """Return a known word with two neighbouring letters exchanged, or one inner letter lost or doubled, else None."""
        size = len(word)
        for place in range(size - 1):
            if word[place] != word[place + 1]:
                other = word[:place] + word[place + 1] + word[place] + word[place + 2 :]
                if other in self.known:
                    return other
        if word in self.shorter:
            return self.shorter[word]
        if size > 4:
            for place in range(1, size - 1):
                if word[place].isalpha() and word[place - 1] != "_" and word[:place] + word[place + 1 :] in self.known:
                    return word[:place] + word[place + 1 :]
        return None


_OWN_NEARLY = Nearly(_OWN)
RULE = MembersNearly()
