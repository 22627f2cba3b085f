"""Keyboards: where keys lie, and what a hand on them does."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, RIGHT, collect, drag, pixels
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF
from PyQt6.QtTest import QTest

from arpegon.ui.controls.keyboard import Keyboard, MiniKeyboard, is_black, key_rects

WHITE = [note for note in range(128) if not is_black(note)]


@given(st.sampled_from(WHITE), st.integers(1, 60), st.floats(100, 2000))
def test_white_keys_lie_side_by_side_and_black_ones_between_them(low, count, width):
    high = max(note for note in WHITE if note <= min(127, low + count))
    rects = key_rects(low, high, width, 72.0)
    whites = [rects[note] for note in range(low, high + 1) if not is_black(note)]
    assert sum(rect[2] for rect in whites) == pytest.approx(width)
    for note in filter(is_black, rects):
        left, _, wide, _ = rects[note]
        assert left < rects[note - 1][0] + rects[note - 1][2] < left + wide


def test_keys_lie_as_on_a_piano():
    rects = key_rects(36, 96, 360.0, 70.0)
    assert len(rects) == 61
    assert rects[36][0] == 0 and rects[96][0] + rects[96][2] == pytest.approx(360.0)
    assert rects[37][3] < rects[36][3] and rects[36][0] < rects[37][0] < rects[38][0]


@pytest.fixture
def keys(shown):
    return shown(Keyboard(48, 72), 450, 100)


def key(keys, note):
    left, top, width, height = key_rects(keys.low, keys.high, float(keys.width()), float(keys.height()))[note]
    return QPointF(left + width / 2, top + height - 4)


def test_lower_on_the_key_is_louder_on_black_keys_too(keys):
    pressed = collect(keys.pressed)
    for note in (60, 61):
        spot = key(keys, note)
        for y in (2.0, spot.y()):
            drag(keys, QPointF(spot.x(), y))
    velocities = [velocity for _, velocity in pressed]
    assert [note for note, _ in pressed] == [60, 60, 61, 61]
    assert max(velocities[0], velocities[2]) < 25 and min(velocities[1], velocities[3]) > 115


def test_a_glide_ends_each_key_before_the_next(keys):
    told = []
    keys.pressed.connect(lambda note, _: told.append(("on", note)))
    keys.released.connect(lambda note: told.append(("off", note)))
    drag(keys, key(keys, 60), key(keys, 62), key(keys, 64))
    assert told == [("on", 60), ("off", 60), ("on", 62), ("off", 62), ("on", 64), ("off", 64)]


def test_dragging_on_beyond_the_foot_is_pressure_and_letting_go_ends_it(keys):
    pressed, pressure, released = collect(keys.pressed), collect(keys.pressed_on), collect(keys.released)
    spot = key(keys, 60)
    drag(keys, spot, spot + QPointF(0, 6), spot + QPointF(0, 50), spot + QPointF(0, 500))
    assert pressed == [(60, pressed[0][1])] and released == [60]
    assert 0 < pressure[0] < pressure[1] == 127 and pressure[-1] == 0


def test_only_the_left_button_plays(keys):
    pressed = collect(keys.pressed)
    QTest.mouseClick(keys, RIGHT, pos=QPoint(100, 90))
    assert pressed == []
    QTest.mouseClick(keys, LEFT, pos=QPoint(100, 90))
    assert len(pressed) == 1


def test_what_is_held_is_inked(keys):
    assert pixels(keys) == 0
    keys.set_held({60})
    one = pixels(keys)
    keys.set_held({60, 64, 67})
    assert pixels(keys) > 2.5 * one > 0


def test_a_small_keyboard_begins_and_ends_on_white_keys(shown):
    small = shown(MiniKeyboard(INK), 340, 34)
    small.show_notes({61}, 49, 70)
    assert (small.low, small.high) == (48, 71) and pixels(small) > 0
