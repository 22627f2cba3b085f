"""A voice of a chord as a row."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.core.theory.chords import interval_name
from arpegon.ui.controls import arrows
from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedRange

LOWEST, HIGHEST = -36, 36


class VoiceRow(PaintedRange):
    """One added voice: its offset (drag, wheel, arrows), its level, a way to take it out."""

    changed = pyqtSignal(int, int, float, bool)
    removed = pyqtSignal(int)

    def __init__(self, place: int, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.place = place
        self.ink = ink
        self.offset, self.level = 0, 1.0
        self._drag: tuple[str, float, float] | None = None
        self.setFixedHeight(30)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(
            "An added voice. Drag the number up or down, or use wheel and ↑ ↓ (Shift: an octave), "
            "to move it by semitones, −36 to 36; drag the line for its level, 0 to 2; × or Del takes it out."
        )

    def show_voice(self, offset: int, level: float) -> None:
        """Show a voice."""
        if self._drag is None or self._drag[0] != "level":
            self.level = level
        self.offset = offset
        self.setAccessibleName(f"Voice {self.place + 1}")
        words = f"{offset:+d}, {interval_name(offset)}, level {self.level:.2f}"
        self.tell(offset, LOWEST, HIGHEST, words=words)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(160, 30)

    def put(self, steps: int) -> None:
        self._move(steps)

    def _level_area(self) -> QRectF:
        return QRectF(self.width() - 58, 0, 34, self.height())

    def _cross(self) -> QRectF:
        return QRectF(self.width() - 20, 5, 16, 20)

    def _move(self, offset: int, settled: bool = True) -> None:
        offset = max(LOWEST, min(HIGHEST, offset))
        if offset != self.offset:
            self.offset = offset
            self.changed.emit(self.place, offset, self.level, settled)
            self.update()

    def _turn(self, level: float, settled: bool) -> None:
        self.level = round(max(0.0, min(2.0, level)), 2)
        self.changed.emit(self.place, self.offset, self.level, settled)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        point = event.position()
        if self._cross().contains(point):
            self.removed.emit(self.place)
        elif self._level_area().adjusted(-4, 0, 4, 0).contains(point):
            self._drag = ("level", point.x(), self.level)
            self.mouseMoveEvent(event)
        else:
            self._drag = ("offset", point.y(), float(self.offset))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drag is None:
            return
        what, origin, value = self._drag
        if what == "level":
            area = self._level_area()
            self._turn(2.0 * (event.position().x() - area.left()) / area.width(), False)
        else:
            self._move(round(value + (origin - event.position().y()) / 6), False)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            self.changed.emit(self.place, self.offset, self.level, True)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._level_area().contains(event.position()):
            self._turn(1.0, True)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._move(self.offset + (1 if event.angleDelta().y() > 0 else -1))
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        octave = 12 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        sideways, upwards = arrows.sideways(event), arrows.upwards(event)
        if upwards:
            self._move(self.offset + upwards * octave)
        elif sideways:
            self._turn(self.level + sideways * 0.05, True)
        elif event.key() == Qt.Key.Key_Delete:
            self.removed.emit(self.place)
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        painter.setPen(theme.color(t.ink if self.hasFocus() else t.line))
        painter.setBrush(theme.color(t.field))
        painter.drawRoundedRect(self.sheet(), 5, 5)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(theme.number_font(13, 500))
        painter.setPen(theme.color(t.ink))
        painter.drawText(QRectF(8, 0, 36, 30), middle, f"{self.offset:+d}".replace("-", "−"))
        painter.setFont(theme.label_font(12))
        room = QRectF(40, 0, self.width() - 40 - 62, 30)
        draw_fitted(painter, room, interval_name(self.offset))
        area = self._level_area()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.rule_strong))
        painter.drawRoundedRect(QRectF(area.left(), 13, area.width(), 4), 2, 2)
        painter.setBrush(theme.color(self.ink))
        painter.drawRoundedRect(QRectF(area.left(), 13, area.width() * self.level / 2, 4), 2, 2)
        painter.drawEllipse(QRectF(area.left() + area.width() * self.level / 2 - 4, 11, 8, 8))
        painter.setPen(theme.color(t.second))
        painter.setFont(theme.label_font(14))
        painter.drawText(self._cross(), Qt.AlignmentFlag.AlignCenter, "×")
