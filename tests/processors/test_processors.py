"""Each processor does to the music what it says."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.errors import DocumentError
from arpegon.core.events import Event, note_off, note_on
from arpegon.core.processing.processor import Context
from arpegon.core.theory.scales import SCALES, Key, pitch_classes
from arpegon.processors import processor_class
from arpegon.processors.stages.humanize import width_in_words
from arpegon.processors.stages.scale import moves
from building import note_ons, notes, out_of, pitches, stage


@given(st.integers(1, 127), st.integers(1, 127), st.sampled_from(["even", "bell"]), st.integers(0, 50))
def test_humanize_draws_within_its_range_whatever_came_in(low, high, shape, seed):
    made = out_of(stage("humanize", low=low, high=high, shape=shape, seed=seed), played=notes(*[60] * 20, velocity=3))
    velocities = [event.data2 for event in note_ons(made)]
    assert all(min(low, high) <= velocity <= max(low, high) for velocity in velocities)


@given(st.integers(0, 64), st.integers(1, 127))
def test_humanize_strays_no_further_than_its_spread(spread, velocity):
    made = out_of(stage("humanize", mode="around", spread=spread), played=notes(*[60] * 20, velocity=velocity))
    assert all(abs(event.data2 - velocity) <= spread and 1 <= event.data2 <= 127 for event in note_ons(made))


def test_every_velocity_of_the_range_is_drawn_and_the_bell_prefers_its_middle():
    played = notes(*[60] * 3000, gap=0.01, length=0.005)
    even = [event.data2 for event in note_ons(out_of(stage("humanize", low=50, high=59), played=played))]
    assert set(even) == set(range(50, 60))
    bell = [event.data2 for event in note_ons(out_of(stage("humanize", low=50, high=59, shape="bell"), played=played))]
    middle = sum(54 <= velocity <= 55 for velocity in bell)
    assert middle > 1.5 * sum(54 <= velocity <= 55 for velocity in even)


def test_humanize_changes_nothing_but_strikes():
    played = [note_on(0, 0, 60, 90), Event(0.1, 0xB0, 7, 3), note_off(0.2, 0, 60, 33)]
    made = out_of(stage("humanize", low=5, high=5), played=played)
    assert made == [note_on(0, 0, 60, 5), *played[1:]]


def test_the_seed_calls_a_pattern_back_and_another_gives_another():
    patterns = [
        [event.data2 for event in note_ons(out_of(stage("humanize", seed=seed), played=notes(*range(40, 60))))]
        for seed in (7, 7, 8)
    ]
    assert patterns[0] == patterns[1] != patterns[2]


def test_two_stages_with_one_seed_do_not_draw_alike():
    played = notes(*range(40, 60))
    first = out_of(stage("humanize", "one", low=1, high=127), played=played)
    second = out_of(stage("humanize", "two", low=1, high=127), played=played)
    assert [event.data2 for event in note_ons(first)] != [event.data2 for event in note_ons(second)]


@pytest.mark.parametrize("width", range(1, 128))
def test_every_width_has_a_word(width):
    assert width_in_words(width)
    if 20 <= width <= 30:
        assert "subtle" in width_in_words(width)


@given(
    st.sampled_from(sorted(SCALES)),
    st.sampled_from(["C", "F#", "Bb"]),
    st.sampled_from(["nearest", "up", "down", "drop"]),
    st.integers(0, 127),
)
def test_scale_lets_only_its_notes_through(scale, root, rule, note):
    made = pitches(out_of(stage("scale", root=root, scale=scale, rule=rule), played=notes(note)))
    inside = pitch_classes(root, scale)
    assert all(pitch % 12 in inside for pitch in made)
    if note % 12 in inside:
        assert made == [note]
    elif rule == "drop":
        assert made == []
    else:
        assert len(made) == 1 and (abs(made[0] - note) < 12 or note in range(116, 128) or note < 12)


def test_scale_rules_by_hand():
    c_major = Key("C", "ionian")
    assert moves(c_major, "nearest") == [0, -1, 0, -1, 0, 0, -1, 0, -1, 0, -1, 0]  # a tie goes down
    assert moves(c_major, "up") == [0, 1, 0, 1, 0, 0, 1, 0, 1, 0, 1, 0]
    assert moves(c_major, "drop")[1] is None
    assert moves(Key("C", "augmented"), "nearest")[1:3] == [-1, 1]


def test_scale_follows_the_project_key_and_redirects_by_hand():
    follow = stage("scale", follow_key=True)
    assert pitches(out_of(follow, played=notes(63), key=Key("Bb", "ionian"))) == [63]
    assert pitches(out_of(follow, played=notes(63), key=Key("C", "ionian"))) == [62]
    redirected = stage("scale", targets=[None, "G", *[None] * 9, "C"])
    assert pitches(out_of(redirected, played=notes(61, 71))) == [55, 72]


def test_scale_at_the_edges_stays_in_range():
    up = stage("scale", root="C#", scale="major-pentatonic", rule="up")
    assert pitches(out_of(up, played=notes(127))) == [116]
    assert pitches(out_of(stage("scale", root="E", scale="minor-pentatonic", rule="down"), played=notes(0, 1))) == [
        11,
        11,
    ]


def test_chord_answers_with_voices_at_their_levels():
    made = out_of(stage("chord", offsets=[4, 7, -12], levels=[0.5, 2.0, 0.0]), played=notes(60, velocity=80))
    assert [(event.data1, event.data2) for event in note_ons(made)] == [(60, 80), (64, 40), (67, 127)]


def test_chord_leaves_out_what_is_outside_and_strikes_doubles_once():
    made = out_of(stage("chord", offsets=[36, 7, 7], keep_root=False), played=notes(100))
    assert pitches(made) == [107]


def test_the_release_of_a_key_is_the_release_of_its_chord():
    played = [note_on(0, 0, 60, 90), note_off(0.5, 0, 60, 17)]
    made = out_of(stage("chord", offsets=[4]), played=played)
    assert made[2:] == [note_off(0.5, 0, 60, 17), note_off(0.5, 0, 64, 17)]


def test_pressure_of_a_key_goes_to_its_voices():
    played = [note_on(0, 0, 60, 90), Event(0.1, 0xA0, 60, 50), note_off(0.5, 0, 60)]
    made = out_of(stage("chord", offsets=[4]), played=played)
    assert [(event.data1, event.data2) for event in made if event.kind == 0xA0] == [(60, 50), (64, 50)]


def test_a_bypassed_stage_changes_nothing():
    for kind in ("humanize", "scale", "chord"):
        assert out_of(stage(kind, bypass=True), played=notes(61, 63)) == notes(61, 63)


def test_an_unknown_kind_is_named():
    with pytest.raises(DocumentError, match="wobble"):
        processor_class("wobble")


def test_new_values_do_not_lose_held_notes():
    chord = processor_class("chord")({"offsets": [4]}, Context())
    out = []
    chord.process([note_on(0, 0, 60, 9)], out)
    chord.configure({"offsets": [5]}, Context())
    chord.process([note_off(1, 0, 60)], out)
    assert [(event.kind, event.data1) for event in out] == [(0x90, 60), (0x90, 64), (0x80, 60), (0x80, 64)]
