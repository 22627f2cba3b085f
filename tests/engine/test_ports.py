"""Ports that come and go, with a system of the test's own in place of a sound server."""

from __future__ import annotations

import pytest

from arpegon.core.events import note_off, note_on
from arpegon.engine.devices.port_hub import PortHub


class Port:
    """A port that is open."""

    def __init__(self, system, name, take=None):
        self.system, self.name, self.take = system, name, take
        self.open = self.alive = True

    def send(self, events):
        if self.name in self.system.outputs:
            self.system.sent.setdefault(self.name, []).extend(list(event.to_bytes()) for event in events)

    def take_reconnected(self):
        return False

    def close(self):
        self.open = False


class World:
    """The MIDI ports of a computer, and what was sent to them."""

    label = "test"

    def __init__(self):
        self.inputs, self.outputs, self.busy = [], [], set()
        self.sent, self.opened = {}, {}
        self.there = True

    def look(self):
        return (list(self.inputs), list(self.outputs)) if self.there else None

    def open_own(self, take):
        return Port(self, "own in", take), Port(self, "own out")

    def open_named(self, name):
        self.outputs.append(f"Arpegon:{name}")
        self.opened[name] = Port(self, f"Arpegon:{name}")
        return self.opened[name]

    def open_input(self, name, take):
        self.opened[name] = None if name in self.busy else Port(self, name, take)
        return self.opened[name]

    def open_output(self, name):
        return self.open_input(name, None)

    def close(self):
        self.there = False


@pytest.fixture
def world():
    return World()


@pytest.fixture
def hub(world):
    told = {"lost": [], "changed": [], "missing": [], "arrived": [], "clocked": []}
    made = PortHub(
        lambda name, event: told["arrived"].append((name, event.data1, event.time)),
        told["lost"].append,
        lambda *lists: told["changed"].append(lists),
        told["missing"].append,
        lambda *tick: told["clocked"].append(tick),
        (world,),
    )
    made.told = told
    return made


def test_inputs_are_heard_as_they_come_and_missed_when_they_go(hub, world):
    hub.scan()
    assert hub.told["changed"] == [([], [], [""])]
    world.inputs = ["Keys 20:0"]
    hub.scan()
    assert hub.told["changed"][-1] == (["Keys"], [], ["", "Keys"])
    device = world.opened["Keys 20:0"]
    device.take([0x90, 60, 90], 1.25)
    device.take([0xFE], 1.5)
    device.take([0xF8], 2.0)
    assert hub.told["arrived"] == [("Keys", 60, 1.25)] and hub.told["clocked"] == [("Keys", b"\xf8", 2.0)]
    world.inputs = []
    hub.scan()
    assert hub.told["lost"] == ["Keys"] and not device.open
    world.inputs = ["Keys 24:0"]
    hub.scan()
    world.opened["Keys 24:0"].take([0x90, 62, 90], 3.0)
    assert hub.told["arrived"][-1] == ("Keys", 62, 3.0), "under whatever number the port came back"


@pytest.mark.parametrize("back", ["Keys 20:0", "Keys 24:0"])
def test_a_port_that_went_and_came_back_between_two_looks_is_taken_up_anew(hub, world, back):
    world.inputs = ["Keys 20:0"]
    world.outputs = ["Synth"]
    hub.want(["Synth"])
    hub.scan()
    before = dict(world.opened)
    world.inputs = [back]
    for port in before.values():
        port.alive = False
    hub.scan()
    assert hub.told["lost"] == ["Keys"] and not any(port.open for port in before.values())
    world.opened[back].take([0x90, 60, 90], 1.0)
    hub.send("Synth", [note_on(0.0, 0, 60, 90)])
    assert len(hub.told["arrived"]) == 1 and len(world.sent["Synth"]) == 1
    assert hub.told["changed"][-1] == (["Keys"], ["Synth"], ["", "Keys", "Synth"])


def test_outputs_of_our_own_are_there_as_long_as_somebody_names_them(hub, world):
    hub.want(["own:Bells", "own:Fog"])
    hub.scan()
    assert hub.told["changed"][-1] == ([], [], ["", "own:Bells", "own:Fog"]), "they are no ports of others"
    hub.send("own:Bells", [note_on(0.0, 0, 60, 90)])
    assert world.sent == {"Arpegon:Bells": [[0x90, 60, 90]]} and not hub.told["missing"]
    bells = world.opened["Bells"]
    hub.want(["own:Bells"])
    hub.scan()
    assert world.opened["Bells"] is bells and bells.open and not world.opened["Fog"].open
    bells.alive = False
    hub.scan()
    assert world.opened["Bells"] is not bells and world.opened["Bells"].open
    world.there = False
    hub.scan()
    hub.send("own:Bells", [note_on(0.0, 0, 60, 90)])
    world.there = True
    hub.scan()
    hub.close()
    assert not any(port.open for port in world.opened.values())


def test_what_is_open_is_told_apart_from_what_is_there(hub, world):
    world.outputs = ["Synth 1:0"]
    world.busy = {"Synth 1:0"}
    hub.want(["Synth"])
    hub.scan()
    assert hub.told["changed"][-1] == ([], ["Synth"], [""])
    assert "another program may hold it" in hub.told["missing"][-1]["Synth"]
    world.busy = set()
    hub.scan()
    assert hub.told["changed"][-1] == ([], ["Synth"], ["", "Synth"]) and hub.told["missing"][-1] == {}
    hub.send("Synth", [note_on(0.0, 0, 60, 90)])
    assert world.sent == {"Synth 1:0": [[0x90, 60, 90]]}


def test_a_wanted_output_that_is_not_there_is_said_once(hub, world):
    hub.want(["Synth", "Organ"])
    for _ in range(3):
        hub.scan()
    assert len(hub.told["missing"]) == 1 and set(hub.told["missing"][0]) == {"Synth", "Organ"}
    hub.want(["Organ"])
    hub.scan()
    assert set(hub.told["missing"][-1]) == {"Organ"}
    hub.want([])
    hub.scan()
    assert hub.told["missing"][-1] == {}


def test_after_a_crash_each_output_is_hushed_once_as_it_opens(hub, world):
    world.outputs = ["Synth 1:0"]
    hub.want(["Synth"])
    hub.hush({"Synth": [note_off(0.0, 0, 61)]})
    hub.scan()
    assert world.sent["Synth 1:0"][0] == [0x80, 61, 64]
    assert [0xB0, 123, 0] in world.sent["Synth 1:0"] and [0xBF, 120, 0] in world.sent["Synth 1:0"]
    count = len(world.sent["Synth 1:0"])
    world.outputs = []
    hub.scan()
    world.outputs = ["Synth 1:0"]
    hub.scan()
    assert len(world.sent["Synth 1:0"]) == count


def test_an_output_that_goes_in_the_middle_stops_nothing(hub, world):
    world.outputs = ["Synth 1:0"]
    hub.want(["Synth"])
    hub.scan()
    world.outputs = []
    hub.send("Synth", [note_on(0.0, 0, 60, 90)])
    hub.send("Nobody", [note_on(0.0, 0, 60, 90)])
    assert world.sent == {}


def test_a_server_that_goes_and_comes_back_is_used_again(hub, world):
    world.inputs = ["Keys"]
    hub.scan()
    world.there = False
    hub.scan()
    assert hub.told["lost"] == ["Keys"] and hub.told["changed"][-1][2] == []
    world.there = True
    hub.scan()
    assert hub.told["changed"][-1] == (["Keys"], [], ["", "Keys"])


def test_our_own_ports_are_no_inputs(hub, world):
    world.inputs = ["Arpegon:out 128:0", "Keys"]
    hub.scan()
    assert list(world.opened) == ["Keys"]
