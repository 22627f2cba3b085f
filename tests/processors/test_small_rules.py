"""Small rules, a test each, that no other test noticed when they were broken."""

from __future__ import annotations

import msgspec
import pytest

from arpegon.core.document.model import Section
from arpegon.core.events import NOTE_ON, control, note_off, note_on
from arpegon.core.notes.merging import Merging
from arpegon.core.processing.pulse import Pulse
from arpegon.core.time.clock import Clock
from arpegon.core.time.ramp import Ramp
from arpegon.core.time.ticks import TickFilter
from arpegon.engine.graph.outlets import Outlets
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from building import Quiet, Recording, note_ons, out_of, project, stage, strand


def test_a_note_that_ends_and_begins_again_at_one_moment_is_merged_with_neither():
    events = [note_on(1.0, 0, 60, 90), note_off(1.0, 0, 60), note_on(1.0, 0, 60, 90), note_off(2.0, 0, 60)]
    assert Merging().process(events) == events


def test_ticks_that_were_missed_after_a_long_time_do_not_pull_the_clock():
    ticks, period = TickFilter(), 0.02
    for number in range(60):
        ticks.tick(number * period)
    late = 59 * period + 6 * period
    ticks.tick(late)
    assert ticks.next == pytest.approx(late + period, abs=1e-4) and ticks.tempo == pytest.approx(125.0, abs=0.1)


@pytest.mark.parametrize("beats", [1.0, 0.9, 2.55])
def test_the_last_line_of_a_ramp_is_its_end(beats):
    ramp = Ramp(4.0, beats, 60.0, 120.0)
    assert ramp.next_line(4.0 + beats - 0.01) == 4.0 + beats


def test_a_step_does_not_fall_twice_when_the_transport_is_asked_on_its_very_line():
    clock = Clock(120.0)
    clock.start(0.0, 0.0)
    pulse = Pulse(clock)
    pulse.go_on(1.0, True, 0.0)
    pulse.begin(0.0)
    pulse.take(pulse.due())
    clock.set_tempo(1e-7, 121.0)
    pulse.restart(1e-7)
    pulse._last = 1e-7
    assert clock.beat_at(pulse.due()) == pytest.approx(1.0, abs=1e-6)


def test_humanize_draws_up_to_the_whole_spread_on_both_sides():
    played = [one for n in range(400) for one in (note_on(n * 0.1, 0, 60, 64), note_off(n * 0.1 + 0.05, 0, 60))]
    drawn = {event.data2 for event in note_ons(out_of(stage("humanize", mode="around", spread=3), played=played))}
    assert drawn == {61, 62, 63, 64, 65, 66, 67}


def test_a_pedal_on_the_grid_waits_by_its_own_press_each_time():
    grid = stage("grid", rate="1/1", catch=0, controllers=True)
    played = [control(0.5, 0, 64, 127), control(1.0, 0, 64, 0), control(3.5, 0, 64, 127), control(3.7, 0, 64, 0)]
    found = run(project(strand(grid)), played, seconds=9.0).strands["a"]
    assert [(round(one.time, 3), one.data2) for one in found] == [(2.0, 127), (2.5, 0), (4.0, 127), (4.2, 0)]


def test_a_key_that_is_struck_again_while_its_note_waits_takes_the_line_after():
    grid = stage("grid", rate="1/4", catch=0)
    played = [note_on(0.1, 0, 60, 90), note_off(0.45, 0, 60), note_on(0.46, 0, 60, 90), note_off(0.6, 0, 60)]
    assert [event.time for event in note_ons(out_of(grid, played=played))] == pytest.approx([0.5, 1.0])


def test_the_end_of_a_stroke_does_not_end_the_next_one():
    """A knob that shortens the notes while one sounds: the end that was put off belongs to that stroke alone."""
    engine = Engine(Recording())
    engine.apply(project(strand(stage("repeat", "r", rate="1/1", gate=30))), {}, 0.0)
    engine.feed("surface", note_on(0.0, 0, 60, 90))
    engine.run(0.1)
    engine.set_params("r", {"rate": "1/4", "gate": 99})
    engine.run(0.9)
    struck = [(round(one.time, 3), one.kind == NOTE_ON) for one in engine.graph.outputs.out]
    # The end of the first stroke, put off to 0.6, comes to nothing: the second one began at 0.5.
    assert [time for time, on in struck if on] == [0.0, 0.5]
    assert not any(time > 0.5 for time, on in struck if not on)


def test_what_two_strands_send_to_one_outlet_leaves_in_order_of_time():
    sent = []

    class Heard(Quiet):
        def port(self, port, events):
            sent.extend(events)

    outlets = Outlets(Heard())
    one, two = outlets.connection("port:P"), outlets.connection("port:P")
    outlets.deliver({"port:P": [(one, [control(1.0, 0, 7, 1), control(3.0, 0, 7, 3)]), (two, [control(2.0, 0, 7, 2)])]})
    outlets.flush()
    assert [event.data2 for event in sent] == [1, 2, 3]


def test_a_wave_begins_with_the_first_key_and_not_with_those_that_join_it():
    wave = stage("lfo", wave="ramp-up", rate="1 bar", starts="note", target="cc", to_number=20)
    keys = [note_on(0.0, 0, 60, 90), note_on(0.5, 0, 64, 90), note_off(0.7, 0, 60), note_on(0.8, 0, 67, 90)]
    keys += [note_off(1.0, 0, 64), note_off(1.0, 0, 67), note_on(1.2, 0, 60, 90), note_off(1.4, 0, 60)]
    values = [
        (one.time, one.data2) for one in run(project(strand(wave)), keys, seconds=1.5).strands["a"] if one.data1 == 20
    ]
    before = [value for time, value in values if time < 1.19]
    assert before == sorted(before) and before[-1] > 60, "it went on under the keys that joined"
    assert next(value for time, value in values if time >= 1.2) < 5, "and began anew with the next first one"


@pytest.mark.parametrize(("bars", "left"), [(1, 12.0), (2, 12.0), (3, 12.0), (4, 16.0)])
def test_a_section_that_is_cut_short_while_it_plays_is_repeated_from_the_next_bar_line(bars, left):
    section = Section(id="x", name="X", bars=4, then="again")
    engine = Engine(Recording())
    one = project(strand(), sections=(section,))
    engine.apply(one, {}, 0.0)
    engine.play(0.0, 0.0)
    engine.run(5.0)  # beat 10, in the third bar
    engine.apply(msgspec.structs.replace(one, sections=(msgspec.structs.replace(section, bars=bars),)), {}, 5.0)
    engine.run(left / 2 - 0.01)
    assert engine.clock.beat_at(engine.now) == pytest.approx(left - 0.02)
    engine.run(left / 2 + 0.01)
    assert engine.clock.beat_at(engine.now) == pytest.approx(0.02)
