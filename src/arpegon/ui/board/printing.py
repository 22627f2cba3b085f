"""How the rolls of a strand are printed: all together, and only what is new."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QPainter, QPen, QPixmap, QPolygon

from arpegon.core.events import BEND, CONTROL, POLY_PRESSURE, PRESSURE
from arpegon.ui.look import theme
from arpegon.ui.look.painted import painting
from arpegon.ui.model.paper import PIXELS_PER_SECOND, NoteBar, Paper, RollLine

_SHADES = 6
_BLANK = 64
_SHADOW = 4
_STRIP = 6
"""How many pixels at the top are printed anew beside those that have just come out: word of an event is up to
a frame late."""
_PENS = {
    CONTROL: Qt.PenStyle.SolidLine,
    BEND: Qt.PenStyle.DashLine,
    PRESSURE: Qt.PenStyle.DotLine,
    POLY_PRESSURE: Qt.PenStyle.DotLine,
}


@lru_cache(maxsize=32)
def _shadow(name: str, width: int, ratio: float) -> QPixmap:
    """The soft shadow where paper comes out from under a bar, in the theme of that name."""
    t = theme.THEMES[name]
    pixmap = QPixmap(round(width * ratio), round(_SHADOW * ratio))
    pixmap.setDevicePixelRatio(ratio)
    pixmap.fill(Qt.GlobalColor.transparent)
    with painting(pixmap) as painter:
        for row in range(_SHADOW):
            painter.fillRect(0, row, width, 1, theme.color(t.bar if not t.dark else t.desk, 0.16 - 0.04 * row))
    return pixmap


def row_of(time: float) -> int:
    """The row of an endless paper on which a time is printed; differences of rows are pixels."""
    return int(time * PIXELS_PER_SECOND)


@lru_cache(maxsize=32)
def _pen(name: str, kind: int) -> QPen:
    """How values of a kind are drawn, in the theme of that name: upright and level lines, sharp without smoothing."""
    return QPen(theme.color(theme.THEMES[name].ink, 0.85), 1, _PENS[kind])


class BeatRuler:
    """Where the beats of the moment lie in time, for the rules on the paper."""

    def __init__(self) -> None:
        self.now = 0.0
        self.beat = 0.0
        self.seconds_per_beat = 0.5
        self.beats_per_bar = 4.0

    @property
    def ago(self) -> float:
        """Seconds since the last beat."""
        return self.beat % 1.0 * self.seconds_per_beat

    def lines(self, seconds: float) -> list[tuple[float, bool]]:
        """Seconds ago and whether it is a bar line, for each beat of the last ``seconds``."""
        found: list[tuple[float, bool]] = []
        beat = int(self.beat // 1)
        while True:
            ago = (self.beat - beat) * self.seconds_per_beat
            if ago > seconds:
                return found
            found.append((ago, abs(beat / self.beats_per_bar - round(beat / self.beats_per_bar)) < 1e-6))
            beat -= 1


class Printing:
    """All rolls of one strand on the screen: time runs down, the newest is at the top edge of each.

    What is printed moves down by whole pixels and does not change any more, so a frame shifts what stands on the
    screen, and prints only the strips that come out at the top.

    Args:
        places: of the rolls, from the first to the last (see :mod:`arpegon.core.notes.taps`).
    """

    def __init__(self, paper: Paper, places: Sequence[str], ruler: BeatRuler, ink: int) -> None:
        self.paper = paper
        self.places = places
        self.ruler = ruler
        self.ink = ink
        self.width = self.height = 0
        """Of each roll, in pixels; some may show less of the height."""
        self.ratio = 1.0
        """Pixels of the screen for each of ours."""
        self._blank = QPixmap()
        self._lines: list[RollLine] = []
        self._printed: tuple[object, ...] = ()
        """What stands on the screen was printed for this (nothing: it must be printed anew)."""
        self._top = 0
        """The row that came out last."""

    @property
    def is_current(self) -> bool:
        """Whether the rolls were printed in the theme and the size of now."""
        return bool(self._printed) and self._printed[2] == theme.theme().name

    def fit(self, width: int, height: int, ratio: float) -> None:
        """Print for rolls of a size, on a screen with so many pixels for each of ours."""
        if (width, height, ratio) != (self.width, self.height, self.ratio):
            self.width, self.height, self.ratio = width, height, ratio
            self._printed = ()

    def moves(self) -> bool:
        """Whether anything is on the rolls."""
        now, seconds = self.ruler.now, self.height / PIXELS_PER_SECOND + 0.2
        return any(self.paper.line(place).moves(now, seconds) for place in self.places)

    def advance(self) -> tuple[int, int]:
        """Go on to now.

        Returns:
            By how many rows what stands on the screen moves down, and how many at the top must be printed then (all
            of the height: all is printed anew, and nothing moves).
        """
        top, fresh = row_of(self.ruler.now), self._fresh()
        by, strip = top - self._top, 0
        self._top = top
        if by or fresh is not None:
            strip = by + _STRIP if fresh is None else max(by + _STRIP, top - row_of(fresh) + 2)
        known = (self.paper.low, self.paper.high, theme.theme().name, *map(id, self._lines))
        if known != self._printed or not 0 <= by < self.height or strip >= self.height:
            if known[:3] != self._printed[:3]:
                self._blank = self._blank_paper()
            self._printed = known
            return 0, self.height
        return by, strip

    def _fresh(self) -> float | None:
        """The earliest time that was printed since the last frame."""
        self._lines = [self.paper.line(place) for place in self.places]
        earliest: float | None = None
        for line in self._lines:
            fresh = line.fresh_from
            if fresh is not None:
                line.fresh_from = None
                if earliest is None or fresh < earliest:
                    earliest = fresh
        return earliest

    def draw(self, painter: QPainter, roll: int, x: int, y: int, first: int, end: int) -> None:
        """Draw rows of a roll whose upper left corner lies at ``x``, ``y``; the painter stays clipped to them."""
        t, width, top, now = theme.theme(), self.width, self._top, self.ruler.now
        rows = end - first
        painter.setClipRect(x, y + first, width, rows)
        if rows <= _BLANK:
            painter.drawPixmap(x, y + first, self._blank)
        else:
            painter.drawTiledPixmap(QRect(x, y + first, width, rows), self._blank)
        if self.ruler.ago * PIXELS_PER_SECOND < end + 1:
            for ago, bar in self.ruler.lines(end / PIXELS_PER_SECOND + 0.1):
                row = top - row_of(now - ago)
                if first <= row < end:
                    painter.fillRect(x, y + row, width, 1, theme.brush(t.rule_strong if bar else t.rule))
        line = self._lines[roll]
        bars = line.in_sight((top - end - 1) / PIXELS_PER_SECOND)
        if bars:
            self._draw_bars(painter, bars, x, y + top)
        if line.pens:
            self._draw_pens(painter, line, x, y, end)
        if first < _SHADOW:
            painter.drawPixmap(x, y, _shadow(t.name, width, self.ratio))

    def _draw_bars(self, painter: QPainter, bars: Sequence[NoteBar], left: int, top: int) -> None:
        """Draw notes of a roll, the first of whose rows that ever came out lies at ``top``."""
        scale = self.width / (self.paper.high - self.paper.low + 1)
        thick = max(3, min(6, int(scale * 0.9)))
        offset = left + (0.5 - self.paper.low) * scale - thick / 2
        ink, now_row = theme.roll_ink(self.ink), self._top + 1
        for bar in bars:
            end = now_row if bar.end is None else int(bar.end * PIXELS_PER_SECOND)
            tall = end - int(bar.start * PIXELS_PER_SECOND)
            shade = theme.brush(ink, 0.3 + 0.7 * (bar.velocity * _SHADES >> 7) / (_SHADES - 1))
            painter.fillRect(int(bar.note * scale + offset), top - end, thick, tall if tall > 3 else 3, shade)

    def _draw_pens(self, painter: QPainter, line: RollLine, left: int, top: int, rows: int) -> None:
        """Draw the values of controllers on the upper rows of a roll."""
        name, span = theme.theme().name, self.width - 6
        for (status, _), pen in line.pens.items():
            points: list[QPoint] = []
            row = -2
            for time, value in reversed(pen):
                x = left + 3 + round(value / 127.0 * span)
                points.append(QPoint(x, top + row))
                row = self._top - row_of(time)
                points.append(QPoint(x, top + row))
                if row > rows:
                    break
            painter.setPen(_pen(name, status & 0xF0))
            painter.drawPolyline(QPolygon(points))

    def _blank_paper(self) -> QPixmap:
        """A piece of paper with its rules for octaves and fifths."""
        t, ratio, low, high, width = theme.theme(), self.ratio, self.paper.low, self.paper.high, self.width
        scale = width / (high - low + 1)
        blank = QPixmap(round(width * ratio), round(_BLANK * ratio))
        blank.setDevicePixelRatio(ratio)
        first_c = int(-(-low // 12) * 12)
        with painting(blank) as painter:
            painter.fillRect(0, 0, width, _BLANK, theme.color(t.roll))
            for note, shade in ((first_c - 5, t.rule), (first_c, t.rule_strong)):
                for line in range(note, int(high) + 1, 12):
                    painter.fillRect(int((line - low + 0.5) * scale), 0, 1, _BLANK, theme.color(shade))
        return blank
