"""The words of `jamkey run`, parsed without the command tree; on the path of a healthy run, so nothing is imported."""

from __future__ import annotations

#: Options with a value, and flags.
_VALUED = {"--python", "--limit", "--save", "--sure"}
_FLAGS = {"--keep-trace", "--again", "--doubts", "--no-keep", "--stay", "--open", "--unguarded"}


class Call:
    """A parsed `run` call."""

    def __init__(self) -> None:
        self.python = ""
        self.limit = ""
        self.save: list[str] = []
        self.sure: list[str] = []
        self.keep_trace = False
        self.again = False
        self.doubts = False
        self.no_keep = False
        self.stay = False
        self.open = False
        self.unguarded = False
        self.module: str | None = None
        self.command: list[str] | None = None
        self.script: str | None = None
        self.args: list[str] = []


def parse(words: list[str]) -> Call | None:
    """Return the call, or None when the command tree must look at it."""
    call = Call()
    position = 0
    while position < len(words):
        word = words[position]
        name, equals, value = word.partition("=")
        if word == "--":
            call.command = words[position + 1 :]
            return call if call.command else None
        if word == "-m":
            if position + 1 >= len(words):
                return None
            call.module, call.args = words[position + 1], words[position + 2 :]
            return call
        if name in _VALUED:
            if not equals:
                position += 1
                if position >= len(words):
                    return None
                value = words[position]
            if name in ("--save", "--sure"):
                getattr(call, name[2:]).append(value)
            else:
                setattr(call, name[2:], value)
        elif word in _FLAGS:
            setattr(call, name[2:].replace("-", "_"), True)
        elif word.startswith("-") and word != "-":
            return None
        else:
            call.script, call.args = word, words[position + 1 :]
            return call
        position += 1
    return None
