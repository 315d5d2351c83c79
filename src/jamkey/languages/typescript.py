"""TypeScript's facts: JavaScript's, with types."""

from __future__ import annotations

from jamkey.languages.base import Code
from jamkey.languages.javascript import JavaScript
from jamkey.languages.tokens import TokenCode


class TypeScript(JavaScript):
    """TypeScript as Jam Key knows it: what turns put in and what is built in is JavaScript's."""

    name = "typescript"
    keywords = JavaScript.keywords | frozenset(
        """
        abstract any as asserts bigint boolean declare enum implements infer interface is keyof namespace never number
        object override private protected public readonly satisfies string symbol type unique unknown
    """.split()
    )

    def code(self, text: str) -> Code:
        """Return the source by its tree, with elements of a page in it by that of these, or by its tokens without a grammar."""
        from jamkey.languages.tree_code import tree_code
        from jamkey.languages.trees import is_whole

        paged = not is_whole(text, self.name, ".ts") and is_whole(text, self.name, ".tsx")
        return tree_code(text, "tsx" if paged else self.name, self.name, None) or TokenCode(text, self.name)


LANGUAGE = TypeScript()
