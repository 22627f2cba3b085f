"""How high a sound is: its pitch as a pen line over the notes, time running down, and the notes made of it."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy

from arpegon.core.theory.pitch import written
from arpegon.listen.heard import HeardNote, Sight
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPicture, paint_paper

_SECONDS = 3.0
_BLACK = {1, 3, 6, 8, 10}
_MIN_CLARITY = 0.45


class PitchScope(PaintedPicture):
    """The last seconds, newest at the top; across are the notes. The clearer a pitch, the darker its line."""

    def __init__(self, ink: str) -> None:
        super().__init__()
        self.setAccessibleName("What is heard")
        self.ink = ink
        self.low, self.high = 40, 76
        self._frames: deque[tuple[float, float, float, float]] = deque(maxlen=2000)
        self._notes: deque[HeardNote] = deque(maxlen=64)
        self._seen = self._now = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(186)
        self.setToolTip(
            "What is heard, newest at the top, over the notes: the clearer a pitch, the darker its line. Outlines are "
            "the notes made of it; a dashed one is doubtful."
        )

    def sizeHint(self) -> QSize:
        return QSize(340, 206)

    def show_range(self, low: int, high: int) -> None:
        """Show these notes."""
        if (low, high) != (self.low, self.high):
            self.low, self.high = low, high
            self.update()

    def take(self, sight: Sight, now: float) -> None:
        """More was heard: level, pitch and clarity, three figures each."""
        count = len(sight.values) // 3
        if not count:
            return
        self._seen = now
        for place in range(count):
            time = sight.time - (count - 1 - place) * sight.step
            self._frames.append((time, *sight.values[3 * place : 3 * place + 3]))  # type: ignore[arg-type]

    def add(self, marks: Sequence[HeardNote]) -> None:
        """Notes began or ended."""
        for mark in marks:
            if self._notes and not self._notes[-1].end:  # there is one at a time: this is the end of the last one
                self._notes.pop()
            self._notes.append(mark)

    @property
    def heard(self) -> tuple[float, float, float] | None:
        """Level in dB, pitch and clarity of the last moment; ``None`` where nothing was heard."""
        return self._frames[-1][1:] if self._frames and self._now - self._seen < 0.5 else None

    def tick(self, now: float) -> None:
        """Let the paper move."""
        if now - self._seen < _SECONDS + 0.3:
            self._now = now
            self.update()

    def _x(self, note: float, room: QRectF) -> float:
        return room.left() + (note - self.low + 0.5) / (self.high - self.low + 1) * room.width()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        paint_paper(painter, t, self.sheet())
        room = QRectF(self.rect()).adjusted(6, 4, -6, -20)
        wide = room.width() / (self.high - self.low + 1)
        for note in range(self.low, self.high + 1):
            x = self._x(note, room)
            if note % 12 in _BLACK:
                painter.fillRect(QRectF(x - wide / 2, room.top(), wide, room.height()), theme.color(t.rule, 0.55))
            if note % 12 == 0:
                painter.setPen(theme.color(t.rule_strong))
                painter.drawLine(QPointF(x - wide / 2, room.top()), QPointF(x - wide / 2, room.bottom()))
                painter.setPen(theme.color(t.second))
                painter.setFont(theme.number_font(11))
                spot = QRectF(x - 18, room.bottom() + 2, 36, 16)
                painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, written(note))
        if not self._frames:
            painter.setPen(theme.color(t.second))
            painter.setFont(theme.label_font(13))
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, "nothing is heard yet")
            return
        newest = max(self._frames[-1][0], self._now - 0.05)
        painter.setClipRect(room)
        scale = room.height() / _SECONDS
        ink = t.drawn(self.ink)
        self._paint_notes(painter, room, newest, scale, t, ink)
        before: tuple[float, float] | None = None
        for time, _, pitch, clarity in reversed(self._frames):
            y = room.top() + (newest - time) * scale
            if y > room.bottom():
                break
            if clarity < _MIN_CLARITY:
                before = None
                continue
            x = self._x(pitch, room)
            if before is not None and abs(before[0] - x) < 1.5 * wide:
                painter.setPen(QPen(theme.color(ink, min(1.0, (clarity - 0.4) / 0.55) ** 2), 2.4))
                painter.drawLine(QPointF(*before), QPointF(x, y))
            before = (x, y)

    def _paint_notes(
        self, painter: QPainter, room: QRectF, newest: float, scale: float, t: theme.Theme, ink: str
    ) -> None:
        wide = room.width() / (self.high - self.low + 1)
        for mark in self._notes:
            top = room.top() + max(0.0, newest - (mark.end or newest)) * scale
            bottom = room.top() + (newest - mark.began) * scale
            if bottom < room.top() or top > room.bottom():
                continue
            style = Qt.PenStyle.DashLine if mark.doubt else Qt.PenStyle.SolidLine
            painter.setPen(QPen(theme.color(t.ink, 0.8), 1.2, style))
            painter.setBrush(theme.color(ink, 0.0 if mark.doubt else 0.1 + 0.25 * mark.velocity / 127))
            x = self._x(mark.note, room)
            painter.drawRoundedRect(QRectF(x - wide * 0.7, top, wide * 1.4, max(3.0, bottom - top)), 2, 2)
