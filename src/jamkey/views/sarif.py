"""Findings as SARIF 2.1.0 (OASIS standard, the static analysis results interchange format)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any
from urllib.parse import quote

import msgspec

from jamkey.model import Edit, Finding

_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"


def render_findings(findings: Sequence[Finding], *, version: str) -> str:
    """Return one run with all findings; keys become fixes.

    Args:
        findings: what was found.
        version: of Jam Key.
    """
    rules = sorted({(finding.rule, finding.kind) for finding in findings})
    index = {rule: number for number, (rule, _) in enumerate(rules)}
    data = {
        "$schema": _SCHEMA,
        "version": "2.1.0",
        "runs": [
            {
                "tool": {
                    "driver": {
                        "name": "Jam Key",
                        "version": version,
                        "rules": [
                            {"id": rule, "shortDescription": {"text": rule.replace("-", " ")}, "properties": {"kind": kind}} for rule, kind in rules
                        ],
                    }
                },
                "columnKind": "unicodeCodePoints",
                "results": [_result(finding, index[finding.rule]) for finding in findings],
            }
        ],
    }
    return msgspec.json.format(msgspec.json.encode(data), indent=2).decode() + "\n"


def _result(finding: Finding, rule: int) -> dict[str, Any]:
    result: dict[str, Any] = {
        "ruleId": finding.rule,
        "ruleIndex": rule,
        "level": "error" if finding.kind == "broken-syntax" else "warning",
        "message": {"text": finding.reason},
        "locations": [{"physicalLocation": {"artifactLocation": {"uri": quote(finding.file)}, "region": _region(finding)}}],
    }
    if finding.edits and finding.cell is None:
        files = sorted({edit.file for edit in finding.edits})
        result["fixes"] = [
            {
                "description": {"text": finding.title or finding.reason},
                "artifactChanges": [
                    {
                        "artifactLocation": {"uri": quote(file)},
                        "replacements": [_replacement(edit) for edit in finding.edits if edit.file == file],
                    }
                    for file in files
                ],
            }
        ]
    return result


def _region(finding: Finding) -> dict[str, int]:
    region = {"startLine": finding.line, "startColumn": finding.column}
    if finding.end_line is not None and finding.end_column is not None:
        region |= {"endLine": finding.end_line, "endColumn": finding.end_column}
    return region


def _replacement(edit: Edit) -> dict[str, Any]:
    region = {"startLine": edit.line, "startColumn": edit.column, "endLine": edit.end_line, "endColumn": edit.end_column}
    return {"deletedRegion": region, "insertedContent": {"text": edit.new_text}}
