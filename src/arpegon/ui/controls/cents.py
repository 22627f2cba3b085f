"""The note that is heard, and how far from it the pitch is."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy

from arpegon.core.theory.pitch import written
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPicture


class CentsView(PaintedPicture):
    """A note's name, and a mark on a scale from 50 cents below it to 50 above."""

    def __init__(self, ink: str) -> None:
        super().__init__()
        self.setAccessibleName("Pitch")
        self.ink = ink
        self._pitch: float | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(38)
        self.setToolTip("The note that is heard now, and how many cents the pitch is off it.")

    def sizeHint(self) -> QSize:
        return QSize(200, 38)

    def show_pitch(self, pitch: float | None) -> None:
        """Show a pitch as a note number; ``None`` where none is heard."""
        if pitch != self._pitch:
            self._pitch = pitch
            self.tell_words(self.words)
            self.update()

    @property
    def words(self) -> str:
        """What it says: "E4 +12"."""
        if self._pitch is None:
            return "–"
        cents = round(100.0 * (self._pitch - round(self._pitch)))
        return f"{written(round(self._pitch))} {cents:+d}".replace("-", "−")

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        painter.setPen(theme.color(t.ink))
        painter.setFont(theme.number_font(17, 500))
        painter.drawText(QRectF(2, 0, 96, self.height()), Qt.AlignmentFlag.AlignVCenter, self.words)
        room = QRectF(108, 0, self.width() - 132.0, self.height())
        middle = room.center().y() - 4
        painter.setPen(QPen(theme.color(t.line), 1.2))
        painter.drawLine(QPointF(room.left(), middle), QPointF(room.right(), middle))
        painter.setFont(theme.number_font(11))
        for cents in (-50, -25, 0, 25, 50):
            x = room.left() + (cents + 50) / 100 * room.width()
            tall = 7 if cents == 0 else 4
            painter.setPen(QPen(theme.color(t.second), 1.2))
            painter.drawLine(QPointF(x, middle - tall), QPointF(x, middle + tall))
            if cents in (-50, 0, 50):
                spot = QRectF(x - 18, middle + 7, 36, 14)
                painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, f"{cents:+d}".replace("-", "−") if cents else "0")
        if self._pitch is not None:
            off = self._pitch - round(self._pitch)
            x = room.left() + (off + 0.5) * room.width()
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(t.drawn(self.ink)))
            painter.drawEllipse(QPointF(x, middle), 5.5, 5.5)
