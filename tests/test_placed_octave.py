"""What Octave's own functions refuse is the program's line that called them, however long the message is."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from jamkey.pipeline import read, read_and_diagnose

#: What a line of a program does -> the kind of what Octave says.
REFUSED = {
    "label = strjoin(kilos);": "wrong-arguments",
    "label = regexprep();": "wrong-arguments",
    "label = mat2str('a', 2, 3, 4);": "wrong-arguments",
    "label = cell2mat(kilos);": "wrong-type",
    "label = polyfit(kilos, [1 2], 1);": "wrong-count",
    "label = fieldnames(kilos);": "wrong-arguments",
    "label = inv([1 2 3]);": None,
    "label = rmfield(struct('a', 1), 'b');": "no-such-key",
    "label = cellfun(@(kilo) nchoosek(kilo, 0.5), {4});": None,
}
#: How the line is reached; `LINE` stands for it.
PROGRAMS = {
    "in the script": "1;\nkilos = [3 4 5];\nLINE\ndisp(label);\n",
    "in a function of the script": (
        "1;\nfunction label = written(kilos)\n  if numel(kilos) > 1\n    LINE\n  end\nend\ndisp(written([3 4 5]));\n"
    ),
    "in a function that a library calls": (
        "1;\nfunction label = written(kilos)\n  label = '';\n  LINE\nend\n"
        "shown = cellfun(@(one) written(one), {3, 4}, 'UniformOutput', false);\n"
    ),
}


def printed(text: str, folder: Path, **more: str) -> str:
    for name, source in {"hives.m": text, **more}.items():
        (folder / name.replace("_m", ".m")).write_text(source)
    done = subprocess.run(["octave-cli", "hives.m"], cwd=folder, capture_output=True, text=True, timeout=60)
    assert done.returncode
    return done.stderr


@pytest.mark.spread(2)
@pytest.mark.parametrize("refused", REFUSED)
@pytest.mark.parametrize("place", PROGRAMS)
def test_the_line_that_called(place: str, refused: str, tmp_path: Path) -> None:
    text = PROGRAMS[place].replace("LINE", refused)
    [line] = [number for number, row in enumerate(text.split("\n"), 1) if row.strip() == refused]
    jam = read_and_diagnose(printed(text, tmp_path), root=tmp_path)[-1]
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line) == ("hives.m", line)
    assert REFUSED[refused] in (None, jam.kind)
    assert {frame.owner for frame in jam.frames if frame.file.startswith("<octave>")} <= {"runtime"}
    assert all(frame.line is None or frame.line <= text.count("\n") for frame in jam.frames if frame.owner == "yours")


def test_how_a_function_is_used_belongs_to_the_message(tmp_path: Path) -> None:
    [jam] = read(printed("1;\nlabel = strjoin(3);\n", tmp_path))
    rows = (jam.message or "").split("\n")
    assert rows[0].startswith("Invalid call to strjoin")
    assert any("strjoin (CSTR)" in row for row in rows[1:])
    assert [frame.function for frame in jam.frames][-2:] == ["strjoin", "print_usage"]


def test_a_function_in_a_file_of_its_own_is_the_programs(tmp_path: Path) -> None:
    text = printed(
        "label = written([3 4]);\n", tmp_path, written_m="function label = written(kilos)\n  label = strjoin(kilos);\nend\n"
    )
    jam = read_and_diagnose(text, root=tmp_path)[-1]
    assert jam.snag_frame is not None
    assert (jam.snag_frame.file, jam.snag_frame.line) == ("written.m", 2)
