"""Values that cannot jump: they move towards what is asked for at a greatest speed, in steps that can be heard."""

from __future__ import annotations

import math

MIN_SECONDS = 0.005
"""The least time between two values that are sent on the way."""
_PATIENCE_SECONDS = 0.006
"""How long after the last value a look waits for a new aim with which it could be done."""
_ARRIVED = 1e-3


Pace = tuple[float, float]
"""Seconds that a value takes for a step of 1 upwards and downwards."""


def pace(up_ms: float, down_ms: float) -> Pace | None:
    """The pace that takes so long for the whole way from 0 to 127; ``None`` where values jump both ways."""
    return (up_ms / 127_000.0, down_ms / 127_000.0) if up_ms > 0 or down_ms > 0 else None


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
        self._interval = MIN_SECONDS
        self._looked = -math.inf

    def jump(self, value: float) -> None:
        """Be at a value at once."""
        self._from = self._target = value
        self.next = math.inf

    def aim(self, value: float, time: float, pace: Pace, step: float) -> float | None:
        """Go to a value from a time on; what it is now, where that is to be sent at once (as the first one always is).

        Args:
            value: where it goes.
            time: in seconds.
            pace: how long a step upwards and one downwards takes.
            step: how far apart values are that are worth a look.
        """
        looking, here = self.next, self._from
        if here is None:
            self.jump(value)
            return value
        if looking < math.inf:
            # As `at` has it, without a call: streams of a thousand aims a second come by here.
            if time >= self._arrives:
                here = self._target
            elif time > self._since:
                here += (self._target - here) * ((time - self._since) / (self._arrives - self._since))
        way = value - here
        unit = pace[0] if way > 0 else pace[1]
        lasts = abs(way) * unit
        if lasts <= 0.0:
            self.jump(value)
            return value
        self._from, self._target, self._since, self._arrives = here, value, time, time + lasts
        self._interval = unit * step
        looked = self._looked
        patience = looked + _PATIENCE_SECONDS
        if time < looking <= patience and time < looked + MIN_SECONDS:
            return None
        until_look = min(max(self._interval, MIN_SECONDS), lasts)
        if looking < math.inf and time >= looked + MIN_SECONDS:
            # In a stream of new aims the look is done with one of them, so that none needs a moment of its own.
            self._looked = time
            self.next = time + max(_PATIENCE_SECONDS, until_look)
            return here
        # A stream of new aims neither puts the next look off nor draws it nearer than that.
        soon = max(patience, time + until_look)
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
        self.next = max(time + MIN_SECONDS, min(time + self._interval, self._arrives))
        return here
