"""The text breaks the language's grammar, so nothing of it ran."""

from __future__ import annotations

import math
import os
from difflib import SequenceMatcher
from importlib import import_module
from pathlib import Path

from jamkey.follow.frames import asked_by
from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, show
from jamkey.kinds.syntax.sheet import Page
from jamkey.languages.base import Language
from jamkey.languages.scan import PAIRS, scan
from jamkey.model import Edit
from jamkey.repair.ground import Edit as Slip
from jamkey.repair.judges import available, is_refused_whole, parses
from jamkey.repair.mend import Mended, mend
from jamkey.repair.of_prompts import prompt_of
from jamkey.repair.of_quotes import LOOK_ALIKES
from jamkey.repair.older import Older, older
from jamkey.text import position, splice

#: Rules for languages whose parser is not at hand: those that need none to be right.
_RULES = ("blocks", "quotes", "brackets")
_MOST = 80
#: Sorts of edits that take a sign for another than was meant.
_OF_FINGERS = ("exchange", "neighbour", "spell", "replace", "join", "swap")
#: What an edit of signs is worth where the grammar is whole.
_WHOLE = 0.1


class BrokenSyntax:
    """See the module."""

    name = "broken-syntax"
    title = "text that breaks the language's grammar"
    about = (
        "The program did not start: its text cannot be read as the language. The place named is where the reader could "
        "not go on; the mistake is there or somewhere above it."
    )
    usual = (
        "a bracket, quote or block is not closed, often on a line above",
        "a colon, comma or operator is missing",
        "the indentation does not fit the block",
        "a keyword is misspelt, or is used as a name",
    )
    avoid = "Run after every few new lines, and let the editor close brackets and quotes."
    example = 'for hive in ["oak", "brook"]\n    print(hive)\n'

    def diagnose(self, scene: Scene) -> Diagnosis:
        """Search the smallest edits that the parser accepts, and point at where the mistake began."""
        frame = scene.frame
        nothing = "Nothing has run"
        if frame is not None and asked_by(scene.jam) is not None:
            nothing = f"Nothing in `{os.path.basename(frame.file)}` has run"
        found = Diagnosis(
            kind=self.name,
            meaning=f"{nothing}: the text could not be read as a program."
            + (" The place named is where reading stopped." if frame is not None else ""),
            look_at="Look at this line, then at the two above it: brackets and quotes in pairs, colons, indentation.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        language = scene.language
        if frame is None or frame.line is None:
            return found
        text = scene.sources.text(frame.file)
        if text is None or language is None:
            found.root(frame.file, frame.line, "reading stopped here", "stopped")
            return found
        message = scene.jam.wording or ""
        ending = os.path.splitext(frame.file)[1].lower()
        stop = (frame.column, frame.end_column or frame.column) if frame.column else None
        version = scene.jam.runtime_version or ""
        past = older(text, version, frame.line, message) if language.name == "python" else None
        if past is not None:
            _of_version(found, past, frame.file, text, nothing, version)
            found.root(frame.file, frame.line, "reading stopped here", "stopped-below")
            return found
        beside = str((scene.sources.root or Path()) / os.path.dirname(frame.file))
        mended = mend(text, frame.line, language, message=message, version=version, ending=ending, stop=stop, folder=beside)
        # where the language's own parser is asked, what it takes says more than that a tree fits the text as it is
        whole = is_refused_whole(text, language, ending, version) and not (mended and parses(language.name))
        if whole:
            # no finger has slipped: names, blocks or their order are wrong, which the search knows more of
            mended = [item for item in mended if item.edits[0].sort not in _OF_FINGERS] if available(language.name) else []
        rows = text.split("\n")
        rows += [""] * (max(frame.line - len(rows), 0) + 2)  # a trace, or an edit, may name a line that is not there
        for rank, item in enumerate(mended[:6]):
            line, title, reason = words_of_edit(text, item.edits[0], frame.line)
            sure = _sure(mended, item) * (_WHOLE if whole and item.edits[0].sort != "indent" else 1.0)
            opener = _opener(text, item.edits[0], language)
            if not rows[line - 1].strip():
                line = opener or next((above for above in range(line, 0, -1) if rows[above - 1].strip()), line)
            if len(item.edits) > 1:
                title += f", then {words_of_edit(item.edits[0].of(text), item.edits[1], frame.line)[1]}"
            edits = edits_of(frame.file, text, item)
            told = False
            found.key(
                f"{item.edits[0].sort}-{line}-{rank}", title[:1].upper() + title[1:], reason, edits, known="mended", sure=sure
            )
            if item.edits[0].sort == "line" and item.edits[0].new.strip():
                # where the end of a block is missing people look at the last line of the block
                above = next((row for row in range(line - 1, 0, -1) if rows[row - 1].strip()), line)
                found.root(frame.file, above, reason, "mended", sure=sure)
                told = True
            elif opener and opener != line:
                # where a text ends nothing tells, where a bracket closes its edit does
                known = "unclosed-bracket" if item.edits[0].new.strip()[:1] in PAIRS.values() else "unclosed-text"
                found.root(frame.file, opener, f"what begins on line {opener} is never closed", known, sure=sure)
                told = known == "unclosed-text"
            found.root(frame.file, line, reason, "mended-after" if told else "mended", sure=sure)
        if whole:
            found.meaning = f"{nothing}: the compiler can read the text, and does not take what this line says."
            found.look_at = f"Look at line {frame.line}: `{show(scene.row(frame.file, frame.line).strip())}`."
            found.causes.clear()
            self._without_return(scene, found, nothing)
        elif mended:
            line, _, reason = words_of_edit(text, mended[0].edits[0], frame.line)
            if not rows[line - 1].strip():
                line = found.roots[0].line
            found.causes.insert(0, reason)
            found.meaning = f"{nothing}: {reason}."
            if line != frame.line:
                found.meaning += f" The mistake began on line {line}; line {frame.line} is only where reading stopped."
            found.look_at = f"Look at line {line}: `{show(scene.row(frame.file, line).strip())}`."
        else:
            self._by_rules(Page(frame.file, text, frame.line, frame.column or 0, message, language), language, found)
        found.root(frame.file, frame.line, "reading stopped here", "stopped-below")
        return found

    def _without_return(self, scene: Scene, found: Diagnosis, nothing: str) -> None:
        """A function that promises a value, and has a way through it that gives none."""
        code, frame = scene.code, scene.frame
        if code is None or frame is None or "return" not in (scene.jam.wording or ""):
            return
        ended = [function for function in code.functions() if function.last_line == frame.line and function.falls_off]
        if len(ended) != 1:
            return
        (function,) = ended
        last = next(
            (row for row in range(function.last_line - 1, function.span.line, -1) if scene.row(frame.file, row).strip()), 0
        )
        found.meaning = f"{nothing}: `{function.name}` promises a value, and there is a way through it that gives none back."
        found.look_at = f"Go through `{function.name}` for a case in which no `return` is met before line {function.last_line}."
        found.causes.append("a case is left out: the one in which no condition holds")
        if last:
            found.root(frame.file, last, f"behind this `{function.name}` ends without giving a value back", "end")

    def _by_rules(self, page: Page, language: Language, found: Diagnosis) -> None:
        """Propose what needs no parser to be right: ends of blocks, quotes and brackets in pairs."""
        before = language.first_error(page.text)
        for rule in _RULES:
            if rule in ("brackets", "quotes") and before == 0:
                continue  # they pair up: nothing to say
            for suggestion in import_module(f"jamkey.kinds.syntax.{rule}").suggest(page):
                try:
                    after = language.first_error(splice(page.text, suggestion.edits))
                except ValueError:
                    continue
                if len(found.keys) < _MOST and (before is None or after in (None, 0)):
                    found.key(suggestion.id, suggestion.title, suggestion.reason, suggestion.edits, rank=suggestion.rank)
                    found.root(page.file, suggestion.line, suggestion.reason, suggestion.id, rank=suggestion.rank)
        if not found.roots and page.scan.unclosed:
            mark = page.scan.unclosed[-1]
            found.root(page.file, mark.line, f"the `{mark.text}` here is never closed", "unclosed", column=mark.column)


def _of_version(found: Diagnosis, past: Older, file: str, text: str, nothing: str, version: str) -> None:
    """Say that a text is newer than the Python that read it, and offer it in what that one knows."""
    word, since = past.first.word, f"{past.first.since[0]}.{past.first.since[1]}"
    ran = f"Python {version}" if past.version is not None else "the Python that ran it"
    reason = f"`{word}` needs Python {since} or newer"
    found.meaning = f"{nothing}: {reason}, and {ran} is older. As newer versions read it, the text is whole."
    found.look_at = f"Run it with Python {since} or newer, or write line {past.first.line} without `{word}`."
    found.causes = [reason, "another Python is started than the one that the program was written for"]
    found.root(file, past.first.line, reason, "newer")
    if past.text is None:
        return
    rows, made = text.split("\n"), past.text.split("\n")
    edits = []
    for tag, first, last, begin, end in SequenceMatcher(None, rows, made, autojunk=False).get_opcodes():
        if tag != "equal":
            new = "".join(row + "\n" for row in made[begin:end])
            edits.append(Edit(file=file, line=first + 1, column=1, end_line=last + 1, end_column=1, new_text=new))
    found.key("older", f"Write it as {ran} reads it, without `{word}`", reason, edits)


def _sure(mended: list[Mended], item: Mended) -> float:
    """Return the share of an edit among those that mend the text, by their costs."""
    least = mended[0].cost
    whole = sum(math.exp(least - other.cost) for other in mended[:8])
    return math.exp(least - item.cost) / whole


def edits_of(file: str, text: str, item: Mended) -> list[Edit]:
    """Return the edits of a mended text as of lines and columns."""
    if len(item.edits) == 1:
        edit = item.edits[0]
        return [edit_of(file, text, start, end, new) for start, end, new in ((edit.start, edit.end, edit.new), *edit.more)]
    if len(item.edits) == 2:
        first, second = item.edits
        grown = len(first.new) - (first.end - first.start)
        if second.start >= first.start + len(first.new) and not first.more and not second.more:
            spans = [(first.start, first.end, first.new), (second.start - grown, second.end - grown, second.new)]
            return [edit_of(file, text, *span) for span in spans]
    # edits into one another: the stretch that they change
    start = len(os.path.commonprefix([text, item.text]))
    tail = len(os.path.commonprefix([text[start:][::-1], item.text[start:][::-1]]))
    return [edit_of(file, text, start, len(text) - tail, item.text[start : len(item.text) - tail])]


def edit_of(file: str, text: str, start: int, end: int, new: str) -> Edit:
    """Return the edit that puts a text in the place of a half-open range of characters."""
    line, column = position(text, start)
    end_line, end_column = position(text, end)
    return Edit(file=file, line=line, column=column, end_line=end_line, end_column=end_column, new_text=new)


def _opener(text: str, edit: Slip, language: Language) -> int:
    """Return the line of what an edit closes, 0 where it closes nothing."""
    closed = edit.new.strip()
    if not closed.startswith((*PAIRS.values(), *language.style.quotes)) or text[edit.start : edit.end].strip():
        return 0
    marks = scan(text[: edit.start], language.style)
    for mark in reversed((*marks.unclosed, *marks.open_quotes)):
        if closed.startswith(PAIRS.get(mark.text, mark.text)):
            return mark.line
    return 0


def _ticked(words: str) -> str:
    """Return a piece of code in backticks; one that holds a backtick between plain quotes."""
    return f"`{words}`" if "`" not in words else f'"{words}"'


def words_of_prompt(prompt: str, line: int, printed: bool) -> tuple[str, str]:
    """Return what to do about the prompts in a text, and what is wrong there."""
    more = " and what it printed" if printed else ""
    return f"take out the prompts of the console{more}", f"line {line} begins with the prompt of a console, `{prompt}`"


def words_of_edit(text: str, edit: Slip, stopped: int) -> tuple[int, str, str]:
    """Return the line of an edit, what to do and what is wrong there, true of the text."""
    line, _ = position(text, edit.start)
    old, new = show(text[edit.start : edit.end].strip()), show(edit.new.strip())
    if edit.sort == "indent":
        also = f" and the {len(edit.more)} below it" if edit.more else ""
        return line, f"indent line {line}{also} as its block wants it", f"line {line} is not indented as its block wants it"
    if edit.sort == "alike":
        odd = next((sign for sign in text[edit.start : edit.end] if sign in LOOK_ALIKES), "")
        if odd:
            meant = LOOK_ALIKES[odd].strip() or "a plain blank"
            return (
                line,
                f"write `{meant}` on line {line}",
                f"a sign on line {line} (U+{ord(odd):04X}) only looks like `{meant}`",
            )
        if edit.end - edit.start == len(text):
            return stopped, "indent with blanks throughout", f"line {stopped} mixes tabs and blanks with the lines around it"
        ahead = text[edit.start : edit.end]
        if prompt_of(ahead):
            return line, *words_of_prompt(ahead.strip(), line, any("\n" in text[start:end] for start, end, _ in edit.more))
        return (
            line,
            f"take out what is not code, from line {line} on",
            f"line {line} begins with {_ticked(show(ahead.strip()))}, no code",
        )
    if edit.sort == "line" and new:
        if edit.new.startswith("\n"):
            line += 1
        return line, f"put {_ticked(new)} on a line of its own, line {line}", f"{_ticked(new)} is missing at line {line}"
    if edit.sort == "join" and "\n" in text[edit.start : edit.end]:
        return line, f"join line {line} with the next one", f"line {line} ends in the middle"
    if edit.sort == "cut" and "\n" in edit.new:
        return line, f"begin a new line in line {line}", f"two lines stand in one, line {line}"
    if edit.sort == "exchange" and "\n" in edit.new:
        sign = _ticked(new or old)
        if not (new or old):
            return line, f"move a blank from line {line} to the next", f"a blank at the end of line {line} belongs to the next"
        return (
            line,
            f"put {sign} at the end of line {line}",
            f"{sign} at the beginning of line {line + 1} belongs to line {line}",
        )
    if edit.sort in ("swap", "join", "cut", "replace", "spell", "exchange", "neighbour") and old:
        return (
            line,
            f"write {_ticked(new)} instead of {_ticked(old)} on line {line}",
            f"{_ticked(old)} stands on line {line} where {_ticked(new)} belongs",
        )
    if edit.new.strip() and not old:
        more = show("".join(item[2] for item in edit.more).strip())
        both = f"{_ticked(new)} and {_ticked(more)}" if more else f"{_ticked(new)}"
        return line, f"put in {both} on line {line}", f"{both} {'are' if more else 'is'} missing on line {line}"
    return (
        line,
        f"leave out {_ticked(old) if old else 'the blank'} on line {line}",
        f"{_ticked(old) if old else 'a blank'} is one too many on line {line}",
    )


KIND = BrokenSyntax()
