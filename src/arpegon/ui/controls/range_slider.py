"""A span between a least and a greatest value, on one track."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy

from arpegon.ui.controls import arrows
from arpegon.ui.controls.two_ends import end_of_key, with_end
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, PaintedRange
from arpegon.ui.look.plain import tip


class RangeSlider(OwnKeys, PaintedRange):
    """Two handles; the nearer one is dragged. Arrows move the one that was touched last; Home and End choose one.

    Args:
        step: values are multiples of it above ``low``.
    """

    own_keys = (Qt.Key.Key_Home,)
    moved = pyqtSignal(float, float)
    settled = pyqtSignal()

    def __init__(self, low: float, high: float, step: float, ink: str, help_text: str) -> None:
        super().__init__()
        self.low, self.high, self.step = low, high, step
        self.ink = ink
        self.span: tuple[float, float] = (low, high)
        self._end = 1
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip(tip(help_text))
        self.setAccessibleName(help_text)
        self.setFixedHeight(18)
        self._tell()

    def _tell(self) -> None:
        words = f"{self.span[0]:g} to {self.span[1]:g}; the {'greatest' if self._end else 'least'} moves"
        self.tell(self.span[self._end], self.low, self.high, self.step, words)

    def put(self, steps: int) -> None:
        self._put(steps * self.step)
        self.settled.emit()

    def sizeHint(self) -> QSize:
        return QSize(120, 18)

    def show_span(self, low: float, high: float) -> None:
        """Show a span; nothing is emitted."""
        if (low, high) != self.span and not self._dragging:
            self.span = (low, high)
            self._tell()
            self.update()

    def _x(self, value: float) -> float:
        return 7 + (self.width() - 14) * (value - self.low) / (self.high - self.low)

    def _value_at(self, x: float) -> float:
        share = max(0.0, min(1.0, (x - 7) / max(1.0, self.width() - 14)))
        return self.low + round(share * (self.high - self.low) / self.step) * self.step

    def _put(self, value: float) -> None:
        span = with_end(self.span, self._end, value, self.low, self.high)
        if span != self.span:
            self.span = span
            self._tell()
            self.update()
            self.moved.emit(*span)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        x = event.position().x()
        low, high = self._x(self.span[0]), self._x(self.span[1])
        self._end = 0 if abs(x - low) < abs(x - high) or (low == high and x < low) else 1
        self._dragging = True
        self._put(self._value_at(x))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._dragging:
            self._put(self._value_at(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragging:
            self._dragging = False
            self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = arrows.onwards(event)
        if step:
            self._put(self.span[self._end] + step * self.step)
            self.settled.emit()
        elif (end := end_of_key(event)) is not None:
            self._end = end
            self._tell()
            self.update()
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        enabled = self.isEnabled()
        low, high = self._x(self.span[0]), self._x(self.span[1])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.rule_strong))
        painter.drawRoundedRect(QRectF(7, 7, self.width() - 14, 4), 2, 2)
        shade = theme.color(self.ink if enabled else t.line)
        painter.setBrush(shade)
        painter.drawRect(QRectF(low, 7, high - low, 4))
        for place, x in enumerate((low, high)):
            painter.setBrush(shade)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QPointF(x, 9), 5.5, 5.5)
            if self.hasFocus() and place == self._end:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(theme.color(t.ink))
                painter.drawEllipse(QPointF(x, 9), 7.5, 7.5)
