"""Blocks are tied to seconds without the jitter of their callbacks."""

from __future__ import annotations

import random
from itertools import pairwise

from arpegon.engine.devices.steady import SteadyStart


def test_jitter_is_freed_of_and_drift_is_followed():
    draw = random.Random(1)
    steady = SteadyStart(48_000, 0.1)
    period = 256 / 48_000 * 1.0001  # a crystal that is 100 ppm slow
    starts = [steady.at(256 * number, 5.0 + number * period + draw.uniform(0, 0.002)) for number in range(3000)]
    late = starts[1000:]
    assert all(abs(after - before - period) < 0.00005 for before, after in pairwise(late))
    assert all(-0.0005 < start - (5.0 + (1000 + place) * period) < 0.0025 for place, start in enumerate(late))


def test_a_jump_is_taken_over_at_once_and_skipped_frames_are_none():
    steady = SteadyStart(48_000, 0.1)
    assert steady.at(0, 1.0) == 1.0
    assert abs(steady.at(4800, 1.1) - 1.1) < 1e-9, "frames that were skipped are time that went by"
    assert steady.at(5056, 9.0) == 9.0
    assert abs(steady.at(5104, 9.05, sure=False) - 9.001) < 1e-9
