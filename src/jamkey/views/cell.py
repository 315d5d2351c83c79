"""A reading as the output of a notebook cell: a piece of HTML that takes the notebook's own colours; no script."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

from jamkey.follow.sources import Sources
from jamkey.model import Jam
from jamkey.views.outline import outline
from jamkey.views.page import room


def render_cell(jam: Jam, sources: Sources) -> str:
    """Return the reading as a piece of HTML, all text escaped."""
    return str(_template().render(view=outline(jam, sources)))


@cache
def _template() -> Any:
    return room().from_string((Path(__file__).parent / "templates" / "cell.html").read_text(encoding="utf-8"))
