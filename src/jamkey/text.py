"""Text as it comes: decoding, colour codes, control characters, lines, and edits. All pure."""

from __future__ import annotations

import codecs
from collections.abc import Callable, Iterable
from pathlib import Path

from jamkey.errors import BinaryInput, UnreadableInput
from jamkey.late import pattern
from jamkey.model import Edit

# ECMA-48: CSI sequences, OSC strings, two-character escapes. Every part is a negated or disjoint class,
# so the match is linear.
_ESCAPES = pattern(r"\x1b\[[0-?]*[ -/]*[@-~]|\x1b\][^\x07\x1b]*(?:\x07|\x1b\\)?|\x1b[@-Z\\^_]")
_CONTROLS = pattern(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069]")
_PLAIN_QUOTES = str.maketrans("“”„‟‘’‚‛", "\"\"\"\"''''")
#: A prompt: a folder of a drive or a share and `>`, or a user, a machine, a folder and `$`; an environment's name before it.
_PROMPT = pattern(
    r"(?:\([\w.-]{1,60}\) )?(?:(?:PS )?(?:[A-Za-z]:\\|\\\\)[^<>|\"?*:\n]{0,99}>|[\w.-]{1,60}@[\w.-]{1,60}:[~/][^$:\n]{0,99}\$ )"
)
_HALVES = pattern("[\ud800-\udfff]")
_LONE = pattern(r"\r(?!\n)")

#: Texts longer than this are cut from the middle before anything reads them, in characters.
LONGEST_TEXT = 256 * 1024 * 1024


def decode(data: bytes, *, name: str = "input") -> str:
    """Return the text of `data`, trying UTF-8, UTF-16 with a mark, then Latin-1.

    Raises:
        BinaryInput: the data holds NUL bytes and no UTF-16 mark.
    """
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", errors="replace")
    if b"\0" in data[:65536]:
        raise BinaryInput(f"{name} is not text: give a script, or the text a failing program printed")
    encoding = encoding_of(data)
    return data.decode(encoding, "each-byte" if encoding.startswith("utf-8") else "replace")


def _each_byte(error: UnicodeError) -> tuple[str, int]:
    """Stand in for every byte that is not text with one sign, so that columns are the same however it is decoded."""
    if not isinstance(error, UnicodeDecodeError):
        raise error
    return "\ufffd" * (error.end - error.start), error.end


codecs.register_error("each-byte", _each_byte)


def encoding_of(data: bytes) -> str:
    """Return the encoding that `decode` reads the data with."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    utf8 = "utf-8-sig" if data.startswith(codecs.BOM_UTF8) else "utf-8"
    try:
        data.decode(utf8)
    except UnicodeDecodeError:
        return utf8 if _mostly_utf8(data) else "latin-1"
    return utf8


def edited(data: bytes, change: Callable[[str], str], *, name: str = "the file") -> bytes:
    """Return a file's bytes with its text changed; every byte that the change leaves alone stays as it is.

    Args:
        data: the file's bytes.
        change: text -> changed text; the text is that of `decode` but for bytes that are none.
        name: what the file is called in an error.

    Raises:
        UnreadableInput: the text cannot be written back byte for byte, or what is put in has no place in its encoding.
    """
    encoding, mark = encoding_of(data), b""
    if encoding == "utf-16":
        mark = data[:2]
        encoding = "utf-16-le" if mark == codecs.BOM_UTF16_LE else "utf-16-be"
    body = data[len(mark) :]
    errors = "surrogateescape" if encoding.startswith("utf-8") else "surrogatepass" if mark else "strict"
    text = body.decode(encoding, errors)
    try:
        if text.encode(encoding, errors) != body:
            raise UnreadableInput(f"{name} cannot be written back as it is: change it by hand")
        return mark + change(text).encode(encoding, errors)
    except UnicodeEncodeError:
        raise UnreadableInput(f"{name} is {encoding}, which has no sign for what would be put in: change it by hand") from None


def _mostly_utf8(data: bytes) -> bool:
    """Tell a log with a few damaged bytes from a text in another encoding."""
    sample = data[:1_000_000]
    bad = sample.decode("utf-8", errors="replace").count("\ufffd")
    high = sum(byte >= 0x80 for byte in sample)
    return bad * 4 <= high


def read_text(path: Path) -> str:
    """Return a file's text.

    Raises:
        UnreadableInput: missing, a folder, or not permitted; the message says which.
    """
    try:
        return decode(path.read_bytes(), name=str(path))
    except FileNotFoundError:
        raise UnreadableInput(f"{path} does not exist: check the name and the folder") from None
    except IsADirectoryError:
        raise UnreadableInput(f"{path} is a folder: give a file") from None
    except PermissionError:
        raise UnreadableInput(f"{path} may not be read: check its permissions") from None
    except OSError as error:
        raise UnreadableInput(f"{path} cannot be read: {error.strerror}") from None


def whole(digits: str) -> int:
    """Return a number that a runtime printed; one too long to be a line or a column is cut."""
    return int(digits) if len(digits) < 10 else 999_999_999


def plain(text: str) -> str:
    """Return the text without terminal escapes, with line ends as LF, and with halves of signs marked as what is no text."""
    text = without_halves(text)
    if "\x1b" in text:
        text = _ESCAPES.sub("", text)
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    return text


def plain_quotes(text: str) -> str:
    """Return the text with the quotes of word processors, and those that stand in pairs, as plain ones, sign for sign."""
    return text if text.isascii() else text.translate(_PLAIN_QUOTES)


def without_prompts(text: str) -> str:
    """Return the text with the lines blank in which a shell asked for the next command: they are no part of a message."""
    if ">" not in text and "$ " not in text:
        return text
    return "\n".join("" if _PROMPT.match(line) else line for line in text.split("\n"))


def visible(text: str) -> str:
    """Return the text with control characters written out, so that a terminal shows and never obeys them."""
    if text.isprintable():
        return text
    return _CONTROLS.sub(lambda match: f"\\x{ord(match[0]):02x}", text)


def shorten(text: str, width: int) -> str:
    """Cut to `width` characters, from the middle, marking the cut."""
    if len(text) <= width:
        return text
    keep = max(width - 3, 2)
    head = keep * 2 // 3
    return text[:head] + "..." + text[len(text) - (keep - head) :]


def without_halves(text: str) -> str:
    """Return the text with U+FFFD for every half of a surrogate pair, which no encoding takes."""
    return text if text.isascii() else _HALVES.sub("\ufffd", text)


def newlines(text: str) -> str:
    """Return the text with LF in place of every CR that stands alone, as runtimes count lines; no place in it changes."""
    return _LONE.sub("\n", text) if "\r" in text else text


def lines_of(text: str) -> list[str]:
    """Split at LF only and keep the ends, so that the parts join to the very same text."""
    parts = text.split("\n")
    lines = [part + "\n" for part in parts[:-1]]
    if parts[-1]:
        lines.append(parts[-1])
    return lines


def line_at(text: str, line: int) -> str:
    """Return the 1-based line without its end, or an empty text past the end."""
    lines = text.split("\n")
    return lines[line - 1].rstrip("\r") if 1 <= line <= len(lines) else ""


def line_end(text: str) -> str:
    """Return the line end this text uses."""
    return "\r\n" if "\r\n" in text else "\r" if "\r" in text and "\n" not in text else "\n"


def offset(lines: list[str], line: int, column: int) -> int:
    """Return the 0-based character offset of a 1-based place in `lines_of` output; clipped to the text."""
    if line < 1:
        return 0
    if line > len(lines):
        return sum(map(len, lines))
    return sum(map(len, lines[: line - 1])) + min(max(column - 1, 0), len(lines[line - 1]))


def position(text: str, at: int) -> tuple[int, int]:
    """Return the 1-based line and column of a character's place in a text."""
    return text.count("\n", 0, at) + 1, at - text.rfind("\n", 0, at)


def splice(text: str, edits: Iterable[Edit]) -> str:
    """Apply edits that do not overlap. New lines take the text's own line end.

    Raises:
        ValueError: two edits overlap.
    """
    lines = lines_of(newlines(text))
    end = line_end(text)
    spans = sorted(
        (
            offset(lines, edit.line, edit.column),
            offset(lines, edit.end_line, edit.end_column),
            edit.new_text.replace("\r\n", "\n").replace("\n", end),
        )
        for edit in edits
    )
    parts: list[str] = []
    position = 0
    for start, stop, new in spans:
        if start < position or stop < start:
            raise ValueError("edits overlap")
        parts += (text[position:start], new)
        position = stop
    parts.append(text[position:])
    return "".join(parts)
