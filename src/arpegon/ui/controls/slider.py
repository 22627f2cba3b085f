"""Sliders: a label, a value that can be typed, a track; one handle or two."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QApplication, QMenu, QSizePolicy, QWidget

from arpegon.core.errors import ParameterError
from arpegon.core.processing.parameters import Number
from arpegon.ui.controls import arrows
from arpegon.ui.controls.in_place import InPlace
from arpegon.ui.controls.refusal import say_at
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, PaintedRange
from arpegon.ui.look.plain import Tip, rich, tip

_FINE = 0.1


class Slider(OwnKeys, PaintedRange):
    """A parameter as a slider.

    Drag, wheel and arrows step, shift is fine, double click on the track resets, a click on the value types.
    ``moved`` comes with every change, ``settled`` when a gesture ends (for undo).
    """

    own_keys = (Qt.Key.Key_Home,)
    moved = pyqtSignal(float)
    settled = pyqtSignal()

    def __init__(self, param: Number, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.param = param
        self.ink = ink
        self._value: float = param.default
        self._drag: float | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(param.label)
        self.setToolTip(tip(tooltip(param)))
        self._tell()

    def _tell(self) -> None:
        param = self.param
        self.tell(self._value, param.low, param.high, param.step, param.text(self._value))

    def put(self, steps: int) -> None:
        self._step_to(steps * self.param.step)
        self.settled.emit()

    def value(self) -> float:
        """The value shown."""
        return self._value

    def set_value(self, value: float) -> None:
        """Show a value; nothing is emitted."""
        if value != self._value:
            self._value = value
            self._tell()
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(150, 42)

    def minimumSizeHint(self) -> QSize:
        return QSize(90, 42)

    # -- gestures ----------------------------------------------------------------------------------

    def _step_to(self, value: float) -> None:
        clamped = self.param.clamp(value)
        if clamped != self._value:
            self._value = clamped
            self._tell()
            self.update()
            self.moved.emit(float(clamped))

    def _track(self) -> QRectF:
        return QRectF(7, 29, self.width() - 14, 4)

    def _value_at(self, x: float) -> float:
        track = self._track()
        share = (x - track.left()) / max(1.0, track.width())
        return self.param.low + share * (self.param.high - self.param.low)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if event.position().y() < 20:
            if event.position().x() > self.width() / 2:
                self._type()
            return
        self._drag = event.position().x()
        self._step_to(self._value_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drag is None:
            return
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            span = self._value_at(event.position().x()) - self._value_at(self._drag)
            self._step_to(self._value + span * _FINE)
        else:
            self._step_to(self._value_at(event.position().x()))
        self._drag = event.position().x()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._reset()

    def _reset(self) -> None:
        self._step_to(self.param.default)
        self.settled.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._nudge(1 if event.angleDelta().y() > 0 else -1, fine)
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key, step = event.key(), arrows.onwards(event)
        if step:
            self._nudge(step, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self._type()
        elif key == Qt.Key.Key_Home:
            self._step_to(self.param.low)
            self.settled.emit()
        elif key == Qt.Key.Key_End:
            self._step_to(self.param.high)
            self.settled.emit()
        else:
            super().keyPressEvent(event)

    def _nudge(self, direction: int, fine: bool) -> None:
        finest = self.param.step
        if fine:
            step = finest if self.param.whole else finest * _FINE
        else:  # a hundred steps from end to end, whatever the range
            step = max(finest, round((self.param.high - self.param.low) / 100 / finest) * finest)
        self._step_to(self._value + direction * step)
        self.settled.emit()

    def menu_entries(self) -> list[tuple[str, Callable[[], None]]]:
        """What its right click menu offers."""
        return [("Reset", self._reset), ("Type a value …", self._type), ("Copy value", self._copy)]

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(f"{self._value:g}")

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            menu = QMenu(self)
            for text, act in self.menu_entries():
                menu.addAction(text, act)
            menu.exec(event.globalPos())

    def _type(self) -> None:
        place = QRect(self.width() - 76, 0, 76, 24)
        field = InPlace(self.param.text(self._value), self, place, theme.number_font(12, 500))
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.typed.connect(self._typed)

    def _typed(self, text: str) -> None:
        try:
            value = self.param.typed(text)
        except ParameterError as error:
            say_at(self, str(error))
            return
        if not self.param.low <= value <= self.param.high:
            say_at(self, f"{text} is out of reach; the nearest was taken. It takes {self.param.range_text}.")
        self._step_to(value)
        self.settled.emit()

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        enabled = self.isEnabled()
        painter.setFont(theme.label_font(12))
        painter.setPen(theme.color(t.second))
        painter.drawText(QRectF(0, 0, self.width(), 20), Qt.AlignmentFlag.AlignLeft, self.param.label)
        left = painter.fontMetrics().horizontalAdvance(self.param.label) + 6
        painter.setFont(theme.number_font(12, 500))
        painter.setPen(theme.color(t.ink if enabled else t.second))
        words = self.param.text(self._value)
        if left + painter.fontMetrics().horizontalAdvance(words) > self.width():  # the number, where all has no room
            words = words.split(" ")[0]
        painter.drawText(QRectF(0, 0, self.width(), 20), Qt.AlignmentFlag.AlignRight, words)
        track = self._track()
        span = self.param.high - self.param.low
        x = track.left() + track.width() * (self._value - self.param.low) / span
        zero = track.left() + track.width() * (max(self.param.low, min(0.0, self.param.high)) - self.param.low) / span
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.rule_strong))
        painter.drawRoundedRect(track, 2, 2)
        shade = self.ink if enabled else t.line
        painter.setBrush(theme.color(shade))
        painter.drawRoundedRect(QRectF(min(x, zero), track.top(), abs(x - zero), track.height()), 2, 2)
        painter.drawEllipse(QPointF(x, track.center().y()), 6.5, 6.5)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.color(t.ink))
            painter.drawEllipse(QPointF(x, track.center().y()), 9, 9)


def tooltip(param: object, shortcut: str = "") -> Tip:
    """What a control does to the music, its range and its shortcut."""
    help_text = getattr(param, "help", "")
    range_text = getattr(param, "range_text", "")
    return rich("{}<br><i>Takes {}.</i>" + ("<br>{}" if shortcut else ""), help_text, range_text, shortcut)
