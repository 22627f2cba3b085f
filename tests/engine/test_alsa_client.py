"""What is made of what ALSA says, and what is said to it, on machines that have no sequencer, too."""

from __future__ import annotations

import queue
from dataclasses import dataclass, field
from enum import IntEnum, IntFlag
from types import SimpleNamespace

import pytest

from arpegon.core.events import note_off, note_on
from arpegon.core.time import studio
from arpegon.engine.devices.alsa_midi import LATENCY_SECONDS, AlsaClient
from arpegon.engine.devices.lateness import Lateness
from jacking import wait_for


class EventType(IntEnum):
    USR0 = 90


class Caps(IntFlag):
    READ = 1
    WRITE = 2
    SUBS_READ = 32
    SUBS_WRITE = 64
    NO_EXPORT = 128


class Kind(IntFlag):
    MIDI_GENERIC = 1
    SYNTH = 2
    APPLICATION = 4


class Error(Exception):
    pass


@dataclass
class Event:
    type: EventType | None = None


@dataclass
class MidiBytesEvent:
    midi_bytes: bytes
    time: object = None
    relative: bool | None = None
    dest: object = None
    type: EventType | None = None


@dataclass
class Port:
    client: Sequencer
    port_id: int

    def connect_to(self, other):
        if other not in self.client.there:
            raise Error

    connect_from = connect_to

    def close(self):
        self.client.closed.append(self.port_id)


@dataclass
class Sequencer:
    """The part of ALSA's library that is asked: its queue began ten seconds ago."""

    name: str
    came: queue.Queue = field(default_factory=queue.Queue)
    waiting: list = field(default_factory=list)
    left: list = field(default_factory=list)
    closed: list = field(default_factory=list)
    there: set = field(default_factory=set)
    listed: list = field(default_factory=list)
    broken: bool = False
    ports: int = 0

    def __post_init__(self):
        self.began = studio.now() - 10.0

    def set_client_pool_output(self, size):
        pass

    def create_queue(self, name):
        def status():
            passed = studio.now() - self.began
            return SimpleNamespace(real_time=SimpleNamespace(seconds=int(passed), nanoseconds=int(passed % 1.0 * 1e9)))

        timer = SimpleNamespace(resolution=1000)
        return SimpleNamespace(
            get_timer=lambda: timer, set_timer=lambda timer: None, start=lambda: None, get_status=status
        )

    def create_port(self, name, **_):
        self.ports += 1
        return Port(self, self.ports)

    def list_ports(self, **_):
        return self.listed

    def event_output(self, event, queue=None, port=None, dest=None):
        self.waiting.append((event, dest))

    def drain_output(self):
        if self.broken:
            raise Error
        for event, dest in self.waiting:
            self.left.append(event) if dest is None else self.came.put(event)
        self.waiting = []

    def drop_output_buffer(self):
        self.waiting = []

    def event_input(self, prefer_bytes):
        return self.came.get()

    def close(self):
        self.closed.append("all")


API = SimpleNamespace(
    SequencerClient=Sequencer,
    EventType=EventType,
    PortCaps=Caps,
    PortType=Kind,
    Event=Event,
    MidiBytesEvent=MidiBytesEvent,
    Error=Error,
    ALSAError=Error,
    WRITE_PORT=Caps.WRITE | Caps.SUBS_WRITE,
    READ_PORT=Caps.READ | Caps.SUBS_READ,
)


@pytest.fixture
def lateness():
    return Lateness()


@pytest.fixture
def client(lateness):
    made = AlsaClient(API, lateness)
    yield made
    made.close()
    assert made._client.closed[-1] == "all"


def test_everything_leaves_at_its_time_and_a_constant_later(client, lateness):
    out, now = client.open_output("out"), studio.now()
    out.send([note_on(now, 0, 60, 9), note_off(now - 0.5, 0, 60)])
    at = now - client._client.began + LATENCY_SECONDS
    assert [event.time for event in client._client.left] == pytest.approx([at, at - 0.5], abs=1e-3)
    assert [event.midi_bytes[:2] for event in client._client.left] == [bytes([0x90, 60]), bytes([0x80, 60])]
    assert lateness.p99(now) == pytest.approx(0.5 - LATENCY_SECONDS, abs=0.05), "the second came too late for that"


def test_what_cannot_be_sent_is_not_tried_again_with_what_follows(client):
    out, now = client.open_output("out"), studio.now()
    client._client.broken = True
    out.send([note_on(now, 0, 60, 9)])
    client._client.broken = False
    out.send([note_on(now, 0, 61, 9)])
    assert [event.midi_bytes[1] for event in client._client.left] == [61]


def hear(client, *messages):
    """What is taken of messages: each its bytes, and the seconds of the queue at which it came (``None``: unknown)."""
    taken = []
    port = client.open_input("in", lambda message, came: taken.append((bytes(message), came)))
    for message, at in messages:
        stamp = None if at is None else SimpleNamespace(seconds=int(at), nanoseconds=int(at % 1.0 * 1e9))
        client._client.came.put(MidiBytesEvent(message, time=stamp, dest=port.port))
    assert wait_for(client._client.came.empty)
    client.close()
    return taken


def test_what_came_is_stamped_by_the_queue_unless_that_cannot_be(client):
    now = studio.now()
    passed = now - client._client.began
    taken = hear(client, (b"\x90\x3c\x40", passed - 0.01), (b"\xf8", None), (b"\xb0\x07\x01", passed + 50.0))
    assert [message for message, _ in taken] == [b"\x90\x3c\x40", b"\xf8", b"\xb0\x07\x01"]
    assert taken[0][1] == pytest.approx(now - 0.01, abs=2e-3)
    assert all(now <= came <= studio.now() for _, came in taken[1:])


def test_a_long_message_is_taken_when_all_its_parts_are_there(client):
    taken = hear(client, (b"\xf0\x01\x02", None), (b"\x03\x04", None), (b"\x05\xf7", None), (b"\x90\x3c\x40", None))
    assert [message for message, _ in taken] == [b"\xf0\x01\x02\x03\x04\x05\xf7", b"\x90\x3c\x40"]


def test_a_long_message_that_never_ends_is_given_up_for_the_next(client):
    taken = hear(client, (b"\xf0\x01", None), (b"\x90\x3c\x40", None), (b"\xf0\x07\xf7", None))
    assert [message for message, _ in taken] == [b"\x90\x3c\x40", b"\xf0\x07\xf7"]


def test_a_port_that_cannot_be_connected_is_closed_again(client):
    with pytest.raises(Error):
        client.open_output("out", (20, 0))
    assert client._client.closed


def test_names_have_their_numbers_and_what_is_no_midi_is_left_out(client):
    def there(name, port, capability, kind=Kind.MIDI_GENERIC):
        return SimpleNamespace(
            client_name="Quay", name=name, client_id=20, port_id=port, type=kind, capability=Caps(capability)
        )

    client._client.listed = [
        there("keys", 1, API.READ_PORT),
        there("choir", 2, API.WRITE_PORT),
        there("bells", 3, API.READ_PORT | API.WRITE_PORT, Kind.SYNTH),
        there("mute", 4, Caps.READ),
        there("timer", 5, API.READ_PORT, Kind(0)),
    ]
    inputs, outputs = client.ports()
    assert inputs == {"Quay:keys 20:1": (20, 1), "Quay:bells 20:3": (20, 3)}
    assert outputs == {"Quay:choir 20:2": (20, 2), "Quay:bells 20:3": (20, 3)}
