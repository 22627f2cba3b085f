"""A line between two parts, dragged to give one of them more room."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy

from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, PaintedRange

HEIGHT = 11
_STEP = 26


class Divider(OwnKeys, PaintedRange):
    """Level, between what is above and what is beneath.

    Signals:
        moved: it was moved by so many pixels, downwards, since it was taken hold of (mouse) or by a key.
        taken: it was taken hold of.
        turned: a double click or Return folds what is beneath, or unfolds it.
    """

    moved = pyqtSignal(int)
    taken = pyqtSignal()
    turned = pyqtSignal()
    own_keys = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Space)

    def __init__(self, name: str) -> None:
        super().__init__()
        self._from: float | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.SplitVCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(name)
        self.setToolTip("Drag it (or press the arrow keys): more room above or beneath. A double click folds it.")

    def sizeHint(self) -> QSize:
        return QSize(40, HEIGHT)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._from = event.globalPosition().y()
            self.taken.emit()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._from is not None:
            self.moved.emit(round(event.globalPosition().y() - self._from))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._from = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._from = None
        self.turned.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        by = {Qt.Key.Key_Up: -_STEP, Qt.Key.Key_Down: _STEP}.get(Qt.Key(event.key()))
        if by is not None:
            self.taken.emit()
            self.moved.emit(by)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.turned.emit()
        else:
            super().keyPressEvent(event)

    def enterEvent(self, event: object) -> None:
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        middle = HEIGHT / 2.0
        near = self.underMouse() or self.hasFocus()
        painter.setPen(theme.color(t.second if near else t.rule_strong))
        painter.drawLine(QPointF(0, middle), QPointF(self.width(), middle))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.ink if near else t.second))
        for place in (-9.0, 0.0, 9.0):
            painter.drawEllipse(QRectF(self.width() / 2.0 + place - 1.5, middle - 1.5, 3.0, 3.0))
