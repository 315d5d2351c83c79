"""Kind by kind, before -> after: a real script is run, and the first key, tried on a copy, is the one a colleague would take."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from jamkey.model import Jam
from jamkey.observe.target import script_target
from jamkey.runs.fix_loop import main_jam, run_captured, tried
from jamkey.settings import Settings
from jamkey.text import splice
from tests.conftest import slowness


def first_key(folder: Path, script: str, *, stdin: bytes = b"") -> tuple[Jam, dict[str, str]]:
    """Run, try the keys, and return the jam with the texts that the first key leaves."""
    target = script_target(str(folder / script), [])
    outcome = run_captured(target, folder, stdin=stdin)
    jam = main_jam(outcome)
    assert jam is not None, outcome.ended.stderr.decode()
    for patience in (2.0, 10.0):  # a machine that many tests share may need the more
        searched = tried(outcome, target, jam, settings=Settings(patience=patience * slowness()))
        if searched.keys:
            break
    jam = searched
    assert jam.keys, jam
    files = {}
    for file in {edit.file for edit in jam.keys[0].edits}:
        text = (folder / file).read_text(encoding="utf-8")
        files[file] = splice(text, [edit for edit in jam.keys[0].edits if edit.file == file])
    return jam, files


#: name -> (kind, before, what stands in the mended line)
CASES = {
    "misspelt use": ("unknown-name", "total = 3\nprint(totl)\n", "print(total)"),
    "misspelt definition": (
        "unknown-name",
        "wieght = 3\nprint(weight + 1)\nprint(weight + 2)\nprint(weight * 2)\n",
        "weight = 3",
    ),
    "wrong case": ("unknown-name", "Hive = 3\nprint(hive)\n", "print(Hive)"),
    "missing import": ("unknown-name", "print(math.sqrt(4))\n", "import math"),
    "usual alias": ("unknown-name", "c = Counter('oak')\nprint(c['o'])\n", "from collections import Counter"),
    "constant of another language": ("unknown-name", "ready = true\nprint(ready)\n", "ready = True"),
    "used before defined": (
        "unknown-name",
        "def main():\n    print(gain(2))\n\nmain()\n\ndef gain(n):\n    return n\n",
        "main()",
    ),
    "result dropped": ("unknown-name", "def find():\n    best = 3\n    return best\n\nfind()\nprint(best)\n", "best = find()"),
    "quotes forgotten": ("unknown-name", "d = {'oak': 1}\nprint(d[oak])\n", 'print(d["oak"])'),
    "self forgotten": (
        "unknown-name",
        "class H:\n    def __init__(self):\n        self.kilos = 3\n    def show(self):\n        print(kilos)\nH().show()\n",
        "print(self.kilos)",
    ),
    "module forgotten": ("unknown-name", "import math\nprint(sqrt(4))\n", "print(math.sqrt(4))"),
    "global forgotten": ("unset-name", "count = 0\n\ndef add():\n    count += 1\n\nadd()\nprint(count)\n", "    global count"),
    "nonlocal forgotten": (
        "unset-name",
        "def outer():\n    n = 0\n    def inner():\n        n += 1\n    inner()\n    print(n)\nouter()\n",
        "        nonlocal n",
    ),
    "first value forgotten": (
        "unset-name",
        "def total(a):\n    for x in a:\n        s += x\n    return s\nprint(total([1, 2]))\n",
        "    s = 0",
    ),
    "in-place sort kept": ("missing-value", "a = [3, 1]\na = a.sort()\nprint(a[0])\n", "\na.sort()"),
    "in-place sort returned": (
        "missing-value",
        "def order(a):\n    return a.sort()\n\nfor n in order([2, 1]):\n    print(n)\n",
        "    return sorted(a)",
    ),
    "return forgotten": (
        "missing-value",
        "def total(a):\n    s = 0\n    for x in a:\n        s += x\n\nprint(total([1]) + 1)\n",
        "    return s",
    ),
    "last value dropped": ("missing-value", "def double(n):\n    n * 2\n\nprint(double(2) + 1)\n", "    return n * 2"),
    "default of nothing": (
        "missing-value",
        "def add(n, start=None):\n    return start + n\n\nprint(add(2))\n",
        "def add(n, start=0):",
    ),
    "look-up without default": ("missing-value", "d = {'oak': 1}\nprint(d.get('elm') + 1)\n", "(d.get('elm') or 0) + 1)"),
    "misspelt method": ("no-such-member", "print('oak'.uper())\n", "print('oak'.upper())"),
    "method of another language": ("no-such-member", "a = []\na.push(3)\nprint(a)\n", "a.append(3)"),
    "length as a member": ("no-such-member", "print([1, 2].length)\n", "print(len([1, 2]))"),
    "join the other way": ("no-such-member", "print(['a', 'b'].join('-'))\n", "print('-'.join(['a', 'b']))"),
    "misspelt own member": (
        "no-such-member",
        "class H:\n    def __init__(self):\n        self.depth = 1\nh = H()\nprint(h.dpeth)\n",
        "print(h.depth)",
    ),
    "key as a member": ("no-such-member", "d = {'kilos': 3}\nprint(d.kilos)\n", 'print(d["kilos"])'),
    "class inside its module": (
        "no-such-member",
        "import datetime\nprint(datetime.strptime('2031', '%Y').year)\n",
        "datetime.datetime.strptime",
    ),
    "misspelt key": ("no-such-key", "d = {'weight': 3, 'name': 1}\nprint(d['wieght'])\n", "d['weight']"),
    "key put in under another name": (
        "no-such-key",
        "rows = [{'mins': 3, 'boat': 1}]\nfor r in rows:\n    print(r['minutes'], r['boat'])\n",
        "'minutes': 3",
    ),
    "number for text": (
        "no-such-key",
        "d = {}\nfor w in ['1 a', '2 b']:\n    n, t = w.split()\n    d[n] = t\nprint(d[2])\n",
        "d[int(n)] = t",
    ),
    "counting from nothing": ("no-such-key", "d = {}\nfor c in 'oak':\n    d[c] += 1\nprint(d['o'])\n", "d.setdefault(c, 0)"),
    "one step too far": (
        "index-out-of-range",
        "a = [1, 2, 4]\nfor i in range(len(a)):\n    print(a[i + 1] - a[i])\n",
        "range(len(a) - 1)",
    ),
    "inclusive bound": (
        "index-out-of-range",
        "a = [1, 2]\ni = 0\nwhile i <= len(a):\n    print(a[i])\n    i += 1\n",
        "while i < len(a):",
    ),
    "counting from one": (
        "index-out-of-range",
        "a = [1, 2]\nfor i in range(1, len(a) + 1):\n    print(a[i])\n",
        "range(1, len(a))",
    ),
    "length as index": ("index-out-of-range", "a = [1, 2]\nprint(a[len(a)])\n", "print(a[len(a) - 1])"),
    "taken until empty": (
        "index-out-of-range",
        "a = [1, 2]\nwhile True:\n    print(a.pop())\n    if len(a) > 5: break\n",
        "while a:",
    ),
    "fraction as index": ("bad-index", "a = [1, 2, 3]\ni = len(a) / 2\nprint(a[i])\n", "i = len(a) // 2"),
    "pair as index": ("bad-index", "a = [[1, 2], [3, 4]]\nprint(a[1, 0])\n", "print(a[1][0])"),
    "number joined to text": ("wrong-type", "n = 3\nprint('hives: ' + n)\n", "'hives: ' + str(n)"),
    "number in the middle": ("wrong-type", "n = 3\nprint('a ' + n + ' b')\n", "'a ' + str(n) + ' b'"),
    "function for its result": ("wrong-type", "d = {'a': 1}\nfor v in d.values:\n    print(v)\n", "in d.values():"),
    "number as a sequence": ("wrong-type", "for i in 3:\n    print(i)\n", "for i in range(3):"),
    "list as a key": ("wrong-type", "d = {}\nk = [1, 2]\nd[k] = 3\nprint(len(d))\n", "d[tuple(k)] = 3"),
    "numbers joined": ("wrong-type", "print('-'.join([1, 2]))\n", "'-'.join(map(str, [1, 2]))"),
    "round for square": ("not-callable", "a = [1, 2]\nprint(a(1))\n", "print(a[1])"),
    "hidden builtin": ("not-callable", "sum = 3\nprint(sum([1, 2]))\n", "sum_value = 3"),
    "tuple changed": ("fixed-value", "def row():\n    return (0, 0)\n\na = row()\na[1] = 5\nprint(a[1])\n", "return [0, 0]"),
    "letter changed": ("fixed-value", "s = 'oak'\ns[0] = 'O'\nprint(s)\n", "s = s[:0] + 'O' + s[1:]"),
    "decimal as whole": ("unreadable-value", "print(int('3.75') * 2)\n", "float('3.75')"),
    "decimal comma": ("unreadable-value", "print(float('3,75'))\n", """float('3,75'.replace(",", "."))"""),
    "unit glued on": ("unreadable-value", "print(float('12.5kg'))\n", """.replace("kg", "")"""),
    "word among numbers": (
        "unreadable-value",
        "t = 0\nfor w in ['1', 'n/a', '3']:\n    t += int(w)\nprint(t)\n",
        "if w.isdigit():",
    ),
    "date in another order": (
        "unreadable-value",
        "from datetime import datetime\nF = '%m/%d/%Y'\nprint(datetime.strptime('28/05/2031', F).day)\n",
        "F = '%d/%m/%Y'",
    ),
    "self missing": (
        "wrong-arguments",
        "class H:\n    def add(n):\n        return n\nprint(H().add(3))\n",
        "def add(self, n):",
    ),
    "argument forgotten": (
        "wrong-arguments",
        "def label(hive, day):\n    return hive + day\n\nday = 'mon'\nprint(label('oak'))\n",
        "label('oak', day)",
    ),
    "keyword misspelt": (
        "wrong-arguments",
        "def chart(width=3):\n    return width\n\nprint(chart(widht=4))\n",
        "chart(width=4)",
    ),
    "one too many": ("wrong-arguments", "def one(a):\n    return a\n\nprint(one(1, 2))\n", "one("),
    "misspelt initialiser": (
        "wrong-arguments",
        "class H:\n    def __int__(self, n):\n        self.n = n\nprint(H(3).n)\n",
        "def __init__(self, n):",
    ),
    "wrapper drops names": (
        "wrong-arguments",
        "def log(f):\n    def w(*args):\n        return f(*args)\n    return w\n\n@log\ndef g(a, b=0):\n    return a + b\n\nprint(g(1, b=2))\n",
        "def w(*args, **kwargs):",
    ),
    "split too often": ("wrong-count", "a, b = 'oak,3,note'.split(',')\nprint(b)\n", "split(',', 1)"),
    "pairs of a dictionary": ("wrong-count", "d = {'oak': 1}\nfor k, v in d:\n    print(k, v)\n", "in d.items():"),
    "empty mean": (
        "bad-arithmetic",
        "def mean(a):\n    return sum(a) / len(a)\nprint(mean([1]), mean([]))\n",
        "sum(a) / len(a) if a else 0",
    ),
    "misspelt module": ("no-such-module", "import maths\nprint(maths.sqrt(4))\n", "print(math.sqrt(4))"),
    "misspelt name in module": ("no-such-module", "from math import sqroot\nprint(sqroot(4))\n", "from math import sqrt"),
    "changed while iterating": (
        "wrong-order",
        "d = {1: 2}\nfor k in d:\n    d[k + 5] = 1\n    if len(d) > 4: break\nprint(len(d))\n",
        "in list(d):",
    ),
    # where kinds had edits of their own that the search makes as well: those went, and these stay right
    "place counted from one": ("index-out-of-range", 'rows = ["a", "b"]\nprint(rows[2])\n', "rows[1]"),
    "bound written out": ("index-out-of-range", "a = [1, 2, 3]\nfor i in range(4):\n    print(a[i])\n", "range(3)"),
    "changed in a comprehension": ("wrong-order", 'd = {"a": 1, "b": 2}\nprint([d.pop(k) for k in d])\n', "for k in list(d)]"),
    "largest of none": ("index-out-of-range", "rows = []\nprint(max(rows))\n", "max(rows, default=0)"),
    "number without length": ("wrong-type", "n = 123\nprint(len(n))\n", "len(str(n))"),
    # and where it makes none as good
    "folder that is not there": ("file-access", 'with open("out/a.csv", "w") as file:\n    file.write("a")\n', "os.makedirs("),
    "number written": ("wrong-type", 'with open("a.txt", "w") as file:\n    file.write(12)\n', "file.write(str(12))"),
    "text that grows": ("no-such-member", 's = ""\nfor n in "abc":\n    s.append(n)\nprint(s)\n', "    s += n"),
    "times left out": ("not-callable", "n = 3\nprint(2(n + 1))\n", "2 * (n + 1)"),
    "key the other way round": ("no-such-key", 'd = {}\nd["oak", 3] = 1\nprint(d[3, "oak"])\n', 'd[3, "oak"] = 1'),
    "minus of a word processor": ("unreadable-value", 'print(float("\u22123.5"))\n', '.replace("\\u2212", "-")'),
    "missing exit": (
        "wrong-type",
        "class L:\n    def __enter__(self):\n        return self\n\nwith L() as x:\n    print(1)\n",
        "    def __exit__(self, *info):",
    ),
}


@pytest.mark.spread(3)
@pytest.mark.parametrize("name", CASES)
def test_first_key(name: str, project: Callable[..., Path]) -> None:
    kind, before, after = CASES[name]
    folder = project({"hives.py": before})
    jam, files = first_key(folder, "hives.py")
    assert jam.kind == kind
    texts = [splice(before, key.edits) for key in jam.keys[:3] if key.edits]
    assert any(after in text for text in texts), [key.title for key in jam.keys[:3]]
    assert files["hives.py"] != before
    assert jam.keys[0].trial.outcome in ("runs", "moved"), jam.keys[0]
    assert (folder / "hives.py").read_text() == before, "a trial changed the user's file"


def test_the_definition_comes_before_its_use(project: Callable[..., Path]) -> None:
    folder = project({"hives.py": CASES["used before defined"][1]})
    jam, files = first_key(folder, "hives.py")
    assert files["hives.py"].index("def gain") < files["hives.py"].index("\nmain()")
    assert jam.keys[0].trial.printed == "2"


def test_typed_input_is_converted_where_it_enters(project: Callable[..., Path]) -> None:
    text = "def ask():\n    return input('hives? ')\n\ncount = ask()\nprint(count * 2 <= 10)\n"
    jam, files = first_key(project({"hives.py": text}), "hives.py", stdin=b"4\n")
    assert "return int(input('hives? '))" in files["hives.py"]
    assert (jam.roots[0].file, jam.roots[0].line) == ("hives.py", 2)
    assert jam.keys[0].trial.printed.endswith("True")


def test_the_root_lies_in_another_file(project: Callable[..., Path]) -> None:
    folder = project(
        {
            "data.py": "def rows():\n    found = [3, 1]\n    return found.reverse()\n",
            "report.py": "from data import rows\n\n\ndef first(items):\n    return items[0]\n\n\nprint(first(rows()))\n",
        }
    )
    jam, files = first_key(folder, "report.py")
    assert (jam.roots[0].file, jam.roots[0].line) == ("data.py", 3)
    assert [step.what for step in jam.roots[0].steps] == ["passed", "returned"]
    assert set(files) == {"data.py"}


def test_the_root_lies_in_the_data(project: Callable[..., Path]) -> None:
    folder = project(
        {
            "yields.csv": "hive,kilos\noak,9.1\nelm,unknown\n",
            "mean.py": "import csv\nwith open('yields.csv') as f:\n    print(sum(float(r['kilos']) for r in csv.DictReader(f)))\n",
        }
    )
    jam, _ = first_key(folder, "mean.py")
    assert ("yields.csv", 3, 5) in [(root.file, root.line, root.column) for root in jam.roots[:2]]
    assert "yields.csv, line 3" in jam.meaning


def test_a_file_in_another_folder(project: Callable[..., Path]) -> None:
    folder = project({"data/yields.csv": "oak\n", "show.py": "print(open('yields.csv').read())\n"})
    _jam, files = first_key(folder, "show.py")
    assert "open('data/yields.csv')" in files["show.py"]


def test_an_encoding(project: Callable[..., Path]) -> None:
    folder = project(
        {"names.txt": "Müller\n".encode("latin-1"), "show.py": "print(open('names.txt', encoding='utf-8').read())\n"}
    )
    jam, files = first_key(folder, "show.py")
    assert 'encoding="latin-1"' in files["show.py"]
    assert "Müller" in jam.keys[0].trial.printed


def test_json_with_a_comma_too_many(project: Callable[..., Path]) -> None:
    folder = project({"s.json": '{\n  "a": 1,\n}\n', "show.py": "import json\nprint(json.load(open('s.json'))['a'])\n"})
    _jam, files = first_key(folder, "show.py")
    assert files["s.json"] == '{\n  "a": 1\n}\n'


def test_circular_import(project: Callable[..., Path]) -> None:
    folder = project(
        {
            "one.py": "from two import b\n\n\ndef a():\n    return b()\n",
            "two.py": "from one import a\n\n\ndef b():\n    return 1\n\n\ndef c():\n    return a()\n",
            "main.py": "import one\nprint(one.a())\n",
        }
    )
    jam, _files = first_key(folder, "main.py")
    assert jam.kind == "no-such-module"
    assert jam.keys[0].trial.outcome == "runs"


def test_javascript_keys(project: Callable[..., Path]) -> None:
    folder = project(
        {
            "gauge.js": "function highest(gauge) {\n  return Math.max(...gauge.samples);\n}\nmodule.exports = { highest };\n",
            "main.js": "const { highest } = require('./gauge');\nfunction report(gauge) {\n  console.log(highest());\n}\nreport({ samples: [1, 3] });\n",
        }
    )
    jam, files = first_key(folder, "main.js")
    assert jam.kind == "missing-value"
    assert "console.log(highest(gauge));" in files["main.js"]
    assert (jam.roots[0].file, jam.roots[0].line) == ("main.js", 3)
    assert jam.keys[0].trial.printed == "3"


def test_a_key_that_leaves_work_out_is_not_first(project: Callable[..., Path]) -> None:
    folder = project({"hives.py": CASES["in-place sort returned"][1]})
    jam, _ = first_key(folder, "hives.py")
    skipping = [key.skips_work for key in jam.keys]
    assert not skipping[0]
    assert skipping == sorted(skipping)


def test_a_file_that_hides_a_library_is_the_root_also_of_a_name_it_lacks(project: Callable[..., Path]) -> None:
    folder = project({"roll.py": "from random import randint\n\nprint(randint(1, 1))\n", "random.py": "x = 1\n"})
    jam = main_jam(run_captured(script_target(str(folder / "roll.py"), []), folder))
    assert jam is not None
    assert (jam.roots[0].file, jam.roots[0].line) == ("random.py", 1)
    assert jam.keys[0].title.startswith("Rename random.py")


def test_a_module_in_another_folder_is_found_there(project: Callable[..., Path]) -> None:
    folder = project({"a.py": "from tools import gain\n\nprint(gain(3))\n", "lib/tools.py": "def gain(n):\n    return n * 2\n"})
    _jam, files = first_key(folder, "a.py")
    assert "from lib.tools import gain" in files["a.py"]
