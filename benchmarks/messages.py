"""What the runtimes and their libraries themselves can say: is it read, and is its kind known?

    python benchmarks/messages.py [--only RUNTIME ...] [--list] [--sample N] [--json FILE]

Nothing of it is kept: the messages are asked from what is installed (R's functions and catalogues, Octave's scripts,
Node's internal modules and V8's templates, the Java compiler's bundle and the texts that the classes of `java.base` throw,
Lua's library, gcc's catalogue, the class library of sclang, and what the installed Python libraries raise). Each is
printed as its runtime prints a failure within a library, then read. Told: how many are read at all, how many have a kind
by their words or their type and not by the last resort. `--list` prints the others, `--sample` as many at random with
their kinds, to be judged by hand.
"""

from __future__ import annotations

import argparse
import json
import random
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import NamedTuple

import harvest
from harvest import Message

from jamkey.pipeline import read


def _python(message: Message) -> str:
    return (
        'Traceback (most recent call last):\n  File "/home/me/hives.py", line 9, in <module>\n    total(hives)\n'
        '  File "/usr/lib/python3/site-packages/bees/core.py", line 90, in total\n    raise '
        f"{message.type}(told)\n{message.type}: {message.text}\n"
    )


def _javascript(message: Message) -> str:
    return (
        f"node:internal/errors:496\n    ErrorCaptureStackTrace(err);\n    ^\n\n{message.type}: {message.text}\n"
        "    at total (node:fs:2352:11)\n    at Object.<anonymous> (/home/me/hives.js:3:4)\n\nNode.js v20.20.2\n"
    )


def _java(message: Message) -> str:
    return (
        f'Exception in thread "main" {message.type}: {message.text}\n'
        "\tat java.base/java.util.Bees.total(Bees.java:61)\n\tat Hives.main(Hives.java:7)\n"
    )


_R = "Error in total(hives) : {}\nCalls: sum_up -> total\nExecution halted\n"
_OCTAVE = "error: {}\nerror: called from\n    total at line 61 column 5\n    hives at line 3 column 1\n"
_JAVAC = "Hives.java:7: error: {}\n        total(hives);\n        ^\n1 error\n"
_TSC = "hives.ts(7,9): error {type}: {text}\n"
_LUA = "lua5.4: hives.lua:3: {}\nstack traceback:\n\t[C]: in function 'total'\n\thives.lua:3: in main chunk\n\t[C]: in ?\n"
_C = "hives.c: In function 'main':\nhives.c:7:9: error: {}\n    7 |     total(hives);\n      |     ^~~~~\n"
_SCLANG = "ERROR: {}\nPROTECTED CALL STACK:\n\tMeta_Hives:total\t0x55d0c8\n\t\targ this = Hives\n"


def _within(frame: str) -> Callable[[Message], str]:
    return lambda message: frame.replace("{}", message.text)


#: Runtime -> where its messages come from, and how it prints one.
HARVEST: dict[str, tuple[Callable[[], Iterable[Message]], Callable[[Message], str]]] = {
    "python": (harvest.of_python, _python),
    "r": (harvest.of_r, _within(_R)),
    "octave": (harvest.of_octave, _within(_OCTAVE)),
    "javascript": (harvest.of_javascript, _javascript),
    "java": (harvest.of_java, _java),
    "typescript": (harvest.of_typescript, lambda message: _TSC.format(**message._asdict())),
    "javac": (harvest.of_javac, _within(_JAVAC)),
    "lua": (harvest.of_lua, _within(_LUA)),
    "c": (harvest.of_c, _within(_C)),
    "supercollider": (harvest.of_supercollider, _within(_SCLANG)),
}
#: Kinds of last resort: the program's own check where it runs, a text that is not understood where it is compiled.
_LAST = {"javac": "broken-syntax", "c": "broken-syntax", "typescript": "broken-syntax"}


class Told(NamedTuple):
    """How one message was read."""

    message: Message
    kind: str | None
    known: bool


def harvested(runtime: str) -> list[Told]:
    """Read every message of a runtime once."""
    asked, printed = HARVEST[runtime]
    found: list[Told] = []
    for message in dict.fromkeys(asked()):
        jams = read(printed(message))
        kind = jams[-1].kind if jams else None
        found.append(Told(message, kind, kind not in (None, "raised-on-purpose", _LAST.get(runtime))))
    return found


def main() -> int:
    """Print a row a runtime."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n")[0])
    parser.add_argument("--only", nargs="+", choices=HARVEST, default=list(HARVEST))
    parser.add_argument("--list", action="store_true")
    parser.add_argument("--sample", type=int, default=0)
    parser.add_argument("--json", type=Path)
    asked = parser.parse_args()
    table: dict[str, dict[str, float]] = {}
    chance = random.Random(20)
    for runtime in asked.only:
        found = harvested(runtime)
        unread = sum(told.kind is None for told in found)
        known = sum(told.known for told in found)
        table[runtime] = {"messages": len(found), "unread": unread, "kind_known": known}
        share = 100 * known / max(len(found), 1)
        print(f"{runtime:14} {len(found):6} messages, {unread:4} not read, kind by words or type {share:5.1f} %")
        shown = [told for told in found if not told.known] if asked.list else []
        for told in shown + chance.sample(found, min(asked.sample, len(found))):
            print(f"    {told.kind or 'not read':20} {told.message.type or ''} {' '.join(told.message.text.split())[:150]}")
    if asked.json:
        asked.json.write_text(json.dumps(table, indent=1) + "\n", encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
