"""Humanize's timing and length; Velocity."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.errors import ParameterError
from arpegon.core.events import NOTE_OFF, NOTE_ON, note_off, note_on
from arpegon.core.notes.takes import bars
from arpegon.core.processing.parameters import check_params
from arpegon.processors import PROCESSORS
from arpegon.processors.stages.velocity import response
from building import assert_whole, note_ons, notes, out_of, stage


@given(st.integers(0, 250), st.integers(0, 20))
def test_timing_makes_notes_later_by_no_more_than_it_says_and_keeps_their_length(time_ms, seed):
    played = notes(*range(40, 60), gap=0.6, length=0.3)
    made = out_of(stage("humanize", timing=True, time_ms=time_ms, seed=seed), played=played)
    assert_whole(made)
    for before, after in zip(bars(played), bars(made), strict=True):
        assert -1e-9 <= after.start - before.start <= time_ms / 1000 + 1e-9
        assert after.end - after.start == pytest.approx(before.end - before.start)


def test_what_one_key_does_stays_in_order_however_fast_it_is_struck():
    played = notes(*[60] * 200, gap=0.01, length=0.005)
    made = out_of(stage("humanize", timing=True, time_ms=200), played=played)
    assert [event.kind for event in made] == [NOTE_ON, NOTE_OFF] * 200
    assert_whole(made)


@given(st.integers(0, 90), st.integers(0, 20))
def test_length_strays_within_its_percent_and_never_ends_before_the_key(percent, seed):
    played = notes(*range(40, 60), gap=2.0, length=0.5)
    made = out_of(
        stage("humanize", length=True, length_percent=percent, timing=True, time_ms=100, seed=seed), played=played
    )
    assert_whole(made)
    for before, after in zip(bars(played), bars(made), strict=True):
        share = (after.end - after.start) / (before.end - before.start)
        assert 1 - percent / 100 - 1e-9 <= share <= 1 + percent / 100 + 1e-9
        assert after.end >= before.end - 1e-9


def test_each_of_velocity_timing_and_length_has_its_own_switch():
    played = notes(60, 62, 64, velocity=77)
    assert out_of(stage("humanize", velocity=False), played=played) == played
    only_time = out_of(stage("humanize", velocity=False, timing=True), played=played)
    assert only_time != played and [event.data2 for event in note_ons(only_time)] == [77] * 3


PLAIN = {"scale": 100, "offset": 0}


@given(st.integers(-100, 100).map(lambda share: share / 100))
def test_a_curve_keeps_both_ends_and_rises(curve):
    table = response(PLAIN | {"mode": "curve", "curve": curve})
    assert table[0] == 0 and table[127] == 127
    assert table == sorted(table)
    assert (table[64] >= 64) == (curve >= 0)


@given(st.integers(1, 127), st.integers(1, 127), st.floats(-1, 1), st.lists(st.floats(0, 3), max_size=5))
def test_velocity_stays_within_its_limits_whatever_the_accents(low, high, curve, accents):
    chain = stage("velocity", low=low, high=high, curve=curve, accents=accents)
    made = note_ons(out_of(chain, played=notes(*[60] * 12, velocity=90)))
    assert all(min(low, high) <= event.data2 <= max(low, high) for event in made)


def test_accents_go_in_turn_and_notes_struck_together_share_one():
    played = [note_on(0, 0, 60, 100), note_on(0.004, 0, 64, 100), note_on(0.5, 0, 62, 100), note_on(1, 0, 60, 100)]
    played += [note_off(2, 0, note) for note in (60, 62, 64)]
    made = note_ons(out_of(stage("velocity", accents=[1.2, 0.8, 1.0]), played=played))
    assert [event.data2 for event in made] == [120, 120, 80, 100]


def test_a_drawn_line_and_one_value():
    drawn = note_ons(
        out_of(stage("velocity", mode="points", points=[[20, 60], [100, 80]]), played=notes(60, velocity=60))
    )
    assert drawn[0].data2 == 70
    assert response(PLAIN | {"mode": "points", "points": [[20, 60], [100, 80]]})[10] == 60
    fixed = note_ons(out_of(stage("velocity", mode="fixed", fixed=33), played=notes(60, 61, velocity=120)))
    assert [event.data2 for event in fixed] == [33, 33]


@pytest.mark.parametrize("points", [[[5, 5], [5, 9]], [[0, 5]], [[5]], "line", [[1.5, 2]]])
def test_a_line_that_does_not_rise_in_what_comes_in_is_refused(points):
    with pytest.raises(ParameterError, match="Drawn line"):
        check_params(PROCESSORS["velocity"].params, {"points": points}, "here")


@pytest.mark.parametrize(
    ("values", "wanted"),
    [
        ({"scale": 50}, [1, 32, 64]),
        ({"offset": 40}, [41, 104, 127]),
        ({"scale": 50, "offset": 60}, [60, 92, 124]),
        ({"scale": 200, "offset": -50}, [1, 78, 127]),
        ({"scale": 0, "offset": 90}, [90, 90, 90]),
    ],
)
def test_what_the_response_gives_is_scaled_and_moved(values, wanted):
    played = [
        event
        for place, velocity in enumerate((1, 64, 127))
        for event in (note_on(place, 0, 60, velocity), note_off(place + 0.5, 0, 60))
    ]
    assert [event.data2 for event in note_ons(out_of(stage("velocity", **values), played=played))] == wanted
