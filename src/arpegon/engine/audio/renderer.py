"""Blocks of sound, made of events: each sounds at its own time plus one constant latency."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from numpy.typing import NDArray

from arpegon.core.document.model import Instrument
from arpegon.core.events import Event
from arpegon.core.time import studio
from arpegon.engine.audio.monitor import Monitored
from arpegon.engine.devices.lateness import Lateness
from arpegon.engine.hearing.ears import BLOCK_SECONDS
from arpegon.sound.mixer import Mixer

_KEPT_SECONDS = 0.5
"""How old an event may be that is still played when a device was opened: the first note opens it."""
_MONITOR_SECONDS = 2.0 * BLOCK_SECONDS
"""How much later than instruments audio is heard that comes in: the block that it waits for, and the way."""

Array = NDArray[Any]


class Renderer:
    """Turns timed events into blocks, for whoever asks for the next one.

    Args:
        rate: samples a second.
        after: the renderer whose place this one takes; what waits there of late is not lost.
    """

    def __init__(self, rate: int, after: Renderer | None = None) -> None:
        self.rate = rate
        self.mixer = Mixer(rate)
        self.latency = 0.0
        self.load = 0.0
        self.lateness = Lateness()
        """Of what sounded, against its own sample."""
        self._queue: deque[tuple[str, Event]] = deque()
        self._pending: list[tuple[str, Event]] = []
        if after is not None:
            # The queue is one and the same: the engine may still put into the old one while the new one begins.
            self._queue = after._queue
            late = studio.now() - _KEPT_SECONDS
            self._pending = [entry for entry in after._pending if entry[1].time > late]
            while self._queue and self._queue[0][1].time <= late:
                self._queue.popleft()
        self._instruments: tuple[Instrument, ...] | None = None
        self._monitors: dict[str, Monitored] = {}

    def monitor(self, whose: str, samples: Array, rate: int, start: float) -> None:
        """Take audio of shape (frames, channels) that is to be heard itself, and began at ``start`` seconds."""
        line = self._monitors.get(whose)
        if line is None or line.rate != rate:
            line = self._monitors[whose] = Monitored(rate)
        line.add(samples, start)

    def set_instruments(self, instruments: Iterable[Instrument]) -> None:
        """New settings, from the next block on."""
        self._instruments = tuple(instruments)

    def play(self, instrument: str, events: Sequence[Event]) -> None:
        """Take events in studio time."""
        self._queue.extend([(instrument, event) for event in events])

    @property
    def silent(self) -> bool:
        """Whether nothing sounds until something is played."""
        waits = self._queue or self._pending or self._monitors or self._instruments is not None
        return not waits and self.mixer.silent

    def rest(self, frames: int) -> None:
        """Let so many frames pass in silence."""
        self.load = 0.0
        self.mixer.rest(frames)

    def block(self, frames: int, start: float, latency: float, apart: Mapping[str, Array] | None = None) -> Array:
        """The next block, which begins at ``start`` (studio time); float32 of shape (2, frames).

        What sounds of instruments named in ``apart`` is added to these blocks instead.
        """
        began = time.perf_counter()
        self.latency = latency
        instruments, self._instruments = self._instruments, None
        if instruments is not None:
            self.mixer.set_instruments(instruments)
        pending = self._pending
        while self._queue:
            pending.append(self._queue.popleft())
        due: list[tuple[int, str, Event]] = []
        later: list[tuple[str, Event]] = []
        for instrument, event in pending:
            offset = round((event.time + latency - start) * self.rate)
            if offset < frames:
                due.append((max(0, offset), instrument, event))
                self.lateness.add(start, max(0, -offset) / self.rate)
            else:
                later.append((instrument, event))
        self._pending = later
        due.sort(key=lambda entry: entry[0])
        out = self.mixer.render(frames, due, apart)
        for line in list(self._monitors.values()):
            line.mix(out, start - latency - _MONITOR_SECONDS, self.rate)
        spent = (time.perf_counter() - began) * self.rate / frames
        self.load += 0.1 * (spent - self.load)
        return out
