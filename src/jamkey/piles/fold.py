"""What pieces of logs hold, and how two such answers become one: in any order and grouping with the same result."""

from __future__ import annotations

import zlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

#: Families kept; of more, those are kept whose mark is lowest, which any split of the logs agrees on.
MOST_FAMILIES = 20_000
#: Sign for what differs between the messages of a family.
HOLE = "…"
#: What two failures share when they are of one family: runtime, type, kind, own frames, and what else tells them apart.
Name = tuple[str, ...]


@dataclass
class Family:
    """Failures of one runtime, type, kind and way through one's own lines."""

    count: int
    #: File and offset of the one that stands for all: the first by name and place.
    file: str
    offset: int
    #: Offset behind its last line.
    end: int
    #: Its text, as the runtime printed it.
    text: bytes
    #: What all their messages begin and end with; the whole message where all have the same.
    begins: str
    ends: str
    #: The lengths of the shortest message and of the longest.
    length: int
    longest: int
    files: dict[str, int] = field(default_factory=dict)
    hosts: dict[str, int] = field(default_factory=dict)
    #: Hour since 1970 -> count.
    hours: dict[int, int] = field(default_factory=dict)
    #: Seconds since 1970 by the logger; None where no stamp was near.
    first: float | None = None
    last: float | None = None
    #: Offset, time, offset, time ... of all, file by file, where they were asked for; a time that is not known is NaN.
    places: dict[str, list[float]] = field(default_factory=dict)

    def one(self, file: str, place: tuple[int, int], found: tuple[bytes, str, str, float | None], hour: int) -> None:
        """Take in one more failure.

        Args:
            file: where it stands.
            place: offsets of its first line and behind its last.
            found: its text, message, machine and time.
            hour: of its time.
        """
        text, message, host, time = found
        self.count += 1
        if (file, *place) < (self.file, self.offset, self.end):
            self.file, (self.offset, self.end), self.text = file, place, text
        if message != self.begins or len(message) != self.length:
            if not message.startswith(self.begins):
                self.begins = _common(self.begins, message)
            if not message.endswith(self.ends):
                self.ends = _common(self.ends[::-1], message[::-1])[::-1]
            self.length, self.longest = min(self.length, len(message)), max(self.longest, len(message))
        self.files[file] = self.files.get(file, 0) + 1
        if host:
            self.hosts[host] = self.hosts.get(host, 0) + 1
        if time is not None:
            self.hours[hour] = self.hours.get(hour, 0) + 1
            self.first = time if self.first is None or time < self.first else self.first
            self.last = time if self.last is None or time > self.last else self.last

    def add(self, other: Family) -> None:
        """Take in another part of the same family."""
        self.count += other.count
        if (other.file, other.offset, other.end) < (self.file, self.offset, self.end):
            self.file, self.offset, self.end, self.text = other.file, other.offset, other.end, other.text
        if (other.begins, other.ends, other.length, other.longest) != (self.begins, self.ends, self.length, self.longest):
            self.begins = _common(self.begins, other.begins)
            self.ends = _common(self.ends[::-1], other.ends[::-1])[::-1]
            self.length, self.longest = min(self.length, other.length), max(self.longest, other.longest)
        _more(self.files, other.files)
        _more(self.hosts, other.hosts)
        _more(self.hours, other.hours)
        self.first = min((time for time in (self.first, other.first) if time is not None), default=None)
        self.last = max((time for time in (self.last, other.last) if time is not None), default=None)
        for file, own in other.places.items():
            self.places[file] = sorted_pairs([*self.places.get(file, ()), *own])

    @property
    def message(self) -> str:
        """The message, a hole where the members differ."""
        if self.begins == self.ends and len(self.begins) == self.length == self.longest:
            return self.begins
        begins, ends = self.begins, self.ends
        while len(begins) + len(ends) > self.length:  # both reach into the same words of the shortest
            ends = ends[1:]
        begins, ends = _at_word(begins), _at_word(ends[::-1])[::-1]
        return f"{begins}{HOLE}{ends}"


def _more(counts: dict[Any, int], other: Mapping[Any, int]) -> None:
    for key, count in other.items():
        counts[key] = counts.get(key, 0) + count


def sorted_pairs(flat: list[float]) -> list[float]:
    """Return offset, time, offset, time ... in the order of the offsets."""
    pairs = sorted(zip(flat[::2], flat[1::2], strict=True))
    return [number for pair in pairs for number in pair]


def _common(one: str, other: str) -> str:
    length = 0
    for left, right in zip(one, other, strict=False):
        if left != right:
            break
        length += 1
    return one[:length]


def _at_word(text: str) -> str:
    """Leave out the beginning of a word or number that goes on in the hole."""
    end = len(text)
    while end and (text[end - 1].isalnum() or text[end - 1] in "._-"):
        end -= 1
    return text[:end]


@dataclass
class Seen:
    """What is known of one file."""

    #: Bytes looked at.
    looked: int = 0
    failures: int = 0
    #: Offset of the last failure, behind its end, and its family.
    last: tuple[int, int, Name] | None = None
    #: The file's last bytes, and where they begin; only the piece that ends the file knows.
    tail: bytes = b""
    #: Its whole length in bytes of text; -1 while the end was not seen.
    size: int = -1

    def add(self, other: Seen) -> None:
        """Take in what another piece of the file tells."""
        self.looked += other.looked
        self.failures += other.failures
        self.last = max((last for last in (self.last, other.last) if last is not None), default=None)
        if other.size > self.size:
            self.size, self.tail = other.size, other.tail


@dataclass
class Part:
    """What some pieces hold."""

    families: dict[Name, Family] = field(default_factory=dict)
    files: dict[str, Seen] = field(default_factory=dict)

    def add(self, other: Part) -> Part:
        """Take in another part, and return this one."""
        for name, family in other.families.items():
            own = self.families.get(name)
            if own is None:
                self.families[name] = family
            else:
                own.add(family)
        for file, seen in other.files.items():
            self.files.setdefault(file, Seen()).add(seen)
        if len(self.families) > MOST_FAMILIES:
            kept = sorted(self.families, key=mark_of)[:MOST_FAMILIES]
            self.families = {name: self.families[name] for name in kept}
        return self

    @property
    def looked(self) -> int:
        """Bytes looked at."""
        return sum(seen.looked for seen in self.files.values())

    @property
    def failures(self) -> int:
        """Failures met, those of families that were too many included."""
        return sum(seen.failures for seen in self.files.values())


def mark_of(name: Name) -> tuple[int, Name]:
    """Return the number of a family, the same on every machine, and the name that decides between two of the same number."""
    return zlib.crc32("\0".join(name).encode("utf-8", "replace")), name


def folded(parts: Iterable[Part]) -> Part:
    """Return many parts as one."""
    whole = Part()
    for part in parts:
        whole.add(part)
    return whole
