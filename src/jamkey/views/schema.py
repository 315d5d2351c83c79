"""Write the JSON schema of the report: `python -m jamkey.views.schema PATH`."""

from __future__ import annotations

import sys
from pathlib import Path

import msgspec

from jamkey.model import Report


def schema() -> str:
    """Return the schema (JSON Schema 2020-12), generated from the types."""
    data = msgspec.json.schema(Report)
    data["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    data["title"] = "Jam Key report, form jamkey/1"
    return msgspec.json.format(msgspec.json.encode(data, order="sorted"), indent=2).decode() + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(schema(), encoding="utf-8")
