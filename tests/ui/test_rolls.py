"""What a roll remembers, without a screen."""

from __future__ import annotations

import pytest

from arpegon.core.events import control, note_off, note_on
from arpegon.ui.board.roll_view import BeatRuler
from arpegon.ui.model.paper import Paper, RollLine
from building import notes


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


def test_rolls_pair_strikes_and_forget_the_past():
    line = RollLine()
    line.add([*notes(60, 62), note_on(1.0, 0, 64, 9), control(1.0, 0, 11, 50)])
    assert [(bar.note, bar.end) for bar in line.bars] == [(60, 0.4), (62, 0.9), (64, None)]
    assert line.sounding == {64} and line.moves(500.0, 1.0)
    line.let_go(2.0)
    assert not line.sounding and not line.moves(500.0, 1.0)
    line.prune(100.0)
    assert not line.bars and not line.pens


def test_the_paper_fits_the_range_that_is_played():
    paper = Paper()
    paper.line(0).add(notes(40, 90))
    paper.prune(1.0)
    while paper.ease(0.5):
        pass
    assert (paper.low, paper.high) == (38, 92)


@pytest.mark.parametrize(
    ("after", "ended", "place"),
    [("hxsc", set(), {0: 0, 1: 1, 2: 3, 3: 4}), ("hc", {2, 3}, {0: 0, 1: 1, 2: 2}), ("shc", {1, 2, 3}, {0: 0, 3: 3})],
)
def test_rolls_go_on_where_the_chain_above_them_stays(after, ended, place):
    paper = Paper()
    lines = [paper.line(roll) for roll in range(4)]
    for line in lines:
        line.add([note_on(0.0, 0, 60, 9)])
    paper.restructure("hsc", after, 1.0)
    assert {roll for roll, line in enumerate(lines) if not line.sounding} == ended
    assert all(paper.lines[new] is lines[old] for old, new in place.items())


def test_beat_rules_lie_on_beats_and_bars():
    ruler = BeatRuler()
    ruler.beat, ruler.seconds_per_beat, ruler.beats_per_bar = 5.5, 0.5, 4.0
    assert ruler.lines(1.0) == [(0.25, False), (0.75, True)]
