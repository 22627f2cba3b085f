"""A take on paper: one version of one strand, read from the foot upward as it was printed."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.core.events import BEND, CONTROL, PRESSURE, Event
from arpegon.core.notes.takes import TakeNote, bars, is_doubtful
from arpegon.core.theory.pitch import written
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Painted

_SHADES = 6
_FOOT = 18
_LINE = 40.0
"""Pixels that a turn of the wheel or an arrow scrolls."""


class Span:
    """What both papers of a take share: the time in sight, the range of notes, where it plays."""

    def __init__(self) -> None:
        self.start = 0.0
        self.pixels = 60.0
        self.length = 0.0
        self.low, self.high = 48, 84
        self.beat_seconds = 0.5
        self.beats_per_bar = 4.0
        self.playhead: float | None = None

    def clamp(self, height: float) -> None:
        """Keep the take in sight."""
        self.start = max(-0.2, min(self.start, self.length + 0.5 - height / self.pixels))
        if self.length + 0.7 < height / self.pixels:
            self.start = -0.2


class TakeRoll(Painted):
    """Paints one version; time runs up from the little keyboard at the foot, so the newest is at the top."""

    smooth = False
    own_keys = (Qt.Key.Key_Home, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Plus, Qt.Key.Key_Minus)
    scrolled = pyqtSignal()
    pointed = pyqtSignal(float)

    def __init__(self, span: Span, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.span = span
        self.ink = 0
        self._bars: list[TakeNote] = []
        self._doubtful: Sequence[tuple[float, int]] = ()
        self._pens: dict[tuple[int, int], list[tuple[float, float]]] = {}
        self.empty_words = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(160, 160)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Take")
        self.setToolTip(
            "Wheel or arrows scroll, Ctrl+wheel or + and − zoom, a click plays from there, Return from the foot of "
            "what is in sight. Home and End go to the beginning and the end."
        )

    def sizeHint(self) -> QSize:
        return QSize(300, 400)

    def show_events(self, events: Sequence[Event], ink: int, doubtful: Sequence[tuple[float, int]] = ()) -> None:
        """Show these events (seconds from the take's start); doubtful notes are only outlined."""
        self.ink = ink
        self._doubtful = doubtful
        self._bars = bars(events)
        self._pens = {}
        for event in events:
            if event.kind in (CONTROL, PRESSURE, BEND):
                value = event.data2 if event.kind != PRESSURE else event.data1
                number = event.data1 if event.kind == CONTROL else 0
                self._pens.setdefault((event.status, number), []).append((event.time, float(value)))
        self.update()

    @property
    def notes(self) -> list[TakeNote]:
        """The notes on the paper."""
        return self._bars

    def _y(self, time: float) -> float:
        return self.height() - _FOOT - (time - self.span.start) * self.span.pixels

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turn = event.angleDelta().y() / 120.0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._zoom(turn, self.height() - _FOOT - event.position().y())
        else:
            self._scroll_to(self.span.start + turn * _LINE / self.span.pixels)
        event.accept()

    def _zoom(self, steps: float, height: float) -> None:
        """Zoom about a height above the foot, in pixels."""
        span = self.span
        under = span.start + height / span.pixels
        span.pixels = max(8.0, min(400.0, span.pixels * 1.2**steps))
        self._scroll_to(under - height / span.pixels)

    def _scroll_to(self, time: float) -> None:
        self.span.start = time
        self.span.clamp(self.height() - _FOOT)
        self.scrolled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        span, page = self.span, float(self.height() - _FOOT)
        pixels = {
            int(Qt.Key.Key_Up): _LINE,
            int(Qt.Key.Key_Down): -_LINE,
            int(Qt.Key.Key_PageUp): 0.9 * page,
            int(Qt.Key.Key_PageDown): -0.9 * page,
            int(Qt.Key.Key_Home): -(span.start + 1.0) * span.pixels,
            int(Qt.Key.Key_End): (span.length - span.start) * span.pixels,
        }.get(event.key())
        zoom = {"+": 1.0, "-": -1.0}.get(event.text())
        if pixels is not None:
            self._scroll_to(span.start + pixels / span.pixels)
        elif zoom is not None:
            self._zoom(zoom, page / 2)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.pointed.emit(max(0.0, min(span.length, span.start)))
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            span = self.span
            time = span.start + (self.height() - _FOOT - event.position().y()) / span.pixels
            self.pointed.emit(max(0.0, min(span.length, time)))

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        painter.fillRect(self.rect(), theme.color(t.roll))
        self._paint_rules(painter, t)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_bars(painter)
        self._paint_pens(painter, t)
        span = self.span
        if span.playhead is not None:
            y = self._y(span.playhead)
            painter.setPen(QPen(theme.color(t.warning), 2))
            painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
        if not self._bars and not self._pens:
            painter.setFont(theme.label_font(13))
            painter.setPen(theme.color(t.second))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.empty_words)
        self._paint_keys(painter, t)

    def _scale(self) -> float:
        return self.width() / (self.span.high - self.span.low + 1)

    def _paint_rules(self, painter: QPainter, t: theme.Theme) -> None:
        span, height, width = self.span, self.height() - _FOOT, self.width()
        scale = self._scale()
        painter.setPen(theme.color(t.rule_strong))
        for note in range(-(-span.low // 12) * 12, span.high + 1, 12):
            x = (note - span.low + 0.5) * scale
            painter.drawLine(QLineF(x, 0, x, height))
        beat = max(0, int(span.start / span.beat_seconds))
        painter.setFont(theme.number_font(11))
        while True:
            y = self._y(beat * span.beat_seconds)
            if y < 0:
                break
            bar_line = beat % span.beats_per_bar == 0
            if y <= height and (bar_line or span.beat_seconds * span.pixels > 7):
                painter.setPen(theme.color(t.rule_strong if bar_line else t.rule))
                painter.drawLine(QLineF(0, y, width, y))
                if bar_line:
                    painter.setPen(theme.color(t.second))
                    painter.drawText(QPointF(4, y - 3), str(int(beat // span.beats_per_bar) + 1))
            beat += 1

    def _paint_bars(self, painter: QPainter) -> None:
        span = self.span
        scale = self._scale()
        thick = max(3.0, min(9.0, scale * 0.85))
        top_time = span.start + (self.height() - _FOOT) / span.pixels
        shades: list[list[QRectF]] = [[] for _ in range(_SHADES)]
        outlined: list[QRectF] = []
        for bar in self._bars[: bisect_left(self._bars, top_time, key=lambda bar: bar.start)]:
            end = span.length if bar.end is None else bar.end
            if end < span.start:
                continue
            x = (bar.note - span.low + 0.5) * scale
            y, foot = self._y(end), min(self._y(bar.start), float(self.height() - _FOOT))
            rect = QRectF(x - thick / 2, y, thick, max(3.0, foot - y))
            if self._doubtful and is_doubtful(self._doubtful, bar.start, bar.note):
                outlined.append(rect.adjusted(0.5, 0.5, -0.5, -0.5))
            else:
                shades[min(_SHADES - 1, bar.velocity * _SHADES >> 7)].append(rect)
        painter.setPen(Qt.PenStyle.NoPen)
        for place, rects in enumerate(shades):
            if rects:
                painter.setBrush(theme.color(theme.roll_ink(self.ink), 0.3 + 0.7 * place / (_SHADES - 1)))
                painter.drawRects(*rects)
        if outlined:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color(theme.roll_ink(self.ink)), 1.4, Qt.PenStyle.DashLine))
            painter.drawRects(*outlined)

    def _paint_pens(self, painter: QPainter, t: theme.Theme) -> None:
        for (status, _), pen in self._pens.items():
            points: list[QPointF] = []
            for time, value in pen:
                x = 3 + value / 127.0 * (self.width() - 6)
                if points:
                    points.append(QPointF(points[-1].x(), self._y(time)))
                points.append(QPointF(x, self._y(time)))
            line = QPen(theme.color(t.ink, 0.7), 1.3)
            styles = {BEND: Qt.PenStyle.DashLine, PRESSURE: Qt.PenStyle.DotLine}
            line.setStyle(styles.get(status & 0xF0, Qt.PenStyle.SolidLine))
            painter.setPen(line)
            painter.drawPolyline(QPolygonF(points))

    def _paint_keys(self, painter: QPainter, t: theme.Theme) -> None:
        span, scale, top = self.span, self._scale(), self.height() - _FOOT
        white = theme.DAY.roll if not t.dark else theme.mix(t.ink, t.roll, 0.15)
        painter.fillRect(QRectF(0, top, self.width(), _FOOT), theme.color(white))
        painter.setFont(theme.label_font(11))
        for note in range(span.low, span.high + 1):
            x = (note - span.low) * scale
            if note % 12 in (1, 3, 6, 8, 10):
                painter.fillRect(QRectF(x, top, scale, 10), theme.color(theme.DAY.bar if not t.dark else t.desk))
            elif note % 12 == 0:
                painter.setPen(theme.color(theme.DAY.second))
                painter.drawText(QPointF(x + 1, self.height() - 1.0), written(note))
        painter.setPen(theme.color(t.line))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(0, top, self.width() - 1, _FOOT - 1))
