"""Text where a number belongs: the line that reads or splits it without converting."""

from __future__ import annotations

import re

from jamkey.follow.scene import Scene
from jamkey.kinds.base import Diagnosis
from jamkey.kinds.clues.project_words import project_lines
from jamkey.model import Edit

#: Runtime -> lines that bring text in, and the mark of a conversion.
_READS = {
    "r": (
        r"\bread\.(?:csv|table|delim)\w*\s*\(|\breadLines\s*\(|\bstrsplit\s*\(|\breadline\s*\(|\bscan\s*\(",
        r"as\.numeric|as\.integer|colClasses|na\.strings",
    ),
    "julia": (r"\bsplit\s*\(|\breadline\s*\(|\breadlines\s*\(", r"parse\s*\(|parse\."),
    "stata": (r"^\s*(?:import|insheet|infile|input)\b", r"destring|numericcols"),
    "octave": (r"\bstrsplit\s*\(|\btextscan\s*\(|\bfgetl\s*\(|\binput\s*\(|\bregexp\s*\(", r"str2double|str2num"),
    "lua": (r":match\s*\(|:gmatch\s*\(|\bio\.read\s*\(", r"tonumber"),
    "javascript": (r"\.split\s*\(|\bprompt\s*\(", r"Number|parseInt|parseFloat|\+\w"),
    "supercollider": (r"\.split\b|readAllString|FileReader", r"asInteger|asFloat"),
}
_MISSING_WORDS = re.compile(r"(?:^|[,;\t])\s*\"?(n/a|NA|na|N/A|null|NULL|none|None|-|\?|missing|unknown)\"?\s*(?=$|[,;\t])")


class ReadAsText:
    """Lines that read, and do not convert."""

    kinds = frozenset(["wrong-type", "unreadable-value"])

    def look(self, scene: Scene, found: Diagnosis) -> None:
        """Offer the reading line, and the word in the data that made the column text."""
        reads = _READS.get(scene.jam.runtime)
        if reads is None:
            return
        reader, converts = re.compile(reads[0]), re.compile(reads[1])
        message = scene.jam.message or ""
        textual = any(
            word in message
            for word in ("numeric", "text", "string", "String", "mismatch", "character", "Primitive", "binary operator")
        )
        if not textual:
            return
        word = self._missing_word(scene)
        for file, line, row, language in project_lines(scene):
            match = reader.search(row) if language else None
            if match is None or converts.search(row):
                continue
            found.root(
                file,
                line,
                f"what is read here stays text{f': `{word}` stands among the numbers' if word else ''}",
                0.8 if word else 0.74,
            )
            if word and scene.traits.names_missing_words and "read." in match[0]:
                at = row.rfind(")")
                edit = Edit(
                    file=file, line=line, column=at + 1, end_line=line, end_column=at + 1, new_text=f', na.strings = "{word}"'
                )
                found.key(
                    "na-strings",
                    f'Say that `{word}` means missing: `na.strings = "{word}"`',
                    "then the column is read as numbers",
                    0.92,
                    [edit],
                )
            lines = re.search(r"\breadLines\s*\([^()]*\)", row)
            if lines is not None and scene.traits.names_missing_words:
                edit = Edit(
                    file=file,
                    line=line,
                    column=lines.start() + 1,
                    end_line=line,
                    end_column=lines.end() + 1,
                    new_text=f'as.numeric(gsub("[^0-9.-]", "", {lines[0]}))',
                )
                found.key(
                    "figures-only",
                    "Keep the figures and turn them into numbers",
                    "the lines hold text beside the figures",
                    0.85,
                    [edit],
                )
            if word and scene.traits.destrings:
                name = (
                    next((n for n in re.findall(r"[A-Za-z_]\w*", scene.row(scene.frame.file, scene.line))[2:]), "")
                    if scene.frame
                    else ""
                )
                if name:
                    end = Edit(
                        file=file,
                        line=line + 1,
                        column=1,
                        end_line=line + 1,
                        end_column=1,
                        new_text=f'destring {name}, replace ignore("{word}")\n',
                    )
                    found.key(
                        "destring", f"Turn `{name}` into numbers behind the import", f"`{word}` stands among them", 0.9, [end]
                    )

    def _missing_word(self, scene: Scene) -> str:
        for file in scene.sources.data_files():
            for row in (scene.sources.text(file) or "").split("\n")[1:2000]:
                match = _MISSING_WORDS.search(row)
                if match:
                    return match[1]
        return ""


CLUE = ReadAsText()
