"""Chords to choose from, as chips that can be clicked or dragged."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from PyQt6.QtCore import QMimeData, QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QDrag, QKeyEvent, QMouseEvent, QPainter, QResizeEvent
from PyQt6.QtWidgets import QApplication, QSizePolicy, QWidget

from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts
from arpegon.ui.look.plain import tip

MIME = "application/x-arpegon-chord"
_TALL, _GAP = 25, 4

Chip = tuple[str, Mapping[str, Any], bool]
"""Name, chord (as a pad holds it), whether it stands out."""


class ChordPalette(PaintedParts):
    """Chips in flowing rows; those of the key stand out, all others are within reach.

    Signals:
        chosen: a chord was clicked.
    """

    chosen = pyqtSignal(dict)

    def __init__(self, ink: str, help_text: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.chips: Sequence[Chip] = ()
        self.current: Mapping[str, Any] | None = None
        self._cells: list[QRectF] = []
        self._press: tuple[int, QPoint] | None = None
        self._at = 0
        self.setToolTip(tip(help_text))
        self.setAccessibleName(help_text)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_chips(self, chips: Sequence[Chip], current: Mapping[str, Any] | None = None) -> None:
        """Offer chords; ``current`` is marked."""
        self.chips, self.current = chips, current
        self._lay_out()

    def _lay_out(self) -> None:
        self._cells = []
        metrics = self.fontMetrics()
        x = y = 0.0
        for name, _, _ in self.chips:
            width = max(34, metrics.horizontalAdvance(name) + 14)
            if x and x + width > self.width():
                x, y = 0.0, y + _TALL + _GAP
            self._cells.append(QRectF(x, y, width, _TALL))
            x += width + _GAP
        self.setFixedHeight(int(y) + _TALL if self.chips else 1)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(300, self.height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._lay_out()

    def _chip_at(self, event: QMouseEvent) -> int | None:
        return next((place for place, cell in enumerate(self._cells) if cell.contains(event.position())), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self._chip_at(event) if event is not None else None
        if event is not None and place is not None and event.button() == Qt.MouseButton.LeftButton:
            self._press = place, event.pos()
            self._at = place

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None:
            return
        place, start = self._press
        if (event.pos() - start).manhattanLength() >= QApplication.startDragDistance():
            self._press = None
            drag = QDrag(self)
            data = QMimeData()
            data.setData(MIME, json.dumps(dict(self.chips[place][1])).encode())
            drag.setMimeData(data)
            drag.exec(Qt.DropAction.CopyAction)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._press is not None:
            place, self._press = self._press[0], None
            self.chosen.emit(dict(self.chips[place][1]))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.chips:
            return
        step = arrows.sideways(event)
        if step:
            self._at = (self._at + step) % len(self.chips)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(dict(self.chips[min(self._at, len(self.chips) - 1)][1]))
        else:
            super().keyPressEvent(event)

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(name, chord == self.current) for name, chord, _ in self.chips]

    def chosen_part(self) -> int | None:
        return min(self._at, len(self.chips) - 1) if self.chips else None

    def part_box(self, place: int) -> QRectF:
        return self._cells[place]

    def choose_part(self, place: int) -> None:
        self._at = place
        self.update()

    def press_part(self, place: int) -> None:
        self.chosen.emit(dict(self.chips[place][1]))

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        for place, ((name, chord, own), cell) in enumerate(zip(self.chips, self._cells, strict=True)):
            chosen = self.current is not None and chord == self.current
            ground = self.ink if chosen else theme.mix(t.field, self.ink, 0.22) if own else t.field
            painter.setPen(theme.color(self.ink if own else t.line))
            if self.hasFocus() and place == self._at:
                painter.setPen(theme.color(t.ink))
            painter.setBrush(theme.color(ground))
            painter.drawRoundedRect(cell.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
            painter.setFont(theme.label_font(13, 600 if own or chosen else 400))
            painter.setPen(theme.color(theme.text_on(ground) if chosen else t.ink if own else t.second))
            painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, name)
