"""Cut the tables anew: `python -m jamkey.phrases`, after any change to a .toml file here."""

from __future__ import annotations

from pathlib import Path

from jamkey.phrases import _CUT, compile_all
from jamkey.phrases.signs import CUT, compile_signs

if __name__ == "__main__":
    Path(_CUT).write_bytes(compile_all())
    Path(CUT).write_bytes(compile_signs())
