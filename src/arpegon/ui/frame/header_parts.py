"""The parts of the header: the brand's figure, transport buttons, fields, tabs."""

from __future__ import annotations

import math
from collections.abc import Mapping

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QMenu, QPushButton, QWidget

from arpegon.ui.controls import arrows
from arpegon.ui.controls.in_place import InPlace
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Opaque, Painted, PaintedButton, painting
from arpegon.ui.look.plain import tip

HEIGHT = 54
_VALUE_TOP = 17
"""Where the value of a field begins, beneath its caption."""


class BrandFigure(Painted):
    """The brand's figure: a twelve-sided ring with a star in it; it turns a little with every beat."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedSize(32, 32)
        self.turn = 0.0

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        corners = [
            QPointF(16 + 14 * math.sin(math.radians(30 * place)), 16 - 14 * math.cos(math.radians(30 * place)))
            for place in range(12)
        ]
        painter.setPen(QPen(theme.color(t.ink), 1.6))
        painter.drawPolygon(QPolygonF(corners))
        painter.setPen(QPen(theme.color(theme.roll_ink(0)), 1.6))
        start = round(self.turn)
        painter.drawPolygon(QPolygonF([corners[(start + place * 5) % 12] for place in (0, 1, 2, 3, 4)]))


class TransportButton(QPushButton):
    """A button with a drawn sign, so that no font need have it."""

    def __init__(self, sign: str, help_text: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.sign = sign
        self.active = False
        self.setFixedSize(36, 30)
        self.setToolTip(tip(help_text))
        self.setAccessibleName(help_text)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_active(self, active: bool) -> None:
        """Show that it is on."""
        if active != self.active:
            self.active = active
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            ground = t.rule if self.isDown() else t.field
            shade = t.ink
            if self.active:
                ground = t.warning if self.sign == "record" else t.bar
                shade = theme.text_on(ground)
            elif self.sign == "record":
                shade = t.warning
            painter.setPen(QPen(theme.color(t.ink if self.hasFocus() else t.line), 1))
            painter.setBrush(theme.color(ground))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(shade))
            middle = QRectF(self.rect()).center()
            if self.sign == "record":
                painter.drawEllipse(middle, 6, 6)
            elif self.sign == "start":
                painter.drawRect(QRectF(middle.x() - 8, middle.y() - 6, 2.4, 12))
                for left in (-4.5, 2.0):
                    points = [QPointF(left + 6, -6), QPointF(left + 6, 6), QPointF(left, 0)]
                    painter.drawPolygon(QPolygonF([point + middle for point in points]))
            elif self.active:
                painter.drawRect(QRectF(middle.x() - 5, middle.y() - 5, 10, 10))
            else:
                points = [QPointF(-4, -7), QPointF(-4, 7), QPointF(8, 0)]
                painter.drawPolygon(QPolygonF([point + middle for point in points]))


class Field(Opaque, PaintedButton):
    """A caption with a value beneath: clicked (or Return), dragged, wheeled, stepped by arrows, typed by its owner."""

    smooth = False
    ground = "paper"
    clicked = pyqtSignal()
    asked = pyqtSignal()
    stepped = pyqtSignal(float)
    settled = pyqtSignal()
    typed = pyqtSignal(str)

    def __init__(self, caption: str, help_text: str, width: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.caption = caption
        self.text = ""
        self.alarm = False
        self._drag: float | None = None
        self._moved = False
        self.setFixedSize(width, 40)
        self.setToolTip(tip(help_text))
        self.setAccessibleName(caption)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_text(self, text: str) -> None:
        """Show a value."""
        if text != self.text:
            self.text = text
            self.setAccessibleDescription(text)
            self.update(0, _VALUE_TOP, self.width(), self.height() - _VALUE_TOP)

    def press(self) -> None:
        self.clicked.emit()

    def show_caption(self, caption: str, alarm: bool = False) -> None:
        """Show another caption; in an ``alarm`` the value is written in the colour of warnings."""
        if (caption, alarm) != (self.caption, self.alarm):
            self.caption, self.alarm = caption, alarm
            self.setAccessibleName(caption)
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(self.width(), 40)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        self.asked.emit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._drag, self._moved = event.position().y(), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drag is None:
            return
        delta = self._drag - event.position().y()
        if self._moved or abs(delta) > 3:
            self._moved = True
            self._drag = event.position().y()
            fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self.stepped.emit(delta * 0.5 * fine)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            if self._moved:
                self.settled.emit()
            else:
                self.clicked.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._step(1.0 if event.angleDelta().y() > 0 else -1.0, event.modifiers())
            event.accept()

    def _step(self, step: float, modifiers: Qt.KeyboardModifier) -> None:
        self.stepped.emit(step * (0.1 if modifiers & Qt.KeyboardModifier.ShiftModifier else 1.0))
        self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = float(arrows.upwards(event))
        if event is not None and step:
            self._step(step, event.modifiers())
        elif event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.clicked.emit()
        else:
            super().keyPressEvent(event)

    def type_value(self) -> None:
        """Let a value be typed."""
        field = InPlace(self.text, self, QRect(0, 13, self.width(), 26), theme.number_font(14, 500))
        field.typed.connect(self.typed)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        if self.area.top() < _VALUE_TOP:
            painter.setFont(theme.caps_font())
            painter.setPen(theme.color(t.second))
            painter.drawText(QRectF(0, 2, self.width(), 14), Qt.AlignmentFlag.AlignVCenter, self.caption.upper())
        painter.setFont(theme.number_font(16, 500) if self.text[:1].isdigit() else theme.label_font(15, 600))
        painter.setPen(theme.color(t.warning if self.alarm else t.ink))
        painter.drawText(QRectF(0, _VALUE_TOP, self.width(), 21), Qt.AlignmentFlag.AlignVCenter, self.text)
        if self.hasFocus():
            painter.fillRect(QRectF(0, self.height() - 2, self.width() - 8, 2), theme.color(t.ink))


class Tab(QPushButton):
    """A view's name, underlined where it is in sight."""

    def __init__(self, text: str, help_text: str) -> None:
        super().__init__(text)
        self.setCheckable(True)
        self.setAutoExclusive(True)
        wide = QFontMetrics(theme.label_font(15, 600)).horizontalAdvance(text) + 18
        self.setFixedSize(wide, HEIGHT - 2)
        self.setToolTip(tip(help_text))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        with painting(self) as painter:
            painter.setFont(theme.label_font(15, 600 if self.isChecked() else 400))
            painter.setPen(theme.color(t.ink if self.isChecked() or self.underMouse() else t.second))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.text())
            if self.isChecked():
                painter.fillRect(QRectF(0, self.height() - 4, self.width(), 4), theme.color(theme.roll_ink(0)))
            if self.hasFocus():
                painter.drawRect(self.rect().adjusted(4, 12, -5, -12))


class ViewsButton(QPushButton):
    """In the place of the tabs, where there is no room for them: the view that is in sight, and a menu of all."""

    def __init__(self, tabs: Mapping[str, Tab]) -> None:
        super().__init__()
        self.setFixedHeight(30)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip(tip("Another view: " + ", ".join(tabs) + " (Ctrl+1 to Ctrl+4)."))
        self.menu_ = QMenu(self)
        for name, tab in tabs.items():
            self.menu_.addAction(name, tab.click)
            tab.toggled.connect(lambda on, name=name: self.setText(f"{name} ▾") if on else None)
            if tab.isChecked():
                self.setText(f"{name} ▾")
        self.clicked.connect(lambda: self.menu_.popup(self.mapToGlobal(self.rect().bottomLeft())))
