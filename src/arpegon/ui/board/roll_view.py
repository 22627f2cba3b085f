"""A roll: the strip of paper on which events are printed as they happen."""

from __future__ import annotations

from functools import lru_cache

from PyQt6.QtCore import QPoint, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygon, QResizeEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget

from arpegon.core.events import BEND, CONTROL, POLY_PRESSURE, PRESSURE
from arpegon.ui.board.trail import TrailMark
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Opaque, painting
from arpegon.ui.model.paper import PIXELS_PER_SECOND, Paper, RollLine

_SHADES = 6
_BLANK = 64
_SHADOW = 4
_MARK = 26
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


class RollView(Opaque, QLabel):
    """Paints one :class:`~arpegon.ui.model.paper.RollLine`: time runs down, the newest is at the top edge.

    What is printed moves down by whole pixels and does not change any more, so a frame shifts what stands on the
    screen, and prints only the strip that comes out at the top.
    """

    asked = pyqtSignal(int, QPoint)

    def __init__(
        self, paper: Paper, place: str, number: int, ruler: BeatRuler, ink: int, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.paper = paper
        self.place = place
        self.number = number
        """Which roll of the strand it is, from 0 on: a stage that is added here comes before so many others."""
        self.ruler = ruler
        self.ink = ink
        self._printed: tuple[object, ...] = ()
        """What the paper on the screen was printed for (nothing: it must be printed anew)."""
        self._range: tuple[float, float, RollLine | None] = (0.0, 0.0, None)
        """Of it, what may be another thing in any frame."""
        self._blank_paper = QPixmap()
        self._blank_key: tuple[object, ...] = ("none",)
        self._ratio = 1.0
        """Pixels of the screen for each of ours."""
        self._top = 0
        self._was_moving = True
        self._mark: TrailMark | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(26)

    def sizeHint(self) -> QSize:
        return QSize(190, 70)

    @property
    def line(self) -> RollLine:
        """What is printed here."""
        return self.paper.line(self.place)

    def tick(self, playing: bool) -> bool:
        """Move the paper, if anything on it moves; whether anything does."""
        now, line = self.ruler.now, self.line
        moving = playing or line.moves(now, self.height() / PIXELS_PER_SECOND + 0.2)
        if moving or self._was_moving:
            self._advance(line)
        self._was_moving = moving
        return moving

    def _advance(self, line: RollLine) -> None:
        """Bring what stands on the screen up to now."""
        top, height = row_of(self.ruler.now), self.height()
        by = top - self._top
        fresh_from, line.fresh_from = line.fresh_from, None
        strip = by + _STRIP
        if fresh_from is not None:
            strip = max(strip, top - row_of(fresh_from) + 2)
        here = self.paper.low, self.paper.high, line
        if here != self._range or not self._printed or not 0 <= by < height or strip >= height:
            self._now_printed(top)
            self.update()
        elif by or fresh_from is not None:
            self._top = top
            self.scroll(0, by)
            width = self.width()
            self.update(0, 0, width, strip)
            if self._mark is not None:  # it does not move with the paper
                self.update(0, height - _MARK - by, width, _MARK + by)

    def _now_printed(self, top: int) -> None:
        """All of it is printed anew, for what is now."""
        self._printed, self._top, self._ratio = self._key(), top, self.devicePixelRatioF()
        self._range = self.paper.low, self.paper.high, self.line

    def _key(self) -> tuple[object, ...]:
        paper, size = self.paper, (self.width(), self.height(), self.devicePixelRatioF())
        return (*size, paper.low, paper.high, theme.theme().name, id(self.line))

    def show_mark(self, mark: TrailMark | None) -> None:
        """Write on the paper what the last note is here (``None``: nothing)."""
        if mark != self._mark:
            self._mark = mark
            self.update()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.asked.emit(self.number, event.globalPos())

    def x_of(self, note: float) -> float:
        """The middle of a note across the paper."""
        return (note - self.paper.low + 0.5) / (self.paper.high - self.paper.low + 1) * self.width()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._printed = ()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        area = event.rect() if event is not None else self.rect()
        if not self._printed or (area.height() >= self.height() and self._printed != self._key()):
            self._now_printed(row_of(self.ruler.now))
        with painting(self) as painter:
            self._print(painter, area)
            if self._mark is not None:
                self._paint_mark(painter, self._mark)

    def _paint_mark(self, painter: QPainter, mark: TrailMark) -> None:
        t = theme.theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.label_font(12, 600))
        metrics = painter.fontMetrics()
        text = metrics.elidedText(mark.text, Qt.TextElideMode.ElideRight, self.width() - 24)
        width = metrics.horizontalAdvance(text) + 14
        ground = t.warning if mark.ends else theme.ink(self.ink)
        tag = QRectF(5, self.height() - 23, width, 18)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(ground))
        painter.drawRoundedRect(tag, 4, 4)
        painter.setPen(theme.color(theme.text_on(ground)))
        painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, text)

    def _print(self, painter: QPainter, area: QRect) -> None:
        """Print a part of the paper."""
        t, width = theme.theme(), self.width()
        first, height = area.top(), area.bottom() + 1
        line = self.line
        if height - first <= _BLANK and self._ratio == 1.0:
            painter.drawPixmap(0, first, self._blank(), 0, 0, width, height - first)
        else:
            painter.drawTiledPixmap(QRect(0, first, width, height - first), self._blank())
        top, now = self._top, self.ruler.now
        for ago, bar in self.ruler.lines(height / PIXELS_PER_SECOND + 0.1):
            y = top - row_of(now - ago)
            if y >= first:
                painter.fillRect(0, y, width, 1, theme.brush(t.rule_strong if bar else t.rule))
        self._print_bars(painter, line, width, height)
        if line.pens:
            self._print_pens(painter, t, width, height)
        if first < _SHADOW:
            painter.drawPixmap(0, 0, _shadow(t.name, width, self._ratio))

    def _blank(self) -> QPixmap:
        """A piece of paper with its rules for octaves and fifths; painted again only when the range changes."""
        key = self._printed
        if key != self._blank_key:
            self._blank_key = key
            t = theme.theme()
            ratio = self.devicePixelRatioF()
            self._blank_paper = QPixmap(round(self.width() * ratio), round(_BLANK * ratio))
            self._blank_paper.setDevicePixelRatio(ratio)
            with painting(self._blank_paper) as painter:
                painter.fillRect(0, 0, self.width(), _BLANK, theme.color(t.roll))
                first_c = int(-(-self.paper.low // 12) * 12)
                octaves = [self.x_of(note) for note in range(first_c, int(self.paper.high) + 1, 12)]
                fifths = [self.x_of(note + 7) for note in range(first_c - 12, int(self.paper.high) + 1, 12)]
                for places, shade in ((fifths, t.rule), (octaves, t.rule_strong)):
                    for x in places:
                        painter.fillRect(int(x), 0, 1, _BLANK, theme.color(shade))
        return self._blank_paper

    def _print_bars(self, painter: QPainter, line: RollLine, width: int, height: int) -> None:
        top_row = self._top
        bars = line.in_sight((top_row - height - 1) / PIXELS_PER_SECOND)
        if not bars:
            return
        paper, ink = self.paper, theme.roll_ink(self.ink)
        scale = width / (paper.high - paper.low + 1)
        thick = max(3, min(6, int(scale * 0.9)))
        offset = (0.5 - paper.low) * scale - thick / 2
        for bar in bars:
            end = top_row + 1 if bar.end is None else int(bar.end * PIXELS_PER_SECOND)
            tall = end - int(bar.start * PIXELS_PER_SECOND)
            shade = theme.brush(ink, 0.3 + 0.7 * (bar.velocity * _SHADES >> 7) / (_SHADES - 1))
            painter.fillRect(int(bar.note * scale + offset), top_row - end, thick, tall if tall > 3 else 3, shade)

    def _print_pens(self, painter: QPainter, t: theme.Theme, width: int, height: int) -> None:
        for (status, _), pen in self.line.pens.items():
            points: list[QPoint] = []
            last = -2
            for time, value in reversed(pen):
                x = 3 + round(value / 127.0 * (width - 6))
                points.append(QPoint(x, last))
                last = self._top - row_of(time)
                points.append(QPoint(x, last))
                if last > height:
                    break
            painter.setPen(_pen(t.name, status & 0xF0))
            painter.drawPolyline(QPolygon(points))


class KeyStrip(Opaque, QWidget):
    """The little keyboard at the foot of a strand; its keys stand under the notes of the roll."""

    def __init__(self, paper: Paper, place: str, ink: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.paper = paper
        self.place = place
        self.ink = ink
        self._shown: tuple[object, ...] = ()
        self._pixmap = QPixmap()
        self._pixmap_key: tuple[object, ...] = ()
        self.setFixedHeight(17)

    def tick(self) -> None:
        """Repaint if keys or range changed."""
        shown = (self.paper.low, self.paper.high, frozenset(self.paper.line(self.place).sounding))
        if shown != self._shown:
            self._shown = shown
            self.update()

    def _paper_key(self) -> tuple[object, ...]:
        return (round(self.paper.low, 2), round(self.paper.high, 2), self.width(), theme.theme().name)

    def _keys(self) -> QPixmap:
        """The keyboard with no key held; painted again only when range, size or theme change."""
        key = self._paper_key()
        if key != self._pixmap_key:
            self._pixmap_key = key
            ratio = self.devicePixelRatioF()
            self._pixmap = QPixmap(self.size() * ratio)
            self._pixmap.setDevicePixelRatio(ratio)
            with painting(self._pixmap) as painter:
                self._paint_keys(painter)
        return self._pixmap

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as painter:
            painter.drawPixmap(0, 0, self._keys())
            scale = self.width() / (self.paper.high - self.paper.low + 1)
            for note in self.paper.line(self.place).sounding:
                dark = note % 12 in (1, 3, 6, 8, 10)
                rect = QRectF((note - self.paper.low) * scale, 0, max(3.0, scale), 11 if dark else 17)
                painter.fillRect(rect, theme.brush(theme.ink(self.ink)))

    def _paint_keys(self, painter: QPainter) -> None:
        t = theme.theme()
        white = theme.DAY.roll if not t.dark else theme.mix(t.ink, t.roll, 0.15)
        black = theme.DAY.bar if not t.dark else t.desk
        painter.fillRect(self.rect(), theme.color(white))
        scale = self.width() / (self.paper.high - self.paper.low + 1)
        for note in range(int(self.paper.low), int(self.paper.high) + 2):
            x = (note - self.paper.low) * scale
            dark = note % 12 in (1, 3, 6, 8, 10)
            if dark:
                painter.fillRect(QRectF(x + scale * 0.05, 0, scale * 0.9, 11), theme.color(black))
            elif note % 12 in (0, 5):
                painter.fillRect(QRectF(x, 0, 1, 17), theme.color(t.line if not t.dark else t.second))
        painter.setPen(theme.color(t.line))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
