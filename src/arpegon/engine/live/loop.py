"""The engine live: one process with the event loop, MIDI threads and the audio callback.

Started by :class:`arpegon.engine.live.client.EngineClient` as ``python -m arpegon.engine.live.loop FD``.
"""

from __future__ import annotations

import gc
import logging
import os
import select
import signal
import socket
import sys
import threading
import time
from collections.abc import Mapping
from typing import Any, Protocol

from arpegon.core.document.model import PortDestination, Project
from arpegon.core.errors import ArpegonError
from arpegon.core.notes.course import Course
from arpegon.core.time import studio
from arpegon.core.time.timecode import is_time_code
from arpegon.engine.audio.audio_in import AudioInputs
from arpegon.engine.audio.audio_out import AudioOut
from arpegon.engine.clocks.clock_box import NAME as CLOCK_BOX
from arpegon.engine.clocks.clock_box import ClockBox
from arpegon.engine.devices.alsa_midi import AlsaMidi
from arpegon.engine.devices.jack_client import JackClient
from arpegon.engine.devices.lateness import Lateness
from arpegon.engine.devices.port_hub import PortHub
from arpegon.engine.devices.portaudio import PortAudio
from arpegon.engine.graph.crowds import CrowdWatch
from arpegon.engine.hearing.remote import RemoteHearing
from arpegon.engine.live.commands import DO
from arpegon.engine.live.inbox import Inbox
from arpegon.engine.live.plan import CoursePlan
from arpegon.engine.live.reporter import Reporter
from arpegon.engine.live.start_stop import StartStop
from arpegon.engine.live.teller import Teller
from arpegon.engine.live.together import Together
from arpegon.engine.simulation import Engine
from arpegon.engine.wire import protocol
from arpegon.engine.wire.framing import WireError
from arpegon.engine.wire.quiet import hush_jack
from arpegon.engine.wire.realtime import ask_for_realtime
from arpegon.engine.wire.spare import stand_by
from arpegon.engine.wire.spawning import leave_in_time
from arpegon.engine.wire.wire import Wire, decoder
from arpegon.files.asset_reader import AssetReader
from arpegon.files.assets import CLIPS, remarks
from arpegon.files.logs import catch_faults, say_last, start_log
from arpegon.files.midi import Clip
from arpegon.files.path_text import text_path

BATCH_SECONDS = 1.0 / 60.0
"""How often what was printed is told: papers move as often as screens do,"""
TELEMETRY_SECONDS = 1.0 / 30.0
"""and all else, which meters and lamps show;"""
UNSEEN_TELEMETRY_SECONDS = 0.2
"""but so often where nobody looks at them."""
IDLE_TELEMETRY_SECONDS = 0.1
_SWITCH_SECONDS = 0.0001
"""How long a thread waits for the interpreter's lock before it is handed over. With a fifth of that the loop and the
sound handed it to and fro a thousand times a second, which cost a tenth of the engine; measured with the demo."""
_REPORT_SECONDS = 0.0025
_REPORT_PATIENCE = 0.02
_TOLD_PATIENCE = 0.1
"""How long it is waited for a period that should be over."""

log = logging.getLogger(__name__)


class HearsInPeriods(Protocol):
    """What tells of a period of time once it is over."""

    told_at: float
    """When it last told, in studio time."""
    lateness: Lateness
    """Of what left by it."""

    def heard_until(self, now: float) -> float:
        """Up to when all that came in was told; ``now`` where it is told at once."""

    def wakes_at(self, time: float) -> bool:
        """Have it said when all was told until a time; whether it will be said."""

    def worked(self, until: float) -> None:
        """All is worked on until a time."""


class LiveEngine:
    """The loop: sleeps until something is due or arrives, does it, and reports.

    Args:
        wire: the way to the window.
    """

    def __init__(self, wire: Wire) -> None:
        self.wire = wire
        self._wake = os.eventfd(0, os.EFD_NONBLOCK)
        self.inbox = Inbox(self._wake_up)
        self.soon = self.inbox.soon
        self._ports_known = threading.Event()
        self.hearing = RemoteHearing(
            self.soon,
            lambda events: self.engine.audio.expect(events),
            lambda *dry: self.audio.renderer.monitor(*dry),
            lambda now: self.engine.audio.hush(now),
            wire.send,
            self._ports_known,
        )
        jack = JackClient(
            changed=lambda: self.ports.look_soon(),
            advanced=self._wake_up,
            heard=lambda block: self.inputs.take(block),
            said=lambda words: wire.send(protocol.Notice("jack", words)),
            patched=lambda patches, settled: wire.send(protocol.Patched(patches, settled)),
        )
        self.jack = jack
        self.alsa = AlsaMidi()
        self.periods: HearsInPeriods = jack.periods
        self._call_us = jack.rename
        self.inputs = AudioInputs(jack.audio, self.hearing.heard_here, self.hearing.hear)
        self.together = Together(jack, lambda: self.engine, self.soon)
        self.plan = CoursePlan(self.soon, self._planned)
        self.audio: AudioOut = AudioOut(
            lambda text: wire.send(protocol.Notice("audio", text)), (jack.audio, PortAudio())
        )
        self.ports: PortHub = PortHub(
            lambda name, event: self.inbox.put(f"midi:{name}", event),
            self._lost,
            self._ports_changed,
            lambda missing: wire.send(protocol.Missing("port", missing)),
            self._clocked,
            (self.alsa, jack),
        )
        self.reporter = Reporter(wire, self.ports.send, self.audio.play, self._beat)
        self.engine: Engine = Engine(self.reporter, hearing=self.hearing)
        self.engine.on_moved = self.together.moved
        self.clips = AssetReader(
            CLIPS, lambda clips, missing: self.soon(lambda now: self._clips_read(clips, missing, now))
        )
        self.knows_time = False
        """Whether it was told what time it is: nothing is stamped before."""
        self.start_stop = StartStop(self.engine, self.together)
        self.teller = Teller(wire, self.engine, self.reporter, self.hearing, self.audio, self.inbox)
        self.crowds = CrowdWatch(lambda words: wire.send(protocol.Notice("crowd", words)))
        self.box: ClockBox = ClockBox()
        self._learning = False
        self._heard_of = Project()
        """The project whose instruments the audio output knows."""
        self._tell_at = 0.0
        self._telemetry_seconds = TELEMETRY_SECONDS
        self._told_turns: object = None
        """What is told at once when it is another."""
        self._running = True

    def _beat(self, time: float) -> float | None:
        clock = self.engine.clock
        return clock.beat_at(time) if clock.playing else None

    # -- what arrives, from other threads ----------------------------------------------------------

    def _wake_up(self) -> None:
        os.eventfd_write(self._wake, 1)

    def _clocked(self, name: str, message: bytes, time: float) -> None:
        clocks = self.engine.clocks
        if not clocks.takes(name):
            return
        if is_time_code(message):
            self.soon(lambda now: clocks.code_message(name, message, time))
        else:
            value = message[1] | message[2] << 7 if len(message) > 2 else 0
            self.soon(lambda now: clocks.message(name, message[0], value, time))

    def _lost(self, name: str) -> None:
        self.soon(lambda now: self.engine.lost(f"midi:{name}", max(now, self.engine.now)))

    def _ports_changed(self, inputs: list[str], outputs: list[str], opened: list[str]) -> None:
        self.wire.send(protocol.Ports(inputs, outputs, *self.audio.devices(), opened))
        self._ports_known.set()

    def listen(self) -> None:
        """Take commands until the window is gone (runs in a thread of its own)."""
        while self.take_command():
            pass

    def take_command(self) -> bool:
        """Take the next command; whether others may come."""
        try:
            command = self.wire.receive() or protocol.Quit()
        except WireError as error:
            log.error("a command could not be read: %s", error)
            self.wire.send(protocol.Notice("engine", f"The engine could not read a command ({error})."))
            if not error.lost:
                return True
            command = protocol.Quit()
        match command:
            case protocol.Quit():
                self.leave()
                return False
            case protocol.Patch():
                self.jack.patches.remember(command.connections, command.settled)
            case protocol.SetTime():
                studio.set_behind(command.behind)
                self.knows_time = True
            case protocol.Feed():
                self.inbox.play(command.name, command.events)
            case _:
                self.soon(lambda now: DO[type(command)](self, command, now))
        return True

    # -- commands ----------------------------------------------------------------------------------

    def set_project(self, command: protocol.SetProject, now: float) -> None:
        """Work on a document; one that cannot be worked out leaves the one before at work, with all that goes with it.

        Ports and all else follow once the strands are at work: what they let go of leaves by ports that are there yet.
        """
        project, folder = command.project, self.hearing.folder
        self.hearing.folder = command.folder
        try:
            self.engine.apply(project, self.clips.found, now, revision=command.revision)
        except ArpegonError as error:
            self.hearing.folder = folder
            self.wire.send(protocol.Notice("document", str(error)))
            return
        destinations = (destination for strand in project.strands for destination in strand.destinations)
        ports = {one.port for one in destinations if isinstance(one, PortDestination)}
        self.ports.want(ports | {*project.clock.send, *project.clock.code_to})
        self.start_stop.reads(self.clips.want(project, text_path(command.folder)), now)
        self.together.use(project, max(now, self.engine.now))
        self.plan.use(project)
        self.inputs.use(project)
        self.wire.send(protocol.Notice("document", ""))

    def _clips_read(self, clips: Mapping[str, Clip], missing: dict[str, str], now: float) -> None:
        self.wire.send(protocol.Missing("clip", missing))
        self.wire.send(protocol.Notice("clip-remarks", " ".join(remarks(clips))))
        self.engine.set_clips(clips, now)
        self.start_stop.read(now)

    def _planned(self, course: Course) -> None:
        self.engine.clocks.plan = self.together.transport.course = course

    def set_name(self, name: str) -> None:
        """Be called so at a JACK server, which is left and joined again beside the loop."""
        threading.Thread(target=self._call_us, args=(name,), name="name", daemon=True).start()

    def watch(self, stage: str) -> None:
        """Report exactly what a stage makes of each event (empty: none)."""
        self.engine.graph.watch(stage or None)
        self.hearing.watch(stage)

    def look(self, on: bool) -> None:
        """Whether anybody looks at what is told."""
        self._telemetry_seconds = TELEMETRY_SECONDS if on else UNSEEN_TELEMETRY_SECONDS

    def learn(self, on: bool) -> None:
        """Report all that comes in, or no longer."""
        self._learning = on

    def play_take(self, command: protocol.PlayTake, now: float) -> None:
        """Play a take, and tell of it at once: a short one may be over before anything is told again."""
        self.engine.takes.play(command.parts, now, command.start, command.end, command.through, command.keys_out)
        self._tell_all(now)

    def sync(self, number: int, now: float) -> None:
        """Say that all that was sent until now is worked on and told."""
        if self._tell_all(now):
            self.wire.send(protocol.Synced(number, self.engine.now))

    def all_off(self, now: float) -> None:
        """Silence everything; what was played after this was asked for sounds."""
        self.start_stop.forget()
        self.engine.all_off(now)

    def leave(self) -> None:
        """Have the loop end every note, and leave; the process ends though it should hang."""
        leave_in_time()
        self.soon(self.quit)

    def quit(self, now: float) -> None:
        """End every note, tell of it, and leave."""
        self.engine.finish(max(now, self.engine.now))
        self.reporter.send_batches()
        self._running = False

    # -- the loop ----------------------------------------------------------------------------------

    def run(self) -> None:
        """Work until told to leave."""
        self.teller.realtime = ask_for_realtime()
        report_at = idle_report_at = time.monotonic()  # studio time may stand still, and nobody waits for a report then
        engine = self.engine
        waking = [self._wake]
        while self._running:
            due = self.next_due()
            busy = (
                self.reporter.waiting or engine.clock.playing or engine.takes.began is not None or self.hearing.waiting
            )
            wanted_at = report_at if busy else idle_report_at
            if wanted_at < time.monotonic():
                # It waits for a quiet moment, which is looked for after the next event, or for the end of patience.
                wanted_at += _REPORT_PATIENCE
            told = self.periods.wakes_at(due)
            wake_at = due + (_TOLD_PATIENCE if told else 0.0)
            timeout = min(1.0, wake_at - studio.now(), wanted_at - time.monotonic())
            if timeout > 0 and not self.inbox.untaken and select.select(waking, [], [], timeout)[0]:
                self._drain()
            now = studio.now()
            if due <= self.periods.heard_until(now):
                self.reporter.lateness.add(now, now - max(due, self.periods.told_at))
            try:
                self._work(now)
            except Exception:  # a fault in one stage must neither hang notes nor stop the others
                log.exception("the engine met a fault")
                self.wire.send(
                    protocol.Notice("engine", "The engine met a fault and silenced everything; please go on playing.")
                )
                engine.all_off(now)
            wanted_at, clock = report_at if busy else idle_report_at, time.monotonic()
            # A report can wait a little, a note that is due in a moment cannot.
            if clock >= wanted_at and (self.next_due() - now > _REPORT_SECONDS or clock > wanted_at + _REPORT_PATIENCE):
                try:
                    self._report(now)
                except Exception:  # music goes on; where nothing is told for long, the window starts another engine
                    log.exception("how things are could not be told")
                report_at = clock + BATCH_SECONDS
                idle_report_at = clock + IDLE_TELEMETRY_SECONDS

    def next_due(self) -> float:
        """When there is something to do next by itself."""
        return min(self.engine.next_due(), self.box.next_due(), self.inbox.due())

    def _drain(self) -> None:
        try:
            os.eventfd_read(self._wake)
        except BlockingIOError:
            return

    def _work(self, now: float) -> None:
        """Do what is due, up to when all was heard: nothing that came earlier is told of afterwards."""
        engine = self.engine
        until = max(engine.now, self.periods.heard_until(now))
        for time_due, status in self.box.take(until):
            engine.run(time_due)
            engine.clocks.message(CLOCK_BOX, status, 0, time_due)
        self.inbox.take(max(now, until))
        while (wanted := self.inbox.task(until)) is not None:
            asked, task = wanted
            self._feed(asked)
            engine.run(asked)
            task(max(asked, engine.now))
            self._hear_of(engine.graph.project)  # before notes that came with their instrument reach it
        self.start_stop.look(now, until)
        self._feed(until)
        engine.run(until)
        self._hear_of(engine.graph.project)
        self.periods.worked(until)

    def _feed(self, until: float) -> None:
        """Let in what arrived up to a time."""
        for name, event in self.inbox.events(until):
            self.engine.feed(name, event)
            self.reporter.heard(name, event, self._learning)

    def _hear_of(self, project: Project) -> None:
        """Tell the audio output of what sounds: the document is another, or a hookup or a section turns a level."""
        if project is self._heard_of:
            return
        if project.instruments != self._heard_of.instruments:
            self.audio.set_instruments(project.instruments)
        self.audio.need(bool(project.instruments) or any(source.monitor for _, source in project.audio_sources()))
        self._heard_of = project

    # -- telemetry ---------------------------------------------------------------------------------

    def _report(self, now: float) -> None:
        if not self.reporter.send_batches():
            self.reporter.drop()
            return
        engine, moment = self.engine, time.monotonic()
        turns = (engine.clock.playing, engine.sections.wanted, engine.takes.began, engine.waiting)
        if turns == self._told_turns and moment < self._tell_at and not engine.hooks.asked:
            return
        self._told_turns, self._tell_at = turns, moment + self._telemetry_seconds - 0.5 * BATCH_SECONDS
        self._tell(now)

    def _tell_all(self, now: float) -> bool:
        """Tell what passed, and how things are; False where the window does not read."""
        reads = self.reporter.send_batches()
        if reads:
            self._tell(now)
        return reads

    def _tell(self, now: float) -> None:
        """Tell how things are, and see to what need not be seen to at every event."""
        self.reporter.measure(now, (self.periods.lateness, self.alsa.lateness, self.audio.renderer.lateness))
        self.teller.tell(now)
        self.hearing.keep_time()
        self.jack.set_lead(self.engine.graph.lead)
        self.engine.clocks.ahead = self.jack.latency or self.alsa.latency
        self.together.look()
        self.crowds.look(self.engine.graph.project, lambda: self.engine.graph.left_out)


def main(arguments: list[str]) -> None:
    """Run the engine on the socket whose file descriptor is the first argument."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    sock: Any = socket.socket(fileno=int(arguments[0]))
    decoder(protocol.EngineCommand)
    if not stand_by(sock):
        return
    start_log("engine")
    hush_jack()
    catch_faults(say_last)
    os.environ.setdefault("JACK_NO_START_SERVER", "1")
    sys.setswitchinterval(_SWITCH_SECONDS)
    wire = Wire(sock, protocol.EngineCommand)
    live = LiveEngine(wire)
    signal.signal(signal.SIGTERM, lambda *_: live.leave())
    while not live.knows_time and live.take_command():  # how its ports were connected, too, before they are there
        pass
    threading.Thread(target=live.listen, name="commands", daemon=True).start()
    live.ports.start()
    live.audio.start()
    gc.collect()
    gc.freeze()
    live.run()
    time.sleep(0.02)
    live.inputs.close()
    live.hearing.close()
    live.audio.close()
    live.ports.close()
    wire.close()
    os._exit(0)  # audio and MIDI libraries may keep threads of their own


if __name__ == "__main__":
    main(sys.argv[1:])
