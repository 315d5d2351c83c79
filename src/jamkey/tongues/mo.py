"""Catalogues of messages as gettext writes them: an open format of pairs, original and translation."""

from __future__ import annotations

import re
import struct
from pathlib import Path

#: Bytes and pairs of a catalogue at most.
_MOST_BYTES, _MOST_PAIRS = 30_000_000, 200_000
_MAGIC = {b"\xde\x12\x04\x95": "<", b"\x95\x04\x12\xde": ">"}
_CHARSET = re.compile(rb"charset=([\w.:-]+)")


def pairs(path: Path) -> list[tuple[str, str]]:
    """Return (original, translation) of a catalogue, each form of a plural for itself.

    Nothing of a file that is none, is damaged from there on, or cannot be read.
    """
    try:
        if path.stat().st_size > _MOST_BYTES:
            return []
        raw = path.read_bytes()
    except OSError:
        return []
    order = _MAGIC.get(raw[:4])
    if order is None or len(raw) < 20:
        return []
    count, originals, translations = struct.unpack_from(f"{order}3I", raw, 8)
    found: list[tuple[str, str]] = []
    charset = "utf-8"
    for place in range(min(count, _MOST_PAIRS)):
        try:
            size, start = struct.unpack_from(f"{order}2I", raw, originals + 8 * place)
            own_size, own_start = struct.unpack_from(f"{order}2I", raw, translations + 8 * place)
        except struct.error:
            break
        original, own = raw[start : start + size], raw[own_start : own_start + own_size]
        if not original:
            named = _CHARSET.search(own)
            charset = named[1].decode("ascii") if named is not None else charset
            continue
        try:
            forms = original.rpartition(b"\4")[2].decode("utf-8").split("\0")
            own_forms = own.decode(charset).split("\0")
        except (UnicodeDecodeError, LookupError):
            continue
        # more forms than English has: the last English one stands for them
        found += ((forms[min(index, len(forms) - 1)], form) for index, form in enumerate(own_forms) if form)
    return found
