"""The held notes as a ladder: which note each number of a lane plays."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy

from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPicture

_RUNG = 17.0
_MAX = 8


class HeldLadder(PaintedPicture):
    """Rungs from the first note at the foot upwards; the one that sounds is lit."""

    def __init__(self, ink: str) -> None:
        super().__init__()
        self.setAccessibleName("Held notes")
        self.ink = ink
        self.names: Sequence[str] = ()
        self._lit: Collection[int] = ()
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setFixedSize(64, int(_MAX * _RUNG) + 4)
        self.setToolTip("The notes that are walked over, numbered as the lane calls them.")

    def sizeHint(self) -> QSize:
        return self.size()

    def show_notes(self, names: Sequence[str], lit: Collection[int]) -> None:
        """Show notes in the order of the walk, and the places of those that sound."""
        if (list(names), set(lit)) != (list(self.names), set(self._lit)):
            self.names, self._lit = list(names), set(lit)
            self.tell_words(", ".join(names))
            self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        ink = t.drawn(self.ink)
        rungs = max(3, min(_MAX, len(self.names)))
        foot = self.height() - 2.0
        painter.setPen(QPen(theme.color(t.line), 1.5))
        for x in (18.0, self.width() - 2.0):
            painter.drawLine(QPointF(x, foot), QPointF(x, foot - rungs * _RUNG))
        for place, name in enumerate(self.names[:_MAX]):
            rung = QRectF(18, foot - (place + 1) * _RUNG, self.width() - 20, _RUNG)
            lit = place in self._lit
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(self.ink if lit else t.field))
            painter.drawRoundedRect(rung.adjusted(1, 1.5, -1, -1.5), 3, 3)
            painter.setFont(theme.label_font(11, 600))
            painter.setPen(theme.color(theme.text_on(self.ink) if lit else t.ink))
            painter.drawText(rung, Qt.AlignmentFlag.AlignCenter, name)
            painter.setFont(theme.number_font(11))
            painter.setPen(theme.color(ink if lit else t.second))
            number = QRectF(0, rung.top(), 16, _RUNG)
            painter.drawText(number, Qt.AlignmentFlag.AlignCenter, str(place + 1))
