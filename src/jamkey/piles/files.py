"""Which files make a pile, and their text in pieces: plain, compressed, from standard input, from a remote store."""

from __future__ import annotations

import bz2
import glob
import gzip
import io
import lzma
import mmap
import os
import sys
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import IO, NamedTuple, cast

from jamkey.errors import UnreadableInput, UsageError
from jamkey.languages import ENDINGS

#: Bytes of a piece.
PIECE = 8 << 20
#: Name of standard input.
TYPED = "-"
#: Endings of what is no log, beside the sources of programs.
_OTHER = {
    ".csv",
    ".tsv",
    ".xlsx",
    ".parquet",
    ".h5",
    ".pkl",
    ".npy",
    ".npz",
    ".png",
    ".jpg",
    ".pdf",
    ".html",
    ".zip",
    ".tar",
    ".whl",
}
_SKIPPED = {"__pycache__", "node_modules", "site-packages"}


class Piece(NamedTuple):
    """A part of a file, in bytes; of a compressed one, or of standard input, the whole."""

    file: str
    start: int
    #: -1 for what has no length beforehand.
    stop: int
    size: int
    #: Of the file, for stamps that name no year.
    year: int = 1970


class Chunk(NamedTuple):
    """Bytes with some of what stands around them."""

    data: bytes | mmap.mmap
    #: Offset in the text of `data[0]`; a file's first line begins behind a line end that is put there.
    base: int
    #: What of `data` is looked at.
    start: int
    stop: int
    #: Whether the file ends with it.
    ends: bool


def _gzip(raw: IO[bytes]) -> IO[bytes]:
    return cast("IO[bytes]", gzip.GzipFile(fileobj=raw))


def _zstandard(raw: IO[bytes]) -> IO[bytes]:
    try:
        import zstandard
    except ImportError:
        raise UsageError("logs compressed as .zst need a package more: python -m pip install 'jamkey[pile]'") from None
    return cast("IO[bytes]", io.BufferedReader(zstandard.ZstdDecompressor().stream_reader(raw, read_across_frames=True)))


_PACKED: dict[str, Callable[[IO[bytes]], IO[bytes]]] = {
    ".gz": _gzip,
    ".bz2": lambda raw: cast("IO[bytes]", bz2.BZ2File(raw)),
    ".xz": lambda raw: cast("IO[bytes]", lzma.LZMAFile(raw)),  # noqa: SIM115 - who opened it closes it
    ".zst": _zstandard,
}


def found(paths: Iterable[str | os.PathLike[str]]) -> list[str]:
    """Return the files that paths, patterns and folders name, in order of their names.

    Raises:
        UnreadableInput: something is not there, or no file is left.
    """
    files: dict[str, None] = {}
    for path in paths:
        given = os.fspath(path)
        if given == TYPED or "://" in given:
            files |= dict.fromkeys(_remote(given) if given != TYPED else [given])
        elif os.path.isdir(given):
            files |= dict.fromkeys(_below(given))
        elif os.path.exists(given):
            files[given] = None
        else:
            matching = [name for name in sorted(glob.glob(given, recursive=True)) if os.path.isfile(name)]
            if not matching:
                raise UnreadableInput(f"{given} does not exist: name files, folders, patterns or addresses of logs")
            files |= dict.fromkeys(matching)
    if not files:
        raise UnreadableInput("no log is there: name files, folders, patterns or addresses of logs")
    return sorted(files)


def _below(folder: str) -> Iterator[str]:
    for where, names, files in os.walk(folder):
        names[:] = sorted(name for name in names if name not in _SKIPPED and not name.startswith("."))
        for name in sorted(files):
            ending = os.path.splitext(name)[1].lower()
            path = os.path.join(where, name)
            if not name.startswith(".") and ending not in ENDINGS and ending not in _OTHER and _is_text(path):
                yield path


def _is_text(path: str) -> bool:
    if os.path.splitext(path)[1] in _PACKED:
        return True
    try:
        with open(path, "rb") as file:
            begin = file.read(4096)
    except OSError:
        return False
    return b"\0" not in begin or begin.startswith((b"\xff\xfe", b"\xfe\xff"))


def _remote(address: str) -> list[str]:
    filesystem, path = _store(address)
    scheme = address.partition("://")[0]
    try:
        if any(sign in path for sign in "*?["):
            names = sorted(filesystem.glob(path))
        elif filesystem.isdir(path):
            names = sorted(filesystem.find(path))
        else:
            names = [path]
    except Exception as error:  # every store has errors of its own
        raise UnreadableInput(f"{address} cannot be listed: {error}") from None
    return [name if "://" in name else f"{scheme}://{name}" for name in names]


def _store(address: str):  # type: ignore[no-untyped-def]  # fsspec has no types
    try:
        import fsspec  # type: ignore[import-untyped]
    except ImportError:
        raise UsageError(
            f"{address} is read with fsspec, which is not installed: python -m pip install 'jamkey[cluster]'"
        ) from None
    try:
        return fsspec.core.url_to_fs(address)
    except (ValueError, ImportError) as error:
        raise UsageError(f"{address} cannot be opened: {error}") from None


def is_stream(file: str) -> bool:
    """Tell a file that can only be read from its beginning."""
    if file == TYPED or os.path.splitext(file)[1] in _PACKED:
        return True
    if "://" in file:
        return False
    with _Reading(file), open(file, "rb") as raw:
        return raw.read(2) in (b"\xff\xfe", b"\xfe\xff")


class _Reading:
    """Say in one line that a file cannot be read."""

    def __init__(self, file: str) -> None:
        self.file = file

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: object, error: object, trace: object) -> None:
        if isinstance(error, (OSError, EOFError, lzma.LZMAError)):
            told = getattr(error, "strerror", None) or str(error)
            raise UnreadableInput(f"{self.file} cannot be read: {told}") from None


def pieces(files: Sequence[str], *, size: int = PIECE, begun: dict[str, int] | None = None) -> list[Piece]:
    """Return the pieces of files.

    Args:
        files: as `found` returns them.
        size: of a piece, in bytes.
        begun: file -> offset before which nothing is looked at.

    Raises:
        UnreadableInput: a file cannot be read.
    """
    made: list[Piece] = []
    for file in files:
        low = (begun or {}).get(file, 0)
        length, year = length_of(file)
        if is_stream(file):
            made.append(Piece(file, low, -1, length, year))
            continue
        low = low if low <= length else 0  # it was begun anew, as rotated logs are
        starts = range(low, max(length, 1), size)
        made += (Piece(file, start, min(start + size, length), length, year) for start in starts)
    return made


def length_of(file: str) -> tuple[int, int]:
    """Return a file's bytes on the disk, and the year in which it was written."""
    if file == TYPED:
        return 0, time.gmtime().tm_year
    if "://" in file:
        filesystem, path = _store(file)
        return int(filesystem.size(path) or 0), time.gmtime().tm_year
    with _Reading(file):
        told = os.stat(file)
    return told.st_size, time.gmtime(told.st_mtime).tm_year


@contextmanager
def _opened(file: str) -> Iterator[IO[bytes]]:
    """Open a file's text as bytes of UTF-8, or of what it is in; standard input stays open."""
    if file == TYPED:
        yield sys.stdin.buffer
        return
    packed = _PACKED.get(os.path.splitext(file)[1])
    with _raw(file) as raw:
        if packed is not None:
            with packed(raw) as text:
                yield text
        elif "://" not in file and raw.read(2) in (b"\xff\xfe", b"\xfe\xff"):
            raw.seek(0)
            with cast("IO[bytes]", _Recoded(raw)) as text:
                yield text
        else:
            raw.seek(0)
            yield raw


def _raw(file: str) -> IO[bytes]:
    if "://" in file:
        filesystem, path = _store(file)
        return cast("IO[bytes]", filesystem.open(path, "rb"))
    return open(file, "rb")


class _Recoded(io.RawIOBase):
    """UTF-16 as UTF-8: what a redirect on Windows writes."""

    def __init__(self, raw: IO[bytes]) -> None:
        self._text = io.TextIOWrapper(raw, encoding="utf-16", errors="replace", newline="")

    def read(self, size: int = -1) -> bytes:
        """Return the next characters as bytes."""
        return self._text.read(max(size // 4, 1) if size >= 0 else -1).encode("utf-8", "replace")

    def close(self) -> None:
        """Close the file."""
        self._text.close()
        super().close()


def chunks(piece: Piece, *, before: int, behind: int) -> Iterator[Chunk]:
    """Yield a piece's bytes, each time with so many bytes of what stands before and behind.

    Raises:
        UnreadableInput: the file cannot be read.
    """
    with _Reading(piece.file):
        if piece.stop < 0:
            yield from _streamed(piece, before, behind)
            return
        low = max(piece.start - before, 0)
        if low > 0 and "://" not in piece.file:
            yield _mapped(piece, low, behind)
            return
        with _opened(piece.file) as raw:
            raw.seek(low)
            data = raw.read(min(piece.stop + behind, piece.size) - low)
        if low == 0:
            data, low = b"\n" + data, -1
        yield Chunk(data, low, piece.start - low, piece.stop - low, piece.stop >= piece.size)


def _mapped(piece: Piece, low: int, behind: int) -> Chunk:
    """Return a piece of a file on the disk without copying it; it is let go with the chunk."""
    low -= low % mmap.ALLOCATIONGRANULARITY
    with open(piece.file, "rb") as raw:
        length = min(piece.stop + behind, os.fstat(raw.fileno()).st_size) - low
        data = mmap.mmap(raw.fileno(), length, access=mmap.ACCESS_READ, offset=low)
    return Chunk(data, low, piece.start - low, piece.stop - low, piece.stop >= piece.size)


def _streamed(piece: Piece, before: int, behind: int) -> Iterator[Chunk]:
    held, base, start = b"\n", -1, 1
    ended = False
    with _opened(piece.file) as raw:
        while not ended:
            data = _filled(raw, PIECE + behind - (len(held) - start))
            ended = not data
            held += data
            stop = len(held) if ended else max(start, len(held) - behind)
            first = max(start, piece.start - base)  # what was looked at before
            if first < stop or ended:
                yield Chunk(held, base, min(first, stop), stop, ended)
            cut = max(stop - before, 0)
            held, base, start = held[cut:], base + cut, stop - cut


def _filled(raw: IO[bytes], size: int) -> bytes:
    parts: list[bytes] = []
    while size > 0:
        part = raw.read(size)
        if not part:
            break
        parts.append(part)
        size -= len(part)
    return b"".join(parts)


def relative(file: str, folder: Path) -> str:
    """Return a file's name as it is shown."""
    try:
        return Path(file).resolve().relative_to(folder).as_posix()
    except (ValueError, OSError):
        return file
