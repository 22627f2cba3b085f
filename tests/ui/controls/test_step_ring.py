"""The ring of steps."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, RIGHT, collect, picture, pixels, wheel
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.step_ring import RingStep, StepRing


@pytest.fixture
def ring(shown):
    made = shown(StepRing(INK), 340, 318)
    made.show_ring(
        [RingStep(f"D{place}", "note") for place in range(8)], [0, 3, 6, 1, 4, 7, 2, 5], True, "8/3", "a star"
    )
    return made


@pytest.mark.parametrize("count", [1, 2, 8, 32, 64])
def test_every_step_is_found_at_its_place(ring, count):
    ring.show_ring([RingStep("C4", "note")] * count, range(count), True, "", "")
    assert [ring._place_at(ring._spot(place)) for place in range(count)] == list(range(count))


def test_click_chooses_and_the_right_button_skips(ring):
    picked, skipped = collect(ring.picked), collect(ring.skipped)
    QTest.mouseClick(ring, LEFT, pos=ring._spot(5).toPoint())
    QTest.mouseClick(ring, RIGHT, pos=ring._spot(6).toPoint())
    QTest.mouseClick(ring, LEFT, pos=ring.rect().center())
    assert picked == [5, 6] and skipped == [6]


def test_the_wheel_moves_the_note_under_it(ring):
    nudged = collect(ring.nudged)
    wheel(ring, place=ring._spot(2))
    wheel(ring, up=False, place=ring._spot(2))
    wheel(ring, place=QPointF(ring.rect().center()))
    assert nudged == [(2, 1), (2, -1)]


def test_all_of_it_from_the_keyboard(ring):
    picked, nudged, skipped = collect(ring.picked), collect(ring.nudged), collect(ring.skipped)
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Up, Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_Delete):
        QTest.keyClick(ring, key)
    assert picked == [7, 0] and nudged == [(7, 1), (0, -1)] and skipped == [0]


def test_the_step_that_sounds_is_filled_unless_it_rests(ring):
    empty = pixels(ring)
    ring.show_lit(3)
    assert pixels(ring) > empty + 300
    ring.show_ring([RingStep("D4", "rest")] * 8, range(8), True, "", "")
    assert pixels(ring) < empty + 300


def test_a_walk_that_does_not_close_lacks_its_last_line(ring):
    closed = picture(ring)
    ring.show_ring(ring.beads, ring.walk, False, "8/3", "a star")
    assert picture(ring) != closed
