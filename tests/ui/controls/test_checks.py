"""Chips: any number of a few values."""

from __future__ import annotations

from gestures import LEFT, collect
from PyQt6.QtTest import QTest

from arpegon.ui.controls.checks import Chips


def test_chips_tell_what_is_on_in_the_order_of_the_options(shown):
    chips = shown(Chips({"a": "A", "b": "B", "c": "C"}, "help"))
    told = collect(chips.chosen)
    chips.set_value(["c"])
    QTest.mouseClick(chips.buttons["a"], LEFT)
    assert told == [["a", "c"]] and chips.value() == ["a", "c"]
