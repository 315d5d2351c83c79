"""What a value is, told without calling any code of the program's own: for the watch over a script's expressions.

Loaded beside `watcher.py` by the user's interpreter: Python 3.8 to 3.14, standard library only.
"""

ITEMS = 200  # of one collection
TEXT = 60
PLAIN = (int, float, str, bool, type(None))
HELD = (list, dict, set, bytearray)


def numeric(text):
    try:
        float(text)
    except ValueError:
        return False
    return any(sign.isdigit() for sign in text)


def show(value):
    text = repr(value) if type(value) in PLAIN else kind(value)
    return text if len(text) <= TEXT else text[: TEXT - 3] + "..."


def kind(value):
    return type(value).__name__


def many(gaps):
    return "no value is missing" if not gaps else "1 value is missing" if gaps == 1 else "%d values are missing" % gaps


def library(value):
    return type(value).__module__.partition(".")[0]


def table(value):
    return library(value) in ("pandas", "numpy") and hasattr(type(value), "__len__")


def rows(value):
    return len(value) if library(value) == "pandas" and hasattr(type(value), "__len__") else -1


def gaps(value):
    if type(value) is float:
        return int(value != value)
    if type(value) in (list, tuple):
        return sum(item is None or (type(item) is float and item != item) for item in value[:ITEMS])
    if type(value) is dict:
        return sum(map(gaps, list(value.values())[:ITEMS]))
    owner = library(value)
    if owner == "pandas" and hasattr(type(value), "isna"):
        found = value.isna()
        found = getattr(found, "values", found)
        return int(found.sum()) if found.size <= 2000000 else 0
    if owner == "numpy" and getattr(getattr(value, "dtype", None), "kind", "") in "fc":
        return int((value != value).sum()) if getattr(value, "size", 0) <= 2000000 else 0
    return 0


def whole(value):
    return getattr(getattr(value, "dtype", None), "kind", "") in ("i", "u") and getattr(value, "size", 0) <= 100000


def wrapped(how, left, right, value):
    import numpy

    exact = how(numpy.asarray(left, dtype=float), numpy.asarray(right, dtype=float))
    return bool((abs(exact - numpy.asarray(value, dtype=float)) > 0.5 + abs(exact) * 1e-9).any())


def mark(value):
    if type(value) in HELD:
        return len(value), repr(value)[:2000] if len(value) < 50 else ""
    if library(value) == "pandas":
        return (
            tuple(value.shape),
            [str(name) for name in getattr(value, "columns", ())],
            str(getattr(value, "dtypes", "")),
            (value.to_string() if value.size <= 500 else ""),
        )
    if library(value) == "numpy":
        return tuple(value.shape), value.tobytes() if value.size <= 2000 else b""
    return None


def nearly(left, right):
    """Return why two values that are not equal look as if they should be; empty when they do not."""
    kinds = {type(left), type(right)}
    if kinds == {str}:
        if left != right and left.strip().lower() == right.strip().lower() and left.strip():
            return "%s is not %s" % (show(left), show(right))
    elif str in kinds and kinds & {int, float} and len(kinds) == 2:
        text, number = (left, right) if type(left) is str else (right, left)
        if numeric(text) and float(text) == number:
            return "%s, a text, is not %s, a number" % (show(text), show(number))
    elif kinds == {float} or kinds == {float, int}:
        if left != right and abs(left - right) <= 1e-9 * max(abs(left), abs(right)):
            return "%s is not %s" % (show(left), show(right))
    return ""


def ordered(owner, args, named):
    """Return what is put in order: the columns that a table is sorted by, else what is handed over and its owner."""
    by = named.get("by", args[0] if args else None)
    if library(owner) == "pandas" and hasattr(type(owner), "columns"):
        by = by if type(by) is list else [by]
        return [owner[name] for name in by if type(name) is str and name in owner.columns]
    return [owner, *args]


def numbers_as_text(value):
    """Return an example where numbers would be put in order as text; empty when they are not."""
    if type(value) in (list, tuple, set) or type(value) is dict:
        items = list(value)[:ITEMS]
    elif library(value) == "pandas" and str(getattr(value, "dtype", "")) in ("object", "str", "string"):
        items = list(value.values[:ITEMS])
    else:
        return ""
    if items and all(type(item) in (tuple, list) and item for item in items):
        items = [item[0] for item in items]
    texts = [item for item in items if type(item) is str]
    if len(texts) < 2 or len(texts) != len(items) or not all(map(numeric, texts)):
        return ""
    as_text, as_numbers = sorted(texts), sorted(texts, key=float)
    for first, second in zip(as_text, as_numbers):
        if first != second and float(first) != float(second):
            return "%s comes before %s as text" % (show(first), show(second))
    return ""
