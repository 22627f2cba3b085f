"""Scales, chords, time."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.theory.chords import QUALITIES, chord_name, interval_name
from arpegon.core.theory.scales import SCALES, Key
from arpegon.core.time.clock import Clock, bar_beats, position, position_text

CHORDS = {
    (60, 64, 67): "C",
    (62, 65, 69): "Dm",
    (62, 65, 69, 72): "Dm7",
    (65, 69, 72, 74): "F6",
    (53, 62, 69, 72): "Dm7/F",
    (64, 67, 72): "C/E",
    (59, 62, 65): "Bdim",
    (59, 62, 65, 69): "Bm7♭5",
    (60, 64, 68): "Caug",
    (67, 71, 74, 77): "G7",
    (60, 64, 67, 71, 74): "Cmaj9",
    (60, 67): "C5",
    (60, 72): "C",
    (60, 65, 67): "Csus4",
    (60, 61, 62): None,
    (): None,
}


@pytest.mark.parametrize(("notes", "name"), CHORDS.items())
def test_chords_have_their_names(notes, name):
    assert chord_name(notes) == name


def test_chord_names_are_spelled_for_the_key():
    assert chord_name((63, 67, 70), Key("Bb").names) == "E♭"
    assert chord_name((63, 66, 70), Key("E").names) == "D♯m"


@given(st.sampled_from(sorted(QUALITIES, key=sorted)), st.integers(30, 80))
def test_in_root_position_a_chord_is_named_after_its_bass(quality, root):
    name = chord_name([root + interval for interval in quality])
    assert name is not None and "/" not in name.replace("6/9", "")


@pytest.mark.parametrize(
    ("offset", "words"),
    [(3, "minor third"), (7, "fifth"), (-12, "low octave"), (12, "octave"), (16, "third + octave"), (0, "unison")],
)
def test_intervals_in_words(offset, words):
    assert interval_name(offset) == words


def test_scales_rise_from_zero_within_an_octave():
    assert len(SCALES) >= 21
    for scale in SCALES.values():
        assert scale.intervals[0] == 0
        assert list(scale.intervals) == sorted(set(scale.intervals))
        assert scale.intervals[-1] < 12
    modes = ["ionian", "dorian", "phrygian", "lydian", "mixolydian", "aeolian", "locrian"]
    major = SCALES["ionian"].intervals
    for degree, mode in enumerate(modes):
        turned = tuple(sorted((step - major[degree]) % 12 for step in major))
        assert SCALES[mode].intervals == turned


def test_scales_are_all_different():
    assert len({scale.intervals for scale in SCALES.values()}) == len(SCALES)


tempos = st.floats(20.0, 400.0)


@given(st.lists(st.tuples(st.floats(0.0, 30.0), tempos), max_size=8), tempos)
def test_a_change_of_tempo_neither_skips_nor_repeats(changes, first):
    clock = Clock(first)
    clock.start(0.0, 0.0)
    time = beat = 0.0
    for wait, tempo in changes:
        beat += wait * clock.tempo / 60.0
        time += wait
        clock.set_tempo(time, tempo)
        assert math.isclose(clock.beat_at(time), beat, abs_tol=1e-6)
        assert math.isclose(clock.time_at(clock.beat_at(time + 3.0)), time + 3.0, abs_tol=1e-6)


def test_a_stopped_clock_rests():
    clock = Clock(60.0)
    clock.start(10.0, 4.0)
    clock.stop(12.0)
    assert clock.beat_at(99.0) == 6.0 and clock.time_at(7.0) == math.inf
    clock.start(20.0)
    assert clock.beat_at(21.0) == 7.0


def test_positions_count_from_one_and_follow_the_meter():
    assert position(0.0, (4, 4)) == (1, 1, 0)
    assert position_text(*position(46.25, (4, 4))) == "12.3.240"
    assert position(3.0, (6, 8)) == (2, 1, 0)
    assert position(3.5, (7, 8)) == (2, 1, 0)
    assert bar_beats((7, 8)) == 3.5
