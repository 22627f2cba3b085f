"""How the rolls of a strand are printed: all together, and only what is new."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QBrush, QPainter, QPen, QPixmap, QPolygon

from arpegon.core.events import BEND, CONTROL, POLY_PRESSURE, PRESSURE
from arpegon.ui.look import theme
from arpegon.ui.look.painted import painting
from arpegon.ui.model.paper import PIXELS_PER_SECOND, Paper, RollLine

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


class _Fitted(NamedTuple):
    """What does not change while size, theme and range of notes are the same."""

    theme: str
    low: float
    high: float
    blank: QPixmap
    """A piece of paper with its rules for octaves and fifths."""
    shadow: QPixmap
    scale: float
    """How many pixels a note is wide."""
    thick: int
    """How many its bar is."""
    left: float
    """Where the bar of note 0 would begin."""
    shades: tuple[QBrush, ...]
    """Of bars, from the softest note to the loudest."""
    rule: QBrush
    """Of beats,"""
    bar_rule: QBrush
    """and of bar lines."""


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
        self._fitted: _Fitted | None = None
        """What stands on the screen was printed for this (nothing: it must be printed anew),"""
        self._lines: list[RollLine] = []
        """and for these."""
        self._top = 0
        """The row that came out last."""

    @property
    def is_current(self) -> bool:
        """Whether the rolls were printed in the theme and the size of now."""
        return self._fitted is not None and self._fitted.theme == theme.theme().name

    def fit(self, width: int, height: int, ratio: float) -> None:
        """Print for rolls of a size, on a screen with so many pixels for each of ours."""
        if (width, height, ratio) != (self.width, self.height, self.ratio):
            self.width, self.height, self.ratio = width, height, ratio
            self._fitted = None

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
        if not self.height:
            return 0, 0
        before, self._lines = self._lines, [self.paper.line(place) for place in self.places]
        top, fresh = row_of(self.ruler.now), self._fresh()
        by, strip = top - self._top, 0
        self._top = top
        if by or fresh is not None:
            strip = by + _STRIP if fresh is None else max(by + _STRIP, top - row_of(fresh) + 2)
        fitted, paper = self._fitted, self.paper
        fits = fitted is not None and (fitted.theme, fitted.low, fitted.high) == (
            theme.theme().name,
            paper.low,
            paper.high,
        )
        if not fits:
            self._fitted = self._fit()
        if not fits or self._lines != before or not 0 <= by < self.height or strip >= self.height:
            return 0, self.height
        return by, strip

    def _fresh(self) -> float | None:
        """The earliest time that was printed since the last frame."""
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
        fitted, line = self._fitted, self._lines[roll]
        if fitted is None:
            return
        painter.setClipRect(x, y + first, self.width, end - first)
        if end - first <= _BLANK:
            painter.drawPixmap(x, y + first, fitted.blank)
        else:
            painter.drawTiledPixmap(QRect(x, y + first, self.width, end - first), fitted.blank)
        if self.ruler.ago * PIXELS_PER_SECOND < end + 1:
            self._draw_rules(painter, fitted, x, y, end)
        bars = line.in_sight((self._top - end - 1) / PIXELS_PER_SECOND)
        if bars:
            top, left, scale, thick, shades = y + self._top, x + fitted.left, fitted.scale, fitted.thick, fitted.shades
            for bar in bars:
                ended = self._top + 1 if bar.end is None else int(bar.end * PIXELS_PER_SECOND)
                tall = ended - int(bar.start * PIXELS_PER_SECOND)
                shade = shades[bar.velocity * _SHADES >> 7]
                painter.fillRect(int(bar.note * scale + left), top - ended, thick, tall if tall > 3 else 3, shade)
        if line.pens:
            self._draw_pens(painter, line, x, y, end)
        if first < _SHADOW:
            painter.drawPixmap(x, y, fitted.shadow)

    def _draw_rules(self, painter: QPainter, fitted: _Fitted, x: int, y: int, rows: int) -> None:
        """Draw beats and bar lines on the upper rows of a roll."""
        for ago, bar in self.ruler.lines(rows / PIXELS_PER_SECOND + 0.1):
            row = y + self._top - row_of(self.ruler.now - ago)
            painter.fillRect(x, row, self.width, 1, fitted.bar_rule if bar else fitted.rule)

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

    def _fit(self) -> _Fitted:
        t, low, high = theme.theme(), self.paper.low, self.paper.high
        scale = self.width / (high - low + 1)
        thick = max(3, min(6, int(scale * 0.9)))
        ink = theme.roll_ink(self.ink)
        return _Fitted(
            theme=t.name,
            low=low,
            high=high,
            blank=self._blank_paper(scale),
            shadow=_shadow(t.name, self.width, self.ratio),
            scale=scale,
            thick=thick,
            left=(0.5 - low) * scale - thick / 2,
            shades=tuple(theme.brush(ink, 0.3 + 0.7 * shade / (_SHADES - 1)) for shade in range(_SHADES)),
            rule=theme.brush(t.rule),
            bar_rule=theme.brush(t.rule_strong),
        )

    def _blank_paper(self, scale: float) -> QPixmap:
        t, ratio, low, high, width = theme.theme(), self.ratio, self.paper.low, self.paper.high, self.width
        blank = QPixmap(round(width * ratio), round(_BLANK * ratio))
        blank.setDevicePixelRatio(ratio)
        first_c = int(-(-low // 12) * 12)
        with painting(blank) as painter:
            painter.fillRect(0, 0, width, _BLANK, theme.color(t.roll))
            for note, shade in ((first_c - 5, t.rule), (first_c, t.rule_strong)):
                for line in range(note, int(high) + 1, 12):
                    painter.fillRect(int((line - low + 0.5) * scale), 0, 1, _BLANK, theme.color(shade))
        return blank
