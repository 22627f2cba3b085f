"""One client of a JACK server (JACK2's or PipeWire's) for MIDI and audio, in and out, by the frame.

Whatever comes in is stamped by its frame: a message at frame *f* came one period before *f* is worked on. Whatever
leaves does so two periods after its time, at its exact frame. So a note that is answered at once leaves one period
after the frame at which it came.

JACK's own thread only copies (:mod:`arpegon.engine.devices.relay`), and waits for none of ours. While a period lasts,
a thread of this client works on it: it tells of what came in, and has the sound of the next one made.
"""

from __future__ import annotations

import contextlib
import logging
import threading
import time
from collections.abc import Callable, Sequence
from typing import Any

from arpegon.engine.devices.compiled_relay import compiled_relay
from arpegon.engine.devices.jack_audio import JackAudio
from arpegon.engine.devices.jack_latency import LatencyReport
from arpegon.engine.devices.jack_leaving import Leaving
from arpegon.engine.devices.jack_opening import Opening, is_called, may_run, open_client
from arpegon.engine.devices.jack_patches import Patch, Patches
from arpegon.engine.devices.jack_periods import Periods
from arpegon.engine.devices.jack_ports import PERIODS_LATE, JackInput, JackOutput, JackPort
from arpegon.engine.devices.plain_relay import PlainRelay
from arpegon.engine.devices.relay import Messages, Relay
from arpegon.engine.devices.systems import OWN_CLIENT, InputBlock, Receiver

try:
    import jack
except (ImportError, OSError):  # this machine has no JACK library
    jack = None

log = logging.getLogger(__name__)

_STALLED_SECONDS = 5.0
"""A server that has not called us for so long has lost us."""
_ANSWER_SECONDS = 3.0
"""How long a server may take to make us its client, or to call us then, before all else goes on without it."""
_LEAVE_SECONDS = 1.0
"""How long it may take to let us go."""
_NO_ANSWER = "The JACK server does not answer. Arpegon goes on without it, and takes it up when it does."
_CYCLES = 3
"""A connection that was just made takes part in the graph of the cycle after the next; what is sent before is lost."""
_CYCLES_PATIENCE = 0.5
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
        patched: takes what our ports are connected to, and the ports that we connected by ourselves, whenever these
            are others; called from any thread.
    """

    label = "JACK"

    def __init__(
        self,
        name: str = OWN_CLIENT,
        changed: Callable[[], None] = lambda: None,
        advanced: Callable[[], None] = lambda: None,
        heard: Callable[[InputBlock], None] = lambda block: None,
        said: Callable[[str], None] = lambda words: None,
        patched: Callable[[list[Patch], list[str]], None] = lambda patches, settled: None,
    ) -> None:
        self._name = name
        self._changed = changed
        self._said = said
        self.lock: contextlib.AbstractContextManager[Any] = threading.RLock()
        self.patches = Patches(patched)
        self.audio = JackAudio(self, heard)
        self.periods = Periods(self.audio, advanced)
        self.tie = self.periods.tie
        self.tie.said = said
        self._client: Any = None
        self._opening: Opening | None = None
        """A client that the server did not give us yet."""
        self.generation = 0
        """Which server we are with; what was opened on an earlier one is of no use."""
        self._gone = ""
        """Why the server has us no more, since it said so."""
        self._relay: Relay | None = None
        self._rate = 48_000
        self._lead = 0.0
        self._latency: LatencyReport | None = None
        self._leaving: Leaving | None = None
        self._answers = True
        self._known: tuple[int, int] | None = None
        """The rate and the period that somebody was told of, or that there were first."""
        self._own: tuple[Messages, Messages] | None = None

    # -- the server --------------------------------------------------------------------------------

    @property
    def there(self) -> bool:
        """Whether a server runs and has us; one that is found is joined."""
        with self.lock:
            if self._client is None:
                return self._join()
            if self._gone or time.monotonic() - self.periods.called > _STALLED_SECONDS:
                log.warning("left the JACK server: %s", self._gone or "it stood still")
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
            self._say_the_last(self.periods.outputs)
            self._leave_server()

    def _join(self) -> bool:
        if jack is None or not may_run():
            self._set_answers(True)  # there is none that could
            return False
        if self._leaving is not None and self._leaving.under_way:
            self._set_answers(False)
            return False
        client: Any = None
        relay: Relay | None = None
        try:
            client = self._opened()
            if client is None:
                return False
            self._rate = client.samplerate
            if not self._rate:
                raise jack.JackError("it stands still, and does not say its rate")
            relay = compiled_relay(client) or PlainRelay(client)
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
            self._gone = ""
            self._latency = LatencyReport(client, self._all_ports, self._own_latency, self._changed)
            self.periods.begin(relay, self._rate, client.blocksize)
            client.activate()
            if not is_called(relay, _ANSWER_SECONDS):
                self._set_answers(False)
                raise jack.JackError("it has us, but calls us in no period")
        except Exception as error:  # whatever it was, nothing is kept of a client that is half there
            self._client, self._relay = client, relay
            self._leave_server()
            if not isinstance(error, jack.JackError):
                raise
            log.debug("not a client of a JACK server: %s", error)
            return False
        self._set_answers(True)
        self._client, self._relay = client, relay
        self._learn(self._rate, client.blocksize)
        self.tie.set_client(client)
        self.patches.join()
        self.patches.look(client)
        log.info("joined the JACK server as %s, %d frames", client.name, client.blocksize)
        return True

    def _opened(self) -> Any:
        """A client of the server; ``None`` while it does not answer."""
        opening = self._opening or Opening(self._name, open_client)
        try:
            client = opening.client(0.0 if self._opening is not None else _ANSWER_SECONDS)
        except jack.JackError:
            self._opening = None
            self._set_answers(True)  # with an error
            raise
        if client is None:
            self._opening = opening
            self._set_answers(False)
            return None
        self._opening = None
        if opening.name != self._name:
            client.close()
            return self._opened()
        return client

    def _set_answers(self, on: bool) -> None:
        """Say that the server does not answer, or does again, once."""
        if on != self._answers:
            self._answers = on
            self._said("" if on else _NO_ANSWER)

    def _on_xrun(self, _: float) -> None:
        self.periods.may_be_missed()
        self.audio.late(1)

    def _leave_server(self) -> None:
        client, relay, tied = self._client, self._relay, self.tie.on
        called = (relay, self._latency)
        self.generation += 1
        self._client = self._own = self._latency = self._relay = None
        self.patches.leave()
        self.audio.leave()
        self.tie.set_client(None)
        if client is not None:
            calls = relay.calls if relay is not None else None
            self._leaving = Leaving(client, calls, tied, called)
            self._leaving.wait(_LEAVE_SECONDS)
        self.periods.end()

    def _port_changed(self, port: Any, registered: bool) -> None:
        if registered and port is not None:
            for opened in (*self.periods.inputs, *self.periods.outputs):
                if opened.other == port.name:
                    opened.renewed = True
        self._changed()

    def _shut_down(self, status: object, reason: str) -> None:
        self._gone = f"{reason or 'it let us go'} ({status})"
        self.periods.gone = True
        self._changed()

    def _learn(self, rate: int, frames: int) -> None:
        """A server that has us works so; whoever knew another one is told."""
        before, self._known = self._known, (rate, frames)
        self.periods.expect(rate, frames)
        if before is None or before == self._known:
            return
        changes = [f"{rate:,} samples a second ({before[0]:,} before)"] if rate != before[0] else []
        changes += [f"periods of {frames:,} frames ({before[1]:,} before)"] if frames != before[1] else []
        self._said(f"The JACK server now has {' and '.join(changes)}; Arpegon goes on with that.")

    def _run_free(self, on: bool) -> None:
        self.periods.set_free(on)
        words = (
            "The JACK server runs free, faster than real time: notes and sound keep step, "
            "but what audio sources hear does not until it is done."
        )
        self._said(words if on else "")

    # -- latency -----------------------------------------------------------------------------------

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

    # -- MIDI --------------------------------------------------------------------------------------

    def look(self) -> tuple[list[str], list[str]] | None:
        with self.lock:
            if not self.there:
                return None
            self.patches.look(self._client)
            return self.ports(is_midi=True, is_output=True), self.ports(is_midi=True, is_input=True)

    def open_own(self, receive: Receiver) -> tuple[JackInput, JackOutput] | None:
        with self.lock:
            if not self.there or self._own is None:
                return None
            own = JackInput(self, self._own[0], "", receive), self._output(self._own[1], "")
            self.periods.inputs += (own[0],)
            return own

    def open_named(self, name: str) -> JackOutput | None:
        with self.lock:
            if not self.there or self._relay is None:
                return None
            try:
                port = self._client.midi_outports.register(name.replace(":", " "))
            except jack.JackError:
                return None
            return self._output(self._relay.add_messages(port, out=True), "")

    def open_input(self, name: str, receive: Receiver) -> JackInput | None:
        with self.lock:
            port = self._connected("midi_inports", name, lambda port: (name, port))
            if port is None:
                return None
            opened = JackInput(self, port, name, receive)
            self.periods.inputs += (opened,)
            return opened

    def open_output(self, name: str) -> JackOutput | None:
        with self.lock:
            port = self._connected("midi_outports", name, lambda port: (port, name))
            if port is None:
                return None
            opened = self._output(port, name)
            self.let_cycles_pass()
            return opened

    def _output(self, port: Messages, other: str) -> JackOutput:
        opened = JackOutput(self, port, other, self.periods.out_at)
        self.periods.outputs += (opened,)
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
            if opened not in (*self.periods.inputs, *self.periods.outputs):
                return False
            return not opened.renewed or bool(opened.port.jack.is_connected_to(opened.other))

    def leave(self, opened: JackPort) -> None:
        """Close a port, once no cycle under way works on it; our own stay."""
        with self.lock:
            if opened not in (*self.periods.inputs, *self.periods.outputs):
                return  # of a server that is gone
            if isinstance(opened, JackOutput):
                self._say_the_last((opened,))
            self.periods.forget(opened)
            if self._relay is not None and (self._own is None or opened.port not in self._own):
                self._relay.remove(opened.port)
                self.let_cycles_pass()
                with contextlib.suppress(jack.JackError):
                    opened.port.jack.unregister()

    def take_reconnected(self, port: Any) -> bool:
        """Report once that a port was reconnected; events sent after that arrive."""
        with self.lock:
            if not self.joined or port.shortname not in self.patches.reconnected:
                return False
            self.patches.reconnected.discard(port.shortname)
            self.let_cycles_pass()
            return True

    def _say_the_last(self, outputs: Sequence[JackOutput]) -> None:
        """Wait until all that was sent has left and was said again, as afterwards nobody is there to do that; and until
        nothing more is said, as what stands in a port is heard in every cycle.
        """
        self._wait(lambda: not any(output.waiting for output in outputs))
        for output in outputs:
            output.leaves()
        self.periods.may_be_missed()
        self._wait(lambda: not self.periods.in_doubt)
        self.let_cycles_pass()

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
            with contextlib.suppress(jack.JackError, RuntimeError):  # one vanished while the list was made
                ports = self._client.get_ports(**flags)
                return [port.name for port in ports if not port.name.startswith(f"{self._client.name}:")]
        return []
