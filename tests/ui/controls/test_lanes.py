"""Channels above and below."""

from __future__ import annotations

from gestures import INK, LEFT, collect, drawn
from PyQt6.QtCore import QPoint
from PyQt6.QtTest import QTest

from arpegon.ui.controls.lanes import ChannelLanes


def test_lanes_light_and_fade(shown):
    lanes = shown(ChannelLanes(INK), 400, 128)
    chosen = collect(lanes.chosen)
    lanes.show_lanes([9] * 16)
    lanes.strike(3, 1.0)
    assert lanes._lit == {3: 1.0} and drawn(lanes)
    lanes.tick(9.0)
    assert lanes._lit == {}
    QTest.mouseClick(lanes, LEFT, pos=QPoint(12, 60))
    QTest.mouseClick(lanes, LEFT, pos=QPoint(12, 120))
    assert chosen == [0]
