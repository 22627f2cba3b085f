"""Stories of stages that work on a take: they count its beats, at all of its tempi."""

from __future__ import annotations

import pytest

from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Note, Sheet
from arpegon.ui.model.take_stage import plan_stage


def sheet(*starts, length=0.5):
    return Sheet(tuple(Note(start, start + length, 60, 90) for start in starts), ())


def starts(plan):
    return [round(note.start, 2) for note in plan.sheet.notes]


def test_a_grid_counts_from_the_bars_of_the_take_and_not_from_the_first_note():
    plan = plan_stage(sheet(5.3, 6.6), (), Course(), "grid", {"rate": "1/4", "catch": 0})
    assert starts(plan) == [6.0, 7.0]


@pytest.mark.parametrize("tempi", [((0.0, 120.0), (4.0, 60.0)), ((0.0, 60.0), (6.5, 200.0))])
def test_an_echo_of_a_take_keeps_its_distance_in_beats_at_every_tempo(tempi):
    course = Course(tempi=tempi)
    plan = plan_stage(sheet(1.0, 8.0), (), course, "echo", {"rate": "1/2", "repeats": 1, "fade": 100})
    assert starts(plan) == [1.0, 3.0, 8.0, 10.0]


def test_a_grid_of_bars_knows_the_meters_of_the_take():
    course = Course(meters=((0.0, (4, 4), 1), (8.0, (3, 4), 3)))
    plan = plan_stage(sheet(9.2, 12.0), (), course, "grid", {"rate": "1 bar", "catch": 0})
    assert starts(plan) == [11.0, 14.0]
