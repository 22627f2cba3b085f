"""The engine live: one process with the event loop, MIDI threads and the audio callback.

Started by :class:`arpegon.engine.live.client.EngineClient` as ``python -m arpegon.engine.live.loop FD``.
"""

from __future__ import annotations

import ctypes
import gc
import math
import os
import select
import signal
import socket
import sys
import threading
import time
import traceback
from collections import defaultdict, deque
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from arpegon.core.document.model import PortDestination, Project
from arpegon.core.errors import ArpegonError
from arpegon.core.events import CONTROL, NOTE_ON, Event
from arpegon.core.notes.flood import thin
from arpegon.engine.audio.audio_out import AudioOut, list_outputs
from arpegon.engine.clocks.clock_box import NAME as CLOCK_BOX
from arpegon.engine.clocks.clock_box import ClockBox
from arpegon.engine.hearing.inputs import list_inputs
from arpegon.engine.hearing.remote import RemoteHearing
from arpegon.engine.live.ports import PortHub
from arpegon.engine.simulation import Engine
from arpegon.engine.wire import protocol
from arpegon.files.assets import Cache, load_clips

TELEMETRY_SECONDS = 1.0 / 60.0
IDLE_TELEMETRY_SECONDS = 0.1
FLOOD_LIMIT = 256
"""Events that may wait at one wake-up before controllers are thinned."""
_REPORT_SECONDS = 0.0025
_REPORT_PATIENCE = 0.02
_LATENESS_SECONDS = 2.0
"""Lateness is told for what was due in the last seconds, so that one stumble is not told for long."""
_LATENESS_KEPT = 8000
_HEARD_LIMIT = 64
_SEEN_LIMIT = 12
"""Events of a roll between stages in one batch, from which on superseded controller values are left out."""
_BACKLOG_LIMIT = 600
"""Telemetry batches that may wait for a window that does not read, before meters and rolls are skipped."""

Act = Callable[[float], None]


class LiveEngine:
    """The loop: sleeps until something is due or arrives, does it, and reports.

    Args:
        channel: the way to the window.
    """

    def __init__(self, channel: protocol.Channel) -> None:
        self.channel = channel
        self.hearing = RemoteHearing(
            self.act,
            lambda events: self.engine.audio.expect(events),
            lambda *dry: self.audio.renderer.monitor(*dry),
            channel.send,
        )
        self.engine = Engine(self, hearing=self.hearing)
        self.audio = AudioOut(lambda text: channel.send(protocol.Notice("audio", text)))
        self.ports = PortHub(
            self._arrived,
            self._lost,
            self._ports_changed,
            self._port_failed,
            pause=self.audio.paused,
            clocked=self._clocked,
        )
        self.box = ClockBox()
        self._learning = False
        self._heard_of = Project()
        """The project whose instruments the audio output knows."""
        self._clock_words = ""
        self._wake = os.eventfd(0, os.EFD_NONBLOCK)
        self._arrivals: deque[tuple[str, Event]] = deque()
        self._acts: deque[Act] = deque()
        self._running = True
        self._printed: defaultdict[tuple[str, int], list[Event]] = defaultdict(list)
        self._passed: list[protocol.Passed] = []
        self._heard: list[tuple[str, Event]] = []
        self._controls: dict[str, dict[int, int]] = {}
        self._late: deque[tuple[float, float]] = deque(maxlen=_LATENESS_KEPT)
        self._clip_cache: Cache = {}
        self._missing_clips: set[str] = set()
        self._project: Project | None = None
        self._late_p99 = 0.0
        self._thinned = 0
        self._counted = 0
        self._rate = 0.0
        self._rate_since = time.monotonic()
        self._realtime = False

    # -- outputs of the graph ----------------------------------------------------------------------

    def port(self, port: str, events: Sequence[Event]) -> None:
        self.ports.send(port, events)

    def instrument(self, instrument: str, events: Sequence[Event]) -> None:
        self.audio.play(instrument, events)
        for event in events:
            if event.status & 0xF0 == CONTROL:
                self._controls.setdefault(instrument, {})[event.data1] = event.data2

    def printed(self, strand: str, roll: int, events: Sequence[Event]) -> None:
        self._printed[strand, roll] += events
        if roll == 0:
            self._counted += len(events)

    def passed(self, stage: str, event: Event | None, out: Sequence[Event]) -> None:
        clock = self.engine.clock
        beat = clock.beat_at((event or out[0]).time) if clock.playing else None
        self._passed.append(protocol.Passed(stage, beat, event, list(out)))

    # -- what arrives, from other threads ----------------------------------------------------------

    def _arrived(self, name: str, event: Event) -> None:
        self._arrivals.append((f"midi:{name}", event))
        os.eventfd_write(self._wake, 1)

    def _clocked(self, name: str, message: bytes, time: float) -> None:
        value = message[1] | message[2] << 7 if len(message) > 2 else 0
        if self.engine.follower.takes(name):
            self.act(lambda now: self.engine.clock_message(name, message[0], value, time))

    def _lost(self, name: str) -> None:
        self.act(lambda now: self.engine.lost(f"midi:{name}", max(now, self.engine.now)))

    def act(self, act: Act) -> None:
        """Have something done by the loop, at its next wake-up."""
        self._acts.append(act)
        os.eventfd_write(self._wake, 1)

    def _ports_changed(self, inputs: list[str], outputs: list[str]) -> None:
        self.channel.send(protocol.Ports(inputs, outputs, list_outputs(), list_inputs()))

    def _port_failed(self, name: str, text: str) -> None:
        self.channel.send(protocol.Notice(f"port:{name}", text))

    def listen(self) -> None:
        """Take commands until the window is gone (runs in a thread of its own)."""
        while True:
            try:
                command = self.channel.receive()
            except Exception as error:
                self.channel.send(protocol.Notice("engine", f"The engine could not read a command: {error}."))
                continue
            if command is None or isinstance(command, protocol.Quit):
                self.act(self._quit)
                return
            if isinstance(command, protocol.Feed):
                self._arrivals.extend([(command.name, event) for event in command.events])
                os.eventfd_write(self._wake, 1)
            else:
                self.act(lambda now, command=command: self._obey(command, now))  # type: ignore[misc]

    # -- commands ----------------------------------------------------------------------------------

    def _obey(self, command: protocol.Command, now: float) -> None:
        engine = self.engine
        match command:
            case protocol.SetProject():
                self._set_project(command.project, Path(command.folder), now)
            case protocol.SetParams():
                engine.set_params(command.stage, command.values)
            case protocol.Play():
                engine.play(now, command.beat)
            case protocol.Stop():
                engine.halt(now)
            case protocol.Locate():
                engine.locate(now, command.beat)
            case protocol.Watch():
                engine.graph.watched = command.stage or None
                self.hearing.watch(command.stage)
            case protocol.PlayTake():
                engine.play_take(command.parts, now, command.start)
            case protocol.StopTake():
                engine.stop_take(now)
            case protocol.Direct():
                engine.direct(command.strand, command.events, now)
            case protocol.Act():
                engine.command(command.stage, command.act, command.value, now)
            case protocol.Learn():
                self._learning = command.on
            case protocol.SetClockBox():
                self.box.configure(command.settings, now)
            case protocol.GoToSection():
                engine.sections.go(command.place, now)
            case protocol.AllOff():
                self._arrivals.clear()
                engine.all_off(now)
            case protocol.SetAudio():
                self.audio.set_device(command.device, command.block)

    def _set_project(self, project: Project, folder: Path, now: float) -> None:
        clips, missing = load_clips(project, folder, self._clip_cache)
        for file in self._missing_clips | missing.keys():
            self.channel.send(protocol.Notice(f"clip:{file}", missing.get(file, "")))
        self._missing_clips = set(missing)
        self.hearing.folder = str(folder)
        destinations = (destination for strand in project.strands for destination in strand.destinations)
        ports = {one.port for one in destinations if isinstance(one, PortDestination)}
        self.ports.want(ports | set(project.clock.send))
        try:
            self.engine.apply(project, clips, now)
            self._project = project
        except ArpegonError as error:
            self.channel.send(protocol.Notice("document", str(error)))
        else:
            self.channel.send(protocol.Notice("document", ""))

    def _quit(self, now: float) -> None:
        self.engine.finish(max(now, self.engine.now))
        self._running = False

    # -- the loop ----------------------------------------------------------------------------------

    def run(self) -> None:
        """Work until told to leave."""
        self._realtime = ask_for_realtime()
        report_at = time.monotonic()
        idle_report_at = report_at
        engine = self.engine
        waking = [self._wake]
        while self._running:
            due = min(engine.next_due(), self.box.next_due())
            busy = (
                self._printed
                or self._passed
                or self._heard
                or engine.clock.playing
                or engine.take_position is not None
                or self.hearing.waiting
            )
            wanted_at = report_at if busy else idle_report_at
            if wanted_at < time.monotonic():
                # It waits for a quiet moment, which is looked for after the next event, or for the end of patience.
                wanted_at += _REPORT_PATIENCE
            wake_at = min(due, wanted_at)
            timeout = min(1.0, wake_at - time.monotonic())
            if timeout > 0 and not self._arrivals and not self._acts and select.select(waking, [], [], timeout)[0]:
                self._drain()
            now = time.monotonic()
            if due <= now:
                self._late.append((now, now - due))
            try:
                self._work(now)
            except Exception:  # a fault in one stage must neither hang notes nor stop the others
                traceback.print_exc()
                self.channel.send(
                    protocol.Notice("engine", "The engine met a fault and silenced everything; please go on playing.")
                )
                engine.all_off(now)
            wanted_at = report_at if busy else idle_report_at
            # A report can wait a little, a note that is due in a moment cannot.
            if now >= wanted_at and (
                min(engine.next_due(), self.box.next_due()) - now > _REPORT_SECONDS
                or now > wanted_at + _REPORT_PATIENCE
            ):
                self._report(now)
                report_at = now + TELEMETRY_SECONDS
                idle_report_at = now + IDLE_TELEMETRY_SECONDS

    def _drain(self) -> None:
        try:
            os.eventfd_read(self._wake)
        except BlockingIOError:
            return

    def _work(self, now: float) -> None:
        engine = self.engine
        for time_due, status in self.box.take(now):
            engine.run(time_due)
            engine.clock_message(CLOCK_BOX, status, 0, time_due)
        while self._acts:
            engine.run(now)
            self._acts.popleft()(max(now, engine.now))
            self._hear_of(engine.graph.project)  # before notes that came with their instrument reach it
        arrivals = self._arrivals
        if arrivals:
            taken = [arrivals.popleft() for _ in range(len(arrivals))]
            if len(taken) > FLOOD_LIMIT:
                taken = self._thin(taken)
            taken.sort(key=lambda entry: entry[1].time)
            for name, event in taken:
                engine.feed(name, event if event.time <= now else event.at(now))
                heard = self._learning or event.status & 0xF0 == NOTE_ON
                if heard and len(self._heard) < _HEARD_LIMIT:
                    self._heard.append((name, event))
        engine.run(now)
        self._hear_of(engine.graph.project)

    def _hear_of(self, project: Project) -> None:
        """Tell the audio output of what sounds: the document is another, or a hookup or a section turns a level."""
        if project is self._heard_of:
            return
        if project.instruments != self._heard_of.instruments:
            self.audio.set_instruments(project.instruments)
        self.audio.need(bool(project.instruments) or any(source.monitor for _, source in project.audio_sources()))
        self._heard_of = project

    def _thin(self, taken: list[tuple[str, Event]]) -> list[tuple[str, Event]]:
        by_name: dict[str, list[Event]] = {}
        for name, event in taken:
            by_name.setdefault(name, []).append(event)
        kept = [(name, event) for name, events in by_name.items() for event in thin(events, FLOOD_LIMIT)]
        self._thinned += len(taken) - len(kept)
        return kept

    # -- telemetry ---------------------------------------------------------------------------------

    def _report(self, now: float) -> None:
        printed = [protocol.Printed(*place, self._shown(*place, events)) for place, events in self._printed.items()]
        self._printed = defaultdict(list)
        passed, self._passed = self._passed, []
        heard, self._heard = self._heard, []
        controls, self._controls = self._controls, {}
        if self.channel.waiting > _BACKLOG_LIMIT:
            return
        elapsed = now - self._rate_since
        if elapsed >= 1.0:
            self._rate = self._counted / elapsed
            while self._late and self._late[0][0] < now - _LATENESS_SECONDS:
                self._late.popleft()
            late = sorted(lateness for _, lateness in self._late)
            self._late_p99 = late[math.ceil(0.99 * len(late)) - 1] if late else 0.0
            self._counted, self._rate_since = 0, now
        clock = self.engine.clock
        telemetry = protocol.Telemetry(
            now,
            clock.beat_at(now),
            clock.playing,
            self.engine.follower.ticks.tempo or clock.tempo if self.engine.follower.on else clock.tempo,
            self.engine.take_position,
            printed,
            passed,
            self.audio.renderer.mixer.peaks(),
            self._health(),
            heard,
            controls,
            self._live(now),
            self.engine.follower.state,
            *self.hearing.seen(),
            section_wanted=-1 if self.engine.sections.wanted is None else self.engine.sections.wanted,
        )
        self.channel.send(telemetry)
        self._tell_of_clock()
        hooks = self.engine.hooks
        put = self.engine.overlay.set
        if hooks.moved or put or hooks.asked:
            done = [(*target, value, passing) for target, (value, passing) in put.items()]
            self.channel.send(protocol.Hooked(done, dict(hooks.moved), list(hooks.asked)))
            hooks.moved.clear()
            put.clear()
            hooks.asked.clear()

    def _shown(self, strand: str, roll: int, events: list[Event]) -> list[Event]:
        """What is told of a roll: first and last in full, for takes; of those between no more than can be seen."""
        found = self._project.strand(strand) if self._project is not None and len(events) > _SEEN_LIMIT else None
        if found is None or roll in (0, len(found.stages)):
            return events
        return thin(events, _SEEN_LIMIT)

    def _tell_of_clock(self) -> None:
        """Say what is wrong with the clock that is followed, once."""
        follower = self.engine.follower
        whose = follower.settings.port or "any input"
        words = follower.odd
        if follower.state == "lost":
            then = "goes on at its last tempo" if self.engine.clock.playing else "stands"
            words = f"The clock from “{whose}” no longer comes; the transport {then}."
        if words != self._clock_words:
            self._clock_words = words
            self.channel.send(protocol.Notice("clock", words))

    def _live(self, now: float) -> list[float]:
        """Where the watched stage is."""
        graph = self.engine.graph
        processor = graph.find(graph.watched) if graph.watched else None
        return processor.live(now) if processor is not None else []

    def _health(self) -> protocol.Health:
        renderer = self.audio.renderer
        return protocol.Health(
            late_p99=self._late_p99,
            audio=self.audio.name,
            audio_rests=self.audio.rests,
            audio_load=renderer.load,
            audio_latency=renderer.latency,
            audio_dropouts=renderer.dropouts,
            realtime=self._realtime,
            sounding=self.engine.graph.sounding,
            thinned=self._thinned,
            events_per_second=self._rate,
        )


def ask_for_realtime() -> bool:
    """Real-time scheduling for the calling thread, where the system allows it."""
    _set_timer_slack()
    try:
        os.sched_setscheduler(threading.get_native_id(), os.SCHED_FIFO, os.sched_param(50))
    except (OSError, AttributeError):
        return False
    return True


def _set_timer_slack() -> None:
    """Ask Linux to wake this thread on time instead of up to 50 µs late (prctl PR_SET_TIMERSLACK)."""
    try:
        ctypes.CDLL(None).prctl(29, 1, 0, 0, 0)
    except (OSError, AttributeError):
        return


def main(arguments: list[str]) -> None:
    """Run the engine on the socket whose file descriptor is the first argument."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.environ.setdefault("JACK_NO_START_SERVER", "1")
    sys.setswitchinterval(0.00002)
    sock: Any = socket.socket(fileno=int(arguments[0]))
    channel = protocol.Channel(sock, protocol.Command)
    live = LiveEngine(channel)
    signal.signal(signal.SIGTERM, lambda *_: live.act(live._quit))
    threading.Thread(target=live.listen, name="commands", daemon=True).start()
    live.ports.scan()
    live.ports.start()
    live.audio.start()
    gc.collect()
    gc.freeze()
    live.run()
    time.sleep(0.02)
    live.hearing.close()
    live.audio.close()
    live.ports.close()
    channel.close()
    os._exit(0)  # audio and MIDI libraries may keep threads of their own


if __name__ == "__main__":
    main(sys.argv[1:])
