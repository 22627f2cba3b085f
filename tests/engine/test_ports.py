"""Ports that come and go, with devices of the test's own in place of a sound server."""

from __future__ import annotations

import pytest

from arpegon.core.events import note_on
from arpegon.engine.live import ports
from arpegon.engine.live.ports import PortHub


class World:
    """The MIDI ports of a computer, and what was sent to them."""

    def __init__(self):
        self.inputs, self.outputs, self.busy = [], [], set()
        self.sent = {}
        self.there = True


class Device:
    """A client of a sound server, as rtmidi has it."""

    world: World

    def __init__(self, api, name=""):
        if not self.world.there:
            raise RuntimeError("no server")
        self.open = None
        self.callback = None

    def open_virtual_port(self, name):
        self.open = f"own {name}"

    def get_ports(self):
        if not self.world.there:
            raise RuntimeError("the server is gone")
        return list(self.world.inputs if isinstance(self, In) else self.world.outputs)

    def open_port(self, number, name):
        port = self.get_ports()[number]
        if port in self.world.busy:
            raise RuntimeError("busy")
        self.open = port

    def close_port(self):
        self.open = None

    def delete(self):
        self.open = None


class In(Device):
    def ignore_types(self, **_):
        pass

    def set_callback(self, callback):
        self.callback = callback

    def cancel_callback(self):
        self.callback = None


class Out(Device):
    def send_message(self, message):
        if self.open not in self.world.outputs and not str(self.open).startswith("own"):
            raise RuntimeError("gone")
        self.world.sent.setdefault(self.open, []).append(list(message))


@pytest.fixture
def world(monkeypatch):
    made = Device.world = World()
    In.__name__, Out.__name__ = "MidiIn", "MidiOut"
    monkeypatch.setattr(ports.rtmidi, "MidiIn", In)
    monkeypatch.setattr(ports.rtmidi, "MidiOut", Out)
    monkeypatch.setattr(ports, "may_run", lambda api: api == ports.rtmidi.API_UNIX_JACK)
    monkeypatch.setattr(ports, "_LAST_CALLBACK_SECONDS", 0.0)
    monkeypatch.setattr(ports, "_CONNECTED_SECONDS", 0.0)
    return made


@pytest.fixture
def hub(world):
    told = {"lost": [], "changed": [], "missing": [], "arrived": []}
    made = PortHub(
        lambda name, event: told["arrived"].append((name, event.data1)),
        told["lost"].append,
        lambda *lists: told["changed"].append(lists),
        told["missing"].append,
    )
    made.told = told
    return made


def test_inputs_are_heard_as_they_come_and_missed_when_they_go(hub, world):
    hub.scan()
    assert hub.told["changed"] == [([], [], [""])]
    world.inputs = ["Keys 20:0"]
    hub.scan()
    assert hub.told["changed"][-1] == (["Keys"], [], ["", "Keys"])
    device = hub._inputs["Keys"][1]
    device.callback(([0x90, 60, 90], 0.0), None)
    assert hub.told["arrived"] == [("Keys", 60)]
    world.inputs = []
    hub.scan()
    assert hub.told["lost"] == ["Keys"] and device.callback is None
    world.inputs = ["Keys 24:0"]
    hub.scan()
    assert hub._inputs["Keys"][1] is device, "the client is used again, under whatever number the port came back"


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
    hub.hush()
    hub.scan()
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
    assert list(hub._inputs) == ["Keys"]
