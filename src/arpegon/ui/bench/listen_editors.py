"""The editors of audio sources: strokes and melodies."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from arpegon.core.document.model import Stage, Strand
from arpegon.core.processing.values import curve, placed
from arpegon.core.theory.pitch import written
from arpegon.listen.heard import HeardNote, Sight
from arpegon.listen.melody_window import latency_of
from arpegon.ui.bench.audio_box import AudioBox
from arpegon.ui.bench.calibration_box import CalibrationBox
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.controls.cents import CentsView
from arpegon.ui.controls.curve_view import CurveView
from arpegon.ui.controls.hits_scope import HitsScope
from arpegon.ui.controls.pitch_scope import PitchScope
from arpegon.ui.controls.zone_keys import ZoneKeys
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.standard import caps


class ListenEditor(StageEditor):
    """What both have in common: what is listened to, and how a level becomes a velocity."""

    columns = 3

    def touch(self) -> QVBoxLayout:
        """The response with the notes as points, beside its settings."""
        box = QVBoxLayout()
        box.setSpacing(8)
        box.addWidget(self.control("shape"))
        row = QHBoxLayout()
        row.setSpacing(16)
        self.response = CurveView(self.ink, lowest=0)
        self.response.setToolTip(
            "From the softest to the loudest, to the right, to velocity, upwards; each note leaves a dot. Drawn: click "
            "sets a point, drag moves it, the right button takes it away."
        )
        self.response.drawn.connect(lambda points: self.set(False, points=points))
        self.response.settled.connect(self.session.settle)
        row.addWidget(self.response, 0, Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout()
        column.setSpacing(6)
        for key in ("soft_db", "loud_db", "low", "high"):
            column.addWidget(self.control(key))
        column.addStretch(1)
        row.addLayout(column, 1)
        box.addLayout(row)
        return box

    def refresh(self, strand: Strand, stage: Stage) -> None:
        super().refresh(strand, stage)
        self.audio.show_source()

    def ports_changed(self) -> None:
        self.audio.show_source()

    def build(self) -> None:
        self.audio = AudioBox(self)
        self.box.addWidget(self.audio)

    def show_touch(self, values: dict[str, Any]) -> None:
        """Show the response."""
        low, high = sorted((values["low"], values["high"]))
        shape = curve(values["shape"], values["points"])
        line = [low + shape(came / 127.0) * (high - low) for came in range(128)]
        points = values["points"] if values["shape"] == "drawn" else None
        self.response.show_response(line, points, (low, high))

    def heard(self, sight: Sight | None, marks: Sequence[HeardNote], now: float) -> None:
        """Show what is heard."""
        values = self.values
        if sight is not None:
            self.audio.meter.take(sight.peak, now)
        for mark in marks:
            if mark.end == 0.0 or self.stage.kind == "hits":
                came = placed(mark.level, values["soft_db"], values["loud_db"])
                self.response.add(round(127 * came), mark.velocity, now)

    def tick(self, now: float) -> None:
        self.audio.meter.tick(now)
        self.response.tick(now)

    def use_for_new(self) -> None:
        """Begin with these settings wherever one is added."""
        kind, params = self.stage.kind, dict(self.stage.params)
        self.session.amend_settings(lambda settings: settings.with_listening(kind, params))
        self.session.notice("done", "Audio sources that you add from now on begin with these settings.")


class HitsEditor(ListenEditor):
    """The sound on paper with the strokes that were found, calibration, and the settings behind it."""

    def build(self) -> None:
        super().build()
        self.scope = HitsScope(self.ink)
        self.box.addWidget(self.scope)
        self.calibration = CalibrationBox(self, self.use_for_new)
        self.box.addWidget(self.calibration)
        self.box.addLayout(self.grid("threshold", "sensitivity", "retrigger_ms", "scan_ms"))
        self.delay = Label("")
        self.delay.setProperty("role", "second")
        self.box.addWidget(self.delay)
        self.side.addWidget(caps("Velocity"))
        self.side.addLayout(self.touch())
        self.side.addWidget(caps("Notes"))
        self.side.addLayout(self.grid("note", "channel", "length_ms"))
        self.rim = self.grid("rim_note", "rim_db")
        self.side.addLayout(self.rim)
        self.fold("Pads side by side", self.rest).addLayout(self.grid("group", "crosstalk_db"))

    def show_values(self, values: dict[str, Any]) -> None:
        self.scope.threshold = 10.0 ** (values["threshold"] / 20.0)
        self.show_touch(values)
        self.delay.setText(f"A note sounds about {values['scan_ms'] + 1} ms and one audio block after its stroke.")
        for key in ("rim_note", "rim_db"):
            holder = self.controls[key].parentWidget()
            shown = values["zones"] == "two"
            self.controls[key].setVisible(shown)
            if holder is not None and holder is not self:
                holder.setVisible(shown)
        self.controls["crosstalk_db"].setEnabled(values["group"] > 0)

    def heard(self, sight: Sight | None, marks: Sequence[HeardNote], now: float) -> None:
        super().heard(sight, marks, now)
        if sight is not None:
            self.scope.take(sight, now)
        self.scope.add(marks)
        self.calibration.hear(sight, marks)

    def tick(self, now: float) -> None:
        super().tick(now)
        self.scope.tick(now)

    def leave(self) -> None:
        self.calibration.stop()


class PitchEditor(ListenEditor):
    """The pitch as a line over the notes, the notes made of it, and the settings behind it."""

    def build(self) -> None:
        super().build()
        self.scope = PitchScope(self.ink)
        self.box.addWidget(self.scope)
        self.cents = CentsView(self.ink)
        self.box.addWidget(self.cents)
        self.keys = ZoneKeys(self.ink)
        self.keys.set_help("The lowest and the highest note: drag either end. Lower notes lag more.")
        self.keys.moved.connect(lambda low, high: self.set(False, lowest=low, highest=high))
        self.keys.settled.connect(self.session.settle)
        self.box.addWidget(self.keys)
        self.needs = Label("")
        self.needs.setProperty("role", "second")
        self.needs.setWordWrap(True)
        self.box.addWidget(self.needs)
        self.side.addLayout(self.grid("sureness", "steadiness", "gate", "shortest_ms"))
        self.side.addWidget(caps("Velocity"))
        self.side.addLayout(self.touch())
        notes = self.fold("Notes", self.rest)
        for key in ("bends", "doubtful"):
            notes.addWidget(self.captioned(key))
        notes.addLayout(self.grid("bend_range", "channel"))

    def show_values(self, values: dict[str, Any]) -> None:
        low, high = sorted((values["lowest"], values["highest"]))
        self.scope.show_range(low, high)
        self.keys.show_range(low, high)
        octave = min(high, low + 12)
        self.needs.setText(
            f"{written(low)} needs {1000 * latency_of(values):.0f} ms, so every note waits that long; "
            f"from {written(octave)} up it would be {1000 * latency_of(values, octave):.0f} ms. "
            "One audio block is added."
        )
        self.controls["bend_range"].setEnabled(values["bends"] == "follow")
        self.show_touch(values)

    def heard(self, sight: Sight | None, marks: Sequence[HeardNote], now: float) -> None:
        super().heard(sight, marks, now)
        if sight is not None:
            self.scope.take(sight, now)
        self.scope.add(marks)

    def tick(self, now: float) -> None:
        super().tick(now)
        self.scope.tick(now)
        heard = self.scope.heard
        clear = heard is not None and heard[2] > 0.7 and heard[0] > self.values["gate"]
        self.cents.show_pitch(heard[1] if heard is not None and clear else None)
