"""Values that cannot jump: they move towards what is asked for at a greatest speed, in steps that can be heard."""

from __future__ import annotations

import math

LEAST_SECONDS = 0.004
"""The least time between two values that are sent on the way."""
_PATIENCE_SECONDS = 0.005
"""How long after the last value a look waits for a new aim with which it could be done."""
_ARRIVED = 1e-3


class Slew:
    """One value on its way."""

    __slots__ = ("_arrives", "_from", "_interval", "_looked", "_since", "_target", "next", "sent")

    def __init__(self) -> None:
        self.sent: int | None = None
        """The last value that was sent, in steps."""
        self.next = math.inf
        """When it is looked at next; infinity while it rests."""
        self._from: float | None = None
        self._target = 0.0
        self._since = 0.0
        self._arrives = 0.0
        self._interval = LEAST_SECONDS
        self._looked = -math.inf

    def jump(self, value: float) -> None:
        """Be at a value at once."""
        self._from = self._target = value
        self.next = math.inf

    def aim(self, value: float, time: float, seconds: tuple[float, float], step: float) -> float | None:
        """Go to a value from a time on; what it is now, where that is to be sent at once (as the first one always is).

        Args:
            seconds: for the whole range (127) upwards and downwards; 0 jumps.
            step: how far apart values are that are worth a look.
        """
        here = self.at(time)
        if here is None:
            self.jump(value)
            return value
        way = value - here
        lasts = abs(way) / 127.0 * seconds[0 if way > 0 else 1]
        if lasts <= 0.0:
            self.jump(value)
            return value
        looking = self.next
        self._from, self._target, self._since, self._arrives = here, value, time, time + lasts
        interval = lasts * step / abs(way)
        self._interval = interval if interval > LEAST_SECONDS else LEAST_SECONDS
        if looking < math.inf and time >= self._looked + LEAST_SECONDS:
            # In a stream of new aims the look is done with one of them, so that none needs a moment of its own.
            self._looked = time
            self.next = time + max(_PATIENCE_SECONDS, min(self._interval, lasts))
            return here
        # A stream of new aims neither puts the next look off nor draws it nearer than that.
        soon = max(self._looked + _PATIENCE_SECONDS, time + min(self._interval, lasts))
        self.next = min(looking, soon) if looking > time else soon
        return None

    def stay(self, time: float) -> None:
        """Stay where it is."""
        here = self.at(time)
        if here is not None:
            self.jump(here)

    def at(self, time: float) -> float | None:
        """Where it is at a time; ``None`` before the first value."""
        here = self._from
        if here is None or self.next == math.inf:
            return here
        if time >= self._arrives:
            return self._target
        share = max(0.0, time - self._since) / (self._arrives - self._since)
        return here + (self._target - here) * share

    def look(self, time: float) -> float:
        """Where it is at the look that is due; it goes on, or rests where it has arrived."""
        here = self.at(time)
        assert here is not None
        if time >= self._arrives or abs(self._target - here) < _ARRIVED:
            self._looked = time
            self.jump(self._target)
            return self._target
        self._looked = time
        self.next = max(time + LEAST_SECONDS, min(time + self._interval, self._arrives))
        return here
