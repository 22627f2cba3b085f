"""The key range of a source."""

from __future__ import annotations

from gestures import INK, LEFT, collect, drag, drawn
from PyQt6.QtCore import QPoint
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
