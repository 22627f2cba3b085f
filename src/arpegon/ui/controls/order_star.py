"""The way over the held notes as a star: notes on a ring, lines in the order of play."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPicture

_MAX_NAMED = 14


class OrderStar(PaintedPicture):
    """Notes from the top clockwise; the walk over them closes. The step that sounds is lit."""

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Order of the notes")
        self.ink = ink
        self.names: Sequence[str] = ()
        self.walk: Sequence[int] = ()
        self.lit: frozenset[int] = frozenset()
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setToolTip("The notes held, and the lines along which the order walks over them.")

    def sizeHint(self) -> QSize:
        return QSize(172, 172)

    def show_walk(self, names: Sequence[str], walk: Sequence[int]) -> None:
        """Show notes and the places of one cycle over them."""
        self.names, self.walk = names, walk
        self.tell_words(", ".join(names[place] for place in walk if place < len(names)))
        self.update()

    def show_lit(self, places: frozenset[int]) -> None:
        """Light the notes that sound."""
        if places != self.lit:
            self.lit = places
            self.update()

    def _place(self, place: int) -> QPointF:
        radius = self.width() / 2 - 17
        angle = 2 * math.pi * place / max(1, len(self.names)) - math.pi / 2
        return QPointF(self.width() / 2 + radius * math.cos(angle), self.height() / 2 + radius * math.sin(angle))

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        ink = t.drawn(self.ink)
        count = len(self.names)
        painter.setPen(theme.color(t.line))
        painter.drawPolygon(QPolygonF([self._place(place) for place in range(count)]))
        if len(self.walk) > 1:
            painter.setPen(QPen(theme.color(ink, 0.75), 1.8))
            corners = [self._place(place) for place in self.walk]
            painter.drawPolyline(QPolygonF([*corners, corners[0]]))
        painter.setFont(theme.label_font(11, 600))
        for place, name in enumerate(self.names):
            lit = place in self.lit
            ground = self.ink if lit else t.field
            size = 13.0 if count <= _MAX_NAMED else 6.0
            painter.setPen(QPen(theme.color(ink), 1.5))
            painter.setBrush(theme.color(ground))
            painter.drawEllipse(self._place(place), size, size)
            if count <= _MAX_NAMED:
                painter.setPen(theme.color(theme.text_on(ground) if lit else t.ink))
                spot = self._place(place)
                painter.drawText(QRectF(spot.x() - 16, spot.y() - 9, 32, 18), Qt.AlignmentFlag.AlignCenter, name)
        painter.setFont(theme.label_font(12))
        painter.setPen(theme.color(t.second))
        if not self.names:
            words = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(QRectF(self.rect()).adjusted(30, 30, -30, -30), words, "hold some notes")
