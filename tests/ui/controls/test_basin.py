"""The polygon in which beads bounce."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, RIGHT, collect, picture, pixels
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.basin import Basin, Wall


@pytest.fixture
def basin(shown):
    made = shown(Basin(INK), 340, 330)
    made.show_walls([Wall(name, False) for name in ("D4", "F4", "A4", "C5", "E5")])
    return made


def middle(basin, wall):
    return ((basin._corner(wall) + basin._corner(wall + 1)) / 2).toPoint()


def test_every_wall_is_found_at_its_middle_and_none_in_the_open(basin):
    assert [basin._wall_at(QPointF(middle(basin, wall))) for wall in range(5)] == [0, 1, 2, 3, 4]
    assert basin._wall_at(QPointF(basin.rect().center())) is None


def test_click_chooses_a_wall_and_the_right_button_silences_it(basin):
    picked, silenced = collect(basin.picked), collect(basin.silenced)
    QTest.mouseClick(basin, LEFT, pos=middle(basin, 2))
    QTest.mouseClick(basin, RIGHT, pos=middle(basin, 3))
    assert picked == [2, 3] and silenced == [3]


def test_arrows_walk_round_and_delete_silences(basin):
    picked, silenced = collect(basin.picked), collect(basin.silenced)
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Delete, Qt.Key.Key_Right):
        QTest.keyClick(basin, key)
    assert picked == [4, 0] and silenced == [4]


def test_fewer_walls_leave_one_of_them_chosen(basin):
    basin._choose(4)
    basin.show_walls([Wall("D4", True)] * 3)
    assert basin.chosen == 2


def test_beads_leave_trails_and_a_wall_that_is_met_glows_for_a_while(basin):
    still = pixels(basin)
    for step in range(8):
        basin.show_beads([(0.05 * step, 0.1)], 1, 0.02 * step)
    assert pixels(basin) > still and basin._struck == {1: 0.0}
    glowing = picture(basin)
    basin.show_beads([(0.35, 0.1)], 1, 3.0)
    assert basin._struck == {} and picture(basin) != glowing
    basin.show_beads([], -1, 4.0)
    assert basin._trails == []
