"""One client of a JACK server (JACK2's or PipeWire's) for MIDI and audio, in and out, by the frame.

Whatever comes in is stamped by its frame: a message at frame *f* came one period before *f* is worked on. Whatever
leaves does so two periods after its time, at its exact frame. So a note that is answered at once leaves one period
after the frame at which it came, and the engine may be late by a period without anybody hearing it.
"""

from __future__ import annotations

import contextlib
import glob
import logging
import math
import os
import threading
import time
from collections.abc import Callable
from typing import Any

from arpegon.engine.clocks.jack_transport import JackTransport, Place
from arpegon.engine.devices.jack_ports import LOST_PERIODS, PERIODS_LATE, JackInput, JackOutput, JackPort
from arpegon.engine.devices.lateness import Lateness
from arpegon.engine.devices.steady import SteadyStart
from arpegon.engine.devices.systems import OWN_CLIENT, Fill, Take

try:
    import jack
except (ImportError, OSError):  # this machine has no JACK library
    jack = None

log = logging.getLogger(__name__)

_STALLED_SECONDS = 5.0
"""A server that has not called us for so long has lost us."""
_SILENT_SECONDS, _SILENT_PERIODS = 0.1, 4
"""After how long without a call nobody waits for it any more."""
_JUMP_SECONDS = 0.1
_NAME_SECONDS, _NAME_PAUSE = 0.5, 0.02
"""How long an engine that was killed may go on holding its name: JACK finds out some 40 ms later."""
_BARS_ARE_SAID = 0x10
"""Of JACK's position: bar, beat and tempo are said."""
_CYCLES = 3
"""A connection that was just made takes part in the graph of the cycle after the next; what is sent before is lost."""
_CYCLES_PATIENCE = 0.5
_GLANCE_SECONDS = 0.0002
"""How long it may take to read two clocks, for one to tell of the other."""
_LOOKS = 5
"""How often a list of ports is asked for while ports come and go."""


class _Stream:
    def __init__(self, client: JackClient, name: str, generation: int) -> None:
        self._client = client
        self._generation = generation
        self.name = name

    @property
    def alive(self) -> bool:
        return self._client.generation == self._generation

    def close(self) -> None:
        if self.alive:
            self._client.silence()


class JackClient:
    """Arpegon's one client. Its ports are there as long as the server is, under names that stay.

    Args:
        name: what it is called there.
        advanced: called, from JACK's thread, once all was told until the time that somebody waits for
            (:meth:`wakes_at`).
        changed: called, from a thread of JACK's, when ports of anybody came or went.
    """

    label = "JACK"

    def __init__(
        self,
        name: str = OWN_CLIENT,
        changed: Callable[[], None] = lambda: None,
        advanced: Callable[[], None] = lambda: None,
    ) -> None:
        self._name = name
        self._changed = changed
        self._advanced = advanced
        self._lock = threading.RLock()
        self._client: Any = None
        self.generation = 0
        """Which server we are with; what was opened on an earlier one is of no use."""
        self._gone = False
        self._cycles = 0
        self._last_cycle = 0.0
        self._next_frame = 0
        self._lost_cycle = 0
        """The last cycle before which the server had skipped some,"""
        self._late_cycle = -LOST_PERIODS
        """and the last one in which it said that any of its clients was late: what left then may have been missed."""
        self._rate = 48_000
        self._steady = SteadyStart(self._rate, _JUMP_SECONDS)
        self._heard = math.inf
        """Up to when all that came in was told, in monotonic seconds,"""
        self.told_at = -math.inf
        """and when it was told."""
        self.lateness = Lateness()
        """Of what left, against its own frame."""
        self._transport: JackTransport | None = None
        self._tied, self._leads = "off", False
        self._frames = 0
        """Of the last period."""
        self._wakes_at = math.inf
        self._silence = _SILENT_SECONDS
        self._own: tuple[Any, Any] | None = None
        self._speakers: list[Any] = []
        self._targets: list[str] = []
        """What we connected the speakers to; what others connect is theirs."""
        self._inputs: tuple[JackInput, ...] = ()
        self._outputs: tuple[JackOutput, ...] = ()
        self._fill: Fill | None = None
        self._dropped: Callable[[], None] = lambda: None
        self._faulty = False

    # -- the server --------------------------------------------------------------------------------

    @property
    def there(self) -> bool:
        """Whether a server runs and has us; one that is found is joined."""
        with self._lock:
            if self._client is None:
                return self._join()
            if self._gone or time.monotonic() - self._last_cycle > _STALLED_SECONDS:
                self._leave_server()
                return False
            return True

    @property
    def joined(self) -> bool:
        """Whether a server has us, as far as is known; nobody is waited for."""
        return self._client is not None and not self._gone

    def close(self) -> None:
        """Leave the server, once all that was sent has left."""
        with self._lock:
            self._wait(lambda: not any(output.waiting for output in self._outputs))
            self._late_cycle = self._cycles  # nobody is there afterwards who would say again what was missed
            self._let_cycles_pass()
            self._leave_server()

    def _join(self) -> bool:
        if jack is None or not _may_run():
            return False
        client = None
        try:
            client = _open(self._name)
            self._rate = client.samplerate
            self._steady = SteadyStart(self._rate, _JUMP_SECONDS)
            self._speakers = [client.outports.register(name) for name in ("left", "right")]
            self._own = client.midi_inports.register("in"), client.midi_outports.register("out")
            client.set_process_callback(self._process)
            client.set_xrun_callback(self._on_xrun)
            client.set_shutdown_callback(self._shut_down)
            client.set_port_registration_callback(self._port_changed, only_available=False)
            self._gone = self._faulty = False
            self._last_cycle = time.monotonic()
            self._silence = max(_SILENT_SECONDS, _SILENT_PERIODS * client.blocksize / self._rate)
            client.activate()
        except jack.JackError as error:
            log.debug("no JACK server: %s", error)
            if client is not None:
                client.close()
            return False
        self._client = client
        self._tied, self._leads = "off", False
        self._tie()
        log.info("joined the JACK server as %s, %d frames", client.name, client.blocksize)
        return True

    def _on_xrun(self, _: float) -> None:
        self._late_cycle = self._cycles
        self._dropped()

    def _leave_server(self) -> None:
        client, self._client = self._client, None
        self.generation += 1
        self._inputs, self._outputs, self._own = (), (), None
        self._speakers, self._targets, self._fill = [], [], None
        if client is not None:
            client.deactivate()
            client.close()

    def _port_changed(self, port: Any, registered: bool) -> None:
        if registered and port is not None:
            for opened in (*self._inputs, *self._outputs):
                if opened.other == port.name:
                    opened.renewed = True
        self._changed()

    def _shut_down(self, *_: object) -> None:
        self._gone = True
        self._changed()

    # -- time --------------------------------------------------------------------------------------

    def heard_until(self, now: float) -> float:
        """Up to when all that came in was told, at most ``now``; ``now`` while no server calls us.

        A period is told of once it is over. Whoever goes beyond this may learn of something that came earlier.
        """
        return min(now, self._heard) if self._calls(now) else now

    def wakes_at(self, time: float, now: float) -> bool:
        """Have it said when all was told until a time; whether it will be said."""
        self._wakes_at = time
        return self._calls(now) and self._heard < time

    def _calls(self, now: float) -> bool:
        return self.joined and now - self._last_cycle < self._silence

    # -- the transport -----------------------------------------------------------------------------

    def tie(self, transport: JackTransport, mode: str) -> None:
        """Have a transport go along with JACK's: ``follow`` it, ``lead`` it, or not (``off``)."""
        with self._lock:
            self._transport, transport.mode = transport, mode
            if self._client is not None and not self._gone:
                self._tie()

    def _tie(self) -> None:
        """Tell the server that we go along, and whether we say its bars."""
        transport, client = self._transport, self._client
        mode = transport.mode if transport is not None else "off"
        if mode == self._tied:
            return
        with contextlib.suppress(jack.JackError):
            if "off" in (mode, self._tied):
                client.set_sync_callback(self._sync if mode != "off" else None)
            if mode == "lead":
                self._leads = client.set_timebase_callback(self._say_bars, conditional=True)
            elif self._leads:
                client.release_timebase()
                self._leads = False
            self._tied = mode

    @property
    def rate(self) -> int:
        """Samples a second."""
        return self._rate

    def start_transport(self) -> None:
        client = self._client
        if client is not None:
            client.transport_start()

    def stop_transport(self) -> None:
        client = self._client
        if client is not None:
            client.transport_stop()

    def locate_transport(self, frame: int) -> None:
        client = self._client
        if client is not None:
            client.transport_frame = frame

    def _sync(self, state: int, position: Any) -> bool:
        transport, frames = self._transport, self._frames
        if transport is None:
            return True
        try:
            return transport.sync(state, _place(position), self._heard + frames / self._rate, frames, self._rate)
        except Exception:
            log.exception("a fault in JACK's transport")
            return True

    def _say_bars(self, state: int, frames: int, position: Any, new: bool) -> None:
        if self._transport is not None:
            for name, value in self._transport.bar_of(position.frame, self._rate).items():
                setattr(position, name, value)
            position.valid = _BARS_ARE_SAID

    # -- MIDI --------------------------------------------------------------------------------------

    def look(self) -> tuple[list[str], list[str]] | None:
        with self._lock:
            if not self.there:
                return None
            return self._ports(is_midi=True, is_output=True), self._ports(is_midi=True, is_input=True)

    def open_own(self, take: Take) -> tuple[JackInput, JackOutput] | None:
        with self._lock:
            if not self.there or self._own is None:
                return None
            own = JackInput(self, self._own[0], "", take), JackOutput(self, self._own[1], "")
            self._inputs += (own[0],)
            self._outputs += (own[1],)
            return own

    def open_named(self, name: str) -> JackOutput | None:
        with self._lock:
            if not self.there:
                return None
            try:
                port = self._client.midi_outports.register(name.replace(":", " "))
            except jack.JackError:
                return None
            opened = JackOutput(self, port, "")
            self._outputs += (opened,)
            return opened

    def open_input(self, name: str, take: Take) -> JackInput | None:
        with self._lock:
            port = self._connected("midi_inports", name, lambda port: (name, port))
            if port is None:
                return None
            opened = JackInput(self, port, name, take)
            self._inputs += (opened,)
            return opened

    def open_output(self, name: str) -> JackOutput | None:
        with self._lock:
            port = self._connected("midi_outports", name, lambda port: (port, name))
            if port is None:
                return None
            opened = JackOutput(self, port, name)
            self._outputs += (opened,)
            self._let_cycles_pass()
            return opened

    def _connected(self, kind: str, name: str, ends: Callable[[Any], tuple[Any, Any]]) -> Any:
        """A port of ours that was made for another one, and is connected to it."""
        if not self.there:
            return None
        port = None
        try:
            port = getattr(self._client, kind).register(name.replace(":", " "))
            self._client.connect(*ends(port))
        except jack.JackError:
            if port is not None:
                with contextlib.suppress(jack.JackError):
                    port.unregister()
            return None
        return port

    def has(self, opened: JackPort) -> bool:
        """Whether a port was opened on the server that we are with, and is connected to what it was opened for."""
        with self._lock:
            if opened not in (*self._inputs, *self._outputs):
                return False
            return not opened.renewed or bool(opened.port.is_connected_to(opened.other))

    def leave(self, opened: JackPort) -> None:
        """Close a port, once no cycle under way works on it; our own stay."""
        with self._lock:
            if opened not in (*self._inputs, *self._outputs):
                return  # of a server that is gone
            if isinstance(opened, JackOutput):
                self._wait(lambda: not opened.waiting)
                self._let_cycles_pass()  # in which it says nothing: what stands in its port is heard in every cycle
            self._inputs = tuple(one for one in self._inputs if one is not opened)
            self._outputs = tuple(one for one in self._outputs if one is not opened)
            if self._own is None or opened.port not in self._own:
                self._let_cycles_pass()
                with contextlib.suppress(jack.JackError):
                    opened.port.unregister()

    def _let_cycles_pass(self) -> None:
        wanted = self._cycles + _CYCLES
        self._wait(lambda: self._cycles >= wanted)

    def _wait(self, condition: Callable[[], bool]) -> None:
        """Wait for something that JACK's thread does, as long as it does anything."""
        end = time.monotonic() + _CYCLES_PATIENCE
        while self._client is not None and not condition() and not self._gone and time.monotonic() < end:
            time.sleep(0.001)

    def _ports(self, **flags: bool) -> list[str]:
        """The names of ports of others."""
        for _ in range(_LOOKS):
            with contextlib.suppress(jack.JackError):  # one vanished while the list was made
                ports = self._client.get_ports(**flags)
                return [port.name for port in ports if not port.name.startswith(f"{self._client.name}:")]
        return []

    # -- audio -------------------------------------------------------------------------------------

    def open_stream(
        self, device: str, block: int, prepare: Callable[[int], Fill], dropped: Callable[[], None]
    ) -> _Stream | None:
        with self._lock:
            if not self.there:
                return None
            physical = [] if device else self._ports(is_audio=True, is_input=True, is_physical=True)
            ports = physical or self._ports(is_audio=True, is_input=True)
            name = device or (_client_of(ports[0]) if ports else "")
            targets = [port for port in ports if _client_of(port) == name]
            if device and not targets:
                return None
            self._connect_speakers(targets)
            self._dropped = dropped
            self._fill = prepare(self._rate)
            return _Stream(self, name or self.label, self.generation)

    def _connect_speakers(self, targets: list[str]) -> None:
        """Connect to a device, once; whatever a patchbay makes of it afterwards stays."""
        if targets == self._targets:
            return
        for connect, others in ((self._client.disconnect, self._targets), (self._client.connect, targets)):
            for speaker, other in zip(self._speakers, others, strict=False):
                with contextlib.suppress(jack.JackError):  # as it should be already, or just gone
                    connect(speaker, other)
        self._targets = targets

    def silence(self) -> None:
        """Play nothing more; the ports stay."""
        with self._lock:
            self._fill = None
            self._dropped = lambda: None

    def outputs(self) -> list[str]:
        return self._clients(is_input=True)

    def inputs(self) -> list[str]:
        return self._clients(is_output=True)

    def _clients(self, **flags: bool) -> list[str]:
        with self._lock:
            if not self.there:
                return []
            return list(dict.fromkeys(_client_of(port) for port in self._ports(is_audio=True, **flags)))

    # -- the cycle, in JACK's thread ---------------------------------------------------------------

    def _process(self, frames: int) -> None:
        try:
            self._cycle(frames)
        except Exception:  # JACK would never call us again
            if not self._faulty:
                self._faulty = True
                log.exception("a fault in a JACK cycle")

    def _cycle(self, frames: int) -> None:
        client = self._client
        self._cycles += 1
        self._last_cycle = time.monotonic()
        if client is None:  # still joining
            return
        rate = self._rate
        self._frames = frames
        before = time.monotonic()
        measured = before - client.frames_since_cycle_start / rate
        undisturbed = time.monotonic() - before < _GLANCE_SECONDS
        frame = client.last_frame_time
        start = self._steady.at(frame, measured, undisturbed)
        if frame != self._next_frame:
            self._lost_cycle = self._cycles
        self._next_frame = frame + frames
        lost = self._cycles - self._lost_cycle < LOST_PERIODS
        missed = lost or self._cycles - self._late_cycle < LOST_PERIODS
        came = start - frames / rate
        for opened in self._inputs:
            opened.read(came, rate, lost)
        self._heard, self.told_at = start, time.monotonic()
        transport = self._transport
        if transport is not None and transport.on:
            state, position = client.transport_query_struct()
            transport.cycle(int(state), _place(position), start, frames, rate)
        if start >= self._wakes_at:
            self._wakes_at = math.inf
            self._advanced()
        for output in self._outputs:
            output.write(self._cycles, start, frames, rate, missed)
        fill = self._fill
        if fill is not None:
            block = fill(frames, start, PERIODS_LATE * frames / rate)
            for speaker, samples in zip(self._speakers, block, strict=False):
                speaker.get_array()[:] = samples
        else:
            for speaker in self._speakers:
                speaker.get_array()[:] = 0.0


def _place(position: Any) -> Place:
    """What JACK says of a place."""
    if not position.valid & _BARS_ARE_SAID or not position.ticks_per_beat or not position.beat_type:
        return Place(position.frame)
    unit = 4.0 / position.beat_type
    beats = (position.bar - 1) * position.beats_per_bar + position.beat - 1 + position.tick / position.ticks_per_beat
    return Place(position.frame, beats * unit, position.beats_per_minute * unit)


def _may_run() -> bool:
    """Whether there is any sign of a server; asking one that is not there costs time."""
    runtime = os.environ.get("XDG_RUNTIME_DIR", "")
    return bool(glob.glob("/dev/shm/jack*") or (runtime and glob.glob(f"{runtime}/pipewire-0")))


def _open(name: str) -> Any:
    """A client under our own name, as soon as whoever was killed under it is forgotten; else under a similar one."""
    end = time.monotonic() + _NAME_SECONDS
    while True:
        exact = time.monotonic() < end
        try:
            return jack.Client(name, use_exact_name=exact, no_start_server=True)
        except jack.JackOpenError as error:
            if not exact or error.status.server_failed:  # a name that is taken is called an error of the server
                raise
        time.sleep(_NAME_PAUSE)


def _client_of(port: str) -> str:
    return port.split(":", 1)[0]
