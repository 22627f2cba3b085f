"""A value over the last seconds: what came in as a thin line, what went out as a strong one."""

from __future__ import annotations

from collections import deque

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy

from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPicture, paint_paper

_SECONDS = 5.0


class MovementView(PaintedPicture):
    """Time runs to the left; 0 at the foot, 127 at the top. ``levels`` draws equal stairs across."""

    def __init__(self, ink: str, empty: str) -> None:
        super().__init__()
        self.setAccessibleName("The last five seconds")
        self.ink = ink
        self.empty = empty
        self.levels = 0
        self._points: deque[tuple[float, float, float]] = deque(maxlen=600)
        self._now = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(132)
        self.setToolTip("The last five seconds: the thin line is what came in, the strong one what went out.")

    def sizeHint(self) -> QSize:
        return QSize(340, 132)

    def show_levels(self, levels: int) -> None:
        """Draw so many equal stairs across."""
        self.levels = levels
        self.update()

    def add(self, came: float, went: float, now: float) -> None:
        """Where the value is now."""
        last = self._points[-1] if self._points else None
        if last is None or last[1:] != (came, went) or now - last[0] > 0.1:
            self._points.append((now, came, went))

    def tick(self, now: float) -> None:
        """Let time go on."""
        if self._points:
            self._now = now
            while self._points and now - self._points[0][0] > _SECONDS + 1.0 and len(self._points) > 1:
                self._points.popleft()
            self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        box = self.sheet()
        paint_paper(painter, t, box)
        room = box.adjusted(6, 8, -6, -8)
        painter.setPen(theme.color(t.rule_strong))
        for level in range(self.levels):
            y = room.bottom() - room.height() * level / max(1, self.levels - 1)
            painter.drawLine(QPointF(room.left(), y), QPointF(room.right(), y))
        if not self._points:
            painter.setFont(theme.label_font(12))
            painter.setPen(theme.color(t.second))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.empty)
            return
        ink = t.drawn(self.ink)
        painter.setPen(QPen(theme.color(t.second), 1.2))
        painter.drawPolyline(self._line(room, 1))
        painter.setPen(QPen(theme.color(ink), 2.6))
        painter.drawPolyline(self._line(room, 2))
        painter.setFont(theme.number_font(11))
        _, came, went = self._points[-1]
        words = f"in {came:.0f}   out {went:.0f}"
        label = QRectF(room.left(), room.top() - 4, painter.fontMetrics().horizontalAdvance(words) + 8.0, 16)
        painter.fillRect(label, theme.color(t.roll, 0.85))  # the lines do not cross the words
        painter.setPen(theme.color(t.ink))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, words)

    def _line(self, room: QRectF, which: int) -> QPolygonF:
        line: list[QPointF] = []
        for point in self._points:
            x = room.right() - (self._now - point[0]) / _SECONDS * room.width()
            y = room.bottom() - point[which] / 127.0 * room.height()
            if line:
                line.append(QPointF(max(room.left(), x), line[-1].y()))
            line.append(QPointF(max(room.left(), x), y))
        line.append(QPointF(room.right(), line[-1].y()))
        return QPolygonF(line)
