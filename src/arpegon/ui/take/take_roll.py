"""A take on paper: one version of one strand, read from the foot upward as it was printed; scrolled and zoomed."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Mapping, Sequence
from itertools import accumulate
from operator import attrgetter

import msgspec
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPen, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.core.counting import counted
from arpegon.core.events import BEND, PRESSURE, Event
from arpegon.core.notes.sheet import Line, Note, Sheet, value_of
from arpegon.core.theory.pitch import written
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts
from arpegon.ui.take.span import Span

SHADES = 6
FOOT = 24
GUTTER = 30
"""Pixels at the left in which bars are numbered: a click there plays from there."""
LANE = 46
"""Pixels at the right in which velocities stand."""
_SCROLL = 40.0
"""Pixels that a turn of the wheel or an arrow scrolls."""
_READ = 64
"""Chosen notes that are read out one by one."""
_STYLES = {BEND: Qt.PenStyle.DashLine, PRESSURE: Qt.PenStyle.DotLine}


def _words(note: Note) -> str:
    """A note as it is read out."""
    place = f"on beat {note.start + 1:.2f}, {note.end - note.start:.2f} long"
    return f"{written(note.note)} {place}, velocity {note.velocity}"


class Beside(msgspec.Struct, frozen=True):
    """Another strand that lies faintly beneath."""

    strand: str
    ink: int
    notes: Sequence[Note]
    reach: Sequence[float]

    @classmethod
    def of(cls, strand: str, ink: int, sheet: Sheet) -> Beside:
        """That of a sheet."""
        return cls(strand, ink, sheet.notes, _reach(sheet.notes))


class TakeRoll(PaintedParts):
    """Paints one version; time runs up from the little keyboard at the foot, so the newest is at the top."""

    smooth = False
    scrolled = pyqtSignal()

    def __init__(self, span: Span, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.span = span
        self.ink = 0
        self.sheet_shown = Sheet()
        self.chosen: set[int] = set()
        """The places of the notes that are chosen."""
        self.line: Line | None = None
        """The line that is drawn strongly."""
        self.ghosts: tuple[Sequence[Note], Sequence[Note]] = ((), ())
        """What a remedy would take away, and what it would put there."""
        self._reach: list[float] = []
        self.beside: list[Beside] = []
        """Other strands, faintly beneath."""
        self._others: tuple[Event, ...] = ()
        self.lines: dict[Line, list[tuple[float, float]]] = {}
        """What draws lines: beats and values, 0 ... 127."""
        self.empty_words = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(200, 160)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def sizeHint(self) -> QSize:
        return QSize(300, 400)

    def show_sheet(self, sheet: Sheet, ink: int) -> None:
        """Show what a version holds."""
        if sheet is not self.sheet_shown:
            self.sheet_shown = sheet
            self._reach = _reach(sheet.notes)
            if sheet.others is not self._others:
                self._others = sheet.others
                self.lines = {
                    line: [(event.time, value_of(event)) for event in events] for line, events in sheet.lines.items()
                }
            self.chosen = {place for place in self.chosen if place < len(sheet.notes)}
        self.ink = ink
        self.update()

    def show_beside(self, sheets: Mapping[str, tuple[int, Sheet]]) -> None:
        """Show other strands beneath: the number of the ink and the sheet of each, by its id."""
        known = {(one.strand, one.ink, id(one.notes)): one for one in self.beside}
        self.beside = [
            known.get((strand, ink, id(sheet.notes))) or Beside.of(strand, ink, sheet)
            for strand, (ink, sheet) in sheets.items()
        ]
        self.update()

    @property
    def notes(self) -> Sequence[Note]:
        """The notes on the paper."""
        return self.sheet_shown.notes

    # -- places ------------------------------------------------------------------------------------

    def y_of(self, beat: float) -> float:
        """Where a beat lies."""
        return self.height() - FOOT - (beat - self.span.start) * self.span.pixels

    def beat_of(self, y: float) -> float:
        """The beat at a height."""
        return self.span.start + (self.height() - FOOT - y) / self.span.pixels

    @property
    def scale(self) -> float:
        """The width of a key in pixels."""
        return (self.width() - GUTTER - LANE) / (self.span.high - self.span.low + 1)

    def x_of(self, note: float) -> float:
        """Where the middle of a key lies."""
        return GUTTER + (note - self.span.low + 0.5) * self.scale

    def note_of(self, x: float) -> int:
        """The key at a place."""
        return max(0, min(127, int(self.span.low + (x - GUTTER) // self.scale)))

    def box_of(self, note: Note) -> QRectF:
        """Where a note lies on the paper."""
        thick = max(4.0, min(12.0, self.scale * 0.85))
        top, foot = self.y_of(note.end), self.y_of(note.start)
        return QRectF(self.x_of(note.note) - thick / 2, top, thick, max(3.0, foot - top))

    def in_sight(self) -> range:
        """The places among which the notes in sight stand."""
        return self._seen(self.notes, self._reach)

    def _seen(self, notes: Sequence[Note], reach: Sequence[float]) -> range:
        top = self.span.start + (self.height() - FOOT) / self.span.pixels
        return range(bisect_left(reach, self.span.start), bisect_right(notes, top, key=attrgetter("start")))

    # -- scrolling ---------------------------------------------------------------------------------

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turn = event.angleDelta().y() / 120.0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(turn, self.height() - FOOT - event.position().y())
        else:
            self.scroll_to(self.span.start + turn * _SCROLL / self.span.pixels)
        event.accept()

    def zoom(self, steps: float, height: float) -> None:
        """Zoom about a height above the foot, in pixels."""
        span = self.span
        under = span.start + height / span.pixels
        span.pixels = max(4.0, min(400.0, span.pixels * 1.2**steps))
        self.scroll_to(under - height / span.pixels)

    def scroll_to(self, beat: float) -> None:
        """Have a beat at the foot."""
        self.span.start = beat
        self.span.clamp(self.height() - FOOT)
        self.scrolled.emit()

    def bring_to_sight(self, beat: float) -> None:
        """Scroll until a beat is in sight."""
        seen = (self.height() - FOOT) / self.span.pixels
        if not self.span.start <= beat <= self.span.start + 0.9 * seen:
            self.scroll_to(beat - 0.2 * seen)

    def scrolls(self, event: QKeyEvent) -> bool:
        """Scroll or zoom by a key; whether it was one for that."""
        span, page = self.span, float(self.height() - FOOT)
        pixels = {
            int(Qt.Key.Key_Up): _SCROLL,
            int(Qt.Key.Key_Down): -_SCROLL,
            int(Qt.Key.Key_PageUp): 0.9 * page,
            int(Qt.Key.Key_PageDown): -0.9 * page,
            int(Qt.Key.Key_Home): -(span.start + 1.0) * span.pixels,
            int(Qt.Key.Key_End): (span.length - span.start) * span.pixels,
        }.get(event.key())
        zoom = {"+": 1.0, "-": -1.0}.get(event.text())
        if pixels is not None:
            self.scroll_to(span.start + pixels / span.pixels)
        elif zoom is not None:
            self.zoom(zoom, page / 2)
        return pixels is not None or zoom is not None

    # -- for screen readers ------------------------------------------------------------------------

    def parts(self) -> list[PaintedPart]:
        if len(self.chosen) > _READ:
            return [PaintedPart(f"{counted(len(self.chosen), 'note')} chosen")]
        return [PaintedPart(_words(self.notes[place])) for place in sorted(self.chosen) if place < len(self.notes)]

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        painter.fillRect(self.rect(), theme.color(t.roll))
        self._paint_rules(painter, t)
        self._paint_beside(painter)
        self._paint_notes(painter, t)
        self._paint_lines(painter, t)  # they are level or upright throughout
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_ghosts(painter, t)
        span = self.span
        painter.setPen(QPen(theme.color(t.warning), 1.2, Qt.PenStyle.DotLine))
        for tap in span.taps:
            y = self.y_of(tap)
            painter.drawLine(QPointF(GUTTER, y), QPointF(self.width() - LANE, y))
        for beat, ink, width in ((span.cursor, t.second, 1.0), (span.playhead, t.warning, 2.0)):
            if beat is not None:
                y = self.y_of(beat)
                painter.setPen(QPen(theme.color(ink), width))
                painter.drawLine(QPointF(GUTTER, y), QPointF(self.width() - LANE, y))
        if not self.notes and not self.lines:
            painter.setFont(theme.label_font(13))
            painter.setPen(theme.color(t.second))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.empty_words)
        self._paint_keys(painter, t)

    def _paint_rules(self, painter: QPainter, t: theme.Theme) -> None:
        span, height, width = self.span, self.height() - FOOT, self.width() - LANE
        painter.fillRect(QRectF(0, 0, GUTTER, height), theme.color(t.field))
        painter.fillRect(QRectF(width, 0, LANE, height), theme.color(t.field))
        if span.loop is not None:
            top, foot = self.y_of(span.loop[1]), self.y_of(span.loop[0])
            painter.fillRect(QRectF(GUTTER - 5, top, 5, min(foot, height) - top), theme.color(t.ink))
        painter.setPen(theme.color(t.rule_strong))
        for note in range(-(-span.low // 12) * 12, span.high + 1, 12):
            painter.drawLine(QLineF(self.x_of(note), 0, self.x_of(note), height))
        painter.setFont(theme.number_font(11))
        numbered = -100.0
        for beat, bar in span.course.lines(span.start, self.beat_of(0.0)):
            y = self.y_of(beat)
            if not 0 <= y <= height or (bar is None and span.pixels < 8):
                continue
            painter.setPen(theme.color(t.rule_strong if bar is not None else t.rule))
            painter.drawLine(QLineF(GUTTER if bar is None else 0.0, y, width, y))
            if bar is not None and abs(y - numbered) > 14:
                numbered = y
                painter.setPen(theme.color(t.second))
                painter.drawText(QPointF(4, y - 3), str(bar))
        painter.setFont(theme.label_font(11, 600))
        painter.setPen(theme.color(t.second))
        for beat, name in span.course.sections:
            if 0 <= (y := self.y_of(beat)) <= height:
                painter.drawText(QPointF(GUTTER + 4, y - 3), name)

    def _paint_beside(self, painter: QPainter) -> None:
        foot = float(self.height() - FOOT)
        painter.setPen(Qt.PenStyle.NoPen)
        for one in self.beside:
            boxes = [self.box_of(one.notes[place]) for place in self._seen(one.notes, one.reach)]
            for box in boxes:
                box.setBottom(min(foot, box.bottom()))
            if boxes:
                painter.setBrush(theme.color(theme.roll_ink(one.ink), 0.3))
                painter.drawRects(*boxes)

    def _paint_notes(self, painter: QPainter, t: theme.Theme) -> None:
        shades: list[list[QRectF]] = [[] for _ in range(SHADES)]
        lane: list[QLineF] = []
        outlined: list[QRectF] = []
        chosen: list[QRectF] = []
        foot, edge = float(self.height() - FOOT), self.width() - LANE
        notes, start, pixels = self.notes, self.span.start, self.span.pixels
        scale, picked = self.scale, self.chosen
        thick = max(4.0, min(12.0, scale * 0.85))
        left = GUTTER + (0.5 - self.span.low) * scale - thick / 2
        bottom = foot + start * pixels
        for place in self.in_sight():
            note = notes[place]
            if note.end < start:
                continue
            y, top = bottom - note.start * pixels, bottom - note.end * pixels
            box = QRectF(left + note.note * scale, top, thick, max(3.0, min(foot, y) - top))
            if note.doubtful:
                outlined.append(box.adjusted(0.5, 0.5, -0.5, -0.5))
            else:
                shades[note.velocity * SHADES >> 7].append(box)
            if place in picked:
                chosen.append(box.adjusted(-1.5, -1.5, 1.5, 1.5))
            if y <= foot:
                lane.append(QLineF(edge + 3, y, edge + 3 + (LANE - 6) * note.velocity / 127.0, y))
        ink = theme.roll_ink(self.ink)
        painter.setPen(Qt.PenStyle.NoPen)
        for place, boxes in enumerate(shades):
            if boxes:
                painter.setBrush(theme.color(ink, 0.3 + 0.7 * place / (SHADES - 1)))
                painter.drawRects(*boxes)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if outlined:
            painter.setPen(QPen(theme.color(ink), 1.4, Qt.PenStyle.DashLine))
            painter.drawRects(*outlined)
        if lane:
            painter.setPen(QPen(theme.color(ink), 2.0))
            painter.drawLines(*lane)
        if chosen:
            painter.setPen(QPen(theme.color(t.ink), 1.6))
            painter.drawRects(*chosen)

    def _paint_lines(self, painter: QPainter, t: theme.Theme) -> None:
        span = self.span
        top = self.beat_of(0.0)
        wide = self.width() - GUTTER - LANE - 6
        for line, values in self.lines.items():
            strong = line == self.line
            begin = max(0, bisect_left(values, (span.start, -1.0)) - 1)
            end = min(len(values), bisect_right(values, (top, 999.0)) + 1)
            strokes = self._strokes(values[begin:end], wide)
            # Lines by themselves, of a colour that nothing shines through: many are drawn ten times as fast so.
            pen = QPen(theme.color(t.ink if strong else theme.mix(t.roll, t.ink, 0.6)), 2 if strong else 1)
            pen.setStyle(_STYLES.get(line.status & 0xF0, Qt.PenStyle.SolidLine))
            painter.setPen(pen)
            if strokes:
                painter.drawLines(*strokes)

    def _strokes(self, values: Sequence[tuple[float, float]], wide: float) -> list[QLineF]:
        """A line as level and upright strokes; all that falls on one row of pixels is one level stroke."""
        pixels, factor = self.span.pixels, wide / 127.0
        foot, left = self.height() - FOOT + self.span.start * pixels, GUTTER + 3.0
        strokes: list[QLineF] = []
        row, low, high, x = -1, 0.0, 0.0, 0.0
        for beat, value in values:
            y, at = int(foot - beat * pixels), left + value * factor
            if y != row:
                if row >= 0:
                    if high > low:
                        strokes.append(QLineF(low, row, high, row))
                    strokes.append(QLineF(x, row, x, y))
                row, low, high = y, min(x, at) if row >= 0 else at, max(x, at) if row >= 0 else at
            elif at < low:
                low = at
            elif at > high:
                high = at
            x = at
        if row >= 0:
            strokes.append(QLineF(low, row, high, row))
            strokes.append(QLineF(x, row, x, max(0.0, self.y_of(self.span.length))))
        return strokes

    def _paint_ghosts(self, painter: QPainter, t: theme.Theme) -> None:
        """What a remedy takes away as rings, what it puts there as ghosts."""
        gone, come = self.ghosts
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color(t.warning), 1.6))
        for note in self._of_sight(gone):
            box = self.box_of(note)
            painter.drawEllipse(QPointF(box.center().x(), self.y_of(note.start) - 3.0), 7.0, 7.0)
        painter.setPen(QPen(theme.color(t.ink), 1.2, Qt.PenStyle.DotLine))
        painter.setBrush(theme.color(t.ink, 0.12))
        for note in self._of_sight(come):
            painter.drawRect(self.box_of(note))

    def _of_sight(self, notes: Iterable[Note]) -> list[Note]:
        top = self.beat_of(0.0)
        return [note for note in notes if note.end >= self.span.start and note.start <= top][:4000]

    def _paint_keys(self, painter: QPainter, t: theme.Theme) -> None:
        span, scale, top = self.span, self.scale, self.height() - FOOT
        white = theme.DAY.roll if not t.dark else theme.mix(t.ink, t.roll, 0.15)
        painter.fillRect(QRectF(0, top, self.width(), FOOT), theme.color(t.field))
        painter.fillRect(QRectF(GUTTER, top, self.width() - GUTTER - LANE, FOOT), theme.color(white))
        painter.setFont(theme.label_font(11))
        for note in range(span.low, span.high + 1):
            x = self.x_of(note) - scale / 2
            if note % 12 in (1, 3, 6, 8, 10):
                painter.fillRect(QRectF(x, top, scale, 10), theme.color(theme.DAY.bar if not t.dark else t.desk))
            elif note % 12 == 0:
                painter.setPen(theme.color(theme.DAY.second))
                painter.drawText(QPointF(x + 1, self.height() - 4.0), written(note))
        painter.setPen(theme.color(t.second))
        painter.drawText(QRectF(self.width() - LANE, top, LANE, FOOT), Qt.AlignmentFlag.AlignCenter, "velocity")
        painter.setPen(theme.color(t.line))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(0, top, self.width() - 1, FOOT - 1))


def _reach(notes: Sequence[Note]) -> list[float]:
    """The farthest end up to each note: where those in sight begin is found by it, however long some are."""
    return list(accumulate((note.end for note in notes), max))
