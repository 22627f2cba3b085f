"""A roll: the strip of paper on which events are printed as they happen."""

from __future__ import annotations

from PyQt6.QtCore import QLineF, QPoint, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QContextMenuEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.core.events import BEND, CONTROL, POLY_PRESSURE, PRESSURE
from arpegon.ui import theme
from arpegon.ui.rolls import Paper, RollLine

PIXELS_PER_SECOND = 38.0
_SHADES = 6
_PENS = {
    CONTROL: Qt.PenStyle.SolidLine,
    BEND: Qt.PenStyle.DashLine,
    PRESSURE: Qt.PenStyle.DotLine,
    POLY_PRESSURE: Qt.PenStyle.DotLine,
}


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


class RollView(QWidget):
    """Paints one :class:`~arpegon.ui.rolls.RollLine`: time runs down, the newest is at the top edge."""

    asked = pyqtSignal(int, QPoint)

    def __init__(self, paper: Paper, roll: int, ruler: BeatRuler, ink: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.paper = paper
        self.roll = roll
        self.ruler = ruler
        self.ink = ink
        self._was_moving = True
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(26)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    def sizeHint(self) -> QSize:
        return QSize(190, 70)

    @property
    def line(self) -> RollLine:
        """What is printed here."""
        return self.paper.line(self.roll)

    def tick(self, eased: bool, playing: bool) -> None:
        """Repaint if anything on the paper moves."""
        moving = playing or eased or self.line.moves(self.ruler.now, self.height() / PIXELS_PER_SECOND + 0.2)
        if moving or self._was_moving:
            self.update()
        self._was_moving = moving

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.asked.emit(self.roll, event.globalPos())

    def x_of(self, note: float) -> float:
        """The middle of a note across the paper."""
        return (note - self.paper.low + 0.5) / (self.paper.high - self.paper.low + 1) * self.width()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        t = theme.theme()
        width, height = self.width(), self.height()
        seconds = height / PIXELS_PER_SECOND
        painter.fillRect(0, 0, width, height, theme.color(t.roll))
        self._paint_rules(painter, t, width, height, seconds)
        self._paint_bars(painter, height, seconds)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_pens(painter, t, width, seconds)
        self._paint_edge(painter, t, width)

    def _paint_rules(self, painter: QPainter, t: theme.Theme, width: int, height: int, seconds: float) -> None:
        first_c = int(-(-self.paper.low // 12) * 12)
        octaves = [self.x_of(note) for note in range(first_c, int(self.paper.high) + 1, 12)]
        fifths = [self.x_of(note + 7) for note in range(first_c - 12, int(self.paper.high) + 1, 12)]
        for places, shade in ((fifths, t.rule), (octaves, t.rule_strong)):
            if places:
                painter.setPen(theme.color(shade))
                painter.drawLines(*[QLineF(x, 0, x, height) for x in places])
        beats = self.ruler.lines(seconds)
        for strong, shade in ((False, t.rule), (True, t.rule_strong)):
            painter.setPen(theme.color(shade))
            lines = [
                QLineF(0, ago * PIXELS_PER_SECOND, width, ago * PIXELS_PER_SECOND)
                for ago, bar in beats
                if bar == strong
            ]
            if lines:
                painter.drawLines(*lines)

    def _paint_bars(self, painter: QPainter, height: int, seconds: float) -> None:
        now = self.ruler.now
        oldest = now - seconds
        paper = self.paper
        scale = self.width() / (paper.high - paper.low + 1)
        offset = 0.5 - paper.low
        thick = max(3, min(6, int(scale * 0.9)))
        half = thick / 2
        # Whole pixels without smoothing: a third of the cost, and sharper edges.
        shades: list[list[QRect]] = [[] for _ in range(_SHADES)]
        old = 0
        for bar in reversed(self.line.bars):
            end = bar.end
            if end is not None and end < oldest:
                old += 1
                if old > 24:  # long notes may lie behind a few short ones that began later
                    break
                continue
            top = 0 if end is None else int((now - end) * PIXELS_PER_SECOND)
            bottom = int((now - bar.start) * PIXELS_PER_SECOND)
            if top < 0:
                top = 0
            if bottom > height:
                bottom = height + 4
            tall = bottom - top
            rect = QRect(int((bar.note + offset) * scale - half), top, thick, tall if tall > 3 else 3)
            shades[min(_SHADES - 1, bar.velocity * _SHADES >> 7)].append(rect)
        painter.setPen(Qt.PenStyle.NoPen)
        for place, rects in enumerate(shades):
            if rects:
                painter.setBrush(self._shade(place))
                painter.drawRects(*rects)

    def _shade(self, place: int) -> QColor:
        return theme.color(theme.roll_ink(self.ink), 0.3 + 0.7 * place / (_SHADES - 1))

    def _paint_pens(self, painter: QPainter, t: theme.Theme, width: int, seconds: float) -> None:
        now = self.ruler.now
        for (status, _), pen in self.line.pens.items():
            points: list[QPointF] = []
            last_x = None
            for time, value in reversed(pen):
                y = (now - time) * PIXELS_PER_SECOND
                x = 3 + value / 127.0 * (width - 6)
                if last_x is None:
                    points.append(QPointF(x, 0.0))
                else:
                    points.append(QPointF(x, points[-1].y()))
                points.append(QPointF(x, y))
                last_x = x
                if now - time > seconds:
                    break
            if len(points) > 1 and points[0].y() < seconds * PIXELS_PER_SECOND:
                line = QPen(theme.color(t.ink, 0.8), 1.4)
                line.setStyle(_PENS[status & 0xF0])
                painter.setPen(line)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF(points))

    def _paint_edge(self, painter: QPainter, t: theme.Theme, width: int) -> None:
        """A soft shadow where the paper comes out from under the bar."""
        for row in range(4):
            painter.fillRect(0, row, width, 1, theme.color(t.bar if not t.dark else t.desk, 0.16 - 0.04 * row))


class KeyStrip(QWidget):
    """The little keyboard at the foot of a strand; its keys stand under the notes of the roll."""

    def __init__(self, paper: Paper, roll: int, ink: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.paper = paper
        self.roll = roll
        self.ink = ink
        self._shown: tuple[object, ...] = ()
        self._pixmap = QPixmap()
        self._pixmap_key: tuple[object, ...] = ()
        self.setFixedHeight(17)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    def tick(self) -> None:
        """Repaint if keys or range changed."""
        shown = (self.paper.low, self.paper.high, frozenset(self.paper.line(self.roll).sounding))
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
            self._paint_keys(QPainter(self._pixmap))
        return self._pixmap

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._keys())
        scale = self.width() / (self.paper.high - self.paper.low + 1)
        for note in self.paper.line(self.roll).sounding:
            dark = note % 12 in (1, 3, 6, 8, 10)
            rect = QRectF((note - self.paper.low) * scale, 0, max(3.0, scale), 11 if dark else 17)
            painter.fillRect(rect, theme.color(theme.ink(self.ink)))

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
