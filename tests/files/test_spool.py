"""The memory on disk: appended, bounded, cut anywhere, of another version, on a full disk, and by two programs."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.events import note_off, note_on
from arpegon.core.notes.memory import Memory, PieceFacts, Remembered, encode
from arpegon.core.notes.taps import Batch, Passage
from arpegon.files import spool as spool_module
from arpegon.files.autosave import Autosave
from arpegon.files.spool import SEGMENT_SECONDS, Spool, discard_spool, has_spool, piece_of, read_spool

PIECE = PieceFacts(1, 96.0, (4, 4), (("a", "Harbour"),), "Tide", "/music/tide.arpegon")


def batch(time, note=60):
    return Batch(1, [Passage("a", ("in", "out"), [note_on(time, 0, note, 90), note_off(time + 0.1, 0, note)])])


def written(folder, *times, said=None):
    spool = Spool(folder, (said if said is not None else []).append)
    for time in times:
        spool.write(encode(batch(time)), time, PIECE)
    return spool


def starts(records):
    return [event.time for event in Remembered(records).generated("a") if event.kind == 0x90]


def test_what_was_written_is_read_again_without_being_closed(tmp_path):
    written(tmp_path, 1.0, 2.0, 3.0)
    records, said = read_spool(tmp_path)
    assert starts(records) == [1.0, 2.0, 3.0] and not said
    assert Remembered(records).piece == PIECE


def test_nothing_is_made_before_there_is_something(tmp_path):
    Spool(tmp_path / "x", lambda text: None)
    assert not (tmp_path / "x").exists() and not has_spool(tmp_path / "x")


def test_what_was_said_last_of_the_piece_is_found_without_reading_all(tmp_path, monkeypatch):
    assert piece_of(tmp_path) == PieceFacts(0)
    spool, read, real = written(tmp_path, *range(0, 300, 5)), [], Path.read_bytes
    renamed = msgspec.structs.replace(PIECE, title="Fog")
    spool.write(encode(renamed), 300.0, PIECE)
    monkeypatch.setattr(Path, "read_bytes", lambda path: read.append(path) or real(path))
    assert piece_of(tmp_path) == renamed and len(read) == 1
    files = sorted(tmp_path.iterdir())
    files[-1].write_bytes(b"")
    assert piece_of(tmp_path) == PIECE
    for path in files:
        path.write_bytes(b"")
    assert piece_of(tmp_path) == PieceFacts(0)


def test_only_the_last_ten_minutes_stay_on_disk(tmp_path):
    written(tmp_path, *range(0, 1800, 5))
    records, _ = read_spool(tmp_path)
    times = starts(records)
    assert times[-1] == 1795 and 1795 - times[0] <= 600 + 2 * SEGMENT_SECONDS
    assert Remembered(records).names == {"a": "Harbour"}, "every file begins with the names"


def test_what_came_since_a_moment_is_held_within_bounds(tmp_path, monkeypatch):
    spool = Spool(tmp_path, print)
    spool.held_since = 300.0
    for time in range(0, 3600, 5):
        spool.write(encode(batch(time)), time, PIECE)
    times = starts(read_spool(tmp_path)[0])
    assert times[-1] == 3595 and 300 - 2 * SEGMENT_SECONDS <= times[0] <= 300
    monkeypatch.setattr(spool_module, "MAX_BYTES", 4000)
    for time in range(3600, 3700, 5):
        spool.write(encode(batch(time)), time, PIECE)
    assert sum(file.stat().st_size for file in tmp_path.iterdir()) < 5000
    assert starts(read_spool(tmp_path)[0])[-1] == 3695


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_it_may_be_cut_anywhere_and_changed_anywhere(tmp_path_factory, data):
    folder = tmp_path_factory.mktemp("spool")
    written(folder, *range(20))
    (file,) = folder.iterdir()
    content = bytearray(file.read_bytes())
    place = data.draw(st.integers(0, len(content) - 1))
    cut = data.draw(st.booleans())
    if cut:
        file.write_bytes(content[:place])
    else:
        content[place] ^= data.draw(st.integers(1, 255))
        file.write_bytes(content)
    records, said = read_spool(folder)
    times = starts(records)
    assert times == list(range(len(times))), "what stands before the damage is read, and nothing else"
    assert cut or said.endswith("."), "a change is never passed over"


def test_a_cut_is_said_and_another_version_too(tmp_path):
    written(tmp_path, 1.0, 2.0)
    (file,) = tmp_path.iterdir()
    whole = file.read_bytes()
    file.write_bytes(whole[:-3])
    records, said = read_spool(tmp_path)
    assert starts(records) == [1.0] and "cut in the middle" in said
    file.write_bytes(whole.replace(b"arpegon-memory 1", b"arpegon-memory 7", 1))
    records, said = read_spool(tmp_path)
    assert records == [] and "version 7" in said and "version 1" in said


def test_a_folder_that_cannot_be_written_to_is_said_once_and_tried_again(tmp_path, monkeypatch):
    said, now = [], [0.0]
    monkeypatch.setattr(spool_module, "monotonic", lambda: now[0])
    place = tmp_path / "file"
    place.write_text("not a folder")
    spool = Spool(place / "memory", said.append)
    for time in range(100):
        now[0] = time
        assert not spool.write(encode(batch(time)), time, PIECE)
    assert len(said) == 1 and "cannot be written to disk" in said[0]
    place.unlink()
    assert not spool.write(encode(batch(100)), 100, PIECE), "it is not tried at every record"
    now[0] += spool_module.RETRY_SECONDS
    assert all(spool.write(encode(batch(time)), time, PIECE) for time in range(100, 140))
    assert said[1:] == [""] and starts(read_spool(place / "memory")[0]) == [*range(100, 140)]


@pytest.mark.parametrize("room", range(0, 700, 23))
def test_on_a_disk_that_is_full_all_that_was_written_is_whole(tmp_path, monkeypatch, room):
    """However little finds room: a record that does not is cut off again, and no file is left that holds nothing."""
    said, now, left, memory = [], [0.0], [room], Memory()
    real = os.write

    def write(file, content):
        if not left[0]:
            raise OSError(errno.ENOSPC, "No space left on device")
        written = real(file, content[: left[0]])
        left[0] -= written
        return written

    monkeypatch.setattr(spool_module, "monotonic", lambda: now[0])
    monkeypatch.setattr(os, "write", write)
    spool = Spool(tmp_path, said.append)
    taken = []
    for time in range(12):
        memory.remember(batch(time))
        taken += [time] * spool.write(encode(batch(time)), time, PIECE)
    assert len(taken) < 12 and len(memory.history().generated("a")) == 24
    assert len(said) == 1 and "the disk is full" in said[0]
    now[0], left[0] = 100.0, 10_000
    taken += [time for time in range(20, 24) if spool.write(encode(batch(time)), time, PIECE)]
    records, damage = read_spool(tmp_path)
    assert starts(records) == taken and taken[-4:] == [20, 21, 22, 23] and not damage and said[1:] == [""]


@pytest.mark.skipif(not os.path.exists("/dev/full"), reason="needs /dev/full")
def test_a_full_disk_is_said_and_the_memory_goes_on(tmp_path, monkeypatch):
    said, memory = [], Memory()
    spool = Spool(tmp_path, said.append)
    real = os.open
    monkeypatch.setattr(os, "open", lambda path, *rest: real("/dev/full", os.O_WRONLY))
    for time in range(5):
        memory.remember(batch(time))
        spool.write(encode(batch(time)), time, PIECE)
    assert len(said) == 1 and "the disk is full" in said[0]
    assert len(memory.history().generated("a")) == 10


def test_two_programs_on_one_folder_keep_apart(tmp_path):
    first, second = Autosave(tmp_path), Autosave(tmp_path)
    written(first.memory, 1.0)
    written(second.memory, 2.0)
    assert first.memory != second.memory and first.leftovers() == second.leftovers() == []
    first.lock.release()
    (left,) = second.leftovers()
    assert starts(read_spool(left.place.memory)[0]) == [1.0] and left.origin.name == "tide.arpegon"
    assert left.project is None and left.title == "Tide"


def test_it_is_for_the_user_alone_and_can_be_thrown_away(tmp_path):
    spool = written(tmp_path / "m", 1.0)
    (file,) = (tmp_path / "m").iterdir()
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    spool.close()
    assert has_spool(tmp_path / "m")
    discard_spool(tmp_path / "m")
    assert not (tmp_path / "m").exists()
