"""Stages that act of their own accord: windows of time, what goes along, and what is sent straight out."""

from __future__ import annotations

import random
from collections import defaultdict

from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import InstrumentDestination, PortDestination, StrandSource
from arpegon.core.events import NOTE_OFF, NOTE_ON, Event, control, note_off, note_on
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from building import Quiet, assert_whole, note_ons, notes, pitches, project, stage, strand
from strategies import KINDS


class Sink(Quiet):
    """Collects what leaves, in the order in which it leaves."""

    def __init__(self):
        self.sent: list[Event] = []
        self.printed_at: dict[str, list[Event]] = defaultdict(list)
        self.passed_: list[tuple[Event | None, list[Event]]] = []

    def instrument(self, name, events):
        self.sent += events

    def port(self, name, events):
        self.sent += events

    def printed(self, strand_id, places, events):
        times = [event.time for event in events]
        assert times == sorted(times), "a roll runs backwards"
        for place in places:
            self.printed_at[place] += events

    def passed(self, stage_id, event, out):
        self.passed_.append((event, list(out)))


LATE = (
    stage("humanize", timing=True, time_ms=150, length=True),
    stage("chord", offsets=[4, 7], strum_ms=30),
    stage("thin", count=2),
    stage("repeat", rate="1/16", rhythm=[1.0, 0.5], change=-10),
    stage("length", unit="ms", ms=90),
)


@settings(max_examples=60, deadline=None)
@given(st.permutations(LATE), st.integers(0, 2**16), st.floats(40, 240))
def test_however_a_run_is_cut_the_same_comes_out(chain, seed, tempo):
    played = notes(60, 64, 67, 72, gap=0.21, length=0.35)
    played.sort(key=lambda event: event.time)
    document = project(strand(*chain), tempo=tempo)
    whole = [event for _, event in run(document, played, seconds=9.0).instruments]
    sink = Sink()
    engine = Engine(sink)
    engine.apply(document, {}, 0.0)
    engine.play(0.0, 0.0)
    dice = random.Random(seed)
    now = 0.0
    for event in played:
        while dice.random() < 0.6:
            now = now + (event.time - now) * dice.random()
            engine.run(now)
        engine.feed("surface", event)
    while now < 9.0:
        now += dice.random() * 0.3
        engine.run(min(now, 9.0))
    engine.finish(9.0)
    assert sink.sent == whole
    assert_whole(whole)


def test_time_never_runs_backwards_between_strands_that_put_off_and_those_that_do_not():
    late = strand(stage("humanize", timing=True, time_ms=200), strand_id="late")
    prompt = strand(strand_id="prompt")
    played = notes(*range(50, 70), gap=0.05, length=0.03)
    result = run(project(late, prompt), played, seconds=9.0)
    assert_whole([event for _, event in result.instruments])


def test_a_strand_taken_after_a_stage_that_puts_off_hears_it_late():
    first = strand(stage("chord", "c", offsets=[4], strum_ms=50), destinations=())
    second = strand(strand_id="b", sources=(StrandSource(strand="a", after="c"),))
    made = run(project(second, first), notes(60), seconds=2.0).strands["b"]
    assert [(round(event.time, 3), event.data1) for event in note_ons(made)] == [(0.0, 60), (0.05, 64)]


def test_the_engine_says_when_it_is_due_and_forgets_what_was_silenced():
    sink = Sink()
    engine = Engine(sink)
    engine.apply(project(strand(stage("length", unit="ms", ms=500))), {}, 0.0)
    assert engine.next_due() == float("inf")
    engine.feed("surface", note_on(0.0, 0, 60, 90))
    engine.run(0.0)
    assert engine.next_due() == 0.5
    engine.all_off(0.1)
    assert engine.next_due() == float("inf") and engine.graph.sounding == 0


def test_a_watched_stage_tells_what_it_makes_of_its_own_accord():
    sink = Sink()
    engine = Engine(sink)
    engine.apply(project(strand(stage("chord", "c", offsets=[4], strum_ms=50))), {}, 0.0)
    engine.graph.watch("c")
    engine.feed("surface", note_on(0.0, 0, 60, 90))
    engine.run(1.0)
    assert [(event and event.data1, pitches(out)) for event, out in sink.passed_] == [(60, [60]), (None, [64])]


def test_what_a_watched_stage_lets_go_of_is_told():
    sink = Sink()
    engine = Engine(sink)
    engine.apply(project(strand(stage("repeat", "r", gate=100))), {}, 0.0)
    engine.graph.watch("r")
    engine.feed("surface", note_on(0.0, 0, 60, 90))
    engine.run(0.3)
    engine.apply(project(strand()), {}, 0.3)
    told = [event for _, out in sink.passed_ for event in out]
    assert [event.kind for event in told] == [NOTE_ON, *[NOTE_OFF, NOTE_ON] * 2, NOTE_OFF]


@settings(max_examples=150, deadline=None)
@given(st.data(), st.sampled_from(sorted(KINDS)), st.booleans())
def test_to_watch_a_stage_changes_nothing_and_tells_all(data, kind, whole):
    chain = stage(kind, "x", **data.draw(KINDS[kind]))
    rows = data.draw(st.lists(st.tuples(st.integers(0, 16), st.integers(60, 64), st.integers(1, 8)), max_size=12))
    played = [
        event
        for start, note, length in rows
        for event in (note_on(start / 16, 0, note, 90), note_off((start + length) / 16, 0, note))
    ]
    played.sort(key=lambda event: (event.time, event.kind))
    sent = []
    for watched in (None, "x"):
        sink = Sink()
        engine = Engine(sink)
        engine.apply(project(strand(chain)), {}, 0.0)
        engine.graph.watch(watched)
        engine.play(0.0, 0.0)
        for event in played:
            if not whole:
                engine.run(event.time)
            engine.feed("surface", event)
        engine.run(1.0)
        engine.all_off(2.0)
        sent.append(sink.sent)
        if watched:
            assert [event for _, out in sink.passed_ for event in out] == sink.printed_at["x"]
    assert sent[0] == sent[1]


# -- along ------------------------------------------------------------------------------------------


def test_a_source_goes_along_only_where_it_is_sent():
    chain = stage("transpose", semitones=12)
    alone = run(project(strand(chain)), notes(60), seconds=1.0)
    assert pitches(alone.strands["a"]) == [72]
    both = run(project(strand(chain, along=True)), notes(60), seconds=1.0)
    assert sorted(pitches(both.strands["a"])) == [60, 72]
    assert_whole([event for _, event in both.instruments])


def test_what_goes_along_ends_when_it_is_no_longer_sent():
    sink = Sink()
    engine = Engine(sink)
    now = project(strand(stage("transpose", semitones=12), along=True))
    engine.apply(now, {}, 0.0)
    engine.feed("surface", note_on(0.0, 0, 60, 90))
    engine.run(0.1)
    engine.apply(edits.set_strand(now, "a", along=False), {}, 0.2)
    assert engine.graph.sounding == 1
    engine.feed("surface", note_off(0.3, 0, 60))
    engine.run(0.4)
    assert engine.graph.sounding == 0
    assert_whole(sink.sent)


def test_controllers_that_go_along_come_twice_and_notes_on_one_key_hold_together():
    result = run(project(strand(along=True)), [*notes(60), control(0.6, 0, 1, 5)], seconds=1.0)
    assert_whole([event for _, event in result.instruments])


# -- straight out -----------------------------------------------------------------------------------


def test_what_is_sent_straight_meets_no_stage_and_lets_go_by_itself():
    sink = Sink()
    engine = Engine(sink)
    engine.apply(project(strand(stage("chance", percent=0))), {}, 0.0)
    engine.direct("a", [note_on(0.0, 0, 60, 90), note_off(0.5, 0, 60)], 1.0)
    engine.run(2.0)
    assert [(event.time, event.kind) for event in sink.sent] == [(1.0, NOTE_ON), (1.5, NOTE_OFF)]


def test_what_was_sent_straight_ends_with_its_strand():
    sink = Sink()
    engine = Engine(sink)
    ends = (InstrumentDestination(instrument="bells", channel=0), PortDestination())
    engine.apply(project(strand(destinations=ends)), {}, 0.0)
    engine.direct("a", [note_on(0.0, 0, 60, 90), note_off(9.0, 0, 60)], 0.0)
    engine.run(1.0)
    assert engine.graph.sounding == 2
    engine.apply(project(), {}, 2.0)
    engine.run(20.0)
    assert engine.graph.sounding == 0
    for channel in (sink.sent,):
        assert sum(event.kind == NOTE_ON for event in channel) == sum(event.kind == NOTE_OFF for event in channel)


def test_what_did_not_change_is_not_worked_out_anew():
    sink = Sink()
    engine = Engine(sink)
    now = project(strand(stage("velocity", "v", accents=[1.0, 0.5])))
    engine.apply(now, {}, 0.0)
    engine.feed("surface", note_on(0.0, 0, 60, 100))
    engine.run(0.0)
    engine.apply(edits.add_stage(now, "a", "scale")[0], {}, 0.1)
    engine.feed("surface", note_on(0.2, 0, 62, 100))
    engine.run(1.0)
    assert [event.data2 for event in note_ons(sink.sent)] == [100, 50]
