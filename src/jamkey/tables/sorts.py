"""One cell's text: what it is, what is odd about it, and the value that was meant where that is safe."""

from __future__ import annotations

import re
from functools import lru_cache

from jamkey.late import pattern
from jamkey.model import Struct

#: Words that stand for "no value".
MISSING = frozenset(
    ["na", "n/a", "n.a.", "nan", "null", "none", "nil", "-", "--", "---", "?", "missing", "unknown", "k.a.", "#n/a", "."]
)
_ERRORS = frozenset(
    ["#DIV/0!", "#REF!", "#NAME?", "#VALUE!", "#NUM!", "#NULL!", "#N/A", "#####", "Err:502", "Err:508", "Err:511", "Err:522"]
)
_BOOL = frozenset(["true", "false", "yes", "no"])
_NUMBER = pattern(r"[-+]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d+)?")
_UNIT = pattern(r"([-+]?\d+(?:[.,]\d+)?)\s*([A-Za-z°%€$£µ²³/]{1,8}\.?)")
_THOUSANDS = pattern(r"[-+]?\d{1,3}(?:,\d{3})+(?:\.\d+)?")
_POINTS = pattern(r"[-+]?\d{1,3}(?:\.\d{3})+,\d+")
_SPACED = pattern(r"[-+]?\d{1,3}(?:[ \u00a0\u202f'\u2019]\d{3})+(?:[.,]\d+)?")
_COMMA = pattern(r"[-+]?\d+,\d+")
_INVISIBLE = dict.fromkeys(map(ord, "\u00a0\u202f\u2009\u200b\u200c\u200d\ufeff\u2060\t\r\n"), " ")
_MINUS = dict.fromkeys(map(ord, "\u2212\u2013\u2014\u2010\u2011"), "-")
_ZEROS = str.maketrans({"O": "0", "o": "0"})
_LETTERS = str.maketrans({"O": "0", "o": "0", "l": "1", "I": "1"})
#: Date patterns, each with its format.
_DATES = (
    (pattern(r"\d{4}-\d{2}-\d{2}"), "%Y-%m-%d"),
    (pattern(r"\d{1,2}\.\d{1,2}\.\d{4}"), "%d.%m.%Y"),
    (pattern(r"\d{1,2}/\d{1,2}/\d{4}"), "%d/%m/%Y"),
    (pattern(r"\d{4}/\d{2}/\d{2}"), "%Y/%m/%d"),
    (pattern(r"\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(?::\d{2})?"), "%Y-%m-%d %H:%M"),
    (pattern(r"\d{1,2}-\d{1,2}-\d{4}"), "%d-%m-%Y"),
    (pattern(r"\d{1,2}\.? [A-Za-z]{3,9}\.? \d{4}"), "%d %b %Y"),
    (pattern(r"\d{1,2}:\d{2}(?::\d{2})?"), "%H:%M"),
)
#: Months of other languages, by their beginnings, to the number.
MONTHS = {
    "januar": 1,
    "jän": 1,
    "janv": 1,
    "ener": 1,
    "genn": 1,
    "februar": 2,
    "févr": 2,
    "fevr": 2,
    "febr": 2,
    "märz": 3,
    "maerz": 3,
    "mars": 3,
    "marzo": 3,
    "avril": 4,
    "abri": 4,
    "april": 4,
    "mai": 5,
    "mayo": 5,
    "magg": 5,
    "juin": 6,
    "juni": 6,
    "giug": 6,
    "juil": 7,
    "juli": 7,
    "lugl": 7,
    "août": 8,
    "aout": 8,
    "agost": 8,
    "sett": 9,
    "septembre": 9,
    "setiembre": 9,
    "oktober": 10,
    "octobre": 10,
    "octubre": 10,
    "ottobre": 10,
    "novembre": 11,
    "noviembre": 11,
    "dezember": 12,
    "décembre": 12,
    "decembre": 12,
    "diciembre": 12,
    "dicembre": 12,
    "okt": 10,
    "dez": 12,
    "mrz": 3,
    "déc": 12,
}
_WORDY_DATE = pattern(r"(\d{1,2})\.?\s+([^\W\d_]{3,10})\.?\s+(\d{4})")


class Oddity(Struct, frozen=True, kw_only=True):
    """Why a cell does not fit."""

    why: str
    #: The value that was meant, as text; None where that is not safe to say.
    meant: str | None = None


@lru_cache(maxsize=100_000)
def sort_of(text: str) -> str:
    """Return `number`, `date:FORMAT`, `boolean`, `missing`, `error` or `text`."""
    plain = text.strip()
    if not plain or plain.lower() in MISSING:
        return "missing"
    if plain in _ERRORS:
        return "error"
    if _NUMBER.fullmatch(plain):
        return "number"
    if plain.lower() in _BOOL:
        return "boolean"
    for shape, form in _DATES:
        if shape.fullmatch(plain):
            return f"date:{form}"
    return "text"


def why_no_number(text: str) -> Oddity:
    """Say why a text is no number, and which was meant."""
    if text in _ERRORS or text.strip() in _ERRORS:
        return Oddity(why="a spreadsheet's error value")
    if text.strip().lower() in MISSING:
        return Oddity(why="a word for a missing value", meant="")
    clean = text.translate(_INVISIBLE).strip()
    minus = clean.translate(_MINUS)
    if _NUMBER.fullmatch(clean):
        return Oddity(why="spaces or invisible characters around the number", meant=clean)
    if minus != clean and _NUMBER.fullmatch(minus):
        return Oddity(why="a dash that looks like a minus", meant=minus)
    clean = minus
    if _POINTS.fullmatch(clean):
        return Oddity(why="points between thousands and a decimal comma", meant=clean.replace(".", "").replace(",", "."))
    if _THOUSANDS.fullmatch(clean):
        return Oddity(
            why="commas between thousands", meant=clean.replace(",", "") if clean.count(",") > 1 or "." in clean else None
        )
    if _COMMA.fullmatch(clean):
        return Oddity(why="a decimal comma", meant=clean.replace(",", "."))
    if _SPACED.fullmatch(clean):
        return Oddity(why="spaces or marks between thousands", meant=re.sub(r"[ '\u2019]", "", clean).replace(",", "."))
    zeros = clean.translate(_ZEROS)
    if zeros != clean and _NUMBER.fullmatch(zeros) and any(c.isdigit() for c in clean):
        return Oddity(why="a letter that looks like a figure", meant=zeros)
    unit = _UNIT.fullmatch(clean)
    if unit is not None:
        return Oddity(why=f"the unit `{unit[2]}` stands in the cell", meant=unit[1].replace(",", "."))
    if clean[:1] in "€$£" and _NUMBER.fullmatch(clean[1:].strip()):
        return Oddity(why=f"the sign `{clean[0]}` stands in the cell", meant=clean[1:].strip())
    if clean.startswith("(") and clean.endswith(")") and _NUMBER.fullmatch(clean[1:-1]):
        return Oddity(why="brackets for a negative number", meant="-" + clean[1:-1])
    looks = clean.translate(_LETTERS)
    if looks != clean and _NUMBER.fullmatch(looks) and sum(c.isdigit() for c in clean) >= 1:
        return Oddity(why="a letter that looks like a figure", meant=looks)
    if "%" in clean and _NUMBER.fullmatch(clean.replace("%", "").strip()):
        return Oddity(why="a percent sign")
    if sort_of(clean).startswith("date:"):
        return Oddity(why="a date where numbers stand")
    return Oddity(why="text where numbers stand")


def why_no_date(text: str, form: str) -> Oddity:
    """Say why a text is no date of the column's format, and which was meant."""
    if text.strip() in _ERRORS:
        return Oddity(why="a spreadsheet's error value")
    if text.strip().lower() in MISSING:
        return Oddity(why="a word for a missing value", meant="")
    clean = text.translate(_INVISIBLE).strip()
    if clean != text and sort_of(clean) == f"date:{form}":
        return Oddity(why="spaces or invisible characters around the date", meant=clean)
    wordy = _WORDY_DATE.fullmatch(clean)
    month = next((number for start, number in MONTHS.items() if wordy and wordy[2].lower().startswith(start)), None)
    if wordy is not None and month is not None:
        meant = _as_form(int(wordy[1]), month, int(wordy[3]), form)
        return Oddity(why="the month is written in another language", meant=meant)
    sort = sort_of(clean)
    if sort == f"date:{form}":
        return Oddity(why="no such day in the calendar")
    if sort.startswith("date:"):
        return Oddity(why=f"a date in another order ({sort[5:]})")
    if sort == "number":
        number = float(clean)
        return Oddity(
            why="a number, perhaps a spreadsheet's count of days" if 20_000 < number < 60_000 else "a number where dates stand"
        )
    return Oddity(why="text where dates stand")


def _as_form(day: int, month: int, year: int, form: str) -> str | None:
    import datetime

    try:
        return datetime.date(year, month, day).strftime(form)
    except ValueError:
        return None
