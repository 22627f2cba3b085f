"""The arpeggiator: order, time, octaves, lanes, latch."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.errors import ParameterError
from arpegon.core.events import NOTE_ON, control, note_off, note_on
from arpegon.core.notes.takes import bars
from arpegon.core.processing.parameters import check_params
from arpegon.engine.simulation import Engine
from arpegon.processors import PROCESSORS
from building import Recording, assert_whole, note_ons, out_of, pitches, project, stage, strand


def held(*notes, end=2.0, velocity=80, at=0.0):
    """Notes struck together and let go together."""
    return [note_on(at, 0, note, velocity) for note in notes] + [note_off(end, 0, note) for note in notes]


def arp(**values):
    return stage("arpeggiator", **{"rate": "1/8", "gather_ms": 0, **values})


CHORD = held(64, 60, 67)


@pytest.mark.parametrize(
    ("order", "first"),
    [
        ("up", [60, 64, 67, 60, 64, 67, 60, 64]),
        ("played", [64, 60, 67, 64, 60, 67, 64, 60]),
        ("down", [67, 64, 60, 67, 64, 60, 67, 64]),
        ("up-down", [60, 64, 67, 64, 60, 64, 67, 64]),
        ("outside-in", [60, 67, 64, 60, 67, 64, 60, 67]),
    ],
)
def test_a_chord_is_walked_over_in_order_and_its_keys_do_not_pass(order, first):
    made = out_of(arp(order=order), played=CHORD)
    assert pitches(made) == first
    assert [event.time for event in note_ons(made)] == pytest.approx([step * 0.25 for step in range(8)])
    assert_whole(made)


def test_all_at_once_and_a_stride():
    assert pitches(out_of(arp(order="chord"), played=held(60, 64, end=0.3))) == [60, 64, 60, 64]
    five = held(60, 62, 64, 65, 67, end=1.25)
    assert pitches(out_of(arp(order="stride", stride=2), played=five)) == [60, 64, 67, 62, 65]


@pytest.mark.parametrize(
    ("way", "count", "notes"),
    [
        ("up", 3, [60, 72, 84]),
        ("down", 3, [36, 48, 60]),
        ("both", 1, [60]),
        ("both", 2, [60, 72]),
        ("both", 3, [48, 60, 72]),
        ("both", 4, [48, 60, 72, 84]),
    ],
)
def test_octaves(way, count, notes):
    made = pitches(out_of(arp(octaves=count, octave_way=way), played=held(60, end=2.4)))
    assert sorted(set(made)) == notes


# -- a chord by hand ---------------------------------------------------------------------------------

BY_HAND = [
    *(note_on(0.1, 0, 60, 80), note_on(0.108, 0, 67, 80), note_on(0.12, 0, 64, 80)),
    *(note_off(1.4, 0, note) for note in (60, 64, 67)),
]


@pytest.mark.parametrize(("order", "first"), [("up", [60, 64, 67]), ("down", [67, 64, 60]), ("played", [60, 67, 64])])
def test_a_chord_struck_by_a_hand_is_gathered(order, first):
    made = out_of(arp(order=order, gather_ms=25), played=BY_HAND)
    assert pitches(made)[:4] == [*first, first[0]]
    assert [event.time for event in note_ons(made)][:2] == pytest.approx([0.125, 0.375])
    assert_whole(made)


def test_only_the_first_chord_waits_and_keys_that_come_later_join_in():
    later = sorted([*BY_HAND, note_on(0.6, 0, 72, 80), note_off(1.4, 0, 72)], key=lambda event: event.time)
    made = note_ons(out_of(arp(gather_ms=25), played=later))
    assert [event.time for event in made] == pytest.approx([0.125 + 0.25 * step for step in range(6)])
    assert pitches(made) == [60, 64, 67, 72, 60, 64]


@pytest.mark.parametrize("latch", [False, True])
def test_a_stroke_shorter_than_the_gathering_sounds_at_its_end(latch):
    short = [note_on(0.1, 0, 60, 80), note_on(0.105, 0, 64, 80), note_off(0.11, 0, 60), note_off(0.115, 0, 64)]
    made = out_of(arp(order="down", gather_ms=50, latch=latch), played=[*short, control(0.5, 0, 1, 0)])
    assert pitches(made)[0] == 64 and note_ons(made)[0].time == 0.115
    assert pitches(made)[:2] == ([64, 60] if latch else [64])
    assert_whole(made)


def test_what_the_beat_starts_does_not_wait():
    made = note_ons(out_of(arp(gather_ms=100, starts="beat"), played=held(60, end=0.9)))
    assert [event.time for event in made] == [0.0, 0.25, 0.5, 0.75]


def test_a_pattern_that_changes_at_once_begins_anew_if_it_is_to():
    patterns = [[{"play": place} for place in (1, 2, 3, 4)], [{"play": place} for place in (4, 3, 2, 1)]]
    found = {}
    for anew in (True, False):
        now = project(strand(stage("arpeggiator", "x", rate="1/8", gather_ms=0, patterns=patterns, change="now")))
        now = edits.set_params(now, "x", {"from_first": anew})
        engine = Engine(Recording())
        engine.apply(now, {}, 0.0)
        for note in (60, 62, 64, 65):
            engine.feed("surface", note_on(0.0, 0, note, 80))
        engine.run(0.3)  # two steps
        engine.apply(edits.set_params(now, "x", {"pattern": 2}), {}, 0.3)
        engine.run(0.9)
        found[anew] = pitches(engine.graph.outputs.out)
    assert found == {True: [60, 62, 65, 64], False: [60, 62, 62, 60]}


def test_swing_gate_and_accents():
    made = out_of(arp(swing=66, gate=50, accents=[1.0, 0.5]), played=held(60, end=1.0))
    spans = bars(made)
    assert [bar.start for bar in spans] == pytest.approx([0.0, 0.33, 0.5, 0.83])
    assert [bar.end - bar.start for bar in spans] == pytest.approx([0.165, 0.085, 0.165, 0.085])
    assert [bar.velocity for bar in spans] == [80, 40, 80, 40]


def test_notes_may_come_and_go_while_it_walks():
    played = [note_on(0, 0, 60, 80), note_on(0.6, 0, 72, 80), note_off(1.1, 0, 60), note_off(2, 0, 72)]
    made = out_of(arp(), played=played)
    assert set(pitches(made)) == {60, 72}
    assert pitches(made)[:3] == [60, 60, 60] and pitches(made)[-2:] == [72, 72]
    assert_whole(made)


def test_latch_goes_on_until_a_key_is_pressed_while_none_is_down():
    played = [*held(60, end=0.1), *held(67, at=1.0, end=1.1)]
    made = note_ons(out_of(arp(latch=True), played=[*played, control(2.0, 0, 1, 1)]))
    assert {event.data1 for event in made if event.time < 1.0} == {60}
    assert {event.data1 for event in made if 1.0 <= event.time < 3.0} == {67}


LANE = [{"play": "next"}, {"play": "rest"}, {"play": 2, "octave": 1}, {"play": "all", "velocity": 0.5}, {"play": "tie"}]


def test_a_lane_says_what_each_step_plays():
    made = out_of(arp(patterns=[LANE]), played=held(60, 64, end=1.25))
    spans = bars(made)
    assert [(round(bar.start, 3), bar.note, bar.velocity) for bar in spans] == [
        *((0.0, 60, 80), (0.5, 76, 80)),
        *((0.75, 60, 40), (0.75, 64, 40)),
    ]
    assert spans[-1].end == pytest.approx(1.0 + 0.25 * 0.7)  # the tie lets it sound on


def test_a_step_that_asks_for_more_notes_than_are_held():
    assert pitches(out_of(arp(patterns=[[{"play": 3}]]), played=held(60, 64, end=0.2))) == [60]
    assert pitches(out_of(arp(patterns=[[{"play": 3}]], fewer="rest"), played=held(60, 64, end=0.2))) == []


@given(st.integers(0, 20), st.integers(2, 5))
def test_random_does_not_repeat_and_comes_back_with_its_seed(seed, count):
    played = held(*range(60, 60 + count), end=12.0)
    made = pitches(out_of(arp(order="random", seed=seed), played=played))
    assert all(first != second for first, second in pairwise(made))
    assert pitches(out_of(arp(order="random", seed=seed), played=played)) == made


@given(st.integers(0, 20))
def test_shuffled_plays_every_note_once_in_each_cycle(seed):
    made = pitches(out_of(arp(order="shuffled", seed=seed), played=held(60, 62, 64, 65, end=6.0)))
    for place in range(0, len(made) - 3, 4):
        assert sorted(made[place : place + 4]) == [60, 62, 64, 65]


def test_chance_leaves_steps_out_and_played_notes_pass_where_asked():
    made = pitches(out_of(arp(patterns=[[{"play": "next", "chance": 0}, {"play": "next"}]]), played=held(60, end=1.0)))
    assert len(made) == 2
    silent = [[{"play": "next", "chance": 0}]]
    through = out_of(arp(through=True, patterns=silent), played=held(60, end=0.2))
    assert note_ons(through)[0].time == 0.0 and pitches(through) == [60]
    assert_whole(through)
    assert pitches(out_of(arp(patterns=silent), played=held(60, end=0.2))) == []
    both = out_of(arp(through=True), played=held(60, end=0.2))
    assert pitches(both) == [60] and assert_whole(both) is None, "the key and its first step are one note"


def test_everything_but_notes_passes():
    made = out_of(arp(), played=[control(0.1, 0, 1, 9), *held(60, at=0.2, end=0.3)])
    assert control(0.1, 0, 1, 9) in made and any(event.kind == NOTE_ON for event in made)


@pytest.mark.parametrize(
    ("lane", "words"),
    [
        ([{"play": "jump"}], "jump"),
        ([{"play": 0}], "0"),
        ([{"play": "next", "colour": 1}], "colour"),
        ([{"play": "next"}, {"play": "next", "chance": 200}], "step 2"),
        ([{"play": "next", "octave": 0.5}], "whole"),
        (["next"], "object"),
        ([{"play": "next"}] * 33, "up to 32"),
    ],
)
def test_bad_lanes_are_refused_with_their_step(lane, words):
    with pytest.raises(ParameterError, match=words):
        check_params(PROCESSORS["arpeggiator"].params, {"patterns": [lane]}, "here")
