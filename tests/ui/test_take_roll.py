"""A take on paper: scrolled, zoomed, played from; by mouse and keyboard."""

from __future__ import annotations

import pytest
from gestures import LEFT, collect, drawn, wheel
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.core.events import control, note_off, note_on
from arpegon.ui.take.take_roll import Span, TakeRoll

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def roll(shown):
    span = Span()
    span.length = 60.0
    made = shown(TakeRoll(span), 300, 318)
    made.show_events([note_on(1.0, 0, 60, 90), note_off(2.0, 0, 60), control(1.5, 0, 11, 64)], 0)
    return made


def test_it_shows_what_was_recorded(roll):
    assert [(bar.note, bar.start, bar.end) for bar in roll.notes] == [(60, 1.0, 2.0)] and drawn(roll)


def test_the_wheel_scrolls_and_stops_at_both_ends(roll):
    scrolled = collect(roll.scrolled)
    wheel(roll)
    assert roll.span.start == pytest.approx(40 / 60) and len(scrolled) == 1
    wheel(roll, up=False)
    wheel(roll, up=False)
    assert roll.span.start == -0.2
    for _ in range(200):
        wheel(roll)
    assert roll.span.start == pytest.approx(60.5 - 5.0)


def test_zoom_keeps_the_time_under_the_pointer(roll):
    roll.span.start = 20.0
    spot = QPointF(100, 100)
    under = roll.span.start + (300 - spot.y()) / roll.span.pixels
    wheel(roll, place=spot, modifiers=CTRL)
    assert roll.span.pixels == pytest.approx(72.0)
    assert roll.span.start + (300 - spot.y()) / roll.span.pixels == pytest.approx(under)


def test_zoom_has_bounds(roll):
    for up, bound in ((True, 400.0), (False, 8.0)):
        for _ in range(40):
            wheel(roll, up=up, modifiers=CTRL)
        assert roll.span.pixels == bound


def test_all_of_it_from_the_keyboard(roll):
    keys, seen = Qt.Key, []
    for key in (keys.Key_Up, keys.Key_Down, keys.Key_PageUp, keys.Key_End, keys.Key_Home):
        QTest.keyClick(roll, key)
        seen.append(round(roll.span.start, 2))
    assert seen == [0.67, 0.0, 4.5, 55.5, -0.2]
    QTest.keyClick(roll, keys.Key_Plus)
    assert roll.span.pixels == pytest.approx(72.0)
    QTest.keyClick(roll, keys.Key_Minus)
    assert roll.span.pixels == pytest.approx(60.0)


def test_it_plays_from_where_it_is_pointed_at(roll):
    pointed = collect(roll.pointed)
    QTest.mouseClick(roll, LEFT, pos=QPoint(50, 180))
    roll.span.start = 12.0
    QTest.keyClick(roll, Qt.Key.Key_Return)
    roll.span.start = -0.2
    QTest.mouseClick(roll, LEFT, pos=QPoint(50, 315))
    assert pointed == [pytest.approx(2.0), 12.0, 0.0]


def test_a_short_take_stands_at_the_foot(shown):
    span = Span()
    span.length = 1.0
    short = shown(TakeRoll(span), 300, 318)
    wheel(short)
    assert span.start == -0.2
