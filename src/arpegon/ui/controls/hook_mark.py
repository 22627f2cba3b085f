"""The mark of a control that is hooked up."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from arpegon.ui import theme

SIZE = 11


class HookMark(QWidget):
    """A small hexagon at the corner of a control; its tooltip says what it is hooked up to."""

    def __init__(self, control: QWidget) -> None:
        super().__init__(control)
        self.setFixedSize(SIZE, SIZE)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.words: Sequence[str] = ()
        self.hide()

    def place(self) -> None:
        """Stand at the top right corner."""
        parent = self.parentWidget()
        if parent is not None:
            self.move(parent.width() - SIZE, -1 if parent.height() < 30 else 17)

    def show_hookups(self, words: Sequence[str]) -> None:
        """Show what the control is hooked up to; nothing hides the mark."""
        self.words = words
        self.setVisible(bool(words))
        self.place()
        self.raise_()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_mark(painter, QPointF(SIZE / 2, SIZE / 2), theme.theme().warning, theme.theme().paper)


def paint_mark(painter: QPainter, middle: QPointF, fill: str, edge: str) -> None:
    """The hexagon that stands for a hookup."""
    corners = [
        QPointF(middle.x() + 4.2 * math.cos(math.pi * place / 3), middle.y() + 4.2 * math.sin(math.pi * place / 3))
        for place in range(6)
    ]
    painter.setPen(QPen(theme.color(edge), 1.2))
    painter.setBrush(theme.color(fill))
    painter.drawPolygon(QPolygonF(corners))
