"""The editor of Chord: the sounding chord on the ring, and one pane for each of the three ways."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtWidgets import QSizePolicy, QStackedWidget, QWidget

from arpegon.core.events import NOTE_OFF, NOTE_ON, Event
from arpegon.core.theory.chords import chord_name
from arpegon.core.theory.pitch import written
from arpegon.core.theory.scales import Key, stage_key
from arpegon.core.theory.voicing import within
from arpegon.core.time import studio
from arpegon.engine.wire.protocol import Passed
from arpegon.processors.stages.chord import chord_of, voiced
from arpegon.ui.bench.chord_key import KeyPane
from arpegon.ui.bench.chord_pads import PadsPane
from arpegon.ui.bench.chord_shape import ShapePane
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.controls.keyboard import MiniKeyboard
from arpegon.ui.controls.pitch_ring import PitchRing


class Panes(QStackedWidget):
    """As high as the pane in sight, not as the highest."""

    def show_pane(self, place: int) -> None:
        """Bring a pane into sight."""
        for number in range(self.count()):
            pane = self.widget(number)
            if pane is not None:
                pane.setVisible(number == place)
        self.setCurrentIndex(place)
        self.updateGeometry()

    def sizeHint(self) -> Any:
        pane = self.currentWidget()
        return pane.sizeHint() if pane is not None else super().sizeHint()

    def minimumSizeHint(self) -> Any:
        pane = self.currentWidget()
        return pane.minimumSizeHint() if pane is not None else super().minimumSizeHint()


class ChordEditor(StageEditor):
    """The way, its pane, and the voicing that all ways share."""

    def build(self) -> None:
        self._last: Event | None = None
        self._held: dict[tuple[int, int], list[int]] = {}
        self.box.addWidget(self.control("way"))
        self.shape = ShapePane(self)
        self.key = KeyPane(self)
        self.pads = PadsPane(self)
        self.panes: dict[str, QWidget] = {"shape": self.shape, "key": self.key, "pads": self.pads}
        self.stack = Panes()
        self.stack.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        for pane in self.panes.values():
            self.stack.addWidget(pane)
        self.box.addWidget(self.stack)
        self.box.addStretch(1)
        self.keys = MiniKeyboard(self.ink)
        self.keys.setToolTip("The keys of the chord that sounded last.")
        self.side.addWidget(self.keys)
        self.side.addLayout(self.grid("register", "inversion"))
        self.side.addLayout(self.grid("strum_ms", "strum"))
        self.side.addLayout(self.grid("spread", "lead"))

    @property
    def rings(self) -> list[PitchRing]:
        """The rings of all panes."""
        return [self.shape.ring, self.key.ring, self.pads.ring]

    @property
    def working_key(self) -> Key:
        """The key in which the stage works."""
        return stage_key(self.values, self.session.project.key)

    def show_values(self, values: dict[str, Any]) -> None:
        self.stack.show_pane(list(self.panes).index(values["way"]))
        self.controls["strum"].setEnabled(values["strum_ms"] > 0)
        for pane in (self.shape, self.key, self.pads):
            pane.show_values(values)
        self._show_chord()

    def hear(self, notes: Sequence[int]) -> None:
        """Sound notes for a moment, at the strand's destinations."""
        self.session.hear(self.strand.id, [note for note in notes if 0 <= note <= 127])

    # -- what sounds -------------------------------------------------------------------------------

    def passed(self, batch: Sequence[Passed]) -> None:
        now = studio.now()
        struck = False
        for one in batch:
            made = [event.data1 for event in one.out if event.kind == NOTE_ON]
            for note in made:
                for ring in self.rings:
                    ring.strike(note % 12, now)
            if one.event is None:
                # A strummed voice belongs to the key that was struck last.
                if made and self._last is not None:
                    key = (self._last.channel, self._last.data1)
                    self._held[key] = [*self._held.get(key, []), *made]
                    struck = True
                continue
            key = (one.event.channel, one.event.data1)
            if one.event.kind == NOTE_ON:
                struck = True
                self._last = one.event
                self._held[key] = made
                self.pads.grid.strike(one.event.data1, now)
            elif one.event.kind == NOTE_OFF:
                self._held.pop(key, None)
        if struck:
            self._show_chord()

    def tick(self, now: float) -> None:
        for ring in self.rings:
            if ring.isVisible():
                ring.tick(now)
        self.pads.grid.tick(now)

    def _show_chord(self) -> None:
        """The chord that sounds or sounded last; before any note, what middle C would give."""
        names = self.session.project.key.names
        base = self._last.data1 if self._last else 60
        sounding = sorted({note for notes in self._held.values() for note in notes})
        if not sounding:
            answer = chord_of(base, self.values, self.working_key) or [(base, 1.0)]
            sounding = sorted(note for note, _ in within(voiced(answer, self.values)))
        classes = {note % 12 for note in sounding}
        title = chord_name(sounding, names) or " ".join(names[pc] for pc in sorted(classes))
        keys = list(self._held) if len(self._held) > 1 else []
        subtitle = f"from {len(keys)} keys" if keys else f"from {written(base, names)}"
        for ring in (self.shape.ring, self.key.ring):
            ring.show_state(
                names=names,
                shape=classes,
                filled=classes,
                members=self.working_key.pitch_classes,
                title=title,
                subtitle=subtitle,
            )
        low = min([*sounding, 48]) // 12 * 12
        high = max([*sounding, 83]) // 12 * 12 + 11
        self.keys.show_notes(sounding, low, min(127, high))
