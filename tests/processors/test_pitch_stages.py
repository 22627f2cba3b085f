"""Transpose, Mirror and Key map."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.errors import ParameterError
from arpegon.core.processing.parameters import check_params
from arpegon.core.theory.scales import SCALES, Key
from arpegon.processors import PROCESSORS
from arpegon.processors.stages.keymap import all_threads, fill_chord, fill_scale, only
from arpegon.processors.stages.mirror import mirrored
from arpegon.processors.stages.transpose import by_degrees, moved
from building import notes, out_of, pitches, stage

KEYS = st.builds(Key, st.sampled_from(["C", "D", "Eb", "F#", "B"]), st.sampled_from(sorted(SCALES)))
NOTE = st.integers(0, 127)


@given(NOTE, st.integers(-24, 24), st.integers(-5, 5), st.integers(-14, 14), KEYS)
def test_folded_notes_stay_in_range_and_keep_their_pitch_class(note, semitones, octaves, degrees, key):
    values = {"semitones": semitones, "octaves": octaves, "degrees": degrees, "outside": "fold"}
    target = moved(note, values, key)
    wanted = by_degrees(note, degrees, key) + semitones + 12 * octaves
    assert 0 <= target <= 127 and (target - wanted) % 12 == 0
    dropped = moved(note, values | {"outside": "drop"}, key)
    assert dropped == (wanted if 0 <= wanted <= 127 else None)


@given(NOTE, KEYS, st.integers(-14, 14))
def test_degrees_stay_in_the_key_and_come_back(note, key, degrees):
    there = by_degrees(note, degrees, key)
    if note % 12 in key.pitch_classes:
        assert there % 12 in key.pitch_classes
        assert by_degrees(there, -degrees, key) == note
    assert by_degrees(note, len(key.intervals), key) == note + 12


def test_degrees_by_hand():
    c = Key("C", "ionian")
    assert [by_degrees(note, 2, c) for note in (60, 62, 64, 71, 61)] == [64, 65, 67, 74, 65]
    assert pitches(out_of(stage("transpose", degrees=2), played=notes(62), key=Key("D", "dorian"))) == [65]
    assert pitches(out_of(stage("transpose", octaves=-1, semitones=7), played=notes(60))) == [55]


def test_a_key_map_begins_as_it_is_and_a_key_without_thread_is_silent():
    assert pitches(out_of(stage("keymap"), played=notes(*range(128), gap=0.01, length=0.005))) == list(range(128))
    chain = stage("keymap", threads={"60": [60, 67], "61": [], "62": [40]})
    assert pitches(out_of(chain, played=notes(60, 61, 62, 63))) == [60, 67, 40, 63]


def test_one_octave_stands_for_all():
    values = {"threads": {"60": [60, 72], "61": []}, "octave": True}
    table = all_threads(values)
    assert table[36] == (36, 48) and table[85] == () and table[120] == (120,) and table[50] == (50,)


@given(st.dictionaries(NOTE, st.lists(NOTE, max_size=4), max_size=6))
def test_threads_by_name_or_number_are_kept_in_one_form(targets):
    kept = only(targets)
    assert check_params(PROCESSORS["keymap"].params, {"threads": kept}, "here")["threads"] == kept


def test_note_names_are_read_and_wrong_ones_are_named():
    read = check_params(PROCESSORS["keymap"].params, {"threads": {"C4": ["C4", "Eb4"]}}, "here")
    assert read["threads"] == {"60": [60, 63]}
    with pytest.raises(ParameterError, match="H4"):
        check_params(PROCESSORS["keymap"].params, {"threads": {"C4": ["H4"]}}, "here")


def test_fills():
    inside = Key("D", "dorian").pitch_classes
    assert fill_scale(inside, silent=True)[61] == [] and fill_scale(inside, silent=False)[61] == [60]
    assert fill_scale(inside, silent=True)[62] == [62]
    assert fill_chord((0, 4, 7))[60] == [60, 64, 67] and fill_chord((0, 4, 7))[125] == [125]


# -- mirror ------------------------------------------------------------------------------------------


def test_what_goes_up_comes_down():
    assert pitches(out_of(stage("mirror", axis=62), played=notes(60, 62, 64, 69))) == [64, 62, 60, 55]
    in_key = stage("mirror", way="key", axis=60, root="C", scale="ionian")
    assert pitches(out_of(in_key, played=notes(60, 62, 64, 65, 67, 72, 61))) == [60, 59, 57, 55, 53, 48, 59]
    dropped = out_of(stage("mirror", axis=120, outside="drop"), played=notes(100, 115))
    assert pitches(dropped) == [125]
    assert pitches(out_of(stage("mirror", axis=120), played=notes(100))) == [116]


@given(NOTE, st.integers(30, 90), KEYS, st.sampled_from(["note", "key"]))
def test_a_mirror_of_a_mirror_is_what_was_played(note, axis, key, way):
    values = {"way": way, "axis": axis, "outside": "drop"}
    if way == "key" and {note % 12, axis % 12} - set(key.pitch_classes):
        return
    there = mirrored(note, values, key)
    if there is None:
        return
    assert mirrored(there, values, key) == note
    assert way == "note" or there % 12 in key.pitch_classes
    assert mirrored(axis, values, key) == axis
