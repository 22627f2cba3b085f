"""The values that stand in the midst of music, and the takes and clips that begin with them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import take_edits
from arpegon.core.events import (
    BEND,
    CONTROL,
    PRESSURE,
    PROGRAM,
    STRUCTURAL_CONTROLLERS,
    SUSTAIN,
    Event,
    bend,
    control,
    note_off,
    note_on,
    pressure,
)
from arpegon.core.notes.memory import Remembered
from arpegon.core.notes.standing import standing
from arpegon.core.notes.takes import Take, TakePart, cut_take, round_of, trim
from arpegon.core.notes.taps import Batch, Passage
from building import pitches

streams = st.lists(
    st.tuples(
        st.sampled_from([CONTROL, PROGRAM, PRESSURE, BEND]),
        st.integers(0, 1),
        st.sampled_from([1, 7, 11, 64, 66]),
        st.sampled_from([0, 64, 127]),
    ),
    max_size=40,
).map(lambda rows: [Event(float(place), kind | channel, *rest) for place, (kind, channel, *rest) in enumerate(rows)])


def values_after(events):
    """What a device that has just been switched on has been told, but for what is not felt."""
    told = {}
    for event in events:
        kind = event.kind
        value = event.bend if kind == BEND else event.data2 if kind == CONTROL else event.data1
        if kind == CONTROL and 64 <= event.data1 < 70:
            value = value if value >= 64 else 0
        told[event.status, event.data1 if kind == CONTROL else 0] = value
    pedals_and_bends = {(key, 0) for key in told if key[0] & 0xF0 in (BEND, PRESSURE) or 64 <= key[1] < 70}
    return {key: value for key, value in told.items() if (key, value) not in pedals_and_bends}


@given(streams, st.integers(0, 40))
def test_who_begins_in_the_midst_stands_where_who_heard_all_does(events, place):
    begun = standing(events, float(place))
    assert values_after(begun) == values_after(events[:place]) and all(event.time == place for event in begun)
    assert values_after([*begun, *events[place:]]) == values_after(events)


def test_numbers_that_are_dialled_by_several_messages_are_left_alone():
    dialled = [control(0.0, 0, number, 3) for number in sorted(STRUCTURAL_CONTROLLERS)]
    assert [event.data1 for event in standing(dialled, 1.0)] == [0, 32], "but for the bank of a program"


def remembered(*events):
    return Remembered([Batch(1, [Passage("a", ("in", "out"), list(events))], [])])


def test_a_take_begins_with_what_was_held_as_it_began():
    history = remembered(
        control(1.0, 0, 11, 40),
        control(1.5, 0, SUSTAIN, 127),
        control(1.6, 1, SUSTAIN, 127),
        control(1.7, 1, SUSTAIN, 0),
        bend(1.8, 0, 900),
        pressure(1.9, 0, 0),
        note_on(13.0, 0, 60, 90),
        note_off(14.0, 0, 60),
    )
    take = cut_take(history, 2.0, 20.0, id="t", name="x")
    (part,) = take.parts
    assert part.played == part.generated
    assert [(event.status, event.data1) for event in part.played[:3]] == [
        (0xB0, 11),
        (0xB0, SUSTAIN),
        (0xE0, 900 & 127),
    ]
    assert {event.time for event in part.played[:3]} == {0.0} and pitches(part.played[3:]) == [60]
    assert part.played[3].time < 4.0, "empty bars are left out all the same"
    end = part.played[-1].time
    assert part.played[-2:] == (control(end, 0, SUSTAIN, 0), bend(end, 0, 0)), "and what is held comes back at the end"


def test_a_span_of_a_take_begins_with_what_was_held_there():
    events = (control(0.0, 0, 1, 90), control(0.5, 0, SUSTAIN, 127), note_on(2.0, 0, 60, 90), note_off(3.0, 0, 60))
    take = Take(id="t", name="x", beats=4.0, parts=(TakePart(strand="a", name="A", played=events),))
    music = take_edits.music_of(take, events, (1.0, 3.5))
    assert [(event.time, event.data1) for event in music.events] == [
        (0.0, 1),
        (0.0, SUSTAIN),
        (1.0, 60),
        (2.0, 60),
        (2.5, SUSTAIN),
    ]


def test_a_take_is_in_order_of_time_whatever_its_file_says():
    events = (note_off(3.0, 0, 60), note_on(2.0, 0, 60, 90))
    assert [event.time for event in Take(id="t", name="x", beats=4.0).in_seconds(events)] == [1.0, 1.5]


def test_what_is_only_held_makes_no_take():
    history = remembered(bend(1.0, 0, 900), control(1.5, 0, SUSTAIN, 127), note_on(13.0, 0, 60, 90))
    assert cut_take(history, 2.0, 12.0, id="t", name="x") is None


@pytest.mark.parametrize(
    ("played", "found"),
    [
        ([bend(0.5, 0, 9)], []),
        ([bend(0.5, 0, 9), control(1.5, 0, 1, 7)], [bend(0.0, 0, 9), control(0.5, 0, 1, 7), bend(2.0, 0, 0)]),
        ([control(0.5, 0, 66, 99)], [control(0.0, 0, 66, 99), control(2.0, 0, 66, 0)]),
        ([control(0.5, 0, 11, 99)], []),
    ],
)
def test_a_round_begins_with_what_is_held_and_ends_without(played, found):
    assert list(round_of(played, 1.0, 3.0)) == found


def test_what_is_cut_lifts_a_pedal_that_went_down_before():
    assert list(trim([control(0.0, 2, SUSTAIN, 99)], 1.0, 3.0)) == [control(2.0, 2, SUSTAIN, 0)]
    assert list(trim([control(0.0, 2, SUSTAIN, 99), control(0.5, 2, SUSTAIN, 0)], 1.0, 3.0)) == []
