"""A heading with what is turned seldom beneath it, folded away until somebody wants it."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy, QVBoxLayout, QWidget

from arpegon.ui.look import theme
from arpegon.ui.look.painted import painting

_HEIGHT = 24


class FoldHead(QAbstractButton):
    """The heading: a click or Return folds and unfolds."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.setText(title)
        self.setCheckable(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleDescription("Shows or hides what is beneath it")

    def sizeHint(self) -> QSize:
        return QSize(120, _HEIGHT)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)

    def enterEvent(self, event: object) -> None:
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            near = self.underMouse() or self.hasFocus()
            painter.setPen(theme.color(t.ink if near else t.second))
            painter.setFont(theme.caps_font())
            text = self.text().upper()
            painter.drawText(QRectF(0, 0, self.width(), _HEIGHT), Qt.AlignmentFlag.AlignVCenter, text)
            left = painter.fontMetrics().horizontalAdvance(text) + 10.0
            self._draw_wedge(painter, left)
            painter.setPen(theme.color(t.line))
            painter.drawLine(int(left) + 16, _HEIGHT // 2, self.width(), _HEIGHT // 2)
            if self.hasFocus():
                painter.setPen(theme.color(t.ink))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 2.5, -0.5, -2.5), 3, 3)

    def _draw_wedge(self, painter: QPainter, left: float) -> None:
        """It points down where more is beneath, up where that is in sight."""
        middle, by = _HEIGHT / 2.0, -2.5 if self.isChecked() else 2.5
        painter.setBrush(painter.pen().color())
        painter.setPen(Qt.PenStyle.NoPen)
        wedge = QPolygonF()
        for x, y in ((left, middle - by), (left + 8.0, middle - by), (left + 4.0, middle + by)):
            wedge.append(QRectF(x, y, 0, 0).topLeft())
        painter.drawPolygon(wedge)


class Fold(QWidget):
    """A heading and its contents, which are put into ``box``.

    Signals:
        turned: it was folded or unfolded by hand.
    """

    turned = pyqtSignal(bool)

    def __init__(self, title: str, open_: bool) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.head = FoldHead(title)
        column.addWidget(self.head)
        self.body = QWidget()
        self.box = QVBoxLayout(self.body)
        self.box.setContentsMargins(0, 0, 0, 4)
        self.box.setSpacing(10)
        column.addWidget(self.body)
        self.set_open(open_)
        self.head.toggled.connect(self._toggled)

    def set_open(self, on: bool) -> None:
        """Fold or unfold it."""
        self.head.setChecked(on)
        self.body.setVisible(on)

    def _toggled(self, on: bool) -> None:
        self.body.setVisible(on)
        self.turned.emit(on)
