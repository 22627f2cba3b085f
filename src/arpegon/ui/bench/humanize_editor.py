"""The editor of Humanize: what came in and what went out, face to face."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QGridLayout, QSizePolicy, QWidget

from arpegon.core.time import studio
from arpegon.engine.wire.protocol import Passed
from arpegon.processors.stages.humanize import width_in_words
from arpegon.ui.bench.editor import StageEditor, strokes
from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts, paint_paper
from arpegon.ui.look.plain import Label

_BINS = 32
_HITS = 400
_MARKS = 10


class VelocityFaces(PaintedParts):
    """Two histograms of velocity, in above and out below, and the range as two handles.

    Velocity runs from left (1) to right (127). The last hits stand as marks that fade.
    """

    moved = pyqtSignal(int, int)
    settled = pyqtSignal()

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.low, self.high = 85, 115
        self.around: int | None = None
        self.hits: deque[tuple[int | None, int | None, float]] = deque(maxlen=_HITS)
        self._now = 0.0
        self._handle: str | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(140)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Velocity range")
        self.setToolTip(
            "Above: velocities that came in. Below: what went out. Drag the two handles to set the range; "
            "drag between them to move it. Arrows move it, with Shift they widen it."
        )

    def sizeHint(self) -> QSize:
        return QSize(360, 150)

    def add(self, came: int | None, went: int | None) -> None:
        """A note came in, went out, or both at once (``None``: not at this moment)."""
        self.hits.append((came, went, studio.now()))

    def tick(self, now: float) -> None:
        """Let marks fade."""
        if self.hits and now - self.hits[-1][2] < 2.5:
            self._now = now
            self.update()

    # -- gestures ----------------------------------------------------------------------------------

    def _area(self) -> QRectF:
        return QRectF(8, 4, self.width() - 16, self.height() - 24)

    def x_of(self, velocity: float) -> float:
        """Where a velocity stands."""
        area = self._area()
        return area.left() + (velocity - 0.5) / 127 * area.width()

    def _velocity_at(self, x: float) -> int:
        area = self._area()
        return max(1, min(127, round((x - area.left()) / area.width() * 127 + 0.5)))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.around is not None:
            return
        x = event.position().x()
        to_low, to_high = abs(x - self.x_of(self.low)), abs(x - self.x_of(self.high))
        if self.low + 4 < self._velocity_at(x) < self.high - 4 and min(to_low, to_high) > 10:
            self._handle = "both"
        else:
            self._handle = "low" if to_low < to_high or x < self.x_of(self.low) else "high"
        self._grip = self._velocity_at(x)
        self._drag_to(x)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._handle is not None:
            self._drag_to(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._handle is not None:
            self._handle = None
            self.settled.emit()

    def _drag_to(self, x: float) -> None:
        velocity = self._velocity_at(x)
        if self._handle == "low":
            self._set(min(velocity, self.high), self.high)
        elif self._handle == "high":
            self._set(self.low, max(velocity, self.low))
        else:
            self._shift(velocity - self._grip)
            self._grip = velocity

    def _shift(self, by: int) -> None:
        by = max(1 - self.low, min(127 - self.high, by))
        self._set(self.low + by, self.high + by)

    def _set(self, low: int, high: int) -> None:
        low, high = max(1, low), min(127, high)
        if (low, high) != (self.low, self.high) and low <= high:
            self.low, self.high = low, high
            self.update()
            self.moved.emit(low, high)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = arrows.sideways(event)
        if not step or self.around is not None:
            super().keyPressEvent(event)
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._set(self.low - step, self.high + step)
        else:
            self._shift(step)
        self.settled.emit()

    def parts(self) -> list[PaintedPart]:
        if self.around is not None:
            return [PaintedPart(f"{self.around} more or less than it came with")]
        return [PaintedPart(f"Softest velocity {self.low}"), PaintedPart(f"Loudest velocity {self.high}")]

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        area = self._area()
        paint_paper(painter, t, area)
        middle = area.center().y()
        self._paint_scale(painter, t, area)
        if self.around is None:
            self._paint_range(painter, t, area, middle)
        ink = t.drawn(self.ink)
        self._paint_face(painter, area, middle, -1, theme.mix(t.second, t.roll, 0.3), 0)
        self._paint_face(painter, area, middle, 1, ink, 1)
        painter.setPen(QPen(theme.color(t.second), 1))
        painter.drawLine(QPointF(area.left(), middle), QPointF(area.right(), middle))
        self._paint_marks(painter, middle, t)
        painter.setFont(theme.label_font(11, 500))
        painter.setPen(theme.color(t.second))
        painter.drawText(area.adjusted(8, 5, -8, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, "came in")
        painter.drawText(
            area.adjusted(8, 0, -8, -5), Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, "went out"
        )
        if not self.hits:
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "play, and each stroke shows here twice")

    def _paint_scale(self, painter: QPainter, t: theme.Theme, area: QRectF) -> None:
        painter.setFont(theme.number_font(11))
        for velocity in (1, 32, 64, 96, 127):
            x = self.x_of(velocity)
            painter.setPen(theme.color(t.rule_strong))
            painter.drawLine(QPointF(x, area.top() + 1), QPointF(x, area.bottom() - 1))
            painter.setPen(theme.color(t.second))
            left = min(max(x - 15, 0.0), self.width() - 30.0)
            painter.drawText(QRectF(left, area.bottom() + 3, 30, 14), Qt.AlignmentFlag.AlignCenter, str(velocity))

    def _paint_range(self, painter: QPainter, t: theme.Theme, area: QRectF, middle: float) -> None:
        low, high = self.x_of(self.low), self.x_of(self.high)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(self.ink, 0.14))
        painter.drawRect(QRectF(low, middle, max(2.0, high - low), area.bottom() - middle))
        for x, velocity in ((low, self.low), (high, self.high)):
            painter.setPen(QPen(theme.color(t.ink), 2))
            painter.drawLine(QPointF(x, middle), QPointF(x, area.bottom()))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(t.ink))
            painter.drawEllipse(QPointF(x, area.bottom()), 6, 6)
            painter.setFont(theme.number_font(12, 500))
            painter.setPen(theme.color(t.ink))
            side = -34 if velocity == self.low else 4
            painter.drawText(QRectF(x + side, middle + 2, 30, 16), Qt.AlignmentFlag.AlignCenter, str(velocity))

    def _paint_face(self, painter: QPainter, area: QRectF, middle: float, way: int, shade: str, which: int) -> None:
        if not self.hits:
            return
        counts = [0] * _BINS
        for came, went, _ in self.hits:
            value = went if which else came
            if value is not None:
                counts[min(_BINS - 1, value * _BINS // 128)] += 1
        highest = max(1, *counts)
        room = area.height() / 2 - 20
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(shade, 0.85))
        width = area.width() / _BINS
        for place, count in enumerate(counts):
            if count:
                tall = room * count / highest
                top = middle - tall if way < 0 else middle
                painter.drawRect(QRectF(area.left() + place * width + 0.5, top, width - 1, tall))

    def _paint_marks(self, painter: QPainter, middle: float, t: theme.Theme) -> None:
        for came, went, at in list(self.hits)[-_MARKS:]:
            fade = max(0.0, 1.0 - (self._now - at) / 2.4)
            if fade <= 0:
                continue
            ends = [
                (QPointF(self.x_of(value), middle + by), size)
                for value, by, size in ((came, -14, 2.6), (went, 14, 3.4))
                if value is not None
            ]
            if len(ends) == 2:
                painter.setPen(QPen(theme.color(t.ink, 0.5 * fade), 1))
                painter.drawLine(ends[0][0], ends[1][0])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(t.ink, fade))
            for place, size in ends:
                painter.drawEllipse(place, size, size)


class HumanizeEditor(StageEditor):
    """Range or spread, shape and seed, over the two faces."""

    def build(self) -> None:
        self.box.addWidget(self.control("mode"))
        self.faces = VelocityFaces(self.ink)
        self.faces.moved.connect(lambda low, high: self.set(False, low=low, high=high))
        self.faces.settled.connect(self.session.settle)
        self.box.addWidget(self.faces, 1)
        self.word = Label("")
        self.word.setProperty("role", "word")
        self.box.addWidget(self.word)
        grid = QGridLayout()
        grid.setHorizontalSpacing(22)
        grid.addWidget(self.control("low"), 0, 0)
        grid.addWidget(self.control("high"), 0, 1)
        grid.addWidget(self.control("spread"), 0, 0, 1, 2)
        grid.addWidget(self.captioned("seed"), 1, 0)
        grid.addWidget(self.captioned("shape"), 1, 1)
        self.box.addLayout(grid)
        self.side.addLayout(self.grid("velocity", "timing", "length", columns=3))
        self.side.addLayout(self.grid("time_ms", "length_percent"))

    def show_values(self, values: dict[str, Any]) -> None:
        around = values["mode"] == "around"
        for key, on in (("low", not around), ("high", not around), ("spread", around)):
            self.controls[key].setVisible(on)
            self.controls[key].setEnabled(values["velocity"])
        self.controls["time_ms"].setEnabled(values["timing"])
        self.controls["length_percent"].setEnabled(values["length"])
        low, high = sorted((values["low"], values["high"]))
        if self.faces._handle is None:
            self.faces.low, self.faces.high = low, high
        self.faces.around = values["spread"] if around else None
        width = 2 * values["spread"] if around else high - low
        self.word.setText(f"A span of {width}: {width_in_words(width)}")
        self.faces.update()

    def passed(self, batch: Sequence[Passed]) -> None:
        for struck, made in strokes(batch):
            self.faces.add(struck.data2 if struck else None, made[-1].data2 if made else None)

    def tick(self, now: float) -> None:
        self.faces.tick(now)
