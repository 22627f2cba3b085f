"""From note in to note out over JACK, in frames, beside a bare client that echoes at the same frames."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path
from statistics import pstdev

from tools.jack_devices import Keyboard, Synth

from arpegon.core.document.model import MidiSource, PortDestination, Project, Stage, Strand
from arpegon.engine.live.client import EngineClient
from bench.rows import Row, median

NOTES = 300
PERIOD = 128
_PATIENCE_SECONDS = 0.5
_GAP_SECONDS = 0.0071

ECHO = """
import jack, time
client = jack.Client("Echo", no_start_server=True)
source, out = client.midi_inports.register("in"), client.midi_outports.register("out")
def echo(frames):
    out.clear_buffer()
    for offset, message in source.incoming_midi_events():
        out.write_midi_event(offset, bytes(message))
client.set_process_callback(echo)
client.activate()
print("ready", flush=True)
time.sleep(120)
"""


class Player:
    """Plays notes at all places of the period, and hears at which frame each comes back."""

    def __init__(self) -> None:
        self.heard: list[int] = []
        self.keys = Keyboard("Player keys")
        self.synth = Synth("Player synth", lambda _, frame: self.heard.append(frame))

    def measure(self) -> list[float]:
        """Seconds from sent to heard, of each note that came back."""
        ways = []
        for number in range(NOTES):
            self.heard.clear()
            self.keys.sent.clear()
            self.keys.send([0x90 if number % 2 == 0 else 0x80, 60, 100], number % 7 / 7)
            end = time.perf_counter() + _PATIENCE_SECONDS
            while not self.heard and time.perf_counter() < end:
                time.sleep(0.0002)
            if self.heard and self.keys.sent:  # not where the end of the last one was said again first
                ways.append((self.heard[0] - self.keys.sent[0]) / self.keys.rate)
            time.sleep(_GAP_SECONDS)
        return ways

    def close(self) -> None:
        """Leave JACK."""
        self.keys.close()
        self.synth.close()


def _echo() -> list[float]:
    process = subprocess.Popen([sys.executable, "-c", ECHO], stdout=subprocess.PIPE)
    try:
        assert process.stdout is not None
        process.stdout.readline()
        player = Player()
        player.keys.connect("Echo:in")
        player.synth.connect("Echo:out")
        ways = player.measure()
        player.close()
    finally:
        process.kill()
        process.wait()
    return ways


def _engine() -> list[float]:
    stages = (
        Stage(id="h", kind="humanize"),
        Stage(id="s", kind="scale", params={"root": "D", "scale": "dorian"}),
        Stage(id="c", kind="chord", params={"offsets": [], "keep_root": True}),
    )
    strand = Strand(id="a", name="A", sources=(MidiSource(),), stages=stages, destinations=(PortDestination(),))
    player = Player()
    client = EngineClient(lambda report: None)
    client.start()
    client.set_project(Project(strands=(strand,)), Path("."))
    player.synth.connect("Arpegon:out")
    time.sleep(3.0)
    ways = player.measure()
    client.close()
    player.close()
    return ways


def rows() -> list[Row]:
    """How long it takes through three stages and through the bare echo, and how evenly."""
    bare, ours = _echo(), _engine()
    assert min(len(bare), len(ours)) > NOTES / 2, "too many notes were lost on the way"
    period = PERIOD / 48_000
    more = median(ours) - median(bare)
    spread = pstdev(ours)
    return [
        Row(
            f"Note in to note out over JACK ({PERIOD} frames), three stages, median",
            f"{median(ours) * 1000:.2f} ms",
            f"{median(bare) * 1000:.2f} ms (bare client, echo at the same frame)",
            f"{more / period:.2f} periods more",
            "at most one period more",
            more <= period + 0.5 / 48_000,
        ),
        Row(
            "The same, standard deviation",
            f"{spread * 1000:.3f} ms",
            f"{pstdev(bare) * 1000:.3f} ms (bare client)",
            "",
            "at most 0.05 ms",
            spread <= 0.00005,
        ),
    ]
