"""Batch logs of a statistics package: echoed commands, the message, `r(code);`, do-files that call do-files."""

from __future__ import annotations

import re

import msgspec

from jamkey.model import Frame, Jam

_CODE = re.compile(r"r\((\d+)\);$")
_COMMAND = re.compile(r"\. ?(.*)$")
_MORE = re.compile(r"(?:  ?\d+\.|>) ?(.*)$")
_DO = re.compile(r"(?:do|run|include)\s+\"?([^\s\"]+)")


#: Stata runs do-files within one another so deep at most.
_DEEPEST = 64


class StataReader:
    """Reads a batch log."""

    name = "stata"

    def score(self, text: str) -> float:
        """Score by a return code on a line of its own among echoed commands."""
        if not re.search(r"^r\(\d+\);$", text, re.M):
            return 0.0
        return 0.97 if re.search(r"^\. \S", text, re.M) else 0.7

    def read(self, text: str) -> list[Jam]:
        """Return the failures; a code repeated while do-files end belongs to the one before."""
        lines = text.split("\n")
        jams: list[Jam] = []
        files: list[Frame] = []
        echo: list[str] = []
        message: list[str] = []
        begun = 0
        ended = False
        for number, line in enumerate(lines, 1):
            code = _CODE.match(line)
            command = _COMMAND.match(line) if line.startswith(".") else None
            if code:
                if not ended and message:
                    jams.append(_jam(code[1], message, echo, files, begun or number, number))
                ended = True
                message = []
            elif line.startswith("end of do-file"):
                if files:
                    files.pop()
            elif command is not None and (line.startswith(". ") or line == "."):
                if command[1].strip():
                    nested = _DO.match(command[1].strip())
                    if nested:
                        name = nested[1] if "." in nested[1].rpartition("/")[2] else f"{nested[1]}.do"
                        files.append(Frame(file=name))
                        del files[:-_DEEPEST]
                    echo, begun = [command[1].strip()], number
                message, ended = [], False
            elif echo and _MORE.match(line) and not message:
                echo.append(_MORE.match(line)[1].strip())  # type: ignore[index]
            elif line.strip():
                message.append(line.strip())
        return jams


def _jam(code: str, message: list[str], echo: list[str], files: list[Frame], first: int, last: int) -> Jam:
    innermost = Frame(file=files[-1].file if files else "<script>", source=echo[0] if echo else None)
    said = message[-1] if message else f"r({code})"
    phase = "compile" if code in ("198", "100", "130", "132") and said == "invalid syntax" else "run"
    jam = Jam(
        runtime="stata",
        phase=phase,  # type: ignore[arg-type]
        exception_type=f"r({code})",
        message=said,
        frames=(*files[:-1], innermost),
        facts={"command": "\n".join(echo)},
    )
    return msgspec.structs.replace(jam, first_line=first, last_line=last)


READER = StataReader()
