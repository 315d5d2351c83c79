"""What speaks for or against a place by what is made, written and left unused there, whatever the language."""

from __future__ import annotations

import builtins
from collections.abc import Iterator

from jamkey.follow.made_types import is_async, made_types
from jamkey.follow.places import Place
from jamkey.follow.run_yet import not_yet
from jamkey.follow.scene import Scene
from jamkey.follow.siblings import unlike
from jamkey.languages.base import Code, Part, Statement
from jamkey.late import pattern

#: Types that nobody means to reckon with, and those of what was handed on without a call.
_UNCALLED = frozenset(["type", "function", "method", "builtin_function_or_method"])
_NO_DATA = _UNCALLED | {"NoneType", "coroutine", "generator", "map", "zip", "filter", "reversed", "dict_keys", "dict_values"}
#: Facts that name what was asked for in vain.
_WANTED = ("member", "name", "keyword", "function")
#: Kinds in which something is asked of a value.
_ASKS = frozenset(["wrong-arguments", "wrong-type", "no-such-member", "missing-value", "not-callable"])
_WORD = pattern(r"\w+")
_QUOTED = pattern(r"'([^'\n]{2,40})'")
_QUOTES = str.maketrans('"`‘“’”', "''''''")
_NUMBER = pattern(r"\b\d{1,6}\b")
#: Signs of the message that are looked at.
_MESSAGE = 2000
#: A word is nearly another from this share on, and this length.
_NEAR, _SHORTEST = 0.75, 4


def _alike(first: str, second: str) -> float:
    """Return how alike two words are, from 0 to 1; loaded only where a message tells a word."""
    import jellyfish

    return 1 - jellyfish.damerau_levenshtein_distance(first, second) / max(len(first), len(second), 1)


class Told:
    """What a message tells that may stand in the source: types, counts, words.

    Args:
        scene: the jam with its facts.
    """

    def __init__(self, scene: Scene) -> None:
        facts = [str(fact) for fact in scene.facts.values()]
        self.types = {word for fact in facts for word in _WORD.findall(fact)[-1:]}
        if scene.jam.kind == "missing-value":
            self.types.update(scene.traits.nothings)
        self.counts = {int(number) for number in _NUMBER.findall((scene.jam.message or "")[:_MESSAGE])}
        self.words = {fact.strip("'\"`") for fact in facts} | set(
            _QUOTED.findall((scene.jam.wording or "")[:_MESSAGE].translate(_QUOTES))
        )
        self.words = {word for word in self.words if _SHORTEST <= len(word) <= 40}


def evidence(scene: Scene, place: Place, code: Code, statement: Statement, told: Told) -> Iterator[str]:
    """Yield what is seen at a place, as features."""
    kind = scene.jam.kind or ""
    targets = statement.targets
    values = [part for part in statement.parts if not any(target.span.holds(part.span) for target in targets)]
    parts = [part for top in statement.parts for part in top.walk()]
    last = place.path[-1] if place.path else ""
    yield from _types(scene, code, values, parts, told, kind)
    if _unawaited(scene, parts):
        yield "not awaited"
        yield f"not awaited of {kind}"
    if any(_entries(part) in told.counts for part in parts if part.sort in ("list", "tuple", "dict", "set")):
        yield f"makes told count of {kind}"
    if any(_one_more(part) for part in parts):
        yield f"one more or less of {kind}"
    for how in unlike(code, statement):
        yield f"beside {how}"
        yield f"beside {how} of {kind}"
    for how in _idle(code, statement):
        yield f"idle {how}"
        yield f"idle {how} of {kind}"
    displays = [part for part in parts if part.sort in ("list", "dict", "tuple", "set")]
    if any(child.name in told.words for part in displays for _, child in part.children if child.sort == "text"):
        yield "has told word"
        yield f"has told word of {kind}"
    if any(_nearly(part, told.words) for part in parts if part.sort in ("text", "name", "member")):
        yield "nearly told"
        yield f"nearly told {last}"
    if place.distance == 0:
        yield from _of_snag(scene, code, statement, kind)
    if statement.sort == "return":
        yield from _returns(scene, place, code, kind)
    if when := not_yet(scene, place.file, code, place.line):
        yield f"not yet {when}"
        yield f"not yet {when} {last}"
        yield f"not yet {when} of {kind}"
    for way in sorted(place.ways - {last, "root", "snag"}):
        yield f"also {way}"
        yield f"also {way} of {kind}"


def _of_snag(scene: Scene, code: Code, statement: Statement, kind: str) -> Iterator[str]:
    """Yield whether what failed is written there or was brought there: what it is made of, where its names come from."""
    if _misspelt(scene, code, statement.span.line):
        yield "snag misspelt"
        yield f"snag misspelt of {kind}"
    marked = scene.marked_part(scene.frame) if scene.frame is not None and scene.frame.end_column is not None else None
    parts = [marked] if marked is not None else list(statement.parts)
    for part in parts[-1:]:
        yield f"snag is {part.sort} of {' '.join(child.sort for _, child in part.children[:4])}"
        yield f"snag is {part.sort} of {kind}"
    inner = [part for top in parts for part in top.walk()]
    written = any(part.sort in ("literal", "text") for part in inner)
    yield f"snag {'writes' if written else 'writes nothing'}"
    yield f"snag {'writes' if written else 'writes nothing'} of {kind}"
    names = {part.name for part in inner if part.sort == "name"}
    for sort in sorted({item.sort for name in names for item in code.reaching(name, statement.span.line)[:2]}):
        yield f"snag reads {sort}"
        yield f"snag reads {sort} of {kind}"
    own = sum(frame.owner == "yours" for frame in scene.jam.frames)
    yield f"snag of {min(own, 3)} frames"


def _misspelt(scene: Scene, code: Code, line: int) -> bool:
    """Tell whether what is asked for in vain is nearly something that is there."""
    if scene.facts.get("suggestion"):
        return True
    wanted = next((word for fact in _WANTED if _SHORTEST <= len(word := scene.facts.get(fact, "").strip("'\"`")) <= 40), "")
    if not wanted:
        return False
    there = set(code.visible(line)) if scene.facts.get("name") else set(scene.members)
    if scene.traits.python_values:
        there |= set(dir(getattr(builtins, scene.facts.get("type") or scene.facts.get("container") or "", None)))
    return any(_alike(wanted, name) >= _NEAR for name in there - {wanted})


def _types(scene: Scene, code: Code, values: list[Part], parts: list[Part], told: Told, kind: str) -> Iterator[str]:
    made = {name for part in values for name in made_types(scene, code, part)}
    if made & told.types:
        yield "makes told type"
        yield f"makes told type of {kind}"
        if made & told.types & _NO_DATA:
            yield "makes told type that is no data"
        if len(made) > 1:
            yield "may make told type"
    elif made:
        yield "makes another type"
        if made & _UNCALLED and kind in _ASKS and all(part.sort == "name" for part in values):
            yield "hands on what is not called"
    elif any(made_types(scene, code, part) & told.types for part in parts if part.sort in ("call", "name")):
        yield "holds told type"


def _unawaited(scene: Scene, parts: list[Part]) -> bool:
    """Tell whether an own function that is to be awaited is only called."""
    awaited = {child.span for part in parts if part.source.startswith("await") for _, child in part.children}
    calls = [part for part in parts if part.sort == "call" and part.called and part.span not in awaited]
    return any(is_async(scene, file, one) for part in calls for file, one in scene.functions_named(part.called))


def _one_more(part: Part) -> bool:
    """Tell a step beyond: `n + 1`, `len(rows) - 1`, `i <= n`, a stretch that leaves out the first or the last."""
    if part.sort == "binary" and part.name in ("+", "-"):
        right = part.child("right")
        return right is not None and right.source == "1"
    return (part.sort == "compare" and part.name in ("<=", ">=")) or part.source in ("1:", ":-1", "1:-1")


def _entries(part: Part) -> int:
    return sum(role in ("item", "element", "value") for role, _ in part.children)


def _idle(code: Code, statement: Statement) -> Iterator[str]:
    """Yield what is done for nothing: a name that is set and never read, a value that is made and not kept."""
    for target in statement.targets:
        if target.sort == "name" and target.name and statement.sort != "augassign":
            scope = code.scope_at(statement.span.line)
            reads = [span for span in code.uses(target.name)[:60] if not statement.span.holds(span)]
            if scope and not any(code.scope_at(span.line) == scope for span in reads):
                yield "set"
    if not statement.targets and len(statement.parts) == 1:
        only = statement.parts[0]
        if statement.sort not in ("return", "if", "while", "for", "yield") and only.sort in (
            "compare",
            "name",
            "member",
            "binary",
        ):
            yield "value"
    for function in code.functions():
        if function.span.line == statement.span.line and "." in function.qualified and not function.owner:
            uses = [span for span in code.uses(function.name) if span.line != function.span.line]
            if not uses and not function.decorators:
                yield "function"


def _nearly(part: Part, words: set[str]) -> bool:
    own = part.name or part.source.strip("'\"`")
    if not _SHORTEST <= len(own) <= 40 or own in words:
        return False
    return any(own.strip().lower() == word.strip().lower() or _alike(own, word) >= _NEAR for word in words)


def _returns(scene: Scene, place: Place, code: Code, kind: str) -> Iterator[str]:
    """Yield whether a function returns something else here than elsewhere."""
    function = next((one for one in code.functions() if any(line == place.line for line, _ in one.returns)), None)
    if function is None or len(function.returns) < 2:
        return
    made = {line: _sort(scene, code, part) for line, part in function.returns}
    own = made.pop(place.line)
    others = list(made.values())
    if own not in others:
        yield "returns another sort"
        yield f"returns another sort of {kind}"


def _sort(scene: Scene, code: Code, part: Part | None) -> object:
    if part is None:
        return "nothing"
    found = made_types(scene, code, part)
    return (part.sort, _entries(part)) if part.sort == "tuple" else found or part.sort
