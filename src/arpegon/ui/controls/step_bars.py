"""A row of steps drawn as bars: accents, rhythms."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts, paint_paper
from arpegon.ui.look.plain import tip

_SNAP = 0.05


class StepBars(PaintedParts):
    """Levels from 0 to ``most``, drawn with the mouse; a line stands at 1. The right button sets a step to 0.

    Arrows left and right choose a step, up and down change it.
    """

    changed = pyqtSignal(list)
    settled = pyqtSignal()

    def __init__(self, ink: str, highest: float, help_text: str, empty: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.highest = highest
        self.empty = empty
        self.levels: list[float] = []
        self.lit: int | None = None
        """The step that sounds."""
        self.snap = _SNAP
        """Levels are multiples of it."""
        self._chosen = 0
        self._drawing: bool | None = None
        self.setToolTip(tip(help_text))
        self.setAccessibleName(help_text)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(84)

    def sizeHint(self) -> QSize:
        return QSize(360, 84)

    def show_levels(self, levels: Sequence[float]) -> None:
        """Show steps."""
        self.levels = list(levels)
        self.update()

    def show_lit(self, step: int | None) -> None:
        """Show which step sounds."""
        if step != self.lit:
            self.lit = step
            self.update()

    def _step_at(self, x: float) -> int:
        return max(0, min(len(self.levels) - 1, int(x / max(1, self.width()) * len(self.levels))))

    def _draw(self, event: QMouseEvent) -> None:
        if not self.levels or self._drawing is None:
            return
        step = self._chosen = self._step_at(event.position().x())
        level = (self.height() - 4 - event.position().y()) / (self.height() - 8) * self.highest
        level = 0.0 if not self._drawing else round(max(0.0, min(self.highest, level)) / self.snap) * self.snap
        self._put(step, round(level, 4))

    def _put(self, step: int, level: float) -> None:
        if self.levels[step] != level:
            self.levels[step] = level
            self.changed.emit(list(self.levels))
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._drawing = event.button() != Qt.MouseButton.RightButton
            self._draw(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._draw(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drawing is not None:
            self._drawing = None
            self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.levels:
            return
        sideways = arrows.sideways(event)
        upwards = arrows.upwards(event)
        if sideways:
            self._chosen = (self._chosen + sideways) % len(self.levels)
            self.update()
        elif upwards:
            step = min(self._chosen, len(self.levels) - 1)
            self._put(step, round(max(0.0, min(self.highest, self.levels[step] + upwards * self.snap)), 4))
            self.settled.emit()
        else:
            super().keyPressEvent(event)

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(f"Step {place + 1}: {level:g}") for place, level in enumerate(self.levels)]

    def chosen_part(self) -> int | None:
        return min(self._chosen, len(self.levels) - 1) if self.levels else None

    def part_box(self, place: int) -> QRectF:
        width = self.width() / max(1, len(self.levels))
        return QRectF(place * width, 0, width, self.height())

    def choose_part(self, place: int) -> None:
        self._chosen = place
        self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        paint_paper(painter, t, self.sheet())
        if not self.levels:
            painter.setFont(theme.label_font(12))
            painter.setPen(theme.color(t.second))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.empty)
            return
        room = self.height() - 8.0
        one = self.height() - 4 - room / self.highest
        painter.setPen(QPen(theme.color(t.second, 0.6), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(2, one), QPointF(self.width() - 2, one))
        width = self.width() / len(self.levels)
        painter.setPen(Qt.PenStyle.NoPen)
        for step, level in enumerate(self.levels):
            tall = room * level / self.highest
            cell = QRectF(step * width + 2, self.height() - 4 - tall, width - 4, tall)
            painter.setBrush(theme.color(self.ink, 1.0 if step == self.lit else 0.62))
            if level > 0:
                painter.drawRoundedRect(cell, 2, 2)
            else:
                painter.setBrush(theme.color(t.line))
                painter.drawRect(QRectF(step * width + width / 2 - 4, self.height() - 9, 8, 2))
            if self.hasFocus() and step == self._chosen:
                painter.setBrush(theme.color(t.ink))
                painter.drawRect(QRectF(step * width + 2, self.height() - 3, width - 4, 2))
