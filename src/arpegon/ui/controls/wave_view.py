"""One cycle of a wave, and where in it the value is now."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy

from arpegon.ui.controls.drawn_points import HOW, DrawnPoints
from arpegon.ui.look import theme
from arpegon.ui.look.painted import paint_paper
from arpegon.ui.look.plain import tip


class WaveView(DrawnPoints):
    """A cycle and a half, so that its return is seen; points can be drawn where there are some."""

    def __init__(self, ink: str, max_points: int = 16) -> None:
        super().__init__(ink, 0, max_points)
        self.share: Callable[[float], float] = lambda at: 0.0
        self._at: tuple[float, float] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(136)
        self.setToolTip(tip(f"One cycle, and half of the next. Where it is drawn: {HOW}"))

    def sizeHint(self) -> QSize:
        return QSize(340, 136)

    def show_wave(self, share: Callable[[float], float], points: list[list[int]] | None) -> None:
        """Show a wave as a function of cycles; ``points`` where it can be drawn."""
        self.share = share
        self.show_points(points)

    def show_place(self, cycles: float | None) -> None:
        """Show where it is."""
        place = None if cycles is None else (cycles % 1.0, cycles)
        if place != self._at:
            self._at = place
            self.update()

    def _room(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 10, -8, -10)

    def spot(self, x: float, y: float) -> QPointF:
        room = self._room()
        return QPointF(room.left() + x / 127.0 * room.width() / 1.5, room.bottom() - y / 127.0 * room.height())

    def values_at(self, spot: QPointF) -> tuple[float, float]:
        room = self._room()
        x = (spot.x() - room.left()) / (room.width() / 1.5) * 127
        return x, (room.bottom() - spot.y()) / room.height() * 127

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        ink = t.drawn(self.ink)
        paint_paper(painter, t, self.sheet())
        room = self._room()
        end = room.left() + room.width() / 1.5
        painter.setPen(QPen(theme.color(t.rule_strong), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(end, room.top()), QPointF(end, room.bottom()))
        steps = 240
        line = [
            QPointF(
                room.left() + room.width() * step / steps,
                room.bottom() - self.share(1.5 * step / steps) * room.height(),
            )
            for step in range(steps + 1)
        ]
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color(ink), 2.2))
        painter.drawPolyline(QPolygonF(line))
        self.paint_points(painter, t)
        if self._at is not None:
            phase, cycles = self._at
            x = room.left() + phase * room.width() / 1.5
            painter.setPen(QPen(theme.color(t.ink), 1))
            painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
            painter.setBrush(theme.color(ink))
            painter.setPen(QPen(theme.color(t.paper), 1.5))
            painter.drawEllipse(QPointF(x, room.bottom() - self.share(cycles) * room.height()), 6, 6)
