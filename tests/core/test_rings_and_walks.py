"""Evenly spread rhythms, walks over rings, and beads in polygons, against what theory says."""

from __future__ import annotations

import math
from itertools import pairwise
from math import gcd

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.theory.billiard import Bead, corner
from arpegon.core.theory.euclid import rhythm_text, spread_evenly
from arpegon.core.theory.walks import WALKS, RingWalk, figure

PUBLISHED = {
    (2, 5): "x.x..",
    (3, 4): "x.xx",
    (3, 5): "x.x.x",
    (3, 7): "x.x.x..",
    (3, 8): "x..x..x.",
    (4, 7): "x.x.x.x",
    (4, 9): "x.x.x.x..",
    (4, 11): "x..x..x..x.",
    (5, 6): "x.xxxx",
    (5, 7): "x.xx.xx",
    (5, 8): "x.xx.xx.",
    (5, 9): "x.x.x.x.x",
    (5, 11): "x.x.x.x.x..",
    (5, 12): "x..x.x..x.x.",
    (5, 16): "x..x..x..x..x...",
    (7, 8): "x.xxxxxx",
    (7, 12): "x.xx.x.xx.x.",
    (7, 16): "x..x.x.x..x.x.x.",
    (9, 16): "x.xx.x.x.xx.x.x.",
    (11, 24): "x..x.x.x.x.x..x.x.x.x.x.",
    (13, 24): "x.xx.x.x.x.x.xx.x.x.x.x.",
}
"""Rhythms as G. Toussaint prints them (2005)."""


@pytest.mark.parametrize(("case", "text"), PUBLISHED.items(), ids=[f"{k} in {n}" for k, n in PUBLISHED])
def test_rhythms_are_the_published_ones(case, text):
    assert rhythm_text(spread_evenly(*case)) == text


@given(st.integers(1, 32).flatmap(lambda n: st.tuples(st.integers(0, n), st.just(n), st.integers(-31, 31))))
def test_hits_are_spread_as_evenly_as_can_be(case):
    hits, steps, turn = case
    rhythm = spread_evenly(hits, steps, turn)
    assert len(rhythm) == steps and sum(rhythm) == hits
    if hits:
        places = [place for place, hit in enumerate(rhythm) if hit]
        gaps = [
            (after - before) % steps or steps for before, after in zip(places, places[1:] + places[:1], strict=True)
        ]
        assert max(gaps) - min(gaps) <= 1
        straight = spread_evenly(hits, steps)
        assert all(rhythm[(place + turn) % steps] == straight[place] for place in range(steps))


def test_a_stride_that_closes_early_shifts_or_stays():
    assert figure(8, 3) == [0, 3, 6, 1, 4, 7, 2, 5]
    assert figure(8, 2) == [0, 2, 4, 6, 1, 3, 5, 7]
    assert figure(8, 2, shift=False) == [0, 2, 4, 6]
    assert figure(6, 6) == [0, 1, 2, 3, 4, 5], "a stride of the whole ring shifts at every step"
    assert figure(6, 6, shift=False, start=2) == [2]
    assert figure(8, 3, mirrored=True) == [0, 5, 2, 7, 4, 1, 6, 3]
    assert figure(5, 2, start=3) == [3, 0, 2, 4, 1]


@given(st.integers(1, 32), st.integers(1, 40), st.booleans(), st.booleans(), st.integers(0, 31))
def test_a_figure_reaches_each_step_once(count, stride, shift, mirrored, start):
    places = figure(count, stride, shift=shift, mirrored=mirrored, start=start % count)
    assert len(set(places)) == len(places) and places[0] == start % count
    assert len(places) == (count if shift else count // gcd(count, stride))


def test_ways_over_a_ring():
    there = RingWalk("there-back", figure(4, 1), (), "s")
    assert [there.place(step) for step in range(8)] == [0, 1, 2, 3, 2, 1, 0, 1]
    skipped = RingWalk("round", figure(5, 2), {2, 4}, "s")
    assert [skipped.place(step) for step in range(4)] == [0, 1, 3, 0], "a skip is left out, the walk goes on"
    assert RingWalk("round", figure(3, 1), {0, 1, 2}, "s").place(7) is None


@given(st.sampled_from(sorted(WALKS)), st.integers(1, 12), st.sets(st.integers(0, 11)), st.integers(0, 99))
def test_a_walk_knows_its_place_at_any_step(way, count, skipped, seed):
    def walk():
        return RingWalk(way, figure(count, 1), skipped, f"seed {seed}")

    in_order = walk()
    places = [in_order.place(step) for step in range(30)]
    backwards = walk()
    assert [backwards.place(step) for step in reversed(range(30))] == places[::-1]
    allowed = set(range(count)) - skipped
    assert set(places) <= (allowed or {None})
    if way == "shuffled" and allowed:
        assert set(places[: len(allowed)]) == allowed


def test_random_walks_differ_by_seed_and_drift_goes_to_neighbours():
    seeds = [[RingWalk("random", figure(8, 1), (), f"{seed}").place(step) for step in range(16)] for seed in range(3)]
    assert len({tuple(one) for one in seeds}) == 3
    drift = RingWalk("drift", figure(8, 1), (), "1")
    path = [drift.place(step) for step in range(200)]
    assert {(after - before) % 8 for before, after in pairwise(path)} == {0, 1, 7}
    assert len(set(path)) == 8


def test_a_bead_crosses_a_square_as_geometry_says():
    # The walls of a square whose corners lie on the circle stand sqrt(1/2) from its centre.
    bead = Bead(4, speed=1.0, x=0.0, y=0.0, angle=math.radians(45))
    first, second, third = bead.bounce(), bead.bounce(), bead.bounce()
    assert first.time == pytest.approx(math.sqrt(0.5)) and first.squareness == pytest.approx(1.0)
    assert second.time - first.time == pytest.approx(2 * math.sqrt(0.5))
    assert third.wall == first.wall and second.wall == (first.wall + 2) % 4


@given(
    st.integers(3, 12),
    st.floats(0.1, 8.0),
    st.floats(-0.2, 0.2),
    st.floats(-0.2, 0.2),
    st.floats(0, 2 * math.pi),
)
def test_beads_stay_inside_and_time_runs_on(sides, speed, x, y, angle):
    bead = Bead(sides, speed, x, y, angle)
    corners = [corner(sides, number) for number in range(sides)]
    before = 0.0
    for _ in range(60):
        bounce = bead.bounce()
        assert bounce.time > before and 0 <= bounce.wall < sides and 0 <= bounce.squareness <= 1 + 1e-9
        before = bounce.time
        (ax, ay), (bx, by) = corners[bounce.wall], corners[(bounce.wall + 1) % sides]
        away = abs((bx - ax) * (ay - bead.y) - (ax - bead.x) * (by - ay)) / math.hypot(bx - ax, by - ay)
        assert away < 5e-3, "it turns round on the wall that it met"
        assert math.hypot(bead.x, bead.y) <= 1 + 1e-3
