"""Keys across, velocities upwards: the part of the field that matches, and the strokes that fell."""

from __future__ import annotations

from collections import deque

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.core.theory.pitch import written
from arpegon.ui.controls.two_ends import with_end
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, PaintedPart, PaintedParts, paint_paper

_FADE_SECONDS = 4.0
_EDGE = 7.0
_EDGES: dict[int, int] = {Qt.Key.Key_Home: 0, Qt.Key.Key_End: 1, Qt.Key.Key_PageDown: 2, Qt.Key.Key_PageUp: 3}
"""The edge that a key chooses: lowest and highest key, softest and loudest."""
_STEPS: dict[int, tuple[int, int]] = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Down: (0, -1),
    Qt.Key.Key_Up: (0, 1),
}
"""Small and large steps of the arrows."""


class VelocityField(OwnKeys, PaintedParts):
    """A window of keys and velocities; its four edges are dragged, a double click opens it wholly."""

    own_keys = (Qt.Key.Key_Home, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)
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
        self._edge = 0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(120)
        self.setToolTip(
            "Keys from left to right, velocities upwards. Drag the edges of the window; double click opens it. "
            "Strokes that passed are dots, those kept out are crosses. Home, End, Page up and Page down choose an "
            "edge, Left and Right move it by one, Up and Down by an octave or by ten."
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Window of keys and velocities")

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
        self._edge = self._edges[0] if self._edges else self._edge

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self._edges:
            return
        area = self._area()
        key = max(0, min(127, int((event.position().x() - area.left()) / area.width() * 128)))
        velocity = max(1, min(127, round((area.bottom() - event.position().y()) / area.height() * 127)))
        self._put({edge: key if edge < 2 else velocity for edge in self._edges})

    def _put(self, edges: dict[int, int]) -> None:
        """Move edges, no further than those across from them."""
        window = list(self.window_)
        for edge, value in edges.items():
            first, lowest = (0, 0) if edge < 2 else (2, 1)
            window[first : first + 2] = with_end((window[first], window[first + 1]), edge - first, value, lowest, 127)
        if window != self.window_:
            self.window_ = window
            self.moved.emit(*window)
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        key = event.key() if event is not None else 0
        if key in _EDGES:
            self._edge = _EDGES[key]
            self.update()
        elif key in _STEPS:
            small, large = _STEPS[key]
            self._put({self._edge: self.window_[self._edge] + small + large * (12 if self._edge < 2 else 10)})
            self.settled.emit()
        else:
            super().keyPressEvent(event)

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

    def parts(self) -> list[PaintedPart]:
        low, high, softest, loudest = self.window_
        return [
            PaintedPart(f"Lowest key {written(low)}"),
            PaintedPart(f"Highest key {written(high)}"),
            PaintedPart(f"Softest velocity {softest}"),
            PaintedPart(f"Loudest velocity {loudest}"),
        ]

    def chosen_part(self) -> int | None:
        return self._edge

    def choose_part(self, place: int) -> None:
        self._edge = place
        self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        area, box = self._area(), self._box()
        paint_paper(painter, t, area)
        painter.setPen(theme.color(t.rule_strong))
        for key in range(12, 128, 12):
            x = area.left() + key / 128 * area.width()
            painter.drawLine(QPointF(x, area.top() + 1), QPointF(x, area.bottom() - 1))
        shade = self.ink if self.keeps else t.second
        painter.setPen(QPen(theme.color(shade), 1.6, Qt.PenStyle.SolidLine if self.keeps else Qt.PenStyle.DashLine))
        painter.setBrush(theme.color(shade, 0.14))
        painter.drawRect(box)
        if self.hasFocus():
            painter.setPen(QPen(theme.color(t.ink), 2.4))
            lines = (box.topLeft(), box.bottomLeft()), (box.topRight(), box.bottomRight())
            across = (box.bottomLeft(), box.bottomRight()), (box.topLeft(), box.topRight())
            painter.drawLine(*(*lines, *across)[self._edge])
        painter.setFont(theme.number_font(11))
        painter.setPen(theme.color(t.ink))
        low, high, soft, loud = self.window_
        words = f"{written(low)}–{written(high)}   velocity {soft}–{loud}"
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
