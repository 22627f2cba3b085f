"""Waiting, and MIDI ports of other programs, for tests with a JACK server."""

from __future__ import annotations

import contextlib
import time
from collections import Counter

import jack
from tools.jack_devices import Keyboard, Synth


def port_names(client, pattern=""):
    """The names of ports like a pattern, all of one moment: some may vanish while they are looked at."""
    while True:
        with contextlib.suppress(jack.JackError):
            return [port.name for port in client.get_ports(pattern)]


def wait_for(condition, seconds=15.0):
    """Wait until ``condition()`` is true; its value, or a failure."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        value = condition()
        if value:
            return value
        time.sleep(0.01)
    raise AssertionError(f"waited {seconds} s in vain for {condition}")


def without_repeats(messages):
    """What was heard, less ends that were said again because the machine was busy: they end nothing."""
    found, open_notes = [], Counter()
    for message in list(messages):
        key = (message[0] & 0x0F, message[1] if len(message) > 1 else None)
        if message[0] & 0xF0 == 0x90:
            open_notes[key] += 1
        elif message[0] & 0xF0 == 0x80:
            if not open_notes[key]:
                continue
            open_notes[key] -= 1
        found.append(message)
    return found


class MidiPair:
    """A keyboard and a synthesizer in other programs: JACK ports outside the engine."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.heard: list[list[int]] = []
        self.keys: Keyboard | None = None
        self.synth: Synth | None = None
        self.plug_keys()
        self.plug_synth()

    def __repr__(self) -> str:
        """What a failure shows of it."""
        return f"{self.keys!r}, {self.synth!r}, heard {self.heard[-8:]}"

    def plug_keys(self) -> None:
        self.keys = Keyboard(f"{self.name} keys")

    def plug_synth(self) -> None:
        # Late for a period on a busy machine, it is called twice in the next.
        self.synth = Synth(f"{self.name} synth", lambda message, _: self.heard.append(message), once=True)

    def connect_to_own_output(self) -> None:
        self.synth.connect("Arpegon:out")

    def stay_connected(self) -> None:
        """Connect to it again, where its program came anew."""
        with contextlib.suppress(jack.JackError, ValueError):  # it is so, or the program is not there, or only comes
            self.synth.port.connect("Arpegon:out")

    def unplug_keys(self) -> None:
        keys, self.keys = self.keys, None
        if keys is not None:
            keys.close()

    def unplug_synth(self) -> None:
        synth, self.synth = self.synth, None
        if synth is not None:
            synth.close()

    def close(self) -> None:
        self.unplug_keys()
        self.unplug_synth()


def has_connections(port):
    """Whether a port is connected to any other; one that goes away while it is asked is still one."""
    try:
        return bool(port.connections)
    except jack.JackError:
        return True
