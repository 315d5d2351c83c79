"""Whether a function can end without giving anything back, told of each way through it, in languages read as trees."""

from __future__ import annotations

import pytest

from jamkey.languages import SHELF

#: Language -> (body that ends open, body that never does), in `{0}` of its function.
FUNCTIONS = {
    "javascript": "function f(a) {{ {0} }}",
    "java": "class A {{ int f(int a) {{ {0} }} }}",
    "c": "int f(int a) {{ {0} }}",
    "lua": "local function f(a)\n {0}\nend\n",
    "swift": "func f(_ a: Int) -> Int {{\n {0}\n}}\n",
}
OPEN = {
    "javascript": [
        "a();",
        "if (a) { return 1; }",
        "if (a) { return 1; } else if (a > 2) { return 2; }",
        "while (a) { return 1; }",
        "while (true) { if (a) { break; } }",
        "for (const x of a) { return x; }",
        "try { return 1; } catch (e) { a(e); }",
        "if (g(a)) { return 1; } else { a(); }",
        "switch (a) { case 1: return 2; }",
        "switch (a) { case 1: break; default: return 3; }",
    ],
    "java": ["if (a > 1) { return 1; } else if (a > 0) { return 2; }", "while (true) { a++; if (a > 3) break; }"],
    "c": ["if (a) return 1;", "switch_off(a);", "for (; a < 3;) { return a; }"],
    "lua": ["if a then return 1 elseif a == 2 then return 2 end", "for i = 1, a do return i end", "print(a)"],
    "swift": ["if a > 10 { return 1 }", "if a > 10 { return 1 } else if a > 3 { return 2 }"],
}
CLOSED = {
    "javascript": [
        "if (a) { return 1; } else { return 2; }",
        "if (a) return 1; else return 2;",
        "if (a) { return 1; } else if (a > 2) { return 2; } else { throw a; }",
        "while (true) { if (a) { return 1; } }",
        "for (;;) { a += 1; }",
        "try { return 1; } catch (e) { return 2; }",
        "try { a(); } finally { return 2; }",
        "throw new Error('no');",
        "switch (a) { case 1: return 2; default: return 3; }",
    ],
    "java": [
        "if (a > 1) { return 1; } else if (a > 0) { return 2; } else { return 3; }",
        "while (true) { a++; }",
        "try { return 1; } catch (Exception e) { throw new RuntimeException(e); }",
    ],
    "c": ["if (a) { return 1; } else { return 2; }", "for (;;) { a++; }", "do { a++; } while (a < 3); return a;"],
    "lua": [
        "if a then return 1 elseif a == 2 then return 2 else return 3 end",
        "while true do a = a + 1 end",
        "error('no hive')",
        "if g(a) then return 1 else error('no hive') end",
    ],
    "swift": [
        "switch a { case 1: return 1\n default: return 2 }",
        "if a > 10 { return 1 } else { return 2 }",
        "while true { g(a) }",
    ],
}


@pytest.mark.parametrize(("language", "body"), [(name, body) for name, bodies in OPEN.items() for body in bodies])
def test_a_way_ends_without_a_value(language: str, body: str) -> None:
    (function, *_) = SHELF.get(language).code(FUNCTIONS[language].format(body)).functions()
    assert function.falls_off


@pytest.mark.parametrize(("language", "body"), [(name, body) for name, bodies in CLOSED.items() for body in bodies])
def test_no_way_ends_without_a_value(language: str, body: str) -> None:
    (function, *_) = SHELF.get(language).code(FUNCTIONS[language].format(body)).functions()
    assert not function.falls_off
