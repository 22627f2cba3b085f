"""Pedals, bend and pressure: whoever lets go of notes lets go of them too, at the instrument and on every roll."""

from __future__ import annotations

import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import ClipSource, MidiSource, Music, SurfaceSource
from arpegon.core.events import (
    CONTROL,
    HOLD_PEDALS,
    SUSTAIN,
    bend,
    control,
    note_off,
    note_on,
    pressure,
)
from arpegon.core.notes.memory import Memory
from arpegon.core.notes.pressed import is_at_rest, springs_back
from arpegon.core.notes.taps import Batch, Passage
from arpegon.engine.graph.gates import Gate
from arpegon.engine.simulation import Engine
from building import Quiet, project, stage, strand


class Heard(Quiet):
    """The pedals at the instruments, and at each roll."""

    def __init__(self):
        self.told = {}

    def instrument(self, instrument, events):
        self._follow(instrument, events)

    def printed(self, strand_id, places, events):
        for place in places:
            self._follow(place, events)

    def _follow(self, where, events):
        told = self.told.setdefault(where, [])
        told += [
            (event.channel, event.data2) for event in events if event.kind == CONTROL and event.data1 in HOLD_PEDALS
        ]

    def down(self, where):
        """The channels on which a pedal is down."""
        return {channel for channel, value in dict(self.told.get(where, ())).items() if value >= 64}


KEYS = (MidiSource(), SurfaceSource())


def wrong(number=SUSTAIN):
    """Makes of a foot controller the pedal that was meant."""
    return stage("convert", "c", number=4, to_number=number)


def at_work(*stages, sources=KEYS):
    heard = Heard()
    engine, document = Engine(heard), project(strand(*stages, sources=sources))
    engine.apply(document, {}, 0.0)
    return engine, heard, document


def step(engine, number=SUSTAIN, feed="midi:Keys", channel=0):
    engine.feed(feed, control(engine.now, channel, number, 127))
    engine.run(engine.now + 0.1)


LETS_GO = {
    "lost": lambda engine, document: engine.lost("midi:Keys", 0.5),
    "all off": lambda engine, document: engine.all_off(0.5),
    "its source goes": lambda engine, document: engine.apply(
        edits.set_strand(document, "a", sources=(SurfaceSource(),)), {}, 0.5
    ),
    "the end": lambda engine, document: engine.finish(0.5),
}


@pytest.mark.parametrize("how", LETS_GO)
@pytest.mark.parametrize("number", sorted(HOLD_PEDALS))
@pytest.mark.parametrize("converts", [False, True])
def test_a_pedal_comes_up_where_whoever_steps_on_it_is_gone(how, number, converts):
    engine, heard, document = at_work(*([wrong(number)] if converts else []))
    step(engine, 4 if converts else number)
    assert heard.down("bells") == heard.down("out") == {0}
    LETS_GO[how](engine, document)
    assert heard.down("bells") == heard.down("out") == heard.down("in") == set()


def test_the_pedal_of_another_keyboard_stays_down():
    engine, heard, _ = at_work()
    step(engine)
    step(engine, feed="midi:Organ")
    engine.lost("midi:Organ", 0.5)
    assert heard.down("bells") == heard.down("in") == {0}
    engine.lost("midi:Keys", 0.6)
    assert heard.down("bells") == heard.down("in") == set()


def test_each_pedal_of_a_keyboard_comes_up_by_itself():
    engine, heard, _ = at_work()
    step(engine, 66)
    step(engine, 64, feed="midi:Organ")
    engine.lost("midi:Organ", 0.5)
    assert heard.down("in") == set() and heard.told["in"][-1] == (0, 0), "64 is up"
    engine.lost("midi:Keys", 0.6)
    assert heard.told["bells"] == heard.told["in"] == [(0, 127), (0, 127), (0, 0), (0, 0)], "and 66"


class Bends(Quiet):
    """The last bend and pressure at each instrument and on each roll."""

    def __init__(self):
        self.last = {}

    def instrument(self, instrument, events):
        self.last.update(((instrument, event.kind), event.at(0.0)) for event in events)

    def printed(self, strand_id, places, events):
        self.last.update(((place, event.kind), event.at(0.0)) for place in places for event in events)

    def felt(self, *names):
        held = {name for (name, _), event in self.last.items() if springs_back(event) and not is_at_rest(event)}
        return held & {*names}


def bent(*strands):
    """An engine in which a keyboard bends its notes, presses, and moves a wheel that stays where it is."""
    heard, document = Bends(), project(*strands)
    engine = Engine(heard)
    engine.apply(document, {}, 0.0)
    for event in (bend(0.1, 0, 4000), pressure(0.1, 0, 90), control(0.1, 0, 1, 90)):
        engine.feed("midi:Keys", event)
    engine.run(0.3)
    assert heard.felt("bells", "in") == {"bells", "in"}
    return engine, heard, document


@pytest.mark.parametrize("how", LETS_GO)
def test_bend_and_pressure_are_felt_no_more_where_whoever_bends_is_gone(how):
    engine, heard, document = bent(strand(sources=KEYS))
    LETS_GO[how](engine, document)
    assert heard.felt("bells", "in") == set()
    assert heard.last["in", CONTROL].data1 == 1, "a wheel that stays where it is stays"


def test_the_bend_of_another_keyboard_or_strand_stays_and_so_does_that_of_a_muted_one():
    engine, heard, document = bent(strand(sources=KEYS), strand(sources=KEYS, strand_id="b"))
    engine.feed("midi:Organ", bend(0.4, 0, -900))
    engine.run(0.5)
    engine.lost("midi:Organ", 0.6)
    engine.apply(edits.set_strand(document, "a", muted=True), {}, 0.7)
    engine.apply(edits.remove_strand(engine.graph.project, "a"), {}, 0.8)
    assert heard.felt("bells") == {"bells"}
    engine.apply(edits.set_strand(engine.graph.project, "b", muted=True), {}, 0.9)
    assert heard.felt("bells") == {"bells"}
    engine.lost("midi:Keys", 1.0)
    assert heard.felt("bells", "in") == set()


@pytest.mark.parametrize("through", [False, True])
def test_a_take_that_is_stopped_while_it_is_bent_leaves_the_instrument_in_tune(through):
    heard = Bends()
    engine = Engine(heard)
    engine.apply(project(strand()), {}, 0.0)
    engine.takes.play({"a": (bend(0.0, 0, 900), note_on(0.0, 0, 60, 90), note_off(4.0, 0, 60))}, 0.1, through=through)
    engine.run(0.5)
    assert heard.felt("bells") == {"bells"}
    engine.takes.stop(0.6)
    assert heard.felt("bells") == set()


TWO = {
    "muted": lambda document: edits.set_strand(document, "a", muted=True),
    "gone": lambda document: edits.remove_strand(document, "a"),
    "without its keys": lambda document: edits.set_strand(document, "a", sources=(SurfaceSource(),)),
    "sent elsewhere": lambda document: edits.set_strand(document, "a", destinations=()),
}


@pytest.mark.parametrize("how", TWO)
def test_a_pedal_that_another_strand_holds_at_the_same_instrument_stays_down(how):
    heard = Heard()
    engine, document = Engine(heard), project(strand(sources=KEYS), strand(sources=KEYS, strand_id="b"))
    engine.apply(document, {}, 0.0)
    step(engine)
    engine.apply(TWO[how](document), {}, 0.5)
    assert heard.down("bells") == {0}
    engine.feed("midi:Keys", control(0.6, 0, SUSTAIN, 0))
    engine.run(0.7)
    assert heard.down("bells") == set()


def test_a_pedal_that_comes_up_in_a_muted_strand_lifts_no_other():
    heard = Heard()
    sources = (MidiSource(port="Keys"),), (MidiSource(port="Organ"),)
    engine = Engine(heard)
    engine.apply(project(strand(sources=sources[0], muted=True), strand(sources=sources[1], strand_id="b")), {}, 0.0)
    step(engine, feed="midi:Organ")
    step(engine)
    engine.feed("midi:Keys", control(0.6, 0, SUSTAIN, 0))
    engine.run(0.7)
    assert heard.down("bells") == {0}


def test_one_of_two_ways_of_a_pedal_may_be_closed():
    engine, heard, document = at_work(sources=(MidiSource(), MidiSource(port="Keys")))
    step(engine)
    engine.apply(edits.set_strand(document, "a", sources=(MidiSource(),)), {}, 0.5)
    assert heard.down("bells") == {0}


def test_a_stage_that_made_a_pedal_lets_go_of_it_and_one_that_let_it_pass_does_not():
    engine, heard, document = at_work(wrong(), stage("transpose", "t"))
    step(engine, 4)
    engine.apply(edits.remove_stage(document, "t"), {}, 0.5)
    engine.apply(edits.remove_stage(engine.graph.project, "c"), {}, 0.6)
    assert heard.down("bells") == heard.down("out") == set()
    engine, heard, document = at_work(stage("transpose", "t"))
    step(engine)
    engine.apply(edits.remove_stage(document, "t"), {}, 0.5)
    assert heard.down("bells") == heard.down("out") == {0}


@pytest.mark.parametrize("kind", ["convert", "sieve", "channel"])
@pytest.mark.parametrize("how", ["put in", "set"])
def test_a_pedal_that_comes_up_another_way_than_it_went_down_comes_up_all_the_same(kind, how):
    other = {
        "convert": stage("convert", "c", number=64, to_number=1),
        "sieve": stage("sieve", "c", kinds=["cc"]),
        "channel": stage("channel", "c", channel=3),
    }[kind]
    first = {"put in": (), "set": (stage(kind, "c", bypass=True),)}[how]
    engine, heard, document = at_work(*first)
    step(engine)
    engine.apply(edits.set_strand(document, "a", stages=(other,)), {}, 0.5)
    assert heard.down("bells") == {0}, "somebody steps on it"
    engine.feed("midi:Keys", control(0.6, 0, SUSTAIN, 0))
    engine.run(0.7)
    assert heard.down("bells") == heard.down("out") == heard.down("in") == set()


def test_a_pedal_that_a_stage_made_comes_up_as_it_is_bypassed_and_not_as_another_is_turned():
    engine, heard, document = at_work(wrong(), stage("transpose", "t"))
    step(engine, 4)
    engine.apply(edits.set_params(document, "t", {"semitones": 5}), {}, 0.5)
    assert heard.down("bells") == {0}
    engine.apply(edits.set_bypass(document, "c", True), {}, 0.6)
    assert heard.down("bells") == heard.down("out") == set()


def test_a_pedal_that_was_let_in_is_let_out_after_its_zone_closed():
    gate, out = Gate("surface", SurfaceSource()), []
    gate.process([control(0.0, 2, SUSTAIN, 127)], out)
    gate.zone = MidiSource(channel=3)
    gate.process([control(1.0, 2, SUSTAIN, 127), control(1.0, 2, SUSTAIN, 0), control(2.0, 2, SUSTAIN, 0)], out)
    assert out == [control(0.0, 2, SUSTAIN, 127), control(1.0, 2, SUSTAIN, 0)] and gate.release(9.0) == []


def test_what_an_engine_that_is_gone_held_down_is_lifted_in_the_memory():
    memory = Memory()
    memory.remember(Batch(1, [Passage("a", ("out",), [control(1.0, 3, SUSTAIN, 127), note_on(1.0, 3, 60, 90)])]))
    (passage,) = memory.ends(2.0)
    assert passage.events == [note_off(2.0, 3, 60), control(2.0, 3, SUSTAIN, 0)]


HELD = Music(
    name="x",
    beats=4.0,
    events=(control(0.0, 0, 11, 40), control(0.5, 0, SUSTAIN, 127), note_on(3.0, 0, 60, 90), note_off(3.5, 0, 60)),
)


@pytest.mark.parametrize("beat", [2.0, 6.0, 4.0])
def test_a_clip_that_begins_in_the_midst_stands_as_if_it_had_begun_before(beat):
    engine, heard, _ = at_work(sources=(ClipSource(id="c", music=HELD),))
    engine.play(0.1, beat)
    engine.run(0.2)
    assert heard.down("bells") == heard.down("in") == {0}
    engine.stop(0.3)
    assert heard.down("bells") == heard.down("in") == set()


@pytest.mark.parametrize("through", [False, True])
def test_a_take_that_is_played_from_its_midst_stands_as_if_it_had_begun_before(through):
    engine, heard, _ = at_work()
    engine.takes.play({"a": HELD.events}, 0.1, start=1.0, through=through)
    engine.run(0.2)
    assert heard.down("bells") == {0}
    engine.takes.stop(0.3)
    assert heard.down("bells") == set()
