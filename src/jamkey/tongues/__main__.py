"""Write layout.json from the catalogues that are installed here: `python -m jamkey.tongues`."""

from __future__ import annotations

from pathlib import Path

import msgspec

from jamkey.tongues.catalogues import found, languages

#: Runtime -> the messages that lay a failure out, as its catalogues have them.
LAYOUT = {
    "r": (
        "Error in %s : ",
        "Error in %s (from %s) : ",
        "Error in ",
        "Error: ",
        "Calls:",
        "Execution halted\n",
        "Warning in %s :",
        "In %s :",
        "Warning:",
        "Warning message:\n",
        "Warning messages:\n",
        "In addition: ",
        "Error during wrapup: ",
        '%s in "%s"',
        '%s in:\n"%s\n%s"',
    ),
    "c": (
        "error: ",
        "fatal error: ",
        "warning: ",
        "note: ",
        "internal compiler error: ",
        "compilation terminated.\n",
        "At top level:",
        "In file included from",
        "In function %qs",
        "In member function %qs",
        "ld returned %d exit status",
        "                 from",
        "`",
        "'",
    ),
}


def main() -> None:
    """Keep what is known of languages that are not installed here."""
    path = Path(__file__).with_name("layout.json")
    table: dict[str, dict[str, dict[str, str]]] = msgspec.json.decode(path.read_bytes()) if path.exists() else {}
    for runtime, wanted in LAYOUT.items():
        for language in languages(runtime):
            words: dict[str, str] = {}
            for original, own in found(runtime, language):
                if original in wanted and original not in words:
                    words[original] = own
            if any(own != original for original, own in words.items()) and not language.startswith("en"):
                table.setdefault(runtime, {})[language] = dict(sorted(words.items()))
    path.write_bytes(msgspec.json.format(msgspec.json.encode(table), indent=1) + b"\n")


if __name__ == "__main__":
    main()
