"""Asks, line by line, whether what somebody is sure of still holds. Run by path in the user's interpreter, on request only.

    python surely.py ASKED SCRIPT ARGS...

ASKED is JSON: {"claims", "files", "out", "seconds"}. Each claim is an expression over the names at the end of the
script, or over those of a function; `name()` in it stands for what that function returned. It is asked before each line
of the user's files; after `seconds` only at the end. What was found is one JSON list in `out`, an entry a claim.

Python 3.8 to 3.14, standard library only.
"""

import ast
import builtins
import json
import os
import runpy
import sys
import threading
import time
import types

_MOST_TEXT = 80


class _Results(ast.NodeTransformer):
    """Puts a name where a claim asks for what a function returned."""

    def __init__(self):
        self.asked = {}

    def visit_Call(self, node):
        if isinstance(node.func, ast.Name) and not node.args and not node.keywords:
            name = "_what_%s_returned" % node.func.id
            self.asked[node.func.id] = name
            return ast.copy_location(ast.Name(name, ast.Load()), node)
        return self.generic_visit(node)


class Track:
    """One claim in one scope: when it was asked, and where it last ceased to hold."""

    def __init__(self):
        self.times = 0
        self.held = None
        self.values = []
        self.first = None
        self.ceased = None
        self.changed = None

    def tell(self, holds, values, place):
        self.times += 1
        self.first = self.first or (place, [], values)
        if self.held and not holds:
            self.ceased = (place, self.values, values)
        if self.values and values != self.values:
            self.changed = (place, self.values, values)
        self.held, self.values = holds, values


class Claim:
    """An expression, compiled, with the names that it is about."""

    def __init__(self, text):
        self.text = text
        results = _Results()
        tree = ast.fix_missing_locations(results.visit(ast.parse(text.strip(), mode="eval")))
        self.results = results.asked
        self.code = compile(tree, "<claim>", "eval")
        inner = {n.id for n in ast.walk(tree) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
        named = [n.id for n in ast.walk(tree) if isinstance(n, ast.Name) and n.id not in inner]
        self.names = [name for name in dict.fromkeys(named) if not hasattr(builtins, name)]
        self.whole = Track()
        #: What is told of functions: the first of its calls in which it does not hold, else the last.
        self.of_calls = None
        self.why = ""

    def ask(self, track, space, place, describe):
        """Note whether it holds in a namespace; nothing where a name is missing there."""
        if not all(name in space for name in self.names):
            return
        try:
            holds = bool(eval(self.code, dict(space)))  # the user's own words, on the command line
        except Exception as error:
            self.why = "%s: %s" % (type(error).__name__, error)
            return
        track.tell(holds, [[self.shown(name), describe(name, space[name])["text"][:_MOST_TEXT]] for name in self.names], place)

    def shown(self, name):
        for function, made in self.results.items():
            if made == name:
                return function + "()"
        return name

    def told(self, track, function):
        """Return what was found, for the file."""
        what = track.ceased or track.changed or track.first or (("", 0), [], [])
        place = what[0]
        return {
            "claim": self.text,
            "times": track.times,
            "holds": track.held,
            "file": place[0],
            "line": place[1],
            "function": function,
            "ceased": track.ceased is not None,
            "before": what[1],
            "after": what[2],
            "why": "" if track.times else self.why,
        }


class Asker:
    """Follows the run of the user's own files."""

    def __init__(self, asked, space):
        self.claims = [Claim(text) for text in asked["claims"]]
        self.files = {os.path.realpath(file) for file in asked["files"]}
        self.out = asked["out"]
        self.until = time.monotonic() + asked["seconds"]
        self.space = space
        self.own = {}
        self.last = {}
        self.frames = {}
        agent = os.path.join(os.path.dirname(os.path.abspath(__file__)), "agent.py")
        self.describe = runpy.run_path(agent)["describe"]

    def is_own(self, code):
        known = self.own.get(code)
        if known is None:
            name = code.co_filename
            known = self.own[code] = not name.startswith("<") and os.path.realpath(name) in self.files
        return known

    def entered(self, frame, event, argument):
        if event != "call" or not self.is_own(frame.f_code):
            return None
        if time.monotonic() > self.until:
            sys.settrace(None)
            return None
        return self.inside

    def inside(self, frame, event, argument):
        if event not in ("line", "return"):
            return self.inside
        thread = threading.get_ident()
        here = (frame.f_code.co_filename, frame.f_lineno)
        before = here if event == "return" else self.last.get(thread, here)
        self.look(frame, before, argument if event == "return" else None, event == "return")
        back = frame.f_back
        if event == "return" and back is not None and self.is_own(back.f_code):
            here = (back.f_code.co_filename, back.f_lineno)  # that line goes on
        self.last[thread] = here
        if time.monotonic() > self.until:
            sys.settrace(None)
            frame.f_trace = None
        return self.inside

    def look(self, frame, place, result, leaving):
        whole = frame.f_globals is self.space and frame.f_locals is self.space
        for claim in self.claims:
            if not claim.results:
                claim.ask(claim.whole, self.space, place, self.describe)
            if whole:
                continue
            inner = frame.f_locals
            name = claim.results.get(frame.f_code.co_name)
            if claim.results and not (name and leaving):
                continue
            if not claim.results and not any(name in inner for name in claim.names):
                continue
            space = dict(frame.f_globals)
            space.update(inner)
            if name:
                space[name] = result
            track = self.frames.setdefault((id(frame), claim.text), Track())
            claim.ask(track, space, place, self.describe)
            if leaving:
                self.frames.pop((id(frame), claim.text), None)
                if track.times and (claim.of_calls is None or claim.of_calls[0].held):
                    if track.held is False and track.ceased is None:
                        track.ceased = (place, [], track.values)
                    claim.of_calls = (track, frame.f_code.co_name)

    def end(self):
        """Ask once more, and write what was found."""
        sys.settrace(None)
        found = []
        for claim in self.claims:
            if not claim.results:
                place = self.last.get(threading.get_ident(), ("", 0))
                claim.ask(claim.whole, self.space, place, self.describe)
            track, function = (claim.whole, "") if claim.whole.times else (claim.of_calls or (claim.whole, ""))
            found.append(claim.told(track, function))
        with open(self.out, "w", encoding="ascii") as handle:
            json.dump(found, handle)


def main():
    asked = json.loads(sys.argv[1])
    script = sys.argv[2]
    main_module = types.ModuleType("__main__")
    asker = Asker(asked, main_module.__dict__)
    sys.argv[:] = sys.argv[2:]
    sys.path[0] = os.path.dirname(os.path.abspath(script))
    sys.modules["__main__"] = main_module
    main_module.__dict__.update(__file__=script, __builtins__=builtins, __cached__=None, __spec__=None)
    with open(script, "rb") as handle:
        code = compile(handle.read(), script, "exec", dont_inherit=True)
    threading.settrace(asker.entered)
    sys.settrace(asker.entered)
    try:
        exec(code, main_module.__dict__)
    finally:
        asker.end()


if __name__ == "__main__":
    main()
