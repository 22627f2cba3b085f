"""The session: the document and its edits, and the models beside it. All that widgets work on; it knows none."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document import edits
from arpegon.core.document.history import History
from arpegon.core.document.model import AudioSource, Project, Stage, Strand
from arpegon.core.document.routing import topological_order
from arpegon.core.errors import ArpegonError
from arpegon.core.events import Event
from arpegon.core.processing.parameters import check_params, with_defaults
from arpegon.engine.wire.protocol import Telemetry
from arpegon.files.settings import Settings, SettingsChange, SettingsKeeper
from arpegon.processors import processor_class
from arpegon.processors.tossing import tossed
from arpegon.sound import CLICK_SOUND
from arpegon.ui.look.timers import ticking
from arpegon.ui.model.change import EVERYTHING, Change, change_between
from arpegon.ui.model.drop_outs import DropOuts
from arpegon.ui.model.exporting import Export
from arpegon.ui.model.filing import Filing
from arpegon.ui.model.free_memory import EVERY_MS, give_back
from arpegon.ui.model.hooking import Hooking
from arpegon.ui.model.link import EngineLink
from arpegon.ui.model.notices import NoticeAction, Notices
from arpegon.ui.model.osc import Osc
from arpegon.ui.model.paper import Paper
from arpegon.ui.model.papers import Papers
from arpegon.ui.model.path_watch import PathWatch
from arpegon.ui.model.piece import Piece
from arpegon.ui.model.recorder import Recorder
from arpegon.ui.model.reports import Reports
from arpegon.ui.model.selection import NOTHING, Selection, source_selection, stage_selection
from arpegon.ui.model.transport import TransportModel


def fresh_audio(session: Session, kind: str) -> AudioSource:
    """A new audio source, with the settings that new ones begin with."""
    source_id = edits.fresh_id(kind, edits.part_ids(session.project))
    params = dict(session.settings.listening.get(kind, {}))
    return AudioSource(id=source_id, listen=kind, params=params)  # type: ignore[arg-type]


class Session(QObject):
    """What the window works on.

    Signals:
        leaving: another document takes the place of this one, or the window closes: what is being made ends in an edit.
        changed: the document is another one (a :class:`~arpegon.ui.model.change.Change` says what of it).
        selected: something else stands on the bench.
        reported: the engine said how it is.
        noticed: the notices are others.
        ports_changed: MIDI ports or audio devices came or went.
        file_changed: the file, or whether it is saved, changed.
        heard: a note on came in from outside (its feed, the event), whether or not a strand took it.
    """

    leaving = pyqtSignal()
    changed = pyqtSignal(object)
    selected = pyqtSignal()
    reported = pyqtSignal(object)
    noticed = pyqtSignal()
    ports_changed = pyqtSignal()
    file_changed = pyqtSignal()
    heard = pyqtSignal(str, object)

    def __init__(self, settings: Settings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.settings = settings
        self.settings_keeper = SettingsKeeper()
        self.history = History(Project())
        self.selection = NOTHING
        self._shown = Project()
        """The view that was last told of as changed."""
        self.notice_list = Notices(self)
        self.link = EngineLink(self)
        self.papers = Papers(self)
        self.transport = TransportModel(self.link, self)
        self.filing = Filing(self)
        self.hooking = Hooking(self)
        self.piece = Piece(self)
        self.recorder = Recorder(self)
        self.export = Export(self)
        self.paths = PathWatch(self)
        self.drop_outs = DropOuts(self)
        self.notice_list.changed.connect(self.noticed)
        self.reports = Reports(self)
        self.link.hooked.connect(self.hooking.take)
        self.osc = Osc(self)
        self.in_sight = True
        self._free_timer = ticking(self, EVERY_MS)
        self._free_timer.timeout.connect(give_back)

    # -- start and end -----------------------------------------------------------------------------

    def start(self) -> None:
        """Start the engine; returns at once."""
        self.link.start(self.settings.audio_device, self.settings.block)
        self.osc.start()
        self.send_project()
        self.papers.start()
        self._free_timer.start()
        self.paths.start()

    def close(self) -> None:
        """End in order: the engine lets go of its notes; what is not saved is offered at the next start."""
        self.hooking.fold()
        self.leaving.emit()
        self.papers.stop()
        self._free_timer.stop()
        self.paths.stop()
        self.osc.close()
        self.export.close()
        self.link.close()
        self.filing.close()
        self.settings_keeper.finish()

    def look(self, on: bool) -> None:
        """Whether the window is in sight; whoever is told by OSC looks, too."""
        if on != self.in_sight:
            self.in_sight = on
            self.osc.tell_looks()

    def set_audio(self, device: str | None = None, block: int | None = None) -> None:
        """Use another audio device (empty: the system's), or blocks of another length."""
        settings = self.settings
        device = settings.audio_device if device is None else device
        block = settings.block if block is None else block
        self.change_settings(audio_device=device, block=block)
        self.link.set_audio(device, block)

    def change_settings(self, **changes: Any) -> None:
        """Change what is remembered from one start to the next."""
        self.amend_settings(lambda settings: msgspec.structs.replace(settings, **changes))

    def amend_settings(self, change: SettingsChange) -> None:
        """Change what is remembered by what it was: another window may have changed what is kept."""
        self.settings = change(self.settings)
        self.settings_keeper.change(change)

    # -- the document ------------------------------------------------------------------------------

    @property
    def project(self) -> Project:
        """The document now, as it is in the section that holds; edits of it go to :meth:`edit`."""
        return self.piece.view

    def edit(self, label: str, project: Project, merge: str | None = None) -> None:
        """Go on with what was edited as it is in the section that holds; ``merge`` joins the steps of a drag."""
        self.edit_document(label, self.piece.edited(project), merge)

    def edit_document(self, label: str, document: Project, merge: str | None = None) -> None:
        """Go on with an edited document; a loop among strands is refused."""
        try:
            topological_order(document)
        except ArpegonError as error:
            self.notice("edit", str(error))
            self.changed.emit(EVERYTHING)  # what was turned or typed shows the document again
            return
        before = self.history.project
        if self.history.do(label, document, merge):
            self._after_edit(before)

    def settle(self) -> None:
        """End a drag."""
        self.history.settle()

    def undo(self) -> None:
        """Take the last edit back, or what a knob has just set."""
        self.hooking.fold()
        before = self.history.project
        if self.history.undo() is not None:
            self._after_edit(before)

    def redo(self) -> None:
        """Do again what was taken back."""
        before = self.history.project
        if self.history.redo() is not None:
            self._after_edit(before)

    def _after_edit(self, before: Project) -> None:
        self.piece.look()
        self.hooking.on_edit(before)
        self._drop_stale()
        self.link.set_project_soon(self.history.project, self.filing.folder)
        self.filing.keep_soon()
        self.tell_change()
        self.file_changed.emit()

    def tell_change(self, *fields: str) -> None:
        """Tell what is another in the view than when this was last told, and that these fields are."""
        before, self._shown = self._shown, self.project
        change = change_between(before, self._shown)
        change = Change(change.fields.union(fields), change.strands)
        if change != Change():
            self.changed.emit(change)

    def _drop_stale(self) -> None:
        """Forget the selection and papers of what is gone."""
        self.papers.keep_only({strand.id for strand in self.project.strands})
        if self.selection != NOTHING and not self.selection.there(self.project):
            self.select(NOTHING)

    def send_project(self) -> int:
        """Let the engine work on the document as it is now; returns its revision."""
        return self.link.set_project(self.history.project, self.filing.folder)

    def set_params(self, stage_id: str, values: Mapping[str, Any], settled: bool = False) -> None:
        """Set parameters of a stage, by the short cut while a knob is dragged."""
        found = self.project.find_stage(stage_id)
        if found is None:
            return
        params = {param.name: param for param in processor_class(found[1].kind).params}
        try:
            checked = check_params(list(params.values()), values, found[1].kind, found[1].params)
        except ArpegonError as error:
            self.notice("edit", str(error))
            return
        label = ", ".join(params[key].label for key in checked)
        before = self.project
        merge = f"{stage_id}:{'+'.join(values)}"
        self.edit(f"{found[1].kind}: {label}", edits.set_params(before, stage_id, checked), merge)
        if self.project is not before:
            stage = self.project.find_stage(stage_id)
            if stage is not None:
                self.link.drag_params(stage_id, stage[1].params)
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
        """Put something on the bench; what is not there, as what was just undone is in sight still, changes nothing."""
        if selection != self.selection:
            self.settle()
            if selection != NOTHING and not selection.there(self.project):
                return
            self.selection = selection
            self.link.watch(selection.stage)
            self.selected.emit()

    def select_stage(self, stage_id: str) -> None:
        """Put a stage, or a source that makes notes by itself, on the bench."""
        found = stage_selection(self.project, stage_id)
        if found is not None:
            self.select(found)

    def select_source(self, strand_id: str, place: int) -> None:
        """Put a source on the bench."""
        found = source_selection(self.project, strand_id, place)
        if found is not None:
            self.select(found)

    def select_part(self, strand: str, part: str, stage: str, place: int) -> None:
        """Put a part of a strand on the bench."""
        if part == "source":
            self.select_source(strand, place)
        else:
            self.select(Selection(strand, part, stage, place))

    def strand_of_selection(self) -> Strand | None:
        """The strand in which the selection stands."""
        return self.project.strand(self.selection.strand)

    # -- transport and playing ---------------------------------------------------------------------

    @property
    def telemetry(self) -> Telemetry:
        """How the engine was when it last said so."""
        return self.transport.told

    def play(self) -> None:
        """Start or stop."""
        self.transport.toggle()

    def tap(self) -> None:
        """Take a tap of the tempo; from the second one on it is the tempo."""
        tempo = self.transport.tap()
        if tempo is not None:
            self.edit("Tap tempo", edits.set_project(self.project, tempo=tempo), "tap")

    def add_metronome(self) -> None:
        """A strand that clicks with the transport."""
        project, strand_id = edits.add_metronome(self.project, CLICK_SOUND)
        self.edit("Add a metronome", project)
        self.select(Selection(strand_id, "strand"))

    def set_count_in(self, bars: int) -> None:
        """How many bars are counted before a recording begins."""
        self.edit("Count-in", edits.set_project(self.project, count_in=bars))

    def toggle_on_stop(self) -> None:
        """Stop where it is, or go back to the start."""
        other = "start" if self.project.on_stop == "stay" else "stay"
        self.edit("What stop does", edits.set_project(self.project, on_stop=other))

    def command(self, stage_id: str, command: str, value: float | None = None) -> None:
        """Have a stage or generator do something now, such as ``start`` or ``stop``."""
        self.link.command(stage_id, command, value)

    def rewind(self) -> None:
        """Go to the start."""
        self.link.locate(0.0)

    def all_off(self) -> None:
        """Silence everything."""
        self.link.all_off()

    def feed(self, *events: Event) -> None:
        """Play events on the play surface."""
        self.link.feed("surface", events)

    def hear(self, strand_id: str, notes: Sequence[int], seconds: float = 0.8) -> None:
        """Sound notes for a moment at a strand's destinations, past its stages."""
        if self.project.strand(strand_id) is not None and notes:
            self.link.hear(strand_id, notes, seconds)

    def beat_at(self, now: float) -> float:
        """The transport's beat at a time, from the last telemetry."""
        return self.transport.beat_at(now)

    def position(self, now: float) -> str:
        """The transport's position, as it is read."""
        return self.transport.position(now, self.piece.document)

    # -- what is told ------------------------------------------------------------------------------

    def paper(self, strand_id: str) -> Paper:
        """The rolls of a strand."""
        return self.papers.of(strand_id)

    @property
    def notices(self) -> Mapping[str, str]:
        """The sentences that stand now, by topic, oldest first."""
        return self.notice_list.texts

    def notice(self, topic: str, text: str, acts: Sequence[NoticeAction] = ()) -> None:
        """Say a sentence under a topic; an empty one takes it back."""
        self.notice_list.say(topic, text, acts)

    # -- files -------------------------------------------------------------------------------------

    @property
    def title(self) -> str:
        """The project's title."""
        return self.project.title

    def load(self, project: Project, path: Path | None, folder: Path | None = None, saved: bool = True) -> None:
        """Work on another document."""
        self.link.forget_edits()
        self.history = History(project)
        if not saved:
            self.history.saved = None
        self.filing.work_on(path, folder)
        self.piece.look()
        self.hooking.forget()
        self.piece.set_hold_all(False)
        self.recorder.forget()
        self.reports.forget()
        self.link.stop()
        self.link.locate(0.0)
        self.select(NOTHING)
        self.papers.begin(self.send_project())
        self._shown = self.project
        self.changed.emit(EVERYTHING)
        self.file_changed.emit()
