"""The board: all strands side by side."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from arpegon.core.document import edits
from arpegon.core.time import studio
from arpegon.core.time.clock import bar_beats
from arpegon.sound import SOUNDS
from arpegon.ui.board.column import NARROWEST, WIDEST, WIDTH, Column
from arpegon.ui.board.printing import BeatRuler
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Painted
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.model.change import Change
from arpegon.ui.model.selection import Selection
from arpegon.ui.model.session import Session
from arpegon.ui.parts import clipboard
from arpegon.ui.parts.preset_picker import PresetPicker

_FOLLOW_SECONDS = 0.1
_CLOSED, _CROWDED = 106, 42
_MANY = 5
_SCROLLED = 140
"""How wide columns are where not all of them fit."""
_BUTTONS_IN_A_ROW = 5


class NewStrand(Painted):
    """The empty place beside the last strand: choose a sound, and a strand sounds."""

    chosen = pyqtSignal(str)
    preset_asked = pyqtSignal()
    recipe_asked = pyqtSignal()
    opened = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._is_open = self._crowded = False
        box = self._box = QVBoxLayout(self)
        box.setContentsMargins(12, 22, 12, 18)
        box.setSpacing(8)
        self._title = Label("A new strand")
        self._title.setProperty("role", "title")
        self._text = Label(
            "What should it play? It hears the play surface at once; sources, stages and outputs can be changed."
        )
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
            button.setToolTip(tip(sound.summary))
            button.clicked.connect(lambda _=False, name=sound.name: self._choose(name))
            self.buttons[sound.name] = button
            box.addWidget(button)
        box.addStretch(1)
        self.presets = QPushButton("from a preset …")
        self.presets.setProperty("flat", True)
        self.presets.setToolTip("Put in a strand that was kept as a preset.")
        self.presets.clicked.connect(self.preset_asked)
        box.insertWidget(box.count() - 1, self.presets)
        self.recipes = QPushButton("from a recipe …")
        self.recipes.setProperty("flat", True)
        self.recipes.setToolTip("Worked set-ups that begin with what you want, or what is wrong.")
        self.recipes.clicked.connect(self.recipe_asked)
        box.insertWidget(box.count() - 1, self.recipes)
        self.show_sounds(False)

    def show_sounds(self, on: bool) -> None:
        """Offer the sounds, or only the button that leads to them."""
        for button in self.buttons.values():
            button.setVisible(on)
        self.presets.setVisible(on)
        self.recipes.setVisible(on)
        self.open_button.setVisible(not on)
        self._title.setVisible(on)
        self._text.setVisible(on)
        self._is_open = on
        self._take_width()
        self.opened.emit()
        if on:
            next(iter(self.buttons.values())).setFocus()

    def set_crowded(self, crowded: bool) -> None:
        """Take as little room as may be beside many strands."""
        if crowded != self._crowded:
            self._crowded = crowded
            self._take_width()

    def _take_width(self) -> None:
        small = self._crowded and not self._is_open
        self.open_button.setText("+" if self._crowded else "+ strand")
        self.open_button.setStyleSheet("padding: 4px 0;" if self._crowded else "")
        margin = 5 if small else 12
        self._box.setContentsMargins(margin, 22, margin, 18)
        self.setFixedWidth(WIDTH if self._is_open else _CROWDED if small else _CLOSED)

    def _choose(self, sound: str) -> None:
        self.show_sounds(False)
        self.chosen.emit(sound)

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, 400)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        painter.setPen(QPen(theme.color(theme.mix(t.desk, t.second, 0.5)), 1.2, Qt.PenStyle.DashLine))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 5, 5)


class EmptyBoard(QWidget):
    """What an empty board says."""

    chosen = pyqtSignal(str)
    demo = pyqtSignal()
    recipes = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        box = QVBoxLayout(self)
        box.setContentsMargins(40, 40, 40, 40)
        box.addStretch(1)
        title = Label("Play one thing, hear another")
        title.setProperty("role", "headline")
        text = Label(
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
        grid = QGridLayout()
        grid.setSpacing(8)
        row.addLayout(grid)
        self.buttons: dict[str, QPushButton] = {}
        for place, sound in enumerate(SOUNDS.values()):
            button = QPushButton(f"{sound.label}")
            button.setProperty("strong", True)
            button.setMinimumSize(130, 36)
            button.setToolTip(tip(sound.summary))
            button.clicked.connect(lambda _=False, name=sound.name: self.chosen.emit(name))
            self.buttons[sound.name] = button
            grid.addWidget(button, place // _BUTTONS_IN_A_ROW, place % _BUTTONS_IN_A_ROW)
        row.addStretch(1)
        box.addLayout(row)
        more = QHBoxLayout()
        more.addStretch(1)
        for words, asked in (
            ("or begin with a recipe: pedal, pads, chords, arpeggios …", self.recipes),
            ("or open the demo, “The Lamplighter’s Tide”", self.demo),
        ):
            button = QPushButton(words)
            button.setProperty("flat", True)
            button.clicked.connect(asked.emit)
            more.addWidget(button)
        more.addStretch(1)
        box.addLayout(more)
        box.addStretch(2)


class Desk(QWidget):
    """What lies in the scrolled area: as high as that is, whatever its wrapped texts would like."""

    def heightForWidth(self, width: int) -> int:
        return self.minimumSizeHint().height()


class Board(QWidget):
    """Columns in a row, scrolled where they do not fit."""

    demo = pyqtSignal()
    recipes = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setObjectName("desk")
        self.ruler = BeatRuler()
        self.columns: dict[str, Column] = {}
        self.only: str | None = None
        self.fit = True
        self.following = self._is_large = False
        self._followed_at = 0.0
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        self.empty = EmptyBoard()
        self.empty.chosen.connect(self.add_strand)
        self.empty.demo.connect(self.demo)
        self.empty.recipes.connect(self.recipes)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._desk = Desk()
        self._desk.setObjectName("desk")
        self._desk.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self._row = QHBoxLayout(self._desk)
        self._row.setContentsMargins(12, 10, 12, 10)
        self._row.setSpacing(8)
        self.new_strand = NewStrand()
        self.new_strand.chosen.connect(self.add_strand)
        self.new_strand.opened.connect(self._show_only)
        self.new_strand.preset_asked.connect(self.offer_strands)
        self.new_strand.recipe_asked.connect(self.recipes)
        self._row.addWidget(self.new_strand)
        self._row.addStretch(1)
        self.area.setWidget(self._desk)
        outer.addWidget(self.empty)
        outer.addWidget(self.area)
        session.changed.connect(self._changed)
        session.selected.connect(self._selected)
        session.paths.broken.connect(self._breaks)
        theme.changed.connect(self.update)
        self.moves = False
        """Whether any paper moves."""
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
                column.set_large(self._is_large)
                self._row.insertWidget(place, column)
            else:
                shown.refresh(strand)
                if self._row.indexOf(shown) != place:
                    self._row.removeWidget(shown)
                    self._row.insertWidget(place, shown)
        self._show_only()

    def _changed(self, change: Change) -> None:
        """Show what changed: of a stage that is turned, its column alone."""
        if change.fields:
            self.refresh()
        else:
            for strand in self.session.project.strands:
                if strand.id in change.strands:
                    self.columns[strand.id].refresh(strand)

    def show_only(self, strand_id: str | None) -> None:
        """Show one strand only (the bench is wide), or all."""
        self.only = strand_id
        self._show_only()

    def _show_only(self) -> None:
        only = self.only if self.only in self.columns else None
        self.new_strand.set_crowded(len(self.columns) > _MANY)
        for strand_id, column in self.columns.items():
            column.setVisible(only is None or strand_id == only)
            column.set_width(max(WIDTH, self.width() - 24) if strand_id == only else self._column_width())
        self.new_strand.setVisible(only is None)

    def _column_width(self) -> int:
        """Columns share the room; they grow where there is much, and get narrow before they are scrolled: if they must
        be, they have the room for their names."""
        if not self.fit:
            return WIDTH
        room = self.width() - 24 - self.new_strand.width() - 8
        shared = room // max(1, len(self.columns)) - 8
        return _SCROLLED if shared < NARROWEST else min(WIDEST, shared)

    def set_large(self, on: bool) -> None:
        """Larger, to be read from afar."""
        self._is_large = on
        for column in self.columns.values():
            column.set_large(on)

    def set_fit(self, fit: bool) -> None:
        """Fit all columns into the window, or give each its room and scroll."""
        self.fit = fit
        self._show_only()

    def offer_strands(self) -> None:
        """Offer strands that were kept as presets."""
        self.new_strand.show_sounds(False)
        picker = PresetPicker(self.session, "strand", parent=self)
        picker.chosen.connect(lambda preset: clipboard.put_in(self.session, preset))
        picker.open_at(self.mapToGlobal(QPoint(self.width() - 20, 60)))

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
        origin = self.session.piece.origin
        ruler.beat = self.session.beat_at(now) - origin if told.playing else now / 60.0 * told.tempo
        ruler.seconds_per_beat = 60.0 / told.tempo
        ruler.beats_per_bar = bar_beats(self.session.project.meter)
        fresh = now - told.now < 0.3
        self.moves = False
        for column in self._in_sight():
            self.moves |= column.tick(told.playing, told.meters if fresh else {})
        if self.following and now - self._followed_at > _FOLLOW_SECONDS:
            self._followed_at = now
            for column in self.columns.values():
                column.show_trail(now)

    def _in_sight(self) -> Iterator[Column]:
        """The columns that are not scrolled out of sight."""
        bar, viewport = self.area.horizontalScrollBar(), self.area.viewport()
        if bar is None or viewport is None:
            return
        left = bar.value()
        right = left + viewport.width()
        for column in self.columns.values():
            if column.isVisible() and column.x() < right and column.x() + column.width() > left:
                yield column

    def follow(self, on: bool) -> None:
        """Write the way of the last note on the rolls of every strand, or stop that."""
        self.following = on
        if not on:
            for column in self.columns.values():
                column.show_trail(None)

    def frame(self) -> None:
        """One frame, now."""
        self.tick(studio.now())

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
