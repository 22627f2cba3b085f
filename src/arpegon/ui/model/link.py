"""The window's link to the engine: commands go out by name, reports come in as signals."""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document.model import Project
from arpegon.core.events import Event, note_off, note_on
from arpegon.core.notes.taps import Batch
from arpegon.core.time import studio
from arpegon.engine.clocks.clock_box import BoxSettings
from arpegon.engine.live.client import EngineClient
from arpegon.engine.live.keeper import MemoryKeeper
from arpegon.engine.wire import protocol
from arpegon.files.logs import ENGINE_ERRORS, log_file
from arpegon.ui.look.timers import one_shot
from arpegon.ui.model.beside import beside

_SOON_MS = 8
"""How long a document that is edited waits for further steps of the same hand, from the first one on: about as long as
between two moves of a mouse."""
_SYNC_PATIENCE = 2.0
"""How long an engine may take to say that all is told: it needs a period of its device, some milliseconds; on a machine
that comes to little else, more."""


class EngineLink(QObject):
    """The only place in the window that knows the messages of the wire.

    An edited document waits a moment for further edits; no command that is given after an edit comes before it.

    Signals:
        printed: a batch of what passed the taps.
        told: how the engine is.
        hooked: what hookups did.
        ports: the ports that are there.
        missing: what the document names and is not there.
        said: a topic and a sentence.
    """

    printed = pyqtSignal(object)
    told = pyqtSignal(object)
    hooked = pyqtSignal(object)
    ports = pyqtSignal(object)
    missing = pyqtSignal(object)
    said = pyqtSignal(str, str)
    _arrived = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._inbox: deque[protocol.EngineReport] = deque()
        self._by_frames = False
        self._syncs = 0
        self.keeper = MemoryKeeper(lambda text: self.arrive(protocol.Notice("memory", text)))
        self.client = EngineClient(self.arrive, log_file(ENGINE_ERRORS), self.keeper)
        self._arrived.connect(self.deliver)
        self._edited: tuple[Project, Path] | None = None
        """The document that waits, and the folder in which its files lie."""
        self._soon = one_shot(self, _SOON_MS)
        self._soon.timeout.connect(self.send_edits)
        self._signals = {
            Batch: self.printed,
            protocol.Telemetry: self.told,
            protocol.Hooked: self.hooked,
            protocol.Ports: self.ports,
            protocol.Missing: self.missing,
        }

    def arrive(self, report: protocol.EngineReport) -> None:
        """A report is there; called in any thread."""
        self._inbox.append(report)
        if not self._by_frames:
            self._arrived.emit()

    def set_by_frames(self, on: bool) -> None:
        """Whether reports wait for :meth:`deliver`, which is called at every frame then: a window that draws need not
        wake for each. Else they are told as they come."""
        self._by_frames = on
        self.deliver()

    def deliver(self) -> None:
        """Tell what is there."""
        while self._inbox:
            self._take(self._inbox.popleft())

    def _take(self, report: protocol.EngineReport) -> None:
        if isinstance(report, protocol.Notice):
            self.said.emit(report.topic, report.text)
        else:
            self._signals[type(report)].emit(report)

    # -- the process -------------------------------------------------------------------------------

    def start(self, device: str, block: int) -> None:
        """Start the engine; returns at once."""
        self.client.start()
        self.set_audio(device, block)

    def start_anew(self) -> None:
        """Start it again: it ended too often, or hangs."""
        self.client.start_anew()

    def listen_anew(self) -> None:
        """Have the process that listens started again: it ended too often, or hangs."""
        self._send(protocol.ListenAnew())

    def close(self) -> None:
        """End it in order; it lets go of its notes."""
        self.forget_edits()
        self.client.close()

    # -- the document ------------------------------------------------------------------------------

    def set_project(self, project: Project, folder: Path) -> int:
        """Have the engine work on a document now; returns its revision."""
        self.forget_edits()
        return self.client.set_project(project, folder)

    def set_project_soon(self, project: Project, folder: Path) -> None:
        """Have the engine work on a document before anything else that it is told, or in a moment."""
        self._edited = project, folder
        if not self._soon.isActive():  # a hand that never rests is heard, too
            self._soon.start()

    def send_edits(self) -> None:
        """Let the document that waits go to the engine."""
        if self._edited is not None:
            self.set_project(*self._edited)

    def forget_edits(self) -> None:
        """Let no document wait any longer."""
        self._edited = None
        self._soon.stop()

    def drag_params(self, stage: str, values: Mapping[str, Any]) -> None:
        """The short cut for a knob that is dragged: it passes the document that waits, which has these values too."""
        self.client.send(protocol.SetParams(stage, dict(values)))

    # -- commands ----------------------------------------------------------------------------------

    def _send(self, command: protocol.EngineCommand) -> None:
        self.send_edits()
        self.client.send(command)

    def set_params(self, stage: str, values: Mapping[str, Any]) -> None:
        """Have a stage or source work with values that are not in the document."""
        self._send(protocol.SetParams(stage, dict(values)))

    def set_audio(self, device: str, block: int) -> None:
        """Use an audio device (empty: the default one) with blocks of so many frames."""
        self._send(protocol.SetAudio(device, block))

    def set_name(self, name: str) -> None:
        """Be called so at a JACK server."""
        self._send(protocol.SetName(name))

    def set_clock_box(self, settings: BoxSettings) -> None:
        """Turn the knobs of the clock box."""
        self._send(protocol.SetClockBox(settings))

    def watch(self, stage: str) -> None:
        """Have every event of a stage reported (empty: none)."""
        self._send(protocol.Watch(stage))

    def look(self, on: bool) -> None:
        """Whether anybody looks at meters, lamps and the like: else they are told of seldom."""
        self._send(protocol.Look(on))

    def learn(self, on: bool) -> None:
        """Have all that comes in reported, or no longer."""
        self._send(protocol.Learn(on))

    def feed(self, name: str, events: Sequence[Event]) -> None:
        """Let events arrive at a feed, in studio time."""
        self._send(protocol.Feed(name, list(events)))

    def direct(self, strand: str, events: Sequence[Event]) -> None:
        """Send events straight to a strand's destinations, at seconds from now."""
        self._send(protocol.Direct(strand, list(events)))

    def hear(self, strand: str, notes: Sequence[int], seconds: float) -> None:
        """Sound notes for a moment at a strand's destinations, past its stages."""
        events = [note_on(0.0, 0, note, 90) for note in notes]
        self.direct(strand, [*events, *(note_off(seconds, 0, note) for note in notes)])

    def command(self, stage: str, command: str, value: float | None) -> None:
        """Have a stage or generator do something, such as ``start`` or ``stop``."""
        self._send(protocol.CommandStage(stage, command, value))

    def play(self, beat: float | None = None) -> None:
        """Start the transport."""
        self._send(protocol.Play(beat))

    def stop(self) -> None:
        """Stop the transport."""
        self._send(protocol.Stop())

    def locate(self, beat: float) -> None:
        """Set the transport to a beat."""
        self._send(protocol.Locate(beat))

    def go_to_section(self, place: int) -> None:
        """Go to a section."""
        self._send(protocol.GoToSection(place))

    def play_take(
        self,
        parts: Mapping[str, Sequence[Event]],
        start: float,
        end: float | None = None,
        through: bool = False,
        keys_out: bool = False,
    ) -> None:
        """Play recorded events, between two seconds or to the last of them, straight to the strands' destinations or
        through their stages; live keys may be kept out meanwhile."""
        events = {strand: list(events) for strand, events in parts.items()}
        self._send(protocol.PlayTake(events, start, end, through, keys_out))

    def remembered_until(self) -> float:
        """Wait until all is remembered that was played, or asked for here, by now; the window lives on meanwhile.

        Returns:
            Until when it is, in studio time: now or a little later. An engine that does not answer is not waited for.
        """
        now = studio.now()
        if not self.client.supervisor.running:
            return now
        self._syncs += 1
        number = self._syncs
        self._send(protocol.Sync(number))
        until = beside(lambda: self.keeper.synced(number, _SYNC_PATIENCE))
        return now if until is None else max(now, until)

    def stop_take(self) -> None:
        """Stop the take that plays."""
        self._send(protocol.StopTake())

    def all_off(self) -> None:
        """Silence everything."""
        self._send(protocol.AllOff())
