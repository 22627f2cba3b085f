"""MIDI time code: counted rightly at every rate, sent evenly, and followed to the place that it says."""

from __future__ import annotations

import random
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import ClockSettings, Held, Section
from arpegon.core.time.timecode import (
    QUARTER_FRAME,
    RATES,
    CodeReader,
    TimeCode,
    code_from,
    code_of,
    full_frame,
    is_time_code,
    quarter_frame,
)
from arpegon.engine.offline import course_ahead
from arpegon.engine.simulation import Engine
from building import Recording, generator, note_ons, project, strand

ANY_RATE = st.sampled_from(sorted(RATES))


class Sent(Recording):
    """Keeps what goes to ports apart."""

    def __init__(self):
        super().__init__()
        self.sent = []

    def port(self, port, events):
        self.sent += [(event.time, event.to_bytes()) for event in events]


@given(st.integers(0, 24 * 3600 * 29), ANY_RATE)
def test_codes_count_every_frame_once(count, name):
    rate = RATES[name]
    code, after = code_of(count, rate), code_of(count + 1, rate)
    assert code.count(rate) == count and code < after
    assert code_from(str(code), rate) == code


def test_dropped_numbers_keep_step_with_the_clock_on_the_wall():
    rate = RATES["29.97"]
    assert str(code_of(1800, rate)) == "00:01:00:02" and str(code_of(17982, rate)) == "00:10:00:00"
    assert TimeCode(1).second(rate) == pytest.approx(3600.0, abs=0.004)
    assert code_from("00:01:00:00", rate) is None and code_from("00:10:00:00", rate) is not None
    for text in ("", "1:2", "24:00:00:00", "00:60:00:00", "00:00:00:30", "a:b:c:d", "00:00:60:00"):
        assert code_from(text, rate) is None
    assert code_from("1:02:03", rate) == TimeCode(1, 2, 3, 0)


@given(st.integers(0, 24 * 3600 * 23), ANY_RATE, st.integers(0, 7))
def test_what_is_sent_is_read_from_wherever_it_is_heard_on(first, name, missed):
    rate, first = RATES[name], first // 2 * 2
    reader, seconds = CodeReader(), []
    for quarter in range(missed, 24):
        whole, piece = divmod(quarter, 8)
        message = quarter_frame(code_of(first + 2 * whole, rate), piece, rate)
        assert is_time_code(message) and message[0] == QUARTER_FRAME
        second = reader.quarter(message[1])
        if second is not None:
            seconds.append((quarter, second))
    assert len(seconds) >= 9
    zero = code_of(first, rate).second(rate)
    for quarter, second in seconds:
        assert second == pytest.approx(zero + quarter * 0.25 / rate.real, abs=1e-6)
    whole = full_frame(code_of(first, rate), rate)
    assert is_time_code(whole) and reader.full(whole) == pytest.approx(zero, abs=1e-6)


@given(st.binary(max_size=12), st.lists(st.integers(0, 127), max_size=40))
def test_junk_is_no_time_code_and_leads_nowhere_wild(message, quarters):
    is_time_code(message)
    reader = CodeReader()
    for data in quarters:
        second = reader.quarter(data)
        assert second is None or 0 <= second < 24 * 3600 + 1
    assert reader.full(bytes((0xF0, 0x7F, 0x7F, 1, 1, 0x1F, 99, 99, 99, 0xF7))) is None


def sending(tempo=120.0, beat=0.0, seconds=4.0, sections=(), **clock):
    engine = Engine(Sent())
    one = project(tempo=tempo, sections=sections, clock=ClockSettings(code_to=("",), **clock))
    engine.apply(one, {}, 0.0)
    engine.clocks.plan = course_ahead(one, 600.0)
    engine.play(1.0, beat)
    engine.run(1.0 + seconds)
    return engine, [entry for entry in engine.graph.outputs.sent if entry[0] >= 1.0]


@settings(max_examples=40)
@given(ANY_RATE, st.floats(40.0, 300.0), st.floats(0.0, 90.0), st.sampled_from(("00:00:00:00", "01:00:00:00")))
def test_quarter_frames_are_even_and_say_where_the_piece_is(name, tempo, beat, start):
    rate = RATES[name]
    _, sent = sending(tempo, beat, code_rate=name, code_start=start)
    assert is_time_code(sent[0][1]) and sent[0][1][0] == 0xF0, "first it says from where"
    quarters = [(time, message) for time, message in sent if message[0] == QUARTER_FRAME]
    gaps = [after[0] - before[0] for before, after in pairwise(quarters)]
    assert max(gaps) - min(gaps) < 1e-6 and gaps[-1] == pytest.approx(0.25 / rate.real)
    assert quarters[0][1][1] >> 4 == 0
    reader = CodeReader()
    for time, message in quarters:
        second = reader.quarter(message[1])
        if second is not None:
            wanted = code_from(start, rate).second(rate) + beat * 60.0 / tempo + time - 1.0
            assert second == pytest.approx(wanted, abs=2e-5)


def test_while_bars_are_counted_the_code_runs_towards_the_start():
    _, sent = sending(60.0, -4.0, code_start="00:00:10:00", seconds=1.0)
    reader = CodeReader()
    read = [reader.quarter(message[1]) for _, message in sent if message[0] == QUARTER_FRAME]
    assert read[-1] == pytest.approx(7.0, abs=0.02)
    engine, sent = sending(60.0, -4.0, seconds=3.9)
    assert [message for _, message in sent if message[0] == QUARTER_FRAME] == [], "before 0 there is no code"
    engine.run(5.2)
    assert any(message[0] == QUARTER_FRAME for _, message in engine.graph.outputs.sent)


def test_a_transport_that_stands_says_where_in_one_message():
    engine, _ = sending()
    engine.stop(5.0)
    engine.run(8.0)
    assert engine.graph.outputs.sent[-1][1] == full_frame(TimeCode(0, 0, 4, 0), RATES["25"])
    engine.locate(9.0, 20.0)
    assert engine.graph.outputs.sent[-1][1] == full_frame(TimeCode(0, 0, 10, 0), RATES["25"])


SLOWER = Section(id="b", name="B", bars=4, tempo_within=1, holds=(Held(param="tempo", value=90.0),))
STEPS = strand(sources=(generator("steps", rate="1/4", patterns=[[{"note": 60}]]),))


def led(one, messages, until, jitter=0.0, seed=1, ahead=0.0):
    """An engine that hears time code, each message a little late."""
    engine, draw = Engine(Sent()), random.Random(seed)
    engine.apply(edits.set_project(one, clock=ClockSettings(follow=True, by="code")), {}, 0.0)
    engine.clocks.plan = course_ahead(one, 600.0)
    engine.clocks.ahead = ahead
    for time, message in messages:
        time = max(engine.now, time + draw.uniform(0.0, jitter))
        engine.run(time)
        engine.clocks.code_message("x", message, time)
    engine.run(until)
    return engine


@settings(max_examples=30, deadline=None)
@given(ANY_RATE, st.floats(60.0, 200.0), st.floats(0.0, 60.0), st.floats(0.0, 0.004), st.integers(0, 99))
def test_what_one_sends_another_follows_to_its_place(name, tempo, beat, jitter, seed):
    leader, sent = sending(tempo, beat, 20.0, code_rate=name)
    engine = led(project(STEPS, tempo=tempo), sent, 21.0, jitter, seed)
    assert engine.clock.playing and engine.clock.tempo == tempo and engine.clocks.state == "code-running"
    apart = (engine.clock.beat_at(21.0) - leader.clock.beat_at(21.0)) * 60.0 / tempo
    assert -0.6 * jitter - 1e-3 < apart + 0.5 * jitter < 0.6 * jitter + 1e-3
    engine.run(22.0)
    assert not engine.clock.playing and engine.clocks.state == "code-stands"


def test_through_sections_with_tempi_of_their_own_the_place_is_that_of_the_piece():
    sections = (Section(id="a", name="A", bars=4), SLOWER)
    leader, sent = sending(120.0, 0.0, 15.0, sections=sections)
    one = project(STEPS, tempo=120.0, sections=sections)
    engine = led(one, sent, 16.0)
    assert engine.clock.beat_at(16.0) == pytest.approx(leader.clock.beat_at(16.0), abs=2e-3)
    assert engine.clock.tempo == 90.0
    # In the middle, after nothing was heard of the beginning.
    engine = led(one, [entry for entry in sent if entry[0] > 12.0], 16.0)
    assert engine.clock.beat_at(16.0) == pytest.approx(leader.clock.beat_at(16.0), abs=2e-3)
    assert engine.clock.tempo == 90.0


def test_it_goes_to_places_stops_and_begins_as_the_code_does():
    rate = RATES["25"]
    one = project(STEPS, tempo=120.0)
    engine = led(one, [(0.5, full_frame(TimeCode(0, 0, 10, 0), rate))], 1.0)
    assert not engine.clock.playing and engine.clock.beat == pytest.approx(20.0)
    code = [
        (2.0 + number * 0.01, quarter_frame(code_of(50 + 2 * (number // 8), rate), number % 8, rate))
        for number in range(200)
    ]
    for time, message in code:
        engine.run(time)
        engine.clocks.code_message("x", message, time)
    assert engine.clock.playing and engine.clock.beat_at(3.99) == pytest.approx(2 * (2.0 + 1.99), abs=0.01)
    engine.run(6.0)
    assert not engine.clock.playing
    # Backwards, as a tape is wound: nothing runs.
    for number in range(100):
        engine.run(6.0 + number * 0.01)
        engine.clocks.code_message("x", code[199 - number][1], 6.0 + number * 0.01)
    assert not engine.clock.playing
    # Somewhere else while it runs.
    for number in range(200):
        frame = 500 if number > 100 else 100
        message = quarter_frame(code_of(frame + 2 * (number // 8), rate), number % 8, rate)
        engine.run(8.0 + number * 0.01)
        engine.clocks.code_message("x", message, 8.0 + number * 0.01)
    assert engine.clock.beat_at(9.99) == pytest.approx(2 * (500 / 25 + 1.99), abs=0.02)
    assert note_ons(engine.graph.outputs.out)


@pytest.mark.parametrize("held", [3, 40, 250])
def test_after_code_that_was_held_up_it_goes_to_its_place_once(held):
    """The server of the system stood still, and time with it."""
    rate, engine = RATES["25"], led(project(STEPS, tempo=120.0), [], 0.0)
    went, locate = [], engine.locate
    engine.locate = lambda time, beat: (went.append(beat), locate(time, beat))
    for number in range(600 + held):
        time = number * 0.01 if number < 300 else 3.0 + 1e-6 * number if number < 300 + held else (number - held) * 0.01
        engine.run(time)
        engine.clocks.code_message("x", quarter_frame(code_of(2 * (number // 8), rate), number % 8, rate), time)
    assert engine.clock.beat_at(engine.now) == pytest.approx(2 * (599 + held) * 0.01, abs=0.02 if went else 0.1)
    assert len(went) == (held > 10)


def test_before_the_piece_begins_it_waits_and_begins_on_its_first_beat():
    rate = RATES["25"]
    engine = Engine(Sent())
    clock = ClockSettings(follow=True, by="code", code_start="01:00:00:00")
    engine.apply(edits.set_project(project(STEPS, tempo=120.0), clock=clock), {}, 0.0)
    first = code_from("00:59:58:00", rate).count(rate)
    for number in range(400):
        engine.run(number * 0.01)
        message = quarter_frame(code_of(first + 2 * (number // 8), rate), number % 8, rate)
        engine.clocks.code_message("x", message, number * 0.01)
        assert engine.clock.playing == (number >= 200)
    begun = note_ons(engine.graph.outputs.out)[0]
    assert begun.time == pytest.approx(2.0, abs=1e-3)


def test_what_leaves_later_is_made_earlier():
    _, sent = sending(120.0, 0.0, 5.0)
    here, ahead = (led(project(STEPS, tempo=120.0), sent, 6.0, ahead=by).clock.beat_at(6.0) for by in (0.0, 0.02))
    assert ahead - here == pytest.approx(0.04, abs=1e-4)


def test_another_input_and_a_clock_are_not_taken_for_it():
    engine = Engine(Sent())
    engine.apply(project(STEPS, clock=ClockSettings(follow=True, by="code", port="Deck")), {}, 0.0)
    assert engine.clocks.takes("Deck") and not engine.clocks.takes("Other")
    engine.clocks.message("Deck", 0xFA, 0, 0.1)
    engine.clocks.message("Deck", 0xF8, 0, 0.1)
    engine.run(1.0)
    assert not engine.clock.playing and engine.clocks.state == "code-waiting"
