"""The polygon in which beads bounce: its walls with what they sound, the beads with their trails."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Sequence

import msgspec
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy

from arpegon.core.theory.billiard import corner
from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts

_TRAIL = 26
_FADE = 0.5

_HEIGHT = 290


class Wall(msgspec.Struct, frozen=True):
    """What a wall sounds."""

    name: str
    silent: bool


class Basin(PaintedParts):
    """Walls from the one right of the top corner, clockwise. Click chooses one, the right button silences it."""

    picked = pyqtSignal(int)
    silenced = pyqtSignal(int)

    def __init__(self, ink: str) -> None:
        super().__init__()
        self.ink = ink
        self.walls: Sequence[Wall] = ()
        self.chosen = 0
        self._beads: list[tuple[float, float]] = []
        self._trails: list[deque[tuple[float, float]]] = []
        self._struck: dict[int, float] = {}
        self._last_wall = -1
        self._now = 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName("Walls and beads")
        self.setToolTip(
            "Each wall sounds its note when a bead meets it. Click chooses a wall, the right button silences it; "
            "arrows choose, Delete silences."
        )

    def sizeHint(self) -> QSize:
        return QSize(340, _HEIGHT)

    def show_walls(self, walls: Sequence[Wall]) -> None:
        """Show walls."""
        if len(walls) != len(self.walls):
            self._trails = []
        self.walls = walls
        self.chosen = min(self.chosen, max(0, len(walls) - 1))
        self.update()

    def show_beads(self, beads: Sequence[tuple[float, float]], wall: int, now: float) -> None:
        """Show where the beads are, and which wall was met last."""
        if len(beads) != len(self._trails):
            self._trails = [deque(maxlen=_TRAIL) for _ in beads]
        if wall >= 0 and wall != self._last_wall:
            self._struck[wall] = now
        self._last_wall = wall
        self._struck = {struck: at for struck, at in self._struck.items() if now - at < _FADE}
        moved = list(beads) != self._beads
        if moved:
            for trail, bead in zip(self._trails, beads, strict=True):
                trail.append(bead)
        if moved or self._struck:
            self._beads, self._now = list(beads), now
            self.update()

    # -- geometry ----------------------------------------------------------------------------------

    def _at(self, x: float, y: float) -> QPointF:
        radius = min(self.width(), self.height()) / 2 - 26
        return QPointF(self.width() / 2 + radius * x, self.height() / 2 + radius * y)

    def _corner(self, number: int) -> QPointF:
        return self._at(*corner(len(self.walls), number % max(1, len(self.walls))))

    def _wall_at(self, spot: QPointF) -> int | None:
        if not self.walls:
            return None
        angle = math.atan2(spot.y() - self.height() / 2, spot.x() - self.width() / 2) + math.pi / 2
        wall = int((angle % (2 * math.pi)) / (2 * math.pi) * len(self.walls)) % len(self.walls)
        a, b = self._corner(wall), self._corner(wall + 1)
        length = math.hypot(b.x() - a.x(), b.y() - a.y())
        away = abs((b.x() - a.x()) * (a.y() - spot.y()) - (a.x() - spot.x()) * (b.y() - a.y())) / length
        return wall if away < 26 else None

    # -- gestures ----------------------------------------------------------------------------------

    def _choose(self, wall: int) -> None:
        if wall != self.chosen:
            self.chosen = wall
            self.update()
            self.picked.emit(wall)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        wall = self._wall_at(event.position()) if event is not None else None
        if event is not None and wall is not None:
            self._choose(wall)
            if event.button() == Qt.MouseButton.RightButton:
                self.silenced.emit(wall)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = arrows.sideways(event)
        if by and self.walls:
            self._choose((self.chosen + by) % len(self.walls))
        elif event is not None and event.key() == Qt.Key.Key_Delete:
            self.silenced.emit(self.chosen)
        else:
            super().keyPressEvent(event)

    # -- for screen readers ------------------------------------------------------------------------

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(f"Wall {place + 1}: {wall.name}", not wall.silent) for place, wall in enumerate(self.walls)]

    def chosen_part(self) -> int | None:
        return self.chosen if self.walls else None

    def choose_part(self, place: int) -> None:
        self._choose(place)

    def press_part(self, place: int) -> None:
        self.silenced.emit(place)

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        ink = t.drawn(self.ink)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.roll))
        painter.drawPolygon(QPolygonF([self._corner(number) for number in range(len(self.walls))]))
        for number, wall in enumerate(self.walls):
            self._paint_wall(painter, t, ink, number, wall)
        for trail in self._trails:
            points = [self._at(*spot) for spot in trail]
            for place in range(1, len(points)):
                painter.setPen(QPen(theme.color(ink, 0.55 * place / len(points)), 2.0))
                painter.drawLine(points[place - 1], points[place])
        painter.setPen(QPen(theme.color(t.paper), 1.5))
        painter.setBrush(theme.color(ink))
        for bead in self._beads:
            painter.drawEllipse(self._at(*bead), 7, 7)
        if not self._beads:
            painter.setFont(theme.label_font(12))
            painter.setPen(theme.color(t.second))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "the beads set out when it starts")

    def _paint_wall(self, painter: QPainter, t: theme.Theme, ink: str, number: int, wall: Wall) -> None:
        a, b = self._corner(number), self._corner(number + 1)
        glow = max(0.0, 1.0 - (self._now - self._struck[number]) / _FADE) if number in self._struck else 0.0
        style = Qt.PenStyle.DashLine if wall.silent else Qt.PenStyle.SolidLine
        painter.setPen(QPen(theme.color(t.second if wall.silent else ink, 0.75 + 0.25 * glow), 2.2 + 5.0 * glow, style))
        painter.drawLine(a, b)
        middle = (a + b) / 2
        away = QPointF(middle.x() - self.width() / 2, middle.y() - self.height() / 2)
        reach = math.hypot(away.x(), away.y())
        spot = middle + away / reach * 14
        box = QRectF(spot.x() - 20, spot.y() - 9, 40, 18)
        if number == self.chosen:
            painter.setPen(QPen(theme.color(t.ink), 1.8 if self.hasFocus() else 1.0))
            painter.setBrush(theme.color(t.field))
            painter.drawRoundedRect(box.adjusted(5, 0, -5, 0), 5, 5)
        painter.setFont(theme.label_font(12, 600))
        painter.setPen(theme.color(t.second if wall.silent else t.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, wall.name)
