"""The board: all strands side by side."""

from __future__ import annotations

import time

from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from arpegon.core import edits
from arpegon.core.clock import bar_beats
from arpegon.sound import SOUNDS
from arpegon.ui import theme
from arpegon.ui.board.column import WIDEST, WIDTH, Column
from arpegon.ui.board.roll_view import BeatRuler
from arpegon.ui.session import Selection, Session


class NewStrand(QWidget):
    """The empty place beside the last strand: choose a sound, and a strand sounds."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(WIDTH)
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 22, 18, 18)
        box.setSpacing(8)
        self._title = QLabel("A new strand")
        self._title.setProperty("role", "title")
        self._text = QLabel("")
        self._text.setProperty("role", "desk")
        self._text.setWordWrap(True)
        self.open_button = QPushButton("+ strand")
        self.open_button.setToolTip("Add a strand from the play surface to an instrument (Ctrl+T).")
        self.open_button.clicked.connect(lambda: self.show_sounds(True))
        box.addWidget(self._title)
        box.addWidget(self._text)
        box.addWidget(self.open_button)
        self.buttons: dict[str, QPushButton] = {}
        for sound in SOUNDS.values():
            button = QPushButton(sound.label)
            button.setToolTip(sound.summary)
            button.clicked.connect(lambda _=False, name=sound.name: self._choose(name))
            self.buttons[sound.name] = button
            box.addWidget(button)
        box.addStretch(1)
        self.show_sounds(False)

    def show_sounds(self, on: bool) -> None:
        """Offer the sounds, or only the button that leads to them."""
        for button in self.buttons.values():
            button.setVisible(on)
        self.open_button.setVisible(not on)
        self._title.setVisible(on)
        self._text.setText(
            "What should it play? It hears the play surface at once; sources, stages and outputs can be changed."
            if on
            else ""
        )
        self._text.setVisible(on)
        if on:
            next(iter(self.buttons.values())).setFocus()

    def _choose(self, sound: str) -> None:
        self.show_sounds(False)
        self.chosen.emit(sound)

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, 400)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(
            QPen(theme.color(theme.mix(theme.theme().desk, theme.theme().second, 0.5)), 1.2, Qt.PenStyle.DashLine)
        )
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 5, 5)


class EmptyBoard(QWidget):
    """What an empty board says."""

    chosen = pyqtSignal(str)
    demo = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        box = QVBoxLayout(self)
        box.setContentsMargins(40, 40, 40, 40)
        box.addStretch(1)
        title = QLabel("Play one thing, hear another")
        title.setProperty("role", "headline")
        text = QLabel(
            "A strand is one path of music: what you play goes in at the top, each stage changes it, an instrument\n"
            "or a MIDI output at the foot sounds it, and paper between the stages shows what every step did.\n"
            "Choose a sound for the first strand; it can be played at once with mouse, computer keys or MIDI."
        )
        text.setProperty("role", "desk")
        for label in (title, text):
            label.setAlignment(Qt.AlignmentFlag.AlignCenter)
            box.addWidget(label)
        box.addSpacing(14)
        row = QHBoxLayout()
        row.addStretch(1)
        self.buttons: dict[str, QPushButton] = {}
        for sound in SOUNDS.values():
            button = QPushButton(f"{sound.label}")
            button.setProperty("strong", True)
            button.setMinimumSize(130, 36)
            button.setToolTip(sound.summary)
            button.clicked.connect(lambda _=False, name=sound.name: self.chosen.emit(name))
            self.buttons[sound.name] = button
            row.addWidget(button)
        row.addStretch(1)
        box.addLayout(row)
        demo = QPushButton("or open the demo, “The Lamplighter’s Tide”")
        demo.setProperty("flat", True)
        demo.clicked.connect(self.demo.emit)
        box.addWidget(demo, 0, Qt.AlignmentFlag.AlignCenter)
        box.addStretch(2)


class Board(QWidget):
    """Columns in a row, scrolled where they do not fit."""

    demo = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setObjectName("desk")
        self.ruler = BeatRuler()
        self.columns: dict[str, Column] = {}
        self.only: str | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        self.empty = EmptyBoard()
        self.empty.chosen.connect(self.add_strand)
        self.empty.demo.connect(self.demo)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._desk = QWidget()
        self._desk.setObjectName("desk")
        self._desk.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self._row = QHBoxLayout(self._desk)
        self._row.setContentsMargins(12, 10, 12, 10)
        self._row.setSpacing(8)
        self.new_strand = NewStrand()
        self.new_strand.chosen.connect(self.add_strand)
        self._row.addWidget(self.new_strand)
        self._row.addStretch(1)
        self.area.setWidget(self._desk)
        outer.addWidget(self.empty)
        outer.addWidget(self.area)
        session.changed.connect(self.refresh)
        session.selected.connect(self._selected)
        session.broken.connect(self._breaks)
        theme.changed.connect(self.update)
        self.refresh()

    def refresh(self) -> None:
        """Show the document."""
        strands = self.session.project.strands
        self.empty.setVisible(not strands)
        self.area.setVisible(bool(strands))
        known = {strand.id for strand in strands}
        for strand_id in [strand_id for strand_id in self.columns if strand_id not in known]:
            column = self.columns.pop(strand_id)
            self._row.removeWidget(column)
            column.hide()
            column.deleteLater()
        for place, strand in enumerate(strands):
            shown = self.columns.get(strand.id)
            if shown is None:
                column = self.columns[strand.id] = Column(self.session, strand, self.ruler, self._desk)
                column.walked.connect(self._walk)
                column.dragging.connect(self._drag)
                self._row.insertWidget(place, column)
            else:
                shown.refresh(strand)
                if self._row.indexOf(shown) != place:
                    self._row.removeWidget(shown)
                    self._row.insertWidget(place, shown)
        self._show_only()

    def show_only(self, strand_id: str | None) -> None:
        """Show one strand only (the bench is wide), or all."""
        self.only = strand_id
        self._show_only()

    def _show_only(self) -> None:
        only = self.only if self.only in self.columns else None
        for strand_id, column in self.columns.items():
            column.setVisible(only is None or strand_id == only)
            column.setFixedWidth(max(WIDTH, self.width() - 24) if strand_id == only else self._column_width())
        self.new_strand.setVisible(only is None)

    def _column_width(self) -> int:
        """Columns grow where there is room for all of them and the place for a new one."""
        room = self.width() - 24 - WIDTH - 8
        return max(WIDTH, min(WIDEST, room // max(1, len(self.columns)) - 8))

    def add_strand(self, sound: str) -> None:
        """A new strand that sounds at once."""
        project, strand_id = edits.add_strand(self.session.project, SOUNDS[sound].label, sound)
        self.session.edit("Add strand", project)
        self.session.select(Selection(strand_id, "strand"))
        column = self.columns[strand_id]
        self.area.ensureWidgetVisible(column)
        # The computer keys are to play it, not to press the button that made it.
        self.setFocus()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._show_only()

    def tick(self, now: float) -> None:
        """One frame."""
        told = self.session.telemetry
        ruler = self.ruler
        ruler.now = now
        ruler.beat = self.session.beat_at(now) if told.playing else now / 60.0 * told.tempo
        ruler.seconds_per_beat = 60.0 / told.tempo
        ruler.beats_per_bar = bar_beats(self.session.project.meter)
        fresh = now - told.now < 0.3
        for column in self.columns.values():
            if not column.visibleRegion().isEmpty():
                column.tick(told.playing, told.meters if fresh else {})

    def frame(self) -> None:
        """One frame, now."""
        self.tick(time.monotonic())

    def _selected(self) -> None:
        for column in self.columns.values():
            column.show_selection()

    def _breaks(self) -> None:
        for column in self.columns.values():
            column.show_break()

    def _walk(self, strand_id: str, step: int) -> None:
        ids = [strand.id for strand in self.session.project.strands]
        here = self.columns[strand_id]
        place = next((place for place, part in enumerate(here.parts()) if part.hasFocus()), 0)
        target = ids.index(strand_id) + step
        if 0 <= target < len(ids):
            column = self.columns[ids[target]]
            self.area.ensureWidgetVisible(column)
            column.focus_part(place)

    def _drag(self, stage_id: str, where: QPoint, dropped: bool) -> None:
        target: tuple[Column, int] | None = None
        for column in self.columns.values():
            local = column.mapFromGlobal(where)
            if column.isVisible() and column.rect().contains(local):
                target = column, column.place_at(local.y(), stage_id)
            else:
                column.show_drop(None, stage_id)
        if target is None:
            return
        column, place = target
        if not dropped:
            column.show_drop(place, stage_id)
            return
        column.show_drop(None, stage_id)
        project = edits.move_stage(self.session.project, stage_id, column.strand.id, place)
        self.session.edit("Move stage", project)
        self.session.select_stage(stage_id)
