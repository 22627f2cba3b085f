"""What a patchbay connected us to: it is so again after whatever took our client away."""

from __future__ import annotations

import os
import signal
from pathlib import Path

import jack
import pytest

from arpegon.core.document.model import InstrumentDestination, PortDestination
from arpegon.core.events import bend, control, note_off, note_on
from arpegon.core.time import studio
from arpegon.engine.devices import jack_patches
from arpegon.engine.devices.jack_client import JackClient
from arpegon.engine.devices.jack_patches import Patches
from arpegon.engine.wire import protocol
from building import project, strand
from jacking import wait_for


@pytest.fixture
def mixer(jack_server):
    """Another program, with an input for sound and one for MIDI."""
    made = jack.Client("Mixer", no_start_server=True)
    made.inports.register("desk")
    made.midi_inports.register("notes")
    made.activate()
    yield made
    made.deactivate()
    made.close()


def joined(client):
    """What the ports of the mixer are connected to."""
    found = set()
    for port in (*client.inports, *client.midi_inports):
        try:
            found |= {(other.name, port.shortname) for other in port.connections}
        except jack.JackError:  # one went just then
            return None
    return found


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_an_engine_that_was_killed_is_patched_as_before(live, pair, mixer):
    destinations = (PortDestination(), InstrumentDestination(instrument="bells"))
    live.set_project(project(strand(destinations=destinations)), Path("."))
    pair.connect_to_own_output()
    wait_for(lambda: live.reports.telemetry[-1].health.audio)
    mixer.disconnect("Arpegon:left", "system:playback_1")
    mixer.connect("Arpegon:left", "Mixer:desk")
    synth = pair.synth.port.name
    wait_for(lambda: {("left", "Mixer:desk"), ("out", synth)} <= set(live._patch.connections))
    wait_for(lambda: ("left", "system:playback_1") not in live._patch.connections)
    before, first = live._patch, live.pid
    os.kill(first, signal.SIGKILL)
    wait_for(lambda: live.pid not in (None, first))
    pair.heard.clear()

    def sounds():
        now = studio.now()
        live.send(protocol.Feed("surface", [note_on(now, 0, 62, 90), note_off(now, 0, 62)]))
        return any(message[:2] == [0x90, 62] for message in pair.heard)

    wait_for(sounds)
    wait_for(lambda: joined(mixer) == {("Arpegon:left", "desk")})
    wait_for(lambda: live.reports.telemetry[-1].health.audio)
    assert set(live._patch.connections) == set(before.connections), "the speakers were not taken up again"


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGSTOP])
def test_what_a_killed_or_hung_engine_held_at_other_programs_is_released(live, pair, how):
    """Five keys, a pedal and a bend hung for ever: they were released before anybody was connected again."""
    live.set_project(project(strand(destinations=(PortDestination(),))), Path("."))
    pair.connect_to_own_output()
    wait_for(lambda: ("out", pair.synth.port.name) in set(live._patch.connections))
    now, keys = studio.now(), (60, 62, 64, 65, 67)
    held = [*(note_on(now, 0, key, 90) for key in keys), control(now, 0, 64, 127), bend(now, 0, 4000)]
    live.send(protocol.Feed("surface", held))
    wait_for(lambda: {message[1] for message in pair.heard if message[0] == 0x90} == set(keys))
    wait_for(lambda: any(message[0] == 0xE0 for message in pair.heard))
    first = live.pid
    pair.heard.clear()
    os.kill(first, how)
    wait_for(lambda: live.pid not in (None, first), 40.0)
    released = {(0xB0, 64, 0), (0xB0, 123, 0), (0xE0, 0, 64)}
    wait_for(lambda: released <= {tuple(message) for message in pair.heard}, 20.0)


def test_a_client_with_another_name_takes_its_connections_along(mixer):
    told = []
    client = JackClient(patched=lambda patches, settled: told.append(patches))
    try:
        assert client.there
        mixer.connect("Arpegon:out", "Mixer:notes")
        client.look()
        assert told[-1] == [("out", "Mixer:notes")]
        client.rename("Lamp")
        assert client.there and joined(mixer) == {("Lamp:out", "notes")}
        mixer.disconnect("Lamp:out", "Mixer:notes")
        client.look()
        assert joined(mixer) == set(), "what was taken away stays away"
    finally:
        client.close()


def test_a_new_connection_is_looked_at_soon(mixer):
    changed = []
    client = JackClient(changed=lambda: changed.append(True))
    try:
        assert client.there
        wait_for(lambda: changed)
        for turn in (mixer.connect, mixer.disconnect):
            changed.clear()
            turn("Arpegon:out", "Mixer:notes")
            wait_for(lambda: changed)
    finally:
        client.close()


class Port:
    """A port of a client that stands in for JACK's; ``there`` are the ports of others."""

    def __init__(self, name, there):
        self.shortname = name
        self.connections = []
        self._there = there

    def connect(self, other):
        if other not in self._there:
            raise jack.JackError("not there")
        self.connections.append(Other(other))


class Other:
    def __init__(self, name):
        self.name = name


class Client:
    def __init__(self, *there):
        self.there = set(there)
        self.outports, self.midi_inports, self.inports = [Port("left", self.there)], [], []
        self.midi_outports = [Port("out", self.there)]

    def get_port_by_name(self, name):
        if name not in self.there:
            raise jack.JackError("not there")
        return name


def anew(patches, *there):
    """Another client in the place of one that is gone."""
    patches.leave()
    patches.join()
    made = Client(*there)
    patches.look(made)
    return made


@pytest.fixture
def clock(monkeypatch):
    """The computer's clock, moved by hand."""
    now = [100.0]
    monkeypatch.setattr(jack_patches.time, "monotonic", lambda: now[0])
    return now


@pytest.fixture
def told():
    return []


@pytest.fixture
def patches(told, clock):
    return Patches(lambda *known: told.append(known))


def test_what_comes_back_later_is_connected_then_but_not_for_ever(patches, told, clock):
    patches.remember([("out", "Organ:in"), ("left", "Mixer:desk")], [])
    client = Client()
    patches.join()
    patches.look(client)
    assert told == [], "what is not there yet is remembered still"
    client.there.add("Organ:in")
    patches.look(client)
    assert [other.name for other in client.midi_outports[0].connections] == ["Organ:in"]
    clock[0] += 31.0
    patches.look(client)
    assert told == [([("out", "Organ:in")], [])]
    client.there.add("Mixer:desk")
    patches.look(client)
    assert not client.outports[0].connections


def test_what_a_server_takes_away_just_before_it_lets_us_go_is_not_lost(patches, clock):
    client = Client("Organ:in")
    client.midi_outports[0].connect("Organ:in")
    patches.look(client)
    client.midi_outports[0].connections.clear()
    clock[0] += 1.0
    patches.look(client)
    again = anew(patches, "Organ:in")
    assert [other.name for other in again.midi_outports[0].connections] == ["Organ:in"]
    again.midi_outports[0].connections.clear()
    clock[0] += 2.5
    patches.look(again)
    third = anew(patches, "Organ:in")
    assert not third.midi_outports[0].connections, "that was somebody's wish"


def test_speakers_are_chosen_where_what_was_patched_is_gone(patches):
    patches.remember([("left", "Mixer:desk")], ["left"])
    assert patches.settled(Client("Mixer:desk"), "left")
    assert not patches.settled(Client(), "left"), "else nothing would sound"
    assert not patches.settled(Client("Mixer:desk"), "right")
    fresh = Patches(lambda *known: None)
    fresh.remember([("left", "Mixer:desk")], [])
    assert not fresh.settled(Client("Mixer:desk"), "left"), "nobody chose the speakers yet"
