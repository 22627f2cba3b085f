"""Thin, Sieve and Chance: which notes are let through."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.events import CONTROL, NOTE_ON, Event, control, note_off, note_on
from arpegon.engine.offline import run
from building import assert_whole, note_ons, notes, out_of, pitches, project, stage, strand


def held(*strokes):
    """Notes struck at times and all let go at 9 s: (time, note, velocity)."""
    ons = [note_on(time, 0, note, velocity) for time, note, velocity in strokes]
    return ons + [note_off(9, 0, note) for _, note, _ in strokes]


CHORD = held((0, 60, 50), (0, 64, 90), (0, 67, 70))


@pytest.mark.parametrize(
    ("keep", "wanted"), [("highest", 67), ("lowest", 60), ("loudest", 64), ("latest", 67), ("first", 60)]
)
def test_one_of_a_chord_sounds_and_nothing_else_even_for_a_moment(keep, wanted):
    made = out_of(stage("thin", keep=keep), played=CHORD)
    assert pitches(made) == [wanted]
    assert_whole(made)


def test_the_next_takes_over_when_a_kept_note_ends_or_waits():
    played = [note_on(0, 0, 60, 50), note_on(1, 0, 67, 50), note_off(2, 0, 67), note_off(3, 0, 60)]
    made = out_of(stage("thin"), played=played)
    assert [(event.time, event.kind == NOTE_ON, event.data1) for event in made] == [
        (0, True, 60),
        (1, False, 60),
        (1, True, 67),
        (2, False, 67),
        (2, True, 60),
        (3, False, 60),
    ]
    assert pitches(out_of(stage("thin", take_over=False), played=played)) == [60, 67]


@given(st.integers(1, 16), st.sampled_from(["highest", "lowest", "latest", "loudest", "first"]), st.booleans())
def test_no_more_notes_sound_than_were_asked_for(count, keep, take_over):
    played = sorted(
        held(*[(place * 0.1, 30 + place * 7 % 60, 1 + place * 13 % 127) for place in range(40)])
        + [note_off(2 + place * 0.1, 0, 30 + place * 7 % 60) for place in range(20)],
        key=lambda event: event.time,
    )
    made = out_of(stage("thin", keep=keep, count=count, take_over=take_over), played=played)
    assert_whole(made)
    sounding = 0
    for event in made:
        sounding += 1 if event.kind == NOTE_ON else -1
        assert sounding <= count


def test_a_thousand_strokes_in_one_millisecond():
    played = [note_on(place * 1e-6, place % 16, place // 16 % 128, 100) for place in range(1000)]
    played += [note_off(1, place % 16, place // 16 % 128) for place in range(1000)]
    for kind in ("thin", "sieve", "chance", "hold", "length", "repeat", "humanize", "chord"):
        result = run(project(strand(stage(kind))), played, seconds=60.0)
        assert_whole([event for _, event in result.instruments])


def test_blocking_a_note_blocks_its_end_and_its_pressure():
    played = [note_on(0, 0, 60, 90), Event(0.1, 0xA0, 60, 9), note_off(0.2, 0, 60), control(0.3, 0, 1, 5)]
    assert out_of(stage("sieve", low_key=60, high_key=60), played=played) == [control(0.3, 0, 1, 5)]
    assert out_of(stage("sieve", low_key=61), played=played) == played


def test_the_reset_that_a_release_sends_is_caught():
    played = [control(0, 0, 74, 99), control(1, 0, 74, 0), control(2, 0, 1, 0)]
    chain = stage("sieve", kinds=["cc"], controllers=[74], low_value=0, high_value=0)
    assert out_of(chain, played=played) == [played[0], played[2]]


def test_only_what_matches_passes():
    played = [
        note_on(0, 1, 60, 90),
        note_on(0, 2, 61, 90),
        control(0.1, 1, 1, 5),
        note_off(1, 1, 60),
        note_off(1, 2, 61),
    ]
    made = out_of(stage("sieve", action="pass", channels=[2]), played=played)
    assert made == [played[0], played[3]]
    velocities = stage("sieve", action="pass", low_velocity=91)
    assert out_of(velocities, played=played[:2]) == []


@given(st.integers(0, 100), st.integers(0, 9))
def test_chance_lets_notes_through_whole(percent, seed):
    played = notes(*[60] * 50)
    made = out_of(stage("chance", percent=percent, seed=seed), played=played)
    assert_whole(made)
    assert all(event in played for event in made)
    if percent in (0, 100):
        assert len(made) == percent // 100 * len(played)


def test_chance_keeps_its_share_and_its_seed_and_chords_whole():
    played = notes(*[60] * 2000, gap=0.01, length=0.005)
    made = note_ons(out_of(stage("chance", percent=30), played=played))
    assert 520 < len(made) < 680
    assert note_ons(out_of(stage("chance", percent=30), played=played)) == made
    chords = [event for place in range(200) for event in held((place * 0.01, 60, 9), (place * 0.01, 64, 9))[:2]]
    together = note_ons(out_of(stage("chance", percent=50, together=True), played=chords))
    per_time = {event.time: 0 for event in together}
    for event in together:
        per_time[event.time] += 1
    assert set(per_time.values()) == {2}


def test_controllers_are_not_thinned_by_thin():
    played = [control(0.1, 0, 1, 5), note_on(0.1, 0, 60, 9), control(0.1, 0, 64, 127), note_off(1, 0, 60)]
    played.append(control(2.0, 0, 64, 0))
    made = out_of(stage("thin"), played=played)
    assert made == played and [event.kind for event in made if event.kind == CONTROL]
