"""Broken grammar: before -> after; every key is read, and what a person would write is among them."""

from __future__ import annotations

import pytest

from jamkey.follow.sources import Sources
from jamkey.languages.python import LANGUAGE
from jamkey.model import Frame, Jam, Root
from jamkey.pipeline import diagnose, named
from jamkey.text import splice

FILE = "hives.py"


def jam_of(text: str) -> Jam:
    """Let this interpreter refuse the text, and make the jam of it."""
    try:
        compile(text, FILE, "exec")
    except SyntaxError as error:
        frame = Frame(file=FILE, line=error.lineno, column=error.offset)
        return named(
            Jam(runtime="python", phase="compile", exception_type=type(error).__name__, message=error.msg, frames=(frame,))
        )
    raise AssertionError("this text is accepted")


def mended(before: str) -> tuple[list[str], Jam]:
    jam = diagnose(jam_of(before), Sources(texts={FILE: before}))
    assert jam.keys, "no key"
    return [splice(before, key.edits) for key in jam.keys], jam


CASES = {
    "missing colon": ("def gain(a)\n    return a\n", "def gain(a):\n    return a\n"),
    "missing colon after else": ("if 1:\n    x = 1\nelse\n    x = 2\n", "if 1:\n    x = 1\nelse:\n    x = 2\n"),
    "semicolon for colon": ("for n in [1];\n    print(n)\n", "for n in [1]:\n    print(n)\n"),
    "compare": ("x = 3\nif x = 3:\n    print(x)\n", "x = 3\nif x == 3:\n    print(x)\n"),
    "swap sides": ("a = [1]\nsum(a) = total\n", "a = [1]\ntotal = sum(a)\n"),
    "print": ("n = 3\nprint n\n", "n = 3\nprint(n)\n"),
    "print twice": ("print 'a', 1\nfor n in [1]:\n    print n\n", "print('a', 1)\nfor n in [1]:\n    print(n)\n"),
    "unclosed call": ("print(sum([1, 2])\n", "print(sum([1, 2]))\n"),
    "unclosed before colon": ("if (len([1]) > 0:\n    pass\n", "if (len([1]) > 0):\n    pass\n"),
    "unclosed list over lines": ("a = [\n    1,\n    2,\n\nprint(a)\n", "a = [\n    1,\n    2,\n]\nprint(a)\n"),
    "wrong closer": ("a = [(1, 2)\n)\nprint(a)\n", "a = [(1, 2)\n]\nprint(a)\n"),
    "extra closer": ("print(len([1])))\n", "print(len([1]))\n"),
    "missing comma": ("a = [1, 2 3]\n", "a = [1, 2, 3]\n"),
    "missing comma at line end": ('a = ["x",\n     4\n     5]\n', 'a = ["x",\n     4,\n     5]\n'),
    "quote": ('a = ["oak, "elm"]\n', None),
    "quote at end": ('name = "oak\nprint(name)\n', 'name = "oak"\nprint(name)\n'),
    "quote before comma": ('d = {\n    "oak": "old tree,\n}\n', 'd = {\n    "oak": "old tree",\n}\n'),
    "mixed quotes": ("name = 'oak\"\n", "name = 'oak'\n"),
    "apostrophe": ("text = 'it's warm'\n", "text = 'it\\'s warm'\n"),
    "long text": (
        'def f():\n    """Height of the hive.\n    return 1\n\n\nprint(f())\n',
        'def f():\n    """Height of the hive."""\n    return 1\n\n\nprint(f())\n',
    ),
    "curly quotes": ('a = [“oak”, "elm"]\n', 'a = ["oak", "elm"]\n'),
    "look-alike minus": ("a = 5 − 3\n", "a = 5 - 3\n"),
    "body not indented": ("for n in [1]:\nprint(n)\n", "for n in [1]:\n    print(n)\n"),
    "unexpected indent": ("a = 1\n    b = 2\n", "a = 1\nb = 2\n"),
    "no level": ("def f():\n    a = 1\n   return a\n", "def f():\n    a = 1\n    return a\n"),
    "tabs": ("def f():\n        a = 1\n\treturn a\n", "def f():\n        a = 1\n        return a\n"),
    "fell out of the branch": (
        "if 1:\n    a = 1\nb = 2\nelse:\n    a = 3\n",
        "if 1:\n    a = 1\n    b = 2\nelse:\n    a = 3\n",
    ),
    "return outside": ("def f():\n    a = 1\nreturn a\n", "def f():\n    a = 1\n    return a\n"),
    "misspelt keyword": ("n = 3\nwhlie n:\n    n -= 1\n", "n = 3\nwhile n:\n    n -= 1\n"),
    "keyword in capitals": ("If 1:\n    pass\n", "if 1:\n    pass\n"),
    "misspelt def": ("dfe f():\n    pass\n", "def f():\n    pass\n"),
    "keyword as name": ("class = 3\nprint(class)\n", "class_ = 3\nprint(class_)\n"),
    "else if": ("if 0:\n    pass\nelse if 1:\n    pass\n", "if 0:\n    pass\nelif 1:\n    pass\n"),
    "leading zero": ("h = [06, 9]\n", "h = [6, 9]\n"),
    "increment": ("n = 1\nn++\n", "n = 1\nn += 1\n"),
    "and": ("if 1 && 2:\n    pass\n", "if 1 and 2:\n    pass\n"),
    "not": ("if !1:\n    pass\n", "if not 1:\n    pass\n"),
    "greater or equal": ("if 1 => 2:\n    pass\n", "if 1 >= 2:\n    pass\n"),
    "old except": ("try:\n    pass\nexcept ValueError, e:\n    pass\n", "try:\n    pass\nexcept ValueError as e:\n    pass\n"),
    "old raise": ('raise ValueError, "no"\n', 'raise ValueError("no")\n'),
    "def without parentheses": ("def f:\n    pass\n", "def f():\n    pass\n"),
    # the parser takes the second: what is subtracted there is the next failure
    "hyphen in a name": ("hive-weight = 3\nprint(hive-weight)\n", "hive_weight = 3\nprint(hive-weight)\n"),
    "import from": ("import sqrt from math\n", "from math import sqrt\n"),
    "key without colon": ('d = {"oak" 1}\n', None),
    "await outside": ("def f():\n    await g()\n", "async def f():\n    await g()\n"),
    "f-string brace": ('n = 1.5\nprint(f"{n:.1f m")\n', 'n = 1.5\nprint(f"{n:.1f} m")\n'),
}


@pytest.mark.parametrize("name", CASES)
def test_mended(name: str) -> None:
    before, after = CASES[name]
    texts, jam = mended(before)
    assert LANGUAGE.first_error(texts[0]) is None
    if after is not None:  # else several ways are as good
        assert after in texts[:6]
    assert jam.roots and jam.meaning.startswith("Nothing has run")


@pytest.mark.parametrize(
    ("before", "line"),
    [
        ("a = [\n    1,\n    2,\n\nb = 3\nprint(b)\n", 1),
        ("if 1:\n    a = 1\nb = 2\nelse:\n    a = 3\n", 3),
        ('def f():\n    """Doc\n    return 1\n\n\nprint(f())\n', 2),
        ("a = (1,\n     2\nb = 3\nc = 4\n", 2),  # where the edit begins
    ],
)
def test_the_root_is_where_the_mistake_began(before: str, line: int) -> None:
    _, jam = mended(before)
    root: Root = jam.roots[0]
    assert (root.file, root.line) == (FILE, line)


def test_a_text_beyond_help_still_has_a_reading() -> None:
    before = ")(" * 40 + "\n" + "@@ ?? $$\n" * 5
    jam = diagnose(jam_of(before), Sources(texts={FILE: before}))
    assert jam.meaning
    assert jam.roots[-1].line == 1


def test_old_versions_refuse_what_this_one_accepts() -> None:
    """The text is fine for this parser; the keys are offered without its judgement."""
    text = 'd = {"pear": 3}\nname = "x"\nprint(f"pears: {d["pear"]}")\n'
    frame = Frame(file=FILE, line=3, column=22)
    jam = named(Jam(runtime="python", phase="compile", exception_type="SyntaxError", message="invalid syntax", frames=(frame,)))
    done = diagnose(jam, Sources(texts={FILE: text}))
    row = splice(text, done.keys[0].edits).splitlines()[2]
    assert row in ("print(f\"pears: {d['pear']}\")", "print(f'pears: {d[\"pear\"]}')")


def test_javascript_block_left_open() -> None:
    text = "function f(a) {\n  if (a) {\n    return 1;\n  return 2;\n}\n\nconsole.log(f(1));\n"
    frame = Frame(file="hives.js", line=8, source=None)
    jam = named(
        Jam(
            runtime="javascript",
            phase="compile",
            exception_type="SyntaxError",
            message="Unexpected end of input",
            frames=(frame,),
        )
    )
    done = diagnose(jam, Sources(texts={"hives.js": text}))
    assert splice(text, done.keys[0].edits) == text.replace("    return 1;\n", "    return 1;\n  }\n")
    assert done.roots[0].line == 3, "the line below which the brace is missing"
