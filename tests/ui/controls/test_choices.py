"""Segments, lists and switches."""

from __future__ import annotations

from itertools import pairwise

import pytest
from gestures import LEFT, RIGHT, collect, drawn, picture
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.choices import Picker, Segments, ToggleSwitch

WAYS = {"hold": "Hold", "go": "Go to a value", "ignore": "Ignore"}


@pytest.fixture
def segments(shown):
    return shown(Segments(WAYS, "What a release does."), 300, 28)


def test_a_segment_is_chosen_by_click_and_only_a_change_is_told(segments):
    told = collect(segments.chosen)
    spots = {value: cell.center().toPoint() for value, cell in segments._cells()}
    for value in ("go", "go", "hold"):
        QTest.mouseClick(segments, LEFT, pos=spots[value])
    QTest.mouseClick(segments, RIGHT, pos=spots["ignore"])
    assert told == ["go", "hold"]


def test_arrows_go_round(segments):
    told = collect(segments.chosen)
    QTest.keyClick(segments, Qt.Key.Key_Left)
    QTest.keyClick(segments, Qt.Key.Key_Right)
    assert told == ["ignore", "hold"]


@pytest.mark.parametrize("width", [120, 300, 700])
def test_cells_fill_any_width_in_order_without_overlap(segments, width):
    segments.resize(width, 28)
    cells = [cell for _, cell in segments._cells()]
    assert all(left.right() <= right.left() for left, right in pairwise(cells))
    assert width - 6 <= cells[-1].right() <= width and drawn(segments)


def test_a_list_keeps_its_value_when_other_values_are_offered(shown):
    picker = shown(Picker(WAYS, "What a release does."), 160, 26)
    told = collect(picker.chosen)
    picker.set_value("go")
    picker.set_options({"first": "First", **WAYS})
    assert picker.value() == "go" and told == []
    picker.set_value("gone")
    assert picker.value() == "go"
    picker.setFocus()
    QTest.keyClick(picker, Qt.Key.Key_Down)
    picker.activated.emit(picker.currentIndex())
    assert told[-1] == "ignore"


def test_a_switch_is_flipped_by_click_and_return_and_shows_it(shown):
    switch = shown(ToggleSwitch("The original passes too"), 220, 26)
    told = collect(switch.toggled)
    off = picture(switch)
    QTest.mouseClick(switch, LEFT, pos=QPoint(14, 13))
    assert picture(switch) != off
    QTest.keyClick(switch, Qt.Key.Key_Return)
    assert told == [True, False]
    switch.set_value(True)
    assert switch.value() and told == [True, False]
