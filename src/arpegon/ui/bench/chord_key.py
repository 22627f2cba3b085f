"""Chord's second way: the chords that the key gives on its degrees."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from arpegon.core.theory.chords import chord_name
from arpegon.processors.stages.chord import key_chord
from arpegon.processors.stages.pads import pad_notes
from arpegon.ui.controls.chord_palette import ChordPalette
from arpegon.ui.controls.pitch_ring import PitchRing
from arpegon.ui.parts.standard import caps

if TYPE_CHECKING:
    from arpegon.ui.bench.chord_editor import ChordEditor


class KeyPane(QWidget):
    """The ring, the key, and its chords to hear."""

    def __init__(self, editor: ChordEditor) -> None:
        super().__init__()
        self.editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        row = QHBoxLayout()
        row.setSpacing(14)
        self.ring = PitchRing(editor.ink, playable=True)
        self.ring.setToolTip("The chord that sounded last within the key. Click a note to hear the key's chord on it.")
        self.ring.clicked.connect(self._hear_on)
        row.addWidget(self.ring, 0, Qt.AlignmentFlag.AlignTop)
        side = QVBoxLayout()
        side.setSpacing(7)
        side.addWidget(editor.captioned("stack"))
        side.addWidget(editor.captioned("root"))
        side.addWidget(editor.captioned("scale"))
        side.addWidget(editor.control("follow_key"))
        side.addStretch(1)
        row.addLayout(side, 1)
        box.addLayout(row)
        box.addWidget(caps("The chords of the key"))
        self.palette_ = ChordPalette(editor.ink, "The chords that the degrees give; click to hear one.")
        self.palette_.chosen.connect(lambda pad: editor.hear(pad_notes(pad, editor.working_key)))
        box.addWidget(self.palette_)
        box.addWidget(editor.captioned("outside"))

    def show_values(self, values: dict[str, Any]) -> None:
        """Show the chords of the key."""
        key = self.editor.working_key
        for name in ("root", "scale"):
            self.editor.controls[name].setEnabled(not values["follow_key"])
        chips = []
        for degree in range(1, len(key.intervals) + 1):
            pad = {"degree": degree, "stack": values["stack"]}
            notes = pad_notes(pad, key)
            name = chord_name(notes, key.names) or " ".join(key.names[note % 12] for note in notes)
            chips.append((name, pad, True))
        self.palette_.show_chips(chips)

    def _hear_on(self, pitch_class: int) -> None:
        values = self.editor.values
        self.editor.hear(key_chord(60 + pitch_class, values["stack"], values["outside"], self.editor.working_key))
