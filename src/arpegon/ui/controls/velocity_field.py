"""Keys across, velocities upwards: the part of the field that matches, and the strokes that fell."""

from __future__ import annotations

from collections import deque

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.core.pitch import note_name
from arpegon.ui import theme

_FADE_SECONDS = 4.0
_EDGE = 7.0


class VelocityField(QWidget):
    """A window of keys and velocities; its four edges are dragged, a double click opens it wholly."""

    moved = pyqtSignal(int, int, int, int)
    settled = pyqtSignal()

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.window_ = [0, 127, 1, 127]
        self.keeps = True
        """Whether what lies inside passes."""
        self._hits: deque[tuple[int, int, bool, float]] = deque(maxlen=96)
        self._now = 0.0
        self._edges: list[int] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(120)
        self.setToolTip(
            "Keys from left to right, velocities upwards. Drag the edges of the window; double click opens it. "
            "Strokes that passed are dots, those kept out are crosses."
        )

    def sizeHint(self) -> QSize:
        return QSize(360, 130)

    def show_window(self, low_key: int, high_key: int, softest: int, loudest: int, keeps: bool) -> None:
        """Show a window; ``keeps``: what lies inside passes."""
        if not self._edges:
            self.window_ = [low_key, high_key, softest, loudest]
        self.keeps = keeps
        self.update()

    def add(self, key: int, velocity: int, passed: bool, now: float) -> None:
        """A stroke fell."""
        self._hits.append((key, velocity, passed, now))

    def tick(self, now: float) -> None:
        """Let strokes fade."""
        if self._hits and now - self._hits[-1][3] < _FADE_SECONDS + 0.2:
            self._now = now
            self.update()

    def _area(self) -> QRectF:
        return QRectF(4, 4, self.width() - 8, self.height() - 8)

    def _box(self) -> QRectF:
        area = self._area()
        low, high, soft, loud = self.window_
        left = area.left() + low / 128 * area.width()
        right = area.left() + (high + 1) / 128 * area.width()
        top = area.bottom() - loud / 127 * area.height()
        return QRectF(left, top, right - left, area.bottom() - (soft - 1) / 127 * area.height() - top)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        box, point = self._box(), event.position()
        near = {
            0: abs(point.x() - box.left()),
            1: abs(point.x() - box.right()),
            2: abs(point.y() - box.bottom()),
            3: abs(point.y() - box.top()),
        }
        self._edges = [edge for edge, distance in near.items() if distance <= _EDGE]
        if 0 in self._edges and 1 in self._edges:
            self._edges.remove(0 if near[1] <= near[0] else 1)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self._edges:
            return
        area = self._area()
        key = max(0, min(127, int((event.position().x() - area.left()) / area.width() * 128)))
        velocity = max(1, min(127, round((area.bottom() - event.position().y()) / area.height() * 127)))
        low, high, soft, loud = self.window_
        for edge in self._edges:
            if edge == 0:
                low = min(key, high)
            elif edge == 1:
                high = max(key, low)
            elif edge == 2:
                soft = min(velocity, loud)
            else:
                loud = max(velocity, soft)
        if [low, high, soft, loud] != self.window_:
            self.window_ = [low, high, soft, loud]
            self.moved.emit(low, high, soft, loud)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._edges:
            self._edges = []
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._edges = []
        self.window_ = [0, 127, 1, 127]
        self.moved.emit(0, 127, 1, 127)
        self.settled.emit()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area, box = self._area(), self._box()
        painter.setPen(theme.color(t.line))
        painter.setBrush(theme.color(t.roll))
        painter.drawRoundedRect(area, 4, 4)
        painter.setPen(theme.color(t.rule_strong))
        for key in range(12, 128, 12):
            x = area.left() + key / 128 * area.width()
            painter.drawLine(QPointF(x, area.top() + 1), QPointF(x, area.bottom() - 1))
        shade = self.ink if self.keeps else t.second
        painter.setPen(QPen(theme.color(shade), 1.6, Qt.PenStyle.SolidLine if self.keeps else Qt.PenStyle.DashLine))
        painter.setBrush(theme.color(shade, 0.14))
        painter.drawRect(box)
        painter.setFont(theme.number_font(11))
        painter.setPen(theme.color(t.ink))
        low, high, soft, loud = self.window_
        words = f"{note_name(low)}–{note_name(high)}   velocity {soft}–{loud}"
        painter.drawText(area.adjusted(7, 3, -7, -3), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, words)
        for key, velocity, passed, at in self._hits:
            fade = max(0.0, 1.0 - (self._now - at) / _FADE_SECONDS)
            if fade <= 0:
                continue
            spot = QPointF(
                area.left() + (key + 0.5) / 128 * area.width(), area.bottom() - velocity / 127 * area.height()
            )
            if passed:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color(t.ink, fade))
                painter.drawEllipse(spot, 3.2, 3.2)
            else:
                painter.setPen(QPen(theme.color(t.ink, fade), 1.5))
                painter.drawLine(spot + QPointF(-3, -3), spot + QPointF(3, 3))
                painter.drawLine(spot + QPointF(-3, 3), spot + QPointF(3, -3))
