"""Edits of lines: join, cut, another indentation, the end of a block."""

from __future__ import annotations

from collections.abc import Iterator

from jamkey.languages.scan import PAIRS, scan
from jamkey.repair.ground import COST, Edit, Ground

#: What it is worth that a block's end steps over the level of another block, which nothing ends.
_SKIPPED = 1.0
#: What joining two lines is worth, and costs, at most by how usual the tokens around are then.
_MOST_GAIN = 3.0


def lines(ground: Ground) -> Iterator[Edit]:
    """Join a line with the next, cut one in two, double or close a bracket at the end of a line."""
    for line, off in ground.lines.items():
        end = ground.starts[line] - 1
        commented = any(token.sort == "comment" and token.line == line for token in ground.tokens)
        if line < len(ground.rows) and not commented:
            after = ground.starts[line] + len(ground.indent(line + 1))
            gain = _gain_of_join(ground, end)
            yield Edit("join", end, after, " ", COST["join"] + off + gain + 1.0)
            glued = ground.text[end - 1 : end].isalnum() and ground.text[after : after + 1].isalnum()
            if not glued:
                yield Edit("join", end, after, "", COST["join"] + off + gain + 1.5)
        indent = ground.indent(line)
        if indent == " ":
            # the blank that is left where the end of an empty line went
            begin = ground.starts[line - 1]
            for step, level in enumerate(dict.fromkeys(["", *levels(ground, line)])):
                yield Edit("cut", begin, begin + 1, f"\n{level}", COST["insert"] + off + 1.0 + 0.5 * step)
        for place, token in enumerate(ground.code):
            if place == 0 or token.line != line or token.sort == "line" or ground.code[place - 1].line != line:
                continue
            before = ground.code[place - 1]
            if ground.text[before.end : token.start].strip():
                continue
            a, b, c, d = ground.words[place : place + 4]
            gain = ground.usual.of([a, b, "L", c, d]) - ground.usual.of([a, b, c, d])
            standing = dict.fromkeys(
                [
                    indent,
                    *levels(ground, line),
                    *([indent + unit_of(ground)] if before.text in (":", "{", "then", "do") else []),
                ]
            )
            for step, level in enumerate(standing):
                if gain < 9.0 and step < 4:
                    yield Edit("cut", before.end, token.start, "\n" + level, COST["insert"] + off + gain + 0.5 * step)
    marks = scan(ground.text, ground.language.style)
    missing = "".join(PAIRS[mark.text] for mark in reversed(marks.unclosed[-4:]))
    if missing:
        for line in [*ground.lines, len(ground.rows)]:
            end = ground.starts[line - 1] + len(ground.rows[line - 1].rstrip())
            off = ground.lines.get(line, 1.0)
            opener = marks.unclosed[-1]
            if line > opener.line:
                text = f"{ground.indent(opener.line)}{missing}"
                where = ground.starts[line] - 1
                yield Edit("line", where, where, f"\n{text}", COST["insert"] + off + 0.8)
            for closers in dict.fromkeys((missing, missing[:1])):
                for behind in ("", ":", ";") if ground.rows[line - 1].strip() else ("",) if ground.rows[line - 1] else ():
                    at = end - len(behind) if behind and ground.rows[line - 1].rstrip().endswith(behind) else end
                    yield Edit("insert", at, at, closers, COST["insert"] * len(closers) + off + 0.3)
    line = ground.line
    if 0 < line <= len(ground.rows) and len(ground.rows) > 1:
        begin = ground.starts[line - 1]
        yield Edit("line", begin, min(ground.starts[line], len(ground.text)), "", 9.0 + COST["line"])


def _gain_of_join(ground: Ground, end: int) -> float:
    """Return how much less usual the tokens around the end of a line are without it, within bounds."""
    place = ground.places.get(end)
    if place is None:
        return 0.0
    a, b, c, d, e = ground.words[place : place + 5]
    return max(min(ground.usual.of([a, b, d, e]) - ground.usual.of([a, b, c, d, e]), _MOST_GAIN), -_MOST_GAIN)


def indented(ground: Ground) -> Iterator[Edit]:
    """Another indentation for a line, or for it and what stands below it; a body where there is none."""
    for line in sorted(ground.lines):
        off = ground.lines[line]
        row = ground.rows[line - 1]
        if not row.strip():
            continue
        stack = levels(ground, line)
        own = ground.indent(line)
        begin = ground.starts[line - 1]
        above = _above(ground, line)
        opened = above is not None and ground.rows[above - 1].split("#")[0].rstrip().endswith(":")
        unit = unit_of(ground)
        wanted = dict.fromkeys([*stack, *([ground.indent(above) + unit] if above is not None else []), own + unit])
        last = _block_end(ground, line)
        for indent in wanted:
            if indent == own:
                continue
            fits = opened == (above is not None and len(indent) > len(ground.indent(above)))
            shift = abs(len(indent) - len(own)) / max(len(unit), 1)
            cost = (
                COST["indent"]
                + off
                + (0.0 if fits else 3.0)
                + 0.4 * shift
                + (0.0 if above is not None and indent == ground.indent(above) else 0.6)
            )
            yield Edit("indent", begin, begin + len(own), indent, cost)
            if last > line:
                more = []
                for below in range(line + 1, last + 1):
                    if ground.rows[below - 1].strip():
                        inner = ground.indent(below)
                        deeper = indent + inner[len(own) :] if inner.startswith(own) else indent
                        more.append((ground.starts[below - 1], ground.starts[below - 1] + len(inner), deeper))
                yield Edit("indent", begin, begin + len(own), indent, cost + 0.3, tuple(more))
        if opened and above is not None:
            at = ground.starts[above] - 1
            yield Edit("line", at, at, f"\n{ground.indent(above)}{unit}pass", COST["line"] + off + 1.0)
        if own and above is not None and not opened:
            # several lines that stand alike, moved together
            more = []
            for below in range(line + 1, len(ground.rows) + 1):
                inner = ground.indent(below)
                if not ground.rows[below - 1].strip():
                    continue
                if len(inner) < len(own):
                    break
                deeper = ground.indent(above) + inner[len(own) :]
                more.append((ground.starts[below - 1], ground.starts[below - 1] + len(inner), deeper))
            if more:
                yield Edit("indent", begin, begin + len(own), ground.indent(above), COST["indent"] + off + 0.8, tuple(more))
    row = ground.rows[ground.line - 1]
    if row.rstrip().endswith(":"):
        at = ground.starts[ground.line] - 1
        yield Edit("line", at, at, f"\n{ground.indent(ground.line)}{unit_of(ground)}pass", COST["line"])


def unit_of(ground: Ground) -> str:
    """Return one step of indentation as the text has it."""
    for row in ground.rows:
        if row[:1] in (" ", "\t") and row.strip():
            return "\t" if row[0] == "\t" else " " * min(8, len(row) - len(row.lstrip(" ")) or 4)
    return "    "


def _above(ground: Ground, line: int) -> int | None:
    return next((above for above in range(line - 1, 0, -1) if ground.rows[above - 1].strip()), None)


def levels(ground: Ground, line: int) -> list[str]:
    """Return the indentations of the blocks that are open above a line."""
    found: list[str] = []
    width = 10**6
    for above in range(line - 1, 0, -1):
        if ground.rows[above - 1].strip() and ground.width(above) < width:
            width = ground.width(above)
            found.append(ground.indent(above))
            if not width:
                break
    return found


def _block_end(ground: Ground, line: int) -> int:
    last = line
    for below in range(line + 1, len(ground.rows) + 1):
        if ground.rows[below - 1].strip():
            if ground.width(below) < ground.width(line):
                break
            last = below
    return last


def _closes(ground: Ground, line: int) -> bool:
    """Tell a line that ends a block, or begins its next part."""
    return ground.rows[line - 1].strip().startswith(("}", "end", ")", "else", "elseif", "until", "catch", "]"))


def block_ends(ground: Ground) -> Iterator[Edit]:
    """A word or bracket that ends a block, on a line of its own where the text stands further out again."""
    word = {"lua": ["end"], "octave": ["end", "endif", "endfor", "endwhile", "endfunction"], "julia": ["end"]}.get(
        ground.language.name, ["}"]
    )
    places: dict[int, float] = {}
    for line in range(1, len(ground.rows) + 1):
        if not ground.rows[line - 1].strip():
            continue
        above = _above(ground, line)
        if above is not None and ground.width(line) < ground.width(above):
            places[line] = 1.0 + 0.02 * abs(line - ground.line)
            if not _closes(ground, line):
                places[line] -= 0.8
        elif above is not None and line == ground.line:
            places[line] = 2.0
    if len(places) > 60:
        places = dict(sorted(places.items(), key=lambda item: item[1])[:60])
    for line, cost in places.items():
        above = _above(ground, line)
        if above is None:
            continue
        standing = [level for level in levels(ground, above + 1) if len(level) >= len(ground.indent(line))]
        standing = [
            level
            for level in dict.fromkeys([*standing, ground.indent(line)])
            if len(level) < ground.width(above) or level == ground.indent(line)
        ]
        at = ground.starts[above]
        for level in standing[:3]:
            for closing in word[:3]:
                exact = 0.0 if level == ground.indent(line) else 0.8
                if _closes(ground, line) and ground.width(line) < len(level.expandtabs(8)) < ground.width(above):
                    exact = -_SKIPPED
                yield Edit("line", at, at, f"{level}{closing}\n", COST["insert"] + cost + exact + 0.5 * word.index(closing))
    for line in range(max(ground.line - 60, 1), min(ground.line + 20, len(ground.rows)) + 1):
        row = ground.rows[line - 1]
        if row and not row.strip():
            # a line of blanks only: as if something had stood there
            at = ground.starts[line - 1] + len(row)
            for closing in word[:3]:
                yield Edit(
                    "line", at, at, closing, COST["insert"] + 0.5 + 0.02 * abs(line - ground.line) + 0.5 * word.index(closing)
                )
    end = len(ground.text.rstrip("\n"))
    for closing in word:
        yield Edit("line", end, end, f"\n{closing}", COST["insert"] + 1.2 + 0.5 * word.index(closing))
    for line in ground.lines:
        stripped = ground.rows[line - 1].strip()
        if stripped in ("end", "}", ")", "endif", "endfor", "endwhile", "endfunction", "end;", "};", "});"):
            yield Edit(
                "line",
                ground.starts[line - 1],
                min(ground.starts[line], len(ground.text)),
                "",
                COST["delete"] + ground.lines[line],
            )
