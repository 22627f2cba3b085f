"""A range of keys on a keyboard."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from arpegon.core.pitch import note_name
from arpegon.ui import theme
from arpegon.ui.controls.keyboard import key_rects


class ZoneKeys(QWidget):
    """The key range of a source on a keyboard: drag its two ends."""

    moved = pyqtSignal(int, int)
    settled = pyqtSignal()

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.low, self.high = 0, 127
        self._end: str | None = None
        self.setFixedHeight(58)
        self.setToolTip("The keys that are let in. Drag either end; double click takes all keys.")

    def _note_at(self, x: float) -> int:
        return max(0, min(127, int(x / max(1, self.width()) * 128)))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            note = self._note_at(event.position().x())
            self._end = "low" if abs(note - self.low) <= abs(note - self.high) else "high"
            self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._end is None:
            return
        note = self._note_at(event.position().x())
        if self._end == "low":
            self.low = min(note, self.high)
        else:
            self.high = max(note, self.low)
        self.update()
        self.moved.emit(self.low, self.high)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._end = None
        self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._end = None
        self.low, self.high = 0, 127
        self.moved.emit(0, 127)
        self.settled.emit()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        painter = QPainter(self)
        width = float(self.width())
        rects = key_rects(0, 127, width, 34.0)
        for note, (left, top, wide, tall) in rects.items():
            inside = self.low <= note <= self.high
            black = tall < 34
            ground = theme.DAY.bar if black else theme.DAY.roll
            if not inside:
                ground = theme.mix(ground, t.paper, 0.75)
            painter.setPen(theme.color(t.line))
            painter.setBrush(theme.color(ground))
            painter.drawRect(QRectF(left, top, wide, tall - 1))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(self.ink))
        left = rects[self.low][0]
        right = rects[self.high][0] + rects[self.high][2]
        painter.drawRect(QRectF(left, 35, right - left, 4))
        painter.setFont(theme.number_font(12))
        painter.setPen(theme.color(t.ink))
        names = note_name(self.low), note_name(self.high)
        start = min(max(0.0, left - 10), width - 90)
        painter.drawText(QRectF(start, 40, 44, 16), Qt.AlignmentFlag.AlignLeft, names[0])
        end = max(min(width - 44, right - 34), start + 44)
        painter.drawText(QRectF(end, 40, 44, 16), Qt.AlignmentFlag.AlignRight, names[1])
