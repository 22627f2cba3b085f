"""Keyboards: the geometry of keys, a big one to play on, a small one to show."""

from __future__ import annotations

from collections.abc import Collection
from functools import lru_cache

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.core.theory.pitch import written
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts, PaintedPicture

BLACK = frozenset({1, 3, 6, 8, 10})


def is_black(note: int) -> bool:
    """Whether a note has a black key."""
    return note % 12 in BLACK


@lru_cache(maxsize=64)
def key_rects(low: int, high: int, width: float, height: float) -> dict[int, tuple[float, float, float, float]]:
    """Left, top, width and height of each key from ``low`` to ``high`` (both white), white keys first."""
    whites = [note for note in range(low, high + 1) if not is_black(note)]
    step = width / max(1, len(whites))
    rects = {note: (place * step, 0.0, step, height) for place, note in enumerate(whites)}
    for note in range(low, high + 1):
        if is_black(note) and note - 1 in rects:
            left = rects[note - 1][0] + step * 0.68
            rects[note] = (left, 0.0, step * 0.64, height * 0.62)
    return rects


_READ_VELOCITY = 96
"""With which a screen reader strikes."""
_PRESS_AFTER = 10.0
"""Pixels that a drag may go before it counts as pressure."""


class Keyboard(PaintedParts):
    """A keyboard to play with the mouse; the height of the stroke gives the velocity."""

    pressed = pyqtSignal(int, int)
    released = pyqtSignal(int)
    pressed_on = pyqtSignal(int)

    def __init__(self, low: int = 36, high: int = 96, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.low, self.high = low, high
        self.ink = theme.ink(0)
        self.held: Collection[int] = ()
        self._mouse: int | None = None
        self._struck_at = 0.0
        self._pressure = 0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(56)
        self.setAccessibleName("Keyboard")
        self.setToolTip("Click or glide to play; lower on the key is louder.")

    def sizeHint(self) -> QSize:
        return QSize(510, 72)

    def set_held(self, held: Collection[int]) -> None:
        """Show keys as held."""
        if held != self.held:
            self.held = held
            self.update()

    def note_at(self, x: float, y: float) -> int | None:
        """The key at a point."""
        found = None
        for note, (left, top, width, height) in key_rects(
            self.low, self.high, float(self.width()), float(self.height())
        ).items():
            if left <= x < left + width and top <= y < top + height:
                found = note
        return found

    def _velocity(self, note: int, y: float) -> int:
        height = self.height() * (0.62 if is_black(note) else 1.0)
        return max(1, min(127, round(20 + 107 * y / height)))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._glide(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._glide(event)
            self._press_on(event.position().y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._mouse is not None:
            self.released.emit(self._mouse)
            self._mouse = None
        if self._pressure:
            self._pressure = 0
            self.pressed_on.emit(0)

    def _press_on(self, y: float) -> None:
        """Dragging on, down or beyond the foot of the key, is pressure."""
        moved = abs(y - self._struck_at) - _PRESS_AFTER
        value = max(0, min(127, round(moved / (0.8 * self.height()) * 127)))
        if self._mouse is not None and value != self._pressure:
            self._pressure = value
            self.pressed_on.emit(value)

    def _glide(self, event: QMouseEvent) -> None:
        # Beyond the foot of the keyboard the key stays: dragging on is pressure.
        note = self.note_at(event.position().x(), min(event.position().y(), self.height() - 2.0))
        if note == self._mouse:
            return
        if self._mouse is not None:
            self.released.emit(self._mouse)
        self._mouse = note
        self._struck_at = event.position().y()
        if note is not None:
            self.pressed.emit(note, self._velocity(note, event.position().y()))

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(written(note), note in self.held) for note in range(self.low, self.high + 1)]

    def part_box(self, place: int) -> QRectF:
        return QRectF(*key_rects(self.low, self.high, float(self.width()), float(self.height()))[self.low + place])

    def press_part(self, place: int) -> None:
        note = self.low + place
        if note in self.held:
            self.released.emit(note)
        else:
            self.pressed.emit(note, _READ_VELOCITY)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        rects = key_rects(self.low, self.high, float(self.width()), float(self.height()))
        white = t.roll if not t.dark else theme.mix(t.ink, t.roll, 0.12)
        black = theme.DAY.bar if not t.dark else t.desk
        for note, (left, top, width, height) in rects.items():
            held = note in self.held
            rect = QRectF(left + 0.5, top, width - 1, height - 1)
            ground = self.ink if held else black if is_black(note) else white
            painter.setPen(theme.color(t.line if not t.dark else t.rule_strong))
            painter.setBrush(theme.color(ground))
            painter.drawRoundedRect(rect, 2, 2)
            if note % 12 == 0:
                painter.setFont(theme.label_font(11))
                painter.setPen(
                    theme.color(theme.text_on(ground) if held else theme.DAY.second if not t.dark else theme.DAY.ink)
                )
                painter.drawText(
                    rect.adjusted(0, 0, 0, -3),
                    Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom,
                    written(note),
                )


class MiniKeyboard(PaintedPicture):
    """A small keyboard that shows notes: held ones filled, others as they fit the strand's range."""

    smooth = False

    def __init__(self, ink: str, low: int = 36, high: int = 96, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.low, self.high = low, high
        self.held: Collection[int] = ()
        self.setFixedHeight(34)

    def show_notes(self, held: Collection[int], low: int, high: int) -> None:
        """Show these notes on the white-ended keyboard around them."""
        self.held = held
        self.low, self.high = low - is_black(low), high + is_black(high)
        self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        rects = key_rects(self.low, self.high, float(self.width()), float(self.height()))
        for note, (left, top, width, height) in rects.items():
            held = note in self.held
            dark = is_black(note)
            ground = self.ink if held else (theme.DAY.bar if dark else theme.DAY.roll)
            if t.dark and not held:
                ground = t.desk if dark else theme.mix(t.ink, t.roll, 0.15)
            painter.setPen(theme.color(t.line))
            painter.setBrush(theme.color(ground))
            painter.drawRect(QRectF(left, top, width, height - 1))
