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

# what lies beside this file, however the interpreter was started
sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))
import described
import woven

del sys.path[0]

_LOOKS = 400  # at one place, each
_STEPS = 60  # tables that were given a name
_KEPT = 300  # objects whose later changes are of interest
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
            self.kept.append((site, code, value, described.mark(value), example))

    def save(self):
        for site, code, value, before, example in self.kept:
            if described.mark(value) != before:
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
        if kinds == (str, str) and how is operator.add and described.numeric(left) and described.numeric(right):
            self.note(site, "joined", "%s + %s gives %s" % (described.show(left), described.show(right), described.show(value)))
        elif how is operator.mul and set(kinds) == {str, int} and described.numeric(left if kinds[0] is str else right):
            self.note(site, "joined", "%s * %s gives %s" % (described.show(left), described.show(right), described.show(value)))
        elif how is operator.floordiv and kinds[0] in (int, float) and kinds[1] in (int, float) and left % right:
            self.note(
                site, "fraction-lost", "%s // %s is %s" % (described.show(left), described.show(right), described.show(value))
            )
        elif how is operator.mul and list in kinds and type(value) is list and len(value) > 1:
            if type(value[0]) in described.HELD and value[0] is value[-1]:
                self.keep(
                    site, "one-object", value[0], "%d places hold one and the same %s" % (len(value), described.kind(value[0]))
                )
        elif described.gaps(value) > described.gaps(left) + described.gaps(right):
            self.note(
                site,
                "gaps-made",
                "%s here, %s before"
                % (described.many(described.gaps(value)), described.many(described.gaps(left) + described.gaps(right))),
            )
        elif type(value).__module__ == "numpy" and how in (operator.add, operator.sub, operator.mul):
            if (
                described.whole(value)
                and described.whole(left) + described.whole(right)
                and described.wrapped(how, left, right, value)
            ):
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
            if (
                kinds == (str, str)
                and described.numeric(left)
                and described.numeric(right)
                and bool(how(float(left), float(right))) != value
            ):
                self.note(site, "text-order", "%s and %s are compared as text" % (described.show(left), described.show(right)))
            return
        if how is operator.eq or how is operator.ne:
            same = value if how is operator.eq else not value
            if type(same) is bool and not same:
                why = described.nearly(left, right)
                if why:
                    self.note(site, "never-equal", why)
            elif same is True:
                self.note(site, "equal")
            return
        if (
            type(right) in (list, tuple, set, frozenset, dict)
            and type(left) in described.PLAIN
            and len(right) <= described.ITEMS
        ):
            if value == (how is woven.COMPARE[ast.In]):
                self.note(site, "equal")
                return
            for item in right:
                why = described.nearly(left, item)
                if why:
                    self.note(site, "never-equal", why)
                    return

    def step(self, site, value, name, read):
        """A table was given a name: how many rows and gaps it has, and the largest of the tables that it was made from."""
        if self.looks(site):
            try:
                if described.table(value) and len(self.steps) < _STEPS:
                    frame = sys._getframe(1)
                    used = [frame.f_locals.get(other, frame.f_globals.get(other)) for other in read]
                    tables = [other for other in used if described.table(other)]
                    before = max((len(other) for other in tables), default=-1)
                    gaps = sum(map(described.gaps, tables)) if tables else -1
                    count = self.steps[site][0] if site in self.steps else 0
                    self.steps[site] = [count + 1, name, before, len(value), gaps, described.gaps(value)]
            except Exception:
                pass
        return value

    def call(self, site, name, owner, function, *args, **named):
        rows, gaps, look = -1, 0, self.looks(site)
        try:
            rows = described.rows(owner) if look and name in _JOINS else -1
            gaps = sum(map(described.gaps, args)) + described.gaps(owner) if look else 0
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
            for item in described.ordered(owner, args, named):
                example = described.numbers_as_text(item)
                if example:
                    self.note(site, "text-order", example)
                    break
        if function is int and args and type(args[0]) is float and args[0] != value and math.isfinite(args[0]):
            self.note(site, "fraction-lost", "int(%s) is %s" % (described.show(args[0]), value))
        elif name == "get" and type(owner) is dict and args and type(args[0]) in described.PLAIN:
            if args[0] not in owner and len(owner) <= described.ITEMS:
                why = next((why for why in (described.nearly(args[0], key) for key in owner) if why), "")
                if why:
                    self.note(site, "never-equal", why)
        if type(value) in (dict, list) and len(value) > 1:
            held = list(value.values()) if type(value) is dict else value
            if type(held[0]) in described.HELD and held[0] is held[-1]:
                self.keep(
                    site, "one-object", held[0], "%d places hold one and the same %s" % (len(held), described.kind(held[0]))
                )
        if rows >= 0 and described.rows(value) >= 0:
            if described.rows(value) > rows:
                self.note(site, "rows-more", "%d rows went in, %d came out" % (rows, described.rows(value)))
            elif described.rows(value) < rows:
                self.note(site, "rows-fewer", "%d rows went in, %d came out" % (rows, described.rows(value)))
        now = described.gaps(value)
        if now > gaps and type(owner) is type(sys) and name.startswith("read"):
            self.note(site, "gaps-read", described.many(now))
        elif (
            gaps
            and described.library(owner) == "pandas"
            and name in _REDUCES
            and described.library(value) != "builtins"
            and now == 0
        ):
            self.note(site, "gaps-skipped", "%s, and %s goes over them" % (described.many(gaps), name))
        elif (
            now > gaps and function is not float and type(value).__module__.partition(".")[0] in ("pandas", "numpy", "builtins")
        ):
            self.note(site, "gaps-made", "%s here, %s before" % (described.many(now), described.many(gaps)))
        elif now > 0 and type(value) is float and gaps:
            self.note(site, "gaps-spread", "the result is missing as one of its values is")

    def dropped(self, site, pure, owner, before, value):
        if self.looks(site) and value is not None:
            try:
                if pure or (type(value) is type(owner) and type(owner) in (str, bytes, tuple, int, float)):
                    self.note(site, "dropped", "it gave back %s" % described.kind(value))
                elif (
                    described.table(owner) and described.table(value) and value is not owner and described.mark(owner) == before
                ):
                    self.note(site, "dropped", "it gave back a new %s and left the old one as it was" % described.kind(value))
            except Exception:
                pass
        return value

    def mark(self, value):
        try:
            return described.mark(value) if described.table(value) else None
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
            if type(value) in described.HELD:
                if self.iterated.get(("default", site, name)) is value:
                    self.keep(site, "default-changed", value, "`%s` is the same object in every call, and it changed" % name)
                self.iterated["default", site, name] = value

    def member(self, site, name, value):
        if type(value) in described.HELD:
            self.keep(site, "class-member", value, "`%s` of the class was changed, for all of its objects" % name)
        return value

    def base(self, site, value, held=0, loop=-1):
        """An object that something is put into: does anybody hold it, but for so many names that are of no more use?"""
        self.seen[site] += 1
        held += loop in self.made  # what makes the objects one by one keeps the last in a name of its own
        if (
            sys.getrefcount(value) <= self.alone + held
            and getattr(value, "base", None) is None
            and described.library(value) != "builtins"
        ):
            self.note(site, "set-on-copy", "the %s that is changed here is held by nobody else" % described.kind(value))
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


class _Door:
    """What the watched code calls: the watch, with its operators by name."""

    def __init__(self, watch):
        self.of = {kind.__name__: how for table in (woven.BINARY, woven.COMPARE) for kind, how in table.items()}
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
            return woven.watched(_Loader.watch, data, path)
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
        code = woven.watched(watch, source, script)
    except Exception:
        code = compile(source, script, "exec", dont_inherit=True)
    try:
        exec(code, space.__dict__)
    finally:
        watch.save()


if __name__ == "__main__":
    main()
