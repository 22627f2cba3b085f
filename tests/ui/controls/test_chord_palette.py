"""Chords to choose from."""

from __future__ import annotations

from gestures import INK, LEFT, collect, drawn
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.chord_palette import ChordPalette

CHIPS = [("Dm7", {"degree": 2, "stack": "seventh"}, True), ("D7", {"root": "D", "quality": "7"}, False)]


def test_chords_are_chosen_by_click_and_by_keyboard_and_wrap(shown):
    palette = shown(ChordPalette(INK, "help"), 60, 30)
    told = collect(palette.chosen)
    palette.show_chips(CHIPS, CHIPS[1][1])
    assert palette.height() > 40
    QTest.mouseClick(palette, LEFT, pos=palette._cells[1].center().toPoint())
    palette.setFocus()
    QTest.keyClick(palette, Qt.Key.Key_Right)
    QTest.keyClick(palette, Qt.Key.Key_Return)
    assert told == [CHIPS[1][1], CHIPS[0][1]]
    assert drawn(palette)
