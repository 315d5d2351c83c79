"""The agent: describes a failed program from the inside. Run by path in the user's interpreter.

Python 3.8 to 3.14, standard library only, imports nothing of Jam Key, changes nothing, runs none of the
user's code: values are described from their built-in contents, never through a `__repr__` of the user's.
Each record is one JSON line in the file whose name the parent gave; it carries the generation number.
"""

import json
import linecache
import os
import sys
import types

GENERATION = 1
MOST_FRAMES = 200  # of each exception: the outermost 60 and the innermost 140
MOST_VALUES = 40  # per frame
#: Names of a module that are described beside those which the failing statement mentions.
_BEHIND = 8
LONGEST_TEXT = 160  # characters of one value
MOST_ITEMS = 30  # of one container
MOST_CHAIN = 12
DEEPEST = 3

_SECRET = tuple(
    "password passwd passphrase secret token api_key apikey private_key access_key credential authorization".split()
)
_SECRET_WORDS = frozenset("pw pwd auth cookie".split())
_MASK = "(hidden: looks secret)"
_hidden = set()
_PLAIN = (int, float, complex, bool, type(None), type(Ellipsis))


def isinstance(value, kinds):  # noqa: A001 - on purpose
    """The built-in one asks the value for its `__class__`, which may be code of the user's; its type is asked here."""
    return issubclass(type(value), kinds)


def _own(value, name):
    """Return an attribute as the built-in object has it, past whatever a class of the user's does on access; None without."""
    try:
        return object.__getattribute__(value, name)
    except AttributeError:
        return None


def _space(kind):
    """Return a type's own dictionary, likewise."""
    return type.__dict__["__dict__"].__get__(kind)


def _type_text(kind, name):
    """Return a text that belongs to a type, such as `__qualname__`, past whatever a metaclass does on access."""
    try:
        text = type.__getattribute__(kind, name)
    except AttributeError:
        return ""
    return text if type(text) is str else ""


def report(wire, exception, thread=None, printed=False):
    """Append the description of an exception to the wire file; with `printed` also the trace as the interpreter prints it."""
    record = {"generation": GENERATION, "pid": os.getpid(), "thread": thread, "version": sys.version.split()[0]}
    record["implementation"] = sys.implementation.name
    if type(exception) is KeyboardInterrupt:
        record["busy"] = _busy()
    record["exception"] = describe_exception(exception, set())
    record["hidden"] = list(_hidden)
    if printed:
        record["printed"] = _words(exception)
    data = (json.dumps(record, ensure_ascii=True) + "\n").encode("ascii")
    handle = os.open(wire, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
    try:
        os.write(handle, data)
    finally:
        os.close(handle)


def _busy():
    """Return which share of its life the process has used a processor, None where the system does not tell."""
    try:
        import time

        with open("/proc/self/stat", "rb") as handle:
            began = int(handle.read().rpartition(b")")[2].split()[19]) / os.sysconf("SC_CLK_TCK")
        return time.process_time() / max(time.clock_gettime(time.CLOCK_BOOTTIME) - began, 0.1)
    except Exception:
        return None


def _words(exception):
    """Return the trace exactly as this interpreter prints it, its suggestions included."""
    import io

    before, sys.stderr = sys.stderr, io.StringIO()
    try:
        sys.__excepthook__(type(exception), exception, exception.__traceback__)
        return sys.stderr.getvalue()
    finally:
        sys.stderr = before


def describe_exception(exception, seen):
    """Return an exception with its frames, chain and members."""
    seen.add(id(exception))
    kind = type(exception)
    module = _type_text(kind, "__module__")
    name = _type_text(kind, "__qualname__")
    if module not in ("builtins", "__main__", None):
        name = "%s.%s" % (module, name)
    found = {"type": name, "message": _message(exception), "frames": _frames(_own(exception, "__traceback__"))}
    notes = (_own(exception, "__dict__") or {}).get("__notes__")
    if isinstance(notes, (list, tuple)):
        found["notes"] = [note for note in notes if isinstance(note, str)][:10]
    if isinstance(exception, SyntaxError):
        found["syntax"] = {
            "file": _plain_or_none(_own(exception, "filename"), str),
            "line": _plain_or_none(_own(exception, "lineno"), int),
            "column": _plain_or_none(_own(exception, "offset"), int),
            "end_line": _plain_or_none(_own(exception, "end_lineno"), int),
            "end_column": _plain_or_none(_own(exception, "end_offset"), int),
            "source": _plain_or_none(_own(exception, "text"), str),
        }
        found["message"] = _plain_or_none(_own(exception, "msg"), str) or found["message"]
    cause, context = _own(exception, "__cause__"), _own(exception, "__context__")
    if len(seen) < MOST_CHAIN:
        if cause is not None and id(cause) not in seen:
            found["cause"] = describe_exception(cause, seen)
        elif context is not None and not _own(exception, "__suppress_context__") and id(context) not in seen:
            found["context"] = describe_exception(context, seen)
        members = _own(exception, "exceptions")
        if isinstance(members, tuple) and "Group" in name:
            found["members"] = [describe_exception(member, seen) for member in members[:5] if isinstance(member, BaseException)]
    return found


def _plain_or_none(value, kind):
    return value if type(value) is kind else None


def _message(exception):
    """Return str(exception) as far as it comes from code that is not the user's, else its arguments."""
    kind = type(exception)
    method = type.__getattribute__(kind, "__str__")
    own = isinstance(method, types.FunctionType) and _is_own(method.__code__.co_filename)
    if not own:
        try:
            return _cut(str(exception), 20000)
        except Exception:
            pass
    arguments = _own(exception, "args") or ()
    if len(arguments) == 1 and type(arguments[0]) is str:
        return _cut(arguments[0], 20000)
    return None  # the text that was printed says it


def _cut(text, longest):
    return text if len(text) <= longest else text[:longest] + "..."


def _is_own(file):
    """Tell a file of the user's from the standard library's and installed packages'."""
    if not isinstance(file, str) or (file.startswith("<") and file not in ("<stdin>", "<string>")):
        return False
    path = os.path.abspath(file)
    if "site-packages" in path or "dist-packages" in path:
        return False
    return os.path.dirname(os.__file__) not in path


def _frames(traceback):
    """Return the frames outermost first, with values for the user's own."""
    entries = []
    while traceback is not None:
        line, frame = traceback.tb_lineno, traceback.tb_frame
        if line is None or line < 1:
            line = _line_before(frame.f_code, traceback.tb_lasti)
        entries.append((frame, line, traceback.tb_lasti))
        traceback = traceback.tb_next
    left_out = 0
    if len(entries) > MOST_FRAMES:
        left_out = len(entries) - MOST_FRAMES
        entries = entries[:60] + entries[-140:]
    found = []
    with_values = [index for index, entry in enumerate(entries) if _is_own(entry[0].f_code.co_filename)][-20:]
    for index, (frame, line, instruction) in enumerate(entries):
        item = {"file": frame.f_code.co_filename, "line": line, "function": frame.f_code.co_name}
        position = _position(frame, instruction)
        if position:
            item.update(position)
        if left_out and index == 59:
            item["left_out"] = left_out
        item["source"] = _line(frame, line)
        if index in with_values:
            try:
                item["values"] = _values(frame, item)
            except Exception:
                item["values"] = []
        found.append(item)
    return found


def _line_before(code, instruction):
    """Return the last line before an instruction that has none: where a loop jumps back 3.11 and later name none."""
    found = code.co_firstlineno
    for start, _, line in code.co_lines() if hasattr(code, "co_lines") else ():
        if start > instruction:
            break
        found = line or found
    return found


def _line(frame, line):
    try:
        return linecache.getline(frame.f_code.co_filename, line, frame.f_globals).strip()[:2000]
    except Exception:
        return None


def _position(frame, instruction):
    """Return the exact place of the failing instruction (3.11 and later), columns 1-based in characters."""
    positions = getattr(frame.f_code, "co_positions", None)
    if positions is None or instruction < 0:
        return None
    for index, place in enumerate(positions()):
        if index == instruction // 2:
            if None in place:
                return None
            line, end_line, column, end_column = place
            return {
                "column": _characters(frame, line, column),
                "end_line": end_line,
                "end_column": _characters(frame, end_line, end_column),
            }
    return None


def _characters(frame, line, offset):
    """Turn a 0-based offset in UTF-8 bytes into a 1-based column in characters."""
    try:
        row = linecache.getline(frame.f_code.co_filename, line, frame.f_globals)
    except Exception:
        return offset + 1
    if len(row) > 5000 or all(character < "\x80" for character in row):
        return offset + 1
    return len(row.encode("utf-8", "replace")[:offset].decode("utf-8", "ignore")) + 1


def _values(frame, item):
    """Describe what the failing statement mentions first, then the other local names."""
    local = frame.f_locals
    found, taken = [], set()
    source, tree, statement = _statement(frame, item["line"])
    for text, value in _mentioned(frame, source, statement):
        if text not in taken and len(found) < MOST_VALUES:
            taken.add(text)
            found.append(describe(text, value))
    if frame.f_code.co_name == "<module>":
        # a module has many names: those that what the statement mentions was made of
        for name in _made_of(frame, tree, statement)[:_BEHIND]:
            if name not in taken and len(found) < MOST_VALUES:
                found.append(describe(name, local[name]))
    else:
        for name in list(local)[:2000]:
            if len(found) >= MOST_VALUES:
                break
            if name not in taken and isinstance(name, str) and not name.startswith((".", "__")):
                found.append(describe(name, local[name]))
    return found


_ABSENT = object()


def _statement(frame, line):
    """Return the source, its tree and the innermost statement at the line; the last two None where there is none."""
    import ast
    import warnings

    source = "".join(linecache.getlines(frame.f_code.co_filename, frame.f_globals))
    if not source or len(source) > 2000000:
        return source, None, None
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            tree = ast.parse(source)
    except (SyntaxError, ValueError, RecursionError):
        return source, None, None
    statement = None
    for node in ast.walk(tree):
        if isinstance(node, ast.stmt) and node.lineno <= line <= node.end_lineno:
            if statement is None or node.lineno >= statement.lineno:
                statement = node
    return source, tree, statement


def _made_of(frame, tree, statement):
    """Return the names of a module's values that those were made of which a statement mentions, nearest first."""
    import ast

    if statement is None:
        return []
    sets, pending = [], list(tree.body)
    while pending:
        node = pending.pop()
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)):
            continue
        pending.extend(child for child in ast.iter_child_nodes(node) if isinstance(child, (ast.stmt, ast.ExceptHandler)))
        names = _names_of(node)
        if names[0]:
            sets.append(names)
    wanted, found = _names_of(statement)[1], []
    for _ in range(2):
        behind = set()
        for stored, loaded in sets:
            if stored & wanted:
                behind |= loaded
        behind -= wanted
        found += sorted(behind)
        wanted = wanted | behind
    local = frame.f_locals
    return [name for name in found if name in local and not name.startswith("__") and not _is_plumbing(local[name])]


def _names_of(statement):
    """Return the names that a statement stores and those that it loads; what stands in its blocks are other statements."""
    import ast

    stored, loaded, pending = set(), set(), [statement]
    while pending:
        node = pending.pop()
        if isinstance(node, ast.Name):
            (loaded if isinstance(node.ctx, ast.Load) else stored).add(node.id)
        pending.extend(child for child in ast.iter_child_nodes(node) if not isinstance(child, (ast.stmt, ast.ExceptHandler)))
    return stored, loaded


def _mentioned(frame, source, statement):
    """Yield (source, value) for each part of the statement that needs no user code."""
    import ast

    if statement is None:
        return
    pending = [statement]
    while pending:
        node = pending.pop(0)
        if isinstance(node, (ast.Name, ast.Attribute, ast.Subscript, ast.Call)):
            value = _evaluate(node, frame)
            if value is not _ABSENT and not (isinstance(node, ast.Name) and _is_plumbing(value)):
                text = ast.get_source_segment(source, node)
                if text and len(text) <= 120:
                    yield text, value
        for child in ast.iter_child_nodes(node):
            # blocks inside a compound statement are other statements
            if not isinstance(child, ast.stmt) and not isinstance(child, ast.ExceptHandler):
                pending.append(child)


def _is_plumbing(value):
    """Functions, classes and modules say nothing as values."""
    return isinstance(value, (types.FunctionType, types.BuiltinFunctionType, types.ModuleType, type))


def _evaluate(node, frame):
    """Return the value of an expression without running any code but the built-in types' own."""
    import ast

    if isinstance(node, ast.Name):
        if node.id in frame.f_locals:
            return frame.f_locals[node.id]
        return frame.f_globals.get(node.id, _ABSENT)
    if isinstance(node, ast.Constant):
        return node.value
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
        value = _evaluate(node.operand, frame)
        return -value if type(value) in (int, float) else _ABSENT
    if isinstance(node, ast.BinOp) and isinstance(node.op, (ast.Add, ast.Sub)):
        left, right = _evaluate(node.left, frame), _evaluate(node.right, frame)
        if type(left) in (int, float) and type(right) in (int, float):
            return left + right if isinstance(node.op, ast.Add) else left - right
        return _ABSENT
    if isinstance(node, ast.Attribute):
        return _member(_evaluate(node.value, frame), node.attr)
    if isinstance(node, ast.Subscript):
        container = _evaluate(node.value, frame)
        if type(container) not in (list, tuple, dict, str):
            return _ABSENT
        key = node.slice
        if type(key).__name__ == "Index":
            key = key.value
        index = _evaluate(key, frame)
        if index is _ABSENT or type(index) not in (int, str, float, bool, tuple):
            return _ABSENT
        try:
            return container[index]
        except Exception:
            return _ABSENT
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "len" and len(node.args) == 1:
        value = _evaluate(node.args[0], frame)
        if type(value) in (list, tuple, dict, set, str, bytes):
            return len(value)
    return _ABSENT


def _member(owner, name):
    """Return an attribute that lies in the object itself; properties and __getattr__ are not run."""
    if owner is _ABSENT:
        return _ABSENT
    if isinstance(owner, types.ModuleType):
        value = owner.__dict__.get(name, _ABSENT)
        return _ABSENT if _is_plumbing(value) else value
    try:
        own = object.__getattribute__(owner, "__dict__")
    except Exception:
        return _ABSENT
    if isinstance(own, dict) and name in own:
        return own[name]
    for base in type(owner).__mro__:
        if name in base.__dict__:
            value = base.__dict__[name]
            return value if isinstance(value, (*_PLAIN, str, bytes, list, tuple, dict, set)) else _ABSENT
    return _ABSENT


# --- describing values


def _looks_secret(name):
    if not isinstance(name, str):
        return False
    lowered = str.lower(name)
    return any(word in lowered for word in _SECRET) or not _SECRET_WORDS.isdisjoint(lowered.replace("-", "_").split("_"))


def _hide(value):
    """Remember a text that stands under a secret name: the reading hides it wherever it turns up."""
    if isinstance(value, str) and 5 <= str.__len__(value) <= 400:
        _hidden.add(str.__str__(value))
    return _MASK


def describe(name, value):
    """Return name, type, bounded text, and sizes of a value."""
    kind = type(value)
    module = _type_text(kind, "__module__")
    label = _type_text(kind, "__qualname__") or "?"
    if isinstance(module, str) and module not in ("builtins", "__main__"):
        label = "%s.%s" % (module, label)
    found = {"name": name, "type": label}
    if _looks_secret(name):
        found["text"] = _hide(value)
        return found
    try:
        found["text"] = _cut(_text(value, DEEPEST), LONGEST_TEXT)
    except Exception:
        found["text"] = "<%s>" % label
    if isinstance(value, (str, bytes, bytearray, list, tuple, dict, set, frozenset)):
        try:
            found["length"] = _length(value)
        except Exception:
            pass
    try:
        _shape(value, module, found)
        members = _members(value)
        if members:
            found.setdefault("members", members)
    except Exception:
        pass
    return found


def _length(value):
    for base in (str, bytes, bytearray, list, tuple, dict, set, frozenset):
        if isinstance(value, base):
            return base.__len__(value)
    return None


def _members(value):
    if isinstance(value, dict):
        keys = list(list(dict.keys(value))[:200])
        return [_cut(_text(key, 1), 80) for key in keys if type(key) in (str, int, float, bool, tuple)]
    if isinstance(value, types.ModuleType):
        return sorted(value.__dict__)[:3000]
    if isinstance(value, type):
        return _class_names(value)
    if type(value) in (str, bytes, list, tuple, set, int, float, bool, type(None), frozenset, complex):
        return []  # the languages know the built-in types' members
    names = set()
    try:
        own = object.__getattribute__(value, "__dict__")
        names.update(name for name in own if isinstance(name, str))
    except Exception:
        pass
    names.update(_class_names(type(value)))
    return sorted(name for name in names if not name.startswith("__"))[:600]


def _class_names(kind):
    names = set()
    for base in type.mro(kind) if kind is not type else ():
        names.update(_space(base))
    return sorted(name for name in names if not name.startswith("__"))[:600]


def _shape(value, module, found):
    """Add sizes of arrays and tables; their own attributes are the data libraries' code, not the user's."""
    root = module.split(".")[0] if isinstance(module, str) else ""
    if root not in ("numpy", "pandas", "polars", "xarray", "torch", "scipy"):
        return
    shape = getattr(value, "shape", None)
    if isinstance(shape, tuple) and all(isinstance(size, int) for size in shape):
        found["shape"] = [int(size) for size in shape]
    dtype = getattr(value, "dtype", None)
    if dtype is not None and not callable(dtype):
        found["dtype"] = _cut(str(dtype), 60)
    columns = getattr(value, "columns", None)
    if columns is not None and root in ("pandas", "polars"):
        found["members"] = [_cut(_text(column, 1), 80) for column in list(columns)[:200]]
    if "shape" in found:
        size = " x ".join(str(size) for size in found["shape"]) or "single value"
        found["text"] = "%s %s%s" % (type(value).__name__, size, " of " + found["dtype"] if found.get("dtype") else "")
        if root == "numpy" and len(found["shape"]) <= 2 and 0 < value.size <= 12:
            found["text"] += ": " + _cut(_text(value.tolist(), 2), 80)


def _text(value, depth):
    """Return a text like repr's, from built-in contents only."""
    kind = type(value)
    if kind in _PLAIN:
        if kind is int and value.bit_length() > 400:
            return "<int of %d bits>" % value.bit_length()
        return repr(value)
    if isinstance(value, str):
        plain = str.__str__(value) if kind is str else str.__getitem__(value, slice(None))
        if len(plain) > LONGEST_TEXT:
            plain = plain[:LONGEST_TEXT] + "..."
        return str.__repr__(plain)
    if isinstance(value, (bytes, bytearray)):
        base = bytes if isinstance(value, bytes) else bytearray
        return repr(bytes(base.__getitem__(value, slice(60)))) + ("..." if base.__len__(value) > 60 else "")
    if isinstance(value, dict):
        return _pairs("{", dict.items(value), dict.__len__(value), "}", depth)
    for base, opening, closing in ((list, "[", "]"), (tuple, "(", ")"), (set, "{", "}"), (frozenset, "{", "}")):
        if isinstance(value, base):
            fields = _field_names(kind) if base is tuple else ()
            if fields:
                return _pairs(
                    _type_text(kind, "__name__") + "(", zip(fields, tuple.__iter__(value)), len(fields), ")", depth, named=True
                )
            return _listed(opening, base.__iter__(value), base.__len__(value), closing, depth)
    if isinstance(value, types.ModuleType):
        return "<module %s>" % value.__dict__.get("__name__", "?")
    if isinstance(value, type):
        return "<class %s>" % _type_text(value, "__name__")
    if isinstance(value, (types.FunctionType, types.BuiltinFunctionType, types.MethodType)):
        return "<function %s>" % (_own(value, "__qualname__") or "?")
    if isinstance(value, range):
        return repr(value)
    method = type.__getattribute__(kind, "__repr__")
    module = _type_text(kind, "__module__")
    if module.split(".")[0] in ("datetime", "decimal", "fractions", "uuid", "pathlib", "re", "ipaddress", "numpy"):
        if not (module.startswith("numpy") and getattr(value, "shape", ()) != ()):
            return repr(value)
    if method is object.__repr__ or isinstance(method, types.FunctionType):
        try:
            own = object.__getattribute__(value, "__dict__")
        except Exception:
            own = None
        if isinstance(own, dict) and own and depth > 0 and _is_own_class(kind):
            return _pairs(_type_text(kind, "__name__") + "(", own.items(), len(own), ")", depth, named=True)
    return "<%s object>" % _type_text(kind, "__name__")


def _field_names(kind):
    """Return the fields of a named tuple, from its type's own dictionary."""
    fields = next((_space(base)["_fields"] for base in type.mro(kind) if "_fields" in _space(base)), ())
    return fields if type(fields) is tuple and all(type(name) is str for name in fields) else ()


def _is_own_class(kind):
    name = _type_text(kind, "__module__")
    module = sys.modules.get(name)
    return name == "__main__" or _is_own(getattr(module, "__file__", None))


def _listed(opening, items, length, closing, depth):
    if depth <= 0:
        return "%s%d items%s" % (opening, length, closing)
    texts, size = [], 0
    for index, item in enumerate(items):
        if index >= MOST_ITEMS or size > LONGEST_TEXT:
            texts.append("... %d in all" % length)
            break
        texts.append(_text(item, depth - 1))
        size += len(texts[-1])
    tail = "," if opening == "(" and length == 1 else ""
    return opening + ", ".join(texts) + tail + closing


def _pairs(opening, pairs, length, closing, depth, named=False):
    if depth <= 0:
        return "%s%d items%s" % (opening, length, closing)
    texts, size = [], 0
    for index, (key, value) in enumerate(pairs):
        if index >= MOST_ITEMS or size > LONGEST_TEXT:
            texts.append("... %d in all" % length)
            break
        shown = _hide(value) if _looks_secret(key) else _text(value, depth - 1)
        texts.append(("%s=%s" if named else "%s: %s") % (key if named else _text(key, 1), shown))
        size += len(texts[-1])
    return opening + ", ".join(texts) + closing
