"""Knobs, pads and wheels of the play surface."""

from __future__ import annotations

import pytest
from gestures import LEFT, RIGHT, SHIFT, collect, drag, drawn, picture, pixels, wheel
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.frame.surface import Wheel
from arpegon.ui.frame.surface_parts import Knob, Pad
from arpegon.ui.look import theme


@pytest.fixture
def knob(shown):
    return shown(Knob(2), 40, 37)


def test_a_knob_is_dragged_up_and_down_within_its_range(knob):
    turned = collect(knob.turned)
    drag(knob, QPoint(20, 20), QPoint(20, 10), QPoint(20, -200), QPoint(20, 400))
    assert turned == [14, 127, 0]


def test_shift_turns_a_quarter_as_far(knob):
    knob.turn(50)
    drag(knob, QPoint(20, 60), QPoint(20, 20), modifiers=SHIFT)
    assert knob.value == 64


def test_a_knob_is_wheeled_and_stepped(knob):
    wheel(knob)
    QTest.keyClick(knob, Qt.Key.Key_Up)
    wheel(knob, up=False)
    QTest.keyClick(knob, Qt.Key.Key_Down)
    QTest.keyClick(knob, Qt.Key.Key_Down)
    assert knob.value == 0


def test_a_knob_says_what_it_is_hooked_up_to(knob):
    knob.show_name("", "")
    assert "Knob 3: sends CC 22" in knob.toolTip() and pixels(knob, theme.theme().warning) == 0
    knob.show_name("Wind", "Tempo")
    before = pixels(knob, theme.theme().ink)
    knob.show_name("Wind", "")
    unmarked = pixels(knob, theme.theme().ink)
    knob.show_name("Wind", "Tempo")
    assert before > unmarked + 8 and pixels(knob, theme.theme().warning) == 0
    assert "Wind: hooked up to Tempo" in knob.toolTip()
    renamed = collect(knob.renamed)
    QTest.mouseDClick(knob, LEFT, pos=QPoint(20, 12))
    assert len(renamed) == 1


@pytest.fixture
def pad(shown):
    return shown(Pad(0), 38, 35)


def test_lower_on_a_pad_is_louder_and_letting_go_ends_it(pad):
    struck, left = collect(pad.struck), collect(pad.left)
    for y in (1, 17, 33):
        QTest.mouseClick(pad, LEFT, pos=QPoint(19, y))
    assert struck == sorted(struck) and struck[0] < 40 and struck[-1] > 115 and len(left) == 3


def test_only_the_left_button_strikes(pad):
    struck = collect(pad.struck)
    QTest.mouseClick(pad, RIGHT, pos=QPoint(19, 17))
    assert struck == []


def test_return_strikes_as_long_as_it_is_held(pad):
    struck, left = collect(pad.struck), collect(pad.left)
    up = picture(pad)
    QTest.keyPress(pad, Qt.Key.Key_Return)
    assert pad.down and struck == [100] and left == [] and picture(pad) != up
    QTest.keyRelease(pad, Qt.Key.Key_Return)
    assert not pad.down and len(left) == 1


def test_a_pad_that_loses_the_focus_lets_go(pad, qtbot):
    left = collect(pad.left)
    pad.activateWindow()
    qtbot.waitUntil(pad.isActiveWindow)
    pad.setFocus()
    QTest.keyPress(pad, Qt.Key.Key_Return)
    pad.clearFocus()
    assert len(left) == 1 and not pad.down


@pytest.fixture(params=[True, False], ids=["springs", "stays"])
def turning(request, shown):
    return shown(Wheel("bend", 0.5, request.param, "Turns."), 30, 94)


def test_a_wheel_follows_the_hand_and_springs_back_where_it_springs(turning):
    turned = collect(turning.turned)
    drag(turning, QPoint(15, 39), QPoint(15, 5), QPoint(15, -50))
    assert max(turned) == 1.0
    assert turning.value == (0.5 if turning.springs else 1.0)


def test_only_the_left_button_turns(turning):
    turned = collect(turning.turned)
    drag(turning, QPoint(15, 39), QPoint(15, 5), button=RIGHT)
    assert turned == []


def test_a_wheel_is_turned_from_the_keyboard(turning):
    turned = collect(turning.turned)
    QTest.keyPress(turning, Qt.Key.Key_Up)
    QTest.keyPress(turning, Qt.Key.Key_Down, SHIFT)
    assert turned == [pytest.approx(0.5 + 5 / 127), pytest.approx(0.5 + 4 / 127)]
    QTest.keyRelease(turning, Qt.Key.Key_Down)
    assert turning.value == (0.5 if turning.springs else pytest.approx(0.5 + 4 / 127))
    QTest.keyClick(turning, Qt.Key.Key_Home)
    assert turning.value == 0.5


def test_the_mouses_wheel_turns_only_what_stays(turning):
    wheel(turning)
    assert turning.value == (0.5 if turning.springs else pytest.approx(0.5 + 5 / 127))
    for _ in range(60):
        wheel(turning, up=False)
    assert turning.value == (0.5 if turning.springs else 0.0) and drawn(turning)


def test_double_click_puts_to_rest(turning):
    turning.set_value(0.9)
    QTest.mouseDClick(turning, LEFT, pos=QPoint(15, 20))
    assert turning.value == 0.5
