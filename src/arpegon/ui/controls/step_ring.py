"""The ring of steps, and the walk over it as a star."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts

_MAX_NAMED = 20

_HEIGHT = 264
_WORDS = {"rest": "rest", "tie": "tied", "skip": "skipped"}


class RingStep(msgspec.Struct, frozen=True):
    """A step on the ring: what is written in it, and whether it plays, rests, is tied or skipped."""

    name: str
    play: str


class StepRing(PaintedParts):
    """Steps from the top clockwise, lines in the order of play; the step that sounds is filled.

    Click chooses a step, the wheel moves its note, the right button skips it or takes it back in.
    """

    picked = pyqtSignal(int)
    skipped = pyqtSignal(int)
    nudged = pyqtSignal(int, int)

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.beads: Sequence[RingStep] = ()
        self.walk: Sequence[int] = ()
        self.closed = True
        self.title = ""
        self.words = ""
        self.chosen = 0
        self._lit: int | None = None
        self._before: int | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName("Ring of steps")
        self.setToolTip(
            "The steps, and the walk over them. Click chooses a step, the wheel moves its note, the right button "
            "skips it; arrows left and right choose, up and down move, Delete skips."
        )

    def sizeHint(self) -> QSize:
        return QSize(340, _HEIGHT)

    def show_ring(self, beads: Sequence[RingStep], walk: Sequence[int], closed: bool, title: str, words: str) -> None:
        """Show steps and the places of the walk over them; a ``closed`` walk comes back to where it began."""
        self.beads, self.walk, self.closed = beads, walk, closed
        self.title, self.words = title, words
        self.chosen = min(self.chosen, max(0, len(beads) - 1))
        self.update()

    def show_lit(self, place: int | None) -> None:
        """Show which step sounds."""
        if place != self._lit:
            self._before, self._lit = self._lit, place
            self.update()

    def choose(self, place: int) -> None:
        """Choose a step."""
        if place != self.chosen and 0 <= place < len(self.beads):
            self.chosen = place
            self.update()
            self.picked.emit(place)

    # -- geometry ----------------------------------------------------------------------------------

    def _middle(self) -> QPointF:
        return QPointF(self.width() / 2, self.height() / 2)

    def _radius(self) -> float:
        return min(self.width(), self.height()) / 2 - 34

    def _size(self) -> float:
        """The radius of a bead."""
        return max(6.0, min(16.0, math.pi * self._radius() / max(1, len(self.beads)) - 3))

    def _spot(self, place: int, radius: float | None = None) -> QPointF:
        angle = 2 * math.pi * place / max(1, len(self.beads)) - math.pi / 2
        reach = self._radius() if radius is None else radius
        return self._middle() + QPointF(reach * math.cos(angle), reach * math.sin(angle))

    def _place_at(self, spot: QPointF) -> int | None:
        aways = [self._spot(place) - spot for place in range(len(self.beads))]
        near = [(math.hypot(away.x(), away.y()), place) for place, away in enumerate(aways)]
        distance, place = min(near, default=(math.inf, 0))
        return place if distance <= self._size() + 4 else None

    # -- gestures ----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self._place_at(event.position()) if event is not None else None
        if event is None or place is None:
            return
        self.choose(place)
        if event.button() == Qt.MouseButton.RightButton:
            self.skipped.emit(place)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        place = self._place_at(event.position()) if event is not None else None
        if event is not None and place is not None:
            self.choose(place)
            self.nudged.emit(place, 1 if event.angleDelta().y() > 0 else -1)
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.beads:
            return
        sideways = arrows.sideways(event)
        upwards = arrows.upwards(event)
        if sideways:
            self.choose((self.chosen + sideways) % len(self.beads))
        elif upwards:
            self.nudged.emit(self.chosen, upwards)
        elif event.key() == Qt.Key.Key_Delete:
            self.skipped.emit(self.chosen)
        else:
            super().keyPressEvent(event)

    # -- for screen readers ------------------------------------------------------------------------

    def parts(self) -> list[PaintedPart]:
        return [
            PaintedPart(f"Step {place + 1}: {_WORDS.get(bead.play, bead.name)}")
            for place, bead in enumerate(self.beads)
        ]

    def chosen_part(self) -> int | None:
        return self.chosen if self.beads else None

    def part_box(self, place: int) -> QRectF:
        size = self._size()
        spot = self._spot(place)
        return QRectF(spot.x() - size, spot.y() - size, 2 * size, 2 * size)

    def choose_part(self, place: int) -> None:
        self.choose(place)

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        ink = t.drawn(self.ink)
        self._paint_lines(painter, t, ink)
        self._paint_words(painter, t)
        self._paint_beads(painter, t, ink)

    def _paint_lines(self, painter: QPainter, t: theme.Theme, ink: str) -> None:
        ring = [self._spot(place) for place in range(len(self.beads))]
        painter.setPen(QPen(theme.color(t.line), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolygon(QPolygonF(ring))
        if len(self.walk) > 1:
            corners = [self._spot(place) for place in self.walk]
            painter.setPen(QPen(theme.color(ink, 0.5), 1.4))
            painter.drawPolyline(QPolygonF([*corners, corners[0]] if self.closed else corners))
        if self._lit is not None and self._before is not None and self._lit != self._before:
            painter.setPen(QPen(theme.color(ink), 3.2))
            painter.drawLine(self._spot(self._before), self._spot(self._lit))

    def _paint_words(self, painter: QPainter, t: theme.Theme) -> None:
        middle = self._middle()
        box = QRectF(middle.x() - 92, middle.y() - 24, 184, 48)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setFont(theme.name_font(19))
        title_width = painter.fontMetrics().horizontalAdvance(self.title)
        painter.setFont(theme.label_font(12))
        wide = max(title_width, painter.fontMetrics().horizontalAdvance(self.words)) + 16
        painter.setBrush(theme.color(t.paper, 0.86))
        painter.drawRoundedRect(QRectF(middle.x() - wide / 2, box.top() - 2, wide, 50), 8, 8)
        painter.setFont(theme.name_font(19))
        painter.setPen(theme.color(t.ink))
        painter.drawText(QRectF(box.left(), box.top(), box.width(), 26), Qt.AlignmentFlag.AlignCenter, self.title)
        painter.setFont(theme.label_font(12))
        painter.setPen(theme.color(t.second))
        painter.drawText(QRectF(box.left(), box.top() + 26, box.width(), 18), Qt.AlignmentFlag.AlignCenter, self.words)

    def _paint_beads(self, painter: QPainter, t: theme.Theme, ink: str) -> None:
        size = self._size()
        named = len(self.beads) <= _MAX_NAMED
        for place, bead in enumerate(self.beads):
            spot = self._spot(place)
            lit = place == self._lit
            silent = bead.play in ("skip", "rest")
            ground = self.ink if lit and not silent else t.field
            edge = t.line if bead.play == "skip" else ink
            style = Qt.PenStyle.DashLine if bead.play == "rest" else Qt.PenStyle.SolidLine
            painter.setPen(QPen(theme.color(edge), 2.4 if lit else 1.5, style))
            painter.setBrush(theme.color(ground))
            painter.drawEllipse(spot, size, size)
            if place == self.chosen:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(theme.color(t.ink), 2.0 if self.hasFocus() else 1.2))
                painter.drawEllipse(spot, size + 3, size + 3)
            painter.setFont(theme.label_font(11, 600))
            painter.setPen(theme.color(theme.text_on(ground) if lit and not silent else t.ink))
            if named:
                painter.drawText(QRectF(spot.x() - 18, spot.y() - 9, 36, 18), Qt.AlignmentFlag.AlignCenter, bead.name)
            outside = self._spot(place, self._radius() + size + 11)
            painter.setFont(theme.number_font(11))
            painter.setPen(theme.color(t.second))
            if named or place % 4 == 0:
                number = QRectF(outside.x() - 14, outside.y() - 8, 28, 16)
                painter.drawText(number, Qt.AlignmentFlag.AlignCenter, str(place + 1))
