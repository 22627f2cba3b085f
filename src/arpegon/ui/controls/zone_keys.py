"""A range of keys on a keyboard."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QWidget

from arpegon.core.theory.pitch import written
from arpegon.ui.controls.keyboard import key_rects
from arpegon.ui.controls.two_ends import end_of_key, with_end
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, PaintedPart, PaintedParts
from arpegon.ui.look.plain import tip

_STEPS: dict[int, int] = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: -12, Qt.Key.Key_Up: 12}
"""How many keys an arrow moves an end."""


class ZoneKeys(OwnKeys, PaintedParts):
    """The key range of a source on a keyboard: drag its two ends."""

    smooth = False
    own_keys = (Qt.Key.Key_Home,)
    moved = pyqtSignal(int, int)
    settled = pyqtSignal()

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.low, self.high = 0, 127
        self._held = False
        self._end = 0
        self.setFixedHeight(58)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Key range")
        self.set_help("The keys that are let in: drag either end; double click takes all keys.")

    def set_help(self, words: str) -> None:
        """Say what the keys are for; how they are chosen from the keyboard is added."""
        self.setToolTip(
            tip(f"{words} Home and End choose an end, Left and Right move it by a key, Up and Down by an octave.")
        )

    def show_range(self, low: int, high: int) -> None:
        """Show a range, unless one of its ends is being dragged; nothing is emitted."""
        if not self._held and (low, high) != (self.low, self.high):
            self.low, self.high = low, high
            self.update()

    def _note_at(self, x: float) -> int:
        return max(0, min(127, int(x / max(1, self.width()) * 128)))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            note = self._note_at(event.position().x())
            self._end = 0 if abs(note - self.low) <= abs(note - self.high) else 1
            self._held = True
            self._put(note)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held:
            self._put(self._note_at(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held:
            self._held = False
            self.settled.emit()

    def _put(self, note: int) -> None:
        """Move the end that was touched last, no further than the other one."""
        before = self.low, self.high
        self.low, self.high = with_end(before, self._end, note, 0, 127)
        self.update()
        if (self.low, self.high) != before:
            self.moved.emit(self.low, self.high)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = _STEPS.get(event.key()) if event is not None else None
        if by is not None:
            self._put((self.low, self.high)[self._end] + by)
            self.settled.emit()
        elif (end := end_of_key(event)) is not None:
            self._end = end
            self.update()
        else:
            super().keyPressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._held = False
        self.low, self.high = 0, 127
        self.moved.emit(0, 127)
        self.settled.emit()
        self.update()

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(f"Lowest key {written(self.low)}"), PaintedPart(f"Highest key {written(self.high)}")]

    def chosen_part(self) -> int | None:
        return self._end

    def choose_part(self, place: int) -> None:
        self._end = place
        self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
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
        if self.hasFocus():
            painter.setBrush(theme.color(t.ink))
            painter.drawRect(QRectF(right - 4 if self._end else left, 33, 4, 8))
        painter.setFont(theme.number_font(12))
        painter.setPen(theme.color(t.ink))
        names = written(self.low), written(self.high)
        start = min(max(0.0, left - 10), width - 90)
        painter.drawText(QRectF(start, 40, 44, 16), Qt.AlignmentFlag.AlignLeft, names[0])
        end = max(min(width - 44, right - 34), start + 44)
        painter.drawText(QRectF(end, 40, 44, 16), Qt.AlignmentFlag.AlignRight, names[1])
