"""The readout: exactly what went into the selected stage and what came out."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Mapping, Sequence
from functools import partial

from PyQt6.QtCore import QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from arpegon.core.document.sections import position_in
from arpegon.core.events import BEND, CONTROL, NOTE_OFF, NOTE_ON, POLY_PRESSURE, PRESSURE, PROGRAM, Event
from arpegon.core.theory.controllers import cc_words
from arpegon.core.theory.pitch import written
from arpegon.core.time.clock import position_text
from arpegon.engine.wire.protocol import Passed
from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Still, painting
from arpegon.ui.model.hookup_words import controller_names
from arpegon.ui.model.session import Session
from arpegon.ui.parts.standard import caps

ROW = 26
_PICTURES = 40
"""Of rows that are kept: as many as are in sight."""
KEPT = 400
MADE, NOTHING, SAME, SAME_STROKE = "made here", "nothing came out", "the same", "the same stroke"
"""What is said of an event of the stage's own, of one that ended here, and of one that left as it came (a stroke: as it
was struck, whatever becomes of its length)."""


def event_words(event: Event, names: Sequence[str], own: Mapping[int, str] | None = None) -> tuple[str, str]:
    """An event's name and its value; ``own`` are names of controllers that come first."""
    kind = event.kind
    if kind == NOTE_ON:
        return written(event.data1, names), str(event.data2)
    if kind == NOTE_OFF:
        return f"{written(event.data1, names)} off", str(event.data2)
    if kind == CONTROL:
        return cc_words(event.data1, own), str(event.data2)
    if kind == POLY_PRESSURE:
        return f"{written(event.data1, names)} press", str(event.data2)
    if kind == PRESSURE:
        return "pressure", str(event.data1)
    if kind == BEND:
        return "bend", f"{event.bend:+d}"
    if kind == PROGRAM:
        return "program", str(event.data1)
    return "sysex", f"{len(event.payload)} bytes"


def short_name(event: Event) -> str:
    """A controller without what it is called, where there is no room for that; empty for others."""
    return f"CC {event.data1}" if event.kind == CONTROL else ""


def row_words(passed: Passed, names: Sequence[str], own: Mapping[int, str] | None = None) -> tuple[str, str, str, str]:
    """What went in and its value, what came out and its values."""
    if passed.event is None:
        made = [event_words(event, names, own) for event in passed.out]
        moves = all(event.kind == CONTROL for event in passed.out)
        once = [one[0] for one in made] if not moves else list(dict.fromkeys(one[0] for one in made))
        return MADE, "", " ".join(once), " ".join(one[1] for one in made)
    name, value = event_words(passed.event, names, own)
    if not passed.out:
        return name, value, NOTHING, ""
    if list(passed.out) == [passed.event]:
        return name, value, SAME_STROKE if passed.event.kind == NOTE_ON else SAME, value
    outs = [event_words(event, names, own) for event in passed.out if event.kind == passed.event.kind]
    outs = outs or [event_words(event, names, own) for event in passed.out]
    if len({out[0] for out in outs}) == 1 and passed.event.kind == CONTROL:
        outs = [(outs[0][0], " ".join(out[1] for out in outs))]  # one controller that moved several times
    values = [out[1] for out in outs]
    span = values[0] if len(set(values)) == 1 else " ".join(values)
    return name, value, " ".join(out[0].removesuffix(" off") for out in outs), span


class Rows(QWidget):
    """The rows, newest first."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.kept: deque[Passed] = deque(maxlen=KEPT)
        self._still = Still(kept=_PICTURES)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(ROW)

    def sizeHint(self) -> QSize:
        return QSize(360, 6 * ROW)

    def text_of(self, passed: Passed) -> tuple[str, str, str, str, str]:
        """One row as texts: where, in, its value, out, its values."""
        project = self.session.project
        where = "" if passed.beat is None else position_text(*position_in(self.session.piece.document, passed.beat))
        return (where, *row_words(passed, project.key.names, controller_names(project)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        with painting(self) as painter:
            width = float(self.width())
            if not self.kept:
                painter.setFont(theme.label_font(12))
                painter.setPen(theme.color(t.second))
                painter.drawText(
                    QRectF(0, 0, width, min(2 * ROW, self.height())),  # one row, where it has no more
                    Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap,
                    "Play: each event that passes here is listed with what it became.",
                )
                return
            count = self.height() // ROW
            for place, passed in enumerate(list(self.kept)[-count:][::-1]):
                if place % 2 == 0:
                    painter.fillRect(QRectF(0, place * ROW, width, ROW), theme.brush(t.roll))
                texts = self.text_of(passed)
                short = short_name(passed.event) if passed.event is not None else ""
                area = QRect(0, place * ROW, self.width(), ROW)
                self._still.draw(painter, self, (*texts, short), partial(self._paint_row, t, texts, short), area)

    def _paint_row(self, t: theme.Theme, texts: tuple[str, str, str, str, str], short: str, painter: QPainter) -> None:
        where, name, value, out, values = texts
        width = float(self.width())
        out_x = 0.45 * width
        centre = Qt.AlignmentFlag.AlignVCenter
        right = centre | Qt.AlignmentFlag.AlignRight
        painter.setFont(theme.number_font(12))
        painter.setPen(theme.color(t.second))
        painter.drawText(QRectF(6, 0, 78, ROW), centre, where or "at rest")
        painter.setPen(theme.color(t.ink))
        painter.drawText(QRectF(out_x - 46, 0, 36, ROW), right, value)
        values_width = min(0.24 * width, painter.fontMetrics().horizontalAdvance(values) + 4.0)
        shown = painter.fontMetrics().elidedText(values, Qt.TextElideMode.ElideRight, int(values_width))
        painter.drawText(QRectF(width - values_width - 6, 0, values_width, ROW), right, shown)
        painter.setFont(theme.label_font(13, 600))
        wide = out_x - 84 - (46 if value else 4)
        if painter.fontMetrics().horizontalAdvance(name) > wide:
            name = short or name
        draw_fitted(painter, QRectF(84, 0, wide, ROW), name)
        room = QRectF(out_x + 6, 0, width - out_x - values_width - 16, ROW)
        painter.setFont(theme.label_font(13, 600))
        painter.setPen(theme.color(t.second if out in (SAME, SAME_STROKE, NOTHING) else t.ink))
        draw_fitted(painter, room, out)


class Readout(QWidget):
    """Rows with their heading; can be held still and copied."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._held_back: deque[Passed] = deque(maxlen=KEPT)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        head = QHBoxLayout()
        head.setSpacing(2)
        for text, share in (("Went in", 45), ("Came out", 25)):
            head.addWidget(caps(text), share, Qt.AlignmentFlag.AlignVCenter)
        self.hold = QPushButton("hold")
        self.hold.setCheckable(True)
        self.hold.setToolTip("Hold the list still while music goes on (Ctrl+H).")
        self.hold.toggled.connect(self._hold)
        self.all = QPushButton("all")
        self.all.setCheckable(True)
        self.all.setToolTip("List note offs and every value of a controller, not only its last.")
        self.fold = QPushButton("fold")
        self.fold.setCheckable(True)
        self.fold.setToolTip("Only the last event, and all the rest for the editor.")
        copy = QPushButton("copy")
        copy.setToolTip("Copy the list as text (Ctrl+Shift+C).")
        copy.clicked.connect(self.copy)
        for button in (self.all, self.hold, copy, self.fold):
            button.setProperty("flat", True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            head.addWidget(button)
        box.addLayout(head)
        self.rows = Rows(session)
        box.addWidget(self.rows, 1)

    @property
    def min_height(self) -> int:
        """The height in pixels at which it shows one event."""
        return self.fold.sizeHint().height() + 2 + ROW

    def passed(self, batch: Iterable[Passed]) -> None:
        """List what passed."""
        into = self._held_back if self.hold.isChecked() else self.rows.kept
        for one in batch:
            if self.all.isChecked():
                into.append(one)
            elif one.event is None:
                struck = [event for event in one.out if event.kind != NOTE_OFF]
                if struck:
                    into.append(Passed(one.stage, one.beat, None, struck))
            elif one.event.kind != NOTE_OFF:
                _drop_older(into, one)
                into.append(one)
        self.rows.update()

    def clear(self) -> None:
        """Begin a new list."""
        self.rows.kept.clear()
        self._held_back.clear()
        self.hold.setChecked(False)
        self.rows.update()

    def text(self) -> str:
        """The whole list as text, oldest first, columns parted by tabs."""
        lines = ["\t".join(("position", "in", "value", "out", "values"))]
        lines += ["\t".join(self.rows.text_of(one)) for one in self.rows.kept]
        return "\n".join(lines)

    def copy(self) -> None:
        """Put the list on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.text())

    def _hold(self, on: bool) -> None:
        if not on:
            self.rows.kept.extend(self._held_back)
            self._held_back.clear()
            self.rows.update()


def _drop_older(kept: deque[Passed], one: Passed) -> None:
    """Of a controller that passes untouched only the last value is listed, so that it does not flood the notes."""
    if one.event is None or one.event.kind == NOTE_ON or list(one.out) != [one.event]:
        return
    for older in reversed(kept):
        if older.event is not None and older.event.status == one.event.status and older.event.data1 == one.event.data1:
            if list(older.out) == [older.event]:
                kept.remove(older)
            return
