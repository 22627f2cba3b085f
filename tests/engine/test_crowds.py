"""Rows of stages and strands multiply notes: equal ones of one moment are one, and too much is left out and said."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document.model import StrandSource
from arpegon.core.events import NOTE_OFF, NOTE_ON, POLY_PRESSURE, Event, control, note_off, note_on
from arpegon.core.notes.ledger import MOST_MORE, NoteLedger
from arpegon.core.notes.merging import MOST, Merging
from arpegon.engine.graph.crowds import CrowdWatch, crowd_words
from arpegon.engine.offline import crowded, run
from building import assert_whole, project, stage, strand

WIDE = [3, 7, 12, -5, -12, 4, 9]
KEY = [note_on(0.0, 0, 60, 100), control(0.1, 0, 1, 5), Event(0.2, POLY_PRESSURE, 60, 40), note_off(0.5, 0, 60)]


def row_of_chords(count, **more):
    return project(strand(*[stage("chord", stage_id=f"c{place}", offsets=WIDE, **more) for place in range(count)]))


@pytest.mark.parametrize("count", [2, 6, 40])
def test_a_row_of_chords_makes_every_note_once(count):
    made = run(row_of_chords(count), KEY, seconds=1.0).strands["a"]
    struck = [event.data1 for event in made if event.kind == NOTE_ON]
    assert len(struck) == len(set(struck)) <= 128 and 60 in struck
    assert sum(event.kind == POLY_PRESSURE for event in made) == len(struck)
    assert_whole(made)


def test_a_row_of_strummed_chords_is_bounded():
    made = run(row_of_chords(12, strum_ms=7), KEY, seconds=1.0).strands["a"]
    assert len(made) < 4000
    assert_whole(made)


def test_strands_that_take_one_another_three_times_bring_everything_once():
    first = strand(strand_id="s0")
    rest = [
        strand(strand_id=f"s{place}", sources=tuple(StrandSource(strand=f"s{place - 1}") for _ in range(3)))
        for place in range(1, 12)
    ]
    made = run(project(first, *rest), KEY, seconds=1.0).strands["s11"]
    assert made == KEY


def test_a_key_that_comes_by_two_ways_lasts_until_its_last_end():
    both = strand(strand_id="b", sources=(StrandSource(strand="a"), StrandSource(strand="c")))
    long = strand(stage("length", unit="ms", ms=2000), strand_id="c")
    made = run(project(strand(), long, both), [note_on(0.0, 0, 60, 90), note_off(0.3, 0, 60)], seconds=3.0).strands["b"]
    assert [(event.kind, event.time) for event in made] == [(NOTE_ON, 0.0), (NOTE_OFF, 2.0)]


def test_a_value_that_comes_back_within_a_moment_holds_though_it_was_there_before():
    merging = Merging()
    moves = [control(0.1, 0, 64, value) for value in (0, 127, 127, 0, 0)]
    assert [event.data2 for event in merging.process(moves)] == [0, 127, 0]
    twice = [event for value in (0, 127, 0) for event in 2 * [control(0.2, 0, 64, value)]]
    assert [event.data2 for event in merging.process(twice)] == [0, 127, 0]


def test_what_is_too_much_is_left_out_and_all_that_began_ends():
    ledger, out = NoteLedger(), []
    keys = [note_on(0.001 * place, 0, place, 90) for place in range(10)]
    fan = [note_on(0.0, channel, note, 80) for channel in range(4) for note in range(128)]
    ledger.run(keys, lambda event: [note.at(event.time) for note in fan], out)
    begun = [event for event in out if event.kind == NOTE_ON]
    assert ledger.left_out > 0 and len(begun) <= len(keys) + MOST_MORE
    ledger.run([note_off(1.0, 0, event.data1) for event in keys], lambda event: (), out)
    assert len(ledger) == 0
    assert_whole(out)


@given(
    st.lists(
        st.tuples(st.sampled_from((0.0, 0.5)), st.sampled_from(("on", "off", "cc")), st.integers(60, 61)), max_size=20
    )
)
def test_merging_keeps_ons_and_offs_in_balance(rows):
    made = {
        "on": lambda t, n: note_on(t, 0, n, 90),
        "off": lambda t, n: note_off(t, 0, n),
        "cc": lambda t, n: control(t, 0, 1, n),
    }
    events = sorted((made[kind](time, note) for time, kind, note in rows), key=lambda event: event.time)
    merging = Merging()
    found = merging.process(events)
    again = Merging()
    assert found == [one for event in events for one in again.process([event])], "wherever batches are cut"
    for note in (60, 61):
        came = [event.kind for event in events if event.kind in (NOTE_ON, NOTE_OFF) and event.data1 == note]
        left = [event.kind for event in found if event.kind in (NOTE_ON, NOTE_OFF) and event.data1 == note]
        dropped_ons = came.count(NOTE_ON) - left.count(NOTE_ON)
        dropped_offs = came.count(NOTE_OFF) - left.count(NOTE_OFF)
        assert 0 <= dropped_offs <= dropped_ons


def test_what_enters_beyond_measure_is_left_out_but_for_ends():
    merging = Merging()
    steps = [control(0.0, 0, 96, 1)] * (MOST + 10)
    assert len(merging.process([*steps, note_off(0.0, 0, 60)])) == MOST + 1 and merging.left_out == 10


def test_a_crowd_is_said_with_its_strand_and_only_when_there_is_more(monkeypatch):
    document = project(strand(name="Fog"))
    assert "“Fog”" in crowd_words(document, {"a": 1200}) and "1,200" in crowd_words(document, {"a": 1200})
    now = [0.0]
    monkeypatch.setattr("arpegon.engine.graph.crowds.time.monotonic", lambda: now[0])
    said = []
    watch = CrowdWatch(said.append)
    for seconds, count in ((2.0, 0), (3.0, 5), (3.5, 9), (4.5, 9), (9.0, 9)):
        now[0] = seconds
        watch.look(document, lambda count=count: {"a": count} if count else {})
    assert [words.split(": ")[1] for words in said] == ["5 were left out.", "9 were left out."]


def test_ten_keys_are_tried_beforehand():
    kinds = [("chord", {"offsets": WIDE}), ("humanize", {"timing": True, "time_ms": 30})] * 4
    many = strand(*[stage(kind, stage_id=f"x{place}", **params) for place, (kind, params) in enumerate(kinds)])
    assert crowded(project(many), {}).keys() == {"a"} and crowded(project(strand(many.stages[0])), {}) == {}


def test_key_maps_of_all_keys_to_all_keys_in_a_row_are_one_chord():
    threads = {str(note): list(range(128)) for note in range(128)}
    stages = [stage("keymap", stage_id=f"k{place}", threads=threads) for place in range(4)]
    made = run(project(strand(*stages)), KEY, seconds=1.0).strands["a"]
    assert len([event for event in made if event.kind == NOTE_ON]) == 128
    assert_whole(made)
