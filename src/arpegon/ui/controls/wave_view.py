"""One cycle of a wave, and where in it the value is now."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.ui import theme

_NEAR = 18.0


class WaveView(QWidget):
    """A cycle and a half, so that its return is seen; points can be drawn where there are some."""

    drawn = pyqtSignal(list)
    settled = pyqtSignal()

    def __init__(self, ink: str, most: int = 16) -> None:
        super().__init__()
        self.ink = ink
        self.most = most
        """How many points there can be."""
        self.share: Callable[[float], float] = lambda at: 0.0
        self.points: list[list[int]] | None = None
        self._at: tuple[float, float] | None = None
        self._held: int | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(136)
        self.setToolTip(
            "One cycle, and half of the next. Drawn wave: click sets a point, drag moves it, the right button takes it "
            "away."
        )

    def sizeHint(self) -> QSize:
        return QSize(340, 136)

    def show_wave(self, share: Callable[[float], float], points: list[list[int]] | None) -> None:
        """Show a wave as a function of cycles; ``points`` where it can be drawn."""
        self.share = share
        if self._held is None:
            self.points = None if points is None else [list(point) for point in points]
        self.update()

    def show_place(self, cycles: float | None) -> None:
        """Show where it is."""
        place = None if cycles is None else (cycles % 1.0, cycles)
        if place != self._at:
            self._at = place
            self.update()

    def _room(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 10, -8, -10)

    def _spot(self, x: float, y: float) -> QPointF:
        room = self._room()
        return QPointF(room.left() + x / 127.0 * room.width() / 1.5, room.bottom() - y / 127.0 * room.height())

    def _values(self, spot: QPointF) -> list[int]:
        room = self._room()
        x = round((spot.x() - room.left()) / (room.width() / 1.5) * 127)
        y = round((room.bottom() - spot.y()) / room.height() * 127)
        return [max(0, min(127, x)), max(0, min(127, y))]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.points is None:
            return
        away = [(self._spot(*point) - event.position()).manhattanLength() for point in self.points]
        near = next((place for place, way in enumerate(away) if way < _NEAR), None)
        if event.button() == Qt.MouseButton.RightButton:
            if near is not None and len(self.points) > 1:
                del self.points[near]
                self.drawn.emit([list(point) for point in self.points])
                self.settled.emit()
            return
        if near is None:
            made = self._values(event.position())
            self.points = sorted([point for point in self.points if point[0] != made[0]] + [made])[: self.most]
            near = self.points.index(made) if made in self.points else None
            self.drawn.emit([list(point) for point in self.points])
        self._held = near

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._held is None or self.points is None:
            return
        made = self._values(event.position())
        low = self.points[self._held - 1][0] + 1 if self._held else 0
        high = self.points[self._held + 1][0] - 1 if self._held + 1 < len(self.points) else 127
        self.points[self._held] = [max(low, min(high, made[0])), made[1]]
        self.drawn.emit([list(point) for point in self.points])

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is not None:
            self._held = None
            self.settled.emit()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink = theme.mix(self.ink, t.ink, 0.3) if t.dark else self.ink
        painter.setPen(theme.color(t.line))
        painter.setBrush(theme.color(t.roll))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
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
        if self.points is not None:
            painter.setBrush(theme.color(t.field))
            for point in self.points:
                painter.drawEllipse(self._spot(*point), 4, 4)
        if self._at is not None:
            phase, cycles = self._at
            x = room.left() + phase * room.width() / 1.5
            painter.setPen(QPen(theme.color(t.ink), 1))
            painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
            painter.setBrush(theme.color(ink))
            painter.setPen(QPen(theme.color(t.paper), 1.5))
            painter.drawEllipse(QPointF(x, room.bottom() - self.share(cycles) * room.height()), 6, 6)
