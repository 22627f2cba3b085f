"""A velocity response: what comes in to the right, what goes out upwards, the last strokes as dots."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.ui import theme

_FADE_SECONDS = 2.5
_NEAR = 9.0


class CurveView(QWidget):
    """Shows a response of 128 values; with ``points`` it can be drawn.

    A click sets a point, a drag moves it, the right button takes it away.
    """

    drawn = pyqtSignal(list)
    settled = pyqtSignal()

    def __init__(self, ink: str, parent: QWidget | None = None, least: int = 1) -> None:
        super().__init__(parent)
        self.ink = ink
        self.least = least
        """The lowest value that can be drawn."""
        self._others: Sequence[Sequence[float]] = ()
        self._line: float | None = None
        self.response: Sequence[float] = range(128)
        self.points: list[list[int]] | None = None
        self.limits = (1, 127)
        self._hits: deque[tuple[int, int, float]] = deque(maxlen=64)
        self._now = 0.0
        self._held: int | None = None
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setToolTip(
            "What comes in to the right, what goes out upwards; each stroke leaves a dot. "
            "Drawn line: click sets a point, drag moves it, the right button takes it away."
        )

    def sizeHint(self) -> QSize:
        return QSize(176, 176)

    def show_response(self, response: Sequence[float], points: list[list[int]] | None, limits: tuple[int, int]) -> None:
        """Show a response; ``points`` are shown where they can be drawn."""
        self.response, self.limits = response, limits
        if self._held is None:
            self.points = None if points is None else [list(point) for point in points]
        self.update()

    def show_others(self, responses: Sequence[Sequence[float]]) -> None:
        """Show further responses behind the one that is drawn."""
        self._others = responses
        self.update()

    def show_line(self, came: float | None) -> None:
        """Show a moving line at what comes in."""
        if came != self._line:
            self._line = came
            self.update()

    def add(self, came: int, went: int, now: float) -> None:
        """A stroke passed."""
        self._hits.append((came, went, now))

    def tick(self, now: float) -> None:
        """Let dots fade."""
        if self._hits and now - self._hits[-1][2] < _FADE_SECONDS + 0.2:
            self._now = now
            self.update()

    def _spot(self, came: float, went: float) -> QPointF:
        size = self.width() - 14.0
        return QPointF(7 + came / 127 * size, self.height() - 7 - went / 127 * (self.height() - 14))

    def _values(self, point: QPointF) -> tuple[int, int]:
        came = round((point.x() - 7) / (self.width() - 14) * 127)
        went = round((self.height() - 7 - point.y()) / (self.height() - 14) * 127)
        return max(self.least, min(127, came)), max(self.least, min(127, went))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.points is None:
            return
        spots = [self._spot(*point) - event.position() for point in self.points]
        near = next((place for place, spot in enumerate(spots) if spot.manhattanLength() < 2 * _NEAR), None)
        if event.button() == Qt.MouseButton.RightButton:
            if near is not None and len(self.points) > 1:
                del self.points[near]
                self._tell()
                self.settled.emit()
            return
        if near is None:
            came, went = self._values(event.position())
            if len(self.points) >= 16 or any(point[0] == came for point in self.points):
                return
            self.points.append([came, went])
            self.points.sort()
            near = self.points.index([came, went])
            self._tell()
        self._held = near

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._held is None or self.points is None:
            return
        came, went = self._values(event.position())
        low = self.points[self._held - 1][0] + 1 if self._held else self.least
        high = self.points[self._held + 1][0] - 1 if self._held + 1 < len(self.points) else 127
        self.points[self._held] = [max(low, min(high, came)), went]
        self._tell()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is not None:
            self._held = None
            self.settled.emit()

    def _tell(self) -> None:
        self.update()
        self.drawn.emit([list(point) for point in self.points or ()])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(theme.color(t.line))
        painter.setBrush(theme.color(t.roll))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        painter.setPen(theme.color(t.rule_strong))
        for value in (32, 64, 96):
            painter.drawLine(self._spot(value, 0), self._spot(value, 127))
            painter.drawLine(self._spot(0, value), self._spot(127, value))
        painter.setPen(QPen(theme.color(t.second, 0.7), 1, Qt.PenStyle.DotLine))
        painter.drawLine(self._spot(0, 0), self._spot(127, 127))
        low, high = self.limits
        bounded = [min(high, max(low, value)) for value in self.response]
        ink = theme.mix(self.ink, t.ink, 0.3) if t.dark else self.ink
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color(ink, 0.4), 1.4))
        for other in self._others:
            painter.drawPolyline(QPolygonF([self._spot(came, other[came]) for came in range(128)]))
        painter.setPen(QPen(theme.color(ink), 2.4))
        painter.drawPolyline(QPolygonF([self._spot(came, bounded[came]) for came in range(self.least, 128)]))
        if self._line is not None:
            painter.setPen(QPen(theme.color(t.ink), 1.4))
            painter.drawLine(self._spot(self._line, 0), self._spot(self._line, 127))
        painter.setPen(QPen(theme.color(t.ink), 1.6))
        painter.setBrush(theme.color(t.field))
        for point in self.points or ():
            painter.drawEllipse(self._spot(*point), 5, 5)
        painter.setPen(Qt.PenStyle.NoPen)
        for came, went, at in self._hits:
            fade = max(0.0, 1.0 - (self._now - at) / _FADE_SECONDS)
            if fade > 0:
                painter.setBrush(theme.color(t.ink, fade))
                painter.drawEllipse(self._spot(came, went), 3.4, 3.4)
