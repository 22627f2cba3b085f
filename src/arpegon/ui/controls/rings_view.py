"""Rings of evenly spread hits: a polygon in each, its corners the hits, a hand that goes round."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy

from arpegon.core.counting import counted
from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, PaintedPart, PaintedParts

_CENTRE = 34.0
_FADE = 0.35

_HEIGHT = 286


class RingLook(msgspec.Struct, frozen=True):
    """One ring: its rhythm, what it plays, whether it is silent."""

    rhythm: Sequence[bool]
    name: str
    silent: bool


def _words(ring: RingLook) -> str:
    """What a ring plays, as it is read out."""
    hits = f"{counted(sum(map(bool, ring.rhythm)), 'hit')} in {counted(len(ring.rhythm), 'step')}"
    return f"{ring.name}, {hits}{', silent' if ring.silent else ''}"


class RingsView(OwnKeys, PaintedParts):
    """Rings from the outermost in; click chooses one, dragging round turns it, the wheel changes its hits."""

    own_keys = (Qt.Key.Key_Plus, Qt.Key.Key_Minus)
    picked = pyqtSignal(int)
    turned = pyqtSignal(int, int)
    more_hits = pyqtSignal(int, int)
    settled = pyqtSignal()

    def __init__(self, ink: str) -> None:
        super().__init__()
        self.ink = ink
        self.rings: Sequence[RingLook] = ()
        self.chosen = 0
        self._steps: Sequence[int] = ()
        self._struck: dict[int, float] = {}
        self._now = 0.0
        self._drag: tuple[int, float] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName("Rings")
        self.setToolTip(
            "Each ring is a rhythm; its corners are the hits. Click chooses a ring, dragging round turns it, the wheel "
            "changes its hits; arrows up and down choose, left and right turn, + and − change the hits."
        )

    def sizeHint(self) -> QSize:
        return QSize(340, _HEIGHT)

    def show_rings(self, rings: Sequence[RingLook]) -> None:
        """Show rings."""
        self.rings = rings
        self.chosen = min(self.chosen, max(0, len(rings) - 1))
        self.update()

    def show_steps(self, steps: Sequence[int], now: float) -> None:
        """Show on which step each ring is (-1: on none)."""
        for ring, step in enumerate(steps[: len(self.rings)]):
            before = self._steps[ring] if ring < len(self._steps) else -1
            look = self.rings[ring]
            if step != before and 0 <= step < len(look.rhythm) and look.rhythm[step] and not look.silent:
                self._struck[ring] = now
        glowing = bool(self._struck)
        self._struck = {ring: at for ring, at in self._struck.items() if now - at < _FADE}
        if list(steps) != list(self._steps) or glowing:
            self._steps, self._now = list(steps), now
            self.update()

    # -- geometry ----------------------------------------------------------------------------------

    def _radius(self, ring: int) -> float:
        outer = min(self.width(), self.height()) / 2 - 12
        step = (outer - _CENTRE) / max(1, len(self.rings))
        return outer - ring * step

    def _spot(self, ring: int, step: float) -> QPointF:
        angle = 2 * math.pi * step / max(1, len(self.rings[ring].rhythm)) - math.pi / 2
        reach = self._radius(ring)
        return QPointF(self.width() / 2 + reach * math.cos(angle), self.height() / 2 + reach * math.sin(angle))

    def _ring_at(self, spot: QPointF) -> int | None:
        away = math.hypot(spot.x() - self.width() / 2, spot.y() - self.height() / 2)
        if not self.rings:
            return None
        ring = min(range(len(self.rings)), key=lambda ring: abs(self._radius(ring) - away))
        return ring if abs(self._radius(ring) - away) < 20 else None

    def _angle(self, spot: QPointF) -> float:
        return math.atan2(spot.y() - self.height() / 2, spot.x() - self.width() / 2)

    # -- gestures ----------------------------------------------------------------------------------

    def _choose(self, ring: int) -> None:
        if ring != self.chosen:
            self.chosen = ring
            self.update()
            self.picked.emit(ring)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        ring = self._ring_at(event.position()) if event is not None else None
        if event is not None and ring is not None:
            self._choose(ring)
            self._drag = (ring, self._angle(event.position()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drag is None:
            return
        ring, before = self._drag
        step = 2 * math.pi / len(self.rings[ring].rhythm)
        moved = math.remainder(self._angle(event.position()) - before, 2 * math.pi)
        by = round(moved / step)
        if by:
            self._drag = (ring, before + by * step)
            self.turned.emit(ring, by)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            self.settled.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        ring = self._ring_at(event.position()) if event is not None else None
        if event is not None and ring is not None:
            self._choose(ring)
            self.more_hits.emit(ring, 1 if event.angleDelta().y() > 0 else -1)
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.rings:
            return
        upwards = -arrows.upwards(event)
        sideways = arrows.sideways(event)
        hits = {"+": 1, "-": -1}.get(event.text())
        if upwards:
            self._choose((self.chosen + upwards) % len(self.rings))
        elif sideways:
            self.turned.emit(self.chosen, sideways)
        elif hits is not None:
            self.more_hits.emit(self.chosen, hits)
        else:
            super().keyPressEvent(event)

    # -- for screen readers ------------------------------------------------------------------------

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(f"Ring {place + 1}: {_words(ring)}") for place, ring in enumerate(self.rings)]

    def chosen_part(self) -> int | None:
        return self.chosen if self.rings else None

    def choose_part(self, place: int) -> None:
        self._choose(place)

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        ink = t.drawn(self.ink)
        for ring, look in enumerate(self.rings):
            self._paint_ring(painter, t, ink, ring, look)
        middle = QRectF(self.width() / 2 - 40, self.height() / 2 - 18, 80, 36)
        if self.rings:
            look = self.rings[self.chosen]
            painter.setFont(theme.name_font(15))
            painter.setPen(theme.color(t.ink))
            words = f"{sum(look.rhythm)} in {len(look.rhythm)}"
            painter.drawText(middle.adjusted(0, 0, 0, -16), Qt.AlignmentFlag.AlignCenter, words)
            painter.setFont(theme.label_font(12))
            painter.setPen(theme.color(t.ink))
            painter.drawText(middle.adjusted(0, 18, 0, 0), Qt.AlignmentFlag.AlignCenter, look.name)

    def _paint_ring(self, painter: QPainter, t: theme.Theme, ink: str, ring: int, look: RingLook) -> None:
        radius = self._radius(ring)
        middle = QPointF(self.width() / 2, self.height() / 2)
        chosen = ring == self.chosen
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color(t.ink if chosen and self.hasFocus() else t.line), 1.6 if chosen else 1.0))
        painter.drawEllipse(middle, radius, radius)
        strong = 0.35 if look.silent else 1.0 if chosen else 0.7
        hits = [step for step, hit in enumerate(look.rhythm) if hit]
        glow = max(0.0, 1.0 - (self._now - self._struck[ring]) / _FADE) if ring in self._struck else 0.0
        if len(hits) > 1:
            painter.setPen(QPen(theme.color(ink, strong), 1.6 + 2.2 * glow))
            painter.setBrush(theme.color(ink, 0.05 + 0.16 * glow if not look.silent else 0.0))
            painter.drawPolygon(QPolygonF([self._spot(ring, step) for step in hits]))
        now = self._steps[ring] if ring < len(self._steps) else -1
        for step, hit in enumerate(look.rhythm):
            spot = self._spot(ring, step)
            lit = step == now
            painter.setPen(QPen(theme.color(ink, strong), 1.3))
            if hit:
                painter.setBrush(theme.color(ink if not look.silent else t.paper, 1.0))
                size = 5.5 + (3.0 if lit and not look.silent else 0.0)
            else:
                painter.setBrush(theme.color(t.field))
                size = 2.6
            painter.drawEllipse(spot, size, size)
            if lit:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(theme.color(t.ink), 1.6))
                painter.drawEllipse(spot, size + 3, size + 3)
