"""What the interpreters themselves say: every message, on every interpreter of this machine, has its kind and its facts."""

from __future__ import annotations

import json
import subprocess
from functools import cache
from pathlib import Path

import pytest

from jamkey.phrases import TABLES, is_worded, table
from jamkey.pipeline import read
from tests.conftest import interpreters

#: Program -> (kind, facts that must be there).
PROGRAMS: dict[str, tuple[str, dict[str, str]]] = {
    "random.random()": ("unknown-name", {"name": "random"}),
    "abd = 1\nprint(abc)": ("unknown-name", {"name": "abc"}),
    "hives = 3\nprint(hivse)": ("unknown-name", {"name": "hivse"}),
    "kilos": ("unknown-name", {"name": "kilos"}),
    "def f():\n    total += 1\ntotal = 0\nf()": ("unset-name", {"name": "total"}),
    "def f():\n    def g():\n        return late\n    g()\n    late = 1\nf()": ("unset-name", {"name": "late"}),
    "None.weigh()": ("missing-value", {"member": "weigh"}),
    "hive = None\nhive['oak']": ("missing-value", {}),
    "for x in None: pass": ("missing-value", {}),
    "a, b = None": ("missing-value", {}),
    "None + 1": ("missing-value", {"right": "int"}),
    "len(None)": ("missing-value", {}),
    "int(None)": ("missing-value", {}),
    "'oak'.lowr()": ("no-such-member", {"type": "str", "member": "lowr"}),
    "import math\nmath.sqr": ("no-such-member", {"module": "math", "member": "sqr"}),
    "class Hive: pass\nHive().kilos": ("no-such-member", {"type": "Hive", "member": "kilos"}),
    "class Hive: pass\nHive.kilos": ("no-such-member", {"type": "Hive", "member": "kilos"}),
    "class Hive:\n    __slots__ = ('a',)\nHive().b = 1": ("no-such-member", {"type": "Hive", "member": "b"}),
    "'oak'.x = 1": ("no-such-member", {}),
    "class Hive:\n    kilos = property(lambda self: 1)\nHive().kilos = 2": ("fixed-value", {}),
    "'oak'[0] = 'e'": ("fixed-value", {"type": "str"}),
    "del (1, 2)[0]": ("fixed-value", {"type": "tuple"}),
    "int.x = 1": ("fixed-value", {}),
    "def f(a, b): pass\nf(1)": ("wrong-arguments", {"names": "'b'"}),
    "def f(a): pass\nf(1, 2)": ("wrong-arguments", {"takes": "1", "given": "2"}),
    "def f(): pass\nf(1)": ("wrong-arguments", {"takes": "0", "given": "1"}),
    "def f(a): pass\nf(b=1)": ("wrong-arguments", {"keyword": "b"}),
    "def f(a): pass\nf(1, a=1)": ("wrong-arguments", {"keyword": "a"}),
    "def f(*, a): pass\nf()": ("wrong-arguments", {"names": "'a'"}),
    "class Hive:\n    def weigh(): pass\nHive().weigh()": ("wrong-arguments", {"takes": "0", "given": "1"}),
    "len()": ("wrong-arguments", {}),
    "len(1, 2)": ("wrong-arguments", {}),
    "sorted([1], revrse=True)": ("wrong-arguments", {}),
    "import abc\nclass A(abc.ABC):\n    @abc.abstractmethod\n    def f(self): pass\nA()": ("wrong-arguments", {}),
    "3(1)": ("not-callable", {"type": "int"}),
    "kilos = [1]\nkilos(0)": ("not-callable", {"type": "list"}),
    "[1]['a']": ("bad-index", {"container": "list", "type": "str"}),
    "[1][0.5]": ("bad-index", {"container": "list", "type": "float"}),
    "[1, 2][1:'a']": ("bad-index", {}),
    "[1][3]": ("index-out-of-range", {"container": "list"}),
    "(1,)[3]": ("index-out-of-range", {"container": "tuple"}),
    "'a'[3]": ("index-out-of-range", {"container": "string"}),
    "x = [1]\nx[3] = 1": ("index-out-of-range", {"container": "list"}),
    "[].pop()": ("index-out-of-range", {}),
    "max([])": ("index-out-of-range", {}),
    "import random\nrandom.choice([])": ("index-out-of-range", {}),
    "{}['oak']": ("no-such-key", {}),
    "[1].remove(3)": ("no-such-key", {}),
    "[1].index(3)": ("no-such-key", {}),
    "'oak'.index('x')": ("no-such-key", {}),
    "set().pop()": ("wrong-order", {}),
    "'a' + 1": ("wrong-type", {"right": "int"}),
    "1 + 'a'": ("wrong-type", {"left": "int", "right": "str", "operator": "+"}),
    "[1] + (2,)": ("wrong-type", {"left": "list", "right": "tuple"}),
    "'a' * 'b'": ("wrong-type", {"right": "str"}),
    "'a' < 1": ("wrong-type", {"operator": "<", "left": "str", "right": "int"}),
    "-'a'": ("wrong-type", {"type": "str"}),
    "sum(['1', '2'])": ("wrong-type", {"left": "int", "right": "str"}),
    "for x in 3: pass": ("wrong-type", {"type": "int"}),
    "3[0]": ("wrong-type", {"type": "int"}),
    "len(3)": ("wrong-type", {"type": "int"}),
    "range(1.5)": ("wrong-type", {"type": "float"}),
    "{[1]: 2}": ("wrong-type", {"type": "list"}),
    "next([1])": ("wrong-type", {"type": "list"}),
    "', '.join([1])": ("wrong-type", {"type": "int"}),
    "import math\nmath.sqrt('4')": ("wrong-type", {"type": "str"}),
    "'%d' % 'a'": ("wrong-type", {"type": "str"}),
    "'a' % 1": ("wrong-type", {}),
    "import json\njson.dumps({1, 2})": ("wrong-type", {"type": "set"}),
    "3 in 4": ("wrong-type", {"type": "int"}),
    "with 3: pass": ("wrong-type", {}),
    "int('3 kg')": ("unreadable-value", {"base": "10", "value": "'3 kg'"}),
    "float('n. a.')": ("unreadable-value", {"value": "'n. a.'"}),
    "import datetime\ndatetime.datetime.strptime('3', '%Y-%m')": ("unreadable-value", {}),
    "import datetime\ndatetime.datetime.strptime('2031-01-02', '%Y')": ("unreadable-value", {"value": "-01-02"}),
    "import datetime\ndatetime.date.fromisoformat('3')": ("unreadable-value", {}),
    "import datetime\ndatetime.date(2031, 2, 30)": ("unreadable-value", {}),
    "import json\njson.loads('{a: 1}')": ("unreadable-value", {"line": "1"}),
    "import decimal\ndecimal.Decimal('a')": ("unreadable-value", {}),
    "a, b = [1]": ("wrong-count", {"expected": "2", "given": "1"}),
    "a, b = [1, 2, 3]": ("wrong-count", {"expected": "2"}),
    "'%d %d' % (1,)": ("wrong-count", {}),
    "1 / 0": ("bad-arithmetic", {}),
    "1.0 / 0": ("bad-arithmetic", {}),
    "1 // 0": ("bad-arithmetic", {}),
    "1 % 0": ("bad-arithmetic", {}),
    "import math\nmath.sqrt(-1)": ("bad-arithmetic", {}),
    "import math\nmath.log(0)": ("bad-arithmetic", {}),
    "import statistics\nstatistics.mean([])": ("bad-arithmetic", {}),
    "int(float('inf'))": ("bad-arithmetic", {}),
    "d = {1: 1}\nfor k in d: d[k + 1] = 1": ("wrong-order", {}),
    "with open(__import__('os').devnull) as f: pass\nf.read()": ("wrong-order", {}),
    "def f(): return f()\nf()": ("too-deep", {}),
    "range(1, 2, 0)": ("wrong-arguments", {}),
    "open('no such hive.csv')": ("file-access", {"path": "no such hive.csv"}),
    "open('.')": ("file-access", {"path": "."}),
    "b'\\xff'.decode('utf-8')": ("file-access", {"codec": "utf-8"}),
    "'ü'.encode('ascii')": ("file-access", {"codec": "ascii"}),
    "import hivelib": ("no-such-module", {"module": "hivelib"}),
    "import math.hive": ("no-such-module", {"package": "math"}),
    "from math import hive": ("no-such-module", {"name": "hive", "module": "math"}),
    "import subprocess, sys\nsubprocess.run([sys.executable, '-c', 'exit(3)'], check=True)": ("child-failed", {"status": "3"}),
    "raise SystemExit('no hives')": ("raised-on-purpose", {}),
    "assert 1 == 2, 'no hives'": ("raised-on-purpose", {}),
    "raise ValueError('no hives')": ("raised-on-purpose", {}),
    "def f(:": ("broken-syntax", {}),
    "print('oak": ("broken-syntax", {}),
    "if True\n    pass": ("broken-syntax", {}),
    "if True:\npass": ("broken-syntax", {}),
    "  x = 1": ("broken-syntax", {}),
    "x = (1": ("broken-syntax", {}),
    "return 1": ("broken-syntax", {}),
}

#: Runs each program of a list in one interpreter and prints, as JSON, what a traceback would end with.
ASKER = """
import json, sys, traceback
for line in sys.stdin:
    program = json.loads(line)
    try:
        exec(compile(program, "hive.py", "exec"), {"__name__": "__main__"})
    except BaseException:
        kind, error, trace = sys.exc_info()
        text = "".join(traceback.format_exception(kind, error, trace))
        print(json.dumps(text))
    else:
        print(json.dumps(""))
"""


@cache
def traces(path: str) -> dict[str, str]:
    """Return program -> printed trace; one process for all."""
    given = "".join(json.dumps(program) + "\n" for program in PROGRAMS)
    done = subprocess.run(
        [path, "-W", "ignore", "-c", ASKER], input=given, capture_output=True, text=True, timeout=120, check=True
    )
    lines = [json.loads(line) for line in done.stdout.splitlines() if line.startswith('"')]
    return dict(zip(PROGRAMS, lines, strict=True))


@pytest.mark.parametrize("version", sorted(interpreters(), key=lambda text: int(text.split(".")[1])))
@pytest.mark.parametrize("program", PROGRAMS, ids=lambda text: text.replace("\n", " ; ")[:40])
def test_a_message_has_its_kind_and_facts(program: str, version: str) -> None:
    kind, facts = PROGRAMS[program]
    text = traces(interpreters()[version])[program]
    assert text, "it did not fail"
    jams = read(text, runtime="python")
    assert len(jams) == 1, text
    jam = jams[0]
    assert jam.kind == kind, text
    assert {name: jam.facts.get(name) for name in facts} == facts, (text, jam.facts)


def test_3_12_and_later_are_among_them() -> None:
    """The wordings that broke once came with 3.12."""
    assert {"3.12", "3.13"} <= set(interpreters())


#: Java classes that javac reads and refuses -> the kind of what it says.
REFUSED = {
    "Ambiguous": (
        "static void f(Integer a, Object b) {} static void f(Object a, Integer b) {} void g() { f(1, 2); }",
        "wrong-arguments",
    ),
    "TypeArguments": ("java.util.Map<String> kilos;", "wrong-arguments"),
    "NoParameters": ("String<Integer> kilos;", "wrong-arguments"),
    "Inferred": ("void g() { var l = new java.util.ArrayList<>(3, 4); }", "wrong-arguments"),
    "Variadic": ("void f(int... a, int b) {}", "wrong-arguments"),
    "Unexpected": ("java.util.List<int> kilos;", "wrong-type"),
    "Nothing": ("void f() {} void g() { System.out.println(f()); }", "wrong-type"),
    "Generic": ("Object o = new java.util.List<String>[3];", "wrong-type"),
    "Unknown": ("void g() { var x = null; }", "wrong-type"),
    "Abstract": ("static abstract class A {} static Object o() { return new A(); }", "wrong-type"),
    "Overridden": ("public int toString() { return 3; }", "wrong-type"),
    "Constant": ("void g(int k, int m) { switch (k) { case m: break; } }", "wrong-type"),
    "FinalParameter": ("void g(final int k) { k = 3; }", "fixed-value"),
    "InLoop": ("void g() { final int k; for (int i = 0; i < 3; i++) { k = i; } }", "fixed-value"),
    "Inherited": ("static class S extends String {}", "fixed-value"),
    "This": ("void g() { this = null; }", "fixed-value"),
    "Twice": ("Twice() {} Twice() {}", "wrong-order"),
    "Caught": (
        "void g() { try { throw new java.io.IOException(); } catch (Exception e) { } catch (java.io.IOException e) { } }",
        "wrong-order",
    ),
    "Clash": ("void f(java.util.List<String> a) {} void f(java.util.List<Integer> a) {}", "wrong-order"),
    "First": ("First() { int k = 3; this(k); } First(int k) {}", "wrong-order"),
    "Before": ("int k; Before(int a) {} Before() { this(k); }", "wrong-order"),
    "Forward": ("int a = b + 1; int b = 2;", "wrong-order"),
    "Recursive": ("Recursive() { this(3); } Recursive(int k) { this(); }", "wrong-order"),
    "Protected": ("void g(Object o) throws Exception { o.clone(); }", "no-such-member"),
    "NotPublic": ("Object o = java.util.ImmutableCollections.EMPTY;", "no-such-member"),
    "Overrides": ("@Override public void toStrin() {}", "no-such-member"),
    "TooLarge": ("int k = 99999999999;", "bad-arithmetic"),
}


@pytest.mark.spread(3)
@pytest.mark.parametrize("name", REFUSED)
def test_what_javac_refuses_is_known(name: str, tmp_path: Path) -> None:
    body, kind = REFUSED[name]
    (tmp_path / f"{name}.java").write_text(f"class {name} {{ {body} }}\n")
    command = ["javac", "-J-XX:TieredStopAtLevel=1", "-proc:none", f"{name}.java"]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    [jam, *_] = read(done.stderr)
    assert (jam.kind, is_worded("java", None, jam.message)) == (kind, True), jam.message


def test_no_wording_has_two_holes_side_by_side() -> None:
    """The first of them would never hold anything."""
    for runtime in TABLES:
        for phrase in table(runtime).phrases:
            for pattern in phrase.patterns:
                for hole, behind in zip(pattern.holes, pattern.literals[1:-1], strict=False):
                    assert behind or hole.endswith((":int", "*")), (runtime, pattern)
