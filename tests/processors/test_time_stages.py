"""Hold, Length, Repeat and Channel."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.errors import ParameterError
from arpegon.core.events import HOLD_PEDALS, NOTE_OFF, NOTE_ON, Event, control, note_off, note_on
from arpegon.core.notes.takes import bars
from arpegon.core.time.clock import Clock
from arpegon.core.time.rhythm import NOTE_VALUES, beats_of, normal_value
from arpegon.core.time.swing import next_line
from arpegon.engine.simulation import Engine
from building import Quiet, assert_whole, note_ons, notes, out_of, pitches, project, stage, strand


def test_note_values():
    assert [beats_of(text) for text in ("1/4", "1/8", "1/8T", "1/4D", "3/16")] == [1, 0.5, 1 / 3, 1.5, 0.75]
    assert beats_of("2 bars", (3, 4)) == 6 and normal_value(" 1/8t ") == "1/8T" and normal_value("1 BARS") == "1 bar"
    lengths = [beats_of(text) for text in NOTE_VALUES[:16]]
    assert len(set(lengths)) == len(lengths)


@pytest.mark.parametrize("text", ["", "1/3", "0/4", "1/8X", "bars", "0 bars", "1/0"])
def test_what_is_no_note_value_is_said(text):
    with pytest.raises(ParameterError, match="note value"):
        beats_of(text)


def test_hold_until_pressed_again():
    made = out_of(stage("hold", until="again"), played=notes(60, 62, 60, 62))
    assert [(event.time, event.kind == NOTE_ON, event.data1) for event in made] == [
        (0.0, True, 60),
        (0.5, True, 62),
        (1.0, False, 60),
        (1.5, False, 62),
    ]


def test_hold_until_the_next_chord():
    played = [note_on(0, 0, 60, 9), note_on(0.01, 0, 64, 9), note_off(0.5, 0, 60), note_off(0.5, 0, 64)]
    played += [note_on(1, 0, 65, 9), note_on(1.01, 0, 69, 9), note_off(2, 0, 65), note_off(2, 0, 69)]
    made = out_of(stage("hold"), played=played)
    assert [(event.time, event.data1) for event in made if event.kind == NOTE_OFF][:2] == [(1, 60), (1, 64)]
    assert pitches(made) == [60, 64, 65, 69]


def test_hold_until_a_controller_and_the_controller_is_used_up():
    played = [
        note_on(0, 0, 60, 9),
        note_off(0.5, 0, 60),
        control(1, 0, 66, 0),
        control(2, 0, 66, 127),
        control(3, 0, 1, 1),
    ]
    made = out_of(stage("hold", until="controller"), played=played)
    assert made == [note_on(0, 0, 60, 9), note_off(2, 0, 60), control(3, 0, 1, 1)]


@given(st.sampled_from(NOTE_VALUES), st.floats(30, 300))
def test_a_length_in_note_values_follows_the_tempo(value, tempo):
    made = bars(out_of(stage("length", value=value), played=notes(60, length=0.05), tempo=tempo))
    assert made[0].end - made[0].start == pytest.approx(beats_of(value) * 60 / tempo)


def test_lengths_in_milliseconds_of_the_step_and_of_the_key():
    def lengths(played, **params):
        return [round(bar.end - bar.start, 4) for bar in bars(out_of(stage("length", **params), played=played))]

    assert lengths(notes(60, 62), unit="ms", ms=150) == [0.15, 0.15]
    assert lengths(notes(60, 62, 64), unit="step", percent=50) == [0.4, 0.25, 0.25]
    assert lengths(notes(60, 62), unit="played", percent=200) == [0.8, 0.8]
    assert lengths(notes(60, 62), unit="played", percent=50) == [0.4, 0.4]


def test_a_long_note_struck_again_sounds_again_and_ends_with_the_last():
    made = out_of(stage("length", unit="ms", ms=2000), played=notes(60, 60))
    assert_whole(made)
    assert [round(event.time, 3) for event in made] == [0, 0.5, 0.5, 2.5]


def test_repeat_strikes_at_its_rate_in_its_rhythm():
    played = [note_on(0, 0, 60, 100), note_off(1.01, 0, 60)]
    made = out_of(stage("repeat", rate="1/8", rhythm=[1.0, 0.0, 0.5]), played=played, tempo=120.0)
    strokes = [(round(event.time, 3), event.data2) for event in note_ons(made)]
    assert strokes == [(0.0, 100), (0.5, 50), (0.75, 100)]
    assert_whole(made)


def test_repeat_dies_away_or_swells_and_stops_after_its_strokes():
    played = [note_on(0, 0, 60, 100), note_off(5, 0, 60)]
    falling = note_ons(out_of(stage("repeat", rate="1/4", change=-50, times=3), played=played))
    assert [event.data2 for event in falling] == [100, 50, 25, 12]
    rising = note_ons(out_of(stage("repeat", rate="1/4", change=50), played=played))
    assert [event.data2 for event in rising][:3] == [100, 127, 127]


@pytest.mark.parametrize(("change", "last"), [(50, 127), (-50, 1), (1, 127)])
def test_a_key_may_be_held_for_as_long_as_one_likes(change, last):
    played = [note_on(0, 0, 60, 1), note_off(120, 0, 60)]
    made = note_ons(out_of(stage("repeat", rate="1/64", change=change), played=played))
    assert len(made) > 3000 and made[-1].data2 == last


def test_keys_share_one_pulse():
    played = [note_on(0, 0, 60, 90), note_on(0.1, 0, 64, 90), note_off(0.9, 0, 60), note_off(0.9, 0, 64)]
    made = note_ons(out_of(stage("repeat", rate="1/8"), played=played))
    assert [(round(event.time, 3), event.data1) for event in made] == [
        *((0.0, 60), (0.1, 64), (0.25, 60), (0.25, 64)),
        *((0.5, 60), (0.5, 64), (0.75, 60), (0.75, 64)),
    ]


class Sink(Quiet):
    def __init__(self):
        self.events = []

    def instrument(self, name, events):
        self.events += events


def test_on_the_beat_it_waits_for_the_transport_and_keeps_to_its_beats():
    sink = Sink()
    engine = Engine(sink)
    engine.apply(project(strand(stage("repeat", rate="1/4", starts="beat"))), {}, 0.0)
    engine.feed("surface", note_on(0.1, 0, 60, 90))
    engine.run(3.0)
    assert sink.events == []
    engine.play(3.0, 0.25)
    engine.run(4.2)
    assert [event.time for event in note_ons(sink.events)] == pytest.approx([3.375, 3.875])
    engine.apply(project(strand(stage("repeat", rate="1/4", starts="beat")), tempo=60.0), {}, 4.2)
    engine.run(6.0)
    assert [event.time for event in note_ons(sink.events)][2:] == pytest.approx([4.55, 5.55])
    engine.stop(6.0)
    engine.run(9.0)
    assert len(note_ons(sink.events)) == 4 and engine.graph.sounding == 0


def test_the_clock_says_how_long_beats_last():
    assert Clock(90.0).seconds(3) == 2.0


def test_channel_moves_everything_and_ends_where_it_began():
    made = out_of(stage("channel", channel=5), played=[note_on(0, 0, 60, 9), control(0, 3, 7, 1), note_off(1, 0, 60)])
    assert {event.channel for event in made} == {4}
    only = out_of(stage("channel", channel=5, only=4), played=[control(0, 3, 7, 1), control(0, 2, 7, 1)])
    assert [event.channel for event in only] == [4, 2]


@pytest.mark.parametrize("number", sorted(HOLD_PEDALS))
def test_a_pedal_comes_up_on_the_channel_on_which_it_went_down(number):
    sink = Sink()
    engine = Engine(sink)
    into = {"destinations": project(strand()).strands[0].destinations}
    free = tuple(type(one)(instrument="bells") for one in into["destinations"])
    engine.apply(project(strand(stage("channel", channel=2), destinations=free)), {}, 0.0)
    engine.feed("surface", control(0.0, 0, number, 127))
    engine.run(0.1)
    engine.apply(project(strand(stage("channel", channel=9), destinations=free)), {}, 0.2)
    engine.feed("surface", control(0.3, 0, number, 0))
    engine.feed("surface", Event(0.4, 0xE0, 0, 64))
    engine.run(1.0)
    assert [event.channel for event in sink.events] == [1, 1, 8]


def test_bypassing_a_latch_lets_go_of_what_no_key_holds():
    sink = Sink()
    engine = Engine(sink)
    engine.apply(project(strand(stage("hold"))), {}, 0.0)
    engine.feed("surface", note_on(0.0, 0, 60, 9))
    engine.feed("surface", note_off(0.1, 0, 60))
    engine.run(0.2)
    assert engine.graph.sounding == 1
    engine.apply(project(strand(stage("hold", bypass=True))), {}, 0.5)
    assert engine.graph.sounding == 0


def test_a_pulse_that_leaves_the_beat_goes_on_from_now():
    sink = Sink()
    engine = Engine(sink)
    waiting = stage("repeat", rate="1/4", starts="beat")
    engine.apply(project(strand(waiting)), {}, 0.0)
    engine.feed("surface", note_on(0.1, 0, 60, 90))
    engine.run(5.0)
    engine.apply(project(strand(stage("repeat", rate="1/4"))), {}, 5.0)
    engine.run(6.2)
    assert [event.time for event in note_ons(sink.events)] == pytest.approx([5.0, 5.5, 6.0])
    assert sink.events == sorted(sink.events, key=lambda event: event.time)


# -- grid -------------------------------------------------------------------------------------------


@given(st.floats(0, 40), st.sampled_from([0.25, 0.5, 1.0]), st.floats(0.5, 0.75))
def test_the_next_line_is_the_first_that_is_not_past(beat, beats, swing):
    line = next_line(beat, beats, swing)
    assert line >= beat - 1e-3
    pair, rest = divmod(line / (2 * beats), 1.0)
    assert min(abs(rest), abs(rest - swing), abs(rest - 1)) < 1e-6 and pair >= 0
    assert line - beat <= 2 * beats * max(swing, 1 - swing) + 1e-3


def test_notes_wait_for_the_grid_and_keep_their_length():
    played = [note_on(0.01, 0, 60, 90), note_off(0.31, 0, 60), note_on(0.75, 0, 62, 90), note_off(0.8, 0, 62)]
    made = bars(out_of(stage("grid", rate="1/8", catch=0), played=played, tempo=120.0))
    assert [(round(bar.start, 4), round(bar.end, 4)) for bar in made] == [(0.25, 0.55), (0.75, 0.8)]


def test_a_grid_of_half_strength_and_one_for_controllers():
    half = note_ons(out_of(stage("grid", rate="1/4", strength=50), played=notes(60, length=0.1)[:2], tempo=60.0))
    assert half[0].time == 0.0
    late = [note_on(0.4, 0, 60, 9), note_off(0.5, 0, 60)]
    assert note_ons(out_of(stage("grid", rate="1/4", strength=50), played=late, tempo=60.0))[0].time == pytest.approx(
        0.7
    )
    moved = out_of(stage("grid", rate="1/4", controllers=True), played=[control(0.4, 0, 1, 9)], tempo=60.0)
    assert [event.time for event in moved] == [1.0]
    assert out_of(stage("grid", rate="1/4"), played=[control(0.4, 0, 1, 9)], tempo=60.0)[0].time == 0.4


def test_a_grid_that_does_not_run_lets_everything_pass():
    sink = Sink()
    engine = Engine(sink)
    engine.apply(project(strand(stage("grid"))), {}, 0.0)
    engine.feed("surface", note_on(0.13, 0, 60, 90))
    engine.run(0.13)
    assert [event.time for event in sink.events] == [0.13]


@pytest.mark.parametrize("starts", ["key", "beat"])
def test_a_key_that_is_let_go_on_a_stroke_is_not_struck_once_more(starts):
    played = [note_on(0.0, 0, 60, 90), note_off(1.5, 0, 60)]
    made = out_of(stage("repeat", rate="1/4", starts=starts), played=played)
    assert [event.time for event in note_ons(made)] == pytest.approx([0.0, 0.5, 1.0])
    assert_whole(made)
