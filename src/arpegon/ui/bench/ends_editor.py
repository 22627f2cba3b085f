"""The editors of sources and destinations."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from arpegon.core import edits
from arpegon.core.document import (
    AnyDestination,
    AnySource,
    ClipSource,
    Instrument,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    StrandDestination,
    StrandSource,
    SurfaceSource,
)
from arpegon.core.parameters import Number
from arpegon.core.pitch import note_name
from arpegon.files.validation import LEVEL_RANGE
from arpegon.processors import processor_class
from arpegon.sound import SOUNDS
from arpegon.ui import theme
from arpegon.ui.bench.editor import caps, under_caption
from arpegon.ui.board.words import OWN_OUTPUT
from arpegon.ui.controls.choices import Picker, Switch
from arpegon.ui.controls.keyboard import key_rects
from arpegon.ui.controls.slider import Slider
from arpegon.ui.session import Session

_CHANNELS = {"": "as played", **{str(channel): f"channel {channel + 1}" for channel in range(16)}}
_ALL_CHANNELS = {"": "all channels", **{str(channel): f"channel {channel + 1}" for channel in range(16)}}


def _channel(value: str) -> int | None:
    return int(value) if value else None


class ZoneKeys(QWidget):
    """The key range of a source on a keyboard: drag its two ends."""

    moved = pyqtSignal(int, int)
    settled = pyqtSignal()

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.low, self.high = 0, 127
        self._end: str | None = None
        self.setFixedHeight(58)
        self.setToolTip("The keys that are let in. Drag either end; double click takes all keys.")

    def _note_at(self, x: float) -> int:
        return max(0, min(127, int(x / max(1, self.width()) * 128)))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            note = self._note_at(event.position().x())
            self._end = "low" if abs(note - self.low) <= abs(note - self.high) else "high"
            self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._end is None:
            return
        note = self._note_at(event.position().x())
        if self._end == "low":
            self.low = min(note, self.high)
        else:
            self.high = max(note, self.low)
        self.update()
        self.moved.emit(self.low, self.high)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._end = None
        self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._end = None
        self.low, self.high = 0, 127
        self.moved.emit(0, 127)
        self.settled.emit()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        painter = QPainter(self)
        width = float(self.width())
        rects = key_rects(0, 127, width, 34.0)
        for note, (left, top, wide, tall) in rects.items():
            inside = self.low <= note <= self.high
            black = tall < 34
            ground = theme.DAY.bar if black else theme.DAY.roll
            if not inside:
                ground = theme.mix(ground, t.paper, 0.75)
            painter.setPen(theme.color(t.line))
            painter.setBrush(theme.color(ground))
            painter.drawRect(QRectF(left, top, wide, tall - 1))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(self.ink))
        left = rects[self.low][0]
        right = rects[self.high][0] + rects[self.high][2]
        painter.drawRect(QRectF(left, 35, right - left, 4))
        painter.setFont(theme.number_font(12))
        painter.setPen(theme.color(t.ink))
        names = note_name(self.low), note_name(self.high)
        start = min(max(0.0, left - 10), width - 90)
        painter.drawText(QRectF(start, 40, 44, 16), Qt.AlignmentFlag.AlignLeft, names[0])
        end = max(min(width - 44, right - 34), start + 44)
        painter.drawText(QRectF(end, 40, 44, 16), Qt.AlignmentFlag.AlignRight, names[1])


class EndEditor(QWidget):
    """Base: a box, the session, and the strand and place that are edited."""

    def __init__(self, session: Session, strand_id: str, place: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.strand_id = strand_id
        self.place = place
        self.ink = theme.ink(session.ink_number(strand_id))
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(10)

    def _slider(
        self, key: str, label: str, help_text: str, default: float, low: float, high: float, **more: Any
    ) -> Slider:
        param = Number(key=key, label=label, help=help_text, default=default, low=low, high=high, **more)
        slider = Slider(param, self.ink)
        slider.settled.connect(self.session.settle)
        return slider


class SourceEditor(EndEditor):
    """What feeds a strand, and its zone."""

    def __init__(self, session: Session, strand_id: str, place: int) -> None:
        super().__init__(session, strand_id, place)
        self.kind = Picker({}, "What feeds this strand.")
        self.kind.chosen.connect(self._set_kind)
        self.box.addWidget(under_caption("Source", self.kind))
        self.clip = QWidget()
        clip_row = QHBoxLayout(self.clip)
        clip_row.setContentsMargins(0, 0, 0, 0)
        self.file = QLabel("")
        self.file.setProperty("role", "number")
        self.choose = QPushButton("Choose a MIDI file …")
        self.choose.clicked.connect(self.choose_clip)
        self.loop = Switch("Round and round", "Begin again at the end of the clip's last bar.")
        self.loop.toggled.connect(lambda on: self._change("Loop", loop=on))
        clip_row.addWidget(self.file, 1)
        clip_row.addWidget(self.choose)
        self.box.addWidget(self.clip)
        self.box.addWidget(self.loop)
        self.after = Picker({}, "After which stage of that strand its events are taken.")
        self.after.chosen.connect(lambda stage: self._change("Take after", after=stage))
        self.after_box = under_caption("Taken after", self.after)
        self.box.addWidget(self.after_box)
        self.box.addWidget(caps("Zone"))
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
        self.channel = Picker(_ALL_CHANNELS, "Take only this MIDI channel.")
        self.channel.chosen.connect(lambda value: self._change("Channel", channel=_channel(value)))
        grid.addWidget(under_caption("Channel", self.channel), 1, 0)
        self.box.addLayout(grid)
        self.box.addStretch(1)
        self.refresh()

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
        ports = list(self.session.ports.inputs)
        if isinstance(here, MidiSource) and here.port and here.port not in ports:
            kinds[f"midi:{here.port}"] = f"MIDI {here.port} (not there now)"
        kinds |= {f"midi:{port}": f"MIDI {port}" for port in ports}
        kinds["clip"] = "Clip (a MIDI file)"
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
            self._put("Source", ClipSource(**zone))
        else:
            self._put("Source", StrandSource(strand=rest, **zone))

    def choose_clip(self) -> None:
        """Let a MIDI file be chosen."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Choose a clip", str(self.session.folder), "MIDI files (*.mid *.midi)"
        )
        if name:
            self.set_clip(Path(name))

    def set_clip(self, path: Path) -> None:
        """Play this file; its path is kept relative to the project where it can be."""
        try:
            file = os.path.relpath(path, self.session.folder)
        except ValueError:
            file = str(path)
        self._change("Clip", file=file if not file.startswith("..") else str(path))

    def refresh(self) -> None:
        """Show the source as it is now."""
        source = self.source
        self.kind.set_options(self._kinds())
        if isinstance(source, MidiSource):
            shown = f"midi:{source.port}"
        elif isinstance(source, StrandSource):
            shown = f"strand:{source.strand}"
        else:
            shown = "clip" if isinstance(source, ClipSource) else "surface"
        self.kind.set_value(shown)
        is_clip = isinstance(source, ClipSource)
        self.clip.setVisible(is_clip)
        self.loop.setVisible(is_clip)
        if isinstance(source, ClipSource):
            self.file.setText(source.file or "no file yet")
            self.loop.set_value(source.loop)
        feeder = self.session.project.strand(source.strand) if isinstance(source, StrandSource) else None
        self.after_box.setVisible(feeder is not None)
        if feeder is not None and isinstance(source, StrandSource):
            stages = {stage.id: processor_class(stage.kind).label for stage in feeder.stages}
            self.after.set_options({"": "its last stage", **stages})
            self.after.set_value(source.after)
        if self.keys._end is None:
            self.keys.low, self.keys.high = source.low_key, source.high_key
            self.keys.update()
        self.low.set_value(source.low_velocity)
        self.high.set_value(source.high_velocity)
        self.channel.set_value("" if source.channel is None else str(source.channel))


class DestinationEditor(EndEditor):
    """Where a strand ends: a built-in instrument or a MIDI output."""

    def __init__(self, session: Session, strand_id: str, place: int) -> None:
        super().__init__(session, strand_id, place)
        self.target = Picker({}, "Where this strand sounds.")
        self.target.chosen.connect(self._set_target)
        self.box.addWidget(under_caption("Destination", self.target))
        grid = QGridLayout()
        grid.setHorizontalSpacing(22)
        self.channel = Picker(_CHANNELS, "The MIDI channel on which it is sent; “as played” keeps each event's own.")
        self.channel.chosen.connect(lambda value: self._change("Channel", channel=_channel(value)))
        grid.addWidget(under_caption("Channel", self.channel), 0, 0)
        self.muted = Switch("Mute", "Send nothing here; other destinations go on.")
        self.muted.toggled.connect(lambda on: self._change("Mute destination", muted=on))
        grid.addWidget(self.muted, 0, 1, Qt.AlignmentFlag.AlignBottom)
        self.box.addLayout(grid)
        self.instrument = QWidget()
        inner = QVBoxLayout(self.instrument)
        inner.setContentsMargins(0, 6, 0, 0)
        inner.setSpacing(10)
        inner.addWidget(caps("Instrument"))
        self.sound = Picker({sound.name: sound.label for sound in SOUNDS.values()}, "The sound of this instrument.")
        self.sound.chosen.connect(lambda sound: self._change_instrument("Sound", sound=sound))
        self.summary = QLabel("")
        self.summary.setProperty("role", "second")
        self.summary.setWordWrap(True)
        self.level = self._slider(
            "level_db", "Level", "How loud the instrument is.", 0.0, *LEVEL_RANGE, step=0.5, unit="dB"
        )
        self.level.moved.connect(lambda value: self._change_instrument("Level", "level", level_db=round(value, 1)))
        self.pan = self._slider("pan", "Pan", "Where it stands: −1 is left, 1 is right.", 0.0, -1.0, 1.0, step=0.05)
        self.pan.moved.connect(lambda value: self._change_instrument("Pan", "pan", pan=round(value, 2)))
        self.silent = Switch("Silence this instrument", "It sounds for no strand.")
        self.silent.toggled.connect(lambda on: self._change_instrument("Mute instrument", muted=on))
        for widget in (under_caption("Sound", self.sound), self.summary, self.level, self.pan, self.silent):
            inner.addWidget(widget)
        self.box.addWidget(self.instrument)
        self.port_words = QLabel("")
        self.port_words.setProperty("role", "second")
        self.port_words.setWordWrap(True)
        self.box.addWidget(self.port_words)
        self.box.addStretch(1)
        self.refresh()

    @property
    def destination(self) -> AnyDestination:
        """The destination that is edited."""
        strand = self.session.project.strand(self.strand_id)
        assert strand is not None
        return strand.destinations[self.place]

    def _put(self, label: str, destination: AnyDestination) -> None:
        self.session.edit(label, edits.set_destination(self.session.project, self.strand_id, self.place, destination))

    def _change(self, label: str, **changes: Any) -> None:
        self._put(label, msgspec.structs.replace(self.destination, **changes))

    def _instrument(self) -> Instrument | None:
        destination = self.destination
        if not isinstance(destination, InstrumentDestination):
            return None
        return self.session.project.instrument(destination.instrument)

    def _change_instrument(self, label: str, merge: str | None = None, **changes: Any) -> None:
        instrument = self._instrument()
        if instrument is not None:
            project = edits.set_instrument(self.session.project, instrument.id, **changes)
            self.session.edit(label, project, merge and f"{instrument.id}:{merge}")

    def _targets(self) -> dict[str, str]:
        project = self.session.project
        targets = {}
        for instrument in project.instruments:
            targets[f"instrument:{instrument.id}"] = f"Instrument {instrument.id} ({SOUNDS[instrument.sound].label})"
        for sound in SOUNDS.values():
            targets[f"new:{sound.name}"] = f"New instrument: {sound.label}"
        targets["port:"] = f"{OWN_OUTPUT} (Arpegon's own port)"
        here = self.destination
        ports = list(self.session.ports.outputs)
        if isinstance(here, PortDestination) and here.port and here.port not in ports:
            targets[f"port:{here.port}"] = f"MIDI {here.port} (not there now)"
        targets |= {f"port:{port}": f"MIDI {port}" for port in ports}
        for strand in project.strands:
            if strand.id != self.strand_id:
                targets[f"strand:{strand.id}"] = f"Into strand {strand.name}"
        return targets

    def _set_target(self, target: str) -> None:
        kept: dict[str, Any] = {"channel": self.destination.channel, "muted": self.destination.muted}
        word, _, rest = target.partition(":")
        if word == "new":
            project, rest = edits.add_instrument(self.session.project, rest)
            made = InstrumentDestination(instrument=rest, **kept)
            self.session.edit("New instrument", edits.set_destination(project, self.strand_id, self.place, made))
        elif word == "instrument":
            self._put("Destination", InstrumentDestination(instrument=rest, **kept))
        elif word == "port":
            self._put("Destination", PortDestination(port=rest, **kept))
        else:
            self._put("Destination", StrandDestination(strand=rest, **kept))

    def refresh(self) -> None:
        """Show the destination as it is now."""
        destination = self.destination
        self.target.set_options(self._targets())
        if isinstance(destination, InstrumentDestination):
            self.target.set_value(f"instrument:{destination.instrument}")
        elif isinstance(destination, PortDestination):
            self.target.set_value(f"port:{destination.port}")
        else:
            self.target.set_value(f"strand:{destination.strand}")
        self.channel.set_value("" if destination.channel is None else str(destination.channel))
        self.muted.set_value(destination.muted)
        instrument = self._instrument()
        self.instrument.setVisible(instrument is not None)
        if instrument is not None:
            self.sound.set_value(instrument.sound)
            self.summary.setText(SOUNDS[instrument.sound].summary)
            self.level.set_value(instrument.level_db)
            self.pan.set_value(instrument.pan)
            self.silent.set_value(instrument.muted)
        own = isinstance(destination, PortDestination) and not destination.port
        self.port_words.setText(
            "Other programs find this output as “Arpegon: out” among the MIDI ports of ALSA and JACK." if own else ""
        )
