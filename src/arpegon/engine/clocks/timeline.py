"""A timeline: a clock, and what is due at its beats."""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable
from itertools import count

from arpegon.core.time.clock import Clock

Due = Callable[[float], None]
"""Called with the time in seconds at which it was due."""


class Timeline:
    """What is due in beats, on one clock."""

    def __init__(self, leader: Timeline | None = None) -> None:
        self.clock = Clock()
        self.leader = leader
        """That of the piece, where it runs beside it at a tempo of its own."""
        self._queue: list[tuple[float, int, Due]] = []
        self._order = count()

    def at_beat(self, beat: float, due: Due) -> None:
        """Call ``due`` at a beat, once the clock gets there."""
        heapq.heappush(self._queue, (beat, next(self._order), due))

    def next_line(self, beat: float, unit: float, more: int = 0) -> float:
        """The beat, not before ``beat``, on which a line of the piece falls, or so many more lines after it.

        Args:
            unit: how far these lines lie apart, in beats of the piece.
        """
        if self.leader is None or not self.clock.playing:
            return self.clock.next_line(beat, unit) + more * unit
        piece = self.leader.clock
        line = piece.next_line(piece.beat_at(self.clock.time_at(beat)), unit) + more * unit
        return self.clock.beat_at(piece.time_at(line))

    def next_due(self) -> float:
        """When something is due next, in seconds; infinity where nothing is, or the clock stands."""
        return self.clock.time_at(self._queue[0][0]) if self._queue else math.inf

    def do(self, time: float) -> None:
        """Do all that is due on the next beat; it goes through the strands together."""
        queue = self._queue
        beat = queue[0][0]
        while queue and queue[0][0] == beat:
            heapq.heappop(queue)[2](time)
