"""A reading as log events: one line of the OpenTelemetry protocol's JSON for each failure, ready for a collector.

Attributes are those of the semantic conventions: `exception.type`, `exception.message`, `exception.stacktrace`, and
`code.file.path`, `code.line.number`, `code.function.name` of one's own line; what is ours alone stands under `jamkey.`.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

import jamkey
from jamkey.follow.sources import Sources
from jamkey.languages.traits import traits_of
from jamkey.model import Jam
from jamkey.secrets import masked
from jamkey.text import shorten, visible
from jamkey.views.json import written

#: Characters of a trace.
_LONGEST = 60_000
#: SeverityNumber of an error, by the protocol.
_ERROR = 17
_LANGUAGES = {"javascript": "nodejs", "c": "cpp"}


def render(jams: Sequence[Jam], sources: Sources) -> str:
    """Return one line of JSON for each jam (OTLP/JSON: a LogsData of one record)."""
    now = time.time_ns()
    return "".join(written(_logs(jam, sources, now), indent=0) for jam in jams)


def _logs(jam: Jam, sources: Sources, now: int) -> dict[str, Any]:
    resource = {"telemetry.sdk.language": _LANGUAGES.get(jam.runtime, jam.runtime)}
    if jam.runtime_version:
        resource["process.runtime.version"] = jam.runtime_version
    record = {
        "timeUnixNano": str(now),
        "observedTimeUnixNano": str(now),
        "severityNumber": _ERROR,
        "severityText": "ERROR",
        "body": {"stringValue": visible(shorten(jam.headline, 1000))},
        "attributes": _pairs(_attributes(jam, sources)),
    }
    scope = {"name": "jamkey", "version": jamkey.__version__}
    return {
        "resourceLogs": [
            {"resource": {"attributes": _pairs(resource)}, "scopeLogs": [{"scope": scope, "logRecords": [record]}]}
        ]
    }


def _attributes(jam: Jam, sources: Sources) -> dict[str, str | int]:
    found: dict[str, str | int] = {
        "exception.message": jam.message or "",
        "exception.stacktrace": trace_of(jam, sources.printed),
    }
    if jam.exception_type:
        found["exception.type"] = jam.exception_type
    frame = jam.snag_frame
    if frame is not None and frame.line is not None:
        found |= {"code.file.path": frame.file, "code.line.number": frame.line}
        if frame.function:
            found["code.function.name"] = frame.function
    if jam.kind:
        found["jamkey.kind"] = jam.kind
    if jam.meaning:
        found["jamkey.meaning"] = jam.meaning
    if jam.roots:
        found |= {"jamkey.root.file.path": jam.roots[0].file, "jamkey.root.line.number": jam.roots[0].line}
    return found


def trace_of(jam: Jam, printed: str = "") -> str:
    """Return the trace as the runtime printed it; where that text is not at hand, its frames in the runtime's order."""
    lines = printed.split("\n")[(jam.first_line or 1) - 1 : jam.last_line or 0]
    first = (jam.message or "").split("\n")[0]
    if lines and (first or jam.exception_type or "\0") in "\n".join(lines):
        return "\n".join(visible(masked(line)) for line in lines)[:_LONGEST]
    if traits_of(jam.runtime).outermost_first:
        rows = ["Traceback (most recent call last):"]
        for frame in jam.frames:
            rows.append(f'  File "{frame.file}", line {frame.line or 0}, in {frame.function or "<module>"}')
            if frame.source:
                rows.append(f"    {shorten(frame.source, 400)}")
        rows.append((jam.exception_type or "") + (f": {jam.message}" if jam.message else ""))
    else:
        rows = [
            jam.headline,
            *(f"    at {frame.function or '<main>'} ({frame.file}:{frame.line or 0})" for frame in reversed(jam.frames)),
        ]
    return "\n".join(visible(row) for row in rows)[:_LONGEST]


def _pairs(names: dict[str, Any]) -> list[dict[str, Any]]:
    return [
        {"key": name, "value": {"intValue": str(value)} if isinstance(value, int) else {"stringValue": value}}
        for name, value in names.items()
    ]
