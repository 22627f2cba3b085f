"""Scores: what is written as MusicXML is read back as the notes that were kept, on their bars, spelled for the key."""

from __future__ import annotations

from itertools import pairwise
from xml.etree import ElementTree

import partitura
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Note, Sheet
from arpegon.core.theory.scales import Key
from arpegon.files.musicxml import ScorePart, laid_out, spelled, write_score

COURSE = Course(
    tempi=((0.0, 96.0),),
    meters=((0.0, (4, 4), 1), (8.0, (3, 4), 3)),
    keys=((0.0, Key("Eb", "ionian")),),
)


def sheet(*rows):
    return Sheet(tuple(Note(start, end, note, 90) for start, end, note in rows))


def read(path):
    return [
        (
            part.part_name,
            sorted(
                (float(n["onset_quarter"]), float(n["duration_quarter"]), int(n["pitch"])) for n in part.note_array()
            ),
        )
        for part in partitura.load_musicxml(str(path)).parts
    ]


def test_a_take_is_read_back_on_its_bars(tmp_path):
    one = sheet((0.02, 0.98, 63), (1.1, 2.0, 67), (1.0, 2.05, 70), (3.5, 5.0, 72), (8.0, 9.0, 48), (9.0, 12.0, 60))
    write_score(tmp_path / "tide.musicxml", [ScorePart("Bells", one), ScorePart("Fog", Sheet())], COURSE, "1/8", "Tide")
    (name, notes), (other, nothing) = read(tmp_path / "tide.musicxml")
    assert (name, other) == ("Bells", "Fog") and nothing == []
    assert notes == [
        (0.0, 1.0, 63),
        (1.0, 1.0, 67),
        (1.0, 1.0, 70),
        (3.5, 1.5, 72),
        (8.0, 1.0, 48),
        (9.0, 3.0, 60),
    ]
    text = (tmp_path / "tide.musicxml").read_text()
    assert "<fifths>-3</fifths>" in text and text.count("<time>") >= 2 and "<step>E</step>" in text


@pytest.mark.parametrize(
    ("note", "key", "wanted"),
    [
        (61, Key("A", "aeolian"), ("C", 4, 1)),
        (61, Key("Db", "ionian"), ("D", 4, -1)),
        (59, Key("Cb", "ionian"), ("C", 4, -1)),
        (60, Key("C#", "ionian"), ("B", 3, 1)),
        (0, Key(), ("C", -1, 0)),
        (127, Key(), ("G", 9, 0)),
    ],
)
def test_notes_are_spelled_for_the_key(note, key, wanted):
    assert spelled(note, key) == wanted


@settings(max_examples=40)
@given(
    st.lists(
        st.builds(
            lambda start, length, note: (start, start + length, note),
            st.floats(0.0, 16.0),
            st.floats(0.01, 6.0),
            st.integers(36, 84),
        ),
        max_size=24,
    ),
    st.sampled_from(["1/16", "1/8T", "1/4"]),
)
def test_no_voice_has_two_things_at_once(rows, grid):
    laid = laid_out(sheet(*rows).notes, COURSE, grid)
    assert {(one.start, one.note) for one in laid} == {
        (one.start, one.note) for one in laid_out(sheet(*rows).notes, COURSE, grid)
    }
    for voice in {one.voice for one in laid}:
        inside = sorted((one for one in laid if one.voice == voice), key=lambda one: one.start)
        for one, other in pairwise(inside):
            assert one.end <= other.start or (one.start, one.end) == (other.start, other.end)
    assert all(one.end > one.start for one in laid)


@pytest.mark.parametrize("sixteenths", [1, 2, 3, 5, 7, 9, 10, 11, 13, 15])
def test_every_note_and_rest_has_a_note_value_and_every_bar_is_whole(tmp_path, sixteenths):
    """Notes of 5 or 10 sixteenths had none, and the last bar ended with its last note."""
    length = sixteenths / 4
    write_score(tmp_path / "t.musicxml", [ScorePart("A", sheet((0.25, 0.25 + length, 60)))], Course(), "1/16", "T")
    tree = ElementTree.parse(tmp_path / "t.musicxml")
    notes = list(tree.iter("note"))
    assert all(note.find("type") is not None for note in notes)
    for measure in tree.iter("measure"):
        assert sum(int(note.findtext("duration")) for note in measure.iter("note")) == 4 * 96
    ((_, found),) = read(tmp_path / "t.musicxml")
    assert found == [(0.25, length, 60)]
