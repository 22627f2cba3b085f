"""What the bench offers for a strand as a whole: its name and colour, what is sent along, stages to add."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import Strand
from arpegon.processors import GENERATORS, WORKS
from arpegon.processors.registry import GROUPS
from arpegon.processors.targets import OFFSET
from arpegon.ui.controls.choices import Picker, ToggleSwitch
from arpegon.ui.controls.slider import Slider
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.model.session import Session
from arpegon.ui.parts import clipboard
from arpegon.ui.parts.bench_part import BenchPart
from arpegon.ui.parts.standard import caps, under_caption

_IN_A_ROW = 3


_VALUES = ("1/64", "1/32", "1/16T", "1/16", "1/8T", "1/8", "1/4")
_OFFSETS = {
    "": "no note value",
    **{f"-{value}": f"{value} earlier" for value in reversed(_VALUES)},
    **{value: f"{value} later" for value in _VALUES},
}


class StrandBench(BenchPart):
    """Edits a strand."""

    def __init__(self, session: Session, strand: Strand, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.strand = strand
        self._offsets = _OFFSETS
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(10)
        self.hint = Label(
            "It sounds already: play the keyboard below, with the mouse or the computer's keys. "
            "Now put a stage between what you play and what you hear."
        )
        self.hint.setWordWrap(True)
        self.hint.setProperty("role", "second")
        box.addWidget(self.hint)
        self.name = QLineEdit()
        self.name.setToolTip("The name of the strand, and of its track in MIDI files.")
        self.name.editingFinished.connect(self._rename)
        head = QHBoxLayout()
        head.setSpacing(14)
        head.addWidget(under_caption("Name", self.name), 1)
        head.addWidget(under_caption("Colour", self._swatches()))
        box.addLayout(head)
        self.along = ToggleSwitch(
            "Send the source along",
            "What the sources bring also goes to the destinations untouched, beside what the stages make of it. "
            "Off, only what the stages made is heard.",
        )
        self.along.toggled.connect(lambda on: self._set("Send the source along", along=on))
        box.addWidget(self.along)
        self.plays_on = ToggleSwitch(
            "Play on when the transport stops",
            "Its clips and what makes notes by itself go on when the transport stops, until it is stopped once more.",
        )
        self.plays_on.toggled.connect(lambda on: self._set("Play on", plays_on=on))
        box.addWidget(self.plays_on)
        self.offset_ms = Slider(OFFSET, theme.ink(3))
        self.offset_ms.moved.connect(lambda value: self._set("Time of the strand", "offset", offset_ms=float(value)))
        self.offset_ms.settled.connect(self.session.settle)
        self.offset = Picker(_OFFSETS, "A note value by which it is played later, or earlier; all others wait then.")
        self.offset.chosen.connect(lambda value: self._set("Time of the strand", offset=value))
        line = QHBoxLayout()
        line.setSpacing(14)
        line.addWidget(self.offset_ms, 3)
        line.addWidget(self.offset, 2, Qt.AlignmentFlag.AlignBottom)
        box.addLayout(line)
        box.addWidget(caps("Add a stage"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(6)
        row = 0
        for group, processors in GROUPS.items():
            label = Label(group)
            label.setProperty("role", "second")
            grid.addWidget(label, row, 0)
            for place, processor in enumerate(processors):
                button = QPushButton(f"+ {processor.label}")
                button.setStyleSheet("padding: 4px 6px;")
                button.setToolTip(tip(processor.summary))
                button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                button.clicked.connect(lambda _=False, kind=processor.kind: self._add(kind))
                grid.addWidget(button, row + place // _IN_A_ROW, place % _IN_A_ROW + 1)
            row += -(-len(processors) // _IN_A_ROW)
        grid.setColumnStretch(4, 1)
        box.addLayout(grid)
        box.addWidget(caps("Add a source that plays by itself"))
        sources = QHBoxLayout()
        sources.setSpacing(6)
        for processor in GENERATORS.values():
            button = QPushButton(f"+ {processor.label}")
            button.setToolTip(tip(processor.summary))
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _=False, kind=processor.kind: self._add(kind))
            sources.addWidget(button)
        sources.addStretch(1)
        box.addLayout(sources)
        box.addStretch(1)
        self.refresh(strand)

    def _swatches(self) -> QWidget:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        self.inks: list[QPushButton] = []
        for number, name in enumerate(theme.INK_NAMES):
            button = QPushButton("")
            button.setFixedSize(20, 24)
            button.setToolTip(tip(f"Print this strand in {name}."))
            button.setAccessibleName(name)
            button.clicked.connect(lambda _=False, number=number: self._set("Colour", ink=number))
            self.inks.append(button)
            row.addWidget(button)
        row.addStretch(1)
        return holder

    def show_document(self) -> bool:
        strand = self.session.project.strand(self.strand.id)
        if strand is not None:
            self.refresh(strand)
        return True

    def refresh(self, strand: Strand) -> None:
        """Show a strand as it is now."""
        self.strand = strand
        self.hint.setVisible(not strand.stages)
        if not self.name.hasFocus():
            self.name.setText(strand.name)
        self.along.set_value(strand.along)
        self.plays_on.set_value(strand.plays_on)
        self.offset_ms.set_value(strand.offset_ms)
        if strand.offset not in self._offsets:
            self._offsets = {**self._offsets, strand.offset: strand.offset}
            self.offset.set_options(self._offsets)
        self.offset.set_value(strand.offset)
        mine = self.session.ink_number(strand.id) % len(theme.INKS)
        t = theme.theme()
        for number, button in enumerate(self.inks):
            edge = f"3px solid {t.ink}" if number == mine else f"1px solid {t.line}"
            button.setStyleSheet(f"background: {theme.ink(number)}; border: {edge}; border-radius: 4px;")

    def _set(self, label: str, merge: str = "", **changes: object) -> None:
        project = edits.set_strand(self.session.project, self.strand.id, **changes)
        self.session.edit(label, project, f"{self.strand.id}:{merge}" if merge else None)

    def _rename(self) -> None:
        name = self.name.text().strip()
        if name and name != self.strand.name:
            self._set(f"Rename to {name}", name=name)

    def _add(self, kind: str) -> None:
        stage = clipboard.fresh_stage(kind)
        clipboard.put_stage(self.session, self.strand.id, stage, None, f"Add {WORKS[kind].label}")
