"""Chord's first way: one shape on every key, its voices as rows."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from arpegon.ui.bench.voice_row import VoiceRow
from arpegon.ui.controls.pitch_ring import PitchRing
from arpegon.ui.parts.standard import caps

if TYPE_CHECKING:
    from arpegon.ui.bench.chord_editor import ChordEditor

_MAX = 8
_SUGGESTED = (7, 4, 12, -12, 10, 3, 14, 19)


class ShapePane(QWidget):
    """The ring, and the voices that are added to each key."""

    def __init__(self, editor: ChordEditor) -> None:
        super().__init__()
        self.editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        row.setSpacing(12)
        self.ring = PitchRing(editor.ink)
        self.ring.setToolTip("The chord that sounded last, as a shape, and its name.")
        row.addWidget(self.ring, 0, Qt.AlignmentFlag.AlignTop)
        self._side = QVBoxLayout()
        self._side.setSpacing(5)
        self._side.addWidget(caps("Voices added"))
        self.rows: list[VoiceRow] = []
        self.add = QPushButton("+ add a voice")
        self.add.setToolTip("Add a voice to every key, up to eight.")
        self.add.clicked.connect(self._add_voice)
        self._side.addWidget(self.add)
        self._side.addStretch(1)
        row.addLayout(self._side, 1)
        box.addLayout(row)
        box.addWidget(editor.control("keep_root"))

    def show_values(self, values: dict[str, Any]) -> None:
        """Show the voices."""
        offsets = values["offsets"]
        levels = [*values["levels"], *[1.0] * _MAX]
        while len(self.rows) < len(offsets):
            voice = VoiceRow(len(self.rows), self.editor.ink)
            voice.changed.connect(self._change_voice)
            voice.removed.connect(self._remove_voice)
            self._side.insertWidget(1 + len(self.rows), voice)
            self.rows.append(voice)
        while len(self.rows) > len(offsets):
            gone = self.rows.pop()
            self._side.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        for voice, offset, level in zip(self.rows, offsets, levels, strict=False):
            voice.show_voice(offset, level)
        self.add.setVisible(len(offsets) < _MAX)

    def _voices(self) -> tuple[list[int], list[float]]:
        values = self.editor.values
        offsets = list(values["offsets"])
        return offsets, [*values["levels"], *[1.0] * len(offsets)][: len(offsets)]

    def _store(self, offsets: list[int], levels: list[float], settled: bool = True) -> None:
        kept = levels if any(level != 1.0 for level in levels) else []
        self.editor.set(settled, offsets=offsets, levels=kept)

    def _add_voice(self) -> None:
        offsets, levels = self._voices()
        fresh = next((offset for offset in _SUGGESTED if offset not in offsets), 0)
        self._store([*offsets, fresh], [*levels, 1.0])

    def _change_voice(self, place: int, offset: int, level: float, settled: bool) -> None:
        offsets, levels = self._voices()
        if place < len(offsets):
            offsets[place], levels[place] = offset, level
            self._store(offsets, levels, settled)

    def _remove_voice(self, place: int) -> None:
        offsets, levels = self._voices()
        del offsets[place : place + 1], levels[place : place + 1]
        self._store(offsets, levels)
