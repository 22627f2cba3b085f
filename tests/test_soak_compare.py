"""The comparison of a soak finds what is missing, and nothing else."""

from __future__ import annotations

from tools.soak_compare import Missing, Wanted, compare

from arpegon.core.events import note_off, note_on
from arpegon.core.notes.memory import PieceFacts, encode
from arpegon.core.notes.taps import Batch, Passage
from arpegon.files.spool import Spool


def remembered(folder, *played):
    """A memory on disk of notes that strands played, each at a time."""
    spool = Spool(folder, lambda words: None)
    for strand, time, note in played:
        for places in (("in",), ("scale", "out")):
            events = [note_on(time, 0, note, 90), note_off(time + 0.1, 0, note)]
            spool.write(encode(Batch(1, [Passage(strand, places, events)])), time, PieceFacts(1))
    spool.close()
    return Wanted(str(folder), 10.0)


def test_what_was_heard_and_is_remembered_is_not_missing(tmp_path):
    wanted = remembered(tmp_path, ("keys", 11.0, 60), ("keys", 12.0, 60), ("walk", 12.0, 60), ("ear", 13.0, 40))
    heard = [(101.0, 0, 60), (102.0, 1, 60), (103.0, 2, 40)]
    found = compare(heard, wanted)
    assert found.missing == [] and found.heard == 3 and found.first == 101.0 and found.remembered == 4


def test_what_is_not_remembered_or_only_from_before_is_missing(tmp_path):
    wanted = remembered(tmp_path, ("keys", 9.0, 60), ("keys", 11.0, 60), ("walk", 12.0, 62))
    heard = [(101.0, 0, 60), (101.5, 0, 60), (102.0, 0, 62), (103.0, 1, 62)]
    found = compare(heard, wanted)
    assert found.missing == [Missing(0, 60, 1, [101.0, 101.5]), Missing(0, 62, 1, [102.0])]


def test_a_memory_that_is_not_there_misses_all(tmp_path):
    found = compare([(101.0, 0, 60)], Wanted(str(tmp_path / "nowhere"), 0.0))
    assert found.missing == [Missing(0, 60, 1, [101.0])] and found.remembered == 0
    assert compare([], Wanted(str(tmp_path / "nowhere"), 0.0)).heard == 0
