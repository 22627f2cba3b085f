"""A parameter as a slider: dragged, wheeled, stepped, typed; bad input is said, not swallowed."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, SHIFT, collect, drag, picture, typing_over, wheel
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QToolTip

from arpegon.core.processing.parameters import Number
from arpegon.ui.controls.in_place import InPlace
from arpegon.ui.controls.slider import Slider
from arpegon.ui.look.plain import tip
from arpegon.ui.parts.standard import NoteNumber

HELD = Number(name="held", label="Held", help="How long it is held.", default=40, low=0, high=200, unit="ms")
SHARE = Number(name="share", label="Share", help="How much.", default=0.5, low=0.0, high=1.0, step=0.01)
NOTE = NoteNumber(name="note", label="Note", help="A note.", default=60)


@pytest.fixture
def slider(shown):
    return shown(Slider(HELD, INK), 214, 42)


def type_in(slider, text):
    QTest.mouseClick(slider, LEFT, pos=QPoint(slider.width() - 8, 8))
    field = typing_over(slider)
    field.setText(text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def test_a_drag_moves_to_the_ends_and_is_one_gesture(slider):
    moved, settled = collect(slider.moved), collect(slider.settled)
    drag(slider, QPoint(107, 31), QPoint(400, 31), QPoint(-50, 31))
    assert moved == [100, 200, 0] and len(settled) == 1


def test_shift_moves_a_tenth_as_far(slider):
    drag(slider, QPoint(107, 31), QPoint(157, 31))
    assert slider.value() == 150
    drag(slider, QPoint(107, 31), QPoint(157, 31), modifiers=SHIFT)
    assert slider.value() == 105


def test_wheel_and_arrows_step_within_the_range(slider):
    wheel(slider)
    assert slider.value() == 42
    QTest.keyClick(slider, Qt.Key.Key_Left)
    assert slider.value() == 40
    QTest.keyClick(slider, Qt.Key.Key_End)
    QTest.keyClick(slider, Qt.Key.Key_Up)
    assert slider.value() == 200
    QTest.keyClick(slider, Qt.Key.Key_Home)
    wheel(slider, up=False)
    assert slider.value() == 0


def test_shift_steps_finely(shown):
    slider = shown(Slider(SHARE, INK))
    QTest.keyClick(slider, Qt.Key.Key_Right)
    QTest.keyClick(slider, Qt.Key.Key_Right, SHIFT)
    assert slider.value() == pytest.approx(0.511)


def test_a_double_click_on_the_track_resets(slider):
    slider.set_value(150)
    QTest.mouseDClick(slider, LEFT, pos=QPoint(60, 31))
    assert slider.value() == 40


@pytest.mark.parametrize(
    ("text", "value"), [("120", 120), (" 75 ms", 75), ("12,5", 12), ("\N{MINUS SIGN}3", 0), ("900", 200)]
)
def test_a_value_is_typed_with_or_without_its_unit(slider, text, value):
    moved = collect(slider.moved)
    type_in(slider, text)
    assert slider.value() == value and moved == [value]


@pytest.mark.parametrize("text", ["quay", "", "nan", "1e999", "1 2"])
def test_what_is_no_number_is_said_and_changes_nothing(slider, text):
    moved, settled = collect(slider.moved), collect(slider.settled)
    type_in(slider, text)
    assert (moved, settled, slider.value()) == ([], [], 40)
    assert QToolTip.text() == tip(f"“{text}” is no number: Held takes a whole number from 0 to 200 ms.")


def test_return_opens_the_field_and_the_next_one_closes_it(slider):
    for _ in range(2):
        QTest.keyClick(slider, Qt.Key.Key_Return)
        field = typing_over(slider)
        QTest.keyClicks(field, "70")
        QTest.keyClick(field, Qt.Key.Key_Return)
        assert slider.value() == 70 and all(one.isHidden() for one in slider.findChildren(InPlace))
        slider.set_value(10)


def test_escape_leaves_the_value(slider):
    QTest.keyClick(slider, Qt.Key.Key_F2)
    field = typing_over(slider)
    QTest.keyClicks(field, "70")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert slider.value() == 40 and field.isHidden()


def test_a_value_out_of_reach_is_said(slider):
    type_in(slider, "900")
    assert "out of reach" in QToolTip.text()


def test_a_note_is_typed_by_its_name(shown):
    slider = shown(Slider(NOTE, INK))
    type_in(slider, "E♭3")
    assert slider.value() == 51
    type_in(slider, "H3")
    assert slider.value() == 51 and "not a note name" in QToolTip.text()


def test_its_menu_resets_and_copies(slider):
    acts = dict(slider.menu_entries())
    slider.set_value(150)
    acts["Copy value"]()
    assert QApplication.clipboard().text() == "150"
    acts["Reset"]()
    assert slider.value() == 40


def test_it_shows_where_it_stands(slider):
    before = picture(slider)
    slider.set_value(180)
    assert picture(slider) != before
