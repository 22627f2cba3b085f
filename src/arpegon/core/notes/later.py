"""Events that leave later than they were made, in their order."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Sequence

from arpegon.core.events import NOTE_OFF, NOTE_ON, Event
from arpegon.core.notes.pairing import Pairing, note_key


class Later:
    """Holds events back until their time; what came first leaves first, also where the delay shrinks meanwhile."""

    __slots__ = ("_last", "_open", "_queue")

    def __init__(self) -> None:
        self._queue: deque[Event] = deque()
        self._open: Pairing[bool] = Pairing()
        """The notes that left and have not ended."""
        self._last = -math.inf

    def __bool__(self) -> bool:
        """Whether anything waits, or sounds."""
        return bool(self._queue or self._open)

    def put(self, events: Sequence[Event], delay: float) -> None:
        """Take events, each to leave ``delay`` seconds after its time."""
        for event in events:
            self._last = max(self._last, event.time + delay)
            self._queue.append(event.at(self._last))

    def due(self) -> float:
        """When the next one leaves, in seconds; infinity where none waits."""
        return self._queue[0].time if self._queue else math.inf

    def take(self, until: float) -> list[Event]:
        """What leaves up to a time."""
        queue, taken = self._queue, []
        while queue and queue[0].time <= until:
            event = queue.popleft()
            kind = event.status & 0xF0
            if kind == NOTE_ON:
                self._open.begin(note_key(event), True)
            elif kind == NOTE_OFF:
                self._open.end(note_key(event))
            taken.append(event)
        return taken

    def cut(self, time: float) -> list[Event]:
        """Let go: what waits is forgotten, and what sounds ends, whether it began here or before anything was held."""
        waiting: Pairing[bool] = Pairing()
        ends = []
        for event in self._queue:
            kind = event.status & 0xF0
            if kind == NOTE_ON:
                waiting.begin(note_key(event), True)
            elif kind == NOTE_OFF and (self._open.end(note_key(event)) or not waiting.end(note_key(event))):
                ends.append(event.at(time))
        self._queue.clear()
        return [*ends, *self._open.release(time)]
