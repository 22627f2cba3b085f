"""Blocks are tied to seconds without the jitter of their callbacks; periods of a JACK server are what counts."""

from __future__ import annotations

import random
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.time import studio
from arpegon.engine.devices.steady import FrameTime, SteadyStart


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


@given(
    rate=st.sampled_from([44_100, 48_000, 96_000]),
    frames=st.sampled_from([16, 64, 256, 1024, 8192]),
    first=st.integers(0, 2**32 - 1),
    behind=st.floats(-5.0, 5.0),
    calls=st.lists(
        st.tuples(st.floats(0.0, 0.004), st.floats(0.0, 0.002), st.integers(1, 3), st.booleans()), min_size=1
    ),
)
def test_studio_time_goes_by_frames_however_late_a_server_calls(rate, frames, first, behind, calls):
    """Also where it begins to count anew, loses time for good, or leaves us out for a period."""
    studio.set_behind(behind)
    tied = FrameTime(rate)
    frame, clock, known = first, 1000.0, None
    for late, lost, periods, sure in calls:
        frame += periods * frames
        clock += periods * frames / rate + lost
        start = tied.at(frame % 2**32, clock, clock + late, sure)
        if known is None:
            known = start - frame / rate
            assert abs(start - (clock - behind)) < 1e-9, "it begins where studio time was"
        assert abs(start - frame / rate - known) < 1e-6
        assert clock + late - studio.behind() >= start - 1e-9, "what was told is past"


def test_where_a_server_stood_still_for_a_moment_so_did_time():
    tied = FrameTime(48_000)
    assert tied.at(0, 10.0, 10.0) == 10.0
    assert abs(tied.at(256, 11.0, 11.0) - 10.0 - 256 / 48_000) < 1e-9
    assert abs(studio.behind() - 1.0 + 256 / 48_000) < 1e-9


def test_where_it_was_gone_for_long_time_has_gone_on():
    tied = FrameTime(48_000)
    assert tied.at(0, 10.0, 10.0) == 10.0
    assert abs(tied.at(256, 13.0, 13.0) - 13.0) < 1e-9
    assert abs(tied.at(512, 13.0 + 256 / 48_000, 13.0 + 256 / 48_000) - 13.0 - 256 / 48_000) < 1e-9


def test_the_computers_clock_is_followed_slowly():
    tied = FrameTime(48_000)
    for number in range(3000):
        clock = 5.0 + number * 256 / 48_000 * 1.0001  # a crystal that is 100 ppm slow
        tied.at(256 * number, clock, clock)
    assert abs(studio.behind() - 3000 * 256 / 48_000 * 0.0001) < 0.0002
