"""Values that move: controllers, pressure, bend, velocity, on one scale from 0 to 127.

Seven-bit values stand for themselves. Of those with fourteen bits, 64 is the middle: the rest of a pitch bend.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise

from arpegon.core.events import BEND, CONTROL, NOTE_ON, POLY_PRESSURE, PRESSURE, PROGRAM, Event

TOP = 127.0
_MIDDLE = 64.0
LOW_HALF = 32
"""Distance from the high half of a 14-bit controller to its low half: CC 1 and CC 33."""
_FINE_TOP = 16383
_FINE_MIDDLE = 8192

READS: dict[str, str] = {
    "cc": "controller",
    "velocity": "velocity",
    "key": "key",
    "pressure": "pressure",
    "poly": "key pressure",
    "bend": "pitch bend",
    "program": "program",
}
"""What a value can be read from, by its name in files."""

WRITES: dict[str, str] = {
    "cc": "controller",
    "cc14": "controller, 14 bit",
    "pressure": "pressure",
    "poly": "key pressure",
    "bend": "pitch bend",
    "program": "program",
    "velocity": "velocity of notes",
}
"""What a value can be written to, by its name in files."""

SHAPES: dict[str, str] = {"straight": "straight", "soft": "soft", "hard": "hard", "drawn": "drawn"}
"""Response curves; soft gives much early, hard gives much late."""


def read(event: Event, kind: str, number: int) -> float | None:
    """The value that an event carries; ``None`` where it is of another kind, or of another controller."""
    status = event.status & 0xF0
    if kind == "cc":
        return float(event.data2) if status == CONTROL and event.data1 == number else None
    if kind == "velocity":
        return float(event.data2) if status == NOTE_ON else None
    if kind == "key":
        return float(event.data1) if status == NOTE_ON else None
    if kind == "pressure":
        return float(event.data1) if status == PRESSURE else None
    if kind == "poly":
        return float(event.data2) if status == POLY_PRESSURE else None
    if kind == "bend":
        return coarse(event.data2 << 7 | event.data1) if status == BEND else None
    return float(event.data1) if status == PROGRAM else None


def fine(value: float) -> int:
    """A value as fourteen bits; 64 is 8192."""
    if value <= _MIDDLE:
        return max(0, round(value / _MIDDLE * _FINE_MIDDLE))
    return min(_FINE_TOP, round(_FINE_MIDDLE + (value - _MIDDLE) / (TOP - _MIDDLE) * (_FINE_TOP - _FINE_MIDDLE)))


def coarse(bits: int) -> float:
    """Fourteen bits as a value."""
    if bits <= _FINE_MIDDLE:
        return bits / _FINE_MIDDLE * _MIDDLE
    return _MIDDLE + (bits - _FINE_MIDDLE) / (_FINE_TOP - _FINE_MIDDLE) * (TOP - _MIDDLE)


def stepped(kind: str, value: float) -> int:
    """A value in the steps that what it is written to knows."""
    if kind in ("cc14", "bend"):
        return fine(value)
    return max(0, min(127, round(value)))


def written(kind: str, number: int, channel: int, steps: int, time: float, key: int = 0) -> list[Event]:
    """The events that write a value (see :func:`stepped`): two for a controller of fourteen bits.

    ``velocity`` writes nothing by itself.
    """
    if kind == "cc":
        return [Event(time, CONTROL | channel, number, steps)]
    if kind == "cc14":
        low = [Event(time, CONTROL | channel, number + LOW_HALF, steps & 0x7F)] if number < LOW_HALF else []
        return [Event(time, CONTROL | channel, number, steps >> 7), *low]
    if kind == "pressure":
        return [Event(time, PRESSURE | channel, steps)]
    if kind == "poly":
        return [Event(time, POLY_PRESSURE | channel, key, steps)]
    if kind == "bend":
        return [Event(time, BEND | channel, steps & 0x7F, steps >> 7)]
    if kind == "program":
        return [Event(time, PROGRAM | channel, steps)]
    return []


def curve(shape: str, points: Sequence[Sequence[int]] = ()) -> Callable[[float], float]:
    """A response from 0 ... 1 to 0 ... 1.

    Args:
        shape: a name in :data:`SHAPES`.
        points: of a drawn one, ``[in, out]`` from 0 to 127; what lies outside them takes the nearest.
    """
    if shape == "soft":
        return lambda share: share**0.5
    if shape == "hard":
        return lambda share: share * share
    if shape == "drawn" and points:
        return lambda share: on_line(points, share * TOP) / TOP
    return lambda share: share


def on_line(points: Sequence[Sequence[float]], x: float) -> float:
    """The height of a line through points at ``x``; outside them, that of the nearest one."""
    if x <= points[0][0]:
        return float(points[0][1])
    for (x0, y0), (x1, y1) in pairwise(points):
        if x <= x1:
            return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
    return float(points[-1][1])


def placed(value: float, low: float, high: float) -> float:
    """Where a value lies between ``low`` (0) and ``high`` (1), which may be the greater or the smaller one.

    A range without width is a threshold: 0 below it, 1 from it on.
    """
    if low == high:
        return 1.0 if value >= low else 0.0
    return max(0.0, min(1.0, (value - low) / (high - low)))


def faded(silent_at: int, full_at: int) -> list[int]:
    """What each velocity 0-127 becomes that fades in between two velocities, or out where the first is the higher.

    It fades with the root of its share of the way, so that two that fade against one another are together as loud as
    one (equal power).
    """
    shares = (placed(velocity, silent_at, full_at) for velocity in range(128))
    return [round(velocity * share**0.5) for velocity, share in enumerate(shares)]


def stair(share: float, levels: int) -> float:
    """A share of 0 ... 1 on the nearest of so many equal levels (fewer than two: as it is)."""
    if levels < 2:
        return share
    return min(levels - 1, int(share * levels)) / (levels - 1)
