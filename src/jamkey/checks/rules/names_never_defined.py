"""A name that nothing defines: misspelt, not imported, or left over."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.checks.base import View, walk
from jamkey.checks.scopes import BUILTINS
from jamkey.languages.python import LANGUAGE
from jamkey.model import Edit, Finding


class NamesNeverDefined:
    """See the module."""

    name = "names-never-defined"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield uses of names that no scope around them defines."""
        scopes = view.scopes
        if scopes.open:
            return
        seen: set[str] = set()
        for scope in scopes.every:
            for use in scope.uses:
                if use.id in BUILTINS or use.id in seen or scopes.holder(use.id, scope) is not None or _guarded(view, use):
                    continue
                seen.add(use.id)
                usual = next(iter(LANGUAGE.homes(use.id)), None)
                title = ""
                edits: tuple[Edit, ...] = ()
                from jamkey.follow.similar import nearest

                alike = nearest(use.id, scopes.visible(scope) | BUILTINS, most=1, least=0.8)
                reason = f"nothing defines `{use.id}`"
                if usual is not None:
                    title, edits = f"Import it: `{usual}`", (view.insert(_first_line(view), usual),)
                    reason = f"`{use.id}` is used and never imported"
                elif alike:
                    title, edits = f"Write `{alike[0][0]}`", (view.replace(use, alike[0][0]),)
                    reason = f"nothing defines `{use.id}`; `{alike[0][0]}` is nearly the same"
                yield view.finding(self.name, "unknown-name", use, reason, title=title, edits=edits)


def _guarded(view: View, use: object) -> bool:
    """Tell a use that the program is prepared for: in a try that catches NameError, behind a check, in an annotation."""
    import ast

    below: ast.AST = use  # type: ignore[assignment]
    for outer in view.up(below):
        if isinstance(outer, ast.Try) and below in outer.body:
            for handler in outer.handlers:
                caught = (
                    {n.id for n in walk(handler.type) if isinstance(n, ast.Name)} if handler.type is not None else {"NameError"}
                )
                if caught & {"NameError", "Exception", "BaseException", "ImportError", "AttributeError"}:
                    return True
        if isinstance(outer, ast.arg) or (isinstance(outer, ast.AnnAssign) and below is outer.annotation):
            return True  # annotations need not be evaluated
        if isinstance(outer, (ast.FunctionDef, ast.AsyncFunctionDef)) and below is outer.returns:
            return True
        if isinstance(outer, ast.If) and below in outer.body:
            tested = ast.unparse(outer.test)
            if any(word in tested for word in ("version", "TYPE_CHECKING", "PY2", "PY3", "platform", "os.name", "hasattr")):
                return True
        if isinstance(outer, ast.Delete):
            return True
        below = outer
    return False


def _first_line(view: View) -> int:
    import ast

    body = view.tree.body
    start = 0
    if (
        body
        and isinstance(body[0], ast.Expr)
        and isinstance(body[0].value, ast.Constant)
        and isinstance(body[0].value.value, str)
    ):
        start = 1
    while start < len(body) and isinstance(body[start], ast.ImportFrom) and getattr(body[start], "module", "") == "__future__":
        start += 1
    return body[start].lineno if start < len(body) else 1


RULE = NamesNeverDefined()
