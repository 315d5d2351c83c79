"""Findings and readings as SARIF 2.1.0 (OASIS standard, the static analysis results interchange format)."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any
from urllib.parse import quote

from jamkey.follow.sources import Sources
from jamkey.model import Edit, Finding, Frame, Jam
from jamkey.text import visible
from jamkey.views.json import written

_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"


def render_findings(findings: Sequence[Finding], *, version: str) -> str:
    """Return one run with all findings; keys become fixes.

    Args:
        findings: what was found.
        version: of Jam Key.
    """
    rules = sorted({(finding.rule, finding.kind) for finding in findings})
    index = {rule: number for number, (rule, _) in enumerate(rules)}
    rows = [
        {"id": rule, "shortDescription": {"text": rule.replace("-", " ")}, "properties": {"kind": kind}} for rule, kind in rules
    ]
    return _log([_result(finding, index[finding.rule]) for finding in findings], rows, version=version)


def _log(results: list[dict[str, Any]], rules: list[dict[str, Any]], *, version: str) -> str:
    data = {
        "$schema": _SCHEMA,
        "version": "2.1.0",
        "runs": [
            {
                "tool": {"driver": {"name": "Jam Key", "version": version, "rules": rules}},
                "columnKind": "unicodeCodePoints",
                "results": results,
            }
        ],
    }
    return written(data)


def _result(finding: Finding, rule: int) -> dict[str, Any]:
    result: dict[str, Any] = {
        "ruleId": finding.rule,
        "ruleIndex": rule,
        "level": "error" if finding.kind == "broken-syntax" else "warning",
        "message": {"text": finding.reason},
        "locations": [{"physicalLocation": {"artifactLocation": {"uri": _uri(finding.file)}, "region": _region(finding)}}],
    }
    if finding.edits and finding.cell is None:
        result["fixes"] = [_fix(finding.title or finding.reason, finding.edits)]
    return result


def _region(finding: Finding) -> dict[str, int]:
    region = {"startLine": finding.line, "startColumn": finding.column}
    if finding.end_line is not None and finding.end_column is not None:
        region |= {"endLine": finding.end_line, "endColumn": finding.end_column}
    return region


def _replacement(edit: Edit) -> dict[str, Any]:
    region = {"startLine": edit.line, "startColumn": edit.column, "endLine": edit.end_line, "endColumn": edit.end_column}
    return {"deletedRegion": region, "insertedContent": {"text": edit.new_text}}


def render(jams: Sequence[Jam], sources: Sources) -> str:
    """Return one run with a result for each jam: its stack, the way from the root to the failing line, keys as fixes."""
    import jamkey

    kinds = sorted({jam.kind or "unknown" for jam in jams})
    meanings = {jam.kind or "unknown": jam.avoid for jam in jams}
    rules: list[dict[str, Any]] = []
    for kind in kinds:
        rule: dict[str, Any] = {"id": kind, "shortDescription": {"text": kind.replace("-", " ")}}
        if meanings.get(kind):
            rule["help"] = {"text": meanings[kind]}
        rules.append(rule)
    return _log([_jam(jam, kinds.index(jam.kind or "unknown")) for jam in jams], rules, version=jamkey.__version__)


def _jam(jam: Jam, rule: int) -> dict[str, Any]:
    frame = jam.snag_frame
    text = jam.headline if not jam.meaning else f"{jam.headline}\n{jam.meaning}"
    result: dict[str, Any] = {
        "ruleId": jam.kind or "unknown",
        "ruleIndex": rule,
        "kind": "fail",
        "level": "warning" if jam.phase == "quiet" else "error",
        "message": {"text": visible(text)},
        "occurrenceCount": jam.count,
        "properties": {"runtime": jam.runtime, "phase": jam.phase},
    }
    if frame is not None:
        result["locations"] = [_frame_location(frame)]
    if jam.frames:
        # the standard counts from the innermost call outwards
        frames = [
            {"location": _frame_location(one, f"in {one.function}" if one.function else "")} for one in reversed(jam.frames)
        ]
        result["stacks"] = [{"message": {"text": visible(jam.headline)}, "frames": frames}]
    if jam.roots:
        root = jam.roots[0]
        result["relatedLocations"] = [
            _location(root.file, root.line, root.column, cell=root.cell, text=root.reason or "the place to change")
        ]
        steps = [
            _location(step.file, step.line, cell=step.cell, text=f"{step.what}: {step.text}") for step in reversed(root.steps)
        ]
        if (root.file, root.line, root.cell) not in {(step.file, step.line, step.cell) for step in root.steps}:
            steps.insert(0, _location(root.file, root.line, root.column, cell=root.cell, text=root.reason or "root"))
        if frame is not None:
            steps.append(_frame_location(frame, "fails here"))
        result["codeFlows"] = [{"threadFlows": [{"locations": [{"location": step} for step in steps]}]}]
    fixes = [_fix(key.title, key.edits) for key in jam.keys if key.edits and all(edit.cell is None for edit in key.edits)]
    if fixes:
        result["fixes"] = fixes
    return result


def _frame_location(frame: Frame, text: str = "") -> dict[str, Any]:
    return _location(
        frame.file,
        frame.line,
        frame.column,
        frame.end_line if frame.end_column else None,
        frame.end_column,
        cell=frame.cell,
        text=text,
    )


def _location(
    file: str,
    line: int | None,
    column: int | None = None,
    end_line: int | None = None,
    end_column: int | None = None,
    *,
    cell: int | None = None,
    text: str = "",
) -> dict[str, Any]:
    place: dict[str, Any] = {"artifactLocation": {"uri": _uri(file)}}
    if line is not None and line >= 1:
        region = {"startLine": line}
        if column is not None and column >= 1:
            region["startColumn"] = column
            if end_line is not None and end_column is not None and (end_line, end_column) >= (line, column):
                region |= {"endLine": end_line, "endColumn": end_column}
        place["region"] = region
    found: dict[str, Any] = {"physicalLocation": place}
    if cell is not None:
        # lines count within the cell, which the standard has no place for
        text = f"cell {cell + 1}" + (f": {text}" if text else "")
    if text:
        found["message"] = {"text": visible(text)}
    return found


def _uri(file: str) -> str:
    return Path(file).as_uri() if os.path.isabs(file) else quote(file)


def _fix(title: str, edits: Sequence[Edit]) -> dict[str, Any]:
    return {
        "description": {"text": visible(title)},
        "artifactChanges": [
            {
                "artifactLocation": {"uri": _uri(file)},
                "replacements": [_replacement(edit) for edit in edits if edit.file == file],
            }
            for file in sorted({edit.file for edit in edits})
        ],
    }
