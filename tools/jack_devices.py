"""A keyboard and a synthesizer of other programs, over JACK, to the frame: for tests, measures and long runs."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Sequence
from typing import Any

import jack
import numpy as np

from arpegon.engine.devices.jack_calls import PeriodCalls, call_in_periods

Hear = Callable[[list[int], int], None]
"""Hears a message, and at which of JACK's frames it came; called from JACK's thread."""

_PATIENCE_SECONDS = 20.0
_ATTEMPTS = 3
_LEAVE_SECONDS = 1.0
"""How long a device goes on that is closed; a server that stands still calls it no more."""


def leave(client: Any, calls: PeriodCalls) -> None:
    """Leave JACK, which calls nothing of Python's but this."""
    calls.end()
    client.deactivate()
    client.close()


class _Device:
    """A JACK client with one MIDI port; the port is there from the beginning."""

    client: Any
    port: Any

    def __init__(self, name: str, kind: str, port: str) -> None:
        self.cycles = 0
        self.called = time.monotonic()
        self.running = True
        for attempt in range(_ATTEMPTS):
            try:
                self._join(name, kind, port)
                break
            except jack.JackError:  # a server on a busy machine may not hear of a client in time
                if attempt == _ATTEMPTS - 1:
                    raise

    def _join(self, name: str, kind: str, port: str) -> None:
        self.client = jack.Client(name, no_start_server=True)
        try:
            self.port = getattr(self.client, kind).register(port)
            self._calls = call_in_periods(self.client, self._process)
            self.client.activate()
        except jack.JackError:
            self.client.close()
            raise

    def __repr__(self) -> str:
        """What a failure tells of it."""
        try:
            connected = [port.name for port in self.port.connections]
        except jack.JackError as error:
            connected = [str(error)]
        since = time.monotonic() - self.called
        return f"{self.client.name} ({self.cycles} periods, the last {since:.1f} s ago, connected to {connected})"

    @property
    def rate(self) -> int:
        """Frames a second."""
        return int(self.client.samplerate)

    def _process(self, frames: int) -> None:
        self.cycles += 1
        self.called = time.monotonic()
        self.cycle(frames)

    def cycle(self, frames: int) -> None:
        """Work on a period."""
        raise NotImplementedError

    def connect(self, stem: str) -> None:
        """Connect with the first port whose name begins so, as soon as there is one, and it is in the graph.

        Raises:
            RuntimeError: there is none.
        """
        end = time.monotonic() + _PATIENCE_SECONDS
        while time.monotonic() < end:
            wanted = {"is_input": True} if self.port.is_output else {"is_output": True}
            found = [port for port in self.client.get_ports(is_midi=True, **wanted) if port.name.startswith(stem)]
            if found and self._connected(found[0]):
                in_graph = self.cycles + 3
                while self.cycles < in_graph and time.monotonic() < end:
                    time.sleep(0.001)
                return
            time.sleep(0.01)
        raise RuntimeError(f"no port {stem}")

    def _connected(self, other: Any) -> bool:
        """Whether it could be connected to another port: that of a client that only starts cannot yet."""
        try:
            self.port.connect(other)
        except jack.JackError:
            return False
        return True

    def close(self) -> None:
        """Leave JACK, once what was to leave has left: what stands in a port is heard in each period."""
        self.running = False
        done, end = self.cycles + 2, time.monotonic() + _LEAVE_SECONDS
        while self.cycles < done and time.monotonic() < end:
            time.sleep(0.001)
        leave(self.client, self._calls)


class Keyboard(_Device):
    """Sends what it is told to, each message at the beginning of a period or at a frame in it."""

    def __init__(self, name: str, port: str = "out") -> None:
        self._queue: deque[tuple[float, bytes]] = deque()
        self.sent: deque[int] = deque(maxlen=10_000)
        """The frames at which messages left."""
        super().__init__(name, "midi_outports", port)

    def send(self, message: Sequence[int], place: float = 0.0) -> None:
        """Send a message in the next period, at a place in it (0-1)."""
        self._queue.append((place, bytes(message)))

    def cycle(self, frames: int) -> None:
        self.port.clear_buffer()
        first = self.client.last_frame_time
        offset = 0
        while self._queue:
            place, message = self._queue.popleft()
            offset = max(offset, int(place * frames))
            self.port.write_midi_event(offset, message)
            self.sent.append(first + offset)


class Pulse(_Device):
    """Sends one message again and again, by the frame, and does nothing else: what a client can reach here.

    Args:
        gap: frames from one to the next, which need not be whole.
    """

    def __init__(self, name: str, message: Sequence[int], gap: float, port: str = "out") -> None:
        self._message = bytes(message)
        self._gap = gap
        self._next = -1.0
        self.sent = 0
        """How often, until now."""
        super().__init__(name, "midi_outports", port)

    def cycle(self, frames: int) -> None:
        self.port.clear_buffer()
        first = self.client.last_frame_time
        if self._next < 0.0:
            self._next = float(first)
        while int(self._next) < first + frames and self.running:
            self.port.write_midi_event(max(0, int(self._next) - first), self._message)
            self._next += self._gap
            self.sent += 1


class Synth(_Device):
    """Hears what comes.

    Args:
        once: whether what this program hears again, because it was late for a period and is called twice in the next,
            is heard once.
    """

    def __init__(self, name: str, hear: Hear, port: str = "in", once: bool = False) -> None:
        self._hear = hear
        self._once = once
        self._before: tuple[int, list[tuple[int, bytes]]] = (-1, [])
        super().__init__(name, "midi_inports", port)

    def cycle(self, frames: int) -> None:
        first = self.client.last_frame_time
        found = [(offset, bytes(message)) for offset, message in self.port.incoming_midi_events()]
        if self._once and found and self._before == (first, found):
            return
        self._before = first, found
        for offset, message in found:
            self._hear(list(message), first + offset)


class Ear(_Device):
    """Hears where sound begins after silence."""

    def __init__(self, name: str, quiet: float = 1e-5, port: str = "in") -> None:
        self._quiet = quiet
        self.begun: deque[int] = deque(maxlen=10_000)
        """The frames at which sound began."""
        self._sounds = True
        super().__init__(name, "inports", port)

    def cycle(self, frames: int) -> None:
        first = self.client.last_frame_time
        loud = np.nonzero(np.abs(self.port.get_array()) > self._quiet)[0]
        if not len(loud):
            self._sounds = False
        elif not self._sounds:
            self._sounds = True
            self.begun.append(first + int(loud[0]))

    def connect_audio(self, source: str) -> None:
        """Listen to a port of another client, as soon as there is one."""
        end = time.monotonic() + _PATIENCE_SECONDS
        while time.monotonic() < end:
            if self.client.get_ports(f"^{source}$") and self._connected(source):
                return
            time.sleep(0.01)
        raise RuntimeError(f"no port {source}")
