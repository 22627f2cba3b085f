"""A paper on which a line is drawn by its points."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from arpegon.ui.controls import arrows
from arpegon.ui.controls.refusal import say_at
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts

_NEAR = 18.0
_STRIDE = 4
"""How far an arrow moves a point; with Shift it moves by one."""

HOW = (
    "Click sets a point, drag moves it, the right button takes it away. Left and Right choose a point, Up and Down "
    "(with Alt: all four) move it, Shift is fine, Ins sets one behind it, Del takes it away."
)
"""How points are drawn, for tooltips."""


class DrawnPoints(PaintedParts):
    """Points of two values, 0-127 each, in order from left to right; at least one stays.

    Subclasses say where on the paper values lie.

    Signals:
        drawn: the points as they are now, ``[[x, y], ...]``.
        settled: a gesture ended.
    """

    drawn = pyqtSignal(list)
    settled = pyqtSignal()

    def __init__(self, ink: str, lowest: int, max_points: int, parent: QWidget | None = None) -> None:
        """With up to ``most`` points, of values from ``least`` up."""
        super().__init__(parent)
        self.ink = ink
        self.lowest = lowest
        self.max_points = max_points
        self.points: list[list[int]] | None = None
        self._held: int | None = None
        self._chosen = 0

    def show_points(self, points: Sequence[Sequence[int]] | None) -> None:
        """Show points that can be drawn; ``None`` where none can."""
        if self._held is None:
            self.points = None if points is None else [list(point) for point in points]
            self._chosen = min(self._chosen, max(0, len(self.points or ()) - 1))
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus if points is None else Qt.FocusPolicy.StrongFocus)
        self.update()

    def spot(self, x: float, y: float) -> QPointF:
        """Where two values lie on the paper."""
        raise NotImplementedError

    def values_at(self, spot: QPointF) -> tuple[float, float]:
        """The two values that lie there, however far outside."""
        raise NotImplementedError

    # -- what is done to points --------------------------------------------------------------------

    def _bounded(self, value: float) -> int:
        return max(self.lowest, min(127, round(value)))

    def _set(self, x: float, y: float) -> int | None:
        """Have a point at these values, or take the one at that ``x``; its place."""
        points = self.points or []
        made = [self._bounded(x), self._bounded(y)]
        there = next((place for place, point in enumerate(points) if point[0] == made[0]), None)
        if there is not None:
            return there
        if len(points) >= self.max_points:
            say_at(
                self, f"There are {self.max_points} points already, and no more fit: move one, or take one away first."
            )
            return None
        points.append(made)
        points.sort()
        self._say_drawn()
        return points.index(made)

    def _move(self, place: int, x: float, y: float) -> None:
        """Move a point, as far as its neighbours let it."""
        points = self.points or []
        low = points[place - 1][0] + 1 if place else self.lowest
        high = points[place + 1][0] - 1 if place + 1 < len(points) else 127
        made = [max(low, min(high, self._bounded(x))), self._bounded(y)]
        if made != points[place]:
            points[place] = made
            self._say_drawn()

    def _take_away(self, place: int) -> None:
        points = self.points or []
        if len(points) == 1:
            say_at(self, "One point stays: a line needs somewhere to be.")
            return
        del points[place]
        self._chosen = min(self._chosen, len(points) - 1)
        self._say_drawn()
        self.settled.emit()

    def _say_drawn(self) -> None:
        self.update()
        self.drawn.emit([list(point) for point in self.points or ()])

    # -- gestures ----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.points is None:
            return
        away = [(self.spot(*point) - event.position()).manhattanLength() for point in self.points]
        place = min(range(len(away)), key=away.__getitem__, default=None)
        near = place if place is not None and away[place] < _NEAR else None
        if event.button() == Qt.MouseButton.RightButton:
            if near is not None:
                self._take_away(near)
            return
        self._held = self._set(*self.values_at(event.position())) if near is None else near
        if self._held is not None:
            self._chosen = self._held
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held is not None:
            self._move(self._held, *self.values_at(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is not None:
            self._held = None
            self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.points:
            super().keyPressEvent(event)
            return
        sideways = arrows.sideways(event)
        upwards = arrows.upwards(event)
        x, y = self.points[self._chosen]
        if upwards or (sideways and event.modifiers() & Qt.KeyboardModifier.AltModifier):
            by = 1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else _STRIDE
            self._move(self._chosen, x + sideways * by, y + upwards * by)
            self.settled.emit()
        elif sideways:
            self._chosen = (self._chosen + sideways) % len(self.points)
            self.update()
        elif event.key() == Qt.Key.Key_Insert:
            self._set_behind(self._chosen)
        elif event.key() == Qt.Key.Key_Delete:
            self._take_away(self._chosen)
        else:
            super().keyPressEvent(event)

    def _set_behind(self, place: int) -> None:
        """Set a point half way to the next one, or to the end."""
        points = self.points or []
        x, y = points[place]
        after = points[place + 1] if place + 1 < len(points) else [127, y]
        if after[0] - x < 2:
            say_at(self, "There is no room for a point between this one and the next.")
            return
        made = self._set((x + after[0]) // 2, (y + after[1]) // 2)
        if made is not None:
            self._chosen = made
            self.settled.emit()

    # -- for screen readers ------------------------------------------------------------------------

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(f"Point {place + 1}: {x}, {y}") for place, (x, y) in enumerate(self.points or ())]

    def chosen_part(self) -> int | None:
        return self._chosen if self.points else None

    def part_box(self, place: int) -> QRectF:
        spot = self.spot(*(self.points or [[0, 0]])[place])
        return QRectF(spot.x() - _NEAR / 2, spot.y() - _NEAR / 2, _NEAR, _NEAR)

    def choose_part(self, place: int) -> None:
        self._chosen = place
        self.update()

    # -- painting ----------------------------------------------------------------------------------

    def paint_points(self, painter: QPainter, t: theme.Theme) -> None:
        """The points as discs; the chosen one has a ring while keys go here."""
        painter.setPen(QPen(theme.color(t.ink), 1.6))
        painter.setBrush(theme.color(t.field))
        for point in self.points or ():
            painter.drawEllipse(self.spot(*point), 5, 5)
        if self.points and self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(self.spot(*self.points[self._chosen]), 8.5, 8.5)
