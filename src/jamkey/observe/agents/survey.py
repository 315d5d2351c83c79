"""Looks at chosen expressions while a program runs once: what they held last, and what small changes of that would give.

Loaded by path in a child of `forks.py`, before the program runs. The sources hold calls of ours around the chosen
expressions, `NAME(site, value)`, which give the value back as it is. When the program has ended, or failed, or after so
many seconds, one JSON file is written:

    {"sites": [[count, {"type", "text", ...} or null, [held], number in `takes` or -1, {form: [type, same, fails]}], ...],
     "takes": [{"name": [kind, default as written or null, [choices]]}, ...],
     "makers": [further forms, by classes that the program has at hand, such as `date.fromisoformat(_v)`, numbered behind]}

`held`, for each type: [type, count when it was first held, and last, its place among all firsts of the run].

`forms` are expressions of `_v`, such as `int(_v)`. They are asked of plain values, and of copies of lists, dictionaries,
arrays and tables; of nothing that is used up or closed by being looked at. A form that fails has the error's type. No
value of the user's is changed.

Python 3.8 to 3.14, standard library only.
"""

import atexit
import builtins
import importlib.util
import json
import os
import re
import sys
import time
import warnings

_PLAIN = frozenset((int, float, complex, str, bytes, bool, type(None), tuple, frozenset, range))
_COPIED = frozenset((list, dict, set, bytearray))
#: Where types come from whose methods, those asked for here, change nothing but a copy.
_TABLES = ("numpy", "pandas", "datetime", "decimal", "fractions", "pathlib", "collections")
_ITEMS = 5000  # of what is copied, or asked
_SECONDS = 1.0  # for asking
_CHOICES = re.compile(r"^[ \t]*(\w{1,40})[ \t]*:[ \t]*(?:str, )?\{([^}\n]{1,200})\}", re.MULTILINE)
_DOCUMENTED = 40000
_MOST_TAKEN = 80
#: Where classes come from whose objects may be made of any value: making one changes nothing else.
_MAKERS = ("datetime", "decimal", "fractions", "pathlib", "collections")
_MADE_BY_CLASS = (classmethod, type(dict.__dict__["fromkeys"]), type(str.__dict__["maketrans"]))
_MOST_MAKERS = 40
#: An object that stands for those of classes that say nothing of what can be done with them, and what such a one is as a text.
_BARE, _PLACE = object(), " object at 0x"
#: Names with two underscores that say nothing of it.
_SILENT = frozenset(
    """__init__ __module__ __dict__ __weakref__ __doc__ __annotations__ __qualname__ __slots__ __firstlineno__
    __static_attributes__ __annotate_func__ __annotations_cache__""".split()
)


def prepare(wanted):
    """Make ready: from now on the calls in the sources are answered."""
    survey = Survey(wanted)
    setattr(builtins, wanted["name"], survey.seen)
    atexit.register(survey.save)


class Survey:
    """Counts what is seen, and keeps the last value of each site."""

    def __init__(self, wanted):
        self.out = wanted["out"]
        self.until = time.monotonic() + wanted["seconds"]
        self.pid = os.getpid()
        self.forms = wanted["forms"]
        sites = wanted["sites"]
        self.count = [0] * sites
        self.last = [None] * sites
        self.kinds = [{} for _ in range(sites)]
        self.order = 0
        self.kept = {}
        self.saved = False
        spec = importlib.util.spec_from_file_location("_survey_words", wanted["words"])
        self.words = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(self.words)

    def seen(self, site, value):
        """Note a value and give it back."""
        count = self.count[site] = self.count[site] + 1
        kind = type(value)
        known = self.kinds[site].get(kind)
        if known is None:
            # when it first held one of the type, and how many firsts there were before
            self.order += 1
            self.kinds[site][kind] = [count, count, self.order]
        else:
            known[1] = count
        keep = self.kept.get(kind)
        if keep is None:
            keep = self.kept[kind] = not is_used_up(kind)
        self.last[site] = value if keep else None
        if (count < 16 or count % 256 == 0) and time.monotonic() > self.until and os.getpid() == self.pid:
            self.save()
            os._exit(0)  # nothing more is wanted of this run
        return value

    def save(self):
        """Write what was seen, once."""
        if self.saved or os.getpid() != self.pid:
            return
        self.saved = True
        warnings.simplefilter("ignore")  # of forms: the program's own were printed
        takes, numbers = [], {}
        forms = _Forms(self.forms)
        sites = []
        for count, last, kinds in zip(self.count, self.last, self.kinds):
            kind = max(kinds, key=lambda one: kinds[one][1]) if kinds else None
            if kind is None:
                sites.append([0, None, [], -1, {}])
                continue
            try:
                shown = self.words.describe("", last) if self.kept[kind] else {"type": label(kind), "text": ""}
            except Exception:
                shown = {"type": label(kind), "text": ""}
            number = -1
            if self.kept[kind] and callable(last):
                number = self._takes(last, takes, numbers)
            answers = forms.of(last, kind) if self.kept[kind] else {}
            sites.append([count, shown, [[label(one)] + kinds[one] for one in kinds][:8], number, answers])
        with open(self.out, "w", encoding="ascii") as handle:
            json.dump({"sites": sites, "takes": takes, "makers": forms.makers}, handle)

    def _takes(self, value, takes, numbers):
        value = getattr(value, "__func__", value)
        if id(value) not in numbers:
            numbers[id(value)] = -1
            found = _parameters(value)
            if found is not None:
                numbers[id(value)] = len(takes)
                takes.append(found)
        return numbers[id(value)]


class _Forms:
    """Asks what each form gives of a value; the same value is asked once."""

    def __init__(self, texts):
        self.until = time.monotonic() + _SECONDS
        self.known = {}
        space = {"__builtins__": builtins}
        main = getattr(sys.modules.get("__main__"), "__dict__", {})
        for name in {word for text in texts for word in re.findall(r"\b[A-Za-z]\w*\b", text)}:
            if name in main and name not in space:
                space[name] = main[name]
        self.makers = _makers(main)
        for text in self.makers:
            name = text.split(".")[0].split("(")[0]
            space[name] = main[name]
        self.forms = []
        #: Forms that ask the value for none of its members.
        self.whole = set()
        for number, text in enumerate(list(texts) + self.makers):
            try:
                self.forms.append((number, eval(compile("lambda _v: " + text, "<form>", "eval"), space)))
            except SyntaxError:
                continue
            if "_v." not in text:
                self.whole.add(number)

    def of(self, value, kind):
        """Return number of the form -> [type of what it gives or of the error, whether that is the value again, or fails]."""
        bare = _is_bare(kind)
        if bare:
            kind, value = object, _BARE  # it can do what every object can
        elif not _is_asked(value, kind):
            return {}
        key = (kind, value) if kind in (int, float, str, bytes, bool, type(None)) else None
        key = object if bare else key
        if key is not None and key in self.known:
            return self.known[key]
        found = {}
        for number, form in self.forms:
            if time.monotonic() > self.until:
                break
            if bare and number not in self.whole:
                continue
            try:
                given = form(_copied(value, kind))
            except Exception as error:
                found[number] = [label(type(error)), False, True]
                continue
            # where an object stands in memory is no text that anybody wants
            found[number] = [
                label_of(given),
                _is_same(given, value, kind),
                bare and _PLACE in str(given) and given is not value,
            ]
        if key is not None:
            self.known[key] = found
        return found


def _makers(main):
    """Return forms that make something of a value by the classes of the library that the program has at hand."""
    found = []
    for name, there in sorted(main.items()):
        if name.startswith("_") or not isinstance(there, (type, type(sys))):
            continue
        if isinstance(there, type):
            classes = [(name, there)] if str(there.__module__).partition(".")[0] in _MAKERS else []
        else:
            inner = vars(there) if there.__name__ in _MAKERS else {}
            classes = [("%s.%s" % (name, word), inner[word]) for word in sorted(inner) if isinstance(inner[word], type)]
            classes = [(word, kind) for word, kind in classes if kind.__module__ == there.__name__]
        for word, kind in classes:
            found.append("%s(_v)" % word)
            for method in sorted(vars(kind)):
                if method.startswith("from") and isinstance(vars(kind)[method], _MADE_BY_CLASS):
                    found.append("%s.%s(_v)" % (word, method))
    return found[:_MOST_MAKERS]


def _is_bare(kind):
    """Tell a class of the program's own whose objects can do no more than every object can."""
    bases = type.mro(kind) if type(kind) is type else []
    return (
        len(bases) > 1
        and bases[-1] is object
        and all(
            not (name.startswith("__") and name not in _SILENT)
            for base in bases[:-1]
            for name in type.__getattribute__(base, "__dict__")
        )
    )


def _is_asked(value, kind):
    if kind in _PLAIN or kind in _COPIED:
        return not hasattr(value, "__len__") or len(value) <= _ITEMS
    if (getattr(kind, "__module__", None) or "").partition(".")[0] not in _TABLES:
        return False
    size = getattr(value, "size", 0)
    return not isinstance(size, int) or size <= _ITEMS


def _copied(value, kind):
    if kind in _COPIED:
        return kind(value)
    copy = getattr(kind, "copy", None)
    return copy(value) if copy is not None and kind not in _PLAIN else value


def _is_same(given, value, kind):
    """Tell whether a form changes nothing: the same type, and the same content."""
    if type(given) is not kind:
        return False
    try:
        if hasattr(kind, "equals"):
            return bool(value.equals(given))
        return bool(given == value)
    except Exception:
        return False  # arrays of several values: whether they differ is asked no further


def is_used_up(kind):
    """Tell a type whose objects are used up, closed or ended, and are not held longer than the program holds them."""
    names = set()
    for base in type.mro(kind) if kind is not type else ():
        names.update(type.__getattribute__(base, "__dict__"))
    return bool(names & {"__next__", "__await__", "__del__", "close", "__exit__", "tb_frame", "f_locals", "__traceback__"})


def label(kind):
    module, name = getattr(kind, "__module__", ""), getattr(kind, "__qualname__", "?")
    return name if module in ("builtins", "__main__") or not isinstance(module, str) else "%s.%s" % (module, name)


def label_of(value):
    """Return the name of a value's type, and the type of what an array, a column or a list holds."""
    name = label(type(value))
    if type(value) in (list, tuple, set) and value:
        return "%s of %s" % (name, label(type(next(iter(value)))))
    dtype = getattr(value, "dtype", None) if name.startswith(("numpy.", "pandas.")) else None
    return "%s of %s" % (name, dtype) if dtype is not None else name


def _parameters(value):
    """Return what can be handed to a callable by name: parameter -> [kind, default as written, choices]; None if unknown."""
    import inspect

    try:
        signature = inspect.signature(value)
    except (TypeError, ValueError):
        return None
    choices = {}
    text = getattr(value, "__doc__", None)
    if isinstance(text, str):
        for name, inside in _CHOICES.findall(text[:_DOCUMENTED]):
            words = [word.strip() for word in inside.split(",")]
            choices[name] = [word for word in words if re.match(r"^(?:'\w{1,20}'|\"\w{1,20}\"|\w{1,12})$", word)]
    found = {}
    for name, parameter in list(signature.parameters.items())[:_MOST_TAKEN]:
        default = None
        if parameter.default is not inspect.Parameter.empty:
            plain = type(parameter.default) in (int, float, str, bool, type(None))
            default = repr(parameter.default)[:40] if plain else "..."
        found[name] = [str(parameter.kind.name), default, choices.get(name, [])]
    return found
