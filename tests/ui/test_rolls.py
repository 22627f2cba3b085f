"""What a roll remembers, without a screen."""

from __future__ import annotations

from arpegon.core.events import note_off, note_on
from arpegon.ui.rolls import RollLine


def test_what_is_in_sight_is_what_sounds_or_ended_of_late():
    line = RollLine()
    line.add([note_on(0.0, 0, 40, 90)])
    for place in range(60):
        line.add([note_on(1.0 + place, 0, 60, 90), note_off(1.5 + place, 0, 60)])
    assert sorted(bar.start for bar in line.in_sight(58.9)) == [0.0, 59.0, 60.0]
    line.add([note_off(61.0, 0, 40)])
    assert [bar.note for bar in line.in_sight(60.9)] == [40]
    assert line.since(59.0) == 2 and line.notes_since(0.0) == {40, 60}
    line.prune(120.0)
    assert not line.bars and not line.ended


def test_all_that_is_open_is_let_go():
    line = RollLine()
    line.add([note_on(0.0, 0, 40, 90), note_on(0.0, 0, 41, 90)])
    assert line.sounding == {40, 41}
    line.let_go(2.0)
    assert line.sounding == set() and sorted(bar.end for bar in line.in_sight(1.0)) == [2.0, 2.0]
