"""JACK's periods relayed by Python alone, where no compiler was there: see :mod:`arpegon.engine.devices.relay`."""

from __future__ import annotations

import contextlib
import queue
import threading
import time
from collections import deque
from collections.abc import Callable
from typing import Any

import numpy as np

from arpegon.engine.devices.jack_calls import call_in_periods
from arpegon.engine.devices.relay import GLANCE_SECONDS, PATIENCE_SECONDS, PATIENCE_SHARE, Array, Beat
from arpegon.engine.devices.steady import FRAME_NUMBERS, since

try:
    from jack import JackError
except (ImportError, OSError):  # this machine has no JACK library
    JackError = RuntimeError

_ROOM = 1 << 15
"""Frames of samples that are kept."""


class _Messages:
    def __init__(self, port: Any, out: bool, late: deque[int]) -> None:
        self.jack = port
        self.left_out = 0
        self.cycle = self._say if out else self._hear
        self._late = late
        self._queue: deque[tuple[int, bytes]] = deque()

    @property
    def waiting(self) -> bool:
        return bool(self._queue)

    def push(self, frame: int, message: bytes) -> bool:
        self._queue.append((frame, message))
        return True

    def pull(self, end: int) -> list[tuple[int, bytes]]:
        found = []
        while self._queue and since(self._queue[0][0], end) < 0:
            found.append(self._queue.popleft())
        return found

    def ready(self, frame: int, frames: int) -> bool:
        return True

    def _hear(self, frame: int, frames: int, _: int) -> bool | None:
        """Whether anything came."""
        found = [
            ((frame + offset) % FRAME_NUMBERS, bytes(message)) for offset, message in self.jack.incoming_midi_events()
        ]
        self._queue += found
        return bool(found) or None

    def _say(self, frame: int, frames: int, _: int) -> None:
        self.jack.clear_buffer()
        offset, written = 0, False
        while self._queue:
            at, message = self._queue[0]
            due = since(at, frame)
            if due >= frames:
                break
            offset = max(offset, due)
            try:
                self.jack.write_midi_event(offset, message)
            except JackError:
                if written:
                    break  # the period is full: the rest leaves with the next one
                self.left_out += 1
            else:
                self._late.append(offset - due)
            self._queue.popleft()
            written = True


class _Samples:
    def __init__(self, port: Any, out: bool) -> None:
        self.jack = port
        self._plays = out
        self.cycle = self._play if out else self._hear
        self._samples = np.zeros(_ROOM, dtype=np.float32)
        self._first = self._last = 0

    def _places(self, frame: int, frames: int) -> Array:
        return np.arange(frame, frame + frames) % _ROOM

    def fill(self, frame: int, samples: Array) -> None:
        if frame != self._last:
            self._first = self._last = frame
        elif since(frame, self._first) > _ROOM // 2:  # what is older is overwritten soon; no period is longer
            self._first = (frame - _ROOM // 4) % FRAME_NUMBERS
        self._samples[self._places(frame, len(samples))] = samples
        self._last = (frame + len(samples)) % FRAME_NUMBERS

    def hush(self) -> None:
        self._first = self._last

    def heard(self, frame: int, frames: int) -> Array:
        return self._samples[self._places(frame, frames)]

    def _hear(self, frame: int, frames: int, _: int) -> None:
        self._samples[self._places(frame, frames)] = self.jack.get_array()

    def ready(self, frame: int, frames: int) -> bool:
        """Whether there is what sounds in a period."""
        there = since(frame, self._first) >= 0 and since(self._last, frame + frames) >= 0
        return not self._plays or (there and self._first != self._last)

    def _play(self, _: int, frames: int, ready: int) -> bool | None:
        """Where the server skipped periods, what was ``ready`` sounds now; ``False`` where there is no sound that
        should be there."""
        there = self.ready(ready, frames)
        self.jack.get_array()[:] = self.heard(ready, frames) if there else 0.0
        return None if there or self._first == self._last else False


class PlainRelay:
    """What ``relay.c`` does, in Python.

    Args:
        client: of the JACK library, which is not active yet.
    """

    def __init__(self, client: Any) -> None:
        self._client = client
        self._ports: tuple[Any, ...] = ()
        self._late: deque[int] = deque(maxlen=256)
        self._beats: queue.SimpleQueue[Beat | None] = queue.SimpleQueue()
        self._free = False
        self._told = self._worked = 0
        """Periods that somebody was told of, and those worked on."""
        self._told_frame = self._expected = 0
        self._lost = False
        self._pause = self._wake = 0
        self._sounds = False
        self._done = threading.Event()
        self.cycles = self.frame = self.missing = 0
        self.called = 0.0
        self.calls = call_in_periods(client, self.cycle)

    def add_messages(self, port: Any, out: bool) -> _Messages:
        made = _Messages(port, out, self._late)
        self._ports += (made,)
        return made

    def add_samples(self, port: Any, out: bool) -> _Samples:
        made = _Samples(port, out)
        self._ports += (made,)
        return made

    def remove(self, port: Any) -> None:
        self._ports = tuple(one for one in self._ports if one is not port)

    def set_free(self, on: bool) -> None:
        self._free = on

    @property
    def idle(self) -> bool:
        return self._told == self._worked

    def set_sounding(self, on: bool) -> None:
        self._sounds = on

    def rest(self, frames: int) -> None:
        self._pause = frames

    def wake_at(self, frame: int) -> None:
        self._wake = frame

    def work(self, beat: Callable[[Beat], None]) -> None:
        while (told := self._beats.get()) is not None:
            beat(told)
            self._worked += 1
            self._done.set()

    def lates(self) -> list[int]:
        found = []
        with contextlib.suppress(IndexError):
            while True:
                found.append(self._late.popleft())
        return found

    def close(self) -> None:
        self._beats.put(None)

    def cycle(self, frames: int) -> None:
        """JACK's callback."""
        before = time.monotonic()
        since_start = self._client.frames_since_cycle_start
        after = time.monotonic()
        frame = self._client.last_frame_time
        whole, came = True, False
        if self._sounds and not all(port.ready(self._expected, frames) for port in self._ports):
            self._wait_until_idle(PATIENCE_SHARE * frames / self._client.samplerate)
        for port in self._ports:
            found = port.cycle(frame, frames, self._expected)
            whole &= found is not False
            came |= found is True
        self.missing += not whole
        self._lost |= frame != self._expected
        self._expected = (frame + frames) % FRAME_NUMBERS
        self.called = after
        self.cycles += 1
        resting = since(frame, self._told_frame) < self._pause and since(frame, self._wake) < 0
        if came or self._lost or not resting:
            self._tell(frame, frames, before - since_start / self._client.samplerate, after, after - before)
        self.frame = frame
        if self._free:
            self._wait_until_idle(PATIENCE_SECONDS)

    def _wait_until_idle(self, patience: float) -> None:
        end = time.monotonic() + patience
        while not self.idle and (left := end - time.monotonic()) > 0.0:
            self._done.clear()
            if not self.idle:
                self._done.wait(left)

    def _tell(self, frame: int, frames: int, began: float, called: float, glance: float) -> None:
        lost, self._lost = self._lost, False
        self._told_frame = frame
        self._told += 1
        state, position = self._client.transport_query_struct()
        sure = glance < GLANCE_SECONDS
        self._beats.put(Beat(self.cycles, lost, frame, frames, began, called, sure, int(state), position))
