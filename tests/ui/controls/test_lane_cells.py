"""A lane of what each step plays."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, RIGHT, collect, pixels, wheel
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.lane_cells import PLAYS, LaneCells


@pytest.fixture
def cells(shown):
    made = shown(LaneCells(INK), 320, 30)
    made.show_steps([{"play": "next"}, {"play": 8}, {"play": "rest"}, {"play": "tie"}])
    return made


def test_a_click_goes_on_to_the_next_possibility_and_round(cells):
    changed = collect(cells.changed)
    for x in (40, 120, 280):
        QTest.mouseClick(cells, LEFT, pos=QPoint(x, 15))
    assert changed == [(0, 1), (1, "all"), (3, "next")]


def test_the_right_button_makes_a_rest_and_back(cells):
    changed = collect(cells.changed)
    QTest.mouseClick(cells, RIGHT, pos=QPoint(40, 15))
    QTest.mouseClick(cells, RIGHT, pos=QPoint(200, 15))
    assert changed == [(0, "rest"), (2, "next")]


def test_the_wheel_goes_either_way(cells):
    changed = collect(cells.changed)
    wheel(cells, up=False, place=QPointF(40, 15))
    wheel(cells, place=QPointF(200, 15))
    assert changed == [(0, PLAYS[-1]), (2, "tie")]


def test_arrows_walk_and_change(cells):
    changed = collect(cells.changed)
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Up, Qt.Key.Key_Right, Qt.Key.Key_Down):
        QTest.keyClick(cells, key)
    assert changed == [(3, "next"), (0, "tie")]


def test_the_step_that_sounds_is_filled(cells):
    assert pixels(cells) == 0
    cells.show_lit(1)
    assert pixels(cells) > 1000


def test_an_empty_lane_changes_nothing(shown):
    empty = shown(LaneCells(INK), 320, 30)
    changed = collect(empty.changed)
    QTest.mouseClick(empty, LEFT, pos=QPoint(40, 15))
    QTest.keyClick(empty, Qt.Key.Key_Up)
    wheel(empty)
    assert changed == []
