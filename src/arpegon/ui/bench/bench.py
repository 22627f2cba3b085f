"""The bench: what is selected, its editor, and the readout."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import msgspec
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from arpegon.core.document import edits
from arpegon.core.document.model import ActiveSource, Hookup, Strand
from arpegon.engine.wire.protocol import Telemetry
from arpegon.files.presets import Preset
from arpegon.processors import processor_class
from arpegon.processors.registry import LISTENINGS
from arpegon.ui.bench.destination_editor import DestinationEditor
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.bench.editors import EDITORS
from arpegon.ui.bench.empty_bench import EmptyBench
from arpegon.ui.bench.readout import Readout
from arpegon.ui.bench.source_editor import SourceEditor
from arpegon.ui.bench.strand_bench import StrandBench
from arpegon.ui.controls.divider import HEIGHT, Divider
from arpegon.ui.controls.elided import Elided
from arpegon.ui.controls.fold import Fold
from arpegon.ui.controls.more_edge import MoreEdge
from arpegon.ui.look.plain import Label, name_controls
from arpegon.ui.look.timers import one_shot
from arpegon.ui.model.change import Change
from arpegon.ui.model.selection import Selection
from arpegon.ui.model.session import Session
from arpegon.ui.model.words import destination_words, source_words
from arpegon.ui.parts import clipboard
from arpegon.ui.parts.bench_part import BenchPart
from arpegon.ui.parts.preset_picker import PresetPicker

NARROW, WIDE, WIDEST = 398, 720, 960
_SHORT = 330
"""Pixels beneath which editor and readout together leave no room to read in."""
_BOARD_BESIDE = 320
"""How much a wide bench leaves to the board, where there is room for that."""
_LEAST_BESIDE = 180
"""Pixels beside a bench that are of use to the board; where there are fewer, the bench has them."""
_GAPS = 54
"""Of margins, and between head, editor, divider and readout."""
_MIN_EDITOR = 120
_NEARLY = 60
_FOLDS_AT = 14

_ORDINALS = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth")


def place_words(strand: Strand, place: int) -> str:
    """Where a stage stands: "in Harbour bells, third of four"."""
    count = len(strand.stages)
    if count == 1:
        return f"in {strand.name}, its only stage"
    numbers = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
    total = numbers[count] if count < len(numbers) else str(count)
    ordinal = _ORDINALS[place] if place < len(_ORDINALS) else f"number {place + 1}"
    return f"in {strand.name}, {ordinal} of {total}"


class Bench(QWidget):
    """The panel beside the board."""

    widened = pyqtSignal(bool)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(NARROW)
        self.has_all = False
        """Whether there is no room for the board beside it."""
        self.editor: BenchPart = EmptyBench()
        self._shown: Selection | None = None
        self._fit_timer = one_shot(self, 0)
        self._fit_timer.timeout.connect(self._fit)
        self._reveal_timer = one_shot(self, 0)
        self._reveal_timer.timeout.connect(self._show_sought)
        self._sought: QWidget | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 12, 18, 10)
        box.setSpacing(8)
        self._top = self._head()
        box.addLayout(self._top)
        self._where = Label("")
        self._where.setProperty("role", "second")
        box.addWidget(self._where)
        self._area = QScrollArea(self)
        self._area.setWidgetResizable(True)
        self._area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._area.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        viewport = self._area.viewport()
        if viewport is not None:
            viewport.setAutoFillBackground(False)
        self.edge = MoreEdge(self._area)
        box.addWidget(self._area, 1)
        self.divider = Divider("Between the editor and the readout")
        self.divider.taken.connect(self._take_divider)
        self.divider.moved.connect(self._move_divider)
        self.divider.turned.connect(lambda: self.readout.fold.toggle())
        box.addWidget(self.divider)
        self.readout = Readout(session)
        self.readout.fold.setChecked(session.settings.readout_folded)
        self.readout.fold.toggled.connect(self._fold_readout)
        box.addWidget(self.readout)
        self._taken_at = 0
        self._columns = 1
        session.selected.connect(self.show_selection)
        session.changed.connect(self._changed)
        session.ports_changed.connect(self._ports)
        session.reported.connect(self._reported)
        session.hooking.set_live.connect(self._hooked)
        self.show_selection()

    def _hooked(self, target: str) -> None:
        self.editor.hooked(target)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.title = Elided("")
        self.title.setProperty("role", "name")
        row.addWidget(self.title, 1)
        self.presets = QPushButton("presets")
        self.presets.setProperty("flat", True)
        self.presets.setToolTip("Presets of this stage or strand: choose one, or keep this one (Ctrl+P).")
        self.presets.clicked.connect(self.open_presets)
        self.bypass = QPushButton("bypass")
        self.bypass.setProperty("flat", True)
        self.bypass.setCheckable(True)
        self.bypass.setToolTip("Let everything pass untouched (Ctrl+B); right click learns a control for it.")
        self.bypass.clicked.connect(self.toggle_bypass)
        self.bypass.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.bypass.customContextMenuRequested.connect(lambda _: self._learn_bypass())
        self.remove = QPushButton("remove")
        self.remove.setProperty("flat", True)
        self.remove.setToolTip("Take it out (Del); Ctrl+Z brings it back.")
        self.remove.clicked.connect(self.remove_selected)
        self.wide = QPushButton("wide")
        self.wide.setProperty("flat", True)
        self.wide.setCheckable(True)
        self.wide.setToolTip("A wide bench beside this strand alone (Ctrl+E).")
        self.wide.toggled.connect(self._widen)
        for button in (self.presets, self.bypass, self.remove, self.wide):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            row.addWidget(button)
        return row

    def _widen(self, on: bool) -> None:
        self._set_width(on)
        self._fit_soon()
        self.widened.emit(on)

    # -- showing -----------------------------------------------------------------------------------

    def show_selection(self) -> None:
        """Show what is selected."""
        chosen = self.session.selection
        strand = self.session.strand_of_selection()
        is_stage = bool(chosen.stage) and strand is not None
        self.bypass.setVisible(is_stage)
        self.presets.setVisible((is_stage or chosen.part == "strand") and strand is not None)
        self.remove.setVisible(chosen.part in ("stage", "source", "destination"))
        stage = strand.stage(chosen.stage) if is_stage and strand is not None else None
        # An audio source takes no events in, so there is nothing to read out: its editor shows what it hears.
        reads = is_stage and (stage is None or stage.kind not in LISTENINGS)
        self.readout.setVisible(reads)
        self.divider.setVisible(reads)
        self.readout.clear()
        self._shown = chosen
        if strand is None:
            self.title.setText("Bench")
            self._where.setText("nothing is selected")
            self._put(EmptyBench)
            return
        if stage is not None:
            editor = EDITORS.get(stage.kind, StageEditor)
            self._put(partial(editor, self.session, strand, stage))
        elif chosen.part == "source":
            self._put(partial(SourceEditor, self.session, strand.id, chosen.place))
        elif chosen.part == "destination":
            self._put(partial(DestinationEditor, self.session, strand.id, chosen.place))
        else:
            self._put(partial(StrandBench, self.session, strand))
        self._head_words(strand)

    def _put(self, make: Callable[..., BenchPart]) -> None:
        """Put a part onto the bench, made where it is to stand: what is moved in whole is fitted to the style anew."""
        holder = QWidget(self._area.viewport())
        holder.setObjectName("paper")
        try:
            editor = make(parent=holder)
        except BaseException:
            holder.deleteLater()
            raise
        self.editor.leave()
        self.editor, self._sought = editor, None
        editor.set_columns(self._columns)
        editor.setObjectName("paper")
        box = QVBoxLayout(holder)
        box.setContentsMargins(0, 2, 4, 4)
        box.addWidget(editor)
        for fold in editor.findChildren(Fold):
            fold.turned.connect(self._fit_soon)
        editor.shown_soon.connect(self._reveal)
        name_controls(holder)
        self._area.setWidget(holder)
        self._fit()
        self._fit_soon()

    def _reveal(self, control: QWidget) -> None:
        """Bring a control into sight once the layouts have settled."""
        self._sought = control
        self._reveal_timer.start()

    def _show_sought(self) -> None:
        control, self._sought = self._sought, None
        if control is not None:
            self._area.ensureWidgetVisible(control, 0, 40)
            control.setFocus(Qt.FocusReason.ShortcutFocusReason)

    @property
    def fits_soon(self) -> bool:
        """Whether its layouts have not yet settled."""
        return self._fit_timer.isActive()

    def _fit_soon(self) -> None:
        """Fit once the layouts have settled: what an editor asks for is known only then."""
        self._fit_timer.start()

    def _fit(self) -> None:
        """The readout gets what somebody gave it; else what the editor leaves, but a row or two at least."""
        holder = self._area.widget()
        if holder is None or self.readout.isHidden():
            self._area.setMaximumHeight(16_777_215)
            self._area.setMinimumHeight(0)
            return
        above = self._top.sizeHint().height() + self._where.sizeHint().height()
        room = self.height() - above - HEIGHT - _GAPS
        folded, chosen = self.readout.fold.isChecked() or room < _SHORT, self.session.settings.readout
        if folded:
            beneath = self.readout.min_height
        elif chosen is not None:
            beneath = min(max(self.readout.min_height, chosen), room - _MIN_EDITOR)
        else:
            wanted = holder.sizeHint().height() + 4 if self.editor.fitted else room
            beneath = max(self.readout.min_height, room - wanted)
        self._area.setFixedHeight(max(_MIN_EDITOR, room - beneath))
        self.readout.setFixedHeight(max(self.readout.min_height, beneath))
        self.edge.look()

    def _set_width(self, wide: bool) -> None:
        window = self.window()
        room = window.width() - _BOARD_BESIDE if window is not None else WIDE
        width = max(WIDE, min(room, WIDEST)) if wide else NARROW
        self.has_all = window is not None and window.width() - width < _LEAST_BESIDE
        self.setFixedWidth(window.width() if window is not None and self.has_all else width)
        columns = 1 if not wide else 3 if room >= WIDEST - _NEARLY else 2
        if columns != self._columns:
            self._columns = columns
            self.editor.set_columns(columns)

    def _take_divider(self) -> None:
        self._taken_at = self.readout.height()

    def _move_divider(self, by: int) -> None:
        """Give the readout more room or less; where there is no room for two rows it folds."""
        height = self._taken_at - by
        folds = height < self.readout.min_height + _FOLDS_AT
        if folds != self.readout.fold.isChecked():
            self.readout.fold.setChecked(folds)
        if not folds:
            self.session.change_settings(readout=height)
        self._fit()

    def _fold_readout(self, on: bool) -> None:
        self.session.change_settings(readout_folded=on)
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def window_resized(self) -> None:
        """There is more or less room beside it."""
        if self.wide.isChecked():
            self._set_width(True)

    def _head_words(self, strand: Strand) -> None:
        chosen = self.session.selection
        project = self.session.project
        if chosen.part == "stage":
            stage = next(one for one in strand.stages if one.id == chosen.stage)
            self.title.setText(processor_class(stage.kind).label)
            self._where.setText(place_words(strand, strand.stages.index(stage)))
            self.bypass.setChecked(stage.bypass)
        elif chosen.part == "source":
            source = strand.sources[chosen.place]
            self.title.setText(source_words(project, source)[0])
            self._where.setText(f"feeds {strand.name}")
            if isinstance(source, ActiveSource):
                self.bypass.setChecked(source.bypass)
        elif chosen.part == "destination":
            self.title.setText(destination_words(project, strand.destinations[chosen.place])[0])
            self._where.setText(f"where {strand.name} ends")
        else:
            self.title.setText(strand.name)
            self._where.setText("a strand without a stage" if not strand.stages else "a strand")

    def _changed(self, change: Change) -> None:
        strand = self.session.strand_of_selection()
        if strand is None or self._shown != self.session.selection:
            return
        if not self.editor.show_document():
            self.show_selection()
        self._head_words(strand)
        self._fit_soon()

    def _ports(self) -> None:
        self.editor.ports_changed()

    def _reported(self, telemetry: Telemetry) -> None:
        self.editor.reported(telemetry)
        mine = [one for one in telemetry.passed if one.stage == self.session.selection.stage]
        if mine:
            self.readout.passed(mine)

    def tick(self, now: float) -> None:
        """One frame."""
        self.editor.tick(now)

    # -- edits -------------------------------------------------------------------------------------

    def toggle_bypass(self) -> None:
        """Bypass the selected stage, or take it back in."""
        found = self.session.project.find_stage(self.session.selection.stage)
        if found is not None:
            stage = found[1]
            self.session.edit("Bypass", edits.set_bypass(self.session.project, stage.id, not stage.bypass))

    def _learn_bypass(self) -> None:
        """Hook a control up to the bypass of what stands on the bench."""
        if self.session.selection.stage:
            wanted = Hookup(id="", target=self.session.selection.stage, action="bypass", way="trigger")
            self.session.hooking.learn(wanted)

    def open_presets(self) -> None:
        """Offer the presets of what is selected: for a stage, of its kind; for a strand, whole strands."""
        strand, stage = clipboard.selected(self.session)
        if strand is None:
            self.session.notice("edit", "Select a stage or a strand first: its presets are offered here.")
            return

        def make(name: str) -> Preset | None:
            preset = clipboard.as_preset(self.session)
            return msgspec.structs.replace(preset, name=name) if preset is not None else None

        picker = PresetPicker(self.session, stage.kind if stage is not None else "strand", make, self)
        picker.chosen.connect(self._take_preset)
        picker.open_at(self.mapToGlobal(QPoint(self.width() - 14, 52)))

    def _take_preset(self, preset: Preset) -> None:
        _, stage = clipboard.selected(self.session)
        if stage is not None and preset.stage is not None and preset.kind == stage.kind:
            project = edits.replace_params(self.session.project, stage.id, preset.stage.params)
            self.session.edit(f"Preset {preset.name}", project)
        else:
            clipboard.put_in(self.session, preset)

    def remove_selected(self) -> None:
        """Take out what is selected."""
        chosen, project = self.session.selection, self.session.project
        if chosen.part == "stage":
            self.session.edit("Remove stage", edits.remove_stage(project, chosen.stage))
        elif chosen.part == "source":
            self.session.edit("Remove source", edits.set_source(project, chosen.strand, chosen.place, None))
        elif chosen.part == "destination":
            self.session.edit("Remove destination", edits.set_destination(project, chosen.strand, chosen.place, None))
