"""Lanes of steps, drawn with the mouse and from the keyboard."""

from __future__ import annotations

import pytest
from gestures import INK, RIGHT, SHIFT, collect, drag, pixels
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.step_lanes import LaneLook, StepLanes

LANES = [
    LaneLook("note", "Note", 48, 72, 1, "line", 106, str),
    LaneLook("velocity", "Velocity", 1, 127, 1, "bar", 60, str),
    LaneLook("length", "Length", 0.05, 2.0, 0.05, "length", 30, str),
]
STEP = {"note": 60, "velocity": 100, "length": 0.5, "play": "note"}


@pytest.fixture
def lanes(shown):
    made = shown(StepLanes(INK, LANES), 400, 217)
    made.show_steps([dict(STEP) for _ in range(8)], [0, 3, 6, 1, 4, 7, 2, 5], 4)
    return made


def spot(lanes, lane, column, share):
    """A spot in a column, ``share`` up the room of a lane."""
    top, height = lanes._room(lane)
    return QPointF((column + 0.5) / 8 * lanes.width(), top + (1.0 - share) * height)


def test_drawing_goes_by_the_order_of_play(lanes):
    drawn, picked, settled = collect(lanes.drawn), collect(lanes.picked), collect(lanes.settled)
    drag(lanes, spot(lanes, 1, 0, 1.0), spot(lanes, 1, 1, 0.0), spot(lanes, 1, 2, 1.0))
    assert drawn == [("velocity", 0, 127.0), ("velocity", 3, 1.0), ("velocity", 6, 127.0)]
    assert picked == [3, 6] and len(settled) == 1


def test_a_drag_stays_in_its_lane_and_in_range(lanes):
    drawn = collect(lanes.drawn)
    drag(lanes, spot(lanes, 0, 2, 0.9), QPointF(125, 900), QPointF(125, -900))
    assert {key for key, _, _ in drawn} == {"note"} and drawn[-1][2] == 72.0 and drawn[-2][2] == 48.0


def test_shift_draws_finely(lanes):
    drawn = collect(lanes.drawn)
    drag(lanes, spot(lanes, 1, 4, 100 / 127), spot(lanes, 1, 4, 0.5), modifiers=SHIFT)
    (_, place, value) = drawn[-1]
    assert place == 4 and 85 <= value < 100


def test_a_length_is_as_wide_as_it_is_drawn(lanes):
    drawn = collect(lanes.drawn)
    cell = lanes._cell(lanes._lane_box(2), 5)
    drag(lanes, QPointF(cell.left() + 0.8 * cell.width(), cell.center().y()))
    assert drawn == [("length", 7, 0.8)]


def test_the_right_button_skips_a_step(lanes):
    skipped, picked = collect(lanes.skipped), collect(lanes.picked)
    drag(lanes, spot(lanes, 0, 3, 0.5), button=RIGHT)
    assert skipped == [1] and picked == [1]


def test_all_of_it_from_the_keyboard(lanes):
    drawn, picked, skipped = collect(lanes.drawn), collect(lanes.picked), collect(lanes.skipped)
    QTest.keyClick(lanes, Qt.Key.Key_Right)
    QTest.keyClick(lanes, Qt.Key.Key_Up)
    QTest.keyClick(lanes, Qt.Key.Key_PageDown)
    QTest.keyClick(lanes, Qt.Key.Key_Down)
    QTest.keyClick(lanes, Qt.Key.Key_Down, SHIFT)
    QTest.keyClick(lanes, Qt.Key.Key_Delete)
    assert picked == [3] and skipped == [3]
    assert drawn == [("note", 3, 61.0), ("velocity", 3, 95.0), ("velocity", 3, 99.0)]


def test_what_sounds_is_darker_and_rests_leave_paper(lanes):
    resting = pixels(lanes)
    lanes.show_lit(2)
    assert pixels(lanes) > resting
    lanes.show_steps([{**STEP, "play": "rest"} for _ in range(8)], range(8), 4)
    assert pixels(lanes) == 0


def test_other_lanes_make_another_height(lanes):
    lanes.show_lanes(LANES[:1])
    assert lanes.height() == 113 and lanes._lane == 0
