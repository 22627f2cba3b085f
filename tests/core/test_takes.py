"""Takes, thinning, events."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.events import (
    HOLD_PEDALS,
    NOTE_OFF,
    NOTE_ON,
    Event,
    bend,
    control,
    from_bytes,
    note_off,
    note_on,
    pressure,
)
from arpegon.core.notes.flood import thin
from arpegon.core.notes.ledger import NoteLedger
from arpegon.core.notes.takes import bars, trim
from building import assert_whole, note_ons, notes


def alternating(draw_events):
    """Make any list of strikes a proper stream through a ledger."""
    out = []
    NoteLedger().run(draw_events, lambda event: (event,), out, strays=False)
    return out


streams = st.lists(
    st.tuples(st.floats(0, 20), st.sampled_from([NOTE_ON, NOTE_OFF, 0xB0]), st.integers(60, 64), st.integers(1, 127)),
    max_size=60,
).map(lambda rows: alternating([Event(*row) for row in sorted(rows)]))


@given(streams, st.floats(0, 20), st.floats(0, 20))
def test_a_cut_has_no_loose_ends(events, one, other):
    start, end = sorted((one, other))
    cut = list(trim(events, start, end))
    assert_whole([event for event in cut if event.kind in (NOTE_ON, NOTE_OFF)])
    assert all(0 <= event.time <= end - start + 1e-9 for event in cut)
    assert len(note_ons(cut)) == sum(start <= event.time <= end for event in note_ons(events))


@pytest.mark.parametrize("number", sorted(HOLD_PEDALS))
def test_a_pedal_that_is_down_at_the_end_is_lifted(number):
    *_, last = trim([control(1.0, 2, number, 127)], 0.0, 4.0)
    assert last == control(4.0, 2, number, 0)


def test_what_is_cut_while_it_is_bent_ends_in_tune():
    assert list(trim([bend(0.5, 1, 700), pressure(0.5, 1, 9), control(0.6, 1, 1, 90)], 0.0, 1.0))[-2:] == [
        pressure(1.0, 1, 0),
        bend(1.0, 1, 0),
    ]


def test_bars_pair_strikes_with_their_ends():
    found = bars([*notes(60, 62), note_on(5.0, 0, 64, 1)])
    assert [(bar.note, bar.start, bar.end) for bar in found] == [(60, 0.0, 0.4), (62, 0.5, 0.9), (64, 5.0, None)]


events = st.lists(
    st.tuples(st.sampled_from([0x80, 0x90, 0xA0, 0xB0, 0xC0, 0xD0, 0xE0]), st.integers(0, 3), st.integers(0, 127)),
    max_size=120,
).map(lambda rows: [Event(place * 0.001, *row) for place, row in enumerate(rows)])


@given(events, st.integers(0, 50))
def test_thinning_keeps_notes_order_and_last_values(stream, limit):
    kept = thin(stream, limit)
    assert [event for event in kept if event.kind <= NOTE_ON] == [event for event in stream if event.kind <= NOTE_ON]
    assert [event.time for event in kept] == sorted(event.time for event in kept)
    assert set(kept) <= set(stream)
    last = {(event.status, event.data1): event for event in stream if event.kind == 0xB0}
    assert {(event.status, event.data1): event for event in kept if event.kind == 0xB0} == last
    if len(stream) <= limit:
        assert kept == stream


def test_a_flood_becomes_short():
    flood = [Event(place * 0.001, 0xB0, 1, place % 128) for place in range(5000)]
    assert thin(flood, 256) == [flood[-1]]


@given(st.integers(0x80, 0xEF), st.integers(0, 127), st.integers(0, 127))
def test_messages_are_read_back(status, first, second):
    event = from_bytes([status, first, second], 1.5)
    again = from_bytes(list(event.to_bytes()), 1.5)
    assert again == event


def test_a_strike_of_velocity_zero_is_an_end_and_clocks_do_not_pass():
    assert from_bytes([0x91, 60, 0], 0.0) == note_off(0.0, 1, 60)
    for message in ([0xF8], [0xFA], [], [0x90, 60], [60, 60]):
        assert from_bytes(message, 0.0) is None
    assert from_bytes([0xF0, 1, 0xF7], 0.0).to_bytes() == bytes([0xF0, 1, 0xF7])


@pytest.mark.parametrize("amount", [-8192, -1, 0, 1, 8191])
def test_bends_are_read_back(amount):
    assert bend(0.0, 3, amount).bend == amount
