"""Gestures that Qt's own test helpers do not make, and what they lead to."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

LEFT = Qt.MouseButton.LeftButton


def drag(widget, start, end, button=LEFT):
    none = Qt.KeyboardModifier.NoModifier
    for kind, place in (
        (QMouseEvent.Type.MouseButtonPress, start),
        (QMouseEvent.Type.MouseMove, end),
        (QMouseEvent.Type.MouseButtonRelease, end),
    ):
        spot = QPointF(widget.mapToGlobal(QPointF(place).toPoint()))
        QApplication.sendEvent(widget, QMouseEvent(kind, QPointF(place), spot, button, button, none))


def values_on_bench(window):
    """The values of the stage or source on the bench."""
    return window.session.values(window.session.project.find_stage(window.session.selection.stage)[1])
