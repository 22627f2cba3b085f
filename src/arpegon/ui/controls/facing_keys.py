"""Two facing keyboards, joined by threads from what comes in to what goes out."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.core.theory.pitch import written
from arpegon.ui.controls import arrows
from arpegon.ui.controls.keyboard import is_black, key_rects
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts

_KEYS = 34.0
_FADE_SECONDS = 0.8
_NEAR = 6.0


class FacingKeys(PaintedParts):
    """The keyboard that is played above, the one that sounds below, threads between.

    Where ``editable``, a thread is drawn by dragging from an upper key to a lower one, moved by dragging its lower
    end elsewhere, and cut by dragging that end away or by a click on it with the right button. From the keyboard: Left
    and Right choose an upper key, Up and Down move its threads, Ins draws one more, Del cuts them.

    Signals:
        drawn: a thread from a key to a key is wanted.
        cut: a thread is not wanted any more.
        settled: a gesture ended.
    """

    drawn = pyqtSignal(int, int)
    cut = pyqtSignal(int, int)
    settled = pyqtSignal()

    def __init__(self, ink: str, editable: bool = False, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.editable = editable
        self.low, self.high = 48, 83
        self.threads: Mapping[int, Sequence[int]] = {}
        self.faint: frozenset[int] = frozenset()
        """Keys whose threads are drawn faintly."""
        self._lit: dict[int, tuple[float, Sequence[int]]] = {}
        self._now = 0.0
        self._from: int | None = None
        self._cursor = 60
        self._hand = QPointF()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(150)
        self.setMouseTracking(editable)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus if editable else Qt.FocusPolicy.NoFocus)
        self.setAccessibleName("Keys played above, keys that sound below")

    def sizeHint(self) -> QSize:
        return QSize(360, 170)

    def show_threads(self, threads: Mapping[int, Sequence[int]], faint: frozenset[int] = frozenset()) -> None:
        """Show threads by their upper key; those of ``faint`` keys are drawn faintly."""
        self.threads, self.faint = threads, faint
        self.update()

    def show_range(self, low: int, high: int) -> None:
        """Show these keys (both ends white)."""
        self.low, self.high = low - is_black(low), high + is_black(high)
        self.update()

    def strike(self, key: int, targets: Sequence[int], now: float) -> None:
        """Light a key and what it played."""
        self._lit[key] = (now, targets)
        self._now = now
        self.update()

    def tick(self, now: float) -> None:
        """Let lights fade."""
        if self._lit:
            self._now = now
            self._lit = {key: lit for key, lit in self._lit.items() if now - lit[0] < _FADE_SECONDS}
            self.update()

    # -- places ------------------------------------------------------------------------------------

    def _rects(self) -> dict[int, tuple[float, float, float, float]]:
        return key_rects(self.low, self.high, float(self.width()), _KEYS)

    def _end(self, note: int, below: bool) -> QPointF | None:
        """Where threads of a key begin (above) or end (below); ``None`` outside the range."""
        rect = self._rects().get(note)
        if rect is None:
            return None
        x = rect[0] + rect[2] / 2
        depth = rect[3] - 6
        return QPointF(x, self.height() - depth if below else depth)

    def _key_at(self, point: QPointF, below: bool) -> int | None:
        y = self.height() - point.y() if below else point.y()
        if not 0 <= y <= _KEYS:
            return None
        found = None
        for note, (left, _, width, height) in self._rects().items():
            if left <= point.x() < left + width and y < height:
                found = note
        return found

    def _thread_near(self, point: QPointF) -> tuple[int, int] | None:
        """The thread that passes nearest to a point, if any is near."""
        best: tuple[float, tuple[int, int]] | None = None
        for key, targets in self.threads.items():
            start = self._end(key, False)
            for target in targets:
                end = self._end(target, True)
                if start is None or end is None or not start.y() + 8 < point.y() < end.y():
                    continue
                path = _thread(start, end)
                gaps = (path.pointAtPercent(place / 24) - point for place in range(25))
                distance = min(math.hypot(gap.x(), gap.y() * 0.5) for gap in gaps)
                if distance < _NEAR and (best is None or distance < best[0]):
                    best = distance, (key, target)
        return best[1] if best else None

    # -- gestures ----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.editable:
            return
        point = event.position()
        key = self._key_at(point, False)
        thread = self._thread_near(point)
        if event.button() == Qt.MouseButton.RightButton:
            if thread is not None:
                self.cut.emit(*thread)
                self.settled.emit()
            return
        self._hand = point
        if key is not None:
            self._from = self._cursor = key
        elif thread is not None:
            self._from = thread[0]
            self.cut.emit(*thread)
        else:
            lower = self._key_at(point, True)
            ends = [key for key, targets in self.threads.items() if lower in targets] if lower is not None else []
            if len(ends) == 1 and lower is not None:
                self._from = ends[0]
                self.cut.emit(ends[0], lower)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._hand = event.position()
        if self._from is None:
            over = self._key_at(self._hand, False) is not None or self._thread_near(self._hand) is not None
            self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
        else:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._from is None:
            return
        start, self._from = self._from, None
        target = self._key_at(event.position(), True)
        if target is not None:
            self.drawn.emit(start, target)
        self.settled.emit()
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.editable:
            super().keyPressEvent(event)
            return
        sideways, upwards = arrows.sideways(event), arrows.upwards(event)
        targets = list(self.threads.get(self._cursor, ()))
        if sideways:
            self._cursor = max(self.low, min(self.high, self._cursor + sideways))
            self.update()
        elif upwards:
            self._replace(targets, [target + upwards for target in targets])
        elif event.key() == Qt.Key.Key_Insert:
            self._replace([], [max(targets) + 1 if targets else self._cursor])
        elif event.key() == Qt.Key.Key_Delete:
            self._replace(targets, [])
        else:
            super().keyPressEvent(event)

    def _replace(self, old: Sequence[int], new: Sequence[int]) -> None:
        """Cut threads of the chosen key and draw others, as long as these stay on the keyboard."""
        if not all(0 <= target <= 127 for target in new):
            return
        for target in old:
            self.cut.emit(self._cursor, target)
        for target in new:
            self.drawn.emit(self._cursor, target)
        self.settled.emit()

    # -- for screen readers ------------------------------------------------------------------------

    def parts(self) -> list[PaintedPart]:
        def sounds(key: int) -> str:
            return " and ".join(map(written, self.threads.get(key, ()))) or "nothing"

        return [PaintedPart(f"{written(key)} sounds {sounds(key)}") for key in range(self.low, self.high + 1)]

    def chosen_part(self) -> int | None:
        return self._cursor - self.low if self.editable and self.low <= self._cursor <= self.high else None

    def choose_part(self, place: int) -> None:
        self._cursor = self.low + place
        self.update()

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        glow = {key: max(0.0, 1.0 - (self._now - lit[0]) / _FADE_SECONDS) for key, lit in self._lit.items()}
        heard: dict[int, float] = {}
        for key, (_, targets) in self._lit.items():
            for target in targets:
                heard[target] = max(heard.get(target, 0.0), glow[key])
        self._paint_keys(painter, t, glow, below=False)
        self._paint_keys(painter, t, heard, below=True)
        ink = t.drawn(self.ink)
        for key, targets in self.threads.items():
            for target in targets:
                alpha = 0.16 if key in self.faint else 0.5
                self._paint_thread(painter, key, target, QPen(theme.color(ink, alpha), 1.3))
        for key, (_, targets) in self._lit.items():
            for target in targets:
                self._paint_thread(painter, key, target, QPen(theme.color(ink, 0.25 + 0.75 * glow[key]), 2.6))
        if self.hasFocus():
            for target in self.threads.get(self._cursor, ()):
                self._paint_thread(painter, self._cursor, target, QPen(theme.color(ink), 2.6))
            spot = self._end(self._cursor, False)
            if spot is not None:
                painter.setPen(QPen(theme.color(t.paper), 1.4))
                painter.setBrush(theme.color(ink))
                painter.drawEllipse(spot, 4.5, 4.5)
        start = self._end(self._from, False) if self._from is not None else None
        if start is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color(ink), 2, Qt.PenStyle.DashLine))
            painter.drawPath(_thread(start, self._hand))

    def _paint_thread(self, painter: QPainter, key: int, target: int, pen: QPen) -> None:
        start, end = self._end(key, False), self._end(target, True)
        if start is not None and end is not None:
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(_thread(start, end))

    def _paint_keys(self, painter: QPainter, t: theme.Theme, glow: Mapping[int, float], below: bool) -> None:
        white = t.roll if not t.dark else theme.mix(t.ink, t.roll, 0.12)
        black = theme.DAY.bar if not t.dark else t.desk
        painter.setFont(theme.label_font(11))
        for note, (left, _, width, height) in self._rects().items():
            top = self.height() - height - 0.5 if below else 0.5
            plain = black if is_black(note) else white
            ground = theme.mix(plain, self.ink, min(1.0, 0.3 + glow[note])) if glow.get(note, 0) > 0 else plain
            painter.setPen(theme.color(t.line if not t.dark else t.rule_strong))
            painter.setBrush(theme.color(ground))
            painter.drawRoundedRect(QRectF(left + 0.5, top, width - 1, height), 2, 2)
            if note % 12 == 0 and width > 13:
                painter.setPen(theme.color(theme.DAY.second if not t.dark else theme.DAY.ink))
                edge = Qt.AlignmentFlag.AlignBottom if not below else Qt.AlignmentFlag.AlignTop
                cell = QRectF(left - 6, top + 1, width + 12, height - 2)
                painter.drawText(cell, Qt.AlignmentFlag.AlignHCenter | edge, written(note))


def _thread(start: QPointF, end: QPointF) -> QPainterPath:
    path = QPainterPath(start)
    middle = (start.y() + end.y()) / 2
    path.cubicTo(QPointF(start.x(), middle), QPointF(end.x(), middle), end)
    return path
