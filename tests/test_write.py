"""Keys on the disk: byte for byte, all or nothing, and back again."""

from __future__ import annotations

import errno
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import jamkey
from jamkey.errors import ChangedSinceRead, NothingToUndo, UnreadableInput
from jamkey.folders import state_folder
from jamkey.model import Edit, Key
from jamkey.text import decode, edited, encoding_of, newlines, splice
from jamkey.trials import write

TEXT = 'name = "Bienenstöcke"\nweights = [31.2, 28.4]\nprint(nmae, weights)\n'


@pytest.fixture(autouse=True)
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    (tmp_path / "work").mkdir()
    monkeypatch.chdir(tmp_path / "work")
    return tmp_path / "work"


def key(*files: str, line: int = 3, column: int = 7, word: str = "name") -> Key:
    edits = tuple(
        Edit(file=file, line=line, column=column, end_line=line, end_column=column + 4, new_text=word) for file in files
    )
    return Key(id="test", title="Write `name`", reason="", confidence=1.0, edits=edits)


@pytest.mark.parametrize(
    "data",
    [
        TEXT.encode(),
        TEXT.replace("\n", "\r\n").encode(),
        TEXT.replace("\n", "\r").encode(),
        TEXT.replace("\n", "\r", 1).replace("\n", "\r\n", 1).encode(),
        b"\xef\xbb\xbf" + TEXT.encode(),
        TEXT.encode("utf-16"),
        b"\xfe\xff" + TEXT.encode("utf-16-be"),
        TEXT.encode("latin-1"),
        # mostly UTF-8, with a few bytes of something else
        TEXT.encode() + "# äöü äöü äöü\n".encode() + b"# \xe4\xf6\xfc\n",
        TEXT.encode().rstrip(b"\n"),
        TEXT.encode() + b"\x0c\n\x1c# odd\n",
    ],
    ids="lf crlf cr mixed bom utf-16-le utf-16-be latin-1 damaged no-end controls".split(),
)
def test_every_other_byte_stays(home: Path, data: bytes) -> None:
    path = home / "hives.py"
    path.write_bytes(data)
    wide = 2 if encoding_of(data) == "utf-16" else 1
    before, after = "nmae", "name"
    if wide == 2:
        coding = "utf-16-le" if data.startswith(b"\xff\xfe") else "utf-16-be"
        wanted = data.replace(before.encode(coding), after.encode(coding))
    else:
        wanted = data.replace(before.encode(), after.encode())
    jamkey.apply(key("hives.py"))
    assert path.read_bytes() == wanted
    assert jamkey.undo() == [str(path)]
    assert path.read_bytes() == data


@given(st.binary(max_size=300).filter(lambda data: b"\0" not in data))
def test_no_change_changes_nothing(data: bytes) -> None:
    assert edited(data, lambda text: text) == data
    assert len(decode(data)) == len(newlines(decode(data)))


@given(st.text(alphabet="ab\r\n", max_size=60), st.integers(1, 20), st.integers(1, 9))
def test_an_empty_edit_changes_nothing(text: str, line: int, column: int) -> None:
    edit = Edit(file="a", line=line, column=column, end_line=line, end_column=column, new_text="")
    assert splice(text, [edit]) == text


def test_a_sign_that_the_encoding_has_not(home: Path) -> None:
    path = home / "hives.py"
    path.write_bytes(TEXT.encode("latin-1"))
    with pytest.raises(UnreadableInput, match="has no sign"):
        jamkey.apply(key("hives.py", word="名"))
    assert path.read_bytes() == TEXT.encode("latin-1")


def test_a_cr_only_program_is_read_and_mended(home: Path) -> None:
    path = home / "hives.py"
    path.write_bytes(TEXT.replace("\n", "\r").encode())
    done = subprocess.run(
        [sys.executable, "-m", "jamkey", "fix", "--yes", "hives.py"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert path.read_bytes() == TEXT.replace("nmae", "name").replace("\n", "\r").encode()


def test_names_that_would_clash(home: Path) -> None:
    (home / "a").mkdir()
    (home / "a" / "b.py").write_text("# one\n\nprint(nmae)\n")
    (home / "a__b.py").write_text("# two\n\nprint(nmae)\n")
    jamkey.apply(key("a/b.py", "a__b.py"))
    assert len(jamkey.undo()) == 2
    assert (home / "a" / "b.py").read_text().startswith("# one")
    assert (home / "a__b.py").read_text().startswith("# two")


def test_undo_is_all_or_nothing(home: Path) -> None:
    for name in ("one.py", "two.py"):
        (home / name).write_text(TEXT)
    jamkey.apply(key("one.py", "two.py"))
    (home / "two.py").write_text("changed by hand\n")
    with pytest.raises(ChangedSinceRead):
        jamkey.undo()
    assert "nmae" not in (home / "one.py").read_text()
    (home / "two.py").write_text(TEXT)  # put back by hand: the rest is put back by us
    jamkey.undo()
    assert (home / "one.py").read_text() == TEXT


def test_undo_works_at_or_below_the_folder_of_the_fix_alone(home: Path) -> None:
    below, above = home / "sub", home.parent
    below.mkdir()
    (home / "hives.py").write_text(TEXT)
    jamkey.apply(key("hives.py"))
    with pytest.raises(NothingToUndo):
        jamkey.undo(above)
    assert jamkey.undo(below) == [str(home / "hives.py")]


def _full(path: Path, *_: object) -> None:
    raise OSError(errno.ENOSPC, "No space left on device", str(path))


def _second(real: Callable[..., None]) -> Callable[..., None]:
    calls: list[Path] = []

    def put(path: Path, *rest: object) -> None:
        calls.append(path)
        if len(calls) > 1:
            _full(path)
        real(path, *rest)

    return put


@pytest.mark.parametrize("step", ["put", "sync", "backup"])
def test_a_full_disk_changes_nothing(home: Path, monkeypatch: pytest.MonkeyPatch, step: str) -> None:
    for name in ("one.py", "two.py"):
        (home / name).write_text(TEXT)
    with monkeypatch.context() as full:
        if step == "put":
            full.setattr(write, "_put", _second(write._put))
        elif step == "sync":
            full.setattr(os, "fsync", _full)
        else:
            full.setattr(Path, "write_bytes", _full)
        with pytest.raises(UnreadableInput, match="nothing was changed"):
            jamkey.apply(key("one.py", "two.py"))
    assert {path.name: path.read_text() for path in home.iterdir()} == {"one.py": TEXT, "two.py": TEXT}
    assert not list((Path(state_folder()) / "undo").iterdir())


def test_links_owner_and_mode_are_kept(home: Path) -> None:
    path, link, soft = home / "hives.py", home / "linked.py", home / "soft.py"
    path.write_text(TEXT)
    path.chmod(0o751)
    os.link(path, link)
    soft.symlink_to("hives.py")
    if os.geteuid() == 0:
        os.chown(path, 1234, 2345)
    was = path.stat()
    jamkey.apply(key("soft.py"))
    for name in (path, link, soft):
        assert "nmae" not in name.read_text()
        assert name.stat().st_ino == was.st_ino
    assert soft.is_symlink()
    now = path.stat()
    assert (now.st_uid, now.st_gid, now.st_mode) == (was.st_uid, was.st_gid, was.st_mode)


def test_the_mode_of_a_plain_file_is_kept(home: Path) -> None:
    path = home / "hives.py"
    path.write_text(TEXT)
    path.chmod(0o640)
    jamkey.apply(key("hives.py"))
    assert path.stat().st_mode & 0o7777 == 0o640


def test_a_read_only_file_is_refused(home: Path) -> None:
    path = home / "hives.py"
    path.write_text(TEXT)
    path.chmod(0o444)
    with pytest.raises(UnreadableInput, match="read-only"):
        jamkey.apply(key("hives.py"))
    assert path.read_text() == TEXT


def test_a_file_elsewhere_is_refused(home: Path) -> None:
    (home.parent / "hives.py").write_text(TEXT)
    with pytest.raises(UnreadableInput, match="not in the project"):
        jamkey.apply(key("../hives.py"))
