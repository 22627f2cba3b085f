"""Pads of chords."""

from __future__ import annotations

import json

import pytest
from gestures import INK, LEFT, collect, drawn
from PyQt6.QtCore import QMimeData, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest

from arpegon.ui.controls.chord_palette import MIME
from arpegon.ui.controls.pad_grid import PadGrid, Tile


def tiles(count):
    return [Tile(f"C{place}", "C2", 36 + place) for place in range(count)]


@pytest.mark.parametrize(("bottom", "upwards"), [(True, 4), (False, -4)])
def test_pads_lie_as_on_the_controller_and_are_walked(shown, bottom, upwards):
    grid = shown(PadGrid(INK), 400, 98)
    grid.show_tiles(tiles(8), 4, bottom, 4 if not bottom else 0)
    assert (grid._cell(0).y() > grid._cell(4).y()) == bottom
    told, removed = collect(grid.chosen), collect(grid.removed)
    grid.setFocus()
    QTest.keyClick(grid, Qt.Key.Key_Up)
    assert told == [4 if bottom else 0]
    grid.show_tiles(tiles(8), 4, bottom, told[-1])
    QTest.keyClick(grid, Qt.Key.Key_Right)
    QTest.keyClick(grid, Qt.Key.Key_Delete)
    assert told[-1] == (5 if bottom else 1) and removed == [4 if bottom else 0]
    grid.waiting = 8
    grid.show_tiles(tiles(8), 4, bottom, 1)
    grid.strike(37, 1.0)
    grid.tick(1.1)
    assert drawn(grid) and grid.height() > 130


def test_a_chord_that_is_dropped_beside_the_pads_changes_nothing(shown):
    grid = shown(PadGrid(INK), 400, 98)
    grid.show_tiles(tiles(2), 4, True, None)
    told = collect(grid.dropped)
    data = QMimeData()
    data.setData(MIME, json.dumps({"root": "C"}).encode())
    for place in (grid._cell(1).center(), QPointF(390, 20)):
        grid._over = grid._pad_at(place)
        event = QDropEvent(place, Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier)
        grid.dropEvent(event)
    assert told == [(1, {"root": "C"})]
