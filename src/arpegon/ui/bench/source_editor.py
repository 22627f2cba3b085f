"""The editor of sources: what feeds a strand, and its zone."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QPushButton, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import AnySource, ClickSource, ClipSource, MidiSource, StrandSource, SurfaceSource
from arpegon.core.events import Event
from arpegon.engine.wire.protocol import Telemetry
from arpegon.processors import GENERATORS, processor_class
from arpegon.processors.registry import LISTENINGS
from arpegon.ui.bench.clip_box import ClipBox
from arpegon.ui.controls.choices import Picker
from arpegon.ui.controls.zone_keys import ZoneKeys
from arpegon.ui.look.plain import Label
from arpegon.ui.model.session import Session, fresh_audio
from arpegon.ui.parts.end_editor import CHANNELS, EndEditor, channel_of
from arpegon.ui.parts.hook_handle import offer_hookup
from arpegon.ui.parts.standard import caps, under_caption

_DRAGGED = ("Part of a clip", "Rounds of a clip", "Clip changes", "Own tempo")
"""What is dragged: one edit in history."""


class SourceEditor(EndEditor):
    """What feeds a strand, and its zone."""

    def __init__(self, session: Session, strand_id: str, place: int, parent: QWidget | None = None) -> None:
        super().__init__(session, strand_id, place, parent)
        self.kind = Picker({}, "What feeds this strand.")
        self.kind.chosen.connect(self._set_kind)
        self.box.addWidget(under_caption("Source", self.kind))
        self.clip = ClipBox()
        self.clip.changed.connect(self._change_clip)
        self.clip.add.clicked.connect(self.choose_clip)
        for button, act, action in ((self.clip.start, "start", "start"), (self.clip.stop, "stop", "halt")):
            button.clicked.connect(lambda _=False, act=act: self._command_clip(act))
            if isinstance(self.source, ClipSource) and self.source.id:
                offer_hookup(session.hooking, button, self.source.id, action=action)
        self.box.addWidget(self.clip)
        self.after = Picker({}, "After which stage of that strand its events are taken.")
        self.after.chosen.connect(lambda stage: self._change("Take after", after=stage))
        self.after_box = under_caption("Taken after", self.after)
        self.box.addWidget(self.after_box)
        head = QHBoxLayout()
        head.addWidget(caps("Zone"), 1)
        self.learn = QPushButton("learn")
        self.learn.setCheckable(True)
        self.learn.setProperty("flat", True)
        self.learn.setToolTip("Play the two end keys of the zone, one after the other.")
        self.learn.toggled.connect(self._learn)
        head.addWidget(self.learn)
        self.box.addLayout(head)
        self.keys = ZoneKeys(self.ink)
        self.keys.moved.connect(lambda low, high: self._change("Zone", merge="zone-keys", low_key=low, high_key=high))
        self.keys.settled.connect(session.settle)
        self.box.addWidget(self.keys)
        grid = QGridLayout()
        grid.setHorizontalSpacing(22)
        self.low = self._slider("low_velocity", "Softest let in", "Strokes softer than this do not come in.", 1, 1, 127)
        self.high = self._slider(
            "high_velocity", "Loudest let in", "Strokes louder than this do not come in.", 127, 1, 127
        )
        self.low.moved.connect(lambda value: self._change("Zone", merge="zone-low", low_velocity=int(value)))
        self.high.moved.connect(lambda value: self._change("Zone", merge="zone-high", high_velocity=int(value)))
        grid.addWidget(self.low, 0, 0)
        grid.addWidget(self.high, 0, 1)
        self.channel = Picker({"": "all channels", **CHANNELS}, "Take only this MIDI channel.")
        self.channel.chosen.connect(lambda value: self._change("Channel", channel=channel_of(value)))
        grid.addWidget(under_caption("Channel", self.channel), 1, 0)
        self.box.addLayout(grid)
        self.learning = Label("")
        self.learning.setProperty("role", "second")
        self.box.addWidget(self.learning)
        self.box.addStretch(1)
        self._first_key: int | None = None
        session.heard.connect(self._heard)
        session.reported.connect(self._show_waiting)
        self.refresh()

    def _learn(self, on: bool) -> None:
        self._first_key = None
        self.learning.setText("Play one end of the zone …" if on else "")

    def _heard(self, feed: str, event: Event) -> None:
        """A key was struck anywhere: where the zone is learnt, it is one of its ends."""
        if not self.learn.isChecked():
            return
        if self._first_key is None:
            self._first_key = event.data1
            self.learning.setText("… and now the other end.")
            return
        low, high = sorted((self._first_key, event.data1))
        self.learn.setChecked(False)
        self._change("Learn zone", low_key=low, high_key=high)

    @property
    def source(self) -> AnySource:
        """The source that is edited."""
        strand = self.session.project.strand(self.strand_id)
        assert strand is not None
        return strand.sources[self.place]

    def _put(self, label: str, source: AnySource, merge: str | None = None) -> None:
        project = edits.set_source(self.session.project, self.strand_id, self.place, source)
        self.session.edit(label, project, merge and f"{self.strand_id}:{self.place}:{merge}")

    def _change(self, label: str, merge: str | None = None, **changes: Any) -> None:
        self._put(label, msgspec.structs.replace(self.source, **changes), merge)

    def _kinds(self) -> dict[str, str]:
        kinds = {"surface": "Play surface", "midi:": "All MIDI inputs"}
        here = self.source
        ports = list(self.session.reports.ports.inputs)
        if isinstance(here, MidiSource) and here.port and here.port not in ports:
            kinds[f"midi:{here.port}"] = f"MIDI {here.port} (not there now)"
        kinds |= {f"midi:{port}": f"MIDI {port}" for port in ports}
        kinds["clip"] = "Clip (a MIDI file)"
        kinds |= {kind: f"{processor.label}: {processor.summary}" for kind, processor in GENERATORS.items()}
        kinds |= {
            f"audio:{kind}": f"Audio, {processor.label.lower()}: {processor.summary}"
            for kind, processor in LISTENINGS.items()
        }
        kinds["click"] = "Metronome"
        for strand in self.session.project.strands:
            if strand.id != self.strand_id:
                kinds[f"strand:{strand.id}"] = f"Strand {strand.name}"
        return kinds

    def _set_kind(self, kind: str) -> None:
        zone = {
            name: getattr(self.source, name)
            for name in ("channel", "low_key", "high_key", "low_velocity", "high_velocity")
        }
        word, _, rest = kind.partition(":")
        if word == "surface":
            self._put("Source", SurfaceSource(**zone))
        elif word == "midi":
            self._put("Source", MidiSource(port=rest, **zone))
        elif word == "clip":
            self._put("Source", edits.fresh_clip(self.session.project, **zone))
        elif word == "click":
            self._put("Source", ClickSource(**zone))
        elif word == "audio":
            self._put("Source", fresh_audio(self.session, rest))
            self.session.select_source(self.strand_id, self.place)
        elif word in GENERATORS:
            self._put("Source", edits.fresh_generator(self.session.project, word))
            self.session.select_source(self.strand_id, self.place)
        else:
            self._put("Source", StrandSource(strand=rest, **zone))

    def _change_clip(self, label: str, changes: dict[str, Any]) -> None:
        self._change(label, merge="clip" if label in _DRAGGED else None, **changes)

    def _command_clip(self, act: str) -> None:
        if isinstance(self.source, ClipSource):
            self.session.command(self.source.id, act)

    def _show_waiting(self, told: Telemetry) -> None:
        self.clip.show_waiting(isinstance(self.source, ClipSource) and self.source.id in told.waiting)

    def choose_clip(self) -> None:
        """Let a MIDI file be chosen: the clip's, or one more to choose from."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Choose a clip", str(self.session.filing.folder), "MIDI files (*.mid *.midi)"
        )
        if name:
            self.set_clip(Path(name))

    def set_clip(self, path: Path) -> None:
        """Play this file; its path is kept relative to the project where it can be."""
        file = self.session.filing.name_for(path)
        source = self.source
        if file is None:
            return
        if isinstance(source, ClipSource) and source.file:
            self._change("Add a clip", more=(*source.more, file), choice=len(source.more) + 2)
        else:
            self._change("Clip", file=file)

    def refresh(self) -> None:
        source = self.source
        self.kind.set_options(self._kinds())
        if isinstance(source, MidiSource):
            shown = f"midi:{source.port}"
        elif isinstance(source, StrandSource):
            shown = f"strand:{source.strand}"
        else:
            shown = {ClipSource: "clip", ClickSource: "click"}.get(type(source), "surface")
        self.kind.set_value(shown)
        is_clip = isinstance(source, ClipSource)
        self.clip.setVisible(is_clip)
        if isinstance(source, ClipSource):
            self.clip.show_clip(source)
        feeder = self.session.project.strand(source.strand) if isinstance(source, StrandSource) else None
        self.after_box.setVisible(feeder is not None)
        if feeder is not None and isinstance(source, StrandSource):
            stages = {stage.id: processor_class(stage.kind).label for stage in feeder.stages}
            self.after.set_options({"": "its last stage", **stages})
            self.after.set_value(source.after)
        self.keys.show_range(source.low_key, source.high_key)
        self.low.set_value(source.low_velocity)
        self.high.set_value(source.high_velocity)
        self.channel.set_value("" if source.channel is None else str(source.channel))
