"""Bars of steps: drawn, silenced, walked."""

from __future__ import annotations

from gestures import INK, RIGHT, collect, drag, drawn
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.step_bars import StepBars


def test_steps_are_drawn_across_silenced_and_walked(shown):
    bars = shown(StepBars(INK, 2.0, "help", "none"), 400, 84)
    told, settled = collect(bars.changed), collect(bars.settled)
    bars.show_levels([1.0, 1.0, 1.0, 1.0])
    drag(bars, QPoint(20, 4), QPoint(150, 4), QPoint(250, 82))
    assert told[-1] == [2.0, 2.0, 0.0, 1.0] and len(settled) == 1
    drag(bars, QPoint(380, 20), button=RIGHT)
    assert told[-1][3] == 0.0
    bars.setFocus()
    QTest.keyClick(bars, Qt.Key.Key_Right)
    QTest.keyClick(bars, Qt.Key.Key_Down)
    assert told[-1] == [1.95, 2.0, 0.0, 0.0]
    bars.show_lit(1)
    assert drawn(bars)


def test_no_steps_cannot_be_drawn(shown):
    bars = shown(StepBars(INK, 2.0, "help", "none yet"))
    told = collect(bars.changed)
    drag(bars, QPoint(20, 4), QPoint(150, 4))
    QTest.keyClick(bars, Qt.Key.Key_Up)
    assert told == [] and drawn(bars)
