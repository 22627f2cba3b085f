"""The course of a take that was played freely, found by tapping along with it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np

from arpegon.core.errors import ArpegonError
from arpegon.core.notes.course import Course
from arpegon.core.theory.scales import Key
from arpegon.core.time.clock import TEMPO_RANGE, bar_beats

_FEWEST = 2


def course_of_taps(
    taps: Iterable[float], meter: tuple[int, int] = (4, 4), key: Key | None = None, *, even: bool = False
) -> Course:
    """The course in which each tap is a beat of the meter, the first of them beat 1 of a bar.

    Args:
        taps: seconds of the take, in order.
        even: one tempo that fits all taps best (least squares), else the tempo goes from tap to tap as they do.

    Raises:
        ArpegonError: fewer than two taps, or none that a tempo from 20 to 400 fits.

    >>> course_of_taps([0.5, 1.0, 1.5]).tempi
    ((0.0, 120.0),)
    """
    times = sorted(taps)
    if len(times) < _FEWEST:
        raise ArpegonError("Tap at least two beats, so that there is a tempo.")
    unit = 4.0 / meter[1]
    if even:
        steps = np.arange(len(times))
        length, start = (float(value) for value in np.polyfit(steps, times, 1))
        times = [start + length * step for step in range(len(times))]
    tempi = [60.0 * unit / max(1e-9, later - time) for time, later in pairwise(times)]
    low, high = TEMPO_RANGE
    for place, tempo in enumerate(tempi, start=1):
        if not low <= tempo <= high:
            raise ArpegonError(
                f"Between taps {place} and {place + 1} lie {times[place] - times[place - 1]:.2f} s, which is no tempo "
                f"from {low:g} to {high:g}: tap again."
            )
    return _laid(times[0], [round(tempo, 4) for tempo in tempi], unit, meter, key)


def _laid(first: float, tempi: Sequence[float], unit: float, meter: tuple[int, int], key: Key | None) -> Course:
    """Beats from the first tap on, and bars enough before it for what was played earlier."""
    bar = bar_beats(meter)
    before = first * tempi[0] / 60.0
    line = max(0, math.ceil(before / bar - 1e-6)) * bar
    rows = [(0.0, tempi[0])]
    for place, tempo in enumerate(tempi):
        if tempo != rows[-1][1]:
            rows.append((line + place * unit, tempo))
    return Course(
        first=max(0.0, line - before),
        tempi=tuple(rows),
        meters=((0.0, meter, 1),),
        keys=((0.0, key),) if key is not None else (),
    )
