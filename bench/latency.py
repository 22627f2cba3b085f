"""From note in to note out over JACK, beside a bare echo."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

import rtmidi

from arpegon.core.document.model import MidiSource, PortDestination, Project, Stage, Strand
from arpegon.engine.live.client import EngineClient
from bench.rows import Row, median

STROKES = 300

ECHO = """
import rtmidi, sys, time
out = rtmidi.MidiOut(rtmidi.API_UNIX_JACK, name="Echo")
out.open_virtual_port("out")
inp = rtmidi.MidiIn(rtmidi.API_UNIX_JACK, name="Echo in")
inp.set_callback(lambda message, _: out.send_message(message[0]))
inp.open_virtual_port("in")
print("ready", flush=True)
time.sleep(120)
"""


class Player:
    """Plays notes into a port and waits for what comes back."""

    def __init__(self) -> None:
        self.heard: list[float] = []
        self.out = rtmidi.MidiOut(rtmidi.API_UNIX_JACK, name="Player out")
        self.back = rtmidi.MidiIn(rtmidi.API_UNIX_JACK, name="Player in")
        self.back.set_callback(lambda message, _: self.heard.append(time.perf_counter()))

    def listen_to(self, name: str) -> None:
        """Connect to another program's output."""
        self.back.open_port(_find(self.back, name))

    def measure(self) -> list[float]:
        """Seconds from sending to hearing, for each stroke."""
        times = []
        for place in range(STROKES):
            message = [0x90 if place % 2 == 0 else 0x80, 60, 100]
            self.heard.clear()
            began = time.perf_counter()
            self.out.send_message(message)
            end = began + 0.5
            while not self.heard and time.perf_counter() < end:
                time.sleep(0.0002)
            if self.heard:
                times.append(self.heard[0] - began)
            time.sleep(0.0071)
        return times

    def close(self) -> None:
        """Leave JACK."""
        for device in (self.out, self.back):
            device.close_port()
            device.delete()


def _find(device: rtmidi.MidiIn | rtmidi.MidiOut, name: str) -> int:
    for _ in range(200):
        for place, port in enumerate(device.get_ports()):
            if port.startswith(name):
                return place
        time.sleep(0.05)
    raise RuntimeError(f"no port {name}")


def _echo() -> list[float]:
    process = subprocess.Popen([sys.executable, "-c", ECHO], stdout=subprocess.PIPE)
    try:
        assert process.stdout is not None
        process.stdout.readline()
        player = Player()
        player.out.open_port(_find(player.out, "Echo in"))
        player.listen_to("Echo:out")
        time.sleep(0.3)
        times = player.measure()
        player.close()
    finally:
        process.kill()
        process.wait()
    return times


def _engine() -> list[float]:
    stages = (
        Stage(id="h", kind="humanize"),
        Stage(id="s", kind="scale", params={"root": "D", "scale": "dorian"}),
        Stage(id="c", kind="chord", params={"offsets": [], "keep_root": True}),
    )
    strand = Strand(id="a", name="A", sources=(MidiSource(),), stages=stages, destinations=(PortDestination(),))
    player = Player()
    player.out.open_virtual_port("keys")
    client = EngineClient(lambda report: None)
    client.start()
    client.set_project(Project(strands=(strand,)), Path("."))
    player.listen_to("Arpegon:out")
    time.sleep(3.0)
    times = player.measure()
    client.close()
    player.close()
    return times


def rows() -> list[Row]:
    """The median through three stages and through the bare echo."""
    bare, ours = _echo(), _engine()
    assert min(len(bare), len(ours)) > STROKES / 2, "too many notes were lost on the way"
    more = median(ours) - median(bare)
    return [
        Row(
            "Note in to note out over JACK (128 frames), three stages, median",
            f"{median(ours) * 1000:.2f} ms",
            f"{median(bare) * 1000:.2f} ms (bare python-rtmidi echo)",
            f"{median(ours) / median(bare):.2f}",
            "at most 0.5 ms more",
            more <= 0.0005,
        )
    ]
