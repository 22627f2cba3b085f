"""Names of notes, against tables written from theory."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.errors import ParameterError
from arpegon.core.theory.pitch import (
    fifths_of,
    name_at,
    note_name,
    parse_note,
    parse_pitch_class,
    read_written,
    spell_scale,
    write_middle_c_as,
    written,
)
from arpegon.core.theory.scales import SCALES, Key, spelled

MAJOR = {
    "C": "C D E F G A B",
    "G": "G A B C D E F♯",
    "D": "D E F♯ G A B C♯",
    "A": "A B C♯ D E F♯ G♯",
    "E": "E F♯ G♯ A B C♯ D♯",
    "B": "B C♯ D♯ E F♯ G♯ A♯",
    "F#": "F♯ G♯ A♯ B C♯ D♯ E♯",
    "F": "F G A B♭ C D E",
    "Bb": "B♭ C D E♭ F G A",
    "Eb": "E♭ F G A♭ B♭ C D",
    "Ab": "A♭ B♭ C D♭ E♭ F G",
    "Db": "D♭ E♭ F G♭ A♭ B♭ C",
    "Gb": "G♭ A♭ B♭ C♭ D♭ E♭ F",
}
OTHERS = {
    ("D", "dorian"): "D E F G A B C",
    ("A", "harmonic-minor"): "A B C D E F G♯",
    ("C", "harmonic-minor"): "C D E♭ F G A♭ B",
    ("G#", "harmonic-minor"): "G♯ A♯ B C♯ D♯ E F♯♯",
    ("C", "blues"): "C E♭ F G♭ G B♭",
    ("E", "minor-pentatonic"): "E G A B D",
    ("C", "whole-tone"): "C D E F♯ G♯ B♭",
    ("F", "lydian"): "F G A B C D E",
    ("B", "locrian"): "B C D E F G A",
}


@pytest.mark.parametrize(("root", "wanted"), MAJOR.items())
def test_major_scales_use_each_letter_once(root, wanted):
    names = spelled(root, "ionian")
    tonic = parse_pitch_class(root)
    assert " ".join(names[(tonic + step) % 12] for step in SCALES["ionian"].intervals) == wanted


@pytest.mark.parametrize(("key", "wanted"), OTHERS.items())
def test_other_scales(key, wanted):
    names = spelled(*key)
    tonic = parse_pitch_class(key[0])
    assert " ".join(names[(tonic + step) % 12] for step in SCALES[key[1]].intervals) == wanted


def test_the_same_pitch_is_e_flat_in_b_flat_major_and_d_sharp_in_e_major():
    assert spelled("Bb", "ionian")[3] == "E♭"
    assert spelled("E", "ionian")[3] == "D♯"
    assert Key("D", "dorian").names == ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "G♯", "A", "B♭", "B")


@pytest.mark.parametrize("scale", SCALES)
@pytest.mark.parametrize("root", ["C", "C#", "Db", "D#", "Eb", "F#", "Gb", "G#", "Ab", "A#", "Bb", "B"])
def test_every_spelled_name_means_its_pitch_class(root, scale):
    for pitch_class, name in enumerate(spelled(root, scale)):
        assert parse_pitch_class(name) == pitch_class


@given(st.integers(0, 127), st.sampled_from(["C", "Eb", "F#", "Cb", "C#"]), st.sampled_from([3, 4]))
def test_names_are_read_back(note, root, middle_c):
    name = note_name(note, spell_scale(root, SCALES["ionian"].intervals), middle_c)
    assert parse_note(name, middle_c) == note


@pytest.mark.parametrize("octave", [3, 4])
@given(note=st.integers(0, 127))
def test_people_read_the_octaves_that_they_chose_and_files_keep_theirs(octave, note):
    try:
        write_middle_c_as(octave)
        assert written(60) == f"C{octave}"
        assert read_written(written(note)) == read_written(str(note)) == note
        assert parse_note(note_name(note)) == note and note_name(60) == "C4"
    finally:
        write_middle_c_as(4)


def test_the_octave_follows_the_letter():
    assert note_name(60) == "C4"
    assert note_name(60, middle_c=3) == "C3"
    assert note_name(59, spelled("Gb", "ionian")) == "C♭4"
    assert parse_note("C4") == parse_note(60) == parse_note("60") == 60


@given(st.integers(-15, 19))
def test_the_line_of_fifths_goes_both_ways(place):
    assert fifths_of(name_at(place)) == place


@pytest.mark.parametrize("text", ["", "H4", "C", "C99", "C-9", "Cx4", 128, -1, 3.5, True, "C###4"])
def test_what_is_no_note_is_refused_in_a_sentence(text):
    with pytest.raises(ParameterError, match=r"\.$"):
        parse_note(text)
