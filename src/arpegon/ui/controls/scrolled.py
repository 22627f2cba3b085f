"""Views of lists that scroll, on the desk."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLayout, QScrollArea, QVBoxLayout, QWidget

from arpegon.ui.controls.more_edge import MoreEdge
from arpegon.ui.look.plain import Label


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


def beside_editor(view: QWidget, head: QLayout, empty: Label, listed: QScrollArea, editor: QWidget) -> None:
    """Fill a view: its head, what it says while it is empty and its list, and beside them the editor."""
    empty.setWordWrap(True)
    empty.setProperty("role", "desk")
    left = QVBoxLayout()
    left.setContentsMargins(0, 10, 0, 0)
    left.setSpacing(8)
    left.addLayout(head)
    left.addWidget(empty)
    left.addWidget(listed, 1)
    row = QHBoxLayout(view)
    row.setContentsMargins(12, 0, 0, 0)
    row.setSpacing(12)
    row.addLayout(left, 1)
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFixedWidth(editor.minimumWidth())
    area.setWidget(editor)
    MoreEdge(area)
    row.addWidget(area)
