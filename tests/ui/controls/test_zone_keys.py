"""The key range of a source."""

from __future__ import annotations

from gestures import INK, LEFT, collect, drag, drawn
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.zone_keys import ZoneKeys


def test_a_zone_is_dragged_at_either_end_and_opened(shown):
    zone = shown(ZoneKeys(INK), 384, 58)
    told = collect(zone.moved)
    drag(zone, QPoint(3, 20), QPoint(108, 20))
    assert told[-1] == (36, 127)
    drag(zone, QPoint(380, 20), QPoint(217, 20))
    assert told[-1] == (36, 72)
    QTest.mouseDClick(zone, LEFT, pos=QPoint(150, 20))
    assert told[-1] == (0, 127)
    assert drawn(zone)


def test_either_end_is_chosen_and_moved_from_the_keyboard(shown):
    zone = shown(ZoneKeys(INK), 384, 58)
    told, settled = collect(zone.moved), collect(zone.settled)
    zone.setFocus()
    keys = Qt.Key
    for key in (keys.Key_Right, keys.Key_Up, keys.Key_End, keys.Key_Left, keys.Key_Down, keys.Key_Home, keys.Key_Left):
        QTest.keyClick(zone, key)
    assert told == [(1, 127), (13, 127), (13, 126), (13, 114), (12, 114)] and len(settled) == 5


def test_an_end_stops_at_the_other_and_at_the_last_key(shown):
    zone = shown(ZoneKeys(INK), 384, 58)
    zone.low, zone.high = 60, 65
    told = collect(zone.moved)
    for key in (Qt.Key.Key_Up, Qt.Key.Key_Up, Qt.Key.Key_End, *[Qt.Key.Key_Up] * 6):
        QTest.keyClick(zone, key)
    assert told[0] == (65, 65) and told[-1] == (65, 127) and len(told) == 7


def test_its_help_says_how_keys_move_it(shown):
    zone = shown(ZoneKeys(INK), 384, 58)
    zone.set_help("The notes that are heard.")
    assert "The notes that are heard. Home and End" in zone.toolTip()
