"""The promises, under random playing and random edits."""

from __future__ import annotations

import random
from itertools import zip_longest

import msgspec
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import (
    ClipSource,
    InstrumentDestination,
    PortDestination,
    StrandDestination,
    StrandSource,
    SurfaceSource,
)
from arpegon.core.errors import DocumentError
from arpegon.core.events import NOTE_OFF, NOTE_ON, Event, control
from arpegon.core.theory.scales import Key, pitch_classes
from arpegon.engine.offline import _END as END
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip
from building import Quiet, assert_whole, generator, note_ons, notes, pitches, project, stage, strand
from strategies import ALL_KINDS, KINDS, SOURCES

KEYS = (0, 1, 36, 60, 61, 62, 64, 126, 127)
CONTROLLERS = (1, 7, 64, 101, 6)
TOUCHES = [
    (wait, kind | channel, number)
    for wait in (0.0, 0.01, 0.3)
    for channel in (0, 1)
    for kind in (NOTE_ON, NOTE_ON, NOTE_OFF, NOTE_OFF, 0xA0, 0xB0, 0xE0, 0xD0)
    for number in (CONTROLLERS if kind == 0xB0 else KEYS)
]
"""What a hand does: one draw for each, since drawing takes longer than playing."""


@st.composite
def played(draw, length=40):
    """Note ons and offs at rising times, in any disorder that a broken keyboard could send."""
    time = 0.0
    events = []
    for _ in range(draw(st.integers(0, length))):
        wait, status, number = draw(st.sampled_from(TOUCHES))
        time += wait
        events.append(Event(time, status, number, draw(st.integers(1, 127))))
    return events


@st.composite
def stages(draw, prefix="s", most=4):
    kinds = draw(st.lists(st.sampled_from(sorted(KINDS)), max_size=most))
    return tuple(
        stage(kind, f"{prefix}{place}", draw(st.booleans()), **draw(KINDS[kind])) for place, kind in enumerate(kinds)
    )


@st.composite
def sources(draw, prefix="g"):
    """The play surface, and up to two sources that make notes by themselves."""
    kinds = draw(st.lists(st.sampled_from(sorted(SOURCES)), max_size=2))
    made = [generator(kind, f"{prefix}{place}", params=draw(SOURCES[kind])) for place, kind in enumerate(kinds)]
    return (SurfaceSource(), *made)


class Recorder(Quiet):
    """Collects what leaves through every outlet, and checks the order of what is printed."""

    def __init__(self):
        self.out: dict[str, list[Event]] = {}
        self.printed_on: list[tuple[str, int]] = []

    def port(self, port, events):
        self.out.setdefault(f"port {port}", []).extend(events)

    def instrument(self, instrument, events):
        self.out.setdefault(f"instrument {instrument}", []).extend(events)

    def printed(self, strand_id, places, events):
        self.printed_on += [(strand_id, place) for place in places]


def edited(draw, now):
    """The document after one random edit; refused ones leave it as it is."""
    what = draw(
        st.sampled_from(
            [
                *("bypass", "remove", "add", "move", "params", "mute", "solo", "zone", "channel", "key", "reroute"),
                *("strand", "along", "tempo", "generator", "plays-on"),
            ]
        )
    )
    ids = [one.id for _, one in now.stages()]
    here = draw(st.sampled_from([one.id for one in now.strands]))
    chosen = now.strand(here)
    if what in ("bypass", "remove", "move", "params") and ids:
        stage_id = draw(st.sampled_from(ids))
        found = now.find_stage(stage_id)[1]
        if what == "bypass":
            return edits.set_bypass(now, stage_id, not found.bypass)
        if what == "remove":
            return edits.remove_stage(now, stage_id)
        if what == "params":
            return edits.set_params(now, stage_id, draw(ALL_KINDS[found.kind]))
        return edits.move_stage(now, stage_id, here, draw(st.integers(0, 3)))
    if what == "add":
        return edits.add_stage(now, here, draw(st.sampled_from(sorted(KINDS))), draw(st.integers(0, 2)))[0]
    if what == "generator":
        return edits.add_generator(now, here, draw(st.sampled_from(sorted(SOURCES))))[0]
    if what == "plays-on":
        return edits.set_strand(now, here, plays_on=not chosen.plays_on)
    if what == "mute":
        return edits.set_strand(now, here, muted=not chosen.muted)
    if what == "solo":
        return edits.set_strand(now, here, solo=not chosen.solo)
    if what == "along":
        return edits.set_strand(now, here, along=not chosen.along)
    if what == "tempo":
        return edits.set_project(now, tempo=draw(st.sampled_from([40.0, 300.0])))
    if what == "zone":
        return edits.set_source(now, here, 0, SurfaceSource(low_key=draw(st.sampled_from([0, 61]))))
    if what == "channel":
        end = InstrumentDestination(instrument="bells", channel=draw(st.sampled_from([None, 0, 3])))
        return edits.set_destination(now, here, 0, end)
    if what == "key":
        return edits.set_project(now, key=Key("Bb", "dorian"))
    if what == "reroute":
        others = [one.id for one in now.strands if one.id != here]
        source = draw(
            st.sampled_from([StrandSource(strand=other, after=after) for other in others for after in ("", "s0")])
        )
        return edits.set_source(now, here, draw(st.integers(0, 1)), source)
    ends = [StrandDestination(strand="b", channel=draw(st.sampled_from([None, 5]))), PortDestination(port="x")]
    return edits.set_destination(now, here, draw(st.integers(0, 2)), draw(st.sampled_from(ends)))


@settings(max_examples=250, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(st.data())
def test_nothing_hangs_under_any_edit(data):
    recorder = Recorder()
    engine = Engine(recorder)
    now = project(
        strand(*data.draw(stages("s")), strand_id="a", sources=data.draw(sources("g"))),
        strand(*data.draw(stages("t", 2)), strand_id="b", sources=data.draw(sources("h"))),
    )
    engine.apply(now, {}, 0.0)
    for event in data.draw(played()):
        engine.feed("surface", event)
        engine.run(event.time)
        what, edit = divmod(data.draw(st.integers(0, 62)), 3)
        if edit == 0:
            wanted = edited(data.draw, now)
            try:
                engine.apply(wanted, {}, event.time)
            except DocumentError:
                continue
            now = wanted
        if what == 0:
            engine.all_off(event.time)
            assert engine.graph.sounding == 0
        elif what in (1, 2):
            (engine.play if what == 1 else engine.stop)(event.time)
        elif what == 3:
            engine.locate(event.time, data.draw(st.sampled_from([0.0, 3.3, 40.0])))
        elif what == 4:
            for _, one in now.stages():
                engine.command(one.id, data.draw(st.sampled_from(["start", "stop"])), 2, event.time)
    # Nothing but the keys' own note offs: no stop, no reset may be needed to end what sounds.
    for channel in range(2):
        for key in range(128):
            engine.feed("surface", Event(engine.now, NOTE_OFF | channel, key, 64))
    settle(engine, now)
    assert engine.graph.sounding == 0
    for events in recorder.out.values():
        assert_whole(events)


def settle(engine, now, apply=None):
    """Let all that was put off come, the longest notes too; what keys have latched ends with All off."""
    engine.stop(engine.now)
    engine.stop(engine.now)
    for _, one in list(now.stages()):
        if one.kind in ("lfo", "contour"):  # they would go on for ever
            now = edits.remove_stage(now, one.id)
    (apply or (lambda now, time: engine.apply(now, {}, time)))(now, engine.now)
    for _, one in now.stages():
        engine.command(one.id, "stop", None, engine.now)
    engine.run(engine.now + 1000.0)
    if any(one.kind in ("hold", "arpeggiator") for _, one in now.stages()):
        engine.finish(engine.now)


@settings(max_examples=150, deadline=None)
@given(stages(), played())
def test_releasing_all_keys_silences_without_help(chain, events):
    """Not only the end of the run ends notes: the note offs of the keys do."""
    recorder = Recorder()
    engine = Engine(recorder)
    engine.apply(project(strand(*chain)), {}, 0.0)
    down = set()
    for event in events:
        engine.feed("surface", event)
        if event.kind in (NOTE_ON, NOTE_OFF):
            (down.add if event.kind == NOTE_ON else down.discard)((event.channel, event.data1))
    for channel, key in sorted(down):
        engine.feed("surface", Event(99.0, NOTE_OFF | channel, key, 64))
    settle(engine, engine.graph.project)
    assert engine.graph.sounding == 0
    for sent in recorder.out.values():
        assert_whole(sent)


@settings(max_examples=100, deadline=None)
@given(stages(), sources(), played(), st.integers(0, 2**16))
def test_batches_do_not_matter_and_the_same_seed_gives_the_same(chain, fed_by, events, cut_seed):
    """Offline takes everything in one batch, live in any pieces, cut between moments: the same comes out."""
    one = project(strand(*chain, sources=fed_by))
    whole = run(one, events, seconds=14.0).instruments
    assert run(one, events, seconds=14.0).instruments == whole
    recorder = Recorder()
    engine = Engine(recorder)
    engine.apply(one, {}, 0.0)
    engine.play(0.0, 0.0)
    dice = random.Random(cut_seed)
    for event, following in zip_longest(events, events[1:]):
        engine.feed("surface", event)
        if dice.random() < 0.5 and (following is None or following.time > event.time):
            engine.run(event.time)
    engine.run(14.0 - END)
    engine.stop(14.0)
    engine.run(14.0)
    engine.finish(14.0)
    assert recorder.out.get("instrument bells", []) == [event for _, event in whole]


@settings(max_examples=100, deadline=None)
@given(played())
def test_what_no_stage_means_to_change_passes_untouched(events):
    chain = (stage("humanize"), stage("scale", rule="drop"), stage("chord"))
    events.append(Event(60.0, 0xF0, payload=bytes([0xF0, 1, 2, 0xF7])))
    wanted = [event for event in events if event.kind in (0xB0, 0xC0, 0xD0, 0xE0, 0xF0)]
    recorder = Recorder()
    engine = Engine(recorder)
    engine.apply(project(strand(*chain, destinations=(PortDestination(port="x"),))), {}, 0.0)
    for event in events:
        engine.feed("surface", event)
    engine.run(100.0)
    passed = [event for event in recorder.out["port x"] if event.kind in (0xB0, 0xC0, 0xD0, 0xE0, 0xF0)]
    assert passed == wanted


def test_two_keys_on_one_note_sound_again_and_end_with_the_last():
    chain = stage("scale", root="C", scale="ionian")
    events = [
        Event(0.0, NOTE_ON, 60, 90),
        Event(0.1, NOTE_ON, 61, 80),  # pulled down to 60 as well
        Event(0.2, NOTE_OFF, 60, 10),
        Event(0.3, NOTE_OFF, 61, 20),
    ]
    sent = [event for _, event in run(project(strand(chain)), events, seconds=1.0).instruments]
    assert [(event.time, event.kind, event.data1, event.data2) for event in sent] == [
        (0.0, NOTE_ON, 60, 90),
        (0.1, NOTE_OFF, 60, 64),
        (0.1, NOTE_ON, 60, 80),
        (0.3, NOTE_OFF, 60, 20),
    ]


def test_two_strands_on_one_note_hold_it_both():
    both = project(strand(strand_id="a"), strand(strand_id="b", sources=(SurfaceSource(high_velocity=90),)))
    engine_out = Recorder()
    engine = Engine(engine_out)
    engine.apply(both, {}, 0.0)
    engine.feed("surface", Event(0.0, NOTE_ON, 60, 80))
    engine.run(0.0)
    engine.apply(edits.set_strand(both, "a", muted=True), {}, 0.5)
    assert engine.graph.sounding == 1
    engine.apply(edits.remove_strand(edits.set_strand(both, "a", muted=True), "b"), {}, 0.6)
    assert engine.graph.sounding == 0


def test_a_pedal_that_is_down_comes_up_when_its_strand_goes():
    recorder = Recorder()
    engine = Engine(recorder)
    engine.apply(project(strand()), {}, 0.0)
    engine.feed("surface", control(0.0, 0, 64, 127))
    engine.run(0.1)
    engine.apply(project(), {}, 0.2)
    assert recorder.out["instrument bells"][-1] == control(0.2, 0, 64, 0)


def test_order_matters_chord_then_scale_is_not_scale_then_chord():
    chord = stage("chord", offsets=[4, 7])
    scale = stage("scale", root="D", scale="dorian")
    first = run(project(strand(chord, scale)), notes(62), seconds=1.0)
    second = run(project(strand(scale, chord)), notes(62), seconds=1.0)
    assert pitches(first.strands["a"]) == [62, 65, 69]
    assert pitches(second.strands["a"]) == [62, 66, 69]


def test_the_story_velocities_in_range_notes_in_scale_each_answered():
    chain = (
        stage("humanize", low=85, high=115),
        stage("chord", offsets=[3, 7, -12]),
        stage("scale", root="D", scale="dorian"),
    )
    result = run(project(strand(*chain)), notes(*range(40, 90), velocity=64), seconds=60.0)
    ons = note_ons(result.strands["a"])
    assert {event.data1 % 12 for event in ons} <= pitch_classes("D", "dorian")
    assert all(85 <= event.data2 <= 115 for event in ons)
    assert len({event.data2 for event in ons}) > 10
    per_key = {event.time: 0 for event in ons}
    assert len(per_key) == 50
    assert_whole([event for _, event in result.instruments])


def test_a_seed_for_the_run_overrules_the_stage():
    one = project(strand(stage("humanize", low=1, high=127)))
    first, same, other = (run(one, notes(60, 62, 64), seconds=2.0, seed=seed) for seed in (1, 1, 2))
    assert first.strands == same.strands != other.strands


def test_loops_are_refused_and_the_old_document_stays():
    engine = Engine(Recorder())
    good = project(strand(), strand(strand_id="b"))
    engine.apply(good, {}, 0.0)
    looped = edits.set_source(good, "a", 0, StrandSource(strand="b"))
    looped = edits.set_destination(looped, "a", 1, StrandDestination(strand="b"))
    try:
        engine.apply(looped, {}, 0.1)
    except DocumentError as error:
        assert "A" in str(error) and "B" in str(error)
    else:
        raise AssertionError("a loop was taken")
    assert engine.graph.project is good


def test_a_strand_can_be_taken_after_any_stage():
    first = strand(stage("scale", "s0", root="C"), stage("chord", "s1", offsets=[4]))
    for after, wanted in (("s0", [60]), ("s1", [60, 64]), ("", [60, 64])):
        second = strand(strand_id="b", sources=(StrandSource(strand="a", after=after),))
        assert pitches(run(project(second, first), notes(61), seconds=1.0).strands["b"]) == wanted


def test_a_strand_lets_go_when_the_stage_that_feeds_it_is_taken_out():
    recorder = Recorder()
    engine = Engine(recorder)
    both = project(strand(stage("scale", "s0")), strand(strand_id="b", sources=(StrandSource(strand="a", after="s0"),)))
    engine.apply(both, {}, 0.0)
    engine.feed("surface", Event(0.0, NOTE_ON, 60, 80))
    engine.run(0.0)
    engine.apply(edits.remove_stage(both, "s0"), {}, 0.5)
    engine.feed("surface", Event(0.6, NOTE_OFF, 60, 0))
    engine.run(1.0)
    assert engine.graph.sounding == 0
    assert_whole(recorder.out["instrument bells"])


def test_the_outlet_of_a_strand_into_a_strand_changes_its_channel():
    first = strand(destinations=(StrandDestination(strand="b", channel=4),))
    second = strand(strand_id="b", sources=(), destinations=(InstrumentDestination(instrument="bells"),))
    result = run(project(first, second), notes(60), seconds=1.0)
    assert {event.channel for _, event in result.instruments} == {4}


def test_structs_are_as_small_as_they_should_be():
    """The event is what everything is made of: it must stay frozen and out of the garbage collector."""
    event = notes(60)[0]
    assert event.__struct_config__.frozen and not event.__struct_config__.gc
    assert msgspec.json.encode(event) == b'[0.0,144,60,100,""]'


def test_what_begins_at_the_very_end_of_a_run_belongs_to_the_next_bar():
    clip = Clip(tuple(notes(60, gap=2.0, length=1.0)), 4.0)
    loop = project(strand(sources=(ClipSource(file="c.mid"), SurfaceSource()), destinations=()))
    played = [Event(2.0, 0xB0, 1, 9)]
    result = run(loop, played, {"c.mid": clip}, seconds=2.0)
    assert pitches(result.strands["a"]) == [60]
    assert played[0] in result.strands["a"]
