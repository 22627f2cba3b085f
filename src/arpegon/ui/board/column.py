"""A strand on the board: a column of source pills, rolls, stages and destinations."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from arpegon.core.document.mending import mend_label
from arpegon.core.document.model import (
    AnyDestination,
    InstrumentDestination,
    Strand,
)
from arpegon.core.notes.taps import rolls_of
from arpegon.processors import processor_class
from arpegon.ui.board.chain import Chain
from arpegon.ui.board.column_acts import ColumnActs
from arpegon.ui.board.ends import DestinationRow, SourcePill
from arpegon.ui.board.key_strip import KeyStrip
from arpegon.ui.board.printing import BeatRuler
from arpegon.ui.board.stage_bar import StageBar
from arpegon.ui.board.trail import trail
from arpegon.ui.controls import arrows
from arpegon.ui.controls.name_field import NameField
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Painted
from arpegon.ui.look.plain import Label, tip, unmarked
from arpegon.ui.model.hookup_words import controller_names
from arpegon.ui.model.selection import NOTHING, Selection
from arpegon.ui.model.session import Session
from arpegon.ui.model.words import destination_words, source_words
from arpegon.ui.parts.hook_handle import offer_hookup

NARROWEST, WIDTH, WIDEST = 72, 208, 300
COMPACT, TIGHT = 180, 128
"""Columns narrower than the first have their buttons beneath the name, than the second only the fewest words."""

_EASE = 0.19
"""How much nearer a range comes in each frame to where the notes are."""


class Column(Painted):
    """One strand.

    Signals:
        walked: the keyboard leaves this column to the left (-1) or right (1).
        dragging: a stage is dragged over the board (its id, the global position; dropped or not).
    """

    walked = pyqtSignal(str, int)
    dragging = pyqtSignal(str, QPoint, bool)

    def __init__(self, session: Session, strand: Strand, ruler: BeatRuler, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.strand = strand
        self.ruler = ruler
        self.acts = ColumnActs(self)
        self.ink = session.ink_number(strand.id)
        self.setFixedWidth(WIDTH)
        self.compact = self.tight = self._is_large = False
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._signature: object = None
        self.bars: list[StageBar] = []
        self.pills: list[SourcePill] = []
        self.rows: list[DestinationRow] = []
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(2, 10, 2, 8)
        self._layout.setSpacing(0)
        self._drop_line = QFrame(self)
        self._drop_line.setFixedHeight(4)
        self._drop_line.hide()
        self.refresh(strand)

    # -- building ----------------------------------------------------------------------------------

    def refresh(self, strand: Strand) -> None:
        """Show a strand; what did not change in shape stays."""
        self.strand = strand
        self.ink = self.session.ink_number(strand.id)
        paper = self.session.paper(strand.id)
        signature = (
            self.ink,
            tuple((stage.id, stage.kind) for stage in strand.stages),
            len(strand.sources),
            [_meter_of(destination) for destination in strand.destinations],
            id(paper),
            (self.compact, self.tight),
            strand.along,
        )
        if signature != self._signature:
            self._signature = signature
            self._build()
        hooked = {one.target for one in self.session.project.hookups}
        own = controller_names(self.session.project)
        for bar, stage in zip(self.bars, strand.stages, strict=True):
            if bar.stage is not stage or bar.hooked != (stage.id in hooked) or bar.own != own:
                bar.show_stage(stage, stage.id in hooked, own)
        for pill, source in zip(self.pills, strand.sources, strict=True):
            pill.show_words(*source_words(self.session.project, source))
            pill.show_hooked(getattr(source, "id", "") in hooked)
        for row, destination in zip(self.rows, strand.destinations, strict=True):
            row.show_words(*destination_words(self.session.project, destination))
        self._name.setText(strand.name)
        self._solo.setChecked(strand.solo)
        self._mute.setChecked(strand.muted)
        self.show_selection()
        self.show_break()
        self.update()

    def set_width(self, width: int) -> None:
        """Take a width; narrow columns lay out their head in two rows."""
        self.setFixedWidth(width)
        shape = (width < COMPACT, width < TIGHT)
        if shape != (self.compact, self.tight):
            self.compact, self.tight = shape
            self.refresh(self.strand)

    def set_large(self, on: bool) -> None:
        """Larger, to be read from afar."""
        self._is_large = on
        self._name.set_large(on)
        for bar in self.bars:
            bar.set_large(on)

    def _build(self) -> None:
        focused = self._focused_stage()
        while self._layout.count():
            item = self._layout.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.bars, self.pills, self.rows = [], [], []
        self._layout.addWidget(self._head())
        self._build_sources()
        self._build_chain()
        self._build_destinations()
        self.set_large(self._is_large)
        if focused is not None:
            for bar in self.bars:
                if bar.stage.id == focused:
                    bar.setFocus()

    def _focused_stage(self) -> str | None:
        return next((bar.stage.id for bar in self.bars if bar.hasFocus()), None)

    def _head(self) -> QWidget:
        head = QWidget()
        rows = QVBoxLayout(head)
        rows.setContentsMargins(8, 0, 5, 4)
        rows.setSpacing(0)
        row = QHBoxLayout()
        row.setSpacing(0)
        self._name = NameField(self.strand.name)
        self._name.renamed.connect(self.acts.rename)
        self._name.clicked.connect(lambda: self.session.select(Selection(self.strand.id, "strand")))
        self._solo = self._toggle("solo", "Hear only this strand (and others that are solo).")
        self._solo.clicked.connect(lambda on: self.acts.set("Solo", solo=on))
        self._mute = self._toggle("mute", "Silence this strand; its rolls go on printing.")
        for button, action in ((self._solo, "solo"), (self._mute, "mute")):
            offer_hookup(self.session.hooking, button, self.strand.id, action=action)
        self._mute.clicked.connect(lambda on: self.acts.set("Mute", muted=on))
        more = self._toggle("⋯", "Rename, add a source or destination, move, remove.")
        more.setCheckable(False)
        more.clicked.connect(lambda: self.acts.menu(more.mapToGlobal(QPoint(0, more.height()))))
        if self.compact:
            rows.setContentsMargins(6, 0, 2, 4)
            rows.addWidget(self._name)
        else:
            row.addWidget(self._name, 1)
        row.addWidget(self._solo)
        row.addWidget(self._mute)
        if self.compact:
            row.addStretch(1)
        row.addWidget(more)
        rows.addLayout(row)
        return head

    def _toggle(self, text: str, help_text: str) -> QPushButton:
        button = QPushButton(text)
        button.setProperty("flat", True)
        button.setCheckable(True)
        button.setProperty("tight", True)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.setToolTip(tip(help_text))
        tight = self.compact
        metrics = QFontMetrics(theme.label_font(11 if tight else 12))
        button.setFixedSize(metrics.horizontalAdvance(text) + (4 if tight else 7), 20 if tight else 22)
        button.setStyleSheet(f"padding: 0; text-align: left; font-size: {11 if tight else 12}px;")
        return button

    def _build_sources(self) -> None:
        project = self.session.project
        for place, source in enumerate(self.strand.sources):
            pill = SourcePill(place, *source_words(project, source), self.ink)
            pill.chosen.connect(lambda place: self.acts.select(part="source", place=place))
            pill.asked.connect(self.acts.source_menu)
            pill.pressed_key.connect(lambda place, event: self._key("source", place, event))
            holder = QWidget(self)
            inset = QHBoxLayout(holder)
            inset.setContentsMargins(5, 0, 5, 1)
            inset.addWidget(pill)
            self._layout.addWidget(holder)
            self.pills.append(pill)
        if not self.strand.sources:
            add = QPushButton("+ source")
            add.clicked.connect(lambda: self.acts.add_source_menu(add.mapToGlobal(QPoint(0, add.height()))))
            self._layout.addWidget(add)

    def _build_chain(self) -> None:
        paper = self.session.paper(self.strand.id)
        places = rolls_of(stage.id for stage in self.strand.stages)
        for stage in self.strand.stages:
            bar = StageBar(stage, self.ink, self)
            bar.chosen.connect(self.session.select_stage)
            bar.bypassed.connect(self.acts.bypass)
            bar.asked.connect(self.acts.stage_menu)
            bar.pressed_key.connect(self._stage_key)
            bar.dragged.connect(lambda stage, place: self.dragging.emit(stage, place, False))
            bar.dropped.connect(lambda stage, place: self.dragging.emit(stage, place, True))
            self.bars.append(bar)
        self.chain = Chain(paper, places, self.bars, self.ruler, self.ink, self)
        for roll in self.chain.rolls:
            stages = self.strand.stages[: roll.number]
            after = f"leaves {processor_class(stages[-1].kind).label}" if stages else "comes in"
            roll.setAccessibleName(f"What {after} in {self.strand.name}")
            roll.asked.connect(self.acts.offer_stages)
        self._layout.addWidget(self.chain, 1)
        self._keys = KeyStrip(paper, places[-1], self.ink)
        holder = QWidget(self)
        inset = QHBoxLayout(holder)
        inset.setContentsMargins(6, 0, 6, 0)
        inset.addWidget(self._keys)
        self._layout.addWidget(holder)

    def _build_destinations(self) -> None:
        foot = QWidget(self)
        box = QVBoxLayout(foot)
        box.setContentsMargins(6, 5, 6, 0)
        box.setSpacing(1)
        project = self.session.project
        for place, destination in enumerate(self.strand.destinations):
            row = DestinationRow(place, *destination_words(project, destination), self.ink, _meter_of(destination))
            row.chosen.connect(lambda place: self.acts.select(part="destination", place=place))
            row.asked.connect(self.acts.destination_menu)
            row.pressed_key.connect(lambda place, event: self._key("destination", place, event))
            box.addWidget(row)
            self.rows.append(row)
        if self.strand.along:
            along = Label("+ source" if self.tight else "the source is sent along")
            along.setProperty("role", "second")
            along.setWordWrap(True)
            along.setToolTip("What the sources bring also goes out untouched, beside what the stages make of it.")
            box.addWidget(along)
        self._reason = NameField("", "warning")
        self._reason.setWordWrap(True)
        self._reason.setCursor(Qt.CursorShape.PointingHandCursor)
        self._reason.clicked.connect(self._go_to_break)
        box.addWidget(self._reason)
        line = QHBoxLayout()
        self._mend = QPushButton("")
        self._mend.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._mend.setStyleSheet("padding: 1px 7px; font-size: 12px;")
        self._mend.clicked.connect(self._mend_break)
        line.addWidget(self._mend)
        line.addStretch(1)
        add = QPushButton("+ stage")
        add.setProperty("flat", True)
        add.setToolTip("Add a processor at the end of this strand (Ins). Right click on a roll adds one there.")
        add.clicked.connect(
            lambda: self.acts.offer_stages(len(self.strand.stages), add.mapToGlobal(QPoint(0, add.height())))
        )
        line.addWidget(add)
        box.addLayout(line)
        self._layout.addWidget(foot)

    # -- showing -----------------------------------------------------------------------------------

    def show_selection(self) -> None:
        """Mark what stands on the bench."""
        chosen = self.session.selection
        mine = chosen.strand == self.strand.id
        for bar in self.bars:
            bar.set_selected(mine and chosen.part == "stage" and chosen.stage == bar.stage.id)
        for part, rows in (("source", self.pills), ("destination", self.rows)):
            for row in rows:
                row.set_selected(mine and chosen.part == part and chosen.place == row.place)

    def show_break(self) -> None:
        """Say why the strand is silent, if it is."""
        found = self.session.paths.breaks.get(self.strand.id)
        self._reason.setText("" if not found else "silent" if self.tight else f"silent: {found.reason}")
        self._reason.setToolTip(tip(f"Silent: {found.reason}. Click to go there." if found else ""))
        self._reason.setVisible(found is not None)
        label = mend_label(found) if found else None
        self._mend.setText(unmarked(label or ""))
        self._mend.setVisible(label is not None and not self.tight)

    def _go_to_break(self) -> None:
        found = self.session.paths.breaks.get(self.strand.id)
        if found is not None:
            self.session.paths.go_to(found)

    def _mend_break(self) -> None:
        found = self.session.paths.breaks.get(self.strand.id)
        if found is not None:
            self.session.paths.mend(found)

    def show_trail(self, now: float | None) -> None:
        """Write on the rolls what the last note became (``None``: take that away)."""
        marks = []
        if now is not None:
            lines = self.session.paper(self.strand.id).lines
            marks = trail(self.strand, lines, self.session.project.key.names, now)
        self.chain.show_marks(marks)

    def tick(self, playing: bool, meters: dict[str, float]) -> bool:
        """One frame; whether any paper moves."""
        eased = self.session.paper(self.strand.id).ease(_EASE)
        moves = self.chain.tick(playing or eased)
        self._keys.tick()
        for row in self.rows:
            if row.meter is not None:
                row.set_level(meters.get(row.meter, 0.0))
        return moves

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        painter.setPen(QPen(theme.color(t.line), 1))
        painter.setBrush(theme.color(t.paper))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 1.5, -0.5, -0.5), 4, 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(theme.ink(self.ink)))
        painter.drawRoundedRect(QRectF(0, 0, self.width(), 4), 2, 2)

    # -- dragging ----------------------------------------------------------------------------------

    def place_at(self, y: int, moved: str) -> int:
        """The place among the stages (without the moved one) for a height in this column."""
        others = [bar for bar in self.bars if bar.stage.id != moved]
        return sum(1 for bar in others if bar.mapTo(self, bar.rect().center()).y() < y)

    def show_drop(self, place: int | None, moved: str) -> None:
        """Show where a dragged stage would go; ``None`` takes the mark away."""
        if place is None:
            self._drop_line.hide()
            return
        others = [bar for bar in self.bars if bar.stage.id != moved]
        if others and place < len(others):
            y = others[place].mapTo(self, QPoint()).y() - 10
        elif others:
            y = others[-1].mapTo(self, others[-1].rect().bottomLeft()).y() + 8
        else:
            y = self.height() // 3
        self._drop_line.setStyleSheet(f"background: {theme.ink(self.ink)}; border-radius: 2px;")
        self._drop_line.setGeometry(6, y, self.width() - 12, 4)
        self._drop_line.show()
        self._drop_line.raise_()

    def rename(self) -> None:
        """Let the name be typed."""
        self._name.rename()

    # -- keyboard ----------------------------------------------------------------------------------

    def parts(self) -> list[QWidget]:
        """Everything in this column that can be selected, from top to bottom."""
        return [*self.pills, *self.bars, *self.rows]

    def focus_part(self, place: int) -> None:
        """Focus and select the part at a place, or the nearest there is."""
        parts = self.parts()
        if not parts:
            return
        widget = parts[max(0, min(len(parts) - 1, place))]
        widget.setFocus()
        if isinstance(widget, StageBar):
            self.session.select_stage(widget.stage.id)
        elif isinstance(widget, SourcePill):
            self.acts.select("source", widget.place)
        elif isinstance(widget, DestinationRow):
            self.acts.select("destination", widget.place)

    def _walk(self, event: QKeyEvent) -> bool:
        here = next((place for place, part in enumerate(self.parts()) if part.hasFocus()), 0)
        sideways, upwards, key = arrows.sideways(event), arrows.upwards(event), event.key()
        if upwards:
            self.focus_part(here - upwards)
        elif sideways:
            self.walked.emit(self.strand.id, sideways)
        elif key == Qt.Key.Key_Insert:
            self.acts.offer_stages(len(self.strand.stages), self.mapToGlobal(self.rect().center()))
        elif key == Qt.Key.Key_Escape:
            self.session.select(NOTHING)
        else:
            return False
        return True

    def _key(self, part: str, place: int, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete:
            self.acts.remove_end(part, place)
            event.accept()
        elif self._walk(event):
            event.accept()

    def _stage_key(self, stage_id: str, event: QKeyEvent) -> None:
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if alt and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.acts.move(stage_id, 1 if event.key() == Qt.Key.Key_Down else -1)
            event.accept()
        elif event.key() == Qt.Key.Key_Delete:
            self.acts.remove(stage_id)
            event.accept()
        elif self._walk(event):
            event.accept()


def _meter_of(destination: AnyDestination) -> str | None:
    """The instrument whose level a destination shows."""
    return destination.instrument if isinstance(destination, InstrumentDestination) else None
