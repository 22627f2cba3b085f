"""The tosses that were made, as a row of small figures; the one in force is filled."""

from __future__ import annotations

import math
import random
from collections.abc import Sequence

import msgspec
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QToolTip

from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, PaintedPart, PaintedParts
from arpegon.ui.look.plain import tip

_CELL = 26.0


class Figure(msgspec.Struct, frozen=True):
    """A toss: its seed makes its shape; ``words`` say what it was."""

    seed: int
    star: bool
    words: str


class TossFigures(OwnKeys, PaintedParts):
    """Rows of figures, oldest first. A click calls one back; the right button offers more; arrows walk."""

    own_keys = (Qt.Key.Key_Asterisk,)
    called = pyqtSignal(int)
    asked = pyqtSignal(int, QPoint)
    starred = pyqtSignal(int)

    def __init__(self, ink: str) -> None:
        super().__init__()
        self.ink = ink
        self.figures: Sequence[Figure] = ()
        self.current: int | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Tosses")

    def sizeHint(self) -> QSize:
        return QSize(200, self._height())

    def _columns(self) -> int:
        return max(1, int(self.width() / _CELL))

    def _height(self) -> int:
        rows = max(1, math.ceil(len(self.figures) / self._columns()))
        return int(rows * _CELL + 2)

    def show_figures(self, figures: Sequence[Figure], current: int | None) -> None:
        """Show tosses, and which of them is in force."""
        self.figures, self.current = figures, current
        self.setFixedHeight(self._height())
        self.update()

    def _spot(self, place: int) -> QPointF:
        row, column = divmod(place, self._columns())
        return QPointF((column + 0.5) * _CELL, (row + 0.5) * _CELL + 1)

    def _place_at(self, spot: QPointF) -> int | None:
        place = int(spot.y() / _CELL) * self._columns() + int(spot.x() / _CELL)
        return place if 0 <= spot.x() < self._columns() * _CELL and 0 <= place < len(self.figures) else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self._place_at(event.position()) if event is not None else None
        if event is None or place is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self.asked.emit(place, event.globalPosition().toPoint())
        else:
            self.called.emit(place)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = arrows.sideways(event)
        if by and self.figures:
            at = self.current if self.current is not None else len(self.figures) - (0 if by < 0 else 1)
            self.called.emit(max(0, min(len(self.figures) - 1, at + by)))
        elif event is not None and event.key() == Qt.Key.Key_Asterisk and self.current is not None:
            self.starred.emit(self.current)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            place = self._place_at(QPointF(event.pos()))
            words = (
                self.figures[place].words
                if place is not None
                else "Every toss is kept here: click one to call it back."
            )
            QToolTip.showText(event.globalPos(), tip(words), self)
            return True
        return super().event(event)

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(one.words + (", starred" if one.star else "")) for one in self.figures]

    def chosen_part(self) -> int | None:
        return self.current

    def part_box(self, place: int) -> QRectF:
        spot = self._spot(place)
        return QRectF(spot.x() - _CELL / 2, spot.y() - _CELL / 2, _CELL, _CELL)

    def choose_part(self, place: int) -> None:
        self.called.emit(place)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        ink = t.drawn(self.ink)
        if not self.figures:
            painter.setFont(theme.label_font(12))
            painter.setPen(theme.color(t.second))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, "no toss yet")
            return
        for place, figure in enumerate(self.figures):
            now = place == self.current
            painter.setPen(QPen(theme.color(ink if now else t.second), 2.0 if now else 1.2))
            painter.setBrush(theme.color(ink) if now else Qt.BrushStyle.NoBrush)
            painter.drawPolygon(shape(figure.seed, self._spot(place), 8.5))
            if figure.star:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color(t.warning))
                painter.drawEllipse(self._spot(place) + QPointF(8.5, -8.0), 3.2, 3.2)
            if now and self.hasFocus():
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(theme.color(t.ink))
                painter.drawEllipse(self._spot(place), 12, 12)


def shape(seed: int, middle: QPointF, radius: float) -> QPolygonF:
    """The figure of a seed: a polygon of five to nine corners, turned and dented by it."""
    draw = random.Random(seed)
    sides, turn = draw.randint(5, 9), draw.random()
    corners = []
    for corner in range(sides):
        angle = 2 * math.pi * (corner + turn) / sides
        reach = radius * draw.uniform(0.62, 1.0)
        corners.append(QPointF(middle.x() + reach * math.cos(angle), middle.y() + reach * math.sin(angle)))
    return QPolygonF(corners)
