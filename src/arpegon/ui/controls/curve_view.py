"""A velocity response: what comes in to the right, what goes out upwards, the last strokes as dots."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.ui.controls.drawn_points import HOW, DrawnPoints
from arpegon.ui.look import theme
from arpegon.ui.look.painted import paint_paper
from arpegon.ui.look.plain import tip

_FADE_SECONDS = 2.5
_MAX = 16


class CurveView(DrawnPoints):
    """Shows a response of 128 values; with ``points`` it can be drawn."""

    def __init__(self, ink: str, parent: QWidget | None = None, lowest: int = 1) -> None:
        super().__init__(ink, lowest, _MAX, parent)
        self._others: Sequence[Sequence[float]] = ()
        self._line: float | None = None
        self.response: Sequence[float] = range(128)
        self.limits = (1, 127)
        self._hits: deque[tuple[int, int, float]] = deque(maxlen=64)
        self._now = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setToolTip(
            tip(
                "What comes in to the right, what goes out upwards; each stroke leaves a dot. "
                f"Where the line is drawn: {HOW}"
            )
        )

    def sizeHint(self) -> QSize:
        return QSize(176, 176)

    def show_response(self, response: Sequence[float], points: list[list[int]] | None, limits: tuple[int, int]) -> None:
        """Show a response; ``points`` are shown where they can be drawn."""
        self.response, self.limits = response, limits
        self.show_points(points)

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

    def spot(self, x: float, y: float) -> QPointF:
        size = self.width() - 14.0
        return QPointF(7 + x / 127 * size, self.height() - 7 - y / 127 * (self.height() - 14))

    def values_at(self, spot: QPointF) -> tuple[float, float]:
        came = (spot.x() - 7) / (self.width() - 14) * 127
        return came, (self.height() - 7 - spot.y()) / (self.height() - 14) * 127

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        paint_paper(painter, t, self.sheet())
        painter.setPen(theme.color(t.rule_strong))
        for value in (32, 64, 96):
            painter.drawLine(self.spot(value, 0), self.spot(value, 127))
            painter.drawLine(self.spot(0, value), self.spot(127, value))
        painter.setPen(QPen(theme.color(t.second, 0.7), 1, Qt.PenStyle.DotLine))
        painter.drawLine(self.spot(0, 0), self.spot(127, 127))
        low, high = self.limits
        bounded = [min(high, max(low, value)) for value in self.response]
        ink = t.drawn(self.ink)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color(ink, 0.4), 1.4))
        for other in self._others:
            painter.drawPolyline(QPolygonF([self.spot(came, other[came]) for came in range(128)]))
        painter.setPen(QPen(theme.color(ink), 2.4))
        painter.drawPolyline(QPolygonF([self.spot(came, bounded[came]) for came in range(self.lowest, 128)]))
        if self._line is not None:
            painter.setPen(QPen(theme.color(t.ink), 1.4))
            painter.drawLine(self.spot(self._line, 0), self.spot(self._line, 127))
        self.paint_points(painter, t)
        painter.setPen(Qt.PenStyle.NoPen)
        for came, went, at in self._hits:
            fade = max(0.0, 1.0 - (self._now - at) / _FADE_SECONDS)
            if fade > 0:
                painter.setBrush(theme.color(t.ink, fade))
                painter.drawEllipse(self.spot(came, went), 3.4, 3.4)
