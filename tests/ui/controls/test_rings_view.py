"""Rings of evenly spread hits."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, collect, drag, picture, wheel
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.rings_view import RingLook, RingsView

OUTER = RingLook([step % 4 == 0 for step in range(16)], "Quay", False)
INNER = RingLook([True, False, True], "Bell", False)


@pytest.fixture
def rings(shown):
    made = shown(RingsView(INK), 340, 340)
    made.show_rings([OUTER, INNER])
    return made


def test_a_ring_is_chosen_by_a_click_on_it_and_not_in_the_middle(rings):
    picked = collect(rings.picked)
    QTest.mouseClick(rings, LEFT, pos=rings._spot(1, 0).toPoint())
    QTest.mouseClick(rings, LEFT, pos=rings.rect().center())
    assert picked == [1]


def test_dragging_round_turns_it_step_by_step(rings):
    turned, settled = collect(rings.turned), collect(rings.settled)
    drag(rings, *(rings._spot(0, step) for step in (0, 1, 2, 3)))
    assert turned == [(0, 1)] * 3 and len(settled) == 1
    drag(rings, rings._spot(0, 15), rings._spot(0, 1))
    assert turned[-1] == (0, 2)
    drag(rings, rings._spot(0, 0), rings._spot(0, 15))
    assert turned[-1] == (0, -1)


def test_the_wheel_changes_the_hits_of_the_ring_under_it(rings):
    more = collect(rings.more_hits)
    wheel(rings, place=rings._spot(1, 1))
    wheel(rings, up=False, place=rings._spot(0, 5))
    wheel(rings, place=QPointF(rings.rect().center()))
    assert more == [(1, 1), (0, -1)]


def test_all_of_it_from_the_keyboard(rings):
    picked, turned, more = collect(rings.picked), collect(rings.turned), collect(rings.more_hits)
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Right, Qt.Key.Key_Plus, Qt.Key.Key_Up, Qt.Key.Key_Minus):
        QTest.keyClick(rings, key)
    assert picked == [1, 0] and turned == [(1, 1)] and more == [(1, 1), (0, -1)]


def test_a_hit_lights_its_ring_and_a_rest_does_not(rings):
    rings.show_steps([0, 1], 1.0)
    assert rings._struck == {0: 1.0}
    lit = picture(rings)
    rings.show_steps([1, 2], 1.1)
    assert rings._struck == {0: 1.0, 1: 1.1} and picture(rings) != lit
    rings.show_steps([1, 2], 5.0)
    assert rings._struck == {}


def test_without_rings_keys_and_mouse_do_nothing(shown):
    empty = shown(RingsView(INK), 340, 340)
    told = collect(empty.turned)
    drag(empty, QPointF(20, 170), QPointF(170, 20))
    QTest.keyClick(empty, Qt.Key.Key_Right)
    assert told == []
