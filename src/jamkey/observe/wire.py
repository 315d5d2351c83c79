"""The agent's records, turned into jams.

Its annotations are types, not texts: these would have to be evaluated before the first record is read.
"""

from pathlib import Path

import msgspec

from jamkey import secrets
from jamkey.model import Frame, Jam, Link, Phase, Relation, Value
from jamkey.text import visible

GENERATION = 1
_SYNTAX = ("SyntaxError", "IndentationError", "TabError")


class _Value(msgspec.Struct):
    name: str
    type: str
    text: str
    length: int | None = None
    shape: tuple[int, ...] | None = None
    dtype: str | None = None
    members: tuple[str, ...] = ()


class _Frame(msgspec.Struct):
    file: str
    line: int | None
    function: str
    column: int | None = None
    end_line: int | None = None
    end_column: int | None = None
    source: str | None = None
    values: tuple[_Value, ...] = ()
    left_out: int = 0


class _Syntax(msgspec.Struct):
    file: str | None = None
    line: int | None = None
    column: int | None = None
    end_line: int | None = None
    end_column: int | None = None
    source: str | None = None


class _Exception(msgspec.Struct):
    type: str
    message: str | None
    frames: tuple[_Frame, ...]
    notes: tuple[str, ...] = ()
    syntax: _Syntax | None = None
    cause: "_Exception | None" = None
    context: "_Exception | None" = None
    members: "tuple[_Exception, ...]" = ()


class _Record(msgspec.Struct):
    generation: int
    pid: int
    version: str
    implementation: str
    exception: _Exception
    thread: str | None = None
    hang: bool = False
    #: Which share of its life a program that was stopped has used a processor.
    busy: float | None = None
    #: The trace in the interpreter's words, where no copy of what was printed is kept.
    printed: str = ""
    #: Values that stand under a name of a secret: to be hidden, never kept.
    hidden: tuple[str, ...] = ()


def worded(path: str) -> list[str]:
    """Return the traces of an agent's file in the interpreter's own words, in order; the file stays."""
    found: list[str] = []
    try:
        lines = Path(path).read_bytes().splitlines()
    except OSError:
        return found
    for line in lines:
        try:
            text = msgspec.json.decode(line, type=_Record).printed
        except msgspec.MsgspecError:
            continue
        found += [text] if text else []
    return found


def fault_text(path: str) -> bytes:
    """Return what the fault handler wrote when the interpreter itself crashed, and remove it."""
    try:
        data = Path(path + ".fault").read_bytes()
        Path(path + ".fault").unlink()
    except OSError:
        return b""
    return data


def read_records(path: str) -> list[Jam]:
    """Return the jams in an agent's file, without kinds or roots, and remove the file.

    A damaged or foreign line is left out: the printed text still tells the failure.
    """
    try:
        data = Path(path).read_bytes()
        Path(path).unlink()
    except OSError:
        return []
    jams: list[Jam] = []
    for line in data.splitlines():
        try:
            record = msgspec.json.decode(line.decode("utf-8", "replace"), type=_Record)
        except msgspec.MsgspecError:
            continue
        if record.generation == GENERATION:
            secrets.know(record.hidden)
            jam = _jam(record.exception)
            if record.hang:
                jam = msgspec.structs.replace(jam, phase="hang", kind="interrupted", exception_type=None, message=None)
            if record.busy is not None:
                jam = msgspec.structs.replace(jam, facts={**jam.facts, "busy": f"{record.busy:.2f}"})
            jams.append(msgspec.structs.replace(jam, runtime_version=record.version, runtime=_runtime(record)))
    return jams


def _runtime(record: _Record) -> str:
    return record.implementation if record.implementation in ("pypy", "javascript", "r", "lua", "octave") else "python"


def _jam(exception: _Exception) -> Jam:
    frames = [_frame(frame) for frame in exception.frames]
    phase: Phase = "hang" if exception.type == "KeyboardInterrupt" else "run"
    if exception.type in _SYNTAX and exception.syntax is not None and exception.syntax.line is not None:
        place = exception.syntax
        file = place.file or "<unknown>"
        source = place.source.split("\n")[0] if place.source else None
        end = place.end_column if place.end_line == place.line and (place.end_column or 0) > 0 else None
        column = place.column if place.column and place.column > 0 else None
        frames.append(
            Frame(
                file=file,
                line=place.line,
                column=column,
                end_line=place.line if end else None,
                end_column=end,
                source=source.strip() if source else None,
            )
        )
        if not file.startswith("<") or len(frames) == 1:
            phase = "compile"
    links: list[Link] = []
    relation: Relation
    for relation, other in (("caused-by", exception.cause), ("while-handling", exception.context)):
        if other is not None:
            links.append(Link(relation=relation, jam=_jam(other)))
    for member in exception.members:
        links.append(Link(relation="member-of", jam=_jam(member)))
    if exception.members and links:
        frames += next(link.jam.frames for link in links if link.relation == "member-of")
    return Jam(
        runtime="python",
        phase=phase,
        exception_type=exception.type,
        message=exception.message,
        frames=tuple(frames),
        chain=tuple(links),
    )


def _values(values: tuple[_Value, ...]) -> tuple[Value, ...]:
    return tuple(
        Value(
            name=value.name,
            type=value.type,
            text=visible(value.text),
            length=value.length,
            shape=value.shape,
            dtype=value.dtype,
            members=value.members,
        )
        for value in values
    )


def described(line: bytes) -> tuple[Value, ...]:
    """Return the values in one line of JSON.

    Raises:
        msgspec.MsgspecError: the line is damaged.
    """
    return _values(msgspec.json.decode(line, type=tuple[_Value, ...]))


def _frame(frame: _Frame) -> Frame:
    return Frame(
        file=frame.file,
        line=frame.line,
        column=frame.column,
        end_line=frame.end_line,
        end_column=frame.end_column,
        function=frame.function,
        source=frame.source,
        values=_values(frame.values),
    )


def join(printed: list[Jam], recorded: list[Jam]) -> list[Jam]:
    """Give printed jams the positions and values that the agent recorded for the same failures.

    The printed message stays: it is what the user sees, with what the runtime adds to it.
    A recorded failure that was not printed (standard error went elsewhere) is added.
    """
    left = list(recorded)
    joined: list[Jam] = []
    for jam in printed:
        match = next((other for other in left if _same(jam, other)), None)
        if match is None:
            # a cell that could not be cut into words: all that was recorded are the kernel's own frames
            cut = next((other for other in left if _is_cut(jam, other)), None)
            if cut is not None:
                left.remove(cut)
                jam = msgspec.structs.replace(jam, runtime_version=cut.runtime_version)
            joined.append(jam)
            continue
        left.remove(match)
        frames = match.frames if len(match.frames) >= len(jam.frames) else _fill(jam.frames, match.frames)
        message = jam.message
        if (match.message and message and not message.startswith(match.message.split("\n")[0])) or (
            match.message and "\n" in match.message
        ):
            message = match.message
        chain = _join_chain(jam.chain, match.chain)
        joined.append(
            msgspec.structs.replace(
                jam,
                frames=frames,
                message=message,
                chain=chain,
                runtime_version=match.runtime_version,
                runtime=match.runtime,
                phase=match.phase,
                facts={**jam.facts, **match.facts},
            )
        )
    return joined + left


def _same(jam: Jam, other: Jam) -> bool:
    short = (jam.exception_type or "").rsplit(".", 1)[-1]
    if short != (other.exception_type or "").rsplit(".", 1)[-1]:
        return False
    if not jam.frames or not other.frames:
        return True
    # a worker's frames follow in print only
    last = jam.frames[min(len(other.frames), len(jam.frames)) - 1]
    if jam.frames[0].line not in (other.frames[0].line, None):
        return False
    # the interpreter may print no line where the agent knows the one before
    return None in (jam.frames[-1].line, last.line) or other.frames[-1].line in (jam.frames[-1].line, last.line)


def _is_cut(jam: Jam, other: Jam) -> bool:
    return (
        jam.exception_type == other.exception_type
        and bool(jam.frames and other.frames)
        and other.frames[-1].file == "<tokenize>"
        and other.frames[-1].line == jam.frames[-1].line
    )


def _join_chain(printed: tuple[Link, ...], recorded: tuple[Link, ...]) -> tuple[Link, ...]:
    """Take the recorded link where both know it; a worker's printed trace exists only in print."""
    links: list[Link] = []
    for link in printed:
        match = next((other for other in recorded if _same(link.jam, other.jam)), None)
        links.append(Link(relation=link.relation, jam=match.jam) if match else link)
    return tuple(links) or recorded


def _fill(printed: tuple[Frame, ...], recorded: tuple[Frame, ...]) -> tuple[Frame, ...]:
    """Match frames from the outermost on; what only the text has (a worker's frames) stays as printed."""
    frames: list[Frame] = []
    for index, frame in enumerate(printed):
        other = recorded[index] if index < len(recorded) else None
        frames.append(other if other is not None and other.line == frame.line else frame)
    return tuple(frames)


def read_live(exception: BaseException) -> Jam:
    """Describe an exception of this very process with the agent's own means."""
    import json
    import platform

    from jamkey.observe.agents import agent

    described = agent.describe_exception(exception, set())
    record = msgspec.json.decode(json.dumps(described).encode(), type=_Exception)
    jam = _jam(record)
    message = jam.message if jam.message is not None else str(exception)
    return msgspec.structs.replace(jam, runtime_version=platform.python_version(), message=message)
