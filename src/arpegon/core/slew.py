"""Values that cannot jump: they move towards what is asked for at a greatest speed, in steps that can be heard."""

from __future__ import annotations

import math

LEAST_SECONDS = 0.004
"""The least time between two values that are sent."""
_ARRIVED = 1e-3


class Slew:
    """One value on its way.

    Args:
        up, down: seconds for the whole range (127) upwards and downwards; 0 jumps.
    """

    __slots__ = ("_from", "_since", "_target", "down", "sent", "up")

    def __init__(self, up: float, down: float) -> None:
        self.up, self.down = up, down
        self.sent: int | None = None
        """The last value that was sent, in steps."""
        self._from: float | None = None
        self._target = 0.0
        self._since = 0.0

    def aim(self, value: float, time: float) -> None:
        """Go to a value from a time on; the first one is where it begins."""
        here = self.at(time)
        self._from = value if here is None else here
        self._target, self._since = value, time

    def stay(self, time: float) -> None:
        """Stay where it is."""
        here = self.at(time)
        if here is not None:
            self._from, self._target, self._since = here, here, time

    def at(self, time: float) -> float | None:
        """Where it is at a time; ``None`` before the first value."""
        if self._from is None:
            return None
        way = self._target - self._from
        seconds = self._seconds()
        if seconds <= 0 or time - self._since >= seconds:
            return self._target
        return self._from + way * max(0.0, time - self._since) / seconds

    @property
    def moves(self) -> bool:
        """Whether it is on its way."""
        return self._from is not None and self._from != self._target

    def due(self, step: float) -> float:
        """When it has moved by ``step`` from where it set out, or arrived; infinity where it rests."""
        if self._from is None or self._from == self._target:
            return math.inf
        seconds = self._seconds()
        return self._since + min(seconds, max(LEAST_SECONDS, seconds * step / abs(self._target - self._from)))

    def go_on(self, time: float) -> float:
        """Set out anew from where it is at a time, which is returned."""
        here = self.at(time)
        assert here is not None
        if abs(self._target - here) < _ARRIVED:
            here = self._target
        self._from, self._since = here, time
        return here

    def _seconds(self) -> float:
        assert self._from is not None
        way = self._target - self._from
        return abs(way) / 127.0 * (self.up if way > 0 else self.down)
