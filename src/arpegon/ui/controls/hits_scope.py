"""What a microphone on a pad hears: the sound as a strip of paper, time running down, each stroke as a bar."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy

from arpegon.listen.heard import HeardNote, Sight
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPicture, paint_paper

_SECONDS = 2.4
_GUTTER = 34.0


def swing(level: float) -> float:
    """How far a sample of this size swings on paper, 0-1: soft strokes must be seen beside hard ones."""
    return math.pow(min(1.0, max(0.0, level)), 0.45)


class HitsScope(PaintedPicture):
    """The last seconds, newest at the top: the sound about a middle line, its envelope, the threshold, the strokes."""

    def __init__(self, ink: str) -> None:
        super().__init__()
        self.setAccessibleName("What is heard")
        self.ink = ink
        self.threshold = 0.0
        self._peaks: deque[float] = deque()
        self._step = 0.001
        self._time = 0.0
        self._seen = 0.0
        self._marks: deque[HeardNote] = deque(maxlen=64)
        self._now = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(176)
        self.setToolTip(
            "What is heard, newest at the top; the dashed lines are the threshold. Each stroke that was found is a bar "
            "with its velocity."
        )

    def sizeHint(self) -> QSize:
        return QSize(340, 188)

    def take(self, sight: Sight, now: float) -> None:
        """More was heard."""
        if sight.values:
            self._step, self._time, self._seen = sight.step, sight.time, now
            self._peaks.extend(sight.values)
            while len(self._peaks) > _SECONDS / self._step + 100:
                self._peaks.popleft()

    def add(self, marks: Sequence[HeardNote]) -> None:
        """Strokes were found."""
        self._marks.extend(marks)

    def tick(self, now: float) -> None:
        """Let the paper move."""
        if now - self._seen < _SECONDS + 0.3:
            self._now = now
            self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        paint_paper(painter, t, self.sheet())
        room = QRectF(self.rect()).adjusted(8, 4, -8 - _GUTTER, -4)
        middle, half = room.center().x(), room.width() / 2
        ink = t.drawn(self.ink)
        painter.setPen(theme.color(t.rule))
        for share in (0.25, 0.5, 0.75):
            y = room.top() + share * room.height()
            painter.drawLine(QPointF(room.left(), y), QPointF(self.width() - 8.0, y))
        painter.setPen(theme.color(t.rule_strong))
        painter.drawLine(QPointF(middle, room.top()), QPointF(middle, room.bottom()))
        if not self._peaks:
            painter.setPen(theme.color(t.second))
            painter.setFont(theme.label_font(13))
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, "nothing is heard yet")
            return
        newest = max(self._time, self._now - 0.05)
        self._paint_sound(painter, room, newest, ink)
        painter.setPen(QPen(theme.color(t.ink, 0.55), 1, Qt.PenStyle.DashLine))
        reach = swing(self.threshold) * half
        for x in (middle - reach, middle + reach):
            painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
        painter.setFont(theme.number_font(11, 500))
        free = -math.inf
        for mark in reversed(self._marks):
            y = room.top() + (newest - mark.began) / _SECONDS * room.height()
            if room.top() <= y <= room.bottom():
                wide = swing(10.0 ** (mark.peak / 20.0)) * half
                painter.setPen(QPen(theme.color(t.ink), 2.2))
                painter.drawLine(QPointF(middle - wide, y), QPointF(middle + wide, y))
                if y >= free:  # numbers of a flam would lie over one another
                    spot = QRectF(room.right() + 2, y - 8, _GUTTER, 16)
                    painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, str(mark.velocity))
                    free = y + 13.0

    def _paint_sound(self, painter: QPainter, room: QRectF, newest: float, ink: str) -> None:
        """The sound, a row of the widget at a time, and the envelope about it."""
        rows = int(room.height())
        greatest = [0.0] * rows
        time = self._time
        for peak in reversed(self._peaks):
            row = int((newest - time) / _SECONDS * rows)
            if row >= rows:
                break
            if row >= 0 and peak > greatest[row]:
                greatest[row] = peak
            time -= self._step
        middle, half = room.center().x(), room.width() / 2
        painter.setPen(QPen(theme.color(ink, 0.75), 1))
        for row, peak in enumerate(greatest):
            wide = swing(peak) * half
            if wide > 0.4:
                y = room.top() + row + 0.5
                painter.drawLine(QPointF(middle - wide, y), QPointF(middle + wide, y))
        follow, outline = 0.0, []
        for row in range(rows - 1, -1, -1):
            follow = max(greatest[row], follow * 0.93)
            outline.append(QPointF(middle + swing(follow) * half, room.top() + row))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color(ink), 1.6))
        painter.drawPolyline(QPolygonF(outline))
        painter.drawPolyline(QPolygonF([QPointF(2 * middle - spot.x(), spot.y()) for spot in outline]))
