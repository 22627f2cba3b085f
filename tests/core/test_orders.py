"""Orders and strides, against tables written by hand; when steps fall."""

from __future__ import annotations

from itertools import pairwise
from math import gcd

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.processing.pulse import Pulse
from arpegon.core.theory.orders import DRAWN, ORDERS, cycle, strided
from arpegon.core.time.clock import Clock

TABLE = {
    "up": {1: [0], 2: [0, 1], 3: [0, 1, 2], 5: [0, 1, 2, 3, 4]},
    "played": {3: [0, 1, 2]},
    "down": {1: [0], 3: [2, 1, 0], 4: [3, 2, 1, 0]},
    "up-down": {1: [0], 2: [0, 1], 3: [0, 1, 2, 1], 4: [0, 1, 2, 3, 2, 1]},
    "up-down-twice": {2: [0, 1, 1, 0], 3: [0, 1, 2, 2, 1, 0]},
    "down-up": {2: [1, 0], 3: [2, 1, 0, 1], 4: [3, 2, 1, 0, 1, 2]},
    "outside-in": {3: [0, 2, 1], 4: [0, 3, 1, 2], 5: [0, 4, 1, 3, 2]},
    "inside-out": {3: [1, 2, 0], 4: [2, 1, 3, 0], 5: [2, 3, 1, 4, 0]},
    "chord": {4: [0]},
}


@pytest.mark.parametrize(("order", "count"), [(order, count) for order, row in TABLE.items() for count in row])
def test_orders_are_those_of_the_table(order, count):
    assert cycle(order, count) == TABLE[order][count]


def test_strides_draw_stars():
    assert strided(5, 2) == [0, 2, 4, 1, 3]  # the pentagram
    assert strided(16, 5) == [0, 5, 10, 15, 4, 9, 14, 3, 8, 13, 2, 7, 12, 1, 6, 11]
    assert strided(6, 2) == [0, 2, 4, 1, 3, 5]  # two triangles, the second one place further
    assert strided(4, 4) == [0, 1, 2, 3]  # a stride that is the whole ring goes on by one
    assert strided(3, 7) == [0, 1, 2]


@given(st.integers(1, 40), st.integers(1, 60))
def test_a_stride_reaches_every_place_once_in_equal_steps(count, stride):
    walk = strided(count, stride)
    assert sorted(walk) == list(range(count))
    figure = count // gcd(count, stride)
    steps = {(after - before) % count for before, after in pairwise(walk[:figure])}
    assert steps <= {stride % count}


@given(st.sampled_from(sorted(set(ORDERS) - DRAWN)), st.integers(0, 30), st.integers(1, 31))
def test_cycles_stay_within_their_notes(order, count, stride):
    walk = cycle(order, count, stride)
    assert all(0 <= place < count for place in walk) and bool(walk) == (count > 0)
    if order not in ("chord",):
        assert set(walk) == set(range(count))


# -- when steps fall --------------------------------------------------------------------------------


def falls(pulse, count):
    times = []
    for _ in range(count):
        due = pulse.due()
        times.append(round(due, 6))
        pulse.take(due)
    return times


def test_steps_are_swung_in_pairs():
    pulse = Pulse(Clock(120.0))
    pulse.swing = 2 / 3
    pulse.begin(1.0)
    assert falls(pulse, 5) == [1.0, 1.166667, 1.25, 1.416667, 1.5]


def test_on_the_beat_steps_keep_to_the_transport_through_changes_of_tempo():
    clock = Clock(60.0)
    pulse = Pulse(clock)
    pulse.on_beat, pulse.beats = True, 0.5
    pulse.begin(0.0)
    assert pulse.due() == float("inf")
    clock.start(10.0, 1.2)
    pulse.restart()
    assert falls(pulse, 2) == [10.3, 10.8]
    clock.set_tempo(10.9, 120.0)
    assert falls(pulse, 2) == [11.1, 11.35]
    assert pulse.step == 7  # the number of a step is that of its place in the piece
    clock.stop(11.4)
    assert pulse.due() == float("inf")


@given(st.floats(20, 400), st.floats(0.5, 0.75), st.floats(0.05, 4.0), st.floats(0, 500))
def test_the_first_step_is_the_first_that_is_not_past(tempo, swing, beats, start):
    clock = Clock(tempo)
    clock.start(0.0, start)
    pulse = Pulse(clock)
    pulse.on_beat, pulse.swing, pulse.beats = True, swing, beats
    pulse.begin(0.0)
    assert pulse.due() >= 0.0
    first = pulse.beat_of(pulse.step)
    assert first >= start - 1e-5
    assert pulse.step == 0 or pulse.beat_of(pulse.step - 1) < start + 1e-5
