"""Which definitions of a name can still hold at a line: branches, loops and handlers considered.

Works backwards from the line through the blocks around it. A statement that certainly gives the name a new value hides
what stands before it; one that may do so adds to what can hold. At the head of a loop, what stands below the line in
the loop's body can hold as well, from the round before.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable, Sequence

_LEAVES = (ast.Return, ast.Raise, ast.Break, ast.Continue)
_LOOPS = (ast.For, ast.AsyncFor, ast.While)


def reaching_lines(body: Sequence[ast.stmt], line: int, defined: Iterable[int]) -> set[int] | None:
    """Return the lines among `defined` whose definition can hold when the line begins; None when it is not found.

    Args:
        body: of the function or module.
        line: where the name is used.
        defined: lines in this scope that define the name.
    """
    lines = sorted(set(defined))
    path = _path(body, line)
    if path is None:
        return None
    found: set[int] = set()
    for depth in range(len(path) - 1, -1, -1):
        block, index = path[depth]
        if _backwards(block[:index], lines, found):
            return found
        if depth == 0:
            break
        outer_block, outer_index = path[depth - 1]
        parent = outer_block[outer_index]
        if isinstance(parent, _LOOPS):
            if block is parent.body:
                found |= {n for n in lines if line <= n <= _end(parent.body[-1])}
                if isinstance(parent, (ast.For, ast.AsyncFor)) and parent.lineno in lines:
                    found.add(parent.lineno)
                    return found
            else:
                found |= _within(parent.body, lines)
        elif isinstance(parent, ast.Try) and block is not parent.body:
            # a handler may begin after any statement of the body
            found |= _within(parent.body, lines)
            for handler in parent.handlers if block is parent.finalbody else ():
                found |= _within(handler.body, lines)
        elif isinstance(parent, (ast.With, ast.AsyncWith)) and any(_end_expr(item) in lines for item in parent.items):
            found |= {_end_expr(item) for item in parent.items} & set(lines)
            return found
    return found


def _end_expr(item: ast.withitem) -> int:
    return item.optional_vars.lineno if item.optional_vars is not None else -1


def _end(node: ast.stmt) -> int:
    return node.end_lineno or node.lineno


def _within(block: Sequence[ast.stmt], lines: Sequence[int]) -> set[int]:
    return {n for n in lines if block and block[0].lineno <= n <= _end(block[-1])}


def _blocks(node: ast.stmt) -> list[list[ast.stmt]]:
    """Return the blocks of a statement that run in the same scope."""
    if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)):
        return []
    found = [block for name in ("body", "orelse", "finalbody") if (block := getattr(node, name, None))]
    found += [handler.body for handler in getattr(node, "handlers", ())]
    found += [case.body for case in getattr(node, "cases", ())]
    return found


def _path(body: Sequence[ast.stmt], line: int) -> list[tuple[Sequence[ast.stmt], int]] | None:
    """Return (block, place in it) from the outermost to the innermost statement that covers the line."""
    for index, node in enumerate(body):
        if node.lineno <= line <= _end(node):
            for block in _blocks(node):
                if block[0].lineno <= line <= _end(block[-1]):
                    inner = _path(block, line)
                    if inner is not None:
                        return [(body, index), *inner]
            return [(body, index)]
    return None


def _backwards(block: Sequence[ast.stmt], lines: Sequence[int], found: set[int]) -> bool:
    """Go up through a block, adding what can hold; tell whether something in it certainly gives a new value."""
    for node in reversed(block):
        here = {n for n in lines if node.lineno <= n <= _end(node)}
        if here:
            found |= here
            if _certain(node, lines):
                return True
    return False


def _certain(node: ast.stmt, lines: Sequence[int]) -> bool:
    """Tell whether a statement gives the name a new value on every way through it."""
    if not any(node.lineno <= n <= _end(node) for n in lines):
        return isinstance(node, _LEAVES)
    if isinstance(node, ast.AugAssign):
        return False
    if isinstance(node, ast.If):
        return bool(node.orelse) and _block_certain(node.body, lines) and _block_certain(node.orelse, lines)
    if isinstance(node, (ast.With, ast.AsyncWith)):
        return any(_end_expr(item) in lines for item in node.items) or _block_certain(node.body, lines)
    if isinstance(node, ast.Try):
        handled = all(_block_certain(handler.body, lines) for handler in node.handlers)
        return _block_certain(node.finalbody, lines) or (handled and _block_certain(node.body, lines))
    return not isinstance(node, (*_LOOPS, ast.Match))


def _block_certain(block: Sequence[ast.stmt], lines: Sequence[int]) -> bool:
    return any(_certain(node, lines) for node in block)
