"""Write another form of dates: the one that the message, the values or the data have."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.follow.data_places import cells_of_files
from jamkey.languages.base import Part
from jamkey.tables.sorts import sort_of
from jamkey.turns.base import Ground, Made, Plain

_FORM = re.compile(r"%[YymdbBHMSjp]")
_SECONDS = re.compile(r":\d\d:\d\d$")
#: Forms tried at one place.
_MOST = 6


class Form(Plain):
    """`"%Y-%m-%d"` becomes `"%d.%m.%Y"`; a call that takes a form is given one."""

    def at_part(self, part: Part, ground: Ground) -> Iterator[Made]:
        """Propose the forms of what was read."""
        if part.sort == "text" and _FORM.search(part.source) and part.source[:1] in "'\"":
            for form in _forms(ground):
                if form != part.source[1:-1]:
                    yield Made("form:other", part.span, part.source[0] + form + part.source[-1])
            return
        formed, words = ground.words.get("formed", ""), part.arguments if part.sort == "call" else []
        if not formed or not words or part.source[-1:] != ")" or any(keyword == "format" for keyword, _ in words):
            return
        seen = ground.seen(part.child("callee") or part)
        if seen is not None and seen.takes is not None and "format" not in seen.takes:
            return
        if seen is None and "date" not in part.called.lower():
            return
        for form in _forms(ground):
            yield Made("form:given", part.span, f"{part.source[:-1].rstrip(', ')}, {formed.format(form)})")


def _forms(ground: Ground) -> list[str]:
    """Return the forms of the dates that are at hand, those that the message tells first."""
    found: list[str] = []
    for text in [*ground.told, *cells_of_files(ground.scene.sources)]:
        sort = sort_of(text)
        if sort.startswith("date:"):
            form = sort[5:] + (":%S" if sort.endswith("%H:%M") and _SECONDS.search(text.strip()) else "")
            if "T" in text and " %H" in form:
                form = form.replace(" %H", "T%H")
            found += [form, form.replace("%d/%m", "%m/%d")] if "%d/%m" in form else [form]
    return list(dict.fromkeys(found))[:_MOST]


TURN = Form()
