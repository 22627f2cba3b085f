"""Which way an arrow key points."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent


def sideways(event: QKeyEvent | None) -> int:
    """1 for the arrow to the right, −1 for the one to the left, 0 for any other key."""
    return {int(Qt.Key.Key_Left): -1, int(Qt.Key.Key_Right): 1}.get(event.key(), 0) if event is not None else 0


def upwards(event: QKeyEvent | None) -> int:
    """1 for the arrow up, −1 for the one down, 0 for any other key."""
    return {int(Qt.Key.Key_Down): -1, int(Qt.Key.Key_Up): 1}.get(event.key(), 0) if event is not None else 0


def onwards(event: QKeyEvent | None) -> int:
    """1 for the arrows to the right and up, −1 for those to the left and down, 0 for any other key."""
    return sideways(event) or upwards(event)
