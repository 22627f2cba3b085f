"""One client of a JACK server (JACK2's or PipeWire's) for MIDI and audio, in and out, by the frame.

Whatever comes in is stamped by its frame: a message at frame *f* came one period before *f* is worked on. Whatever
leaves does so two periods after its time, at its exact frame. So a note that is answered at once leaves one period
after the frame at which it came.

JACK's own thread only copies (:mod:`arpegon.engine.devices.relay`), and waits for none of ours. While a period lasts,
a thread of this client works on it: it tells of what came in, and has the sound of the next one made.
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

from arpegon.core.time import studio
from arpegon.engine.devices.jack_audio import JackAudio
from arpegon.engine.devices.jack_latency import LatencyReport
from arpegon.engine.devices.jack_ports import LOST_PERIODS, PERIODS_LATE, JackInput, JackOutput, JackPort
from arpegon.engine.devices.jack_tie import JackTie
from arpegon.engine.devices.lateness import Lateness
from arpegon.engine.devices.plain_relay import since
from arpegon.engine.devices.relay import Beat, Messages, Relay, relay_for
from arpegon.engine.devices.steady import FRAME_NUMBERS, FrameTime
from arpegon.engine.devices.systems import OWN_CLIENT, InputBlock, Take
from arpegon.engine.wire.realtime import SOUND, ask_for_realtime

try:
    import jack
except (ImportError, OSError):  # this machine has no JACK library
    jack = None

log = logging.getLogger(__name__)

_STALLED_SECONDS = 5.0
"""A server that has not called us for so long has lost us."""
_SILENT_SECONDS, _SILENT_PERIODS = 0.1, 4
"""After how long without a call nobody waits for it any more."""
_NAME_SECONDS, _NAME_PAUSE = 0.5, 0.02
"""How long an engine that was killed may go on holding its name: JACK finds out some 40 ms later."""
_REST_SECONDS = 0.05
"""How often we look while nothing happens, so that time is kept."""
_FAR_FRAMES = 2**30
"""Hours: for nothing to happen until then."""
_CYCLES = 3
"""A connection that was just made takes part in the graph of the cycle after the next; what is sent before is lost."""
_CYCLES_PATIENCE = 0.5
_WORK_PATIENCE = 1.0
"""How long a period of a server that runs free waits for the loop,"""
_WORK_SHARE = 0.5
"""and which share of itself any other one, before its sound is made."""
_LOOKS = 5
"""How often a list of ports is asked for while ports come and go."""


class JackClient:
    """Arpegon's one client. Its ports are there as long as the server is, under names that stay.

    Args:
        name: what it is called there.
        advanced: called, from the thread of periods, once all was told until the time that somebody waits for
            (:meth:`wakes_at`).
        changed: called, from a thread of JACK's, when ports of anybody came or went.
        heard: takes the audio that was heard, in that thread.
        said: takes a sentence for the musician; called from any thread.
    """

    label = "JACK"

    def __init__(
        self,
        name: str = OWN_CLIENT,
        changed: Callable[[], None] = lambda: None,
        advanced: Callable[[], None] = lambda: None,
        heard: Callable[[InputBlock], None] = lambda block: None,
        said: Callable[[str], None] = lambda words: None,
    ) -> None:
        self._name = name
        self._changed = changed
        self._advanced = advanced
        self._said = said
        self.lock: contextlib.AbstractContextManager[Any] = threading.RLock()
        self.audio = JackAudio(self, heard)
        self.tie = JackTie(self._moment)
        self._client: Any = None
        self.generation = 0
        """Which server we are with; what was opened on an earlier one is of no use."""
        self._gone = False
        self._joined_at = 0.0
        self._relay: Relay | None = None
        self._cycles = 0
        """The last one that was worked on."""
        self._next_frame = 0
        self._lost_cycle = 0
        """The last cycle before which the server had skipped some,"""
        self._late_cycle = -LOST_PERIODS
        """and the last one in which it said that any of its clients was late: what left then may have been missed."""
        self._rate = 48_000
        self._time = FrameTime(self._rate)
        self._heard = math.inf
        """Up to when all that came in was told, in studio time,"""
        self.told_at = -math.inf
        """and when it was told."""
        self.lateness = Lateness()
        """Of what left, against its own frame."""
        self._frames = 0
        """Of the last period."""
        self._lead = 0.0
        self._latency: LatencyReport | None = None
        self._known: tuple[int, int] | None = None
        """The rate and the period that somebody was told of, or that there were first."""
        self._wakes_at = math.inf
        self._free = False
        """Whether the server waits for nobody but its clients: then each period waits for the loop."""
        self._worked = -math.inf
        """Up to when all was worked on."""
        self._worked_on = threading.Event()
        self._rests = False
        """Whether we are not told of all periods."""
        self._missing = 0
        """Periods of ours without the sound that they should have had."""
        self._silence = _SILENT_SECONDS
        self._own: tuple[Messages, Messages] | None = None
        self._inputs: tuple[JackInput, ...] = ()
        self._outputs: tuple[JackOutput, ...] = ()
        self._faulty = False

    # -- the server --------------------------------------------------------------------------------

    @property
    def there(self) -> bool:
        """Whether a server runs and has us; one that is found is joined."""
        with self.lock:
            if self._client is None:
                return self._join()
            if self._gone or time.monotonic() - self._called > _STALLED_SECONDS:
                self._leave_server()
                return False
            return True

    @property
    def joined(self) -> bool:
        """Whether a server has us, as far as is known; nobody is waited for."""
        return self._client is not None and not self._gone

    def rename(self, name: str) -> None:
        """Be called otherwise: a client that has us is left, and joined again when somebody looks."""
        with self.lock:
            if name != self._name:
                self._name = name
                self._leave_server()
        self._changed()

    def close(self) -> None:
        """Leave the server, once all that was sent has left."""
        with self.lock:
            self._wait(lambda: not any(output.waiting for output in self._outputs))
            self._late_cycle = self._cycles  # nobody is there afterwards who would say again what was missed
            self.let_cycles_pass()
            self._leave_server()

    def _join(self) -> bool:
        if jack is None or not _may_run():
            return False
        client = None
        try:
            client = _open(self._name)
            self._rate = client.samplerate
            self._time = FrameTime(self._rate)
            relay = relay_for(client)
            self.audio.join(client, relay)
            self._own = (
                relay.add_messages(client.midi_inports.register("in"), out=False),
                relay.add_messages(client.midi_outports.register("out"), out=True),
            )
            client.set_xrun_callback(self._on_xrun)
            client.set_shutdown_callback(self._shut_down)
            client.set_blocksize_callback(lambda frames: self._learn(self._rate, frames))
            client.set_freewheel_callback(self._run_free)
            client.set_port_registration_callback(self._port_changed, only_available=False)
            self._gone = self._faulty = self._free = False
            self._joined_at, self._heard = time.monotonic(), math.inf
            self._silence = max(_SILENT_SECONDS, _SILENT_PERIODS * client.blocksize / self._rate)
            self._latency = LatencyReport(client, self._all_ports, self._own_latency)
            self._relay, self._missing = relay, 0
            client.activate()
            threading.Thread(target=self._work, args=(relay,), name="jack", daemon=True).start()
        except jack.JackError as error:
            log.debug("no JACK server: %s", error)
            if client is not None:
                client.close()
            return False
        self._client = client
        self._learn(self._rate, client.blocksize)
        self.tie.joined(client)
        log.info("joined the JACK server as %s, %d frames", client.name, client.blocksize)
        return True

    def _on_xrun(self, _: float) -> None:
        self._late_cycle = self._cycles
        self.audio.late(1)

    def _leave_server(self) -> None:
        client, self._client = self._client, None
        self.generation += 1
        self._inputs, self._outputs, self._own, self._latency = (), (), None, None
        self.audio.leave()
        self.tie.joined(None)
        if client is not None:
            client.deactivate()
            client.close()
        relay, self._relay = self._relay, None
        if relay is not None:
            relay.close()

    def _port_changed(self, port: Any, registered: bool) -> None:
        if registered and port is not None:
            for opened in (*self._inputs, *self._outputs):
                if opened.other == port.name:
                    opened.renewed = True
        self._changed()

    def _shut_down(self, *_: object) -> None:
        self._gone = True
        self._changed()

    def _learn(self, rate: int, frames: int) -> None:
        """A server that has us works so; whoever knew another one is told."""
        before, self._known = self._known, (rate, frames)
        self._silence = max(_SILENT_SECONDS, _SILENT_PERIODS * frames / rate)
        if before is None or before == self._known:
            return
        changes = [f"{rate:,} samples a second ({before[0]:,} before)"] if rate != before[0] else []
        changes += [f"periods of {frames:,} frames ({before[1]:,} before)"] if frames != before[1] else []
        self._said(f"The JACK server now has {' and '.join(changes)}; Arpegon goes on with that.")

    def _run_free(self, on: bool) -> None:
        self._free = on
        if self._relay is not None:
            self._relay.set_free(on)
        words = (
            "The JACK server runs free, faster than real time: notes and sound keep step, "
            "but what audio sources hear does not until it is done."
        )
        self._said(words if on else "")

    # -- latency -----------------------------------------------------------------------------------

    def _moment(self) -> tuple[float, int, int]:
        relay = self._relay
        return self._time.time_at(relay.frame) if relay is not None else self._heard, self._frames, self._rate

    @property
    def client(self) -> Any:
        """JACK's client; ``None`` where no server has us."""
        return self._client

    @property
    def rate(self) -> int:
        """Samples a second."""
        return self._rate

    def set_lead(self, seconds: float) -> None:
        """By how much all strands wait for one that is early: it is latency to others."""
        self._lead = seconds
        report = self._latency
        if report is not None and self.joined:
            report.look()

    @property
    def latency(self) -> float:
        """How many seconds after something came what answers it leaves."""
        return self._own_latency() / self._rate if self.joined else 0.0

    def _own_latency(self) -> int:
        frames = self._known[1] if self._known is not None else 0
        return (PERIODS_LATE - 1) * frames + round(self._lead * self._rate)

    def _all_ports(self) -> tuple[list[Any], list[Any]]:
        client = self._client
        if client is None:
            return [], []
        return [*client.inports, *client.midi_inports], [*client.outports, *client.midi_outports]

    # -- time --------------------------------------------------------------------------------------

    def heard_until(self, now: float) -> float:
        """Up to when all that came in was told; ``now`` while no server calls us.

        A period is told of once it is over. Whoever goes beyond this may learn of something that came earlier.
        """
        relay = self._relay
        if not self._calls or relay is None or self._heard == math.inf:
            return now
        frame = relay.frame
        # Where all that was told of is worked on, nothing came in the periods since.
        return max(self._heard, self._time.time_at(frame)) if relay.idle else self._heard

    def wakes_at(self, time: float) -> bool:
        """Have it said when all was told until a time; whether it will be said."""
        self._wakes_at = time
        frame = self._time.frame_at(time) if time < math.inf else self._next_frame + _FAR_FRAMES
        if self._relay is not None and frame is not None:
            self._relay.wake_at(frame % FRAME_NUMBERS)
        return self._calls and self.heard_until(math.inf) < time

    def worked(self, until: float) -> None:
        """All is worked on until a time."""
        self._worked = until
        self._worked_on.set()
        if self._rests and not self.audio.silent:
            self._rest(False)

    def _rest(self, on: bool) -> None:
        """Be told of all periods, or only of those in which something comes in or is due."""
        self._rests = on
        if self._relay is not None:
            self._relay.rest(round(_REST_SECONDS * self._rate) if on else 0)

    def _wait_for_work(self, until: float, patience: float) -> None:
        """Wait until the loop has worked up to a time: what sounds in the next period is known then."""
        end = time.monotonic() + patience
        while self._worked < until and (left := end - time.monotonic()) > 0.0:
            self._worked_on.clear()
            if self._worked < until:
                self._worked_on.wait(left)

    @property
    def _called(self) -> float:
        """When the server called, by the computer's clock: studio time stands still where nobody calls."""
        relay = self._relay
        return max(self._joined_at, relay.called if relay is not None else 0.0)

    @property
    def _calls(self) -> bool:
        return self.joined and time.monotonic() - self._called < self._silence

    def out_at(self, time: float) -> tuple[int, int]:
        """The frame at which something of a time leaves, and in which cycle, by our count."""
        frame = self._time.frame_at(time)
        if frame is None:
            return self._next_frame, self._cycles + 1
        frames = self._frames
        frame = (frame + PERIODS_LATE * frames) % FRAME_NUMBERS
        return frame, self._cycles + 1 + max(0, since(frame, self._next_frame) // frames)

    # -- MIDI --------------------------------------------------------------------------------------

    def look(self) -> tuple[list[str], list[str]] | None:
        with self.lock:
            if not self.there:
                return None
            return self.ports(is_midi=True, is_output=True), self.ports(is_midi=True, is_input=True)

    def open_own(self, take: Take) -> tuple[JackInput, JackOutput] | None:
        with self.lock:
            if not self.there or self._own is None:
                return None
            own = JackInput(self, self._own[0], "", take), JackOutput(self, self._own[1], "")
            self._inputs += (own[0],)
            self._outputs += (own[1],)
            return own

    def open_named(self, name: str) -> JackOutput | None:
        with self.lock:
            if not self.there or self._relay is None:
                return None
            try:
                port = self._client.midi_outports.register(name.replace(":", " "))
            except jack.JackError:
                return None
            opened = JackOutput(self, self._relay.add_messages(port, out=True), "")
            self._outputs += (opened,)
            return opened

    def open_input(self, name: str, take: Take) -> JackInput | None:
        with self.lock:
            port = self._connected("midi_inports", name, lambda port: (name, port))
            if port is None:
                return None
            opened = JackInput(self, port, name, take)
            self._inputs += (opened,)
            return opened

    def open_output(self, name: str) -> JackOutput | None:
        with self.lock:
            port = self._connected("midi_outports", name, lambda port: (port, name))
            if port is None:
                return None
            opened = JackOutput(self, port, name)
            self._outputs += (opened,)
            self.let_cycles_pass()
            return opened

    def _connected(self, kind: str, name: str, ends: Callable[[Any], tuple[Any, Any]]) -> Messages | None:
        """A port of ours that was made for another one, and is connected to it."""
        if not self.there or self._relay is None:
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
        return self._relay.add_messages(port, out=kind == "midi_outports")

    def has(self, opened: JackPort) -> bool:
        """Whether a port was opened on the server that we are with, and is connected to what it was opened for."""
        with self.lock:
            if opened not in (*self._inputs, *self._outputs):
                return False
            return not opened.renewed or bool(opened.port.jack.is_connected_to(opened.other))

    def leave(self, opened: JackPort) -> None:
        """Close a port, once no cycle under way works on it; our own stay."""
        with self.lock:
            if opened not in (*self._inputs, *self._outputs):
                return  # of a server that is gone
            if isinstance(opened, JackOutput):
                self._wait(lambda: not opened.waiting)
                self.let_cycles_pass()  # in which it says nothing: what stands in its port is heard in every cycle
            self._inputs = tuple(one for one in self._inputs if one is not opened)
            self._outputs = tuple(one for one in self._outputs if one is not opened)
            if self._relay is not None and (self._own is None or opened.port not in self._own):
                self._relay.remove(opened.port)
                self.let_cycles_pass()
                with contextlib.suppress(jack.JackError):
                    opened.port.jack.unregister()

    def let_cycles_pass(self) -> None:
        """Wait until no cycle is under way that knows of what was there before."""
        relay = self._relay
        if relay is not None:
            wanted = relay.cycles + _CYCLES
            self._wait(lambda: relay.cycles >= wanted)

    def _wait(self, condition: Callable[[], bool]) -> None:
        """Wait for something that JACK's thread does, as long as it does anything."""
        end = time.monotonic() + _CYCLES_PATIENCE
        while self._client is not None and not condition() and not self._gone and time.monotonic() < end:
            time.sleep(0.001)

    def ports(self, **flags: bool) -> list[str]:
        """The names of ports of others."""
        for _ in range(_LOOKS):
            with contextlib.suppress(jack.JackError):  # one vanished while the list was made
                ports = self._client.get_ports(**flags)
                return [port.name for port in ports if not port.name.startswith(f"{self._client.name}:")]
        return []

    # -- a period ----------------------------------------------------------------------------------

    def _work(self, relay: Relay) -> None:
        ask_for_realtime(SOUND)
        relay.work(self._safely)

    def _safely(self, beat: Beat, newest: bool) -> None:
        try:
            self._beat(beat, newest)
        except Exception:  # the next period may be better
            if not self._faulty:
                self._faulty = True
                log.exception("a fault in a period of JACK's")

    def _beat(self, beat: Beat, newest: bool) -> None:
        """Work on a period that began; where it is not the ``newest``, it is over."""
        relay, rate, frames = self._relay, self._rate, beat.frames
        if relay is None:  # we leave
            return
        self._frames = frames
        seconds = frames / rate
        start = self._time.at(beat.frame, beat.began, beat.called, beat.sure)
        self._cycles = beat.cycle
        if beat.lost:
            self._lost_cycle = self._cycles
        end = self._next_frame = (beat.frame + frames) % FRAME_NUMBERS
        lost = self._cycles - self._lost_cycle < LOST_PERIODS
        missed = lost or self._cycles - self._late_cycle < LOST_PERIODS
        came = False
        for opened in self._inputs:
            came |= opened.read(start - seconds, end, frames, rate, lost)
        self._heard, self.told_at = start, studio.now()
        self.tie.cycle(start, frames, rate, beat.state, beat.position)
        if came or self._free or start >= self._wakes_at:
            self._wakes_at = math.inf
            self._advanced()
            if self._free or newest:
                self._wait_for_work(start, _WORK_PATIENCE if self._free else _WORK_SHARE * seconds)
        for output in self._outputs:
            output.look(self._cycles + 1, end, missed)
        for late in relay.lates():
            self.lateness.add(start, late / rate)
        self.audio.cycle(beat.frame, frames, start, newest or self._free)
        self._rest(self.audio.silent and not self._free and not self.tie.on)
        missing, self._missing = relay.missing - self._missing, relay.missing
        self.audio.late(missing)


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
