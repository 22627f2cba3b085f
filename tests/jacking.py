"""Waiting, and MIDI ports of other programs, for tests with a JACK server."""

from __future__ import annotations

import time

import rtmidi


def wait_for(condition, seconds=15.0):
    """Wait until ``condition()`` is true; its value, or a failure."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        value = condition()
        if value:
            return value
        time.sleep(0.01)
    raise AssertionError(f"waited {seconds} s in vain for {condition}")


class MidiPair:
    """A keyboard and a synthesizer in other programs: JACK ports outside the engine."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.heard: list[list[int]] = []
        self.keys = self.synth = None
        self.plug_keys()
        self.plug_synth()

    def plug_keys(self) -> None:
        self.keys = rtmidi.MidiOut(rtmidi.API_UNIX_JACK, name=f"{self.name} keys")
        self.keys.open_virtual_port("out")

    def plug_synth(self) -> None:
        self.synth = rtmidi.MidiIn(rtmidi.API_UNIX_JACK, name=f"{self.name} synth")
        self.synth.ignore_types(sysex=False)
        self.synth.set_callback(lambda message, _: self.heard.append(message[0]))

    def open_input(self) -> None:
        self.synth.open_virtual_port("in")

    def connect_to_own_output(self) -> None:
        def found():
            return [port for port in self.synth.get_ports() if port.startswith("Arpegon:out")]

        port = wait_for(found)[0]
        self.synth.open_port(self.synth.get_ports().index(port))

    def unplug_keys(self) -> None:
        keys, self.keys = self.keys, None
        if keys is not None:
            keys.close_port()
            keys.delete()

    def unplug_synth(self) -> None:
        synth, self.synth = self.synth, None
        if synth is not None:
            synth.close_port()
            time.sleep(0.05)  # deleting waits for JACK's thread, which may still wait for Python's lock in a callback
            synth.delete()

    def close(self) -> None:
        self.unplug_keys()
        self.unplug_synth()
