"""Gates and outlets by themselves: what is let in is let out again, and everything lets go of its own share."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document.model import (
    ClipSource,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    StrandDestination,
    StrandSource,
    SurfaceSource,
)
from arpegon.core.events import ALL_NOTES_OFF, NOTE_OFF, NOTE_ON, SUSTAIN, Event, control, note_off, note_on
from arpegon.engine.graph.feeds import (
    connections_of,
    feed_of,
    feeds_of,
    into_feed,
    is_silent,
    outlet_of,
    strand_feed,
    take_feed,
    taken_after,
)
from arpegon.engine.graph.gates import Gate
from arpegon.engine.graph.outlets import Connection, Outlet, on_channel
from building import assert_whole, generator, project, stage, strand

PLAYED = st.lists(
    st.builds(lambda on, key, velocity: (on, key, velocity), st.booleans(), st.integers(58, 62), st.integers(1, 127)),
    max_size=40,
)


def events(played):
    made = []
    for place, (on, key, velocity) in enumerate(played):
        time = place * 0.1
        made.append(note_on(time, 0, key, velocity) if on else note_off(time, 0, key))
    return made


# -- gates ------------------------------------------------------------------------------------------


@given(PLAYED, st.booleans())
def test_what_a_gate_lets_in_it_lets_out_and_its_release_ends_the_rest(played, merges):
    gate = Gate("strand:a:" if merges else "surface", SurfaceSource(low_key=59, high_velocity=100))
    out: list[Event] = []
    gate.process(events(played), out)
    out += gate.release(99.0)
    count: dict[int, int] = {}
    for event in out:
        assert event.data1 >= 59
        if event.kind == NOTE_ON:
            assert event.data2 <= 100
            count[event.data1] = count.get(event.data1, 0) + 1
            assert merges or count[event.data1] == 1
        else:
            count[event.data1] -= 1
            assert count[event.data1] >= 0
    assert not any(count.values())


def test_a_key_that_was_let_in_is_let_out_after_its_zone_closed():
    gate, out = Gate("surface", SurfaceSource()), []
    gate.process([note_on(0, 0, 60, 90)], out)
    gate.zone = SurfaceSource(low_key=100)
    gate.process([note_on(1, 0, 61, 90), note_off(2, 0, 60), note_off(2, 0, 61)], out)
    assert [(event.kind, event.data1) for event in out] == [(NOTE_ON, 60), (NOTE_OFF, 60)]


def test_a_zone_of_one_channel_keeps_everything_else_out():
    gate, out = Gate("midi:", MidiSource(channel=2)), []
    sysex = Event(0, 0xF0, payload=b"\xf0\x01\xf7")
    gate.process([note_on(0, 1, 60, 90), note_on(0, 2, 61, 90), control(0, 1, 1, 1), control(0, 2, 1, 2), sysex], out)
    assert [event.data1 for event in out[:1]] == [61] and control(0, 2, 1, 2) in out and sysex in out
    assert len(out) == 3


def test_pressure_follows_only_keys_that_were_let_in():
    gate, out = Gate("surface", SurfaceSource(low_key=60)), []
    gate.process([note_on(0, 0, 60, 90), Event(1, 0xA0, 60, 5), Event(1, 0xA0, 50, 5)], out)
    assert [event.data1 for event in out if event.kind == 0xA0] == [60]


# -- outlets ----------------------------------------------------------------------------------------


def test_two_ends_on_one_note_hold_it_until_both_let_go():
    outlet, first, second = Outlet(), Connection("x", 1), Connection("x", 2)
    outlet.deliver(first, [note_on(0, 0, 60, 90)])
    outlet.deliver(second, [note_on(1, 0, 60, 80)])
    outlet.release(first, 2.0)
    assert outlet.sounding == 1
    outlet.deliver(second, [note_off(3, 0, 60)])
    sent = outlet.take()
    assert_whole(sent)
    assert outlet.sounding == 0 and outlet.take() == []


def test_what_is_sent_straight_is_held_apart():
    outlet, end = Outlet(), Connection("x", 1)
    outlet.deliver(end, [note_on(0, 0, 60, 90)])
    outlet.deliver(end, [note_on(0, 0, 64, 90)], direct=True)
    outlet.release(end, 1.0, direct=True)
    assert outlet.sounding == 1
    outlet.release(end, 2.0)
    assert outlet.sounding == 0
    assert_whole(outlet.take())


def test_a_silent_end_starts_nothing_and_presses_no_pedal():
    outlet, end = Outlet(), Connection("x", 1)
    end.silent = True
    outlet.deliver(end, [note_on(0, 0, 60, 90), control(0, 0, SUSTAIN, 127), control(0, 0, 7, 99)])
    assert outlet.take() == [control(0, 0, 7, 99)]


def test_a_pedal_comes_up_where_it_went_down_and_a_panic_tells_all_channels():
    outlet, end = Outlet(), Connection("x", 1)
    end.channel = 4
    outlet.deliver(end, [control(0, 0, SUSTAIN, 127), note_on(0, 0, 60, 90)])
    outlet.release(end, 1.0)
    assert control(1.0, 4, SUSTAIN, 0) in outlet.take()
    outlet.silence(2.0, panic=True)
    told = {event.channel for event in outlet.take() if event.data1 == ALL_NOTES_OFF}
    assert told == set(range(16))


def test_ends_of_notes_that_never_began_do_not_leave():
    outlet, end = Outlet(), Connection("x", 1)
    outlet.deliver(end, [note_off(0, 0, 60)])
    assert outlet.take() == []


@given(st.integers(0, 15), st.integers(0, 15))
def test_events_are_moved_to_a_channel_but_for_system_exclusive(here, there):
    assert on_channel(note_on(0, here, 60, 9), there) == note_on(0, there, 60, 9)
    sysex = Event(0, 0xF0, payload=b"\xf0\x01\xf7")
    assert on_channel(sysex, there) is sysex


# -- feeds ------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("source", "feed"),
    [
        (SurfaceSource(), "surface"),
        (MidiSource(), "midi:"),
        (MidiSource(port="Keys"), "midi:Keys"),
        (ClipSource(file="a.mid"), "clip:a:0"),
        (generator("steps"), None),
        (StrandSource(strand="b", after="s"), "strand:b:s"),
    ],
)
def test_feeds_have_names(source, feed):
    assert feed_of(strand(sources=(source,)), 0) == feed
    if isinstance(source, ClipSource):
        assert feed_of(strand(sources=(source,), plays_on=True), 0) == "clip:a:0:on"


def test_a_strand_that_is_a_destination_feeds_and_one_that_is_silent_does_not():
    into = StrandDestination(strand="b", channel=3)
    now = project(strand(destinations=(into,)), strand(strand_id="b", sources=(SurfaceSource(), SurfaceSource())))
    feeds = feeds_of(now)["b"]
    taken = (take_feed("b"), 0)
    assert list(feeds) == [taken, ("surface", 0), ("surface", 1), (into_feed(now.strands[0], into), 0)]
    muted = project(strand(destinations=(into,), muted=True), now.strands[1])
    assert list(feeds_of(muted)["b"]) == [taken, ("surface", 0), ("surface", 1)]
    assert is_silent(muted, "a", into) and not is_silent(now, "a", into)


def test_taps_name_the_stage_after_which_somebody_listens():
    first = strand(stage("scale", "s"))
    listens = strand(strand_id="b", sources=(StrandSource(strand="a", after="s"), StrandSource(strand="a")))
    assert sorted(taken_after(project(first, listens))) == [("a", ""), ("a", "s")]
    gone = strand(strand_id="b", sources=(StrandSource(strand="a", after="x"),))
    assert list(taken_after(project(first, gone))) == []
    assert strand_feed("a") == "strand:a:"


def test_ends_leave_out_instruments_that_are_gone_and_number_those_that_stand_twice():
    ends = (
        InstrumentDestination(instrument="bells"),
        InstrumentDestination(instrument="bells", channel=3),
        InstrumentDestination(instrument="harp"),
        PortDestination(port="x"),
        StrandDestination(strand="b"),
    )
    now = project(strand(destinations=ends), strand(strand_id="b"))
    assert list(connections_of(now, now.strands[0])) == [
        ("instrument:bells", 0),
        ("instrument:bells", 1),
        ("port:x", 0),
    ]
    assert outlet_of(ends[4]) is None
