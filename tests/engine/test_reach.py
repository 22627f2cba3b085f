"""Anything can move anything: single values, destinations, clips, sections; by any control, from any tap."""

from __future__ import annotations

import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import (
    ClipSource,
    Held,
    Hookup,
    Instrument,
    InstrumentDestination,
    PortDestination,
    Section,
)
from arpegon.core.events import CONTROL, NOTE_ON, control, note_off, note_on
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip
from building import Recording, generator, note_ons, project, stage, strand

STEPS = [[{"note": 60}, {"note": 62}, {"note": 64}, {"note": 65}]]


def playing(one, clips=None):
    out = Recording()
    engine = Engine(out)
    engine.apply(one, clips or {}, 0.0)
    engine.play(0.0, 0.0)
    return engine, out


def turn(engine, time, value, number=20, channel=0):
    engine.feed("surface", control(time, channel, number, value))
    engine.run(time)


def hooked(*strands, hookups, **changes):
    return project(*strands, hookups=hookups, **changes)


# -- targets -----------------------------------------------------------------------------------------


def test_one_step_of_a_pattern_is_turned_while_it_plays_and_the_others_stay():
    source = generator("steps", "s", patterns=STEPS, rate="1/4", in_scale=False)
    one = Hookup(id="h", number=20, target="s", param="patterns.1.3.note", out_low=70, out_high=80)
    engine, out = playing(hooked(strand(sources=(source, *strand().sources)), hookups=(one,)))
    engine.run(2.2)
    turn(engine, 2.3, 127)
    engine.run(4.0)
    assert [event.data1 for event in note_ons(out.out)] == [60, 62, 64, 65, 60, 62, 80, 65]


def test_a_part_that_went_away_is_turned_no_more_and_hurts_nothing():
    source = generator("steps", "s", patterns=STEPS, rate="1/4", in_scale=False)
    one = Hookup(id="h", number=20, target="s", param="patterns.1.4.note")
    document = hooked(strand(sources=(source, *strand().sources)), hookups=(one,))
    engine, out = playing(document)
    turn(engine, 0.2, 10)
    shorter = generator("steps", "s", patterns=[STEPS[0][:2]], rate="1/4", in_scale=False)
    engine.apply(hooked(strand(sources=(shorter, *strand().sources)), hookups=(one,)), {}, 0.3)
    turn(engine, 0.4, 90)
    engine.set_params("s", {"patterns": [STEPS[0][:1]], "rate": "1/4", "in_scale": False})
    engine.run(2.0)
    assert {event.data1 for event in note_ons(out.out)} <= {60, 62}


def test_an_accent_and_the_level_of_a_voice():
    chain = (
        stage("velocity", "v", mode="fixed", fixed=100, accents=[1.0, 1.0]),
        stage("chord", "c", offsets=[7], levels=[1.0]),
    )
    hookups = (
        Hookup(id="a", number=20, target="v", param="accents.2", out_low=0.0, out_high=1.0),
        Hookup(id="b", number=21, target="c", param="levels.1", out_low=0.0, out_high=1.0),
    )
    engine, out = playing(hooked(strand(*chain), hookups=hookups))
    turn(engine, 0.1, 64)
    turn(engine, 0.2, 32, number=21)
    for time in (0.3, 0.6):
        engine.feed("surface", note_on(time, 0, 60, 90))
        engine.feed("surface", note_off(time + 0.1, 0, 60))
    engine.run(1.0)
    assert [(event.data1, event.data2) for event in note_ons(out.out)] == [(60, 100), (67, 25), (60, 50), (67, 12)]


@pytest.mark.parametrize("wakes", [[], [0.2], [0.2, 0.3, 0.4999]])
def test_another_curve_of_a_fan_is_heard_from_when_it_was_turned(wakes):
    shapes = [[{"number": 30}, {"number": 31}]]
    one = Hookup(id="h", number=20, target="f", param="shapes.1.2.high", out_low=0, out_high=64)
    engine, out = playing(hooked(strand(stage("fan", "f", source="cc", number=1, shapes=shapes)), hookups=(one,)))
    engine.feed("surface", control(0.1, 0, 1, 100))
    for time in wakes:
        engine.run(time)
    turn(engine, 0.5, 127)
    assert [(event.time, event.data1) for event in out.out] == [(0.1, 30), (0.1, 31), (0.5, 30), (0.5, 31)]


@pytest.mark.parametrize("wakes", [[], [0.2], [0.2, 0.3, 0.4999]])
def test_a_wave_that_is_to_start_with_play_starts_when_it_was_turned_so(wakes):
    one = Hookup(id="h", number=20, target="l", param="starts", out_low=1, out_high=1)
    wave = stage("lfo", "l", starts="note", wave="square", to_number=30)
    engine, out = playing(hooked(strand(wave), hookups=(one,)))
    engine.feed("surface", control(0.1, 0, 7, 100))
    for time in wakes:
        engine.run(time)
    turn(engine, 0.5, 127)
    assert next(event.time for event in out.out if event.data1 == 30) == 0.5


def test_a_destination_is_muted_and_its_notes_end_and_its_channel_is_chosen():
    one = strand(destinations=(InstrumentDestination(instrument="bells", channel=0), PortDestination(port="Synth")))
    hookups = (
        Hookup(id="a", number=20, target="a", param="destinations.2.muted", way="toggle"),
        Hookup(id="b", number=21, target="a", param="destinations.1.channel", out_low=0, out_high=16),
    )
    engine, _ = playing(hooked(one, hookups=hookups))
    sent = {"Synth": [], "bells": []}
    engine.graph.outputs.port = lambda name, events: sent[name].extend(events)
    engine.graph.outputs.instrument = lambda name, events: sent[name].extend(events)
    engine.feed("surface", note_on(0.1, 3, 60, 90))
    turn(engine, 0.2, 127)
    assert [(event.time, event.kind) for event in sent["Synth"]] == [(0.1, NOTE_ON), (0.2, 0x80)]
    turn(engine, 0.3, 127, number=21)
    engine.feed("surface", note_on(0.4, 3, 64, 90))
    engine.run(0.5)
    assert len(sent["Synth"]) == 2 and sent["bells"][-1].channel == 15
    turn(engine, 0.6, 0, number=21)
    engine.feed("surface", note_on(0.7, 3, 67, 90))
    engine.run(0.8)
    assert sent["bells"][-1].channel == 3, "as it was played"


def test_a_clip_is_chosen_on_its_bar():
    def clip(note):
        return Clip((note_on(0.0, 0, note, 90), note_off(0.5, 0, note)), 4.0)

    one = strand(sources=(ClipSource(file="a.mid", more=("b.mid",)), *strand().sources))
    hookup = Hookup(id="h", number=20, target="a", param="sources.1.choice", way="toggle", out_low=1, out_high=2)
    engine, out = playing(hooked(one, hookups=(hookup,)), {"a.mid": clip(60), "b.mid": clip(72)})
    turn(engine, 1.0, 127)
    engine.run(5.0)
    assert [(event.time, event.data1) for event in note_ons(out.out)] == [(0.0, 60), (2.0, 72), (4.0, 72)]


@pytest.mark.parametrize("then", ["back", "edited", "started anew"])
def test_a_clip_that_waits_for_its_bar_is_taken_back_or_waits_on(then):
    def clip(note):
        return Clip((note_on(0.0, 0, note, 90), note_off(0.5, 0, note)), 1.0)

    clips = {"a.mid": clip(60), "b.mid": clip(72)}
    first = project(strand(sources=(ClipSource(file="a.mid", more=("b.mid",)),)))
    second = project(strand(sources=(ClipSource(file="a.mid", more=("b.mid",), choice=2),)))
    engine, out = playing(first, clips)
    engine.run(0.6)
    engine.apply(second, clips, 0.6)
    if then == "started anew":
        engine.run(1.9)
        engine.play(1.9, 0.0)
    else:
        engine.apply(first if then == "back" else edits.set_strand(second, "a", name="Other"), clips, 0.7)
    engine.run(2.7)
    after = 60 if then == "back" else 72
    found = [event.data1 for event in note_ons(out.out)]
    assert found[:4] == [60] * 4 and found[4:] == [after] * len(found[4:]) and len(found) == 6


def test_what_plays_on_is_chosen_while_it_plays():
    one = strand(sources=(ClipSource(file="a.mid"), *strand().sources))
    hookup = Hookup(id="h", number=20, target="a", param="plays_on", way="toggle")
    clip = Clip((note_on(0.0, 0, 60, 90), note_off(0.5, 0, 60)), 1.0)
    engine, out = playing(hooked(one, hookups=(hookup,)), {"a.mid": clip})
    turn(engine, 0.6, 127)
    engine.stop(1.1)
    engine.run(2.2)
    assert [event.time for event in note_ons(out.out)] == [0.0, 0.5, 1.0, 1.5, 2.0]
    engine.stop(2.3)
    engine.run(4.0)
    assert len(note_ons(out.out)) == 5 and engine.graph.sounding == 0


def test_an_instruments_sound_and_the_meter():
    instrument = Instrument(id="bells", sound="glass-bells")
    hookups = (
        Hookup(id="a", number=20, target="bells", param="sound", way="next"),
        Hookup(id="b", number=21, param="meter_beats", out_low=3, out_high=5),
    )
    engine, _ = playing(edits.set_project(hooked(strand(), hookups=hookups), instruments=(instrument,)))
    turn(engine, 0.1, 127)
    turn(engine, 0.2, 127, number=21)
    assert engine.graph.project.instruments[0].sound == "round-bass" and engine.graph.project.meter == (5, 4)


def test_the_value_that_a_section_holds_and_its_length():
    holds = (Held(param="tempo", value=120.0), Held(target="t", param="semitones", value=0))
    sections = (Section(id="calm", name="Calm", bars=4, holds=holds), Section(id="storm", name="Storm"))
    hookups = (
        Hookup(id="a", number=20, target="calm", param="holds.2", out_low=0, out_high=12),
        Hookup(id="b", number=21, target="calm", param="bars", out_low=1, out_high=4),
    )
    engine, out = playing(hooked(strand(stage("transpose", "t")), hookups=hookups, sections=sections))
    turn(engine, 0.5, 127)
    engine.feed("surface", note_on(0.6, 0, 60, 90))
    engine.run(0.7)
    assert note_ons(out.out)[0].data1 == 72
    turn(engine, 0.8, 0, number=21)
    engine.run(2.1)
    assert engine.sections.place == 1, "it is one bar long now"


# -- controls ----------------------------------------------------------------------------------------


def test_the_velocity_of_any_key_moves_and_the_keys_are_still_played():
    one = Hookup(id="h", control="velocity", target="t", param="semitones", out_low=0, out_high=127)
    engine, out = playing(hooked(strand(stage("transpose", "t")), hookups=(one,)))
    for time, velocity in ((0.1, 12), (0.2, 5)):
        engine.feed("surface", note_on(time, 0, 60, velocity))
        engine.feed("surface", note_off(time + 0.05, 0, 60))
    engine.run(1.0)
    assert [event.data1 for event in note_ons(out.out)] == [72, 65]


def test_a_pair_of_controllers_is_one_control_of_fourteen_bits():
    one = Hookup(id="h", control="cc14", number=1, param="tempo", out_low=60.0, out_high=223.83)
    engine, _ = playing(hooked(strand(), hookups=(one,)))
    turn(engine, 0.1, 64, number=1)
    high = engine.graph.project.tempo
    turn(engine, 0.2, 100, number=33)
    assert high == pytest.approx(60 + 8192 / 100, abs=0.1)
    assert engine.graph.project.tempo == pytest.approx(60 + (8192 + 100) / 100, abs=0.1)
    turn(engine, 0.3, 0, number=1)
    assert engine.graph.project.tempo == 60.0


def test_what_stages_made_of_a_controller_is_a_control():
    """A pedal is converted and stepped in one strand, and what comes of it transposes another."""
    pedal = strand(
        stage("convert", "c", source="cc", number=4, target="cc", to_number=30),
        stage("stairs", "st", what="cc", number=30, levels=3, hysteresis=0),
        strand_id="pedal",
        destinations=(),
    )
    keys = strand(stage("transpose", "t"), strand_id="keys")
    one = Hookup(id="h", tap="pedal/st", number=30, target="t", param="semitones", out_low=0, out_high=12)
    engine, out = playing(hooked(pedal, keys, hookups=(one,)))
    found = []
    for place, value in enumerate((10, 60, 127, 30)):
        time = 0.1 + place * 0.2
        engine.feed("surface", control(time, 0, 4, value))
        engine.feed("surface", note_on(time + 0.05, 0, 60, 90))
        engine.feed("surface", note_off(time + 0.1, 0, 60))
        engine.run(time + 0.15)
        found.append(note_ons(out.out)[-1].data1)
    assert found == [60, 66, 72, 60]


def test_what_a_strand_plays_by_itself_is_a_control():
    """Every low note of one strand's figure steps the pattern of another."""
    bass = strand(
        strand_id="bass",
        sources=(generator("steps", "b", patterns=[[{"note": 40}, {"note": 52}]], rate="1/4", in_scale=False),),
    )
    tune = generator("steps", "s", patterns=[[{"note": 70}], [{"note": 80}]], rate="1/4", in_scale=False, change="step")
    one = Hookup(id="h", tap="bass/out", control="note", number=40, target="s", action="pattern-next", way="trigger")
    engine, out = playing(hooked(bass, strand(strand_id="tune", sources=(tune,)), hookups=(one,)))
    engine.run(3.9)
    found = [event.data1 for event in note_ons(out.out) if event.data1 >= 70]
    assert found == [70, 80, 80, 70, 70, 80, 80, 70]


def test_a_tap_takes_nothing_away_and_what_comes_in_from_outside_does_not_move_it():
    one = Hookup(id="h", tap="a/in", number=30, target="t", param="semitones", out_low=0, out_high=12)
    engine, out = playing(hooked(strand(stage("transpose", "t")), hookups=(one,)))
    engine.feed("elsewhere", control(0.1, 0, 30, 127))
    engine.run(0.2)
    assert engine.graph.find("t").values["semitones"] == 0
    turn(engine, 0.3, 127, number=30)
    assert engine.graph.find("t").values["semitones"] == 12
    assert [event.data1 for event in out.out if event.kind == CONTROL] == [30]


def test_a_tap_that_moves_what_feeds_it_comes_to_rest():
    one = Hookup(id="h", tap="a/out", control="velocity", target="v", param="fixed", out_low=1, out_high=127)
    engine, out = playing(hooked(strand(stage("velocity", "v", mode="fixed", fixed=90)), hookups=(one,)))
    for place in range(5):
        engine.feed("surface", note_on(0.1 + place * 0.1, 0, 60 + place, 90))
    engine.run(2.0)
    assert len(note_ons(out.out)) == 5


def test_a_figure_that_sends_itself_to_the_start_does_not_stop_time():
    """Each step begins the piece anew, whose first step begins it anew …"""
    source = generator("steps", "s", patterns=STEPS, rate="1/4", in_scale=False)
    one = Hookup(id="h", tap="a/in", control="velocity", action="to-start", way="trigger")
    engine, out = playing(hooked(strand(sources=(source,)), hookups=(one,)))
    engine.run(2.0)
    assert engine.now == 2.0 and len(note_ons(out.out)) < 20_000


def test_what_a_tap_does_is_never_before_what_passed_it():
    source = generator("steps", "s", patterns=STEPS, rate="1/4", in_scale=False)
    one = Hookup(id="h", tap="a/out", control="note", number=62, target="a", action="mute", way="toggle")
    engine, out = playing(hooked(strand(sources=(source,)), hookups=(one,)))
    for time in (0.1, 0.4999, 0.6, 1.2):
        engine.run(time)
    ends = [event.time for event in out.out if event.kind == 0x80 and event.data1 == 62]
    assert [round(time, 4) for time in ends] == [0.5] and ends[0] >= 0.5


def test_two_hookups_on_one_address_each_keep_their_own_way_of_taking_over():
    hookups = (
        Hookup(id="a", number=20, target="t", param="semitones", out_low=0, out_high=127, takeover="pick-up"),
        Hookup(id="b", number=21, target="t", param="semitones", out_low=0, out_high=127),
    )
    engine, _ = playing(hooked(strand(stage("transpose", "t")), hookups=hookups))
    turn(engine, 0.1, 20)
    assert engine.graph.find("t").values["semitones"] == 0, "it is not met yet"
    turn(engine, 0.2, 20, number=21)
    assert engine.graph.find("t").values["semitones"] == 20
    turn(engine, 0.3, 22)
    assert engine.graph.find("t").values["semitones"] == 22, "and here it is"
