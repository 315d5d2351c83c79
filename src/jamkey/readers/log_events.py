"""Failures in structured logs: JSON lines whose events carry OpenTelemetry's exception attributes.

The names are those of the semantic conventions (`exception.type`, `exception.message`, `exception.stacktrace`); they may stand
flat, nested, or in a list of keys and values as the protocol's own JSON has them. The trace inside an event is read by the
reader of its runtime; an event without one still tells type and message.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import msgspec

from jamkey.model import Jam

#: Names of SDKs (`telemetry.sdk.language`) -> runtime.
_LANGUAGES = {"python": "python", "nodejs": "javascript", "webjs": "javascript", "java": "java", "cpp": "c", "swift": "swift"}
#: Attributes of an exception, and the one that names the language of what logged it.
NAMES = ("exception.type", "exception.message", "exception.stacktrace")
LANGUAGE = "telemetry.sdk.language"
#: Levels of nesting looked through.
_DEEPEST = 8


def unpack(text: str, read: Callable[[str], list[Jam]]) -> tuple[list[Jam], str]:
    """Return the failures that events carry, and the text with those lines emptied.

    Args:
        text: plain text, events among other lines.
        read: reads a trace.
    """
    jams: list[Jam] = []
    lines = text.split("\n")
    for number, line in enumerate(lines, 1):
        if "exception" not in line or "{" not in line[:200]:
            continue
        start = line.index("{")
        try:
            event = msgspec.json.decode(line[start:].strip())
        except (msgspec.DecodeError, RecursionError):
            continue
        found = [jam for one in events(event) if (jam := _jam(one, read)) is not None]
        if found:
            lines[number - 1] = ""
            jams += (msgspec.structs.replace(jam, first_line=number, last_line=number) for jam in found)
    return jams, "\n".join(lines) if jams else text


def events(event: Any) -> Iterator[dict[str, str]]:
    """Yield the exception attributes of each record in a decoded line, the SDK's language with them."""
    pending: list[tuple[Any, dict[str, str], int]] = [(event, {}, 0)]
    while pending:
        value, around, depth = pending.pop()
        if depth > _DEEPEST:
            continue
        if isinstance(value, list):
            pending += ((item, around, depth + 1) for item in reversed(value))
            continue
        if not isinstance(value, dict):
            continue
        names = _flat(value)
        resource = value.get("resource")
        language = names.get("telemetry.sdk.language") or (
            _flat(resource).get("telemetry.sdk.language") if isinstance(resource, dict) else None
        )
        around = {**around, "telemetry.sdk.language": language} if language else around
        if any(name in names for name in NAMES):
            yield {**around, **names}
            continue
        pending += (
            (item, around, depth + 1) for name, item in value.items() if name != "resource" and isinstance(item, (dict, list))
        )


def _flat(value: dict[str, Any]) -> dict[str, str]:
    """Return the dotted names of a record with their texts: its own, and those of its `attributes`."""
    found: dict[str, str] = {}
    attributes = value.get("attributes")
    pairs: list[tuple[Any, Any]] = list(value.items())
    if isinstance(attributes, dict):
        pairs += attributes.items()
    elif isinstance(attributes, list):
        pairs += ((item.get("key"), item.get("value")) for item in attributes if isinstance(item, dict))
    for name, item in pairs:
        if name == "exception" and isinstance(item, dict):
            found |= {f"exception.{inner}": text for inner, text in item.items() if isinstance(text, str)}
        if isinstance(item, dict) and isinstance(item.get("stringValue"), str):
            item = item["stringValue"]
        if isinstance(name, str) and isinstance(item, str):
            found[name] = item
    return found


def _jam(names: dict[str, str], read: Callable[[str], list[Jam]]) -> Jam | None:
    kind, message = names.get("exception.type") or None, names.get("exception.message")
    found = read(names.get("exception.stacktrace", ""))
    if found:
        jam = found[-1]
        return msgspec.structs.replace(
            jam, exception_type=jam.exception_type or kind, message=jam.message if jam.message else message
        )
    if kind is None:
        return None
    return Jam(
        runtime=_LANGUAGES.get(names.get("telemetry.sdk.language", ""), "python"), exception_type=kind, message=message or ""
    )
