"""What somebody is sure of about a run that ended well: asked line by line in a second run, on a copy."""

from __future__ import annotations

import ast
import contextlib
from collections.abc import Sequence
from pathlib import Path

import msgspec

from jamkey.errors import JamkeyError, UsageError
from jamkey.follow.sources import Sources
from jamkey.model import Finding
from jamkey.observe import sandbox
from jamkey.observe.target import Target
from jamkey.observe.typed import Typed
from jamkey.runs.doubts import WATCHED, watchable
from jamkey.runs.second_run import under_agent
from jamkey.secrets import masked, names_a_secret
from jamkey.trials.scratch import scratch


class Claim(msgspec.Struct, frozen=True):
    """What was found about one claim.

    Attributes:
        claim: the expression, as it was given.
        times: how often it could be asked.
        holds: whether it held when it was asked last; None when it never could be.
        file: of the line after which it held no more, or that last changed one of its values.
        line: the same, 1-based; 0 when there is none.
        function: whose names it is about; empty for the script's own at its end.
        ceased: whether it held before that line.
        before: names and values before the line.
        after: the same after it.
        why: why it could not be asked, where that is known.
    """

    claim: str
    times: int = 0
    holds: bool | None = None
    file: str = ""
    line: int = 0
    function: str = ""
    ceased: bool = False
    before: tuple[tuple[str, str], ...] = ()
    after: tuple[tuple[str, str], ...] = ()
    why: str = ""

    def told(self) -> str:
        """Return in words what was found."""
        named = f"`{self.claim}`"
        if self.holds is None:
            return (
                f"{named} could not be asked: {self.why or 'its names are not there, neither at the end nor in one function'}"
            )
        where = f" in {self.function}" if self.function else " at the end"
        if self.holds:
            return f"{named} holds{where}"
        return f"{named} does not hold{where}: {_values(self.after)}"

    def reason(self) -> str:
        """Return what its line did to it."""
        named = f"`{self.claim}`"
        known = dict(self.before)
        changed = [(name, known.get(name, ""), value) for name, value in self.after if known.get(name) != value]
        steps = ", ".join(f"{name} {f'was {old} and ' if old else ''}is {new}" for name, old, new in changed)
        if self.ceased and self.before:
            return f"{named} held until here; then {steps or _values(self.after)}"
        if self.before:
            return f"{named} never held; this line was the last to change it: {steps}"
        return f"{named} does not hold here: {_values(self.after)}"


def surely(
    claims: Sequence[str],
    target: Target,
    root: Path,
    *,
    stdin: bytes | Typed = b"",
    limit: float = 0.0,
    unguarded: bool = False,
) -> list[Claim]:
    """Ask in a second run whether claims hold, and where they cease to; one answer each, in order.

    Args:
        claims: Python expressions over the names at the end of the script, or over those of a function; `name()` stands
            for what a function returned.
        target: what ended well: a Python script.
        root: the project folder.
        stdin: what it may read.
        limit: seconds for the second run, 0 for none.
        unguarded: run it also where nothing holds it.

    Raises:
        UsageError: a claim is no expression, or the target no script that can be watched.
    """
    check_claims(claims)
    if not watchable(target):
        raise UsageError("--sure asks in Python scripts only")
    found: list[Claim] = []
    if not unguarded and not sandbox.can_hold():
        return [
            Claim(claim, why="nothing here keeps a second run in a copy: --unguarded runs it all the same") for claim in claims
        ]
    with contextlib.suppress(OSError, JamkeyError, msgspec.MsgspecError), scratch(root, unguarded=unguarded) as place:
        asked = {"claims": list(claims), "seconds": WATCHED}
        agents = ("surely.py", "agent.py")
        told, _ = under_agent(place, agents, asked, target, Sources(root), stdin=stdin, limit=limit)
        there = place.sources()
        for claim in msgspec.json.decode(told, type=list[Claim]):
            name = there.resolve(claim.file) if claim.file else None
            found.append(msgspec.structs.replace(claim, file=name or "", line=claim.line if name else 0))
    return found or [Claim(claim, why="the second run left no answer") for claim in claims]


def check_claims(claims: Sequence[str]) -> None:
    """Check that claims are expressions.

    Raises:
        UsageError: one is none.
    """
    for claim in claims:
        try:
            ast.parse(claim.strip(), mode="eval")
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            raise UsageError(f"--sure {claim!r} is no expression: give one such as 'total == 412'") from None


def findings(claims: Sequence[Claim]) -> list[Finding]:
    """Return the lines at which claims cease to hold."""
    return [
        Finding(file=claim.file, line=claim.line, rule="claim-fails", kind="", reason=masked(claim.reason()))
        for claim in claims
        if claim.holds is False and claim.line
    ]


def _values(values: Sequence[tuple[str, str]]) -> str:
    return ", ".join(f"{name} is {'(hidden)' if names_a_secret(name) else text}" for name, text in values) or "it is false"
