"""The panel of an instrument: knobs, drawbars and switches that move when controllers arrive, and a meter."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from math import inf, log10

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from arpegon.sound.sounds import Control
from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPicture, PaintedRange
from arpegon.ui.look.plain import tip


class PanelControl(PaintedRange):
    """One controller of an instrument: drag up and down, wheel, arrows; double click puts it to rest."""

    turned = pyqtSignal(int, int)

    def __init__(self, control: Control, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.control = control
        self.ink = ink
        self.value = control.rest
        self._drag: tuple[float, int] | None = None
        sizes = {"drawbar": (36, 104), "knob": (62, 66), "switch": (62, 66)}
        self.setFixedSize(*sizes[control.look])
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(control.label)
        self.setToolTip(tip(f"{control.help} Takes 0 to 127; double click puts it to {control.rest}."))

        self.tell(self.value, 0, 127)

    def put(self, steps: int) -> None:
        self._turn(steps)

    def sizeHint(self) -> QSize:
        return self.size()

    def show_value(self, value: int) -> None:
        """Show a value; nothing is emitted."""
        if value != self.value and self._drag is None:
            self.value = value
            self.tell(value, 0, 127)
            self.update()

    def _turn(self, value: int) -> None:
        value = max(0, min(127, value))
        if value != self.value:
            self.value = value
            self.tell(value, 0, 127)
            self.turned.emit(self.control.number, value)
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if self.control.look == "switch":
            self._turn(0 if self.value >= 64 else 127)
        else:
            self._drag = (event.position().y(), self.value)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drag is not None:
            fine = 4.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            moved = (self._drag[0] - event.position().y()) / fine
            drawbar = self.control.look == "drawbar"
            self._turn(round(self._drag[1] + (-moved if drawbar else moved) * (1.6 if drawbar else 1.2)))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if self.control.look != "switch":
            self._turn(self.control.rest)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._turn(self.value + (4 if event.angleDelta().y() > 0 else -4))
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = 4 * arrows.upwards(event)
        if step:
            self._turn(self.value + step)
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        paint = {"knob": self._paint_knob, "drawbar": self._paint_drawbar, "switch": self._paint_switch}
        paint[self.control.look](painter, t)
        painter.setFont(theme.label_font(11))
        painter.setPen(theme.color(t.ink if self.hasFocus() else t.second))
        foot = QRectF(0, self.height() - 16, self.width(), 16)
        painter.drawText(foot, Qt.AlignmentFlag.AlignCenter, self.control.label)

    def _paint_knob(self, painter: QPainter, t: theme.Theme) -> None:
        area = QRectF(self.width() / 2 - 20, 4, 40, 40)
        pen = QPen(theme.color(t.rule_strong), 5)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        painter.setPen(pen)
        painter.drawArc(area, 225 * 16, -270 * 16)
        pen.setColor(theme.color(self.ink))
        painter.setPen(pen)
        painter.drawArc(area, 225 * 16, round(-270 * 16 * self.value / 127))
        painter.setPen(theme.color(t.ink))
        painter.setFont(theme.number_font(12, 500))
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, str(self.value))
        angle = math.radians(225 - 270 * self.value / 127)
        tip = area.center() + QPointF(math.cos(angle), -math.sin(angle)) * 20
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.ink))
        painter.drawEllipse(tip, 3, 3)

    def _paint_drawbar(self, painter: QPainter, t: theme.Theme) -> None:
        slot = QRectF(self.width() / 2 - 2, 2, 4, self.height() - 22)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.rule_strong))
        painter.drawRoundedRect(slot, 2, 2)
        # A drawbar is pulled out, downwards, to sound.
        y = slot.top() + (slot.height() - 16) * self.value / 127
        painter.setBrush(theme.color(self.ink))
        painter.drawRoundedRect(QRectF(slot.left(), slot.top(), 4, y - slot.top()), 2, 2)
        painter.setBrush(theme.color(t.bar))
        painter.drawRoundedRect(QRectF(self.width() / 2 - 13, y, 26, 16), 3, 3)
        painter.setPen(theme.color(t.bar_text))
        painter.setFont(theme.number_font(11))
        painter.drawText(
            QRectF(self.width() / 2 - 13, y, 26, 16), Qt.AlignmentFlag.AlignCenter, str(round(self.value / 127 * 8))
        )

    def _paint_switch(self, painter: QPainter, t: theme.Theme) -> None:
        on = self.value >= 64
        well = QRectF(self.width() / 2 - 16, 16, 32, 17)
        painter.setPen(theme.color(t.line))
        painter.setBrush(theme.color(self.ink if on else t.field))
        painter.drawRoundedRect(well, 8, 8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(theme.text_on(self.ink) if on else t.second))
        painter.drawEllipse(QRectF(well.right() - 15 if on else well.left() + 2, well.top() + 2, 13, 13))


class Meter(PaintedPicture):
    """The level of an instrument, in steps of 2 dB."""

    smooth = False

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Level")
        self.ink = ink
        self._level = 0.0
        self.setFixedHeight(10)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip("The level of this instrument, from −48 dB to full.")

    def show_level(self, level: float) -> None:
        """Show a peak (1 is full scale); it falls by itself."""
        before = self._level
        self._level = max(level, before * 0.88 if before > 0.001 else 0.0)
        if self._level != before:
            self.update()
            decibels = 20 * log10(self._level) if self._level > 0 else -inf
            self.tell_words(f"{3 * round(decibels / 3)} dB" if decibels > -48 else "silent")

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        cells = 24
        lit = 0 if self._level <= 0 else round(max(0.0, min(1.0, 1.0 + 20 * log10(self._level) / 48)) * cells)
        step = self.width() / cells
        for cell in range(cells):
            shade = t.rule_strong if cell >= lit else t.warning if cell == cells - 1 else self.ink
            painter.fillRect(QRectF(cell * step, 0, step - 1.5, self.height()), theme.color(shade))


class InstrumentPanel(QWidget):
    """All controllers of a sound, drawbars in a row of their own."""

    turned = pyqtSignal(int, int)

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.controls: dict[int, PanelControl] = {}
        self._shown: Sequence[Control] = ()
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(6)
        self._inner: QWidget | None = None

    def show_controls(self, controls: Sequence[Control], values: Mapping[int, int]) -> None:
        """Show these controllers, with the values that arrived last."""
        if controls != self._shown:
            self._shown = controls
            self._build(controls)
        for number, control in self.controls.items():
            control.show_value(values.get(number, control.control.rest))

    def _build(self, controls: Sequence[Control]) -> None:
        if self._inner is not None:
            self._box.removeWidget(self._inner)
            self._inner.hide()
            self._inner.deleteLater()
        self._inner = QWidget()
        inner = QVBoxLayout(self._inner)
        inner.setContentsMargins(0, 0, 0, 0)
        bars, knobs = QHBoxLayout(), QGridLayout()
        bars.setSpacing(2)
        knobs.setSpacing(4)
        self.controls = {}
        others = 0
        for control in controls:
            widget = self.controls[control.number] = PanelControl(control, self.ink)
            widget.turned.connect(self.turned)
            if control.look == "drawbar":
                bars.addWidget(widget)
            else:
                knobs.addWidget(widget, others // 5, others % 5)
                others += 1
        bars.addStretch(1)
        knobs.setColumnStretch(5, 1)
        inner.addLayout(bars)
        inner.addLayout(knobs)
        self._box.addWidget(self._inner)
