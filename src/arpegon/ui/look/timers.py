"""Timers, made in one line."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer


def one_shot(parent: QObject, milliseconds: int) -> QTimer:
    """A timer that fires once each time it is started."""
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(milliseconds)
    return timer


def ticking(parent: QObject, milliseconds: int) -> QTimer:
    """A timer that fires again and again once it is started."""
    timer = QTimer(parent)
    timer.setInterval(milliseconds)
    return timer
