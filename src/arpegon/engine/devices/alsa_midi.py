"""MIDI ports over ALSA's sequencer, where there is one: one client, whose queue lets everything leave on time."""

from __future__ import annotations

import contextlib
import logging
import os
import threading
import time
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from arpegon.core.events import SYSEX, Event
from arpegon.core.time import studio
from arpegon.engine.devices.lateness import Lateness
from arpegon.engine.devices.systems import OWN_CLIENT, Receiver

log = logging.getLogger(__name__)

_SEQUENCER = "/dev/snd/seq"
"""Where there is none, to ask for it costs time and fills the log."""
LATENCY_SECONDS = 0.002
"""How much later than its time everything leaves: longer than the engine is late now and then, so that all of it leaves
evenly."""
_STEPS_A_SECOND = 6250
"""How often the queue looks at what is due: the most that ALSA allows; by itself it looks every millisecond."""
_POOL = 2000
"""Messages that may wait to leave."""
_ODD_SECONDS = 0.25
"""A stamp this far from when a message was read is none of the queue's."""
_TRIES = 3
_SYSEX_END = 0xF7
_MAX_SYSEX = 2**20


T = TypeVar("T")


class AlsaPort:
    """A port of ours; ``other`` is what it is connected to (``None``: whoever comes)."""

    def __init__(self, client: AlsaClient, port: Any, other: tuple[int, int] | None) -> None:
        self._client = client
        self.port = port
        self.other = other

    @property
    def alive(self) -> bool:
        return self._client.has(self)

    def close(self) -> None:
        self._client.leave(self)


class AlsaOutput(AlsaPort):
    """A port at which we speak."""

    def send(self, events: Sequence[Event]) -> None:
        self._client.send(self.port, events)

    def take_reconnected(self) -> bool:
        """Whoever had connected our own output does so again."""
        return False


P = TypeVar("P", bound=AlsaPort)


class AlsaClient:
    """A client of the sequencer with a queue, and a thread that hears.

    Args:
        api: the binding of ALSA's library.
        lateness: takes how late what left was.

    Raises:
        Exception: of whatever kind, where there is no sequencer that takes us.
    """

    def __init__(self, api: Any, lateness: Lateness) -> None:
        self._api = api
        self._lateness = lateness
        self._client = api.SequencerClient(OWN_CLIENT)
        self._client.set_client_pool_output(_POOL)
        self._queue = self._client.create_queue(OWN_CLIENT)
        with contextlib.suppress(api.ALSAError):  # a timer that has its own steps
            timer = self._queue.get_timer()
            timer.resolution = _STEPS_A_SECOND
            self._queue.set_timer(timer)
        self._queue.start()
        self._client.drain_output()
        self._begun = 0.0
        """When the queue began, in studio time."""
        self.keep_time()
        self._receivers: dict[int, Receiver] = {}
        """Who takes what comes to a port, by its number."""
        self._parts: dict[int, bytearray] = {}
        """Of messages that come in parts, what has come, by the number of the port."""
        self._sending = threading.Lock()
        self._call = self._client.create_port("call", caps=api.PortCaps.WRITE | api.PortCaps.NO_EXPORT)
        """At which we call our own thread."""
        self._thread = threading.Thread(target=self._hear, name="alsa-midi", daemon=True)
        self._thread.start()

    def keep_time(self) -> None:
        """Learn how the queue's time lies in studio time."""
        looks = []
        for _ in range(_TRIES):
            before = studio.now()
            passed = _seconds(self._queue.get_status().real_time)
            after = studio.now()
            looks.append((after - before, (before + after) / 2.0 - passed))
        self._begun = min(looks)[1]

    def ports(self) -> tuple[dict[str, tuple[int, int]], dict[str, tuple[int, int]]]:
        """The inputs and outputs that others offer, by their names with their numbers at the end, and where they
        are."""
        api, ways = self._api, (self._api.READ_PORT, self._api.WRITE_PORT)
        wanted = api.PortType.MIDI_GENERIC | api.PortType.SYNTH | api.PortType.APPLICATION
        listed = self._client.list_ports(type=None, sort=False, include_no_export=False)
        inputs, outputs = (
            {
                f"{one.client_name}:{one.name} {one.client_id}:{one.port_id}": (one.client_id, one.port_id)
                for one in listed
                if one.type & wanted and one.capability & way == way
            }
            for way in ways
        )
        return inputs, outputs

    def open_input(self, name: str, receive: Receiver, other: tuple[int, int] | None = None) -> AlsaPort:
        """Hear what comes to a port of ours."""
        port = self._client.create_port(
            name,
            caps=self._api.WRITE_PORT,
            timestamping=True,
            timestamp_real=True,
            timestamp_queue=self._queue,
        )
        self._receivers[port.port_id] = receive
        return self._connected(AlsaPort(self, port, other), port.connect_from)

    def open_output(self, name: str, other: tuple[int, int] | None = None) -> AlsaOutput:
        """A port of ours, to speak at."""
        port = self._client.create_port(name, caps=self._api.READ_PORT)
        return self._connected(AlsaOutput(self, port, other), port.connect_to)

    def _connected(self, opened: P, connect: Callable[[tuple[int, int]], None]) -> P:
        if opened.other is not None:
            try:
                connect(opened.other)
            except self._api.ALSAError:
                self.leave(opened)
                raise
        return opened

    def has(self, opened: AlsaPort) -> bool:
        """Whether a port is still connected to what it was opened for."""
        if opened.other is None:
            return True
        with contextlib.suppress(self._api.Error):
            return any(tuple(one.addr) == opened.other for one in opened.port.list_subscribers())
        return False

    def leave(self, opened: AlsaPort) -> None:
        """Close a port, after what waits to leave there."""
        if isinstance(opened, AlsaOutput):
            time.sleep(2.0 * LATENCY_SECONDS)
        with self._sending, contextlib.suppress(self._api.Error):
            self._receivers.pop(opened.port.port_id, None)
            self._parts.pop(opened.port.port_id, None)
            opened.port.close()

    def send(self, port: Any, events: Sequence[Event]) -> None:
        """Have events leave at their times."""
        api, now = self._api, studio.now()
        with self._sending:
            try:
                for event in events:
                    at = event.time + LATENCY_SECONDS
                    self._lateness.add(now, max(0.0, now - at))
                    stamp = max(0.0, at - self._begun)
                    message = api.MidiBytesEvent(event.to_bytes(), time=stamp, relative=False)
                    self._client.event_output(message, queue=self._queue, port=port)
                self._client.drain_output()
            except api.Error:  # the port went away in the middle: the next look will notice
                log.debug("could not send to ALSA", exc_info=True)
                self._client.drop_output_buffer()  # else it would be tried again before all that follows

    def close(self) -> None:
        """Leave the sequencer, once what waits has left."""
        with self._sending, contextlib.suppress(self._api.Error):
            self._client.event_output(self._api.Event(self._api.EventType.USR0), port=self._call, dest=self._call)
            self._client.drain_output()
        self._thread.join(2.0)
        if self._thread.is_alive():
            log.warning("ALSA could not be left: what hears does not answer")
        else:
            self._client.close()

    # -- the thread that hears ---------------------------------------------------------------------

    def _hear(self) -> None:
        while True:
            try:
                event = self._client.event_input(prefer_bytes=True)
                if event is None or event.type == self._api.EventType.USR0:
                    return
                if isinstance(event, self._api.MidiBytesEvent):
                    self._take(event)
            except self._api.ALSAError:  # more came than it keeps: that is lost
                log.warning("ALSA lost something that came in", exc_info=True)
            except Exception:  # whoever takes it met with a fault
                log.exception("a fault while hearing from ALSA")

    def _take(self, event: Any) -> None:
        number, message = event.dest.port_id, event.midi_bytes
        receive, parts = self._receivers.get(number), self._parts.get(number)
        if receive is None or not message:
            return
        if message[0] == SYSEX or (parts is not None and message[0] < 0x80):
            whole = bytearray() if parts is None or message[0] == SYSEX else parts
            whole += message
            if message[-1] != _SYSEX_END and len(whole) < _MAX_SYSEX:
                self._parts[number] = whole
                return
            self._parts.pop(number, None)
            message = bytes(whole)
        now = studio.now()
        came = now if event.time is None else self._begun + _seconds(event.time)
        receive(message, came if 0.0 <= now - came < _ODD_SECONDS else now)


def _seconds(stamp: Any) -> float:
    return float(stamp.seconds + stamp.nanoseconds * 1e-9)


class AlsaMidi:
    """ALSA's sequencer."""

    label = "ALSA"

    def __init__(self) -> None:
        self._client: AlsaClient | None = None
        self.lateness = Lateness()
        """Of what left."""
        self._there: tuple[dict[str, tuple[int, int]], dict[str, tuple[int, int]]] = {}, {}
        self._said = ""

    @property
    def latency(self) -> float:
        """How many seconds after something came what answers it leaves."""
        return LATENCY_SECONDS if self._client is not None else 0.0

    def look(self) -> tuple[list[str], list[str]] | None:
        if not os.path.exists(_SEQUENCER):
            return None
        try:
            if self._client is None:
                import alsa_midi  # its library is there wherever there is ALSA

                self._client = AlsaClient(alsa_midi, self.lateness)
            self._client.keep_time()
            self._there = self._client.ports()
        except Exception as error:  # no library, no right to it, or a name that cannot be read
            if str(error) != self._said:
                self._said = str(error)
                log.warning("ALSA's sequencer cannot be used: %s", error)
            if self._client is None:
                return None
        return list(self._there[0]), list(self._there[1])

    def open_own(self, receive: Receiver) -> tuple[AlsaPort, AlsaOutput] | None:
        return self._opened(lambda client: (client.open_input("in", receive), client.open_output("out")))

    def open_named(self, name: str) -> AlsaOutput | None:
        return self._opened(lambda client: client.open_output(name))

    def open_input(self, name: str, receive: Receiver) -> AlsaPort | None:
        return self._opened(lambda client: client.open_input(name, receive, self._there[0][name]))

    def open_output(self, name: str) -> AlsaOutput | None:
        return self._opened(lambda client: client.open_output(name, self._there[1][name]))

    def _opened(self, open_on: Callable[[AlsaClient], T]) -> T | None:
        if self._client is None:
            return None
        try:
            return open_on(self._client)
        except Exception:  # busy or gone
            log.debug("a port of ALSA's cannot be opened", exc_info=True)
            return None

    def close(self) -> None:
        if self._client is not None:
            self._client.close()
        self._client = None
