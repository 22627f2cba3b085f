"""The keeper of the memory beside a slow disk: nobody waits but its own thread, and nothing is lost."""

from __future__ import annotations

import threading

import pytest

from arpegon.core.events import NOTE_ON, note_off, note_on
from arpegon.core.notes.memory import Remembered
from arpegon.core.notes.taps import Batch, Passage
from arpegon.engine.live import keeper as keeping
from arpegon.engine.live.keeper import MemoryKeeper
from arpegon.files import spool
from arpegon.files.spool import Spool, read_spool
from building import project, strand
from jacking import wait_for


@pytest.fixture
def disk(monkeypatch):
    """A disk that stands still until it is let go; ``asked`` of it is set once somebody wants to write."""
    gate, real = threading.Event(), Spool.write
    gate.asked = threading.Event()

    def write(*what):
        gate.asked.set()
        assert gate.wait(20.0), "somebody waits for the disk"
        return real(*what)

    monkeypatch.setattr(Spool, "write", write)
    yield gate
    gate.set()


def played(time, note):
    return Batch(1, [Passage("a", ("in", "out"), [note_on(time, 0, note, 90), note_off(time + 0.1, 0, note)])])


def notes_of(history):
    return [event.data1 for event in history.generated("a") if event.kind == NOTE_ON]


def test_while_the_disk_stands_still_all_goes_on_and_is_written_in_order_afterwards(disk, tmp_path):
    keeper = MemoryKeeper(lambda words: None)
    keeper.begin(tmp_path / "memory")
    keeper.on_revision(project(strand(name="Bells")), 1)
    keeper.take(played(1.0, 60))
    assert disk.asked.wait(20.0)
    keeper.take(played(2.0, 62))
    keeper.on_revision(project(strand(name="Low bells")), 2)
    keeper.lies_at("bells.arpegon")
    assert notes_of(keeper.history()) == [60, 62] and keeper.open_ends(3.0) == []
    assert not (tmp_path / "memory").exists()
    disk.set()
    keeper.close(discard=False)
    records, said = read_spool(tmp_path / "memory")
    assert notes_of(Remembered(records)) == [60, 62] and Remembered(records).names == {"a": "Low bells"} and not said


def test_what_the_disk_did_not_take_in_time_waits_no_longer_than_it_is_remembered(disk, tmp_path):
    keeper = MemoryKeeper(lambda words: None, seconds=10.0)
    keeper.begin(tmp_path / "memory")
    keeper.on_revision(project(strand()), 1)
    for second in range(1, 31):
        keeper.take(played(float(second), 60))
    assert disk.asked.wait(20.0) and len(keeper._unwritten) <= 12
    disk.set()
    wait_for(lambda: notes_of(Remembered(read_spool(tmp_path / "memory")[0])).count(60) >= 10)
    keeper.close(discard=True)


def test_what_a_disk_refused_is_written_once_it_takes_it_though_nothing_more_is_played(tmp_path, monkeypatch):
    monkeypatch.setattr(spool, "RETRY_SECONDS", 0.01)
    monkeypatch.setattr(keeping, "RETRY_SECONDS", 0.01)
    said = []
    place = tmp_path / "state"
    place.write_text("not a folder")
    keeper = MemoryKeeper(said.append)
    keeper.begin(place / "memory")
    keeper.on_revision(project(strand()), 1)
    for second in range(1, 6):
        keeper.take(played(float(second), 60 + second))
    wait_for(lambda: said)
    assert not keeper.flush()
    place.unlink()
    wait_for(lambda: said[1:] == [""] and keeper.flush())
    records, damage = read_spool(place / "memory")
    assert notes_of(Remembered(records)) == [61, 62, 63, 64, 65] and not damage
    keeper.close(discard=True)


def test_another_document_takes_back_what_was_said_of_the_disk_and_who_hears_it_may_ask_what_is_remembered(tmp_path):
    said = []
    place = tmp_path / "state"
    place.write_text("not a folder")
    keeper = MemoryKeeper(lambda words: keeper.history() and said.append(words))
    keeper.begin(place / "memory")
    keeper.on_revision(project(strand()), 1)
    keeper.take(played(1.0, 60))
    wait_for(lambda: said)
    place.unlink()
    threading.Thread(target=keeper.begin, args=(None,), daemon=True).start()
    wait_for(lambda: said[1:] == [""])


def test_a_fault_while_it_writes_ends_nothing(monkeypatch, tmp_path):
    real, faults = Spool.write, [RuntimeError("no disk at all")]

    def write(*what):
        if faults:
            raise faults.pop()
        return real(*what)

    monkeypatch.setattr(Spool, "write", write)
    keeper = MemoryKeeper(lambda words: None)
    keeper.begin(tmp_path / "memory")
    keeper.on_revision(project(strand()), 1)
    keeper.take(played(1.0, 60))
    wait_for(lambda: not faults)
    keeper.take(played(2.0, 62))
    keeper.close(discard=False)
    assert notes_of(Remembered(read_spool(tmp_path / "memory")[0]))[-1] == 62


def test_what_waits_for_the_disk_is_written_before_another_document_is_worked_on(disk, tmp_path):
    disk.set()
    keeper = MemoryKeeper(lambda words: None)
    keeper.begin(tmp_path / "memory")
    keeper.on_revision(project(strand()), 1)
    keeper.take(played(1.0, 60))
    keeper.on_revision(project(strand(name="Low bells")), 2)
    keeper.begin(tmp_path / "next")
    assert Remembered(read_spool(tmp_path / "memory")[0]).names == {"a": "Low bells"}
    keeper.close(discard=True)
    assert not (tmp_path / "next").exists()
