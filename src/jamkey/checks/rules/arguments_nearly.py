"""A keyword argument that a well-known function does not take, and takes nearly so."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from jamkey.checks.base import View, dotted
from jamkey.model import Edit, Finding

_TAKES = {
    "sorted": ("key", "reverse"),
    "sort": ("key", "reverse"),
    "open": ("file", "mode", "buffering", "encoding", "errors", "newline", "closefd", "opener"),
    "print": ("sep", "end", "file", "flush"),
    "max": ("key", "default"),
    "min": ("key", "default"),
    "enumerate": ("iterable", "start"),
    "zip": ("strict",),
    "round": ("number", "ndigits"),
    "timedelta": ("days", "seconds", "microseconds", "milliseconds", "minutes", "hours", "weeks"),
    "read_csv": tuple(
        """
        sep delimiter header names index_col usecols dtype na_values parse_dates encoding decimal thousands skiprows
        nrows
    """.split()
    ),
    "DictWriter": ("f", "fieldnames", "restval", "extrasaction", "dialect", "delimiter", "lineterminator", "quoting"),
}


class ArgumentsNearly:
    """See the module."""

    name = "arguments-nearly"

    def look(self, view: View) -> Iterator[Finding]:
        """Yield such keywords of builtins and well-known calls."""
        from jamkey.follow.similar import nearest

        for node in view.of(ast.Call):
            if not isinstance(node, ast.Call) or not node.keywords:
                continue
            name = dotted(node.func).rpartition(".")[2] or (node.func.attr if isinstance(node.func, ast.Attribute) else "")
            takes = _TAKES.get(name)
            if takes is None or (
                isinstance(node.func, ast.Name)
                and name in view.scopes.module.bound
                and name not in ("timedelta", "read_csv", "DictWriter")
            ):
                continue
            for keyword in node.keywords:
                if keyword.arg is None or keyword.arg in takes:
                    continue
                alike = nearest(keyword.arg, takes, most=1, least=0.88 if len(keyword.arg) > 3 else 0.6)
                if not alike:
                    continue
                start = view.column(keyword.lineno, keyword.col_offset)
                edit = Edit(
                    file=view.file,
                    line=keyword.lineno,
                    column=start,
                    end_line=keyword.lineno,
                    end_column=start + len(keyword.arg),
                    new_text=alike[0][0],
                )
                yield view.finding(
                    self.name,
                    "wrong-arguments",
                    keyword,
                    f"`{name}` takes no `{keyword.arg}`; it takes `{alike[0][0]}`",
                    title=f"Write `{alike[0][0]}`",
                    edits=(edit,),
                )


RULE = ArgumentsNearly()
