"""Following a clock and sending one: in step, without drift, and with words where the clock misbehaves."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import ClipSource, ClockSettings, PortDestination
from arpegon.core.time.ticks import CONTINUE, POSITION, START, STOP, TICK, TickFilter
from arpegon.engine.clocks.clock_box import BoxSettings, ClockBox
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip
from arpegon.files.project import format_project, parse_project
from building import Recording, assert_whole, generator, note_ons, notes, pitches, project, strand

FOLLOW = ClockSettings(follow=True)


class Sent(Recording):
    """Keeps what goes to ports apart: the bytes of a clock."""

    def __init__(self):
        super().__init__()
        self.ticks = []

    def port(self, port, events):
        self.ticks += [(event.time, event.to_bytes()) for event in events]


def follower(one=None, **clock):
    engine = Engine(Sent())
    one = one or project(strand(sources=(generator("steps", rate="1/4", patterns=[[{"note": 60}]]),)), tempo=90.0)
    engine.apply(edits.set_project(one, clock=ClockSettings(follow=True, **clock)), {}, 0.0)
    return engine


def drive(engine, box, until, step=0.01):
    """Let a clock box lead an engine."""
    time = engine.now
    while time < until:
        time = min(until, max(time + 1e-6, min(box.next_due(), engine.next_due(), time + step)))
        for due, status in box.take(time):
            engine.run(due)
            engine.clocks.message("box", status, 0, due)
        engine.run(time)


def box_at(tempo, running=True, jitter=0.0, drift=0.0, at=0.0):
    box = ClockBox()
    box.configure(BoxSettings(tempo=tempo, on=True, running=running, jitter=jitter, drift=drift), at)
    return box


@settings(max_examples=25)
@given(st.floats(25.0, 390.0), st.floats(0.0, 1.5), st.integers(0, 99))
def test_the_filter_finds_the_tempo_behind_the_jitter(tempo, jitter, seed):
    import random

    draw = random.Random(seed)
    ticks = TickFilter()
    time = 5.0
    for _ in range(1500):
        ticks.tick(time + draw.uniform(0, jitter / 1000.0))
        time += 60.0 / tempo / 24.0
    assert ticks.tempo == pytest.approx(tempo, rel=1e-3)


@given(st.floats(30.0, 390.0), st.integers(2, 60), st.integers(30, 200))
def test_ticks_that_are_held_up_and_come_together_leave_the_tempo(tempo, held, before):
    ticks, period, time = TickFilter(), 60.0 / tempo / 24.0, 5.0
    for number in range(before + held + 200):
        late = before <= number < before + held
        ticks.tick(time + (before + held) * period + 1e-5 * number if late else time + number * period)
    assert ticks.tempo == pytest.approx(tempo, rel=0.01)


@given(st.floats(20.0, 400.0), st.floats(20.0, 400.0))
def test_another_tempo_is_followed_however_far_it_is(first, second):
    ticks, time = TickFilter(), 5.0
    for tempo in (first, second):
        for _ in range(600):
            ticks.tick(time)
            time += 60.0 / tempo / 24.0
    assert ticks.tempo == pytest.approx(second, rel=1e-3)


def test_steps_fall_on_the_clocks_beats_and_nothing_drifts():
    engine, box = follower(), box_at(123.4, jitter=1.0)
    drive(engine, box, 60.0)
    begins = [event.time for event in note_ons(engine.graph.outputs.out)]
    ideal = [beat * 60.0 / 123.4 for beat in range(len(begins))]
    assert len(begins) == 124
    off = [abs(a - b) for a, b in zip(begins, ideal, strict=True)]
    assert max(off[8:]) < 0.003 and max(off) < 0.02
    assert abs(begins[-1] - begins[-101] - 100 * 60.0 / 123.4) < 0.002


@given(st.integers(1, 200), st.integers(30, 200), st.sampled_from(["stood", "passed"]), st.floats(0.0, 0.05))
@settings(max_examples=30)
def test_after_ticks_that_were_held_up_it_is_in_step_again(held, before, time, ahead):
    """The server of the system may stand still, and time with it, or only the messages wait."""
    engine, period = follower(), 0.02
    engine.clocks.ahead = ahead
    went, locate = [], engine.locate
    engine.locate = lambda time, beat: (went.append(beat), locate(time, beat))

    def tick(number, at):
        engine.run(at)
        engine.clocks.message("any", TICK, 0, at)

    for number in range(before):
        if number == 1:
            engine.clocks.message("any", START, 0, engine.now)
        tick(number, number * period)
    now = before * period if time == "stood" else (before + held) * period
    for number in range(held):
        tick(before + number, now + 1e-6 * number)
    for number in range(1, 200):
        tick(before + held - 1 + number, now + number * period)
    lost = time == "passed" and (held + 1) * period > 0.5
    beats = (before + held + 198 - 1) / 24.0
    assert abs(engine.clock.beat - ahead / period / 24.0 - beats) < (1.0 if lost else 0.06)
    assert len(went) <= (time == "stood" and held > 20), "it jumps once, where it stayed behind"
    engine.finish(engine.now)
    assert_whole(engine.graph.outputs.out)


def test_a_clock_that_drifts_is_followed():
    engine, box = follower(), box_at(100.0, drift=3.0)
    drive(engine, box, 50.0)
    ticks_sent = box.take(50.0)
    assert ticks_sent == []
    assert engine.clocks.follower.ticks.tempo == pytest.approx(box.tempo_at(50.0), rel=5e-3)


def test_start_stop_continue_and_song_position():
    engine = follower()
    times = iter(range(10_000))

    def tick(count=1):
        for _ in range(count):
            time = next(times) * 0.02
            engine.run(time)
            engine.clocks.message("any", TICK, 0, time)

    tick(10)
    assert not engine.clock.playing and engine.clocks.follower.state == "running"
    engine.clocks.message("any", START, 0, engine.now)
    tick(1)
    assert engine.clock.playing and engine.clock.beat_at(engine.now) == pytest.approx(0.0)
    tick(48)
    assert engine.clock.beat_at(engine.now) == pytest.approx(2.0, abs=0.01)
    engine.clocks.message("any", STOP, 0, engine.now)
    assert not engine.clock.playing
    tick(5)
    engine.clocks.message("any", CONTINUE, 0, engine.now)
    tick(25)
    assert engine.clock.beat_at(engine.now) == pytest.approx(3.0, abs=0.02)
    engine.clocks.message("any", STOP, 0, engine.now)
    engine.clocks.message("any", POSITION, 16383, engine.now)
    assert engine.clock.beat == 4095.75
    engine.clocks.message("any", CONTINUE, 0, engine.now)
    tick(25)
    assert engine.clock.beat_at(engine.now) == pytest.approx(4096.75, abs=0.02)
    assert_whole(engine.graph.outputs.out)


@given(st.floats(40.0, 240.0), st.floats(0.0, 0.05))
def test_what_leaves_later_is_made_earlier(tempo, ahead):
    """So its notes leave on the clock's ticks; the first of a start, of which nobody knows before, cannot."""
    engine, box = follower(), box_at(tempo)
    engine.clocks.ahead = ahead
    drive(engine, box, 10.0)
    begins = [event.time for event in note_ons(engine.graph.outputs.out)]
    assert begins[0] == pytest.approx(0.0, abs=1e-3)
    assert begins[4:] == pytest.approx([beat * 60.0 / tempo - ahead for beat in range(4, len(begins))], abs=1e-3)


def test_a_clock_that_stops_and_continues_repeats_and_skips_nothing():
    engine = follower()
    engine.clocks.ahead, number = 0.03, 0

    def tick(count):
        nonlocal number
        for _ in range(count):
            number += 1
            engine.run(number * 0.02)
            engine.clocks.message("any", TICK, 0, number * 0.02)

    tick(5)
    engine.clocks.message("any", START, 0, engine.now)
    for _ in range(20):
        tick(47)  # the next beat is already made, and heard
        engine.clocks.message("any", STOP, 0, engine.now)
        tick(30)
        engine.clocks.message("any", CONTINUE, 0, engine.now)
    tick(1)
    beat = engine.clock.beat_at(engine.now)
    assert beat == pytest.approx(20 * 46 / 24.0 + 0.03 / 0.48, abs=0.02)
    assert len(note_ons(engine.graph.outputs.out)) == int(beat) + 1
    assert_whole(engine.graph.outputs.out)


@pytest.mark.parametrize(("what", "playing"), [("go-on", True), ("stop", False)])
def test_a_lost_clock_is_told_and_the_transport_goes_on_or_stops(what, playing):
    engine, box = follower(lost=what), box_at(120.0)
    drive(engine, box, 3.0)
    engine.run(8.0)
    assert engine.clocks.follower.state == "lost" and engine.clock.playing is playing
    if playing:
        assert engine.clock.beat_at(8.0) == pytest.approx(16.0, abs=0.05)
    engine.run(8.01)
    drive(engine, box_at(120.0, running=False, at=8.02), 9.0)
    assert engine.clocks.follower.state == "running" and engine.clock.playing is playing


def test_a_clock_that_doubles_is_followed_and_told_one_too_fast_is_not():
    engine, box = follower(), box_at(100.0)
    drive(engine, box, 3.0)
    assert not engine.clocks.follower.odd
    box.configure(BoxSettings(tempo=200.0, on=True, running=True, jitter=0.0, drift=0.0), 3.0)
    drive(engine, box, 3.6)
    assert "do two devices send" in engine.clocks.follower.odd
    drive(engine, box, 8.0)
    assert engine.clocks.follower.ticks.tempo == pytest.approx(200.0, rel=0.01) and not engine.clocks.follower.odd
    box.configure(BoxSettings(tempo=3000.0, on=True, running=True, jitter=0.0, drift=0.0), 8.0)
    drive(engine, box, 9.0)
    assert "3000 beats a minute" in engine.clocks.follower.odd and engine.clock.tempo <= 400.0
    engine.finish(9.0)
    assert_whole(engine.graph.outputs.out)


def test_ticks_all_at_once_and_a_clock_of_nothing_but_starts_do_no_harm():
    engine = follower()
    for _ in range(200):
        engine.clocks.message("x", TICK, 0, 1.0)
        engine.clocks.message("x", START, 0, 1.0)
    engine.run(2.0)
    engine.clocks.message("x", STOP, 0, 2.0)
    engine.finish(3.0)
    assert_whole(engine.graph.outputs.out)


def test_only_the_input_that_is_named_is_followed_and_edits_keep_its_tempo():
    engine = follower(port="Tide clock")
    engine.clocks.message("another", START, 0, 0.0)
    engine.clocks.message("another", TICK, 0, 0.0)
    assert engine.clocks.follower.state == "waiting" and not engine.clock.playing
    for number in range(50):
        engine.run(number * 0.025)
        engine.clocks.message("Tide clock", TICK, 0, number * 0.025)
    engine.apply(edits.set_project(engine.graph.project, title="New"), {}, 1.3)
    assert engine.clock.tempo == pytest.approx(100.0)
    engine.apply(edits.set_project(engine.graph.project, clock=ClockSettings()), {}, 1.4)
    assert engine.clock.tempo == 90.0 and engine.clocks.follower.state == "own"


def test_changes_of_tempo_while_playing_lose_and_double_no_note():
    clip = Clip(tuple(notes(*range(40, 72), gap=0.5, length=0.3)), 16.0)
    engine = Engine(Sent())
    one = project(strand(sources=(ClipSource(file="c.mid", loop=False),)), tempo=100.0)
    engine.apply(one, {"c.mid": clip}, 0.0)
    engine.play(0.0, 0.0)
    for number in range(200):
        engine.run(number * 0.05)
        engine.apply(edits.set_project(one, tempo=40.0 + 3.0 * (number * 7 % 60)), {"c.mid": clip}, number * 0.05)
    engine.run(60.0)
    assert pitches(engine.graph.outputs.out) == list(range(40, 72))
    assert_whole(engine.graph.outputs.out)


def test_a_clock_is_sent_with_the_transport():
    engine = Engine(Sent())
    one = project(strand(destinations=(PortDestination(port="x"),)), tempo=60.0, clock=ClockSettings(send=("Box",)))
    engine.apply(one, {}, 0.0)
    engine.play(0.0, -4.0)
    engine.run(3.9)
    sent = engine.graph.outputs.ticks
    assert sent == [], "while bars are counted, nothing is sent"
    engine.run(5.0 - 1e-6)
    assert sent[0] == (4.0, bytes((START,))) and [message for _, message in sent[1:]] == [bytes((TICK,))] * 24
    assert [round(time, 6) for time, _ in sent[1:4]] == [4.0, round(4.0 + 1 / 24, 6), round(4.0 + 2 / 24, 6)]
    engine.stop(5.0)
    assert sent[-1] == (5.0, bytes((STOP,)))
    sent.clear()
    engine.play(6.0, 2.1)
    engine.run(6.2)
    assert sent[0][1] == bytes((POSITION, 9, 0)) and sent[1][1] == bytes((CONTINUE,))
    assert sent[1][0] == pytest.approx(6.15) and sent[2][1] == bytes((TICK,))
    engine.apply(edits.set_project(one, clock=ClockSettings()), {}, 6.3)
    assert sent[-1][1] == bytes((STOP,))


def test_what_one_arpegon_sends_another_follows():
    leader, led = Engine(Sent()), follower()
    leader.apply(project(tempo=132.0, clock=ClockSettings(send=("",))), {}, 0.0)
    leader.play(0.5, 0.0)
    leader.run(20.0)
    for time, message in leader.graph.outputs.ticks:
        led.run(time)
        led.clocks.message("", message[0], 0, time)
    led.run(20.0)
    assert led.clock.beat_at(20.0) == pytest.approx(leader.clock.beat_at(20.0), abs=0.01)


def test_the_settings_of_the_clock_are_saved():
    one = project(clock=ClockSettings(follow=True, port="Tide clock", lost="stop", send=("", "Synth")))
    assert parse_project(format_project(one)) == one
    assert b"clock" not in format_project(project())
