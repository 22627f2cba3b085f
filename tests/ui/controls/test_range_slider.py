"""A span on one track."""

from __future__ import annotations

import pytest
from gestures import INK, collect, drag, pixels
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.range_slider import RangeSlider


@pytest.fixture
def span(shown):
    made = shown(RangeSlider(0, 127, 1, INK, "What comes in."), 141, 18)
    made.show_span(20, 100)
    return made


def test_the_nearer_handle_is_dragged_and_stops_at_the_other(span):
    moved, settled = collect(span.moved), collect(span.settled)
    drag(span, QPointF(30, 9), QPointF(57, 9))
    assert moved[-1] == (50, 100)
    drag(span, QPointF(100, 9), QPointF(10, 9))
    assert moved[-1] == (50, 50) and len(settled) == 2


def test_handles_that_meet_come_apart_to_either_side(span):
    for x, end in ((20, (13, 60)), (120, (60, 113))):
        span.show_span(60, 60)
        drag(span, QPointF(x, 9))
        assert span.span == end


def test_the_keyboard_chooses_an_end_and_moves_it(span):
    moved = collect(span.moved)
    for key in (Qt.Key.Key_Home, Qt.Key.Key_Right, Qt.Key.Key_End, Qt.Key.Key_Down):
        QTest.keyClick(span, key)
    assert moved == [(21, 100), (21, 99)]


def test_what_it_shows_does_not_jump_under_the_hand(span):
    span.mousePressEvent(None)
    span._dragging = True
    span.show_span(0, 127)
    assert span.span == (20, 100)


def test_a_wider_span_is_more_ink(span):
    narrow = pixels(span)
    span.show_span(0, 127)
    assert pixels(span) > narrow > 0
