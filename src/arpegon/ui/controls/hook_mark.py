"""The marks of a control that is hooked up, or whose value a section holds."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QAbstractButton, QWidget

from arpegon.ui.look import theme
from arpegon.ui.look.painted import Painted

SIZE = 11


class HookMark(Painted):
    """At the corner of a control: a hollow hexagon where it is hooked up, a pennant where a section holds its value."""

    def __init__(self, control: QWidget) -> None:
        super().__init__(control)
        self.setFixedSize(2 * SIZE, SIZE)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.words: Sequence[str] = ()
        self.held = False
        self.hide()

    def place(self) -> None:
        """Stand at the top right corner."""
        parent = self.parentWidget()
        if parent is not None:
            self.setFixedSize(parent.width() if self._small else 2 * SIZE, SIZE)
            self.move(parent.width() - self.width(), -1 if parent.height() < 30 else 17)

    @property
    def _small(self) -> bool:
        """Whether the control has no room beside its words: then a turned down corner stands for the pennant."""
        parent = self.parentWidget()
        return parent is not None and parent.height() < 30

    def _make_room(self) -> None:
        """Beside the words of a control that has no more room than these."""
        parent = self.parentWidget()
        if parent is not None and parent.property("tight"):
            bare = parent.property("bare_width") or parent.width()
            parent.setProperty("bare_width", bare)
            parent.setFixedWidth(bare + (SIZE + 2 if self.words else 0))

    def show_marks(self, words: Sequence[str], held: bool) -> None:
        """Show what the control is hooked up to, and whether a section holds it; nothing hides the mark."""
        self.words, self.held = words, held
        self._make_room()
        self.setVisible(bool(words) or held)
        self.place()
        self.raise_()
        self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        middle = QPointF(self.width() - SIZE / 2, SIZE / 2)
        if self.words:
            paint_mark(painter, middle, t.paper)
            middle -= QPointF(SIZE, 0)
        if self.held and self._small:
            parent = self.parentWidget()
            pressed = isinstance(parent, QAbstractButton) and parent.isChecked()
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(t.bar_text if pressed else t.ink))
            painter.drawPolygon(QPolygonF([QPointF(0, 1), QPointF(7, 1), QPointF(0, 8)]))
        elif self.held:
            paint_pennant(painter, middle, t.ink, t.paper)


def paint_pennant(painter: QPainter, middle: QPointF, fill: str, edge: str) -> None:
    """The pennant that stands for a value that a section holds."""
    corners = [QPointF(-4.0, -4.5), QPointF(4.5, -1.0), QPointF(-2.2, 2.0), QPointF(-2.2, 5.0), QPointF(-4.0, 5.0)]
    painter.setPen(QPen(theme.color(edge), 1.0))
    painter.setBrush(theme.color(fill))
    painter.drawPolygon(QPolygonF([middle + corner for corner in corners]))


def paint_mark(painter: QPainter, middle: QPointF, ground: str, quiet: bool = False) -> None:
    """The hollow hexagon that stands for a hookup, in the ink that is read best on its ground: red is for what is
    wrong."""
    t = theme.theme()
    best = max((t.ink, t.paper), key=lambda ink: abs(theme.color(ink).lightness() - theme.color(ground).lightness()))
    corners = [
        QPointF(middle.x() + 3.8 * math.cos(math.pi * place / 3), middle.y() + 3.8 * math.sin(math.pi * place / 3))
        for place in range(6)
    ]
    painter.setPen(QPen(theme.color(t.line if quiet else best), 1.7))
    painter.setBrush(theme.color(ground))
    painter.drawPolygon(QPolygonF(corners))
