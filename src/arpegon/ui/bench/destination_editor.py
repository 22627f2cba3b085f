"""The editor of destinations: where a strand ends, and the panel of its instrument."""

from __future__ import annotations

from typing import Any

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import (
    LEVEL_RANGE,
    OWN_PORT,
    AnyDestination,
    Instrument,
    InstrumentDestination,
    PortDestination,
    StrandDestination,
    named_output,
    output_name,
)
from arpegon.core.events import control
from arpegon.processors.targets import DELAY
from arpegon.sound import SOUNDS
from arpegon.ui.controls.choices import Picker, ToggleSwitch
from arpegon.ui.controls.panel import InstrumentPanel, Meter
from arpegon.ui.controls.slider import Slider
from arpegon.ui.look.plain import Label
from arpegon.ui.model.session import Session
from arpegon.ui.model.words import OWN_OUTPUT, port_words
from arpegon.ui.parts.end_editor import CHANNELS, EndEditor, channel_of
from arpegon.ui.parts.hook_handle import offer_hookup
from arpegon.ui.parts.standard import caps, under_caption


class DestinationEditor(EndEditor):
    """Where a strand ends: a built-in instrument or a MIDI output."""

    def __init__(self, session: Session, strand_id: str, place: int, parent: QWidget | None = None) -> None:
        super().__init__(session, strand_id, place, parent)
        self.target = Picker({}, "Where this strand sounds.")
        self.target.chosen.connect(self._set_target)
        self.box.addWidget(under_caption("Destination", self.target))
        grid = QGridLayout()
        grid.setHorizontalSpacing(22)
        words = "The MIDI channel on which it is sent; “as played” keeps each event's own."
        self.channel = Picker({"": "as played", **CHANNELS}, words)
        self.channel.chosen.connect(lambda value: self._change("Channel", channel=channel_of(value)))
        grid.addWidget(under_caption("Channel", self.channel), 0, 0)
        self.muted = ToggleSwitch("Mute", "Send nothing here; other destinations go on.")
        self.muted.toggled.connect(lambda on: self._change("Mute destination", muted=on))
        grid.addWidget(self.muted, 0, 1, Qt.AlignmentFlag.AlignBottom)
        self.delay = Slider(DELAY, self.ink)
        self.delay.moved.connect(lambda value: self._change("Delay", delay_ms=float(value)))
        self.delay.settled.connect(self.session.settle)
        grid.addWidget(self.delay, 1, 0, 1, 2)
        self.fades = ToggleSwitch(
            "Fades by velocity",
            "Soft or loud strokes go here less: two destinations that fade the other way round are a crossfade.",
        )
        self.fades.toggled.connect(self._let_fade)
        self.silent_at, self.full_at = (
            self._slider(key, label, words, rest, 0, 127)
            for key, label, words, rest in (
                ("silent_at", "Silent at", "At this velocity nothing is struck here.", 1),
                ("full_at", "Full at", "From this velocity on it is struck as it comes.", 127),
            )
        )
        self.silent_at.moved.connect(lambda value: self._fade("silent_at", int(value)))
        self.full_at.moved.connect(lambda value: self._fade("full_at", int(value)))
        grid.addWidget(self.fades, 2, 0, 1, 2)
        grid.addWidget(self.silent_at, 3, 0)
        grid.addWidget(self.full_at, 3, 1)
        self.box.addLayout(grid)
        self.instrument = QWidget()
        inner = QVBoxLayout(self.instrument)
        inner.setContentsMargins(0, 6, 0, 0)
        inner.setSpacing(10)
        inner.addWidget(caps("Instrument"))
        self.sound = Picker({sound.name: sound.label for sound in SOUNDS.values()}, "The sound of this instrument.")
        self.sound.chosen.connect(lambda sound: self._change_instrument("Sound", sound=sound))
        self.summary = Label("")
        self.summary.setProperty("role", "second")
        self.summary.setWordWrap(True)
        self.level = self._slider(
            "level_db", "Level", "How loud the instrument is.", 0.0, *LEVEL_RANGE, step=0.5, unit="dB"
        )
        self.level.moved.connect(lambda value: self._change_instrument("Level", "level", level_db=round(value, 1)))
        self.pan = self._slider("pan", "Pan", "Where it stands: −1 is left, 1 is right.", 0.0, -1.0, 1.0, step=0.05)
        self.pan.moved.connect(lambda value: self._change_instrument("Pan", "pan", pan=round(value, 2)))
        self.silent = ToggleSwitch("Silence this instrument", "It sounds for no strand.")
        self.silent.toggled.connect(lambda on: self._change_instrument("Mute instrument", muted=on))
        self.apart = ToggleSwitch(
            "Outputs of its own",
            "At a JACK server it sounds at a left and a right output that bear its name, and not in the mix.",
        )
        self.apart.toggled.connect(lambda on: self._change_instrument("Outputs of its own", own_outputs=on))
        self.meter = Meter(self.ink)
        self.listens = Picker({"": "all channels", **CHANNELS}, "The channel that this instrument plays.")
        self.listens.chosen.connect(lambda value: self._change_instrument("Listen", channel=channel_of(value)))
        pair = QGridLayout()
        pair.setHorizontalSpacing(22)
        pair.addWidget(under_caption("Sound", self.sound), 0, 0)
        pair.addWidget(under_caption("Plays", self.listens), 0, 1)
        pair.addWidget(self.level, 1, 0)
        pair.addWidget(self.pan, 1, 1)
        inner.addLayout(pair)
        inner.addWidget(self.summary)
        inner.addWidget(self.meter)
        switches = QHBoxLayout()
        switches.setSpacing(22)
        switches.addWidget(self.silent)
        switches.addWidget(self.apart)
        switches.addStretch(1)
        inner.addLayout(switches)
        inner.addWidget(caps("Its controllers"))
        self.panel = InstrumentPanel(self.ink)
        self.panel.turned.connect(self._turn)
        inner.addWidget(self.panel)
        self.box.addWidget(self.instrument)
        self.own_name = QLineEdit()
        self.own_name.setToolTip("What this output is called; other programs find it under this name.")
        self.own_name.editingFinished.connect(self._rename_output)
        self.own_box = under_caption("The name of this output", self.own_name)
        self.box.addWidget(self.own_box)
        self.port_words = Label("")
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
        project = edits.set_destination(self.session.project, self.strand_id, self.place, destination)
        self.session.edit(
            label, project, f"{self.strand_id}:{self.place}:{label}" if label in ("Delay", "Fade") else None
        )

    def _let_fade(self, on: bool) -> None:
        if on != (self.destination.silent_at is not None):
            self._change("Fade", silent_at=1 if on else None, full_at=127 if on else None)

    def _fade(self, key: str, velocity: int) -> None:
        """Move one end; both are never on one velocity."""
        other = self.destination.full_at if key == "silent_at" else self.destination.silent_at
        if velocity != other:
            self._change("Fade", **{key: velocity})

    def _change(self, label: str, **changes: Any) -> None:
        self._put(label, msgspec.structs.replace(self.destination, **changes))

    def _rename_output(self) -> None:
        """Give the output another name, wherever it is a destination."""
        here, name = self.destination, self.own_name.text().strip()
        before = output_name(here.port) if isinstance(here, PortDestination) else None
        if isinstance(here, PortDestination) and before is not None:
            if name and name != before:
                self.session.edit("Name of an output", edits.rename_output(self.session.project, here.port, name))
            else:
                self.own_name.setText(before)

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
        for name in edits.own_outputs(project):
            targets[f"port:{name}"] = f"{port_words(name)} (a port of its own)"
        targets["named:"] = "A new output of Arpegon's own, with a name"
        here = self.destination
        ports = [*self.session.reports.ports.outputs, *edits.own_outputs(project)]
        if isinstance(here, PortDestination) and here.port and here.port not in ports:
            targets[f"port:{here.port}"] = f"MIDI {here.port} (not there now)"
        targets |= {f"port:{port}": f"MIDI {port}" for port in self.session.reports.ports.outputs}
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
        elif word == "named":
            strand = self.session.project.strand(self.strand_id)
            names = (output_name(port) or "" for port in edits.own_outputs(self.session.project))
            name = edits.fresh_name(strand.name if strand is not None else "out", names)
            self._put("Destination", PortDestination(port=named_output(name), **kept))
        else:
            self._put("Destination", StrandDestination(strand=rest, **kept))

    def _show_panel(self, instrument: Instrument) -> None:
        values = self.session.reports.controls.get(instrument.id, {})
        self.panel.show_controls(SOUNDS[instrument.sound].controls, values)

    def _turn(self, number: int, value: int) -> None:
        """A controller of the panel was turned: send it where the strand ends."""
        channel = self.destination.channel or 0
        instrument = self._instrument()
        if instrument is not None:
            self.session.reports.controls.setdefault(instrument.id, {})[number] = value
        self.session.link.direct(self.strand_id, [control(0.0, channel, number, value)])

    def tick(self, now: float) -> None:
        """One frame: controllers that arrived, and the level."""
        instrument = self._instrument()
        if instrument is not None:
            self._show_panel(instrument)
            told = self.session.telemetry
            self.meter.show_level(told.meters.get(instrument.id, 0.0) if now - told.now < 0.3 else 0.0)

    def hooked(self, target: str) -> None:
        self.refresh()

    def refresh(self) -> None:
        destination = self.destination
        self.target.set_options(self._targets())
        if isinstance(destination, InstrumentDestination):
            self.target.set_value(f"instrument:{destination.instrument}")
        elif isinstance(destination, PortDestination):
            self.target.set_value(f"port:{destination.port}")
        else:
            self.target.set_value(f"strand:{destination.strand}")
        self.channel.set_value("" if destination.channel is None else str(destination.channel))
        self.delay.set_value(destination.delay_ms)
        fades = destination.silent_at is not None and destination.full_at is not None
        for widget in (self.delay, self.fades):
            widget.setVisible(not isinstance(destination, StrandDestination))
        self.fades.set_value(fades)
        for slider, value in ((self.silent_at, destination.silent_at), (self.full_at, destination.full_at)):
            slider.setVisible(fades)
            if value is not None:
                slider.set_value(value)
        self.muted.set_value(destination.muted)
        instrument = self._instrument()
        self.instrument.setVisible(instrument is not None)
        if instrument is not None:
            self.sound.set_value(instrument.sound)
            self.summary.setText(SOUNDS[instrument.sound].summary)
            live = self.session.hooking.live(instrument.id)
            self.level.set_value(live.get("level_db", instrument.level_db))
            self.pan.set_value(live.get("pan", instrument.pan))
            for slider, key in ((self.level, "level_db"), (self.pan, "pan")):
                offer_hookup(self.session.hooking, slider, instrument.id, param=key)
            self.silent.set_value(instrument.muted)
            self.apart.set_value(instrument.own_outputs)
            self.listens.set_value("" if instrument.channel is None else str(instrument.channel))
            self._show_panel(instrument)
        port = destination.port if isinstance(destination, PortDestination) else None
        name = output_name(port) if port is not None else None
        self.own_box.setVisible(name is not None)
        if not self.own_name.hasFocus():
            self.own_name.setText(name or "")
        found = f"Other programs find this output as “Arpegon: {name or 'out'}” among the MIDI ports of ALSA and JACK."
        self.port_words.setText(found if port == OWN_PORT or name is not None else "")
