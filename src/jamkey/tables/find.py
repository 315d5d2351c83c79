"""A table in, its columns and odd cells out; a million rows in bounded memory."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jamkey.errors import UnreadableInput, UsageError
from jamkey.model import CellReport, Column, OddCell
from jamkey.tables.sorts import MISSING, Oddity, sort_of, why_no_date, why_no_number
from jamkey.text import visible

if TYPE_CHECKING:
    import pandas as pd

#: Rows looked at together.
CHUNK = 100_000
#: Odd cells kept; more are counted.
MOST = 1000
#: Values that decide what a column mostly is.
_SAMPLE = 5000
_SORTS = ("number", "date", "boolean", "text")


def pandas() -> Any:
    """Return pandas.

    Raises:
        UsageError: it is not installed.
    """
    try:
        import pandas as module
    except ImportError:
        raise UsageError("tables are read with pandas, which is not installed: python -m pip install pandas openpyxl") from None
    return module


def cells(
    table: str | os.PathLike[str] | pd.DataFrame, *, expect: Mapping[str, str] | None = None, sheet: str | None = None
) -> CellReport:
    """Return what each column of a table mostly is, and the cells that do not fit.

    Args:
        table: a path (.csv, .tsv, .xlsx, .jsonl) or a pandas DataFrame.
        expect: column -> `number`, `date`, `boolean` or `text`, where it should not be guessed.
        sheet: of a workbook; its first by default.

    Raises:
        UnreadableInput: the file is not there or is no table.
        UsageError: a column that is expected does not exist, or pandas is missing.
    """
    wanted = dict(expect or {})
    for name, sort in wanted.items():
        if sort not in _SORTS:
            raise UsageError(f"--expect {name}:{sort}: a column is {', '.join(_SORTS)}")
    if isinstance(table, (str, os.PathLike)):
        source = _Source(Path(table), sheet)
        return _look(source.chunks(), source, wanted)
    frame = table
    return _look(iter([frame]), _Source(None, None), wanted)


class _Source:
    """Where the chunks come from, and where their rows lie in the file."""

    def __init__(self, path: Path | None, sheet: str | None) -> None:
        self.path = path
        self.sheet = sheet
        self.separator = ","
        self.shifted: list[tuple[int, int, int]] = []
        #: Lines that end inside quotes make rows and lines differ.
        self.lines: list[int] | None = None

    def chunks(self) -> Iterator[pd.DataFrame]:
        """Yield the table in pieces.

        Raises:
            UnreadableInput: it cannot be read.
        """
        assert self.path is not None
        if not self.path.is_file():
            raise UnreadableInput(f"{self.path} does not exist: check the name and the folder you are in")
        ending = self.path.suffix.lower()
        reader = {
            ".csv": self._text,
            ".tsv": self._text,
            ".txt": self._text,
            ".xlsx": self._workbook,
            ".xlsm": self._workbook,
            ".jsonl": self._json_lines,
            ".ndjson": self._json_lines,
        }.get(ending)
        if reader is None:
            raise UsageError(f"{self.path}: a table is .csv, .tsv, .xlsx or .jsonl")
        try:
            yield from reader()
        except (UnreadableInput, UsageError):
            raise
        except Exception as error:
            first = str(error).split("\n", 1)[0]
            raise UnreadableInput(f"{self.path} cannot be read as a table: {first}") from None

    def _text(self) -> Iterator[pd.DataFrame]:
        pd = pandas()
        assert self.path is not None
        encoding, self.separator, quoted = form_of(self.path)
        self.shifted = list(_shifted(self.path, encoding, self.separator))
        skipped = [line - 1 for line, _, _ in self.shifted]
        if quoted:
            self.lines = _line_numbers(self.path, encoding, self.separator)
        yield from pd.read_csv(
            self.path,
            sep=self.separator,
            encoding=encoding,
            chunksize=CHUNK,
            keep_default_na=False,
            na_values=[""],
            skiprows=skipped or None,
            low_memory=True,
            skip_blank_lines=False,
        )

    def _workbook(self) -> Iterator[pd.DataFrame]:
        pd = pandas()
        try:
            import openpyxl
        except ImportError:
            raise UsageError(
                "workbooks are read with openpyxl, which is not installed: python -m pip install openpyxl"
            ) from None
        book = openpyxl.load_workbook(self.path, read_only=True, data_only=True)
        sheet = book[self.sheet] if self.sheet else book.worksheets[0]
        rows = sheet.iter_rows(values_only=True)
        head = [str(value) if value is not None else f"column {number}" for number, value in enumerate(next(rows, ()), 1)]
        batch: list[tuple[object, ...]] = []
        for row in rows:
            batch.append(tuple(row[: len(head)]) + (None,) * (len(head) - len(row)))
            if len(batch) >= CHUNK:
                yield pd.DataFrame(batch, columns=head, dtype=object)
                batch = []
        yield pd.DataFrame(batch, columns=head, dtype=object)

    def _json_lines(self) -> Iterator[pd.DataFrame]:
        pd = pandas()
        yield from pd.read_json(self.path, lines=True, chunksize=CHUNK, dtype=False, convert_dates=False)

    def line_of(self, row: int) -> int | None:
        """Return the line in the file of a 0-based row of data; None where there are no lines."""
        if self.path is None or self.path.suffix.lower() in (".xlsx", ".xlsm"):
            return None
        if self.path.suffix.lower() in (".jsonl", ".ndjson"):
            return row + 1
        if self.lines is not None and row < len(self.lines):
            return self.lines[row]
        line = row + 2
        for skipped, _, _ in self.shifted:
            if skipped <= line:
                line += 1
        return line

    def row_of(self, row: int) -> int:
        """Return the 1-based row as a spreadsheet counts, headings included."""
        line = self.line_of(row)
        return (
            line
            if line is not None
            and self.lines is None
            and self.path is not None
            and self.path.suffix.lower() not in (".jsonl", ".ndjson")
            else row + 2
        )


def form_of(path: Path) -> tuple[str, str, bool]:
    """Return a text table's encoding, separator, and whether texts in quotes may hold line ends."""
    with open(path, "rb") as handle:
        head = handle.read(200_000)
    if not head.strip():
        raise UnreadableInput(f"{path} is empty: there is no table in it")
    if b"\0" in head[:4096] and not head.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise UnreadableInput(f"{path} is not a text table: it holds binary data")
    encoding = (
        "utf-8-sig"
        if head.startswith(b"\xef\xbb\xbf")
        else "utf-16"
        if head.startswith((b"\xff\xfe", b"\xfe\xff"))
        else "utf-8"
    )
    if encoding == "utf-8":
        try:
            head[: head.rfind(b"\n") + 1 or len(head)].decode("utf-8")
        except UnicodeDecodeError:
            encoding = "latin-1"
    first = head.decode(encoding, "replace").split("\n", 1)[0]
    separator = max("\t;,|", key=first.count) if any(sign in first for sign in "\t;,|") else ","
    return encoding, separator, b'"' in head


def _shifted(path: Path, encoding: str, separator: str) -> Iterator[tuple[int, int, int]]:
    """Yield (line, fields, fields expected) of lines with too many fields; a line in quotes is left to the parser."""
    sign = separator.encode(encoding if encoding != "utf-8-sig" else "utf-8")
    with open(path, "rb") as handle:
        first = handle.readline()
        expected = first.count(sign)
        quotes = b'"' in first
        for number, line in enumerate(handle, 2):
            count = line.count(sign)
            if count != expected and count > expected and not quotes and b'"' not in line:
                yield number, count + 1, expected + 1


def _line_numbers(path: Path, encoding: str, separator: str) -> list[int] | None:
    """Return the line each row begins on, when some row spans several lines; else None."""
    import csv

    with open(path, encoding=encoding, newline="") as handle:
        reader = csv.reader(handle, delimiter=separator)
        next(reader, None)
        found, before, wide = [], reader.line_num, False
        for _ in reader:
            found.append(before + 1)
            wide = wide or reader.line_num > before + 1
            before = reader.line_num
    return found if wide else None


def _look(chunks: Iterable[pd.DataFrame], source: _Source, wanted: dict[str, str]) -> CellReport:
    columns: dict[str, _Column] = {}
    order: list[str] = []
    odd: list[OddCell] = []
    rows = total = 0
    for chunk in chunks:
        if not order:
            order = [str(name) for name in chunk.columns]
            missing = sorted(set(wanted) - set(order))
            if missing:
                raise UsageError(f"--expect {missing[0]}: there is no such column; there are {', '.join(order)}")
            columns = {name: _Column(name, place, wanted.get(name)) for place, name in enumerate(order)}
        for place, name in enumerate(order):
            found = columns[name].look(chunk.iloc[:, place], rows)
            total += len(found)
            for row, text, oddity in found[: max(MOST - len(odd), 0)]:
                at = source.row_of(row)
                odd.append(
                    OddCell(
                        row=at,
                        column=name,
                        address=f"{_letters(place)}{at}",
                        line=source.line_of(row),
                        value=visible_cell(text),
                        why=oddity.why,
                        meant=oddity.meant,
                    )
                )
        rows += len(chunk)
    for line, fields, expected in source.shifted:
        total += 1
        odd.append(
            OddCell(
                row=line,
                column="",
                address=f"A{line}",
                line=line,
                value="",
                why=f"the row has {fields} fields, the headings have {expected}: it is shifted",
            )
        )
    odd.sort(key=lambda cell: (cell.row, cell.address))
    shown = tuple(columns[name].described() for name in order)
    return CellReport(
        rows=rows + len(source.shifted),
        columns=shown,
        cells=tuple(odd[:MOST]),
        odd=total,
        reading=_reading(source, columns, odd),
    )


def visible_cell(text: str) -> str:
    """Return a cell's text with what one does not see made visible."""
    names = {
        "\u00a0": "[no-break space]",
        "\u202f": "[narrow no-break space]",
        "\u200b": "[zero-width space]",
        "\ufeff": "[byte order mark]",
        "\t": "[tab]",
        "\u2212": "[minus sign U+2212]",
        "\u2013": "[en dash]",
    }
    for character, name in names.items():
        text = text.replace(character, name)
    if text != text.strip(" "):
        left, right = len(text) - len(text.lstrip(" ")), len(text) - len(text.rstrip(" "))
        text = "·" * left + text.strip(" ") + "·" * right
    return visible(text)[:120]


def _letters(place: int) -> str:
    """Return a column's letters as spreadsheets name it."""
    letters = ""
    place += 1
    while place:
        place, rest = divmod(place - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


class _Column:
    """One column over all chunks."""

    def __init__(self, name: str, place: int, wanted: str | None) -> None:
        self.name = name
        self.place = place
        self.sort = wanted or ""
        self.form = ""
        self.counts: Counter[str] = Counter()
        self.whys: Counter[str] = Counter()

    def look(self, series: pd.Series, first: int) -> list[tuple[int, str, Oddity]]:
        """Return (row, text, why) of the cells of one chunk that do not fit."""
        if series.dtype != object and series.dtype.kind in "iufb" and self.sort in ("", "number", "boolean"):
            self._decide("boolean" if series.dtype.kind == "b" else "number")
            gone = int(series.isna().sum())
            self.counts["missing"] += gone
            self.counts[self.sort] += len(series) - gone
            return []
        known = series[series.notna()]
        self.counts["missing"] += len(series) - len(known)
        typed = list(known.head(_SAMPLE))
        if not self.sort or (self.sort == "date" and not self.form):
            self._guess(typed)
        odd = self._odd(known)
        self.counts[self.sort] += len(known) - len(odd)
        found: list[tuple[int, str, Oddity]] = []
        for label, text, oddity in odd:
            self.counts["missing" if oddity.why.startswith("a word for") else "odd"] += 1
            self.whys[oddity.why] += 1
            found.append((first + label, text, oddity))
        return found

    def _decide(self, sort: str) -> None:
        self.sort = self.sort or sort

    def _guess(self, values: list[object]) -> None:
        """Take for the column's sort what most of a sample is."""
        sorts = Counter(_sort_of_value(value) for value in values)
        sorts.pop("missing", None)
        total = sum(sorts.values())
        if not total:
            self._decide("text")
            return
        dates: Counter[str] = Counter({sort: count for sort, count in sorts.items() if sort.startswith("date:")})
        numbers = sorts["number"] + sum(
            1 for value in values if isinstance(value, str) and sort_of(value) == "text" and why_no_number(value).meant
        )
        if self.sort == "date" or sum(dates.values()) > 0.6 * total:
            self.form = dates.most_common(1)[0][0][5:] if dates else "%Y-%m-%d"
            self._decide("date")
        elif numbers > 0.6 * total:
            self._decide("number")
        elif sorts["boolean"] > 0.6 * total:
            self._decide("boolean")
        else:
            self._decide("text")

    def _odd(self, known: pd.Series) -> list[tuple[int, str, Oddity]]:
        """Return (row within the chunk, text, why): each different text is looked at once."""
        pd = pandas()
        if self.sort == "text" or not len(known):
            return []
        texts = pd.Series(
            [value for value in known.unique() if isinstance(value, str)]
            if known.dtype == object
            else known.astype(str).unique(),
            dtype=object,
        )
        whys: dict[str, Oddity] = {}
        if self.sort == "number":
            bad = texts[pd.to_numeric(texts, errors="coerce").isna()]
            whys = {text: why_no_number(text) for text in bad}
            if known.dtype == object:
                strings = sum(1 for value in known.head(_SAMPLE) if isinstance(value, str))
                if 0 < strings < 0.5 * min(len(known), _SAMPLE):
                    # a workbook keeps numbers as numbers: one that is text will not add up
                    stored = Oddity(why="a number that is stored as text")
                    whys |= {text: Oddity(why=stored.why, meant=text) for text in texts if text not in whys}
        elif self.sort == "date":
            bad = texts[pd.to_datetime(texts, format=self.form, errors="coerce", exact=True).isna()]
            whys = {text: why_no_date(text, self.form) for text in bad}
        else:
            for text in texts:
                if sort_of(text) != "boolean":
                    gone = text.strip().lower() in MISSING
                    whys[text] = Oddity(
                        why="a word for a missing value" if gone else "neither true nor false", meant="" if gone else None
                    )
        if not whys:
            return []
        start = int(known.index[0]) - int(known.index[0]) % CHUNK
        as_text = known if known.dtype == object else known.astype(str)
        return [
            (int(label) - start, text, whys[text])
            for label, text in as_text[as_text.isin(list(whys))].items()
            if isinstance(text, str)
        ]

    def described(self) -> Column:
        """Return the column as the report shows it."""
        odd = self.counts["odd"]
        return Column(
            name=self.name,
            sort=self.sort or "text",
            form=self.form or None,
            fit=self.counts[self.sort],
            missing=self.counts["missing"],
            odd=odd,
            whys=dict(self.whys.most_common(8)),
        )


def _sort_of_value(value: object) -> str:
    if isinstance(value, bool):
        return "boolean"
    if isinstance(value, (int, float)):
        return "number"
    if isinstance(value, str):
        return sort_of(value)
    return "date:%Y-%m-%d" if hasattr(value, "year") else "text"


def _reading(source: _Source, columns: Mapping[str, _Column], odd: Iterable[OddCell]) -> str:
    """Return the line of code that reads the table as it is meant."""
    if source.path is None:
        return ""
    name = source.path.name
    if source.path.suffix.lower() in (".xlsx", ".xlsm"):
        return f'pd.read_excel("{name}")'
    if source.path.suffix.lower() in (".jsonl", ".ndjson"):
        return f'pd.read_json("{name}", lines=True)'
    words = [f'"{name}"']
    if source.separator != ",":
        words.append(f"sep={source.separator!r}")
    whys: Counter[str] = Counter()
    for column in columns.values():
        whys += column.whys
    if whys["a decimal comma"] or whys["points between thousands and a decimal comma"]:
        words.append('decimal=","')
    if whys["points between thousands and a decimal comma"]:
        words.append('thousands="."')
    elif whys["commas between thousands"]:
        words.append('thousands=","')
    missing = sorted({cell.value.strip("·") for cell in odd if cell.why == "a word for a missing value"})
    if missing:
        words.append(f"na_values={missing!r}")
    dates = [column.name for column in columns.values() if column.sort == "date"]
    if dates:
        words.append(f"parse_dates={dates!r}")
        form = next(column.form for column in columns.values() if column.sort == "date")
        if form and form != "%Y-%m-%d":
            words.append(f"date_format={form!r}")
    return f"pd.read_csv({', '.join(words)})"
