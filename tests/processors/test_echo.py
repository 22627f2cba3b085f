"""Echo: notes that come again."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.events import note_off, note_on
from arpegon.core.notes.takes import bars
from arpegon.core.theory.scales import Key
from arpegon.engine.simulation import Engine
from building import Recording, assert_whole, note_ons, notes, out_of, project, stage, strand

ONE = notes(60, velocity=100, length=0.2)


def echo(**values):
    return stage("echo", "e", **{"rate": "1/4", **values})


def spans(made):
    return [(round(bar.start, 4), round(bar.end - bar.start, 4), bar.note, bar.velocity) for bar in bars(made)]


def test_a_note_comes_again_as_long_as_its_key_and_softer_each_time():
    made = out_of(echo(repeats=3, fade=50), played=ONE)
    assert spans(made) == [(0.0, 0.2, 60, 100), (0.5, 0.2, 60, 50), (1.0, 0.2, 60, 25), (1.5, 0.2, 60, 12)]


def test_repeats_move_by_semitones_or_within_the_key():
    made = out_of(echo(repeats=3, move=5, fade=100), played=ONE)
    assert [note for _, _, note, _ in spans(made)] == [60, 65, 70, 75]
    inside = echo(repeats=4, move=2, move_by="degrees", fade=100, follow_key=True)
    made = out_of(inside, played=ONE, key=Key("C", "ionian"))
    assert [note for _, _, note, _ in spans(made)] == [60, 64, 67, 71, 74]


def test_what_is_too_soft_or_beyond_the_last_note_does_not_sound():
    assert len(note_ons(out_of(echo(repeats=32, fade=10), played=ONE))) == 3
    assert len(note_ons(out_of(echo(repeats=32, fade=150, move=24), played=ONE))) == 3
    loud = out_of(echo(repeats=4, fade=150), played=ONE)
    assert [velocity for _, _, _, velocity in spans(loud)] == [100, 127, 127, 127, 127]


def test_only_the_repeats_sound_where_the_played_notes_do_not_pass():
    assert [start for start, _, _, _ in spans(out_of(echo(repeats=2, dry=False), played=ONE))] == [0.5, 1.0]


def test_a_key_that_is_held_beyond_its_repeats_ends_them_as_late_as_they_came():
    made = out_of(echo(repeats=1, move=7), played=notes(60, length=1.2))
    assert [(start, length) for start, length, _, _ in spans(made)] == [(0.0, 1.2), (0.5, 1.2)]


def test_repeats_that_meet_on_one_note_are_struck_again_and_end_with_the_last():
    made = out_of(echo(repeats=2, rate="1/16", fade=100), played=notes(60, 60, 60, gap=0.125, length=0.1))
    assert_whole(made)
    assert sorted({event.time for event in note_ons(made)}) == pytest.approx([0.0, 0.125, 0.25, 0.375, 0.5])


def test_another_distance_is_for_the_next_stroke():
    """What was struck already comes when it was to come; nothing is made up for."""
    engine = Engine(Recording())
    now = project(strand(echo(repeats=2)))
    engine.apply(now, {}, 0.0)
    engine.feed("surface", note_on(0.0, 0, 60, 100))
    engine.feed("surface", note_off(0.1, 0, 60))
    engine.run(0.6)
    engine.apply(edits.set_params(now, "e", {"rate": "1/16"}), {}, 0.6)
    engine.feed("surface", note_on(1.2, 0, 72, 100))
    engine.feed("surface", note_off(1.25, 0, 72))
    engine.run(3.0)
    found = [(event.time, event.data1) for event in note_ons(engine.graph.outputs.out)]
    assert found == [(0.0, 60), (0.5, 60), (1.0, 60), (1.2, 72), (1.325, 72), (1.45, 72)]


@pytest.mark.parametrize("change", ["bypass", "gone", "off"])
def test_what_still_rings_ends_with_the_stage_and_no_more_comes(change):
    engine = Engine(Recording())
    now = project(strand(echo(repeats=8, move=1)))
    engine.apply(now, {}, 0.0)
    engine.feed("surface", note_on(0.0, 0, 60, 100))
    engine.run(0.6)
    if change == "off":
        engine.all_off(0.7)
    else:
        engine.apply(edits.set_bypass(now, "e", True) if change == "bypass" else project(strand()), {}, 0.7)
    engine.run(1.0)
    assert max(event.time for event in note_ons(engine.graph.outputs.out)) == 0.5
    if change != "bypass":
        assert engine.graph.sounding == 0 and engine.next_due() == float("inf")
    engine.feed("surface", note_off(1.1, 0, 60))
    engine.run(9.0)
    assert engine.graph.sounding == 0
    assert_whole(engine.graph.outputs.out)


@given(
    st.lists(st.tuples(st.integers(0, 20), st.integers(55, 70), st.integers(1, 9)), max_size=10),
    st.integers(1, 32),
    st.integers(1, 150),
    st.integers(-24, 24),
)
def test_whatever_is_played_every_note_ends(rows, repeats, fade, move):
    played = [
        event
        for start, note, length in rows
        for event in (note_on(start / 10, 0, note, 90), note_off((start + length) / 10, 0, note))
    ]
    played.sort(key=lambda event: (event.time, event.kind))
    assert_whole(out_of(echo(repeats=repeats, fade=fade, move=move, rate="1/16"), played=played))
