"""Lines of values over time on a sheet: drawn straight, moved, thinned. Times are beats, values 0 ... 127."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Callable, Sequence
from operator import attrgetter

from arpegon.core.events import CONTROL, PEDALS, Event
from arpegon.core.notes.sheet import Line, Sheet, value_of, valued

STEP = 1.0 / 16.0
"""Beats between the values of a line that is drawn: finer than anybody hears, coarse enough for a cable."""


def drawn(line: Line, begin: tuple[float, float], end: tuple[float, float]) -> list[Event]:
    """A straight piece of a line from one beat and value to another, with no value twice in a row.

    >>> [(event.time, event.data2) for event in drawn(Line(0xB0, 1), (0.0, 0.0), (0.125, 2.0))]
    [(0.0, 0), (0.0625, 1), (0.125, 2)]
    """
    (start, low), (until, high) = sorted((begin, end))
    start = max(0.0, start)
    count = max(1, round((until - start) / STEP))
    shares = [place / count for place in range(count + 1)]
    made = [valued(line, start + share * (until - start), low + share * (high - low)) for share in shares]
    return [one for at, one in enumerate(made) if at in (0, len(made) - 1) or one != made[at - 1].at(one.time)]


def value_at(sheet: Sheet, line: Line, beat: float) -> float | None:
    """The value that a line has at a beat; that of its first one before that; ``None`` where it has none."""
    events = sheet.lines.get(line)
    if not events:
        return None
    place = bisect_right(events, beat + 1e-9, key=attrgetter("time")) - 1
    return value_of(events[max(0, place)])


def straightened(sheet: Sheet, line: Line, begin: float, end: float) -> Sheet:
    """With a line straight between two beats, from the value that it has at the one to that at the other."""
    low, high = value_at(sheet, line, begin), value_at(sheet, line, end)
    if low is None or high is None:
        return sheet
    return sheet.with_line(line, begin, end, drawn(line, (begin, low), (end, high)))


def lifted(sheet: Sheet, line: Line, begin: float, end: float, by: float) -> Sheet:
    """With the values of a line between two beats higher by so much, none beyond its ends."""
    there = [event for event in sheet.lines.get(line, ()) if begin <= event.time <= end]
    return sheet.with_line(line, begin, end, [valued(line, event.time, value_of(event) + by) for event in there])


def kept_of(
    events: Sequence[Event], *, stairs: int | None = None, apart: float = 0.0, second_at: Callable[[float], float]
) -> list[bool]:
    """Which values of one line stay when it is thinned: those that come to another of so many ``stairs``, or those at
    least ``apart`` seconds after the last that stayed. The first and the last always stay, and all of a pedal.
    """
    if events and events[0].kind == CONTROL and events[0].data1 in PEDALS:
        return [True] * len(events)
    kept: list[bool] = []
    last_second, last_stair = -math.inf, -1
    for place, event in enumerate(events):
        second = second_at(event.time)
        stair = -1 if stairs is None else min(stairs - 1, int(value_of(event) * stairs / 128.0))
        passes = second - last_second >= apart - 1e-9 if stairs is None else stair != last_stair
        kept.append(passes or place == len(events) - 1)
        if kept[-1]:
            last_second, last_stair = second, stair
    return kept


def thinned(sheet: Sheet, line: Line, begin: float, end: float, stairs: int) -> Sheet:
    """With the values of a line between two beats thinned to so many stairs."""
    there = [event for event in sheet.lines.get(line, ()) if begin <= event.time <= end]
    kept = kept_of(there, stairs=stairs, second_at=lambda beat: beat)
    return sheet.with_line(line, begin, end, [event for event, stays in zip(there, kept, strict=True) if stays])
