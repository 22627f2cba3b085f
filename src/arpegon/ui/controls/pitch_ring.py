"""The twelve-sided pitch ring, on which scales and chords are drawn as shapes."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from functools import lru_cache
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
    QRadialGradient,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.core.theory.pitch import SHARP_NAMES
from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Opaque, PaintedPart, PaintedParts, Still

_FADE_SECONDS = 0.9
_CHORDS = 8
"""So many are kept as pictures: a few of them go round."""
_GLOWS = 12
_DISCS = 12 * (_GLOWS + 1)
"""Smooth circles and words are dear at every frame."""
_DISC = 40
_HALF_DISC = QPointF(_DISC / 2, _DISC / 2)


@lru_cache(maxsize=256)
def _on_ring(width: int, height: int, pitch_class: int, share: float) -> QPointF:
    """Where a pitch class lies in a ring of a size, or at a share of the way to it from the middle."""
    radius, angle = (min(width, height) / 2 - 15) * share, math.radians(30 * pitch_class - 90)
    return QPointF(width / 2 + radius * math.cos(angle), height / 2 + radius * math.sin(angle))


class _Look(NamedTuple):
    """How a pitch class looks."""

    name: str
    ground: str
    outline: str
    width: float
    halo: int | None
    ink: str
    weight: int


class PitchRing(Opaque, PaintedParts):
    """Twelve pitch classes, clockwise from C at the top.

    ``shape`` is drawn as a polygon, ``members`` have a firm outline, ``arrows`` lead from one pitch class to
    another (or to the middle where it is dropped), struck notes light up and fade.
    """

    clicked = pyqtSignal(int)
    ground = "paper"

    def __init__(self, ink: str, parent: QWidget | None = None, playable: bool = False) -> None:
        """A ring; where it is ``playable``, pitch classes can be clicked, and chosen with the arrows."""
        super().__init__(parent)
        self.playable = playable
        self._cursor = 0
        self._still = Still(kept=_CHORDS)
        self._discs = Still(kept=_DISCS)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus if playable else Qt.FocusPolicy.NoFocus)
        self.setAccessibleName("Pitch ring")
        self.ink = ink
        self.names: Sequence[str] = SHARP_NAMES
        self.shape: Collection[int] = ()
        self.members: Collection[int] = ()
        self.filled: Collection[int] = ()
        self.arrows: Mapping[int, int | None] = {}
        self.fixed: Collection[int] = ()
        self.armed: int | None = None
        self.title = ""
        self.subtitle = ""
        self._lit: dict[int, float] = {}
        self._glows: dict[int, int] = {}
        self._now = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        return QSize(184, 184)

    def show_state(self, **state: object) -> None:
        """Set any of the public attributes and repaint."""
        for name, value in state.items():
            setattr(self, name, value)
        self.update()

    def strike(self, pitch_class: int, now: float) -> None:
        """Light a pitch class."""
        self._lit[pitch_class] = now
        QWidget.update(self, self._disc_box(pitch_class))

    def tick(self, now: float) -> None:
        """Let lights fade."""
        if self._lit:
            self._lit = {pc: time for pc, time in self._lit.items() if now - time < _FADE_SECONDS}
            self._now = now
            glows = {pc: self._glow(pc) for pc in self._lit}
            if glows != self._glows:  # it is drawn in a few shades, so most frames change nothing
                before, self._glows = self._glows, glows
                for pitch_class in before.keys() | glows.keys():
                    if before.get(pitch_class) != glows.get(pitch_class):
                        QWidget.update(self, self._disc_box(pitch_class))

    def _glow(self, pitch_class: int) -> int:
        """How much of its light a pitch class still has, in shades."""
        if pitch_class not in self._lit:
            return 0
        return round(max(0.0, 1.0 - (self._now - self._lit[pitch_class]) / _FADE_SECONDS) * _GLOWS)

    def _place(self, pitch_class: int, share: float = 1.0) -> QPointF:
        return _on_ring(self.width(), self.height(), pitch_class, share)

    def _disc_box(self, pitch_class: int) -> QRect:
        """What is drawn anew where a pitch class is lit."""
        return QRectF(self._place(pitch_class) - _HALF_DISC, QSizeF(_DISC, _DISC)).toAlignedRect()

    def _at(self, point: QPointF) -> int | None:
        for pitch_class in range(12):
            delta = self._place(pitch_class) - point
            if math.hypot(delta.x(), delta.y()) <= 14:
                return pitch_class
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            pitch_class = self._at(event.position())
            if pitch_class is not None:
                self._cursor = pitch_class
                self.clicked.emit(pitch_class)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            over = self.playable and self._at(event.position()) is not None
            self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = arrows.sideways(event)
        if by and self.playable:
            self._cursor = (self._cursor + by) % 12
            self.update()
        elif event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.playable:
            self.clicked.emit(self._cursor)
        else:
            super().keyPressEvent(event)

    def parts(self) -> list[PaintedPart]:
        on = {*self.shape, *self.members, *self.filled}
        return [PaintedPart(name, pc in on) for pc, name in enumerate(self.names)]

    def chosen_part(self) -> int | None:
        return self._cursor if self.playable else None

    def part_box(self, place: int) -> QRectF:
        centre = self._place(place)
        return QRectF(centre.x() - 14, centre.y() - 14, 28, 28)

    def choose_part(self, place: int) -> None:
        self._cursor = place
        self.update()

    def press_part(self, place: int) -> None:
        if self.playable:
            self.clicked.emit(place)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        arrows = tuple(self.arrows.items())
        words = (self.title, self.subtitle, tuple(self.names))
        notes = (tuple(self.members), tuple(self.filled), self.armed)
        key = (tuple(self.shape), arrows, tuple(self.fixed), words, notes, self.ink)
        self._still.draw(painter, self, key, lambda painter: self._paint_unlit(painter, t))
        for pc in self._lit:
            if (glow := self._glow(pc)) and self.area.intersects(self._disc_box(pc)):
                self._paint_note(painter, t, pc, glow / _GLOWS)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color(t.ink), 1.2))
            painter.drawEllipse(self._place(self._cursor), 14.5, 14.5)

    def _paint_unlit(self, painter: QPainter, t: theme.Theme) -> None:
        self._paint_still(painter, t)
        for pc in range(12):
            self._paint_note(painter, t, pc, 0.0)

    def _paint_still(self, painter: QPainter, t: theme.Theme) -> None:
        painter.setPen(QPen(theme.color(t.line), 1))
        painter.drawPolygon(QPolygonF([self._place(pc) for pc in range(12)]))
        self._paint_shape(painter, t)
        self._paint_arrows(painter, t)
        if self.title:
            size = 28 if len(self.title) < 5 else 20 if len(self.title) < 9 else 15
            painter.setFont(theme.name_font(size))
            # The words stand on a cloud of paper, so that the shape's lines do not cross them.
            cloud = QRadialGradient(QPointF(self.width() / 2, self.height() / 2), 46)
            cloud.setColorAt(0.55, theme.color(t.paper, 0.92))
            cloud.setColorAt(1.0, theme.color(t.paper, 0.0))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(cloud)
            painter.drawEllipse(QPointF(self.width() / 2, self.height() / 2), 46, 46)
            painter.setPen(theme.color(t.ink))
            painter.drawText(QRectF(self.rect()).adjusted(30, -8, -30, -8), Qt.AlignmentFlag.AlignCenter, self.title)
        if self.subtitle:
            painter.setFont(theme.label_font(12))
            painter.setPen(theme.color(t.second))
            painter.drawText(QRectF(self.rect()).adjusted(34, 28, -34, 28), Qt.AlignmentFlag.AlignCenter, self.subtitle)

    def _paint_shape(self, painter: QPainter, t: theme.Theme) -> None:
        corners = [self._place(pc) for pc in sorted(self.shape)]
        painter.setPen(QPen(theme.color(t.drawn(self.ink)), 2))
        painter.setBrush(theme.color(t.drawn(self.ink), 0.13))
        if len(corners) > 2:
            painter.drawPolygon(QPolygonF(corners))
        elif len(corners) == 2:
            painter.drawLine(corners[0], corners[1])
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_arrows(self, painter: QPainter, t: theme.Theme) -> None:
        for source, target in self.arrows.items():
            strong = source in self.fixed
            pen = QPen(theme.color(t.ink if strong else t.second), 2 if strong else 1.3)
            if target is None:
                pen.setStyle(Qt.PenStyle.DotLine)
                painter.setPen(pen)
                painter.drawLine(self._place(source, 0.84), self._place(source, 0.62))
                end = self._place(source, 0.6)
                painter.drawLine(end + QPointF(-3, -3), end + QPointF(3, 3))
                painter.drawLine(end + QPointF(-3, 3), end + QPointF(3, -3))
                continue
            painter.setPen(pen)
            start, end = self._place(source, 0.86), self._place(target, 0.84)
            near = min((source - target) % 12, (target - source) % 12) <= 1
            middle = (start + end) / 2
            centre = QPointF(self.width() / 2, self.height() / 2)
            bow = middle + (centre - middle) * (0.34 if near else 0.5)
            path = QPainterPath(start)
            path.quadTo(bow, end)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
            heading = math.atan2(end.y() - bow.y(), end.x() - bow.x())
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(pen.color())
            barbs = [end + QPointF(math.cos(heading + turn), math.sin(heading + turn)) * 7 for turn in (2.7, -2.7)]
            painter.drawPolygon(QPolygonF([end, *barbs]))

    def _paint_note(self, painter: QPainter, t: theme.Theme, pc: int, glow: float) -> None:
        centre = self._place(pc)
        filled = pc in self.filled
        ground = theme.mix(t.field, self.ink, 1.0 if filled else 0.55 * min(1.0, glow))
        member = pc in self.members or filled
        outline = t.ink if pc == self.armed else t.drawn(self.ink) if member else t.line
        halo = theme.color(t.drawn(self.ink), 0.35 * min(1.0, glow)).rgba() if glow > 0 else None
        ink = theme.text_on(ground) if filled or glow > 0.3 else (t.ink if member else t.second)
        width, weight = 2.4 if pc == self.armed else 1.5, 600 if member else 400
        look = _Look(self.names[pc], ground, outline, width, halo, ink, weight)
        area = self._disc_box(pc)
        middle = centre - area.topLeft().toPointF()
        key = (look, middle.x(), middle.y())
        self._discs.draw(painter, self, key, lambda painter: self._paint_disc(painter, look, middle), area)

    def _paint_disc(self, painter: QPainter, look: _Look, middle: QPointF) -> None:
        if look.halo is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor.fromRgba(look.halo))
            painter.drawEllipse(middle, 18, 18)
        painter.setPen(QPen(theme.color(look.outline), look.width))
        painter.setBrush(theme.color(look.ground))
        painter.drawEllipse(middle, 12.5, 12.5)
        painter.setFont(theme.label_font(12, look.weight))
        painter.setPen(theme.color(look.ink))
        words = QRectF(middle.x() - 14, middle.y() - 14, 28, 28)
        painter.drawText(words, Qt.AlignmentFlag.AlignCenter, look.name)
