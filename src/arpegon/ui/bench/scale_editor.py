"""The editor of Scale: the ring with the scale as a shape, and arrows from the notes outside."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout

from arpegon.core.theory.pitch import ascii_name, parse_pitch_class
from arpegon.core.theory.scales import stage_key
from arpegon.core.time import studio
from arpegon.engine.wire.protocol import Passed
from arpegon.processors.stages.scale import moves
from arpegon.ui.bench.editor import StageEditor, strokes
from arpegon.ui.controls.pitch_ring import PitchRing
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.standard import caps

_HINT = "Click a note on the ring, then the note it should become."


class ScaleEditor(StageEditor):
    """Root, scale and rule; single notes are redirected on the ring."""

    def build(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(16)
        self.ring = PitchRing(self.ink, playable=True)
        self.ring.setToolTip(
            "The scale as a shape; arrows show where notes outside it go. "
            "Click a note, then its target, to redirect it; click it twice to undo that."
        )
        self.ring.clicked.connect(self._clicked)
        row.addWidget(self.ring, 0, Qt.AlignmentFlag.AlignTop)
        side = QVBoxLayout()
        side.setSpacing(8)
        for key in ("root", "scale"):
            side.addWidget(self.captioned(key))
        side.addWidget(self.control("follow_key"))
        self.hint = Label(_HINT)
        self.hint.setProperty("role", "second")
        self.hint.setWordWrap(True)
        side.addWidget(self.hint)
        self.clear = QPushButton("Redirect none")
        self.clear.setToolTip("Take back all redirected notes.")
        self.clear.clicked.connect(lambda: self.set(targets=[]))
        side.addWidget(self.clear, 0, Qt.AlignmentFlag.AlignLeft)
        side.addStretch(1)
        row.addLayout(side, 1)
        self.box.addLayout(row)
        self.box.addWidget(caps("Outside notes go"))
        self.box.addWidget(self.control("rule"))

    def show_values(self, values: dict[str, Any]) -> None:
        key = stage_key(values, self.session.project.key)
        for name in ("root", "scale"):
            self.controls[name].setEnabled(not values["follow_key"])
        steps = moves(key, values["rule"], values["targets"])
        inside = key.pitch_classes
        arrows = {
            pitch_class: None if step is None else (pitch_class + step) % 12
            for pitch_class, step in enumerate(steps)
            if step != 0
        }
        fixed = {place for place, target in enumerate(values["targets"]) if target is not None}
        self.clear.setVisible(bool(fixed))
        self.names = key.names
        self.ring.show_state(
            names=key.names,
            shape=inside,
            members=inside,
            filled=(key.tonic,),
            arrows=arrows,
            fixed=fixed,
        )

    def _clicked(self, pitch_class: int) -> None:
        source = self.ring.armed
        if source is None:
            self.ring.show_state(armed=pitch_class)
            self.hint.setText(f"{self.names[pitch_class]} goes to … click a note, or {self.names[pitch_class]} again.")
            return
        self.ring.show_state(armed=None)
        self.hint.setText(_HINT)
        targets = list(self.values["targets"]) or [None] * 12
        before = targets[source]
        if source == pitch_class:
            # A second click takes a redirection back; a note that has none is made to stay itself.
            targets[source] = None if before is not None else ascii_name(self.names[source])
        else:
            targets[source] = ascii_name(self.names[pitch_class])
        if targets[source] is not None and parse_pitch_class(targets[source]) == source:
            natural = moves(stage_key(self.values, self.session.project.key), self.values["rule"])[source]
            if natural == 0:
                targets[source] = None
        self.set(targets=targets)

    def passed(self, batch: Sequence[Passed]) -> None:
        now = studio.now()
        for struck, made in strokes(batch):
            for event in (*([struck] if struck else ()), *made):
                self.ring.strike(event.data1 % 12, now)

    def tick(self, now: float) -> None:
        self.ring.tick(now)
