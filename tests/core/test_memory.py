"""The memory: what passed every tap, whole, bounded, and let go of."""

from __future__ import annotations

import math

from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.events import Event, note_off, note_on
from arpegon.core.notes import memory as memory_module
from arpegon.core.notes.course import TimeFacts
from arpegon.core.notes.memory import Doubt, Memory, PieceFacts, Remembered, encode
from arpegon.core.notes.pairing import Pairing, note_key
from arpegon.core.notes.takes import cut_take
from arpegon.core.notes.taps import IN, OUT, Batch, Passage, Tap, rolls_of
from building import note_ons, notes, pitches


def batch(*events, strand="a", places=(IN,), revision=1):
    return Batch(revision, [Passage(strand, places, list(events))])


def test_it_keeps_ten_minutes_and_forgets_the_rest():
    memory = Memory()
    memory.remember(batch(*notes(60)))
    memory.remember(batch(note_on(601.0, 0, 62, 9)))
    memory.remember(batch(note_off(602.0, 0, 62)))
    assert pitches(memory.history().played("a")) == [62]
    assert memory.newest == 602.0


def test_what_passed_several_places_at_once_is_remembered_at_each():
    memory = Memory()
    memory.remember(batch(*notes(60), places=("s", OUT)))
    history = memory.history()
    assert pitches(history.generated("a")) == [60] and pitches(history.events[Tap("a", "s")]) == [60]
    assert history.played("a") == ()


@given(
    st.lists(st.sampled_from([(IN,), ("s",), ("s", "t"), ("t", OUT), (IN, "s", OUT)]), max_size=20),
    st.sets(st.sampled_from([IN, "s", "t", OUT])),
)
def test_of_places_that_are_wanted_all_is_there_and_nothing_of_others(passed, wanted):
    records = [batch(*notes(60 + number), places=places) for number, places in enumerate(passed)]
    whole, some = Remembered(records), Remembered(map(encode, records), wanted)
    assert some.events == {tap: events for tap, events in whole.events.items() if tap.place in wanted}


def test_a_phrase_begins_after_the_last_rest():
    memory = Memory()
    memory.remember(batch(*notes(60, 62, 64)))
    memory.remember(batch(*[event.at(event.time + 20) for event in notes(67, 69)]))
    history = memory.history()
    assert history.phrase_start(4.0) == 20.0 and history.phrase_start(60.0) == 0.0
    assert Memory().history().phrase_start() is None


@given(st.lists(st.tuples(st.booleans(), st.integers(60, 63), st.integers(0, 1)), max_size=40))
def test_what_is_open_is_ended_once_at_every_tap_and_then_nothing_is_open(rows):
    memory = Memory()
    for place, (on, note, channel) in enumerate(rows):
        event = note_on(place, channel, note, 9) if on else note_off(place, channel, note)
        memory.remember(batch(event, places=(IN, OUT) if note % 2 else (IN,)))
    ends = memory.ends(99.0)
    for passage in ends:
        memory.remember(Batch(2, [passage]))
    assert not memory.open and memory.ends(100.0) == []
    waiting = {place: Pairing() for place in (IN, OUT)}
    history = memory.history()
    for place, pairing in waiting.items():
        for event in history.events.get(Tap("a", place), ()):
            (pairing.begin(note_key(event), True) if event.kind == 0x90 else pairing.end(note_key(event)))
        assert not pairing, f"notes hang at {place}"


def test_a_take_names_its_strands_as_they_were_and_those_that_are_gone_come_last():
    memory = Memory()
    memory.remember(PieceFacts(1, 96.0, (3, 4), (("a", "Harbour"), ("b", "Lamp"))))
    memory.remember(batch(*notes(60), strand="a", places=(IN, OUT)))
    memory.remember(batch(*notes(64), strand="b", places=(IN, OUT)))
    memory.remember(PieceFacts(2, 96.0, (3, 4), (("b", "Lamp room"),)))
    memory.remember(Doubt("b", 0.0, 64))
    take = cut_take(memory.history(), 0.0, 5.0, id="t", name="Take 1")
    assert [(part.strand, part.name) for part in take.parts] == [("b", "Lamp room"), ("a", "Harbour")]
    assert take.course.tempi == ((0.0, 96.0),) and take.course.meters == ((0.0, (3, 4), 1),)
    assert take.parts[0].doubtful == ((0.0, 64),)
    assert cut_take(memory.history(), 50.0, 60.0, id="t", name="x") is None


def test_a_piece_that_is_older_than_the_memory_is_still_known():
    memory = Memory(seconds=10.0)
    memory.remember(PieceFacts(1, 96.0, (4, 4), (("a", "Harbour"),)))
    for second in range(100):
        memory.remember(batch(note_on(second, 0, 60, 9), note_off(second + 0.5, 0, 60)))
    history = memory.history()
    assert history.names == {"a": "Harbour"} and len(note_ons(history.played("a"))) <= 12


def test_history_reads_records_encoded_or_not():
    memory = Memory()
    memory.remember(batch(Event(1.0, 0xF0, payload=b"\xf0\x01\xf7"), note_on(1.0, 0, 60, 9)))
    assert Remembered(memory.encoded()).events == Remembered([batch(*memory.history().played("a"))]).events


def test_what_is_remembered_is_of_one_moment_and_unpacked_as_it_is_asked_for(monkeypatch):
    memory, unpacked = Memory(), []
    real = memory_module._unpack
    monkeypatch.setattr(memory_module, "_unpack", lambda pack: unpacked.append(pack) or real(pack))
    for second in range(100):
        memory.remember(batch(note_on(second, 0, 60, 9), note_off(second + 0.5, 0, 60)))
    records = memory.encoded()
    next(records)
    assert not unpacked
    memory.remember(batch(note_on(100.0, 0, 62, 9)))
    next(records)
    assert len(unpacked) == 1 < len(memory._packed)
    notes = note_ons(Remembered(records).played("a"))
    assert len(notes) == 99, "the first was taken, and the last came later"


def test_rolls_are_named_after_what_is_above_them():
    assert rolls_of([]) == [IN]
    assert rolls_of(["a"]) == [IN, OUT]
    assert rolls_of(["a", "b", "c"]) == [IN, "a", "b", OUT]


@given(
    times=st.lists(st.floats(0.0, 40.0), max_size=60).map(sorted),
    seconds=st.sampled_from([1.0, 20.0, 600.0]),
    held=st.sampled_from([math.inf, 30.0, 10.0]),
)
def test_what_is_packed_is_what_was_remembered(times, seconds, held):
    memory = Memory(seconds)
    memory.held_since = held
    for place, time in enumerate(times):
        memory.remember(batch(note_on(time, 0, place, 9)))
    kept = pitches(memory.history().played("a"))
    inside = [place for place, time in enumerate(times) if time >= min(times[-1] - seconds, held)]
    assert kept == list(range(len(times)))[-len(kept) :] if kept else not times
    assert set(inside) <= set(kept)
    # No more than a pack's span beyond what is asked for.
    assert all(times[place] >= min(times[-1] - seconds, held) - 0.1 * seconds for place in kept)


def test_ten_minutes_of_sixteenths_take_a_fifth_of_their_messages():
    memory, sent = Memory(), 0
    for step in range(4800):
        one = batch(note_on(step / 8, 0, 48 + step * 7 % 24, 60 + step % 40), places=(IN, OUT))
        sent += len(encode(one))
        memory.remember(one)
    assert memory.size < sent / 4
    assert len(memory.history().played("a")) == 4800


def test_what_is_said_of_time_before_the_first_note_is_known_after_it():
    """Seconds are those of a computer that has run for long: what has none of its own must not count as very old."""
    memory = Memory()
    memory.remember(PieceFacts(1))
    for second, playing in ((9000.0, False), (9001.0, True)):
        memory.remember(Batch(1, [], [TimeFacts(second, 0.0, 120.0, playing)]))
    memory.remember(batch(note_on(9002.0, 0, 60, 90), note_off(9003.0, 0, 60)))
    assert [(one.second, one.playing) for one in memory.history().times] == [(9000.0, False), (9001.0, True)]
    take = cut_take(memory.history(), 8990.0, 9010.0, id="t", name="x")
    assert take.course.tied and take.parts[0].played[0].time == 2.0 and take.course.bar_at(2.0)[0] == 1
    memory.remember(batch(note_on(9700.0, 0, 60, 90)))
    memory.remember(batch(note_on(9701.0, 0, 62, 90)))
    assert [one.second for one in memory.history().times] == [9001.0], "what held before all that is left"


@given(
    times=st.lists(st.floats(1.0, 60.0), min_size=1, max_size=60).map(sorted),
    since=st.floats(0.0, 70.0),
)
def test_what_is_asked_for_since_a_moment_is_all_that_came_after_it(times, since):
    memory = Memory()
    for place, time in enumerate(times):
        facts = [TimeFacts(time, float(place), 120.0, True)] if place % 5 == 0 else []
        memory.remember(Batch(1, [Passage("a", (IN,), [note_on(time, 0, place, 9)])], facts))
    whole, part = memory.history(), memory.history(since)
    asked = [event for event in whole.played("a") if event.time >= since]
    assert asked == [event for event in part.played("a") if event.time >= since]
    assert part.times == whole.times


MESSAGES = st.builds(
    Event,
    time=st.floats(0.0, 60.0),
    status=st.builds(lambda kind, channel: kind | channel, st.sampled_from(range(0x80, 0xF0, 0x10)), st.integers(0, 1)),
    data1=st.sampled_from([0, 1, 64, 66, 123]),
    data2=st.sampled_from([0, 1, 64, 127]),
)


@given(
    passed=st.lists(st.tuples(MESSAGES, st.sampled_from([(IN,), (OUT,), (IN, OUT)])), max_size=60),
    start=st.floats(0.0, 60.0),
)
def test_a_take_is_the_same_whether_notes_before_it_are_decoded_or_not(passed, start):
    """Values that stand may be old, notes that begin before it are not in it."""
    passed.sort(key=lambda one: one[0].time)
    records = [encode(batch(event, places=places)) for event, places in passed]
    whole, part = Remembered(records), Remembered(records, notes_since=start)
    assert all(event.time >= start for event in note_ons(part.played("a")))
    takes = [cut_take(one, start, 60.0, id="t", name="x") for one in (whole, part)]
    assert takes[0] == takes[1]
