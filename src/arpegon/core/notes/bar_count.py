"""Bars that have passed since a run began, over every change of tempo and meter, jump and stop."""

from __future__ import annotations

import math
from typing import NamedTuple

from arpegon.core.notes.course import _NEAR, _TOGETHER, TimeFacts
from arpegon.core.time.clock import bar_beats


class _Mark(NamedTuple):
    """How many bars had passed when the engine reported a change of time."""

    fact: TimeFacts
    bars: int
    """Whole bars."""
    in_bar: float
    """Quarter notes since the last bar line."""
    meter: tuple[int, int]


class BarCount:
    """Counts bars while time passes, as :func:`~arpegon.core.notes.course.course_of` lays them.

    While the transport stands, beats pass at the tempo that applies. A bar in which the meter changes ends on the
    first bar line of the new meter.
    """

    def __init__(self) -> None:
        self._before: _Mark | None = None
        self._mark = _Mark(TimeFacts(0.0), 0, 0.0, (4, 4))

    def add(self, fact: TimeFacts) -> None:
        """Take what the engine reports of time; a second report of the same moment replaces the first."""
        if self._before is None or fact.second > self._mark.fact.second + _TOGETHER:
            self._before = self._mark
        self._mark = _after(self._before, fact)

    def second_at(self, bars: float) -> float:
        """The second at which so many bars will have passed, if nothing changes until then."""
        mark = self._mark
        beats = (bars - mark.bars) * bar_beats(mark.meter) - mark.in_bar
        return mark.fact.second + beats * 60.0 / mark.fact.tempo


def _after(mark: _Mark, fact: TimeFacts) -> _Mark:
    held = mark.fact
    passed = (fact.second - held.second) * held.tempo / 60.0
    bar = bar_beats(mark.meter)
    in_bar = mark.in_bar + passed
    lines = math.floor(in_bar / bar + _NEAR)
    in_bar -= lines * bar
    now = _Mark(fact, mark.bars + lines, in_bar, mark.meter)
    if not fact.playing:
        return now
    goes_on = held.playing and abs(held.beat_at(fact.second) - fact.beat) < _NEAR
    if not goes_on and in_bar > _NEAR:
        now = now._replace(bars=now.bars + max(0, math.ceil((in_bar - fact.in_bar - _NEAR) / bar)))
    return now._replace(in_bar=fact.in_bar, meter=fact.meter)
