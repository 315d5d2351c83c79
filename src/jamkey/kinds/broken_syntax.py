"""The text breaks the language's grammar, so nothing of it ran."""

from __future__ import annotations

from importlib import import_module

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis, show
from jamkey.kinds.syntax.sheet import Page, Suggestion
from jamkey.languages.base import Language
from jamkey.text import splice

_RULES = ("brackets", "quotes", "indentation", "tokens", "blocks")
#: Rules for languages whose parser is not at hand: those that need none to be right.
_ELSEWHERE = ("blocks", "quotes", "brackets", "tokens")
#: Suggestions that are parsed, so that a hopeless text does not take long.
_MOST = 80


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
        """Propose small edits, keep those that the grammar accepts, and point at where the mistake began."""
        found = Diagnosis(
            meaning="Nothing has run: the text could not be read as a program. The place named is where reading stopped.",
            look_at="Look at this line, then at the two above it: brackets and quotes in pairs, colons, indentation.",
            avoid=self.avoid,
            causes=list(self.usual),
        )
        frame = scene.frame
        language = scene.language
        if frame is None or frame.line is None:
            return found
        text = scene.sources.text(frame.file)
        if text is None or language is None:
            found.root(frame.file, frame.line, "reading stopped here", 0.6)
            return found
        page = Page(frame.file, text, frame.line, frame.column or 0, scene.jam.message or "", language)
        kept = self._kept(page, language)
        for rank, (suggestion, confidence) in enumerate(kept[:8]):
            found.key(suggestion.id, suggestion.title, suggestion.reason, confidence, suggestion.edits)
            if suggestion.id == "end-block" and suggestion.edits:
                # people look for the mistake where the end should stand, or where the block began
                found.root(frame.file, suggestion.edits[0].line, suggestion.reason, confidence + 0.01)
            if rank < 3:
                found.root(frame.file, suggestion.line, suggestion.reason, confidence - 0.04 * rank)
        if not kept and page.scan.unclosed:
            mark = page.scan.unclosed[-1]
            found.root(frame.file, mark.line, f"the `{mark.text}` here is never closed", 0.8, column=mark.column)
        found.root(frame.file, page.line, "reading stopped here", 0.5)
        if kept:
            best = kept[0][0]
            found.causes.insert(0, best.reason)
            found.meaning = f"Nothing has run: {best.reason}."
            if best.line != page.line:
                found.meaning += f" The mistake began on line {best.line}; line {page.line} is only where reading stopped."
            found.look_at = f"Look at line {best.line}: `{show(page.row(best.line).strip())}`."
        return found

    def _kept(self, page: Page, language: Language) -> list[tuple[Suggestion, float]]:
        """Return the suggestions that mend the text or move the error on, surest first."""
        before = language.first_error(page.text)
        judged: list[tuple[Suggestion, float]] = []
        seen: set[str] = set()
        count = 0
        known = language.name in ("python", "javascript")
        for rule in _RULES if known else _ELSEWHERE:
            if not known and rule in ("brackets", "quotes") and before == 0:
                continue  # they pair up: nothing to say
            for suggestion in import_module(f"jamkey.kinds.syntax.{rule}").suggest(page):
                try:
                    text = splice(page.text, suggestion.edits)
                except ValueError:
                    continue
                if text in seen or text == page.text:
                    continue
                seen.add(text)
                count += 1
                if count > _MOST:
                    break
                confidence = _judge(before, language.first_error(text), suggestion)
                if not known and rule in ("tokens", "brackets"):
                    confidence *= 0.85 if rule == "tokens" else 0.97
                if confidence > 0:
                    judged.append((suggestion, confidence))
        judged.sort(key=lambda item: -item[1])
        return judged


def _judge(before: int | None, after: int | None, suggestion: Suggestion) -> float:
    """Return the confidence left after the parser's word: mended, moved on, no better.

    `before` is None when the parser at hand accepts what the program's own refused; then it cannot judge.
    """
    if before is None or after == 0:
        return suggestion.confidence * 0.95
    if after is None:
        return suggestion.confidence
    if after > before and after > suggestion.line + 1:
        return suggestion.confidence * 0.6
    return 0.0


KIND = BrokenSyntax()
