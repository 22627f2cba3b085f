"""Which way an arrow points."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent

from arpegon.ui.controls import arrows


@pytest.mark.parametrize(
    ("key", "sideways", "upwards", "onwards"),
    [
        (Qt.Key.Key_Left, -1, 0, -1),
        (Qt.Key.Key_Right, 1, 0, 1),
        (Qt.Key.Key_Down, 0, -1, -1),
        (Qt.Key.Key_Up, 0, 1, 1),
        (Qt.Key.Key_Space, 0, 0, 0),
    ],
)
def test_each_arrow_points_one_way(key, sideways, upwards, onwards):
    event = QKeyEvent(QEvent.Type.KeyPress, key, Qt.KeyboardModifier.NoModifier)
    assert (arrows.sideways(event), arrows.upwards(event), arrows.onwards(event)) == (sideways, upwards, onwards)


def test_no_event_points_nowhere():
    assert (arrows.sideways(None), arrows.upwards(None), arrows.onwards(None)) == (0, 0, 0)
