"""The last strokes: which of them passed, and how long they sounded."""

from __future__ import annotations

from collections import deque

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.core.theory.pitch import written
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPicture, paint_paper

_SECONDS = 6.0


class DrawnNote:
    """A note that came in and what became of it; times in seconds, ``None`` while it lasts."""

    __slots__ = ("end", "made_end", "made_start", "note", "start")

    def __init__(self, note: int, start: float) -> None:
        self.note = note
        self.start = start
        self.end: float | None = None
        self.made_start: float | None = None
        self.made_end: float | None = None


class StrokesView(PaintedPicture):
    """Time runs to the right; above the line the key as it was held, below it what sounded for it.

    A stroke for which nothing sounded is an empty ring.
    """

    def __init__(self, ink: str, empty: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("The last strokes")
        self.ink = ink
        self.empty = empty
        self.strokes: deque[DrawnNote] = deque(maxlen=96)
        self._now = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(120)

    def sizeHint(self) -> QSize:
        return QSize(360, 140)

    def came_in(self, note: int, time: float) -> None:
        """A key was struck."""
        self.strokes.append(DrawnNote(note, time))

    def went(self, note: int, time: float) -> None:
        """A key was let go."""
        for stroke in reversed(self.strokes):
            if stroke.note == note and stroke.end is None:
                stroke.end = time
                return

    def sounded(self, note: int, time: float) -> None:
        """The stage began a note."""
        for stroke in reversed(self.strokes):
            if stroke.note == note and stroke.made_start is None and stroke.start <= time + 1e-6:
                stroke.made_start = time
                return
        echo = DrawnNote(note, time)
        echo.end = echo.made_start = time
        self.strokes.append(echo)

    def ended(self, note: int, time: float) -> None:
        """The stage ended a note."""
        for stroke in self.strokes:
            if stroke.note == note and stroke.made_start is not None and stroke.made_end is None:
                stroke.made_end = time
                return

    @property
    def share(self) -> tuple[int, int]:
        """How many of the strokes in sight sounded, and how many there are."""
        return sum(stroke.made_start is not None for stroke in self.strokes), len(self.strokes)

    def tick(self, now: float) -> None:
        """Move on."""
        while self.strokes and (self.strokes[0].made_end or self.strokes[0].end or now) < now - _SECONDS:
            self.strokes.popleft()
        if self.strokes or self._now:
            self._now = now if self.strokes else 0.0
            self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        area = self.sheet()
        paint_paper(painter, t, area)
        middle = area.center().y()
        painter.drawLine(QPointF(4, middle), QPointF(area.right() - 4, middle))
        painter.setFont(theme.label_font(11, 500))
        painter.setPen(theme.color(t.second))
        inner = area.adjusted(7, 4, -7, -4)
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop, "keys")
        painter.drawText(inner, Qt.AlignmentFlag.AlignBottom, "what sounds")
        if not self.strokes:
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, self.empty)
            return
        lanes = {note: place for place, note in enumerate(sorted({stroke.note for stroke in self.strokes}))}
        room = area.height() / 2 - 22
        step = min(9.0, room / max(1, len(lanes)))
        for stroke in self.strokes:
            lane = lanes[stroke.note]
            self._paint(painter, t, stroke, middle - 9 - lane * step, middle + 9 + lane * step, max(3.0, step - 2))
        newest = self.strokes[-1]
        painter.setPen(theme.color(t.second))
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight, written(newest.note))

    def _x(self, time: float) -> float:
        return self.width() - 8 - (self._now - time) / _SECONDS * (self.width() - 16)

    def _paint(
        self, painter: QPainter, t: theme.Theme, stroke: DrawnNote, above: float, below: float, tall: float
    ) -> None:
        ink = t.drawn(self.ink)
        painter.setPen(Qt.PenStyle.NoPen)
        left, right = max(4.0, self._x(stroke.start)), self._x(stroke.end if stroke.end is not None else self._now)
        if stroke.end is None or stroke.end > stroke.start:
            painter.setBrush(theme.color(t.second, 0.75))
            painter.drawRoundedRect(QRectF(left, above - tall / 2, max(3.0, right - left), tall), 1.5, 1.5)
        if stroke.made_start is None:
            painter.setPen(QPen(theme.color(t.second), 1.3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(left + 2.5, below), 2.8, 2.8)
            return
        left = max(4.0, self._x(stroke.made_start))
        right = self._x(stroke.made_end if stroke.made_end is not None else self._now)
        painter.setBrush(theme.color(ink))
        painter.drawRoundedRect(QRectF(left, below - tall / 2, max(3.0, right - left), tall), 1.5, 1.5)
