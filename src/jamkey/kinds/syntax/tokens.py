"""Words and operators: a missing colon, `=` for `==`, keywords misspelt or used as names, other languages' forms."""

from __future__ import annotations

import re
from collections.abc import Iterator

from jamkey.kinds.similar import nearest
from jamkey.kinds.syntax.sheet import Page, Suggestion

_OPENERS = ("if", "elif", "else", "for", "while", "def", "class", "try", "except", "finally", "with", "async", "match", "case")
_OPERATORS = {"&&": " and ", "||": " or ", "<>": "!=", "=<": "<=", "=>": ">=", "=!": "!=", "===": "==", "!==": "!="}
_OPERAND = r"""(?:[\w.]+|"[^"\n]*"|'[^'\n]*'|[)\]}])"""
_ADJACENT = re.compile(rf"""({_OPERAND})(\s+)(?=[\w"'(\[{{])""")
_WORDS = set(
    """
    and or not in is if else for lambda await async from import as return yield print def class elif while with del
    global nonlocal raise assert except new const let var function of typeof
""".split()
)


def suggest(page: Page) -> Iterator[Suggestion]:
    """Propose the word, colon, comma or operator that is missing or off."""
    if page.is_python:
        for line in page.near():
            yield from _colon(page, line)
            yield from _equals(page, line)
            yield from _print(page, line)
            yield from _old_forms(page, line)
            yield from _keyword(page, line)
            yield from _keyword_as_name(page, line)
            yield from _numbers(page, line)
            yield from _swap_sides(page, line)
            yield from _increments(page, line)
            yield from _parentheses(page, line)
            yield from _async(page, line)
    for line in page.near():
        yield from _operators(page, line)
        yield from _comma(page, line)


def _less(page: Page, line: int) -> float:
    """Lines above the one where the parser gave up are a little less likely."""
    return 0.0 if line == page.line else 0.04


def _first_word(row: str) -> str:
    match = re.match(r"\s*([A-Za-z_]\w*)", row)
    return match[1] if match else ""


def _colon(page: Page, line: int) -> Iterator[Suggestion]:
    row = page.row(line)
    word = _first_word(row)
    end = page.code_end(line)
    body = row[: end - 1].rstrip()
    if word not in _OPENERS or not body:
        return
    if not body.endswith(":"):
        swap = body[-1] in ";,." and 1
        yield Suggestion(
            "add-colon",
            f"Put a colon at the end of line {line}",
            f"a line that begins with `{word}` ends with a colon",
            0.95 - _less(page, line),
            (page.edit(line, len(body) + 1 - int(swap), len(body) + 1, ":"),),
            line,
        )
        # the body on the same line: `if x print(x)`, `else print(x)`
        for match in re.finditer(r"[\w)\]\"'] +(?=[A-Za-z_]\w* *[(=]|return\b|pass\b|break\b|continue\b)", body):
            yield Suggestion(
                "add-colon-inside",
                f"Put a colon before `{body[match.end() :][:20]}` on line {line}",
                f"what follows `{word}` needs a colon before its body",
                0.7 - _less(page, line),
                (page.put(line, match.start() + 2, ":"),),
                line,
            )


def _equals(page: Page, line: int) -> Iterator[Suggestion]:
    row = page.row(line)
    if _first_word(row) not in ("if", "elif", "while", "assert", "return") and " if " not in row:
        return
    for match in re.finditer(r"(?<![=!<>:+\-*/%&|^])=(?!=)", row):
        yield Suggestion(
            "compare",
            f"Compare with `==` on line {line}",
            "a single `=` gives a name a value; `==` compares",
            0.94 - _less(page, line),
            (page.edit(line, match.start() + 1, match.end() + 1, "=="),),
            line,
        )


def _print(page: Page, line: int) -> Iterator[Suggestion]:
    """Turn print and exec statements of old versions into calls, in the whole file at once."""
    row = page.row(line)
    if not re.match(r"\s*(?:.*:\s*)?(?:print|exec)\b(?!\s*\()", row) and not re.search(r"\bprint\s+[\w\"']", row):
        return
    edits = []
    for number in range(1, len(page.rows) + 1):
        match = re.match(r"(\s*(?:(?:if|else|elif|for|while)\b.*:\s*)?)(print|exec)(\s+)(?![=(])(.*)$", page.row(number))
        if match is None:
            if page.row(number).strip() == "print":
                edits.append(page.put(number, len(page.row(number)) + 1, "()"))
            continue
        end = page.code_end(number)
        start = match.end(2) + 1
        inside = page.row(number)[start - 1 : end - 1].strip()
        tail = ")"
        if inside.startswith(">>"):
            target, _, rest = inside[2:].partition(",")
            inside, tail = rest.strip(), f", file={target.strip()})"
        if inside.endswith(","):
            inside, tail = inside[:-1], ', end=" ")'
        edits.append(page.edit(number, start, end, f"({inside}{tail}"))
    if edits:
        yield Suggestion(
            "print-as-call", "Put what is printed in parentheses", "in Python 3 `print` is a function", 0.96, tuple(edits), line
        )


def _old_forms(page: Page, line: int) -> Iterator[Suggestion]:
    """`except A, e:` and `raise A, text` of old versions; `else if`."""
    row = page.row(line)
    match = re.match(r"\s*except\s+([\w.]+)\s*,\s*(\w+)\s*:", row)
    if match:
        start = match.end(1) + 1
        yield Suggestion(
            "except-as",
            f"Write `except {match[1]} as {match[2]}:`",
            "the comma was the old way",
            0.94,
            (page.edit(line, start, match.end(2) + 1, f" as {match[2]}"),),
            line,
        )
        yield Suggestion(
            "except-both",
            f"Put both types in parentheses: `except ({match[1]}, {match[2]}):`",
            "several types stand in parentheses",
            0.7,
            (page.edit(line, match.start(1) + 1, match.end(2) + 1, f"({match[1]}, {match[2]})"),),
            line,
        )
    match = re.match(r"\s*raise\s+([\w.]+)\s*,\s*(.+)$", row)
    if match:
        yield Suggestion(
            "raise-call",
            f"Write `raise {match[1]}(...)`",
            "the comma was the old way",
            0.94,
            (page.edit(line, match.end(1) + 1, len(row.rstrip()) + 1, f"({match[2].strip()})"),),
            line,
        )
    match = re.match(r"\s*(else\s+if|elseif|elsif)\b", row)
    if match:
        yield Suggestion(
            "elif",
            f"Write `elif` on line {line}",
            f"Python writes `elif` for `{match[1]}`",
            0.96,
            (page.edit(line, match.start(1) + 1, match.end(1) + 1, "elif"),),
            line,
        )
    match = re.match(r"\s*(function|func|fn|sub)\s+\w+\s*\(", row)
    if match:
        yield Suggestion(
            "def",
            "Write `def` for a function",
            f"Python writes `def` for `{match[1]}`",
            0.9,
            (page.edit(line, match.start(1) + 1, match.end(1) + 1, "def"),),
            line,
        )


def _keyword(page: Page, line: int) -> Iterator[Suggestion]:
    """A keyword misspelt or in the wrong case: the first word, or one between two operands."""
    row = page.row(line)
    keywords = page.language.keywords
    for match in re.finditer(r"[A-Za-z_]\w*", row):
        word = match[0]
        if word in keywords or '"' in row[: match.start()] or "'" in row[: match.start()]:
            continue
        first = not row[: match.start()].strip()
        follows = row[match.end() :]
        if not first and not re.match(r"\s+[\w\"'(\[]", follows):
            continue
        if first and not re.match(r"\s*:|\s+[\w\"'(\[{-]", follows):
            continue
        for meant, score in nearest(word, keywords, most=2, least=0.6):
            if first or meant in ("in", "and", "or", "not", "if", "else", "for", "is", "import", "as", "lambda"):
                yield Suggestion(
                    f"keyword-{meant}",
                    f"Write `{meant}` instead of `{word}` on line {line}",
                    f"the keyword is `{meant}`",
                    0.5 + 0.45 * score - _less(page, line),
                    (page.edit(line, match.start() + 1, match.end() + 1, meant),),
                    line,
                )


def _keyword_as_name(page: Page, line: int) -> Iterator[Suggestion]:
    """A reserved word used as a name: call it something else everywhere."""
    row = page.row(line)
    names = [m[1] for m in re.finditer(r"\b([A-Za-z_]+)\s*(?:=(?!=)|[+\-*/]=|,\s*\w+\s*=(?!=))", row)]
    names += [m[1] for m in re.finditer(r"[(,]\s*([A-Za-z_]+)\s*[,)=]", row)]
    names += [m[1] for m in re.finditer(r"\.([A-Za-z_]+)", row)]
    names += [m[1] for m in re.finditer(r"\bfor\s+([A-Za-z_]+)\s+in\b", row)]
    for word in dict.fromkeys(names):
        if word not in page.language.keywords or word in ("None", "True", "False", "match", "case", "lambda", "not", "await"):
            continue
        edits = []
        for number in range(1, len(page.rows) + 1):
            text = page.row(number)
            for match in re.finditer(rf"\b{re.escape(word)}\b", text):
                after = text[match.end() :]
                before = text[: match.start()]
                statement = not before.strip() and re.match(r"\s+[A-Za-z_(\"'\[{]|\s*:|\s*$", after)
                within = before.count('"') % 2 or before.count("'") % 2
                infix = word in ("in", "is", "and", "or", "if", "else", "for", "as", "import", "from")
                if (
                    statement
                    or within
                    or (infix and re.search(r"[\w)\]\"']\s+$", before) and re.match(r"\s+[\w(\[\"']", after))
                ):
                    continue
                edits.append(page.edit(number, match.start() + 1, match.end() + 1, word + "_"))
        if edits:
            yield Suggestion(
                "rename-keyword",
                f"Call it `{word}_` instead of `{word}`",
                f"`{word}` is a word of the language itself",
                0.93,
                tuple(edits),
                line,
            )


def _numbers(page: Page, line: int) -> Iterator[Suggestion]:
    row = page.row(line)
    found = list(re.finditer(r"(?<![\w.])0+(\d+)(?![\w.])", row))
    edits = tuple(page.edit(line, m.start() + 1, m.end() + 1, m[1].lstrip("0") or "0") for m in found if set(m[0]) != {"0"})
    if edits:
        yield Suggestion(
            "no-leading-zero",
            f"Leave out the leading zero on line {line}",
            "a whole number is written without zeros before it",
            0.95,
            edits,
            line,
        )
    for match in re.finditer(r"(?<![\w.])(\d[\d]*)([A-Za-z_]\w*)", row):
        if match[2].lower() not in ("e", "j", "x", "b", "o", "l") and not re.match(
            r"[eE]\d|[jJ]$|[xXbBoO][\da-fA-F]", match[2]
        ):
            yield Suggestion(
                "name-not-digit-first",
                f"Begin the name with a letter: `{match[2]}{match[1]}`",
                "a name cannot begin with a digit",
                0.75,
                (page.edit(line, match.start() + 1, match.end() + 1, f"{match[2].strip('_')}{match[1]}"),),
                line,
            )


def _swap_sides(page: Page, line: int) -> Iterator[Suggestion]:
    """`f(x) = y`: the name to set stands left."""
    row = page.row(line)
    match = re.match(r"(\s*)([^=]+?)\s*=\s*([A-Za-z_]\w*)\s*(?:#.*)?$", row)
    if match and ("assign" in page.message or "syntax" in page.message) and not re.fullmatch(r"[A-Za-z_]\w*", match[2].strip()):
        yield Suggestion(
            "swap-sides",
            f"Write `{match[3]} = {match[2].strip()}`",
            "the name that gets the value stands left of the `=`",
            0.93,
            (page.edit(line, match.end(1) + 1, match.end(3) + 1, f"{match[3]} = {match[2].strip()}"),),
            line,
        )
    match = re.match(r"\s*([A-Za-z_]\w*-[A-Za-z_]\w*(?:-\w+)*)\s*=(?!=)", row)
    if match:
        name = match[1]
        new = name.replace("-", "_")
        edits = []
        for number in range(1, len(page.rows) + 1):
            for use in re.finditer(rf"(?<![\w-]){re.escape(name)}(?![\w-])", page.row(number)):
                edits.append(page.edit(number, use.start() + 1, use.end() + 1, new))
        yield Suggestion(
            "underscore-name", f"Write the name as `{new}`", "a hyphen in a name reads as minus", 0.94, tuple(edits), line
        )


def _increments(page: Page, line: int) -> Iterator[Suggestion]:
    row = page.row(line)
    match = re.search(r"\b([A-Za-z_][\w.]*)\s*(\+\+|--)\s*;?\s*$", row)
    if match:
        sign = match[2][0]
        yield Suggestion(
            "step",
            f"Write `{match[1]} {sign}= 1`",
            f"Python has no `{match[2]}`",
            0.95,
            (page.edit(line, match.start() + 1, len(row) + 1, f"{match[1]} {sign}= 1"),),
            line,
        )


def _parentheses(page: Page, line: int) -> Iterator[Suggestion]:
    row = page.row(line)
    match = re.match(r"\s*def\s+\w+(\s*):", row)
    if match:
        yield Suggestion(
            "add-parentheses",
            f"Put `()` behind the name on line {line}",
            "a definition has parentheses, also when empty",
            0.95,
            (page.edit(line, match.start(1) + 1, match.end(1) + 1, "()"),),
            line,
        )
    if "line continuation" in page.message and "\\" in row:
        at = row.index("\\")
        yield Suggestion(
            "no-backslash",
            f"Take out the backslash on line {line}",
            "it means that the line goes on below",
            0.8,
            (page.edit(line, at + 1, at + 2, ""),),
            line,
        )
        yield Suggestion(
            "slash",
            f"Write `/` instead of the backslash on line {line}",
            "division is written with `/`",
            0.82,
            (page.edit(line, at + 1, at + 2, "/"),),
            line,
        )
    match = re.match(r"\s*(?:from\s+[\w.]+\s+)?import\s+.*(\*?)$", row)
    if match and re.match(r"\s*import\s+(\w+)\s+from\s+([\w.]+)\s*$", row):
        words = row.split()
        yield Suggestion(
            "from-import",
            f"Write `from {words[3]} import {words[1]}`",
            "the module comes first",
            0.95,
            (page.edit(line, len(row) - len(row.lstrip()) + 1, len(row.rstrip()) + 1, f"from {words[3]} import {words[1]}"),),
            line,
        )


def _async(page: Page, line: int) -> Iterator[Suggestion]:
    if "outside async function" not in page.message and "await" not in page.row(page.line):
        return
    number = line
    while number > 0 and not page.row(number).lstrip().startswith("def "):
        number -= 1
    if number > 0:
        at = len(page.indent(number)) + 1
        yield Suggestion(
            "make-async",
            f"Make the function of line {number} `async def`",
            "`await` works only in such a function",
            0.9,
            (page.put(number, at, "async "),),
            number,
        )


def _operators(page: Page, line: int) -> Iterator[Suggestion]:
    row = page.row(line)
    if not page.is_python:
        return
    for sign in sorted(_OPERATORS, key=len, reverse=True):
        if sign in row:
            new = _OPERATORS[sign]
            text = row
            at = text.find(sign)
            edits = []
            while at >= 0:
                left = at - (1 if new.startswith(" ") and text[at - 1 : at] == " " else 0)
                right = at + len(sign) + (1 if new.endswith(" ") and text[at + len(sign) : at + len(sign) + 1] == " " else 0)
                edits.append(page.edit(line, left + 1, right + 1, new))
                at = text.find(sign, at + len(sign))
            yield Suggestion(
                f"operator-{new.strip()}",
                f"Write `{new.strip()}` instead of `{sign}` on line {line}",
                f"Python writes `{new.strip()}`",
                0.94 - _less(page, line),
                tuple(edits),
                line,
            )
            break
    match = re.search(r"(?<![=!<>])!(?=\s*[\w(])", row)
    if match:
        yield Suggestion(
            "operator-not",
            f"Write `not` instead of `!` on line {line}",
            "Python writes `not`",
            0.9,
            (page.edit(line, match.start() + 1, match.end() + 1, "not "),),
            line,
        )


def _comma(page: Page, line: int) -> Iterator[Suggestion]:
    """Two operands side by side: a comma between them; at line ends inside brackets too."""
    row = page.row(line)
    end = page.code_end(line)
    body = row[: end - 1]
    for match in _ADJACENT.finditer(body):
        before, following = match[1], re.match(r"\w*", body[match.end() :])
        word = following[0] if following else ""
        if before in _WORDS or word in _WORDS or before in page.language.keywords or word in page.language.keywords:
            continue
        opens = body[match.end() : match.end() + 1]
        if (before in ("f", "r", "b", "u") and opens in ("'", '"')) or (
            not page.is_python and before.endswith(")") and opens == "{"
        ):
            continue  # a text's prefix; the body of a function
        near = page.column and line == page.line and abs(match.end() + 1 - page.column) <= 14
        yield Suggestion(
            "add-comma",
            f"Put a comma behind `{before[-20:]}` on line {line}",
            "two items stand side by side without one",
            (0.92 if near or "comma" in page.message else 0.84) - _less(page, line),
            (page.put(line, match.end(1) + 1, ","),),
            line,
        )
        called = re.match(r"[A-Za-z_]\w*\(", body[match.end() :])
        if called and re.match(r"[A-Za-z_]", before):
            yield Suggestion(
                "add-dot",
                f"Put a dot behind `{before[-20:]}` on line {line}",
                f"`{called[0]}...)` is then asked of it",
                0.9 - _less(page, line),
                (page.edit(line, match.end(1) + 1, match.end() + 1, "."),),
                line,
            )
        for rank, sign in enumerate(("+", "*", "-")):
            yield Suggestion(
                f"add-{sign}",
                f"Put a `{sign}` behind `{before[-20:]}` on line {line}",
                "two values stand side by side",
                0.8 - 0.03 * rank - _less(page, line),
                (page.edit(line, match.end(1) + 1, match.end() + 1, f" {sign} "),),
                line,
            )
        if page.is_python and before[:1] in "\"'" and "{" in page.text[: page.text.find(body)] + body:
            yield Suggestion(
                "add-key-colon",
                f"Put a colon behind `{before[-20:]}` on line {line}",
                "in a dictionary a colon follows the key",
                0.86 - _less(page, line),
                (page.put(line, match.end(1) + 1, ":"),),
                line,
            )
    following_line = page.below(line)
    if following_line and body and re.search(r"[\w\"')\]}]$", body) and line <= page.line:
        starts = page.row(following_line).lstrip()[:1]
        if starts.isalnum() or starts in "\"'([{":
            yield Suggestion(
                "add-comma-at-end",
                f"Put a comma at the end of line {line}",
                "the next item follows on the next line",
                0.8 - _less(page, line),
                (page.put(line, end, ","),),
                line,
            )
