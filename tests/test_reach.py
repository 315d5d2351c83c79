"""Which assignments can still hold at a line: branches, loops, handlers."""

from __future__ import annotations

import pytest

from jamkey.languages import SHELF

CASES = {
    "the later one hides the earlier": ("x = 1\nx = 2\nuse(x)\n", [2]),
    "a branch may": ("x = 1\nif a:\n    x = 2\nuse(x)\n", [3, 1]),
    "both branches must": ("x = 1\nif a:\n    x = 2\nelse:\n    x = 3\nuse(x)\n", [5, 3]),
    "the other branch does not": ("x = 1\nif a:\n    x = 2\nelse:\n    use(x)\n", [1]),
    "the round before": ("x = 1\nfor r in rows:\n    use(x)\n    x = r\n", [1, 4]),
    "hidden in every round": ("x = None\nfor r in rows:\n    x = r\n    use(x)\n", [3]),
    "the loop may not run": ("x = None\nfor r in rows:\n    x = r\nuse(x)\n", [3, 1]),
    "the loop's own name": ("x = 1\nfor x in rows:\n    use(x)\n", [2]),
    "a handler may begin anywhere": ("x = 1\ntry:\n    x = 2\n    go()\nexcept E:\n    use(x)\n", [3, 1]),
    "a body that ends elsewhere": ("x = 1\nif a:\n    x = 2\n    raise E\nuse(x)\n", [3, 1]),
    "a file opened": ("x = 1\nwith open(p) as x:\n    use(x)\n", [2]),
    "added to": ("x = 0\nx += 1\nuse(x)\n", [2, 1]),
    "the line itself in a loop": ("x = []\nfor r in rows:\n    x = x.append(r)\n", [1, 3]),
}


@pytest.mark.parametrize("name", list(CASES))
def test_what_can_hold(name: str) -> None:
    text, wanted = CASES[name]
    line = next((n for n, row in enumerate(text.split("\n"), 1) if "use(x)" in row), 3)
    code = SHELF.get("python").code(text)
    assert [d.span.line for d in code.reaching("x", line)] == wanted
