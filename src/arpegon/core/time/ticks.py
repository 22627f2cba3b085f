"""The ticks of a MIDI clock: their filter, and what the messages mean."""

from __future__ import annotations

import math

from arpegon.core.time.clock import TEMPO_RANGE

PER_QUARTER = 24

TICK, START, CONTINUE, STOP, POSITION = 0xF8, 0xFA, 0xFB, 0xFC, 0xF2
MESSAGES = frozenset({TICK, START, CONTINUE, STOP, POSITION})
"""The status bytes that belong to the transport."""

_WIDE, _NARROW = 3.0, 0.2
"""Bandwidth of the loop in Hz, at first and once it has settled."""
_SETTLING = 24.0
_WILD = 0.4
_WILD_TICKS, _ODD_TICKS = 5, 30
"""So many wild ticks in a row are believed to be another tempo; more where Arpegon follows no such tempo."""
_MIN, _MAX = (60.0 / PER_QUARTER / tempo for tempo in reversed(TEMPO_RANGE))
TOGETHER_SECONDS = 0.0005
"""What comes nearer together than this, ticks or quarter frames, was held up on the way, and delivered at once."""


class TickFilter:
    """Finds the even ticks behind the ones that arrive early or late.

    A delay-locked loop of second order (F. Adriaensen, "Using a DLL to filter time", 2005): each arrival is
    compared with the time at which it was expected; a part of the error moves the next expectation, a smaller
    part the period. The loop is wide at first and narrows as it settles. Where tick after tick lies far from
    what was expected, the clock itself has changed, and the filter begins anew. Ticks that are delivered together
    after a delay say nothing of the tempo.
    """

    def __init__(self) -> None:
        self.period = 0.0
        """Seconds between ticks; 0 while it is not known."""
        self.next = 0.0
        """When the next tick is expected."""
        self.held_up = False
        """Whether the last tick came together with the one before."""
        self._last: float | None = None
        self._count = 0
        self._wild = 0

    @property
    def tempo(self) -> float | None:
        """Quarter notes a minute; ``None`` while it is not known."""
        return 60.0 / (PER_QUARTER * self.period) if self.period > 0 else None

    @property
    def steady(self) -> bool:
        """Whether the last tick came about when it was expected."""
        return not self._wild

    def tick(self, time: float) -> None:
        """A tick has arrived."""
        last, self._last = self._last, time
        self.held_up = last is not None and time - last < TOGETHER_SECONDS
        if last is None or self.held_up:
            return
        if self.period <= 0:
            self._begin(time, last)
            return
        error = time - self.next
        missed = time - last > 4.0 * self.period
        self._wild = self._wild + 1 if missed or abs(error) > _WILD * self.period else 0
        if self._wild >= (_WILD_TICKS if _MIN <= time - last <= _MAX else _ODD_TICKS):
            self._begin(time, last)
            return
        if missed:
            self.next, self._count = time + self.period, 0
            return
        bandwidth = max(_NARROW, _WIDE / (1.0 + self._count / _SETTLING))
        omega = min(0.7, 2.0 * math.pi * bandwidth * self.period)
        self.next += math.sqrt(2.0) * omega * error + self.period
        self.period += omega * omega * error
        self._count += 1

    def _begin(self, time: float, last: float) -> None:
        """Take the last two ticks for the clock, as nothing else is known."""
        self.period = time - last
        self.next = time + self.period
        self._count = self._wild = 0

    def forget(self) -> None:
        """Begin anew."""
        self.__init__()  # type: ignore[misc]
