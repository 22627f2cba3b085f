"""A widget in a view that scrolls, on the desk."""

from __future__ import annotations

from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget


def scrolled(widget: QWidget) -> QScrollArea:
    """A widget at the top of a view that scrolls where it has no room."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    holder = QWidget()
    holder.setObjectName("desk")
    box = QVBoxLayout(holder)
    box.setContentsMargins(0, 0, 6, 0)
    box.addWidget(widget)
    box.addStretch(1)
    area.setWidget(holder)
    return area
