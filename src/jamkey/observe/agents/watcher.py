"""Runs a script with its own code watched: what was odd about the values that met in each expression, by place.

Run by path in the user's interpreter, on a copy, on request only:

    python watcher.py SPECIFICATION SCRIPT ARGS...

SPECIFICATION is JSON: {"files": own files, "out": where the answer goes, "seconds": of watching at most}. The script and
the own modules that it imports are compiled with calls of ours around their expressions; what these see is counted by
place, with one example each. After so many seconds, or so many looks at one place, nothing more is looked at. At the end
the answer is written: a list of {"file", "line", "code", "count", "seen", "example"}; `seen` is how often the place ran. Of a
table that was given a name the code is "table", the example the name, and "numbers" are rows before and after, gaps before
and after (-1 where it was made from none).

Python 3.8 to 3.14, standard library only. No value of the user's is changed, and none of its own code is called but what
the program would have called: types are asked with `type`, and only plain types and the arrays and tables of the usual
libraries are looked into.
"""

import ast
import importlib.abc
import importlib.machinery
import json
import math
import operator
import os
import sys
import time

_LOOKS = 400  # at one place, each
_ITEMS = 200  # of one collection
_TEXT = 60
_STEPS = 60  # tables that were given a name
_KEPT = 300  # objects whose later changes are of interest

_BINARY = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.FloorDiv: operator.floordiv,
    ast.Mod: operator.mod,
    ast.Pow: operator.pow,
    ast.BitAnd: operator.and_,
    ast.BitOr: operator.or_,
    ast.MatMult: operator.matmul,
}
_COMPARE = {
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
    ast.Lt: operator.lt,
    ast.LtE: operator.le,
    ast.Gt: operator.gt,
    ast.GtE: operator.ge,
    ast.In: lambda a, b: a in b,
    ast.NotIn: lambda a, b: a not in b,
}
_SPECIAL = frozenset(name for kind in (object, int, list, dict, type(i for i in ())) for name in dir(kind)) | {
    "__enter__",
    "__exit__",
    "__call__",
    "__getattr__",
    "__missing__",
    "__post_init__",
    "__len__",
    "__next__",
}
#: What looks at the frame that calls it, or is watched elsewhere.
_LEFT_ALONE = frozenset("super locals globals vars dir eval exec breakpoint input print query __import__ type".split())
_PLAIN = (int, float, str, bool, type(None))
_HELD = (list, dict, set, bytearray)
_ORDERS = frozenset("sorted min max sort sort_values nlargest nsmallest argsort argmax argmin idxmax idxmin rank".split())
_REDUCES = frozenset("mean sum max min std median var prod".split())
_JOINS = frozenset("merge join".split())


class Watch:
    """Counts what was odd, by place."""

    def __init__(self, out, seconds):
        self.out = out
        self.until = time.monotonic() + seconds
        self.places = []
        self.seen = []
        self.odd = {}
        self.iterated = {}
        self.kept = []
        self.reached = {}
        self.held = {}
        self.going = {}
        self.made = set()
        self.steps = {}
        #: References to an object that only the caller of `base` holds.
        self.alone = 0
        self.alone = self._alone()

    def _alone(self):
        kept = []
        self.base, real = (lambda site, value, held=0, loop=-1: kept.append(sys.getrefcount(value))), self.base
        self.base(0, [])
        self.base = real
        return kept[0]

    def place(self, file, line):
        self.places.append((file, line))
        self.seen.append(0)
        return len(self.places) - 1

    def looks(self, site):
        count = self.seen[site] = self.seen[site] + 1
        return count <= _LOOKS and time.monotonic() < self.until

    def note(self, site, code, example=""):
        found = self.odd.setdefault((site, code), [0, example])
        found[0] += 1

    def keep(self, site, code, value, example):
        """Look again at the end whether an object that several share has changed."""
        if len(self.kept) < _KEPT and not any(other is value for _, _, other, _, _ in self.kept):
            self.kept.append((site, code, value, _mark(value), example))

    def save(self):
        for site, code, value, before, example in self.kept:
            if _mark(value) != before:
                self.note(site, code, example)
        for low, high, length, times, site in self.reached.values():
            if times > 1 and length > 2 and low == 1 and high >= length - 1:
                self.note(site, "first-left-out", "of %d, the first is never asked for" % length)
            elif times > 1 and length > 2 and low == 0 and high == length - 2:
                self.note(site, "last-left-out", "of %d, the last is never asked for" % length)
        answer = [
            {
                "file": self.places[site][0],
                "line": self.places[site][1],
                "code": code,
                "count": found[0],
                "seen": self.seen[site],
                "example": found[1][:200],
            }
            for (site, code), found in self.odd.items()
        ]
        answer += [
            {
                "file": self.places[site][0],
                "line": self.places[site][1],
                "code": "table",
                "count": found[0],
                "seen": self.seen[site],
                "example": found[1],
                "numbers": found[2:],
            }
            for site, found in self.steps.items()
        ]
        with open(self.out, "w", encoding="ascii") as handle:
            json.dump(answer, handle)

    # --- called from the watched code

    def binary(self, site, how, left, right):
        value = how(left, right)
        if self.looks(site):
            try:
                self.of_binary(site, how, left, right, value)
            except Exception:
                pass
        return value

    def of_binary(self, site, how, left, right, value):
        kinds = (type(left), type(right))
        if kinds == (str, str) and how is operator.add and _numeric(left) and _numeric(right):
            self.note(site, "joined", "%s + %s gives %s" % (_show(left), _show(right), _show(value)))
        elif how is operator.mul and set(kinds) == {str, int} and _numeric(left if kinds[0] is str else right):
            self.note(site, "joined", "%s * %s gives %s" % (_show(left), _show(right), _show(value)))
        elif how is operator.floordiv and kinds[0] in (int, float) and kinds[1] in (int, float) and left % right:
            self.note(site, "fraction-lost", "%s // %s is %s" % (_show(left), _show(right), _show(value)))
        elif how is operator.mul and list in kinds and type(value) is list and len(value) > 1:
            if type(value[0]) in _HELD and value[0] is value[-1]:
                self.keep(site, "one-object", value[0], "%d places hold one and the same %s" % (len(value), _kind(value[0])))
        elif _gaps(value) > _gaps(left) + _gaps(right):
            self.note(site, "gaps-made", "%s here, %s before" % (_many(_gaps(value)), _many(_gaps(left) + _gaps(right))))
        elif type(value).__module__ == "numpy" and how in (operator.add, operator.sub, operator.mul):
            if _whole(value) and _whole(left) + _whole(right) and _wrapped(how, left, right, value):
                self.note(site, "wrapped-round", "%s holds no such number: it begins anew" % value.dtype)

    def compare(self, site, how, left, right):
        value = how(left, right)
        if self.looks(site):
            try:
                self.of_compare(site, how, left, right, value)
            except Exception:
                pass
        return value

    def of_compare(self, site, how, left, right, value):
        kinds = (type(left), type(right))
        if how in (operator.lt, operator.le, operator.gt, operator.ge):
            if kinds == (str, str) and _numeric(left) and _numeric(right) and bool(how(float(left), float(right))) != value:
                self.note(site, "text-order", "%s and %s are compared as text" % (_show(left), _show(right)))
            return
        if how is operator.eq or how is operator.ne:
            same = value if how is operator.eq else not value
            if type(same) is bool and not same:
                why = _nearly(left, right)
                if why:
                    self.note(site, "never-equal", why)
            elif same is True:
                self.note(site, "equal")
            return
        if type(right) in (list, tuple, set, frozenset, dict) and type(left) in _PLAIN and len(right) <= _ITEMS:
            if value == (how is _COMPARE[ast.In]):
                self.note(site, "equal")
                return
            for item in right:
                why = _nearly(left, item)
                if why:
                    self.note(site, "never-equal", why)
                    return

    def step(self, site, value, name, read):
        """A table was given a name: how many rows and gaps it has, and the largest of the tables that it was made from."""
        if self.looks(site):
            try:
                if _table(value) and len(self.steps) < _STEPS:
                    frame = sys._getframe(1)
                    used = [frame.f_locals.get(other, frame.f_globals.get(other)) for other in read]
                    tables = [other for other in used if _table(other)]
                    before = max((len(other) for other in tables), default=-1)
                    gaps = sum(map(_gaps, tables)) if tables else -1
                    count = self.steps[site][0] if site in self.steps else 0
                    self.steps[site] = [count + 1, name, before, len(value), gaps, _gaps(value)]
            except Exception:
                pass
        return value

    def call(self, site, name, owner, function, *args, **named):
        rows, gaps, look = -1, 0, self.looks(site)
        try:
            rows = _rows(owner) if look and name in _JOINS else -1
            gaps = sum(map(_gaps, args)) + _gaps(owner) if look else 0
        except Exception:
            pass
        value = function(*args, **named)
        if look:
            try:
                self.of_call(site, name, owner, function, args, named, value, rows, gaps)
            except Exception:
                pass
        return value

    def of_call(self, site, name, owner, function, args, named, value, rows, gaps):
        if name in _ORDERS and "key" not in named:
            for item in _ordered(owner, args, named):
                example = _numbers_as_text(item)
                if example:
                    self.note(site, "text-order", example)
                    break
        if function is int and args and type(args[0]) is float and args[0] != value and math.isfinite(args[0]):
            self.note(site, "fraction-lost", "int(%s) is %s" % (_show(args[0]), value))
        elif name == "get" and type(owner) is dict and args and type(args[0]) in _PLAIN:
            if args[0] not in owner and len(owner) <= _ITEMS:
                why = next((why for why in (_nearly(args[0], key) for key in owner) if why), "")
                if why:
                    self.note(site, "never-equal", why)
        if type(value) in (dict, list) and len(value) > 1:
            held = list(value.values()) if type(value) is dict else value
            if type(held[0]) in _HELD and held[0] is held[-1]:
                self.keep(site, "one-object", held[0], "%d places hold one and the same %s" % (len(held), _kind(held[0])))
        if rows >= 0 and _rows(value) >= 0:
            if _rows(value) > rows:
                self.note(site, "rows-more", "%d rows went in, %d came out" % (rows, _rows(value)))
            elif _rows(value) < rows:
                self.note(site, "rows-fewer", "%d rows went in, %d came out" % (rows, _rows(value)))
        now = _gaps(value)
        if now > gaps and type(owner) is type(sys) and name.startswith("read"):
            self.note(site, "gaps-read", _many(now))
        elif gaps and _library(owner) == "pandas" and name in _REDUCES and _library(value) != "builtins" and now == 0:
            self.note(site, "gaps-skipped", "%s, and %s goes over them" % (_many(gaps), name))
        elif (
            now > gaps and function is not float and type(value).__module__.partition(".")[0] in ("pandas", "numpy", "builtins")
        ):
            self.note(site, "gaps-made", "%s here, %s before" % (_many(now), _many(gaps)))
        elif now > 0 and type(value) is float and gaps:
            self.note(site, "gaps-spread", "the result is missing as one of its values is")

    def dropped(self, site, pure, owner, before, value):
        if self.looks(site) and value is not None:
            try:
                if pure or (type(value) is type(owner) and type(owner) in (str, bytes, tuple, int, float)):
                    self.note(site, "dropped", "it gave back %s" % _kind(value))
                elif _table(owner) and _table(value) and value is not owner and _mark(owner) == before:
                    self.note(site, "dropped", "it gave back a new %s and left the old one as it was" % _kind(value))
            except Exception:
                pass
        return value

    def mark(self, value):
        try:
            return _mark(value) if _table(value) else None
        except Exception:
            return None

    def uncalled(self, site, value):
        if self.looks(site) and type(value).__name__ in ("method", "function", "builtin_function_or_method", "type"):
            self.note(site, "not-called", "it is a %s" % type(value).__name__)
        return value

    def rounds(self, site, value):
        kind = type(value)
        if kind.__name__ == "generator":
            self.made.add(site)
        if kind in (list, dict, set, tuple, str, range) or kind.__name__ in ("dict_values", "dict_items", "dict_keys"):
            found = self.going[site] = _Changing(self, site, value)
            return found
        if kind.__name__ in ("generator", "map", "filter", "zip", "enumerate", "reader", "DictReader", "list_iterator"):
            return _Once(self, site, value)
        return value

    def item(self, site, value, place):
        found = value[place]
        if self.looks(site):
            try:
                if type(place) is int or type(place) is slice or type(place).__module__ == "numpy":
                    self.of_item(site, value, place)
            except Exception:
                pass
        return found

    def of_item(self, site, value, place):
        if type(value) not in (list, tuple, str) and type(value).__module__ != "numpy":
            return
        length = len(value)
        if type(place) is slice:
            if place.step not in (None, 1) or place.stop is None or place.start is None:
                return
            low, high = int(place.start), int(place.stop) - 1
        else:
            low = high = int(place)
        if low < 0 or high < 0:
            low = high = -1
        key = (self.places[site], id(value))  # all that one loop asks of one object counts together
        if key not in self.reached:
            if len(self.reached) > 2000:
                return
            self.held[id(value)] = value
            self.reached[key] = [low, high, length, 0, site]
        known = self.reached[key]
        known[0], known[1] = min(known[0], low), max(known[1], high)
        known[2] = length
        known[3] += 1

    def entered(self, site, values):
        self.seen[site] += 1
        for name, value in values:
            if type(value) in _HELD:
                if self.iterated.get(("default", site, name)) is value:
                    self.keep(site, "default-changed", value, "`%s` is the same object in every call, and it changed" % name)
                self.iterated["default", site, name] = value

    def member(self, site, name, value):
        if type(value) in _HELD:
            self.keep(site, "class-member", value, "`%s` of the class was changed, for all of its objects" % name)
        return value

    def base(self, site, value, held=0, loop=-1):
        """An object that something is put into: does anybody hold it, but for so many names that are of no more use?"""
        self.seen[site] += 1
        held += loop in self.made  # what makes the objects one by one keeps the last in a name of its own
        if (
            sys.getrefcount(value) <= self.alone + held
            and getattr(value, "base", None) is None
            and _library(value) != "builtins"
        ):
            self.note(site, "set-on-copy", "the %s that is changed here is held by nobody else" % _kind(value))
        return value

    def caught(self, site, error):
        self.seen[site] += 1
        self.note(site, "error-hidden", "%s: %s" % (type(error).__name__, str(error)[:100]))

    def left(self, site, loop, value):
        """Given back from within a loop, whatever its round."""
        self.seen[site] += 1
        going = self.going.get(loop)
        if going is not None and going.length > 1:
            self.note(site, "left-first" if going.count == 1 else "equal", "only the first of %d is looked at" % going.length)
        return value


class _Changing:
    """Goes round over a collection; tells when it grew or shrank meanwhile."""

    def __init__(self, watch, site, value):
        self.watch, self.site, self.value = watch, site, value
        self.length = len(value)
        self.inner = iter(value)
        self.count = 0
        watch.seen[site] += 1

    def __iter__(self):
        return self

    def __next__(self):
        if type(self.value) is list and len(self.value) < self.length:
            self.watch.note(self.site, "changed-meanwhile", "items were taken out while the loop went over them")
            self.length = len(self.value)
        self.count += 1
        return next(self.inner)


class _Once:
    """Goes round over what can be gone over once; tells when nothing was left."""

    def __init__(self, watch, site, value):
        self.watch, self.site, self.value = watch, site, value
        self.inner = iter(value)
        self.count = 0
        watch.seen[site] += 1

    def __iter__(self):
        return self

    def __next__(self):
        try:
            found = next(self.inner)
        except StopIteration:
            known = self.watch.iterated.get(id(self.value))
            if not self.count and known is not None and known[0] is self.value:
                self.watch.note(self.site, "nothing-left", "all of it was taken before")
            self.watch.iterated[id(self.value)] = (self.value, 0)
            raise
        self.count += 1
        return found


# --- what a value is, without calling its code


def _numeric(text):
    try:
        float(text)
    except ValueError:
        return False
    return any(sign.isdigit() for sign in text)


def _show(value):
    text = repr(value) if type(value) in _PLAIN else _kind(value)
    return text if len(text) <= _TEXT else text[: _TEXT - 3] + "..."


def _kind(value):
    return type(value).__name__


def _many(gaps):
    return "no value is missing" if not gaps else "1 value is missing" if gaps == 1 else "%d values are missing" % gaps


def _library(value):
    return type(value).__module__.partition(".")[0]


def _table(value):
    return _library(value) in ("pandas", "numpy") and hasattr(type(value), "__len__")


def _rows(value):
    return len(value) if _library(value) == "pandas" and hasattr(type(value), "__len__") else -1


def _gaps(value):
    if type(value) is float:
        return int(value != value)
    if type(value) in (list, tuple):
        return sum(item is None or (type(item) is float and item != item) for item in value[:_ITEMS])
    if type(value) is dict:
        return sum(map(_gaps, list(value.values())[:_ITEMS]))
    library = _library(value)
    if library == "pandas" and hasattr(type(value), "isna"):
        found = value.isna()
        found = getattr(found, "values", found)
        return int(found.sum()) if found.size <= 2000000 else 0
    if library == "numpy" and getattr(getattr(value, "dtype", None), "kind", "") in "fc":
        return int((value != value).sum()) if getattr(value, "size", 0) <= 2000000 else 0
    return 0


def _whole(value):
    return getattr(getattr(value, "dtype", None), "kind", "") in ("i", "u") and getattr(value, "size", 0) <= 100000


def _wrapped(how, left, right, value):
    import numpy

    exact = how(numpy.asarray(left, dtype=float), numpy.asarray(right, dtype=float))
    return bool((abs(exact - numpy.asarray(value, dtype=float)) > 0.5 + abs(exact) * 1e-9).any())


def _mark(value):
    if type(value) in _HELD:
        return len(value), repr(value)[:2000] if len(value) < 50 else ""
    if _library(value) == "pandas":
        return (
            tuple(value.shape),
            [str(name) for name in getattr(value, "columns", ())],
            str(getattr(value, "dtypes", "")),
            (value.to_string() if value.size <= 500 else ""),
        )
    if _library(value) == "numpy":
        return tuple(value.shape), value.tobytes() if value.size <= 2000 else b""
    return None


def _nearly(left, right):
    """Return why two values that are not equal look as if they should be; empty when they do not."""
    kinds = {type(left), type(right)}
    if kinds == {str}:
        if left != right and left.strip().lower() == right.strip().lower() and left.strip():
            return "%s is not %s" % (_show(left), _show(right))
    elif str in kinds and kinds & {int, float} and len(kinds) == 2:
        text, number = (left, right) if type(left) is str else (right, left)
        if _numeric(text) and float(text) == number:
            return "%s, a text, is not %s, a number" % (_show(text), _show(number))
    elif kinds == {float} or kinds == {float, int}:
        if left != right and abs(left - right) <= 1e-9 * max(abs(left), abs(right)):
            return "%s is not %s" % (_show(left), _show(right))
    return ""


def _ordered(owner, args, named):
    """Return what is put in order: the columns that a table is sorted by, else what is handed over and its owner."""
    by = named.get("by", args[0] if args else None)
    if _library(owner) == "pandas" and hasattr(type(owner), "columns"):
        by = by if type(by) is list else [by]
        return [owner[name] for name in by if type(name) is str and name in owner.columns]
    return [owner, *args]


def _numbers_as_text(value):
    """Return an example where numbers would be put in order as text; empty when they are not."""
    if type(value) in (list, tuple, set) or type(value) is dict:
        items = list(value)[:_ITEMS]
    elif _library(value) == "pandas" and str(getattr(value, "dtype", "")) in ("object", "str", "string"):
        items = list(value.values[:_ITEMS])
    else:
        return ""
    if items and all(type(item) in (tuple, list) and item for item in items):
        items = [item[0] for item in items]
    texts = [item for item in items if type(item) is str]
    if len(texts) < 2 or len(texts) != len(items) or not all(map(_numeric, texts)):
        return ""
    as_text, as_numbers = sorted(texts), sorted(texts, key=float)
    for first, second in zip(as_text, as_numbers):
        if first != second and float(first) != float(second):
            return "%s comes before %s as text" % (_show(first), _show(second))
    return ""


# --- the calls put around expressions


class _Around(ast.NodeTransformer):
    def __init__(self, watch, file):
        self.watch, self.file = watch, file
        self.loops = []
        self.quiet = 0

    def site(self, node):
        return ast.Constant(self.watch.place(self.file, node.lineno))

    def ask(self, node, name, *args):
        function = ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), name, ast.Load())
        return ast.copy_location(ast.Call(function, [self.site(node), *args], []), node)

    def say(self, node, code, example):
        """Note what the text alone tells."""
        site = self.watch.place(self.file, node.lineno)
        self.watch.seen[site] = 1
        self.watch.note(site, code, example)

    def how(self, table, node):
        return ast.Subscript(
            ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), table, ast.Load()),
            _index(ast.Constant(type(node).__name__)),
            ast.Load(),
        )

    def visit_BinOp(self, node):
        node = self.generic_visit(node)
        if type(node.op) in _BINARY and not (isinstance(node.op, ast.Mod) and isinstance(node.left, ast.Constant)):
            return self.ask(node, "binary", self.how("of", node.op), node.left, node.right)
        return node

    def visit_Compare(self, node):
        operands = [node.left, *node.comparators]
        for inner in operands:
            if isinstance(inner, ast.BinOp) and isinstance(inner.op, (ast.BitAnd, ast.BitOr)):
                if not any(isinstance(part, ast.Constant) and isinstance(part.value, int) for part in ast.walk(inner)):
                    sign = "&" if isinstance(inner.op, ast.BitAnd) else "|"
                    self.say(node, "binds-tighter", "`%s` is computed before the comparison" % sign)
        node = self.generic_visit(node)
        if len(node.ops) == 1 and type(node.ops[0]) in _COMPARE:
            return self.ask(node, "compare", self.how("of", node.ops[0]), node.left, node.comparators[0])
        return node

    def visit_Call(self, node):
        whole = node
        node = self.generic_visit(node)
        function = node.func
        name = function.attr if isinstance(function, ast.Attribute) else function.id if isinstance(function, ast.Name) else ""
        if not name or name in _LEFT_ALONE:
            return node
        nothing = ast.Constant(None)
        if isinstance(function, ast.Attribute):
            if isinstance(function.value, ast.Call) and isinstance(function.value.func, ast.Name):
                if function.value.func.id == "super":
                    return node
            made = ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), "call_of", ast.Load())
            args = [self.site(whole), ast.Constant(name), function, *node.args]
            return ast.copy_location(ast.Call(made, args, node.keywords), node)
        made = ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), "call", ast.Load())
        args = [self.site(whole), ast.Constant(name), nothing, function, *node.args]
        return ast.copy_location(ast.Call(made, args, node.keywords), node)

    def visit_Subscript(self, node):
        inside = self.loops and isinstance(node.ctx, ast.Load) and not isinstance(node.slice, (ast.Tuple, ast.Constant))
        used = {inner.id for inner in ast.walk(node.slice) if isinstance(inner, ast.Name)} if inside else set()
        loop = next((loop for loop in reversed(self.loops) if loop[1] & used), None) if inside else None
        node = self.generic_visit(node)
        if loop is None or type(node.slice).__name__ == "ExtSlice":
            return node
        place = node.slice.value if type(node.slice).__name__ == "Index" else node.slice
        if isinstance(place, ast.Slice):
            empty = ast.Constant(None)
            place = ast.Call(
                ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), "slice", ast.Load()),
                [place.lower or empty, place.upper or empty, place.step or empty],
                [],
            )
        return self.ask(loop[0], "item", node.value, place)

    def visit_For(self, node):
        names = {inner.id for inner in ast.walk(node.target) if isinstance(inner, ast.Name)}
        node.iter = self.visit(node.iter)
        node.target = self.visit(node.target)
        asked = self.ask(node, "rounds", node.iter)
        node.iter = ast.copy_location(asked, node.iter)
        self.loops.append((node, names, asked.args[0].value))
        body = list(node.body)
        made = [self.visit(inner) for inner in body]
        self.loops.pop()
        node.body = made
        node.orelse = [self.visit(inner) for inner in node.orelse]
        return node

    def visit_Assign(self, node):
        only = node.targets[0] if len(node.targets) == 1 else None
        read = sorted({inner.id for inner in ast.walk(node.value) if isinstance(inner, ast.Name)})[:8]
        node = self.generic_visit(node)
        for target in node.targets:
            self.of_target(target)
        if isinstance(only, ast.Name) and not isinstance(node.value, ast.Constant):
            names = ast.Tuple([ast.Constant(name) for name in read], ast.Load())
            node.value = self.ask(node, "step", node.value, ast.Constant(only.id), names)
        return node

    def visit_AugAssign(self, node):
        node.value = self.visit(node.value)
        self.of_target(node.target)
        return node

    def of_target(self, target):
        base = target.value if isinstance(target, ast.Subscript) else None
        if isinstance(base, (ast.Subscript, ast.Call)):
            target.value = self.ask(target, "base", base)
        elif isinstance(base, ast.Name) and self.loops and base.id in self.loops[-1][1]:
            # the loop's own name, not asked for again before the next round gives it another value
            inside = ast.walk(self.loops[-1][0])
            later = [
                name for name in inside if isinstance(name, ast.Name) and name.id == base.id and name.lineno > target.lineno
            ]
            if not later:
                target.value = self.ask(target, "base", base, ast.Constant(1), ast.Constant(self.loops[-1][2]))

    def visit_ExceptHandler(self, node):
        node = self.generic_visit(node)
        trivial = all(isinstance(inner, (ast.Pass, ast.Continue)) for inner in node.body)
        if trivial and node.type is not None:
            node.name = node.name or "__jamkey_error__"
            node.body.insert(0, ast.Expr(self.ask(node, "caught", ast.Name(node.name, ast.Load()))))
        return node

    def visit_Return(self, node):
        direct = next((site for loop, _, site in self.loops[-1:] if node in loop.body), None)
        node = self.generic_visit(node)
        if node.value is not None and direct is not None:
            node.value = self.ask(node, "left", ast.Constant(direct), node.value)
        return node

    def visit_Expr(self, node):
        call = node.value
        if isinstance(call, ast.Call) and isinstance(call.func, ast.Attribute) and isinstance(call.func.value, ast.Name):
            owner = ast.Name(call.func.value.id, ast.Load())
            node = self.generic_visit(node)
            before = ast.Call(ast.Attribute(ast.Name("__jamkey_watch__", ast.Load()), "mark", ast.Load()), [owner], [])
            node.value = self.ask(node, "dropped", ast.Constant(False), owner, before, node.value)
        elif isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id in ("sorted", "reversed", "zip"):
            node = self.generic_visit(node)
            none = ast.Constant(None)
            node.value = self.ask(node, "dropped", ast.Constant(True), none, none, node.value)
        elif isinstance(call, (ast.Attribute, ast.Name)):
            node = self.generic_visit(node)
            node.value = self.ask(node, "uncalled", node.value)
        else:
            node = self.generic_visit(node)
        return node

    def visit_FunctionDef(self, node):
        arguments = node.args
        pairs = list(zip(reversed(arguments.posonlyargs + arguments.args), reversed(arguments.defaults)))
        pairs += [(arg, default) for arg, default in zip(arguments.kwonlyargs, arguments.kw_defaults) if default]
        shared = [arg.arg for arg, default in pairs if isinstance(default, (ast.List, ast.Dict, ast.Set, ast.Call))]
        self.taken_over(node.body)
        loops, self.loops = self.loops, []
        node.body = [self.visit(inner) for inner in node.body]
        self.loops = loops
        if shared and isinstance(node, ast.FunctionDef):
            values = ast.Tuple(
                [ast.Tuple([ast.Constant(name), ast.Name(name, ast.Load())], ast.Load()) for name in shared], ast.Load()
            )
            first = 1 if ast.get_docstring(node) is not None else 0
            node.body.insert(first, ast.copy_location(ast.Expr(self.ask(node, "entered", values)), node.body[0]))
        return node

    visit_AsyncFunctionDef = visit_FunctionDef  # noqa: N815

    def visit_ClassDef(self, node):
        for inner in node.body:
            core = inner.name.strip("_") if isinstance(inner, ast.FunctionDef) else ""
            if (
                core
                and inner.name != "__%s__" % core
                and inner.name[0] == inner.name[-1] == "_"
                and "__%s__" % core in _SPECIAL
            ):
                self.say(inner, "nearly-special", "the language asks for `__%s__`, not `%s`" % (core, inner.name))
        for inner in node.body:
            if isinstance(inner, ast.Assign) and len(inner.targets) == 1 and isinstance(inner.targets[0], ast.Name):
                if isinstance(inner.value, (ast.List, ast.Dict, ast.Set)) and not inner.targets[0].id.startswith("__"):
                    name = ast.Constant(inner.targets[0].id)
                    inner.value = self.ask(inner, "member", name, inner.value)
        node.body = [self.visit(inner) if not isinstance(inner, ast.Assign) else inner for inner in node.body]
        return node

    def taken_over(self, body):
        """A name that has a value, is used as a loop's, and is asked for afterwards as if it had not been."""
        known = set()
        for number, statement in enumerate(body):
            if isinstance(statement, ast.For):
                names = {inner.id for inner in ast.walk(statement.target) if isinstance(inner, ast.Name)}
                for name in sorted(names & known):
                    for later in body[number + 1 :]:
                        uses = [inner for inner in ast.walk(later) if isinstance(inner, ast.Name) and inner.id == name]
                        if any(isinstance(inner.ctx, ast.Store) for inner in uses):
                            break
                        if uses:
                            words = "the loop gives `%s` other values, and it is asked for on line %d" % (name, later.lineno)
                            self.say(statement, "taken-over", words)
                            break
            elif isinstance(statement, (ast.Assign, ast.AnnAssign)):
                targets = statement.targets if isinstance(statement, ast.Assign) else [statement.target]
                known |= {inner.id for target in targets for inner in ast.walk(target) if isinstance(inner, ast.Name)}

    def visit_Module(self, node):
        self.taken_over(node.body)
        return self.generic_visit(node)

    def visit_JoinedStr(self, node):
        return node if sys.version_info < (3, 12) else self.generic_visit(node)

    def visit_AnnAssign(self, node):
        if node.value is not None:
            node.value = self.visit(node.value)
        return node


def _index(value):
    return ast.Index(value) if sys.version_info < (3, 9) else value


def _watched(watch, source, file):
    tree = ast.parse(source, file)
    tree = _Around(watch, file).visit(tree)
    ast.fix_missing_locations(tree)
    return compile(tree, file, "exec", dont_inherit=True)


class _Door:
    """What the watched code calls: the watch, with its operators by name."""

    def __init__(self, watch):
        self.of = {kind.__name__: how for table in (_BINARY, _COMPARE) for kind, how in table.items()}
        self.slice = slice
        self._watch = watch
        for name in (
            "binary",
            "compare",
            "call",
            "dropped",
            "mark",
            "uncalled",
            "rounds",
            "item",
            "entered",
            "member",
            "base",
            "caught",
            "left",
            "step",
        ):
            setattr(self, name, getattr(watch, name))

    def call_of(self, site, name, function, *args, **named):
        # a bound method knows its owner
        owner = getattr(function, "__self__", None) if type(function).__name__ != "function" else None
        return self._watch.call(site, name, owner, function, *args, **named)


class _Loader(importlib.machinery.SourceFileLoader):
    def source_to_code(self, data, path, *, _optimize=-1):
        try:
            return _watched(_Loader.watch, data, path)
        except Exception:
            return super().source_to_code(data, path)

    def get_code(self, fullname):
        path = self.get_filename(fullname)
        return self.source_to_code(self.get_data(path), path)


class _Finder(importlib.abc.MetaPathFinder):
    def __init__(self, files):
        self.files = files

    def find_spec(self, name, path=None, target=None):
        found = importlib.machinery.PathFinder.find_spec(name, path, target)
        if found is not None and found.origin and os.path.realpath(found.origin) in self.files:
            found.loader = _Loader(found.loader.name, found.loader.path)
            return found
        return None


def main():
    specification = json.loads(sys.argv[1])
    script = sys.argv[2]
    watch = Watch(specification["out"], specification["seconds"])
    _Loader.watch = watch
    import builtins
    import types

    builtins.__jamkey_watch__ = _Door(watch)
    sys.meta_path.insert(0, _Finder({os.path.realpath(file) for file in specification["files"]}))
    sys.argv[:] = sys.argv[2:]
    sys.path[0] = os.path.dirname(os.path.abspath(script))
    space = types.ModuleType("__main__")
    sys.modules["__main__"] = space
    if specification.get("cells"):
        space.__dict__["display"] = print  # a notebook has it
    space.__dict__.update(__file__=script, __builtins__=builtins, __cached__=None, __spec__=None)
    with open(script, "rb") as handle:
        source = handle.read()
    try:
        code = _watched(watch, source, script)
    except Exception:
        code = compile(source, script, "exec", dont_inherit=True)
    try:
        exec(code, space.__dict__)
    finally:
        watch.save()


if __name__ == "__main__":
    main()
