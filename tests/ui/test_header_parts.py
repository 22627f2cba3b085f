"""Fields, buttons, tabs and the mark of the header."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, SHIFT, collect, drag, drawn, picture, pixels, typing_over, wheel
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.frame.header_parts import BrandFigure, Field, Tab, TransportButton
from arpegon.ui.look import theme


@pytest.fixture
def field(shown):
    made = shown(Field("Tempo", "Quarter notes a minute.", 62), 62, 40)
    made.show_text("96.0")
    return made


def test_a_click_is_told_from_a_drag(field):
    clicked, stepped, settled = collect(field.clicked), collect(field.stepped), collect(field.settled)
    drag(field, QPoint(20, 20), QPoint(20, 22))
    assert len(clicked) == 1 and stepped == [] and settled == []
    drag(field, QPoint(20, 20), QPoint(20, 10), QPoint(20, 8))
    assert stepped == [5.0, 1.0] and len(settled) == 1 and len(clicked) == 1


def test_wheel_and_arrows_step_and_shift_is_fine(field):
    stepped, settled = collect(field.stepped), collect(field.settled)
    wheel(field)
    wheel(field, up=False, modifiers=SHIFT)
    QTest.keyClick(field, Qt.Key.Key_Up)
    QTest.keyClick(field, Qt.Key.Key_Down, SHIFT)
    assert stepped == [1.0, -0.1, 1.0, -0.1] and len(settled) == 4


def test_return_is_a_click(field):
    clicked = collect(field.clicked)
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert len(clicked) == 1


def test_a_value_is_typed_over_it(field):
    typed = collect(field.typed)
    field.clicked.connect(field.type_value)
    QTest.keyClick(field, Qt.Key.Key_Return)
    over = typing_over(field)
    assert over.text() == "96.0"
    QTest.keyClicks(over, "120")
    QTest.keyClick(over, Qt.Key.Key_Return)
    assert typed == ["120"] and over.isHidden()


def test_an_alarm_is_written_in_the_colour_of_warnings(field):
    assert pixels(field, theme.theme().warning) == 0
    field.show_caption("Clock", alarm=True)
    assert pixels(field, theme.theme().warning) > 20


@pytest.mark.parametrize("sign", ["start", "play", "record"])
def test_a_button_shows_its_sign_and_that_it_is_on(shown, sign):
    button = shown(TransportButton(sign, "Does it."), 36, 30)
    off = picture(button)
    button.show_active(True)
    assert drawn(button) and picture(button) != off
    assert (pixels(button, theme.theme().warning) > 300) == (sign == "record")


def test_a_tab_is_underlined_where_its_view_is_in_sight(shown):
    tab = shown(Tab("Board", "Ctrl+1"), 80, 52)
    assert pixels(tab) == 0
    QTest.mouseClick(tab, LEFT)
    assert pixels(tab) >= 4 * tab.width() - 8


def test_the_mark_turns_with_the_beat(shown):
    mark = shown(BrandFigure(), 32, 32)
    still = picture(mark)
    mark.turn = 1.0
    mark.update()
    assert picture(mark) != still and pixels(mark, INK) > 0
