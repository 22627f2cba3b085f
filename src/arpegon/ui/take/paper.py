"""The paper of a take as an editor: notes are chosen, moved, stretched, drawn and struck, lines are drawn."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable
from operator import attrgetter

import msgspec
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QMenu, QWidget

from arpegon.core.events import CONTROL
from arpegon.core.notes import lines
from arpegon.core.notes.sheet import Line, Note, Sheet
from arpegon.core.theory.controllers import cc_words
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys
from arpegon.ui.take.span import Span
from arpegon.ui.take.take_roll import FOOT, GUTTER, LANE, TakeRoll

_EDGE = 5.0
"""Pixels from an end of a note within which a drag stretches it."""
_DRAG = 3.0
"""Pixels that a press may move before it is a drag."""
_STAIRS = 16
"""To how many a line is thinned by a key; the remedy has a knob for it."""
_REMOVE, _STRAIGHT, _THIN = "Remove it", "Straighten it", "Thin it"
_LINE_ACTS: dict[str, tuple[str, Callable[[Sheet, Line, float, float], Sheet]]] = {
    _REMOVE: ("Remove values", lambda sheet, line, begin, end: sheet.with_line(line, begin, end, ())),
    _STRAIGHT: ("Straighten values", lines.straightened),
    _THIN: ("Thin values", lambda sheet, line, begin, end: lines.thinned(sheet, line, begin, end, _STAIRS)),
}
"""What can be done with a line between two beats: how it is called as an edit, and what it does."""
_VELOCITY_PIXELS = 1.5
"""Of sideways drag for one step of velocity on the ink."""
_K = Qt.Key
_M = Qt.KeyboardModifier


class TakePaper(OwnKeys, TakeRoll):
    """The paper of one version, to be edited.

    Signals:
        edited: an edit's name, the sheet that comes of it, and whether it goes on (a drag: one step of undo).
        settled: what went on is done.
        pointed: play from this beat.
        sounded: a note is to be heard, with its velocity.
        picked: other notes are chosen.
        other_picked: a note of another strand, which lies beneath, was clicked (the strand).
        asked: a key asks for something beyond the paper: ``copy``, ``cut``, ``paste``, ``grid`` or ``next-doubtful``.
    """

    own_keys = (
        *(_K.Key_Home, _K.Key_End, _K.Key_PageUp, _K.Key_PageDown, _K.Key_Plus, _K.Key_Minus, _K.Key_Delete),
        *(_K.Key_Up, _K.Key_Down, _K.Key_Left, _K.Key_Right, _K.Key_Return, _K.Key_Enter, _K.Key_Backspace),
        *(_K.Key_S, _K.Key_J, _K.Key_L, _K.Key_N, _K.Key_Q, _K.Key_D, _K.Key_T, _K.Key_Escape),
    )
    edited = pyqtSignal(str, object, bool)
    settled = pyqtSignal()
    pointed = pyqtSignal(float)
    sounded = pyqtSignal(int, int, int)
    picked = pyqtSignal()
    other_picked = pyqtSignal(str)
    asked = pyqtSignal(str)

    def __init__(self, span: Span, parent: QWidget | None = None) -> None:
        super().__init__(span, parent)
        self._pressed: QPointF | None = None
        self._made = ""
        """What the drag that goes on is called as an edit."""
        self._pen = QPointF()
        """Where the pen that draws a line was last."""
        self._does: Callable[[QPointF, Qt.KeyboardModifier], None] | None = None
        """What the drag does that goes on."""
        self._dragged = False
        self._before: tuple[Sheet, set[int]] = (Sheet(), set())
        self._frame: QRectF | None = None
        self.setMouseTracking(True)
        self.setAccessibleName("Take")
        self.setToolTip(
            "Click a note to choose it, Shift for more, drag over paper for many. Drag moves (Ctrl copies), its ends "
            "stretch, Alt and sideways strikes harder. Double click draws. Shift while dragging leaves the lines off. "
            "Del, S split, J join, L all alike, N new, Q onto the grid, Ctrl+D double; arrows move, with Shift they "
            "stretch, with Alt they strike. The left edge plays from there, a drag along it again and again; the "
            "right one sets velocities. On a line of values: S straight, T thin, Del out, arrows or Ctrl and a drag "
            "move them, in the span that is set or everywhere."
        )

    def claims(self, event: QKeyEvent) -> bool:
        held = event.modifiers() & ~_M.KeypadModifier
        if held == _M.ControlModifier and event.key() in (_K.Key_A, _K.Key_C, _K.Key_X, _K.Key_V, _K.Key_D):
            return True
        arrows = event.key() in (_K.Key_Up, _K.Key_Down, _K.Key_Left, _K.Key_Right)
        return super().claims(event) or (arrows and (bool(self.chosen) or self.line is not None))

    # -- finding -----------------------------------------------------------------------------------

    def at(self, spot: QPointF) -> int | None:
        """The place of the note under a spot; of several the one that begins last."""
        for place in reversed(self.in_sight()):
            if self.box_of(self.notes[place]).adjusted(-2, -2, 2, 2).contains(spot):
                return place
        return None

    def other_at(self, spot: QPointF) -> str | None:
        """The strand that lies beneath, of which a note is under a spot."""
        for one in self.beside:
            for place in self._seen(one.notes, one.reach):
                if self.box_of(one.notes[place]).contains(spot):
                    return one.strand
        return None

    def _in_lane(self, spot: QPointF) -> bool:
        return spot.x() > self.width() - LANE

    def choose(self, chosen: set[int]) -> None:
        """Choose these notes and no others."""
        self.chosen = chosen
        self.picked.emit()
        self.update()

    # -- edits -------------------------------------------------------------------------------------

    def put(self, label: str, made: tuple[Sheet, set[int]], goes_on: bool = False) -> None:
        """Have an edit done, and what came of it chosen."""
        sheet, chosen = made
        if goes_on and self._pressed is not None:
            self._show_drag(label, sheet)
        else:
            self.edited.emit(label, sheet, goes_on)
        self.choose(chosen)

    def _show_drag(self, label: str, sheet: Sheet) -> None:
        """Show what a drag makes; it is an edit once the button is let go."""
        self._made = label
        self.show_sheet(sheet, self.ink)

    def remove(self) -> None:
        """Take the chosen notes out."""
        if self.chosen:
            self.put("Remove notes", (self.sheet_shown.without(self.chosen), set()))

    def draw(self, beat: float, note: int, length: float | None = None) -> None:
        """Put a note on the paper."""
        made = Note(beat, beat + (length or self.span.step(beat)), note, 96, self._channel())
        self.put("Draw a note", self.sheet_shown.added([made]))
        self.sounded.emit(note, 96, made.channel)

    def _channel(self) -> int:
        """That of most notes here: a new one goes with them."""
        some = [self.notes[place].channel for place in self.chosen] or [note.channel for note in self.notes[:1]]
        return some[0] if some else 0

    # -- the mouse ---------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        spot, held = event.position(), event.modifiers()
        self._pressed, self._dragged, self._pen = spot, False, spot
        self._before = (self.sheet_shown, set(self.chosen))
        if spot.x() < GUTTER:
            self.span.cursor = self.span.snapped(self.beat_of(spot.y()), bool(held & _M.ShiftModifier))
            self._does = self._drag_loop
            return
        if self._in_lane(spot):
            self._does = self._strike_in_lane
            self._dragged = True
            self._strike_in_lane(spot, held)
            return
        if self.line is not None:
            if held & _M.ControlModifier:
                self._does = self._lift_line
                return
            self._does, self._dragged = self._draw_line, True
            self._draw_line(spot, held)
            return
        place = self.at(spot)
        other = self.other_at(spot) if place is None else None
        if other is not None:
            self._pressed = None
            self.other_picked.emit(other)
            return
        if place is None:
            self.span.cursor = self.span.snapped(self.beat_of(spot.y()), bool(held & _M.ShiftModifier))
            self._does = self._frame_notes
            if not held & _M.ShiftModifier:
                self.choose(set())
            self._before = (self.sheet_shown, set(self.chosen))
            return
        if held & _M.ShiftModifier:
            self.choose(self.chosen ^ {place})
        elif place not in self.chosen:
            self.choose({place})
        note = self.notes[place]
        self.sounded.emit(note.note, note.velocity, note.channel)
        box = self.box_of(note)
        self._before = (self.sheet_shown, set(self.chosen))
        if held & _M.AltModifier:
            self._does = self._strike
        elif box.height() > 3 * _EDGE and spot.y() - box.top() < _EDGE:
            self._does = lambda to, keys: self._stretch(to, keys, note, end=True)
        elif box.height() > 3 * _EDGE and box.bottom() - spot.y() < _EDGE:
            self._does = lambda to, keys: self._stretch(to, keys, note, end=False)
        else:
            self._does = lambda to, keys: self._move(to, keys, note)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None or self._does is None:
            return
        if not self._dragged and (event.position() - self._pressed).manhattanLength() < _DRAG:
            return
        self._dragged = True
        self._does(event.position(), event.modifiers())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._does == self._drag_loop and self._pressed is not None:
            # A drag sets the span that is played again and again; a click plays from there, with none.
            self.span.loop = self.span.loop if self._dragged else None
            self.pointed.emit(max(0.0, min(self.span.length, self.beat_of(self._pressed.y()))))
        label, self._made = self._made, ""
        if label and self.sheet_shown is not self._before[0]:
            self.edited.emit(label, self.sheet_shown, False)
        if self._pressed is not None and self._dragged:
            self.settled.emit()
        self._pressed, self._does, self._frame = None, None, None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or self.line is not None:
            return
        spot = event.position()
        if GUTTER <= spot.x() <= self.width() - LANE and self.at(spot) is None:
            step = self.span.step(self.beat_of(spot.y()))
            beat = self.span.snapped(self.beat_of(spot.y()) - 0.4 * step)
            self.draw(beat, self.note_of(spot.x()))

    def _beats(self, to: QPointF, held: Qt.KeyboardModifier, beat: float) -> float:
        """How far a beat is moved by the drag: so that it comes onto a line, unless Shift is held."""
        assert self._pressed is not None
        moved = beat + (self._pressed.y() - to.y()) / self.span.pixels
        return self.span.snapped(moved, bool(held & _M.ShiftModifier)) - beat

    def _move(self, to: QPointF, held: Qt.KeyboardModifier, note: Note) -> None:
        assert self._pressed is not None
        sheet, chosen = self._before
        beats = self._beats(to, held, note.start) if abs(self._pressed.y() - to.y()) >= _DRAG else 0.0
        semitones = self.note_of(to.x()) - self.note_of(self._pressed.x())
        copies = bool(held & _M.ControlModifier)
        heard = {self.notes[place].note for place in list(self.chosen)[:1]}
        made = (sheet.copied if copies else sheet.moved)(chosen, beats, semitones)
        self.put("Copy notes" if copies else "Move notes", made, goes_on=True)
        for place in list(self.chosen)[:1]:
            one = self.notes[place]
            if {one.note} != heard:
                self.sounded.emit(one.note, one.velocity, one.channel)

    def _stretch(self, to: QPointF, held: Qt.KeyboardModifier, note: Note, end: bool) -> None:
        sheet, chosen = self._before
        by = self._beats(to, held, note.end if end else note.start)
        self.put("Stretch notes", sheet.stretched(chosen, 0.0 if end else by, by if end else 0.0), goes_on=True)

    def _strike(self, to: QPointF, held: Qt.KeyboardModifier) -> None:
        assert self._pressed is not None
        sheet, chosen = self._before
        self.put("Velocity", sheet.struck(chosen, round((to.x() - self._pressed.x()) / _VELOCITY_PIXELS)), goes_on=True)

    def _strike_in_lane(self, to: QPointF, held: Qt.KeyboardModifier) -> None:
        """Set the velocity of the notes that begin at a height: of the chosen ones there, else of all there."""
        near = 5.0 / self.span.pixels
        beat = self.beat_of(to.y())
        first = bisect_left(self.notes, beat - near, key=attrgetter("start"))
        there: set[int] = set()
        for place in range(first, len(self.notes)):
            if self.notes[place].start > beat + near:
                break
            there.add(place)
        there = there & self.chosen or there
        if not there:
            return
        value = round(127.0 * (to.x() - (self.width() - LANE) - 3) / (LANE - 6))
        velocity = max(1, min(127, value))
        made = self.sheet_shown.changed(there, lambda note: (msgspec.structs.replace(note, velocity=velocity),))
        self._show_drag("Velocity", made[0])

    def _drag_loop(self, to: QPointF, held: Qt.KeyboardModifier) -> None:
        assert self._pressed is not None
        free = bool(held & _M.ShiftModifier)
        begin, end = sorted(self.span.snapped(self.beat_of(spot.y()), free) for spot in (self._pressed, to))
        self.span.loop = (begin, end) if end - begin > 0.05 else None
        self.scrolled.emit()

    def _frame_notes(self, to: QPointF, held: Qt.KeyboardModifier) -> None:
        assert self._pressed is not None
        frame = self._frame = QRectF(self._pressed, to).normalized()
        begin, end = self.beat_of(frame.bottom()), self.beat_of(frame.top())
        low, high = self.note_of(frame.left()), self.note_of(frame.right())
        self.choose(self._before[1] | self.sheet_shown.within(begin, end, low, high))

    def _draw_line(self, to: QPointF, held: Qt.KeyboardModifier) -> None:
        """Draw the chosen line from where the pen was to where it is; with Alt, straight from the press."""
        assert self._pressed is not None
        line = self.line
        if line is None:
            return
        straight = bool(held & _M.AltModifier)
        before = self._before[0] if straight else self.sheet_shown
        last = self._pressed if straight else self._pen
        begin, end = ((self.beat_of(spot.y()), self._value(spot.x())) for spot in (last, to))
        made = lines.drawn(line, begin, end)
        self._show_drag("Draw a line", before.with_line(line, made[0].time, made[-1].time, made))
        self._pen = to

    def _lift_line(self, to: QPointF, held: Qt.KeyboardModifier) -> None:
        """Move the values of the chosen line in the span sideways."""
        assert self._pressed is not None
        if self.line is not None:
            by = self._value(to.x()) - self._value(self._pressed.x())
            self._show_drag("Move values", lines.lifted(self._before[0], self.line, *self._line_span, by))

    @property
    def _line_span(self) -> tuple[float, float]:
        """Where keys and drags work on the chosen line: in the span that is set, else on all of it."""
        return self.span.loop or (0.0, max(self.span.length, self.sheet_shown.end))

    def _value(self, x: float) -> float:
        return max(0.0, min(127.0, 127.0 * (x - GUTTER - 3) / (self.width() - GUTTER - LANE - 6)))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        place = self.at(QPointF(event.pos()))
        if place is not None and place not in self.chosen:
            self.choose({place})
        menu = QMenu(self)
        if self.line is not None:
            self._offer_line(menu, self.line, self.beat_of(event.pos().y()))
            menu.exec(event.globalPos())
            return
        beat = self.span.snapped(self.beat_of(event.pos().y()))
        if self.chosen:
            menu.addAction("Split here", lambda: self.put("Split notes", self.sheet_shown.split(self.chosen, beat)))
            menu.addAction("Join", lambda: self.put("Join notes", self.sheet_shown.joined(self.chosen)))
            menu.addAction("Choose all alike", self.choose_alike)
            menu.addAction("Remove", self.remove)
            menu.addSeparator()
            menu.addAction("Copy", lambda: self.asked.emit("copy"))
            menu.addAction("Cut", lambda: self.asked.emit("cut"))
        menu.addAction("Paste at the line", lambda: self.asked.emit("paste"))
        menu.addAction("Choose all", lambda: self.choose(set(range(len(self.notes)))))
        menu.exec(event.globalPos())

    def _offer_line(self, menu: QMenu, line: Line, beat: float) -> None:
        """What can be done with the line that is drawn."""
        sheet, whole = self.sheet_shown, (0.0, max(self.span.length, self.sheet_shown.end))
        here = tuple(sorted((self.span.cursor, beat)))
        for where, (begin, end) in (("", whole), (" from the line to here", here)):
            for words, (label, work) in _LINE_ACTS.items():
                made = work(sheet, line, begin, end)
                menu.addAction(words + where, lambda label=label, made=made: self.put(label, (made, set())))
        if line.status & 0xF0 != CONTROL:
            return
        other = menu.addMenu("As another controller")
        for number in range(120) if other is not None else ():
            made = sheet.renumbered(line, number)
            other.addAction(  # type: ignore[union-attr]
                cc_words(number), lambda made=made: self.put("Another controller", (made, set()))
            )

    def choose_alike(self) -> None:
        """Choose all notes of the keys that are chosen."""
        self.choose(set().union(*(self.sheet_shown.like(place) for place in self.chosen)))

    # -- the keyboard ------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        held = event.modifiers() & ~_M.KeypadModifier
        if self.line is not None and self._line_keys(event, held, self.line):
            return
        if self._control_keys(event, held) or self._letters(event, held) or self._arrows(event, held):
            return
        if event.key() in (_K.Key_Return, _K.Key_Enter):
            self._keep_doubtful()
        elif not self.scrolls(event):
            super().keyPressEvent(event)

    def _control_keys(self, event: QKeyEvent, held: Qt.KeyboardModifier) -> bool:
        if held != _M.ControlModifier:
            return False
        asks = {_K.Key_C: "copy", _K.Key_X: "cut", _K.Key_V: "paste"}
        if event.key() in asks:
            self.asked.emit(asks[_K(event.key())])
        elif event.key() == _K.Key_A:
            self.choose(set(range(len(self.notes))))
        elif event.key() == _K.Key_D and self.chosen:
            some = [self.notes[place] for place in self.chosen]
            length = self.span.snapped(max(note.end for note in some) - min(note.start for note in some)) or 1.0
            self.put("Double notes", self.sheet_shown.copied(self.chosen, length))
        else:
            return False
        return True

    def _line_keys(self, event: QKeyEvent, held: Qt.KeyboardModifier, line: Line) -> bool:
        """Del takes the values of the span out, S makes them straight, T thins them, arrows move them."""
        sheet, (begin, end) = self.sheet_shown, self._line_span
        across = {_K.Key_Right: 1, _K.Key_Left: -1}.get(_K(event.key()), 0)
        if across and held in (_M.NoModifier, _M.ShiftModifier):
            by = across if held & _M.ShiftModifier else 4 * across
            self.put("Move values", (lines.lifted(sheet, line, begin, end, by), set()), goes_on=True)
            return True
        words = {_K.Key_Delete: _REMOVE, _K.Key_Backspace: _REMOVE, _K.Key_S: _STRAIGHT, _K.Key_T: _THIN}
        chosen = words.get(_K(event.key()))
        if chosen is None or held != _M.NoModifier:
            return False
        label, work = _LINE_ACTS[chosen]
        self.put(label, (work(sheet, line, begin, end), set()))
        return True

    def _letters(self, event: QKeyEvent, held: Qt.KeyboardModifier) -> bool:
        if held not in (_M.NoModifier, _M.ShiftModifier):
            return False
        sheet, chosen, span = self.sheet_shown, self.chosen, self.span
        acts: dict[int, Callable[[], object]] = {
            _K.Key_Delete: self.remove,
            _K.Key_Backspace: self.remove,
            _K.Key_S: lambda: self.put("Split notes", sheet.split(chosen, self._middle())),
            _K.Key_J: lambda: self.put("Join notes", sheet.joined(chosen)),
            _K.Key_L: self.choose_alike,
            _K.Key_N: lambda: self.draw(span.cursor, self._near_key()),
            _K.Key_Q: lambda: self.asked.emit("grid"),
            _K.Key_D: lambda: self.asked.emit("next-doubtful"),
            _K.Key_Escape: lambda: self.choose(set()),
        }
        act = acts.get(event.key())
        if act is None or (event.key() in (_K.Key_S, _K.Key_J, _K.Key_L) and not chosen):
            return False
        act()
        return True

    def _middle(self) -> float:
        """Where the keyboard splits: at the cursor, if a chosen note sounds there, else in the middle of the first."""
        some = [self.notes[place] for place in sorted(self.chosen)]
        if any(note.start < self.span.cursor < note.end for note in some):
            return self.span.cursor
        return (some[0].start + some[0].end) / 2.0

    def _near_key(self) -> int:
        before = bisect_left(self.notes, self.span.cursor, key=attrgetter("start")) - 1
        return self.notes[max(0, before)].note if self.notes else 60

    def _arrows(self, event: QKeyEvent, held: Qt.KeyboardModifier) -> bool:
        along = {_K.Key_Up: 1, _K.Key_Down: -1}.get(_K(event.key()), 0)
        across = {_K.Key_Right: 1, _K.Key_Left: -1}.get(_K(event.key()), 0)
        if not self.chosen or not (along or across):
            return False
        sheet, chosen = self.sheet_shown, self.chosen
        first = min(self.notes[place].start for place in chosen)
        step = self.span.step(first)
        if held & _M.AltModifier:
            self.put("Velocity", sheet.struck(chosen, 4 * (along or across)), goes_on=True)
        elif held & _M.ShiftModifier:
            self.put("Stretch notes", sheet.stretched(chosen, 0.0, step * along), goes_on=True)
        else:
            far = 12 if held & _M.ControlModifier else 1
            self.put("Move notes", sheet.moved(chosen, step * along, far * across), goes_on=True)
        for place in list(self.chosen)[:1]:
            one = self.notes[place]
            self.sounded.emit(one.note, one.velocity, one.channel)
        return True

    def _keep_doubtful(self) -> None:
        """Keep the doubtful ones of the chosen notes; where there are none, play from the cursor."""
        if any(self.notes[place].doubtful for place in self.chosen):
            made = self.sheet_shown.changed(self.chosen, lambda note: (msgspec.structs.replace(note, doubtful=False),))
            self.put("Keep doubtful notes", made)
            self.asked.emit("next-doubtful")
        else:
            self.pointed.emit(max(0.0, min(self.span.length, self.span.cursor)))

    def focusNextPrevChild(self, next: bool) -> bool:
        """Tab goes from one doubtful note to the next, then on to the next control."""
        if next and self.next_doubtful():
            return True
        return super().focusNextPrevChild(next)

    def next_doubtful(self) -> bool:
        """Choose the next doubtful note after the chosen ones; False where there is none."""
        last = max(self.chosen, default=-1)
        place = next((at for at in range(last + 1, len(self.notes)) if self.notes[at].doubtful), None)
        if place is None:
            return False
        self.choose({place})
        self.bring_to_sight(self.notes[place].start)
        return True

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        super().paint(painter, t)
        if self._frame is not None:
            painter.setPen(QPen(theme.color(t.ink), 1, Qt.PenStyle.DashLine))
            painter.setBrush(theme.color(t.ink, 0.06))
            painter.drawRect(
                self._frame.intersected(QRectF(GUTTER, 0, self.width() - GUTTER - LANE, self.height() - FOOT))
            )
        if self._dragged and self._pressed is not None and self.chosen and self.span.snap:
            # The line to which things snap.
            y = self.y_of(min(self.notes[place].start for place in self.chosen))
            painter.setPen(QPen(theme.color(t.second), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(GUTTER, y), QPointF(self.width() - LANE, y))
