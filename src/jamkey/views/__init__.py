"""JAM -> FORM: every view is fed by the same outline of the same jam."""

from __future__ import annotations

from jamkey.shelf import Shelf

#: File ending -> function (jams, sources) -> text.
SHELF = Shelf(
    {
        ".json": "jamkey.views.json:render",
        ".html": "jamkey.views.page:render",
        ".md": "jamkey.views.markdown:render",
        ".sarif": "jamkey.views.sarif:render",
        ".jsonl": "jamkey.views.log_events:render",
        ".txt": "jamkey.views.terminal:render_plain",
    },
    group="jamkey.views",
)
