"""The way of the last note, worked out from the rolls alone."""

from __future__ import annotations

from arpegon.core.events import note_off, note_on
from arpegon.core.theory.pitch import SHARP_NAMES
from arpegon.ui.board.trail import TrailMark, trail
from arpegon.ui.model.paper import RollLine
from building import stage, strand

CHAIN = strand(stage("chord"), stage("sieve"))


def lines(*rolls):
    found = {}
    for place, notes in zip(("in", "chord", "out"), rolls, strict=False):
        found[place] = RollLine()
        for time, note in notes:
            found[place].add([note_on(time, 0, note, 90), note_off(time + 0.1, 0, note)])
    return found


def test_it_follows_the_last_note_and_what_was_struck_with_it():
    rolls = lines([(1.0, 50), (5.0, 60), (5.01, 64)], [(5.0, 60), (5.0, 67)], [(5.2, 67)])
    assert trail(CHAIN, rolls, SHARP_NAMES, 6.0) == [TrailMark("C4 E4"), TrailMark("C4 G4"), TrailMark("G4")]


def test_it_ends_where_nothing_came_out_but_waits_a_moment_first():
    rolls = lines([(5.0, 60)], [(5.0, 60)], [(1.0, 60)])
    assert trail(CHAIN, rolls, SHARP_NAMES, 6.0)[-1] == TrailMark("ends here", True)
    assert trail(CHAIN, rolls, SHARP_NAMES, 5.05) == [TrailMark("C4"), TrailMark("C4")]


def test_what_is_long_ago_is_forgotten_and_many_notes_are_counted():
    assert trail(CHAIN, lines([(1.0, 60)]), SHARP_NAMES, 60.0) == []
    many = lines([(5.0, 60)], [(5.0, note) for note in range(60, 67)], [])
    assert trail(CHAIN, many, SHARP_NAMES, 6.0)[1].text == "C4 C♯4 D4 E♭4 +3"
