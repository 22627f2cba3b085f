"""The session: the document and its history, the engine, the memory, the selection. The widgets' one model."""

from __future__ import annotations

import random
import time
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document import edits
from arpegon.core.document.history import History
from arpegon.core.document.model import AudioSource, Project, Stage, Strand
from arpegon.core.document.routing import working_order
from arpegon.core.errors import ArpegonError
from arpegon.core.events import Event, note_off, note_on
from arpegon.core.processing.parameters import with_defaults
from arpegon.core.time.clock import position_text
from arpegon.core.time.tapping import Taps
from arpegon.engine.live.client import EngineClient
from arpegon.engine.wire import protocol
from arpegon.files.places import Settings, save_settings, state_dir
from arpegon.processors import processor_class
from arpegon.processors.tossing import tossed
from arpegon.ui.model.filing import Filing
from arpegon.ui.model.hooking import Hooking
from arpegon.ui.model.paper import Paper
from arpegon.ui.model.path_watch import Paths
from arpegon.ui.model.piece import Piece
from arpegon.ui.model.recorder import Recorder
from arpegon.ui.model.timers import one_shot, ticking

ENGINE_DEBOUNCE_MS = 8


class Selection(msgspec.Struct, frozen=True):
    """What stands on the bench: a stage by its id, or a source or destination of a strand by its place."""

    strand: str = ""
    part: str = ""
    stage: str = ""
    place: int = 0


NOTHING = Selection()


def fresh_audio(session: Session, kind: str) -> AudioSource:
    """A new audio source, with the settings that new ones begin with."""
    source_id = edits.fresh_id(kind, (stage.id for _, stage in session.project.stages()))
    params = dict(session.settings.listening.get(kind, {}))
    return AudioSource(id=source_id, listen=kind, params=params)  # type: ignore[arg-type]


class Session(QObject):
    """What the window works on.

    Signals:
        changed: the document is another one.
        selected: something else stands on the bench.
        reported: a batch of telemetry was taken in.
        noticed: the notices are others.
        ports_changed: MIDI ports or audio devices came or went.
        file_changed: the file, or whether it is saved, changed.
        heard: a note on came in from outside (its feed, the event), whether or not a strand took it.
    """

    changed = pyqtSignal()
    selected = pyqtSignal()
    reported = pyqtSignal(object)
    noticed = pyqtSignal()
    ports_changed = pyqtSignal()
    file_changed = pyqtSignal()
    heard = pyqtSignal(str, object)
    _arrived = pyqtSignal(object)

    def __init__(self, settings: Settings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.settings = settings
        self.history = History(Project())
        self.papers: dict[str, Paper] = {}
        self.controls: dict[str, dict[int, int]] = {}
        """The controllers that arrived at each instrument, with their last value."""
        self.selection = NOTHING
        self.notices: dict[str, str] = {}
        self._chains: dict[str, list[str]] = {}
        self.ports = protocol.Ports([], [], [])
        self.telemetry = protocol.Telemetry(time.monotonic(), 0.0, False, 120.0, None, [], [], {}, protocol.Health())
        self._taps = Taps()
        self.filing = Filing(self)
        self.hooking = Hooking(self)
        self.piece = Piece(self)
        self.recorder = Recorder(self)
        self.paths = Paths(self)
        self.client = EngineClient(self._arrived.emit, state_dir() / "engine.log")
        self._arrived.connect(self._take_report)
        self._send_timer = one_shot(self, ENGINE_DEBOUNCE_MS)
        self._send_timer.timeout.connect(self.send_project)
        self._prune_timer = ticking(self, 500)
        self._prune_timer.timeout.connect(self._prune)

    # -- start and end -----------------------------------------------------------------------------

    def start(self) -> None:
        """Start the engine; returns at once."""
        self.client.start()
        self.client.send(protocol.SetAudio(self.settings.audio_device, self.settings.block))
        self.send_project()
        self._prune_timer.start()
        self.paths.start()

    def close(self) -> None:
        """End in order: the engine lets go of its notes; what is not saved is offered at the next start."""
        self._prune_timer.stop()
        self.paths.stop()
        self._send_timer.stop()
        self.client.close()
        self.filing.close()

    def change_settings(self, **changes: Any) -> None:
        """Change what is remembered from one start to the next."""
        self.settings = msgspec.structs.replace(self.settings, **changes)
        save_settings(self.settings)

    # -- the document ------------------------------------------------------------------------------

    @property
    def project(self) -> Project:
        """The document now, as it is in the section that holds; edits of it go to :meth:`edit`."""
        return self.piece.view

    def edit(self, label: str, project: Project, merge: str | None = None) -> None:
        """Go on with an edited document; ``merge`` joins the steps of a drag. A loop among strands is refused."""
        try:
            working_order(project)
        except ArpegonError as error:
            self.notice("edit", str(error))
            self.changed.emit()
            return
        if self.history.do(label, self.piece.edited(project), merge):
            self._after_edit()

    def settle(self) -> None:
        """End a drag."""
        self.history.settle()

    def undo(self) -> None:
        """Take the last edit back."""
        if self.history.undo() is not None:
            self._after_edit()

    def redo(self) -> None:
        """Do again what was taken back."""
        if self.history.redo() is not None:
            self._after_edit()

    def _after_edit(self) -> None:
        seen = self.project
        self.piece.look()
        self.hooking.edited(seen)
        self._drop_stale()
        now = time.monotonic()
        for strand in self.project.strands:
            after = [stage.id for stage in strand.stages]
            before = self._chains.get(strand.id, after)
            if before != after and strand.id in self.papers:
                self.papers[strand.id].restructure(before, after, now)
        self._remember_chains()
        self._send_timer.start()
        self.filing.keep_soon()
        self.changed.emit()
        self.file_changed.emit()

    def _remember_chains(self) -> None:
        self._chains = {strand.id: [stage.id for stage in strand.stages] for strand in self.project.strands}

    def _drop_stale(self) -> None:
        """Forget the selection and papers of what is gone."""
        known = {strand.id for strand in self.project.strands}
        for strand_id in [strand_id for strand_id in self.papers if strand_id not in known]:
            del self.papers[strand_id]
        chosen = self.selection
        strand = self.project.strand(chosen.strand)
        gone = strand is None or (
            (chosen.part == "stage" and all(stage.id != chosen.stage for stage in strand.stages))
            or (
                chosen.part == "source"
                and (
                    chosen.place >= len(strand.sources)
                    or getattr(strand.sources[chosen.place], "id", "") != chosen.stage
                )
            )
            or (chosen.part == "destination" and chosen.place >= len(strand.destinations))
        )
        if gone and chosen != NOTHING:
            self.select(NOTHING)

    def send_project(self) -> None:
        """Let the engine work on the document as it is now."""
        self.client.set_project(self.history.project, self.filing.folder)

    def send_edits(self) -> None:
        """Let an edit that waits go to the engine before what comes next."""
        if self._send_timer.isActive():
            self._send_timer.stop()
            self.send_project()

    def set_params(self, stage_id: str, values: Mapping[str, Any], settled: bool = False) -> None:
        """Set parameters of a stage, by the short cut while a knob is dragged."""
        found = self.project.find_stage(stage_id)
        if found is None:
            return
        params = {param.key: param for param in processor_class(found[1].kind).params}
        try:
            checked = {key: params[key].check(value) for key, value in values.items()}
        except ArpegonError as error:
            self.notice("edit", str(error))
            return
        label = ", ".join(params[key].label for key in values)
        before = self.project
        merge = f"{stage_id}:{'+'.join(values)}"
        self.edit(f"{found[1].kind}: {label}", edits.set_params(before, stage_id, checked), merge)
        if self.project is not before:
            stage = self.project.find_stage(stage_id)
            if stage is not None:
                self.client.send(protocol.SetParams(stage_id, stage[1].params))
        if settled:
            self.settle()

    def toss(self, stage_id: str) -> None:
        """New values for the lanes of a stage that are ticked for a toss."""
        found = self.project.find_stage(stage_id)
        if found is not None:
            processor, values = processor_class(found[1].kind), self.values(found[1])
            lanes = list(values.get("toss_lanes", ()))
            made = tossed(processor, values, lanes, random.randrange(1_000_000), self.project.key)
            if made:
                self.set_params(stage_id, made, settled=True)

    def values(self, stage: Stage) -> dict[str, Any]:
        """All parameters of a stage, defaults included, and as hookups have set them."""
        return with_defaults(processor_class(stage.kind).params, stage.params) | self.hooking.live(stage.id)

    def ink_number(self, strand_id: str) -> int:
        """The number of a strand's ink: its own, or that of its place."""
        strand = self.project.strand(strand_id)
        if strand is not None and strand.ink is not None:
            return strand.ink
        return next((place for place, strand in enumerate(self.project.strands) if strand.id == strand_id), 0)

    # -- selection ---------------------------------------------------------------------------------

    def select(self, selection: Selection) -> None:
        """Put something on the bench."""
        if selection != self.selection:
            self.settle()
            self.selection = selection
            self.client.send(protocol.Watch(selection.stage))
            self.selected.emit()

    def select_stage(self, stage_id: str) -> None:
        """Put a stage, or a source that makes notes by itself, on the bench."""
        found = self.project.find_stage(stage_id)
        if found is None:
            return
        place = next((at for at, one in enumerate(found[0].sources) if getattr(one, "id", "") == stage_id), None)
        if place is None:
            self.select(Selection(found[0].id, "stage", stage_id))
        else:
            self.select_source(found[0].id, place)

    def select_source(self, strand_id: str, place: int) -> None:
        """Put a source on the bench."""
        strand = self.project.strand(strand_id)
        if strand is not None and place < len(strand.sources):
            self.select(Selection(strand_id, "source", getattr(strand.sources[place], "id", ""), place))

    def select_part(self, strand: str, part: str, stage: str, place: int) -> None:
        """Put a part of a strand on the bench."""
        if part == "source":
            self.select_source(strand, place)
        else:
            self.select(Selection(strand, part, stage, place))

    # -- transport and playing ---------------------------------------------------------------------

    def play(self) -> None:
        """Start or stop."""
        self.client.send(protocol.Stop() if self.telemetry.playing else protocol.Play())

    def tap(self) -> None:
        """Take a tap of the tempo; from the second one on it is the tempo."""
        tempo = self._taps.tap(time.monotonic())
        if tempo is not None:
            self.edit("Tap tempo", edits.set_project(self.project, tempo=tempo), "tap")

    def add_metronome(self) -> None:
        """A strand that clicks with the transport."""
        project, strand_id = edits.add_metronome(self.project)
        self.edit("Add a metronome", project)
        self.select(Selection(strand_id, "strand"))

    def set_count_in(self, bars: int) -> None:
        """How many bars are counted before a recording begins."""
        self.edit("Count-in", edits.set_project(self.project, count_in=bars))

    def toggle_on_stop(self) -> None:
        """Stop where it is, or go back to the start."""
        other = "start" if self.project.on_stop == "stay" else "stay"
        self.edit("What stop does", edits.set_project(self.project, on_stop=other))

    def command(self, stage_id: str, act: str, value: float | None = None) -> None:
        """Have a stage or generator do something now, such as ``start`` or ``stop``."""
        self.client.send(protocol.Act(stage_id, act, value))

    def rewind(self) -> None:
        """Go to the start."""
        self.client.send(protocol.Locate(0.0))

    def all_off(self) -> None:
        """Silence everything."""
        self.client.send(protocol.AllOff())
        now = time.monotonic()
        for paper in self.papers.values():
            for line in paper.lines.values():
                line.let_go(now)

    def feed(self, *events: Event) -> None:
        """Play events on the play surface; an edit that waits goes first, so that it is heard at once."""
        self.send_edits()
        self.client.send(protocol.Feed("surface", list(events)))

    def hear(self, strand_id: str, notes: Sequence[int], seconds: float = 0.8) -> None:
        """Sound notes for a moment at a strand's destinations, past its stages."""
        strand = self.project.strand(strand_id)
        if strand is not None and notes:
            events = [note_on(0.0, 0, note, 90) for note in notes]
            events += [note_off(seconds, 0, note) for note in notes]
            self.client.send(protocol.Direct(strand_id, events))

    def beat_at(self, now: float) -> float:
        """The transport's beat at a monotonic time, from the last telemetry."""
        told = self.telemetry
        return told.beat + ((now - told.now) * told.tempo / 60.0 if told.playing else 0.0)

    def position(self, now: float) -> str:
        """The transport's position, as it is read."""
        return position_text(self.beat_at(now), self.project.meter)

    # -- what the engine reports -------------------------------------------------------------------

    def paper(self, strand_id: str) -> Paper:
        """The rolls of a strand."""
        return self.papers.setdefault(strand_id, Paper())

    def _take_report(self, report: protocol.Report) -> None:
        if isinstance(report, protocol.Telemetry):
            self.telemetry = report
            self.piece.take(report)
            for printed in report.printed:
                self._print(printed)
            if report.health.sounding == 0 and not report.printed:
                self._let_go_below(report.now)
            for instrument, values in report.controls.items():
                self.controls.setdefault(instrument, {}).update(values)
            self.recorder.doubt(report)
            for feed, event in report.heard:
                self.heard.emit(feed, event)
            self.reported.emit(report)
        elif isinstance(report, protocol.Hooked):
            self.hooking.take(report)
        elif isinstance(report, protocol.Ports):
            self.ports = report
            self.ports_changed.emit()
        else:
            if report.topic == "restart":
                now = time.monotonic()
                for paper in self.papers.values():
                    for line in paper.lines.values():
                        line.let_go(now)
            self.notice(report.topic, report.text)

    def _let_go_below(self, now: float) -> None:
        """Nothing sounds: bars that are still open beneath a stage were printed while the strand was rebuilt."""
        for paper in self.papers.values():
            for roll, line in paper.lines.items():
                if roll > 0 and line.sounding:
                    line.let_go(now)

    def _print(self, printed: protocol.Printed) -> None:
        strand = self.project.strand(printed.strand)
        if strand is None:
            return
        self.paper(strand.id).line(printed.roll).add(printed.events)
        self.recorder.take_in(printed, len(strand.stages))

    def _prune(self) -> None:
        now = time.monotonic()
        for paper in self.papers.values():
            paper.prune(now)

    def notice(self, topic: str, text: str) -> None:
        """Say a sentence under a topic; an empty one takes it back."""
        if text:
            self.notices.pop(topic, None)
            self.notices[topic] = text
        elif self.notices.pop(topic, None) is None:
            return
        self.noticed.emit()

    # -- files -------------------------------------------------------------------------------------

    @property
    def title(self) -> str:
        """The project's title."""
        return self.project.title

    def load(self, project: Project, path: Path | None, folder: Path | None = None, saved: bool = True) -> None:
        """Work on another document."""
        self.history = History(project)
        if not saved:
            self.history.saved = None
        self.filing.placed(path, folder)
        self.piece.look()
        self.papers.clear()
        self.controls.clear()
        self.hooking.forget()
        self.piece.set_hold_all(False)
        self._remember_chains()
        self.recorder.forget()
        self.notices = {topic: text for topic, text in self.notices.items() if topic in ("audio", "recover")}
        self.client.send(protocol.Stop())
        self.client.send(protocol.Locate(0.0))
        self.select(NOTHING)
        self.send_project()
        self.changed.emit()
        self.file_changed.emit()
        self.noticed.emit()

    def strand_of_selection(self) -> Strand | None:
        """The strand in which the selection stands."""
        return self.project.strand(self.selection.strand)
