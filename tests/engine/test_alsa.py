"""Ports over ALSA's own sequencer, where the machine has one."""

from __future__ import annotations

import os
import threading
import time
from itertools import pairwise

import pytest

from arpegon.core.events import Event, control, from_bytes, note_off, note_on
from arpegon.core.time import studio
from arpegon.engine.devices import alsa_midi as devices
from arpegon.engine.devices.alsa_midi import LATENCY_SECONDS, AlsaMidi
from arpegon.engine.devices.port_hub import PortHub
from jacking import wait_for

alsa_midi = pytest.importorskip("alsa_midi", exc_type=ImportError)
pytestmark = pytest.mark.skipif(not os.access("/dev/snd/seq", os.W_OK), reason="this machine has no ALSA sequencer")


class Other:
    """Another program: an output and an input, and what came, each with its time by the sequencer's clock."""

    def __init__(self, name: str) -> None:
        self.client = alsa_midi.SequencerClient(name)
        self.queue = self.client.create_queue(name)
        self.queue.start()
        self.ear = self.client.create_port(
            "ear", caps=alsa_midi.WRITE_PORT, timestamping=True, timestamp_real=True, timestamp_queue=self.queue
        )
        self.mouth = self.client.create_port("mouth", caps=alsa_midi.READ_PORT)
        self.client.drain_output()
        self.came: list[tuple[float, bytes]] = []
        self.thread = threading.Thread(target=self._hear, daemon=True)
        self.thread.start()

    def _hear(self) -> None:
        while (event := self.client.event_input(prefer_bytes=True)).type != alsa_midi.EventType.USR0:
            if isinstance(event, alsa_midi.MidiBytesEvent):
                self.came.append((event.time.seconds + event.time.nanoseconds * 1e-9, event.midi_bytes))

    def close(self) -> None:
        if self.thread.is_alive():
            self.client.event_output(alsa_midi.Event(alsa_midi.EventType.USR0), dest=self.ear, port=self.mouth)
            self.client.drain_output()
            self.thread.join(5.0)
            self.client.close()

    def say(self, message: bytes) -> None:
        self.client.event_output(alsa_midi.MidiBytesEvent(message), port=self.mouth)
        self.client.drain_output()

    def time_of(self, message: bytes) -> float:
        return next(time for time, came in self.came if came == message)


@pytest.fixture
def other():
    far = Other("Far Shore")
    yield far
    far.close()


@pytest.fixture
def midi():
    system = AlsaMidi()
    assert system.look() is not None
    yield system
    system.close()


def named(names: list[str], part: str) -> str:
    return next(name for name in names if name.startswith(part))


def test_what_is_heard_is_stamped_with_when_it_came(midi, other):
    heard: list[tuple[bytes, float]] = []
    inputs, _ = midi.look()
    port = midi.open_input(named(inputs, "Far Shore:mouth"), lambda message, came: heard.append((bytes(message), came)))
    before = studio.now()
    other.say(bytes([0x90, 60, 99]))
    other.say(bytes([0xF0, *[7] * 3000, 0xF7]))
    other.say(bytes([0xF8]))
    after = studio.now()
    assert wait_for(lambda: len(heard) == 3)
    assert [message for message, _ in heard] == [bytes([0x90, 60, 99]), bytes([0xF0, *[7] * 3000, 0xF7]), bytes([0xF8])]
    times = [came for _, came in heard]
    assert times == sorted(times) and before - 0.002 <= times[0] <= times[-1] <= after + 0.002
    beside: list[bytes] = []
    still = midi.open_input(named(inputs, "Far Shore:mouth"), lambda message, came: beside.append(bytes(message)))
    port.close()
    other.say(bytes([0x90, 61, 99]))
    assert wait_for(lambda: beside == [bytes([0x90, 61, 99])])
    assert len(heard) == 3 and still.alive


def test_what_is_handed_over_late_leaves_evenly_all_the_same(midi, other, monkeypatch):
    """Notes 30 ms apart, of which every third comes 15 ms late: what leaves is apart as they are."""
    monkeypatch.setattr(devices, "LATENCY_SECONDS", 0.02)
    _, outputs = midi.look()
    out = midi.open_output(named(outputs, "Far Shore:ear"))
    start = studio.now() + 0.05
    for place in range(30):
        due = start + 0.03 * place
        time.sleep(max(0.0, due + 0.015 * (place % 3 == 0) - studio.now()))
        out.send([note_on(due, 0, 40 + place, 100)])
    assert wait_for(lambda: len(other.came) == 30)
    times = [came for came, _ in other.came]
    gaps = sorted(abs(after - before - 0.03) for before, after in pairwise(times))
    assert gaps[len(gaps) // 2] < 0.005, "two of three would be 15 ms astray"


def test_all_that_waits_leaves_in_the_order_of_its_times(midi, other):
    _, outputs = midi.look()
    out = midi.open_output(named(outputs, "Far Shore:ear"))
    now = studio.now()
    events: list[Event] = [note_off(now + 0.06, 0, 60), control(now + 0.05, 0, 7, 3), note_on(now + 0.03, 0, 60, 100)]
    long = bytes([0xF0, *range(100), *range(100), 0xF7])
    out.send([*events, from_bytes(long, now + 0.08)])
    assert wait_for(lambda: len(other.came) == 4)
    assert [message for _, message in other.came] == [
        bytes([0x90, 60, 100]),
        bytes([0xB0, 7, 3]),
        bytes([0x80, 60, 64]),
        long,
    ]


def test_what_waits_leaves_before_its_port_is_closed(midi, other):
    _, outputs = midi.look()
    out = midi.open_output(named(outputs, "Far Shore:ear"))
    out.send([note_off(studio.now(), 0, 60)])
    out.close()
    assert wait_for(lambda: [message for _, message in other.came] == [bytes([0x80, 60, 64])])


def test_a_port_that_goes_away_is_left_and_the_others_go_on(midi, other):
    near = Other("Near Shore")
    _, outputs = midi.look()
    gone, kept = (midi.open_output(named(outputs, f"{shore}:ear")) for shore in ("Far Shore", "Near Shore"))
    assert gone.alive and kept.alive
    other.close()
    assert wait_for(lambda: not gone.alive)
    gone.close()
    gone.send([note_on(studio.now(), 0, 60, 9)])
    kept.send([note_on(studio.now(), 0, 61, 9)])
    assert wait_for(lambda: [message for _, message in near.came] == [bytes([0x90, 61, 9])])
    assert midi.open_output(named(outputs, "Far Shore:ear")) is None
    near.close()


def test_the_hub_opens_what_comes_and_others_find_our_ports(other):
    arrived: list[tuple[str, Event]] = []
    lost: list[str] = []
    midi = AlsaMidi()
    hub = PortHub(
        lambda name, event: arrived.append((name, event)),
        lost.append,
        lambda *there: None,
        lambda missing: None,
        lambda *clock: None,
        [midi],
    )
    hub.want(["Far Shore:ear"])
    hub.start()
    try:
        other.say(bytes([0x90, 60, 1]))
        assert wait_for(lambda: "Far Shore:mouth" in hub._inputs and "Far Shore:ear" in hub._outputs)
        other.say(bytes([0x90, 62, 100]))
        assert wait_for(lambda: any(name == "Far Shore:mouth" and e.data1 == 62 for name, e in arrived))
        hub.send("Far Shore:ear", [note_on(studio.now(), 0, 65, 80)])
        assert wait_for(lambda: bytes([0x90, 65, 80]) in [message for _, message in other.came])
        ours = {(one.client_name, one.name): one for one in other.client.list_ports() if one.client_name == "Arpegon"}
        assert {("Arpegon", "in"), ("Arpegon", "out")} <= set(ours)
        into = ours["Arpegon", "in"]
        other.mouth.connect_to((into.client_id, into.port_id))
        other.say(bytes([0x90, 70, 5]))
        assert wait_for(lambda: any(name == "Arpegon in" and e.data1 == 70 for name, e in arrived))
        other.close()
        assert wait_for(lambda: lost == ["Far Shore:mouth"], seconds=8.0)
    finally:
        hub.close()


def test_latency_is_said(midi):
    assert midi.latency == LATENCY_SECONDS and AlsaMidi().latency == 0.0
