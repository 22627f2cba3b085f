"""The live engine: a real process, a real JACK server, real ports."""

from __future__ import annotations

import contextlib
import os
import signal
from collections import Counter
from itertools import pairwise
from pathlib import Path

import msgspec
import pytest
from tools.jack_devices import Pulse

from arpegon.core.document import edits
from arpegon.core.document.model import (
    ClockSettings,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    Stage,
    SurfaceSource,
)
from arpegon.core.events import Event, control, note_off, note_on
from arpegon.core.time import studio
from arpegon.engine.clocks.clock_box import BoxSettings
from arpegon.engine.wire import protocol
from building import assert_whole, generator, pitches, project, stage, strand
from jacking import MidiPair, wait_for, without_repeats

HERE = Path(".")


def hanging(messages):
    count = Counter()
    for message in without_repeats(messages):
        if message[0] & 0xF0 == 0x90:
            count[message[0] & 15, message[1]] += 1
        elif message[0] & 0xF0 == 0x80:
            count[message[0] & 15, message[1]] -= 1
    return [note for note, number in count.items() if number]


def at_work(client):
    """Wait until the engine works on the document that it was sent last, and has done what it was told before."""
    wait_for(lambda: client.reports.telemetry[-1].revision >= client.revision)


def surface(client, *events):
    now = studio.now()
    client.send(protocol.Feed("surface", [event.at(now) for event in events]))


def test_a_keyboard_is_heard_through_three_stages_at_our_own_output(live, pair):
    chain = (stage("humanize", low=90, high=95), stage("scale", root="C"), stage("chord", offsets=[4]))
    document = project(
        strand(*chain, sources=(MidiSource(),), destinations=(PortDestination(channel=4),)),
    )
    live.set_project(document, HERE)
    pair.connect_to_own_output()
    wait_for(lambda: any(pair.name in port for port in live.reports.open_ports()))
    at_work(live)
    pair.keys.send([0x90, 61, 40])
    wait_for(lambda: len(pair.heard) == 2)
    pair.keys.send([0x80, 61, 0])
    wait_for(lambda: len(pair.heard) == 4)
    assert [(message[0], message[1]) for message in pair.heard] == [(0x94, 60), (0x94, 64), (0x84, 60), (0x84, 64)]
    assert all(90 <= message[2] <= 95 for message in pair.heard[:2])
    assert pitches(wait_for(lambda: live.reports.printed("a", "out"))) == [60, 64]
    assert pitches(live.reports.printed("a", "in")) == [61]


def test_an_existing_output_is_found_and_found_again(live, pair):
    port = wait_for(lambda: [n for ports in live.reports.ports for n in ports.outputs if f"{pair.name} synth" in n])[0]
    live.set_project(project(strand(destinations=(PortDestination(port=port),))), HERE)

    def played():
        surface(live, note_on(0, 0, 60, 99), note_off(0, 0, 60))
        return pair.heard

    wait_for(played)
    pair.unplug_synth()
    wait_for(lambda: live.reports.missing and port in live.reports.missing[-1].why)
    pair.heard.clear()
    pair.plug_synth()
    wait_for(played)
    wait_for(lambda: live.reports.missing[-1] == protocol.Missing("port", {}))


def test_with_a_document_that_is_refused_the_ports_of_the_one_at_work_stay_open(live, pair, tmp_path):
    port = wait_for(lambda: [n for ports in live.reports.ports for n in ports.outputs if f"{pair.name} synth" in n])[0]
    live.set_project(project(strand(destinations=(PortDestination(port=port),))), HERE)
    wait_for(lambda: port in live.reports.open_ports())
    live.set_project(project(strand(Stage(id="x", kind="fog"), destinations=(PortDestination(),))), tmp_path)
    wait_for(lambda: any("fog" in notice.text for notice in live.reports.notices))
    with contextlib.closing(MidiPair(f"{pair.name} too")) as another:  # all ports are looked at after that
        wait_for(lambda: any(another.name in name for name in live.reports.open_ports()))
        assert all(port in ports.opened for ports in live.reports.ports[-2:]), "none was closed"


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_after_a_document_that_is_refused_a_new_engine_works_on_the_one_before(live, jack_server):
    good = live.set_project(project(strand(destinations=(PortDestination(),))), HERE)
    wait_for(lambda: live.reports.telemetry[-1].revision == good)
    live.set_project(project(strand(Stage(id="x", kind="fog"), destinations=(PortDestination(),))), HERE)
    wait_for(lambda: any("fog" in notice.text for notice in live.reports.notices))
    before = live.pid
    os.kill(before, signal.SIGKILL)
    wait_for(lambda: live.pid not in (None, before))
    live.reports.telemetry.clear()
    wait_for(lambda: live.reports.telemetry and live.reports.telemetry[-1].revision == good)
    wait_for(lambda: sum("fog" in notice.text for notice in live.reports.notices) >= 2)  # it is said again


def test_a_keyboard_that_is_unplugged_lets_go_and_is_heard_when_it_is_back(live, pair):
    live.set_project(project(strand(sources=(MidiSource(),))), HERE)
    wait_for(lambda: any(pair.name in port for port in live.reports.open_ports()))
    at_work(live)
    pair.keys.send([0x90, 60, 80])
    wait_for(lambda: live.reports.telemetry[-1].health.sounding == 1)
    pair.unplug_keys()
    wait_for(lambda: live.reports.telemetry[-1].health.sounding == 0)
    pair.plug_keys()

    def heard():
        pair.keys.send([0x90, 62, 80])
        return 62 in pitches(live.reports.printed("a", "in"))

    wait_for(heard)


def test_what_else_a_keyboard_held_as_it_was_unplugged_comes_back_at_the_synthesizer(live, pair):
    live.set_project(project(strand(sources=(MidiSource(),), destinations=(PortDestination(),))), HERE)
    pair.connect_to_own_output()
    wait_for(lambda: any(pair.name in port for port in live.reports.open_ports()))
    at_work(live)
    held = [(0xE0, 0, 96), (0xD0, 90), (0xB0, 66, 127), (0xB0, 1, 90)]
    for message in held:
        pair.keys.send(list(message))
    wait_for(lambda: set(map(tuple, pair.heard)) >= set(held))
    pair.unplug_keys()
    wait_for(lambda: set(map(tuple, pair.heard)) >= {(0xE0, 0, 64), (0xD0, 0), (0xB0, 66, 0)})
    assert (0xB0, 1, 0) not in map(tuple, pair.heard), "a wheel stays where it is"


def test_edits_while_notes_are_held_leave_nothing_hanging(live, pair):
    chain = (stage("scale", "s", root="C"), stage("chord", "c", offsets=[4, 7]))
    now = project(strand(*chain, destinations=(PortDestination(), InstrumentDestination(instrument="bells"))))
    live.set_project(now, HERE)
    pair.connect_to_own_output()
    at_work(live)
    steps = [
        lambda document: edits.set_bypass(document, "c", True),
        lambda document: edits.move_stage(document, "c", "a", 0),
        lambda document: edits.set_params(document, "s", {"root": "F#"}),
        lambda document: edits.add_stage(document, "a", "chord", 1)[0],
        lambda document: edits.set_bypass(document, "c", False),
        lambda document: edits.remove_stage(document, "s"),
        lambda document: edits.set_destination(document, "a", 0, PortDestination(channel=7)),
    ]
    for place, step in enumerate(steps):
        surface(live, note_on(0, 0, 60 + place, 100))
        now = step(now)
        live.set_project(now, HERE)
        at_work(live)
    surface(live, *(note_off(0, 0, key) for key in range(60, 70)))
    wait_for(lambda: live.reports.telemetry[-1].health.sounding == 0 and len(pair.heard) > 20)
    wait_for(lambda: not hanging(pair.heard))


def open_clients(live):
    """Whose ports are open."""
    return {port.split(":")[0] for port in live.reports.open_ports()}


def ticks_counted(messages):
    """Where whoever follows a clock is after these messages of it: it starts, or goes on from another place."""
    ticks = place = 0
    for status, *data in messages:
        if status == 0xF2:
            place = 6 * (data[0] + 128 * data[1])
        elif status in (0xFA, 0xFB):
            ticks = place if status == 0xFB else 0
        elif status == 0xF8:
            ticks += 1
    return ticks


def test_a_clock_from_another_program_is_followed_and_ours_is_heard(live, pair):
    steps = generator("steps", patterns=[[{"note": 60}]], rate="1/4", in_scale=False)
    clock = ClockSettings(follow=True, send=("",))
    live.set_project(project(strand(sources=(steps,)), clock=clock), HERE)
    pair.connect_to_own_output()
    told = live.reports.telemetry
    wait_for(lambda: told[-1].clock == "waiting")
    # 120 beats a minute by the frames of the server: it stands still where that does.
    with contextlib.closing(Pulse(f"{pair.name} clock", [0xF8], pair.synth.rate / 48.0)) as ticks:
        both = {pair.keys.client.name, ticks.client.name}
        wait_for(lambda: told[-1].clock == "running" and both <= open_clients(live))
        pair.keys.send([0xFA])
        started = ticks.sent

        def beats():
            return (ticks.sent - started) / 24.0

        def in_step():
            at_tempo = told[-1].playing and abs(told[-1].tempo - 120.0) < 6.0
            return at_tempo and beats() > 5.0 and abs(told[-1].beat - beats()) < 0.5

        wait_for(in_step, 30.0)
        assert abs(len(pitches(live.reports.printed("a", "in"))) - beats()) < 2.0
        pair.keys.send([0xFC])
        wait_for(lambda: not told[-1].playing and pair.heard[-1:] == [[0xFC]])
    assert pair.heard[0] == [0xFA] and abs(ticks_counted(pair.heard) / 24.0 - told[-1].beat) < 0.2


def test_all_off_silences_and_says_so_on_every_channel(live, pair):
    live.set_project(project(strand(destinations=(PortDestination(),))), HERE)
    pair.connect_to_own_output()
    at_work(live)
    surface(live, *(note_on(0, channel, 50 + channel, 100) for channel in range(16)))
    wait_for(lambda: live.reports.telemetry[-1].health.sounding == 16)
    live.send(protocol.AllOff())
    wait_for(lambda: live.reports.telemetry[-1].health.sounding == 0)
    wait_for(
        lambda: len({message[0] for message in pair.heard if message[0] & 0xF0 == 0xB0 and message[1] == 123}) == 16
    )
    wait_for(lambda: not hanging(pair.heard))


def test_what_is_played_just_after_all_off_sounds(live, pair):
    live.set_project(project(strand(destinations=(PortDestination(),))), HERE)
    pair.connect_to_own_output()
    at_work(live)
    for note in range(40, 80):
        live.send(protocol.AllOff())
        surface(live, note_on(0, 0, note, 100))
    live.send(protocol.AllOff())
    wait_for(lambda: pitches(live.reports.printed("a", "in")) == list(range(40, 80)))
    wait_for(lambda: [message[1] for message in pair.heard if message[0] == 0x90] == list(range(40, 80)))
    wait_for(lambda: not hanging(pair.heard))


def test_the_audio_device_is_found_and_meters_move(live, jack_server):
    live.set_project(project(strand()), HERE)
    wait_for(lambda: live.reports.telemetry[-1].health.audio)
    surface(live, note_on(0, 0, 60, 120))
    wait_for(lambda: any(report.meters.get("bells", 0.0) > 0.05 for report in live.reports.telemetry[-30:]))
    surface(live, note_off(0, 0, 60))


def test_the_audio_device_rests_while_nothing_in_the_project_sounds(live, jack_server):
    sounds = project(strand())
    live.set_project(msgspec.structs.replace(sounds, instruments=()), HERE)
    wait_for(lambda: live.reports.telemetry[-1].health.audio_rests)
    at_work(live)
    health = live.reports.telemetry[-1].health
    assert health.audio_rests and not health.audio
    assert not any(notice.topic == "audio" and notice.text for notice in live.reports.notices), "nothing is wrong"
    live.set_project(sounds, HERE)
    wait_for(lambda: live.reports.telemetry[-1].health.audio)
    assert not live.reports.telemetry[-1].health.audio_rests
    surface(live, note_on(0, 0, 60, 120))
    wait_for(lambda: any(report.meters.get("bells", 0.0) > 0.05 for report in live.reports.telemetry[-30:]))
    live.set_project(msgspec.structs.replace(sounds, instruments=()), HERE)
    wait_for(lambda: live.reports.telemetry[-1].health.audio_rests)


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_after_a_crash_the_engine_comes_back_with_the_same_document(live, jack_server):
    live.set_project(project(strand(stage("chord", offsets=[5]))), HERE)
    surface(live, note_on(0, 0, 60, 100))
    wait_for(lambda: live.reports.printed("a", "out"))
    first = live.pid
    os.kill(first, signal.SIGKILL)
    wait_for(lambda: any(notice.topic == "restart" for notice in live.reports.notices))
    wait_for(lambda: live.pid != first)
    live.reports.telemetry.clear()

    def sounds():
        surface(live, note_on(0, 0, 62, 100), note_off(0, 0, 62))
        return {62, 67} <= set(pitches(live.reports.printed("a", "out")))

    wait_for(sounds)


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_after_a_crash_the_clock_box_runs_on_and_all_that_comes_in_is_told(live, jack_server):
    """What holds until it is told otherwise holds in a new engine, too."""
    live.set_project(project(strand(), clock=ClockSettings(follow=True)), HERE)
    live.send(protocol.SetClockBox(BoxSettings(tempo=150.0, on=True, running=True, jitter=0.0, drift=0.0)))
    live.send(protocol.Learn(True))

    def led():
        told = live.reports.telemetry[-1:]
        return told and told[0].playing and abs(told[0].tempo - 150.0) < 1.0

    wait_for(led)
    first = live.pid
    os.kill(first, signal.SIGKILL)
    wait_for(lambda: live.pid not in (None, first))
    live.reports.telemetry.clear()
    wait_for(led)

    def learned():
        surface(live, control(0, 0, 1, 64))
        return any(event.data1 == 1 for report in live.reports.telemetry for _, event in report.heard)

    wait_for(learned)


def strike_until_heard(live, pair):
    """Hold keys, one after the other, until one is heard: a server that does not wait may lose the period of the first,
    and the beginning of a note is not said again."""
    for note in range(60, 72):
        surface(live, note_on(0, 0, note, 100))
        with contextlib.suppress(AssertionError):
            return wait_for(lambda: pair.heard, 2.0)
    raise AssertionError("no key was heard")


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_when_the_window_is_gone_the_engine_ends_its_notes_and_leaves(live, pair):
    live.set_project(project(strand(destinations=(PortDestination(),))), HERE)
    pair.connect_to_own_output()
    at_work(live)
    strike_until_heard(live, pair)
    live.supervisor._closing = True
    live.supervisor.wire.close()
    assert live.supervisor.process.wait(10) == 0
    wait_for(lambda: not hanging(pair.heard))


def test_a_take_plays_without_meeting_the_stages_again(live, pair):
    document = project(strand(stage("chord", offsets=[4]), destinations=(PortDestination(),)))
    live.set_project(document, HERE)
    pair.connect_to_own_output()
    at_work(live)
    live.send(protocol.PlayTake({"a": [note_on(0.0, 0, 70, 90), note_off(0.1, 0, 70)]}, 0.0))
    wait_for(lambda: len(pair.heard) >= 2)
    live.send(protocol.Direct("a", [note_on(0.0, 0, 99, 90)]))
    wait_for(lambda: [0x90, 99, 90] in pair.heard)
    assert without_repeats(pair.heard) == [[0x90, 70, 90], [0x80, 70, 64], [0x90, 99, 90]], "nothing came between"


def test_a_take_that_is_over_at_once_was_told_of(live):
    live.set_project(project(strand()), HERE)
    at_work(live)
    for _ in range(4):
        live.reports.telemetry.clear()
        live.send(protocol.PlayTake({"a": [note_on(0.0, 0, 70, 90), note_off(0.001, 0, 70)]}, 0.0))
        wait_for(lambda: any(one.take_began is not None for one in live.reports.telemetry), 5.0)
        wait_for(lambda: live.reports.telemetry[-1].take_began is None)


def test_a_flood_of_controllers_is_thinned_and_shown_and_the_last_value_stays(live, pair):
    live.set_project(project(strand(destinations=(PortDestination(),))), HERE)
    pair.connect_to_own_output()
    at_work(live)
    now = studio.now()
    flood = [Event(now, 0xB0, 1, value % 128) for value in range(5000)]
    live.send(
        protocol.Feed("surface", [note_on(now, 0, 60, 90), *flood, note_off(now, 0, 60), Event(now, 0xB0, 1, 77)])
    )
    wait_for(lambda: [0xB0, 1, 77] in pair.heard)
    assert wait_for(lambda: live.reports.telemetry[-1].health.thinned) > 4000
    heard = without_repeats(pair.heard)
    assert [message for message in heard if message[0] != 0xB0] == [[0x90, 60, 90], [0x80, 60, 64]]
    assert heard[-1] == [0xB0, 1, 77]


def test_system_exclusive_goes_through_whole(live, pair):
    live.set_project(project(strand(sources=(MidiSource(),), destinations=(PortDestination(),))), HERE)
    pair.connect_to_own_output()
    wait_for(lambda: any(pair.name in port for port in live.reports.open_ports()))
    at_work(live)
    message = [0xF0, 0x7D, *range(100), 0xF7]

    def heard():
        pair.keys.send(message)
        return pair.heard

    wait_for(heard)
    assert pair.heard[0] == message


def test_printed_rolls_are_whole(live, jack_server):
    live.set_project(project(strand(stage("scale", root="C"), stage("chord", offsets=[3, 7]))), HERE)
    for key in (60, 61, 62, 61):
        surface(live, note_on(0, 0, key, 90))
        surface(live, note_off(0, 0, key))
    wait_for(lambda: len(live.reports.printed("a", "out")) >= 24)
    for place in ("in", "scale", "chord", "out"):
        assert_whole(live.reports.printed("a", place))


def test_what_is_struck_is_told_even_where_no_strand_takes_it(live):
    live.set_project(project(strand(sources=(SurfaceSource(low_key=100),))), HERE)
    surface(live, note_on(0, 0, 60, 99), note_off(0, 0, 60))
    wait_for(lambda: any(event.data1 == 60 for told in live.reports.telemetry for _, event in told.heard))
    assert not live.reports.printed("a", "in")


def test_where_nobody_looks_all_is_printed_and_little_is_told(live):
    live.set_project(project(strand(sources=(generator("steps", rate="1/16"),)), tempo=120.0), HERE)
    live.send(protocol.Look(False))
    live.send(protocol.Play(0.0))
    told = live.reports.telemetry
    wait_for(lambda: told[-1].playing)
    first = len(told)
    wait_for(lambda: len(told) > first + 6)
    apart = told[first + 6].now + told[first + 6].behind - told[first].now - told[first].behind
    assert apart > 6 * 0.15, "by the computer's clock: studio time stands while the server does"

    def times():
        return [event.time for event in live.reports.printed("a", "out") if event.kind == 0x90]

    wait_for(lambda: len(times()) > 6)
    assert max(after - before for before, after in pairwise(times())) < 0.26  # the pattern rests, too
    live.send(protocol.Look(True))
    wait_for(lambda: told[-1].now - told[-2].now < 0.1)


def test_controllers_that_reach_an_instrument_are_told(live):
    live.set_project(project(strand()), HERE)
    surface(live, control(0, 0, 74, 11), control(0, 0, 74, 55))
    wait_for(lambda: any(told.controls.get("bells", {}).get(74) == 55 for told in live.reports.telemetry))


def test_a_repeat_strikes_on_its_own_times_live(live):
    live.set_project(project(strand(stage("repeat", rate="1/16")), tempo=120.0), HERE)
    surface(live, note_on(0, 0, 60, 99))
    wait_for(lambda: len(pitches(live.reports.printed("a", "out"))) >= 6)
    surface(live, note_off(0, 0, 60))
    wait_for(lambda: live.reports.telemetry[-1].health.sounding == 0)
    times = [event.time for event in live.reports.printed("a", "out") if event.kind == 0x90]
    assert all(abs(after - before - 0.125) < 1e-9 for before, after in pairwise(times))


def test_a_chord_is_heard_at_the_port_past_the_stages(live, pair):
    chain = stage("chance", percent=0)
    live.set_project(project(strand(chain, destinations=(PortDestination(),))), HERE)
    pair.connect_to_own_output()
    at_work(live)

    def heard():
        live.send(protocol.Direct("a", [note_on(0, 0, 60, 90), note_off(0.05, 0, 60)]))
        return pair.heard

    wait_for(heard)
    wait_for(lambda: not hanging(pair.heard))
