"""Are failures that a runtime printed in another language read as they are in English?

    python benchmarks/tongues.py [CORPUS] [--quick] [--json FILE]

Each case of R and C of a corpus that runs here is run in English and in every language asked for whose catalogue is
installed (`LANGUAGE`); both texts are read. The same: as many failures, of the same phase, type, kind, facts and frames.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import re
import shutil
import signal
import subprocess
import tempfile
from collections import Counter
from pathlib import Path

from jamkey.model import Jam
from jamkey.pipeline import read
from jamkey.tongues.catalogues import languages

ASKED = {"r": ("de", "fr", "es", "pt_BR", "ru", "zh_CN", "ja", "tr"), "c": ("de", "fr")}
#: Addresses, numbers of processes and names of scratch files differ from run to run.
_CHANCE = re.compile(r"0x[0-9a-f]+|(?<===)\d+(?===)|(?<=/tmp/cc)\w+|(?<=/tmp/Rtmp)\w+|(?<=file)[0-9a-f]{8,}")


def printed(case: Path, language: str) -> str | None:
    """Return what a case prints in a language; None where it cannot run here."""
    command = json.loads((case / "cmd.json").read_text(encoding="utf-8"))
    folder = Path(tempfile.gettempdir(), "jamkey-tongues", case.name)  # the same for every language
    shutil.rmtree(folder, ignore_errors=True)
    try:
        shutil.copytree(case / "src", folder)
        program = subprocess.Popen(
            command["argv"],
            cwd=folder,
            stdin=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            start_new_session=True,
            env={**os.environ, "LC_ALL": "C.UTF-8", "LANGUAGE": language},
        )
        try:
            _, errors = program.communicate(command.get("stdin", "").encode(), timeout=60)
        finally:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(program.pid, signal.SIGKILL)  # and all that it started
    except (OSError, subprocess.TimeoutExpired):
        return None
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    return _CHANCE.sub("0x0", errors.decode("utf-8", "replace"))


def shape(jams: list[Jam]) -> list[object]:
    """Return what must be the same in every language."""
    return [
        (jam.phase, jam.exception_type, jam.kind, jam.facts, [(f.file, f.line, f.function) for f in jam.frames]) for jam in jams
    ]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("corpus", type=Path, nargs="?", default=Path("tests/corpus"))
    parser.add_argument("--quick", action="store_true", help="every fifth case")
    parser.add_argument("--show", action="store_true", help="those that differ")
    parser.add_argument("--json", type=Path)
    given = parser.parse_args()
    same: Counter[tuple[str, str]] = Counter()
    told: Counter[tuple[str, str]] = Counter()
    for runtime, asked in ASKED.items():
        here = [language for language in asked if language in languages(runtime)]
        cases = sorted(path.parent for path in given.corpus.glob(f"{runtime}/*/cmd.json"))
        for case in cases[:: 5 if given.quick else 1]:
            english = printed(case, "en")
            if english is None or not (wanted := shape(read(english))):
                continue
            for language in here:
                text = printed(case, language)
                if text is None or text == english:
                    continue
                told[runtime, language] += 1
                os.environ["LANGUAGE"] = language  # as on the machine that printed it
                found = shape(read(text))
                os.environ["LANGUAGE"] = "en"
                same[runtime, language] += found == wanted
                if found != wanted and given.show:
                    print(f"--- {case.name} {language}\n{text}\n  wanted {wanted}\n  found  {found}")
    print(f"{'runtime':10}{'language':10}{'same':>6}{'of':>6}")
    for key in sorted(told):
        print(f"{key[0]:10}{key[1]:10}{same[key]:>6}{told[key]:>6}")
    if given.json:
        rows = {" ".join(key): {"same": same[key], "of": told[key]} for key in sorted(told)}
        given.json.write_text(json.dumps(rows, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
