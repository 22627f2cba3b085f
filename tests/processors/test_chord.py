"""Chord: in key, pads, and the voicings of all three ways."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.errors import ParameterError
from arpegon.core.events import note_off, note_on
from arpegon.core.processing.parameters import check_params
from arpegon.core.theory.chords import CHORD_TYPES, STACKS, chord_name
from arpegon.core.theory.scales import SCALES, Key
from arpegon.core.theory.voicing import inverted, led, movement, opened, turnings
from arpegon.processors import PROCESSORS
from arpegon.processors.stages.chord import key_chord
from arpegon.processors.stages.pads import pad_notes
from building import assert_whole, note_ons, notes, out_of, pitches, stage

SEVENTHS = {62: "Dm7", 64: "Em7", 65: "Fmaj7", 67: "G7", 69: "Am7", 71: "Bm7♭5", 72: "Cmaj7"}


def test_the_chords_of_a_key_are_those_of_theory():
    for note, name in SEVENTHS.items():
        assert chord_name(key_chord(note, "seventh", "nearest", Key("D", "dorian"))) == name


@given(st.integers(0, 127), st.sampled_from(sorted(STACKS)), st.sampled_from(sorted(SCALES)))
def test_chords_of_a_key_stay_in_it(note, stack, scale):
    key = Key("Eb", scale)
    assert {one % 12 for one in key_chord(note, stack, "nearest", key)} <= key.pitch_classes


def test_notes_outside_the_key_take_the_nearest_degree_or_stay_single():
    key = Key("C", "ionian")
    assert key_chord(61, "triad", "nearest", key) == [60, 64, 67]
    assert key_chord(61, "triad", "single", key) == [61]


PADS = [
    {"trigger": 36, "root": "Eb", "quality": "maj7"},
    {"trigger": 37, "degree": 2, "stack": "seventh"},
    {"trigger": 38, "root": "G", "quality": "7", "inversion": 1, "register": -1, "group": "verse"},
]


def test_pads_answer_their_triggers_and_chords_by_degree_move_with_the_key():
    chain = stage("chord", way="pads", pads=PADS)
    c = pitches(out_of(chain, played=notes(36, 37, 38, 60), key=Key("C", "ionian")))
    assert c == [51, 55, 58, 62, 50, 53, 57, 60, 47, 50, 53, 55, 60]
    bb = pitches(out_of(chain, played=notes(36, 37), key=Key("Bb", "ionian")))
    assert chord_name(bb[:4], Key("Bb", "ionian").names) == "E♭maj7"
    assert chord_name(bb[4:], Key("Bb", "ionian").names) == "Cm7"


def test_keys_that_are_no_trigger_may_be_silent():
    assert pitches(out_of(stage("chord", way="pads", pads=PADS, others="drop"), played=notes(60))) == []


@pytest.mark.parametrize(
    ("pads", "words"),
    [
        ([{"trigger": 36}, {"trigger": "C2"}], "two pads have the trigger C2"),
        ([{"root": "C"}], "needs a trigger"),
        ([{"trigger": 36, "quality": "huge"}], "huge"),
        ([{"trigger": 36, "degree": 0}], "degree"),
        ([{"trigger": 36, "colour": "red"}], "colour"),
        ([{"trigger": 36, "inversion": 9}], "inversion"),
        ([{"trigger": 200}], "200"),
    ],
)
def test_bad_pads_are_refused_by_name(pads, words):
    with pytest.raises(ParameterError, match=words):
        check_params(PROCESSORS["chord"].params, {"pads": pads}, "here")


def test_as_many_pads_as_a_controller_has():
    pads = [{"trigger": note, "root": "C", "quality": "m"} for note in range(128)]
    made = out_of(stage("chord", way="pads", pads=pads), played=notes(*range(128), gap=0.1, length=0.05))
    assert len(note_ons(made)) == 3 * 128
    assert_whole(made)


@given(st.sampled_from(sorted(CHORD_TYPES)), st.integers(-8, 8))
def test_an_inversion_keeps_the_pitch_classes_and_moves_by_whole_voices(quality, times):
    voices = [(60 + interval, 1.0) for interval in CHORD_TYPES[quality]]
    turned = inverted(voices, times)
    assert sorted(note % 12 for note, _ in turned) == sorted(note % 12 for note, _ in voices)
    assert sum(note for note, _ in turned) == sum(note for note, _ in voices) + 12 * times


def test_open_position_and_register():
    assert [note for note, _ in opened([(60, 1.0), (64, 1.0), (67, 1.0)])] == [60, 67, 76]
    chain = stage("chord", offsets=[4, 7], spread="open", register=-1, inversion=1)
    assert pitches(out_of(chain, played=notes(60))) == [52, 60, 67]


@given(st.lists(st.integers(40, 80), min_size=1, max_size=5, unique=True), st.sampled_from(sorted(CHORD_TYPES)))
def test_leading_smoothly_takes_the_turning_that_moves_least(before, quality):
    voices = [(62 + interval, 1.0) for interval in CHORD_TYPES[quality]]
    chosen = movement(before, [note for note, _ in led(voices, before)])
    assert chosen == min(movement(before, [note for note, _ in turned]) for _, turned in turnings(voices))


def test_leading_smoothly_by_ear():
    """C to F: the common tone stays, the others move by step."""
    chain = stage("chord", way="key", stack="triad", lead=True)
    made = pitches(out_of(chain, played=notes(60, 65, 67)))
    assert made[:3] == [60, 64, 67] and made[3:6] == [60, 65, 69] and made[6:] == [59, 62, 67]


@pytest.mark.parametrize(("order", "first"), [("up", [60, 64, 67]), ("down", [67, 64, 60])])
def test_a_strum_begins_voices_one_after_the_other(order, first):
    chain = stage("chord", offsets=[4, 7], strum_ms=20, strum=order)
    made = note_ons(out_of(chain, played=notes(60, length=0.3)))
    assert [event.data1 for event in made] == first
    assert [event.time for event in made] == pytest.approx([0.0, 0.02, 0.04])


def test_a_strum_in_turn_and_one_that_is_let_go_early():
    turn = note_ons(out_of(stage("chord", offsets=[4], strum_ms=20, strum="turn"), played=notes(60, 60, 60)))
    assert [event.data1 for event in turn] == [60, 64, 64, 60, 60, 64]
    early = out_of(stage("chord", offsets=[4, 7], strum_ms=50), played=notes(60, length=0.06))
    assert pitches(early) == [60, 64]
    assert_whole(early)


def test_a_chord_that_leaves_the_range_loses_only_what_is_outside():
    chain = stage("chord", offsets=[4, 7], register=3)
    for note, register in itertools.product((0, 60, 127), (-3, 3)):
        chain = stage("chord", offsets=[4, 7], register=register)
        made = out_of(chain, played=notes(note))
        assert_whole(made)
        assert pitches(made) == [n + 12 * register for n in (note, note + 4, note + 7) if 0 <= n + 12 * register <= 127]


def test_pads_stand_on_their_root_near_c3_in_any_key():
    for root in ("C", "F#", "B"):
        assert 48 <= pad_notes({"trigger": 0, "root": root, "quality": "m"}, Key())[0] < 60
        assert 48 <= pad_notes({"trigger": 0, "degree": 1, "stack": "triad"}, Key(root, "aeolian"))[0] < 60


def test_128_keys_at_once_end_as_they_began():
    played = [note_on(0, 0, note, 80) for note in range(128)] + [note_off(1, 0, note) for note in range(128)]
    for way in ("shape", "key"):
        assert_whole(out_of(stage("chord", way=way, offsets=[4, 7]), played=played))
