"""The one way in and the one way out: plain files, bounded, whole or not at all."""

from __future__ import annotations

import errno
import fcntl
import os
import stat
from pathlib import Path

import pytest

from arpegon.core.errors import FileError
from arpegon.files.atomic import read_bytes, replacing, write_atomic


def test_what_is_no_plain_file_is_neither_read_nor_replaced(tmp_path):
    os.mkfifo(tmp_path / "pipe")
    for odd in (tmp_path / "pipe", Path("/dev/zero"), tmp_path):
        with pytest.raises(FileError, match=r"plain file|folder"):
            read_bytes(odd)
        with pytest.raises(FileError, match=r"plain file|folder"):
            write_atomic(odd, b"new")
    assert (tmp_path / "pipe").is_fifo()


@pytest.mark.parametrize("name", ["a\0b", "x" * 300])
def test_names_that_no_file_can_have_are_said(tmp_path, name):
    with pytest.raises(FileError, match=r"\.$"):
        read_bytes(tmp_path / name)
    with pytest.raises(FileError, match=r"\.$"):
        write_atomic(tmp_path / name, b"new")


def test_files_are_read_up_to_their_limit(tmp_path):
    (tmp_path / "x").write_bytes(b"12345")
    assert read_bytes(tmp_path / "x", limit=5) == b"12345"
    with pytest.raises(FileError, match="larger"):
        read_bytes(tmp_path / "x", limit=4)


def test_a_link_stays_and_what_it_leads_to_is_replaced(tmp_path):
    (tmp_path / "there").mkdir()
    (tmp_path / "there" / "real").write_text("old")
    (tmp_path / "link").symlink_to(tmp_path / "there" / "real")
    write_atomic(tmp_path / "link", b"new")
    assert (tmp_path / "link").is_symlink() and (tmp_path / "there" / "real").read_bytes() == b"new"
    (tmp_path / "dangling").symlink_to(tmp_path / "there" / "fresh")
    write_atomic(tmp_path / "dangling", b"new")
    assert (tmp_path / "there" / "fresh").read_bytes() == b"new"


def test_links_that_lead_in_a_circle_are_said(tmp_path):
    (tmp_path / "a").symlink_to(tmp_path / "b")
    (tmp_path / "b").symlink_to(tmp_path / "a")
    for act in (read_bytes, lambda path: write_atomic(path, b"new")):
        with pytest.raises(FileError, match=r"\.$"):
            act(tmp_path / "a")


def test_a_name_as_long_as_names_may_be_can_be_written(tmp_path):
    file = tmp_path / ("n" * 255)
    write_atomic(file, b"new")
    write_atomic(file, b"newer")
    assert read_bytes(file) == b"newer" and os.listdir(tmp_path) == [file.name]


def test_what_a_killed_program_left_is_taken_away_and_what_is_being_written_stays(tmp_path):
    for name in ("left", "new", "held"):
        (tmp_path / f".arpegon-{name}").write_bytes(b"half")
    (tmp_path / ".arpegon-link").symlink_to(tmp_path / "mine")
    (tmp_path / "mine").write_bytes(b"mine")
    for name in ("left", "held"):
        os.utime(tmp_path / f".arpegon-{name}", (1e9, 1e9))
    with (tmp_path / ".arpegon-held").open("rb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        write_atomic(tmp_path / "x", b"new")
    assert set(os.listdir(tmp_path)) == {"x", "mine", ".arpegon-new", ".arpegon-held", ".arpegon-link"}


def test_what_fails_in_the_middle_leaves_what_was_there(tmp_path):
    (tmp_path / "x").write_bytes(b"old")
    with pytest.raises(RuntimeError), replacing(tmp_path / "x") as file:
        file.write(b"half")
        raise RuntimeError
    assert (tmp_path / "x").read_bytes() == b"old" and os.listdir(tmp_path) == ["x"]


def test_owner_mode_and_other_names_of_a_file_stay(tmp_path):
    file, other = tmp_path / "x", tmp_path / "other"
    file.write_bytes(b"a longer text than the new one")
    file.chmod(0o640)
    other.hardlink_to(file)
    write_atomic(file, b"new")
    assert other.read_bytes() == b"new" and file.stat().st_nlink == 2 and stat.S_IMODE(file.stat().st_mode) == 0o640
    assert sorted(os.listdir(tmp_path)) == ["other", "x"]
    if os.geteuid() == 0:
        other.unlink()
        os.chown(file, 1234, 1234)
        write_atomic(file, b"newer")
        assert (file.stat().st_uid, file.stat().st_gid) == (1234, 1234)


def test_where_the_disk_has_no_room_a_file_with_other_names_is_as_it_was(tmp_path, monkeypatch):
    file = tmp_path / "x"
    file.write_bytes(b"old")
    (tmp_path / "other").hardlink_to(file)

    def full(*_):
        raise OSError(errno.ENOSPC, "no room")

    monkeypatch.setattr(os, "posix_fallocate", full)
    with pytest.raises(FileError, match="the disk is full"):
        write_atomic(file, b"new and longer")
    assert file.read_bytes() == b"old" and sorted(os.listdir(tmp_path)) == ["other", "x"]


def test_a_program_that_is_ended_as_it_begins_to_write_leaves_nothing(tmp_path, monkeypatch):
    really = os.open

    def ended(name, *more, **others):
        handle = really(name, *more, **others)
        if os.path.basename(os.fspath(name)).startswith(".arpegon-"):
            os.close(handle)
            raise SystemExit(143)  # as a handler of SIGTERM does, at any moment
        return handle

    monkeypatch.setattr(os, "open", ended)
    with pytest.raises(SystemExit):
        write_atomic(tmp_path / "x", b"new")
    assert os.listdir(tmp_path) == []
