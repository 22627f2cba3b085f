"""What the editors of sources have in common that make notes by themselves."""

from __future__ import annotations

from typing import Any

import msgspec
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import GeneratorSource
from arpegon.engine.wire.protocol import Telemetry
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.controls.zone_keys import ZoneKeys
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.hook_handle import offer_hookup
from arpegon.ui.parts.standard import under_caption


class ActionRow(QWidget):
    """How many rounds an action starts and on which line, and buttons that start and stop now."""

    def __init__(self, editor: StageEditor) -> None:
        super().__init__()
        self._editor = editor
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        row = QHBoxLayout()
        row.setSpacing(12)
        row.addWidget(editor.control("times"), 1)
        self.start = QPushButton("Start")
        self.start.setToolTip("Start it, for so many rounds (0: until it is stopped).")
        offer_hookup(editor.session.hooking, self.start, editor.stage.id, action="start")
        self.start.clicked.connect(lambda: editor.session.command(editor.stage.id, "start"))
        self.stop = QPushButton("Stop")
        self.stop.setToolTip("Stop it now, or what waits to start.")
        offer_hookup(editor.session.hooking, self.stop, editor.stage.id, action="halt")
        self.stop.clicked.connect(lambda: editor.session.command(editor.stage.id, "stop"))
        row.addWidget(self.start)
        row.addWidget(self.stop)
        column.addLayout(row)
        column.addWidget(editor.captioned("launch"))
        self.bars = editor.control("launch_bars")
        column.addWidget(self.bars)
        editor.session.reported.connect(self._show_waiting)

    def show_values(self, values: dict[str, Any]) -> None:
        """Show it where an action starts the stage."""
        self.setVisible(values["starts"] == "action")
        self.bars.setVisible(values["launch"] == "bar")

    def _show_waiting(self, told: Telemetry) -> None:
        text = "waits …" if self._editor.stage.id in told.waiting else "Start"
        if text != self.start.text():
            self.start.setText(text)


class TempoRow(QWidget):
    """Whose tempo a stage runs at: only what is of use is shown."""

    def __init__(self, editor: StageEditor) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(editor.captioned("own_tempo"))
        row = QHBoxLayout()
        row.setSpacing(20)
        self.sliders = {key: editor.control(key) for key in ("own_bpm", "own_ratio", "own_bars")}
        for slider in self.sliders.values():
            row.addWidget(slider, 1)
        column.addLayout(row)

    def show_values(self, values: dict[str, Any]) -> None:
        """Show a stage's."""
        way = values["own_tempo"]
        shown = {"own_bpm": way == "bpm", "own_ratio": way == "ratio", "own_bars": way != "piece"}
        for key, slider in self.sliders.items():
            slider.setVisible(shown[key])


class GeneratorFoot:
    """The controls that all generators share: how it starts, which notes it may choose, the keys that move it."""

    def __init__(self, editor: StageEditor) -> None:
        self.editor = editor
        box = editor.rest
        within = editor.fold("Notes", box)
        within.addLayout(editor.grid("lowest", "highest", "level", "to_channel"))
        within.addLayout(editor.grid("in_scale", "follow_key"))
        within.addLayout(editor.grid("root", "scale"))
        within = editor.fold("Starts", box)
        within.addWidget(editor.control("starts"))
        self.by_action = ActionRow(editor)
        within.addWidget(self.by_action)
        within.addWidget(editor.control("in_time"))
        within.addWidget(editor.control("with_section"))
        self.tempo = TempoRow(editor)
        editor.fold("Tempo", box).addWidget(self.tempo)
        box = editor.fold("Keys", box)
        box.addWidget(editor.captioned("transpose"))
        box.addWidget(editor.control("home"))
        self.zone = ZoneKeys(editor.ink)
        self.zone.moved.connect(self._set_zone)
        self.zone.settled.connect(editor.session.settle)
        self.zone_box = under_caption("Keys of the strand's other sources that play it; they do not sound", self.zone)
        box.addWidget(self.zone_box)
        self.no_keys = Label("Add a second source to this strand, such as the play surface, for the keys.")
        self.no_keys.setWordWrap(True)
        self.no_keys.setProperty("role", "second")
        box.addWidget(self.no_keys)

    def _source(self) -> GeneratorSource | None:
        return next((one for one in self.editor.strand.generators if one.id == self.editor.stage.id), None)

    def _set_zone(self, low: int, high: int) -> None:
        source = self._source()
        if source is None:
            return
        session = self.editor.session
        place = self.editor.strand.sources.index(source)
        changed = msgspec.structs.replace(source, low_key=low, high_key=high)
        project = edits.set_source(session.project, self.editor.strand.id, place, changed)  # type: ignore[arg-type]
        session.edit("Zone", project, f"{source.id}:zone")

    def show_values(self, values: dict[str, Any]) -> None:
        """Show what is of use as things are."""
        keys = values["starts"] == "key" or values["transpose"] != "no"
        self.by_action.show_values(values)
        self.tempo.show_values(values)
        self.editor.controls["in_time"].setVisible(values["starts"] != "play")
        self.editor.controls["home"].setVisible(values["transpose"] != "no")
        for key in ("root", "scale"):
            self.editor.controls[key].setEnabled(not values["follow_key"])
        self.zone_box.setVisible(keys)
        self.no_keys.setVisible(keys and len(self.editor.strand.sources) < 2)
        source = self._source()
        if source is not None:
            self.zone.show_range(source.low_key, source.high_key)
