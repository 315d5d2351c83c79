"""The names of a workbook's sheets (Office Open XML, ECMA-376), without any spreadsheet library."""

from __future__ import annotations

import html
import re
import zipfile
from pathlib import Path

_SHEET = re.compile(r"<(?:\w+:)?sheet [^>]*?name=\"([^\"]*)\"")
#: A list of sheets is small; a larger one is not read.
_LARGEST = 2_000_000


def sheets_of(path: Path) -> list[str]:
    """Return the sheets' names in order; nothing when the file is no workbook."""
    try:
        with zipfile.ZipFile(path) as archive:
            entry = archive.getinfo("xl/workbook.xml")
            if entry.file_size > _LARGEST:
                return []
            text = archive.read(entry).decode("utf-8", "replace")
    except (OSError, KeyError, zipfile.BadZipFile, RuntimeError):
        return []
    return [html.unescape(name) for name in _SHEET.findall(text)]
