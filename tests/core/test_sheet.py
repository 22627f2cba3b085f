"""Takes as they are edited: every edit leaves notes that end, in order, and what was not chosen as it was."""

from __future__ import annotations

from collections import Counter
from unittest import mock

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document.remedies import REMEDIES
from arpegon.core.events import BEND, CONTROL, Event, bend, control, note_off, note_on
from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import SHORTEST, Line, Note, Sheet, value_of, valued
from building import assert_whole

COURSE = Course()
NOTES = st.builds(
    Note,
    start=st.floats(0.0, 32.0),
    end=st.floats(0.0, 40.0),
    note=st.integers(58, 63),
    velocity=st.integers(1, 127),
    channel=st.integers(0, 1),
    doubtful=st.booleans(),
)
VALUES = st.builds(control, st.floats(0.0, 32.0), st.just(0), st.sampled_from([1, 11, 64]), st.integers(0, 127))
SHEETS = st.builds(
    lambda notes, values: Sheet((), tuple(sorted(values, key=lambda one: one.time))).added(notes)[0],
    st.lists(NOTES, max_size=20),
    st.lists(VALUES, max_size=20),
)


def sheet(*rows, others=()):
    """Notes from (start, end, note, velocity)."""
    return Sheet((), tuple(others)).added(Note(*row) for row in rows)[0]


def rows(one):
    return [(note.start, note.end, note.note, note.velocity) for note in one.notes]


@given(SHEETS)
def test_events_come_back_as_the_notes_they_were_and_every_note_ends(one):
    events = one.events()
    assert_whole(events)
    again = Sheet.of(events, 99.0)
    assert again.events() == events and again.others == one.others
    assert len(again.notes) <= len(one.notes)


@given(
    one=SHEETS,
    data=st.data(),
    beats=st.floats(-50.0, 50.0),
    semitones=st.integers(-80, 80),
    act=st.sampled_from(["moved", "copied", "stretched", "struck", "split", "joined", "without"]),
)
def test_edits_touch_only_what_is_chosen_and_leave_what_can_be_played(one, data, beats, semitones, act):
    chosen = data.draw(st.sets(st.integers(0, max(0, len(one.notes) - 1)))) if one.notes else set()
    others = [note for place, note in enumerate(one.notes) if place not in chosen]
    acts = {
        "moved": lambda: one.moved(chosen, beats, semitones),
        "copied": lambda: one.copied(chosen, beats, semitones),
        "stretched": lambda: one.stretched(chosen, beats, semitones / 10.0),
        "struck": lambda: one.struck(chosen, semitones),
        "split": lambda: one.split(chosen, abs(beats)),
        "joined": lambda: one.joined(chosen),
        "without": lambda: (one.without(chosen), set()),
    }
    made, at = acts[act]()
    left = [note for place, note in enumerate(made.notes) if place not in at]
    expected = others if act != "copied" else list(one.notes)
    assert sorted(map(repr, left)) == sorted(map(repr, expected))
    assert_whole(made.events())
    assert all(note.end - note.start >= SHORTEST / 2 and note.start >= 0.0 for note in made.notes)
    assert made.others == one.others
    if act == "moved" and chosen:
        before = [one.notes[place] for place in sorted(chosen)]
        assert len(at) == len(before)
        spread = max(note.start for note in before) - min(note.start for note in before)
        now = [made.notes[place] for place in at]
        assert max(note.start for note in now) - min(note.start for note in now) == pytest.approx(spread, abs=1e-6)


def test_notes_of_one_key_that_overlap_are_cut_and_those_that_begin_together_are_one():
    one = sheet((0.0, 4.0, 60, 90), (1.0, 2.0, 60, 50), (1.0, 3.0, 60, 70))
    assert [(event.time, event.data2) for event in one.events()] == [(0.0, 90), (1.0, 64), (1.0, 70), (3.0, 64)]


def test_a_file_whose_ends_stand_before_their_beginnings_is_read():
    one = Sheet.of([note_off(0.0, 0, 60), note_on(1.0, 0, 60, 90), note_on(2.0, 0, 62, 90), note_off(2.0, 0, 62)], 3.0)
    assert [(note.start, note.end) for note in one.notes] == [(1.0, 3.0), (2.0, 2.0 + SHORTEST)]


def test_lines_are_drawn_over_a_span_and_take_another_number():
    line = Line(CONTROL, 11)
    one = Sheet((), (control(0.0, 0, 11, 5), control(1.0, 0, 11, 9), control(1.0, 0, 1, 7), control(3.0, 0, 11, 20)))
    drawn = one.with_line(line, 0.5, 2.0, [valued(line, 0.5, 64.4), valued(line, 2.0, 900.0)])
    assert [(event.time, event.data1, event.data2) for event in drawn.others] == [
        (0.0, 11, 5),
        (0.5, 11, 64),
        (1.0, 1, 7),
        (2.0, 11, 127),
        (3.0, 11, 20),
    ]
    assert {event.data1 for event in one.renumbered(line, 74).others} == {74, 1}
    assert value_of(valued(Line(BEND), 0.0, 64.0)) == 64.0 and value_of(bend(0.0, 0, 0)) == 64.0


# -- remedies ------------------------------------------------------------------------------------------


def plan(name, one, chosen=(), **values):
    return REMEDIES[name].plan(one, chosen, COURSE, values)


@given(one=SHEETS, name=st.sampled_from(sorted(REMEDIES)), data=st.data())
def test_remedies_leave_what_can_be_played_and_say_what_they_do(one, name, data):
    chosen = data.draw(st.sets(st.integers(0, max(0, len(one.notes) - 1)))) if one.notes else set()
    values = {
        "clean": {"shorter_ms": 200, "softer": 40, "doubled_ms": 80, "octaves": True},
        "join": {"gap_ms": 900, "overlaps": True},
        "grid": {"rate": "1/8T", "ends": True, "controllers": True, "group_ms": 40},
        "thin": {"way": "rate", "rate_hz": 5},
    }[name]
    found = plan(name, one, chosen, **values)
    assert_whole(found.sheet.events())
    kept = {note for place, note in enumerate(one.notes) if chosen and place not in chosen}
    assert kept <= set(found.sheet.notes)
    assert Counter(found.gone) == Counter(one.notes) - Counter(found.sheet.notes)
    assert bool(found.words) == (found.sheet != one)
    last = {Line.of(event): event for event in one.others}
    now = {Line.of(event): event for event in found.sheet.others}
    assert {line: event.data2 for line, event in last.items()} == {line: event.data2 for line, event in now.items()}


def test_clean_takes_out_what_was_not_meant():
    one = sheet(
        (0.0, 1.0, 60, 90),
        (0.02, 0.9, 72, 40),  # the octave of a louder one
        (1.0, 1.02, 61, 80),  # 10 ms
        (2.0, 3.0, 30, 80),  # too low
        (3.0, 4.0, 62, 5),  # too soft
        (4.0, 5.0, 64, 80),
        (4.05, 5.0, 64, 70),  # 25 ms after the same
    )
    found = plan("clean", one, shorter_ms=30, softer=20, lowest=40, doubled_ms=50, octaves=True)
    assert [note.note for note in found.sheet.notes] == [60, 64] and found.words == "5 notes go"


def test_doubtful_notes_go_and_others_stay():
    one = Sheet((), ()).added([Note(0.0, 1.0, 60, 90), Note(1.0, 2.0, 61, 90, doubtful=True)])[0]
    found = plan("clean", one)
    assert [note.note for note in found.sheet.notes] == [60] and found.words == "1 note goes"


def test_join_closes_small_gaps_only():
    one = sheet((0.0, 0.9, 60, 90), (1.0, 1.5, 62, 90), (3.0, 4.0, 64, 90), (3.5, 4.0, 65, 90))
    found = plan("join", one, gap_ms=100, overlaps=True)
    assert [(note.start, note.end) for note in found.sheet.notes] == [(0.0, 1.0), (1.0, 1.5), (3.0, 3.5), (3.5, 4.0)]
    assert found.words == "2 notes change"


def test_onto_the_grid_moves_beginnings_ends_and_controllers():
    others = (control(0.9, 0, 1, 5), control(1.1, 0, 1, 9))
    one = sheet((0.1, 0.6, 60, 90), (0.27, 0.9, 62, 90), (1.13, 1.2, 64, 90), others=others)
    found = plan("grid", one, rate="1/4", ends=True, controllers=True)
    assert rows(found.sheet) == [(0.0, 1.0, 60, 90), (0.0, 1.0, 62, 90), (1.0, 2.0, 64, 90)]
    assert found.sheet.others == (control(1.0, 0, 1, 9),)
    half = plan("grid", one, rate="1/4", strength=50)
    assert [note.start for note in half.sheet.notes] == [0.05, 0.135, 1.065]
    near = plan("grid", one, rate="1/4", catch=20)
    assert [note.start for note in near.sheet.notes] == [0.0, 0.27, 1.0]
    strum = plan("grid", one, rate="1/4", group_ms=100)
    assert [round(note.start, 6) for note in strum.sheet.notes] == [0.0, 0.17, 1.0]
    swung = plan("grid", sheet((0.6, 1.0, 60, 90)), rate="1/8", swing=66)
    assert swung.sheet.notes[0].start == pytest.approx(0.66)


def test_the_grid_begins_with_the_bars_of_each_meter():
    course = Course(meters=((0.0, (4, 4), 1), (3.5, (3, 4), 2)))
    found = REMEDIES["grid"].plan(sheet((4.4, 5.0, 60, 90)), (), course, {"rate": "1/4"})
    assert found.sheet.notes[0].start == 4.5


def test_controllers_are_thinned_to_stairs_and_the_last_stays():
    ramp = tuple(control(step / 32, 0, 1, step) for step in range(128))
    found = plan("thin", Sheet((), ramp), stairs=4)
    assert [event.data2 for event in found.sheet.others] == [0, 32, 64, 96, 127] and found.words == "123 values go"
    pedal = tuple(control(step / 32, 0, 64, 127 * (step % 2)) for step in range(20))
    assert plan("thin", Sheet((), pedal), stairs=2).does_nothing
    slow = plan("thin", Sheet((), ramp), way="rate", rate_hz=4)
    assert len(slow.sheet.others) in (9, 10) and slow.sheet.others[-1] == ramp[-1]


def test_poly_pressure_and_the_like_go_on_beside():
    odd = (Event(0.5, 0xA0, 60, 30), Event(0.6, 0xC0, 5), Event(0.7, 0xF0, payload=b"\xf0\x01\xf7"))
    one = sheet((0.1, 1.0, 60, 90), others=odd)
    assert plan("grid", one, rate="1/4", controllers=True).sheet.others == odd


@given(one=SHEETS, new=st.lists(NOTES, max_size=20), data=st.data())
def test_few_new_notes_are_put_where_many_are_sorted_in(one, new, data):
    chosen = data.draw(st.sets(st.integers(0, max(0, len(one.notes) - 1)), max_size=20)) if one.notes else set()

    def later(note):
        return (msgspec.structs.replace(note, start=note.start + 0.5, end=99.0),)

    few, added = one.changed(chosen, later), one.added(new)
    with mock.patch("arpegon.core.notes.sheet._FEW", -1):
        assert one.changed(chosen, later) == few
        many = one.added(new)
    assert many[0] == added[0]
    assert {many[0].notes[place] for place in many[1]} == {added[0].notes[place] for place in added[1]}
