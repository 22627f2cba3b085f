"""How evenly things leave, by JACK's frames, with small and large periods, while the window paints arpeggiators."""

from __future__ import annotations

import time
from pathlib import Path
from statistics import pstdev

import msgspec
from tools.jack_devices import Ear, Keyboard
from tools.jack_server import jack_server

from arpegon.core.document.model import (
    ClockSettings,
    Instrument,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    Project,
    StepsSource,
    Strand,
)
from arpegon.engine.live.client import EngineClient
from bench.beside import Beside
from bench.paint import painted
from bench.pulse import arpeggiators
from bench.rows import Row, median

PERIODS = (128, 256, 1024)
RATE = 48_000
STEP = RATE * 60 // (180 * 4)
"""Frames of a sixteenth at 180 quarter notes a minute: a whole number."""
TICK = RATE * 60 / (180 * 24)
_SETTLED = 40
"""The first notes and ticks, while the window opens, are left out."""
NOTES = 120


def _even(period: int) -> tuple[list[float], list[float], list[float]]:
    """By how many seconds the gaps of sixteenths, and of ticks of the sent clock, are astray; and of ticks that a bare
    client sends beside them, which does nothing but that."""

    def make(folder: Path) -> Project:
        steps = {"rate": "1/16", "patterns": [[{"note": 36}]], "in_scale": False}
        walk = Strand(
            id="even",
            name="Even",
            sources=(StepsSource(id="walk", params=steps),),
            destinations=(PortDestination(port="Even synth:in"),),
        )
        arps = arpeggiators(folder)
        clock = ClockSettings(send=("Even synth:in",))
        return msgspec.structs.replace(arps, strands=(walk, *arps.strands), clock=clock)

    with jack_server("arpegon-even", period, realtime=True), Beside(TICK) as beside:
        painted(make)
    return _astray(beside.notes, STEP), _astray(beside.ticks, TICK), _astray(beside.bare, TICK)


def _astray(frames: list[int], gap: float) -> list[float]:
    """Seconds by which gaps between frames are astray; where several were lost, gaps of several are meant."""
    found = []
    for one, other in zip(frames[_SETTLED:], frames[_SETTLED + 1 :], strict=False):
        count = max(1, round((other - one) / gap))
        found.append((other - one - count * gap) / RATE)
    return found


def _sound(period: int) -> list[float]:
    """Seconds from a note at a keyboard to the first sample of its sound."""
    strand = Strand(
        id="a", name="A", sources=(MidiSource(),), destinations=(InstrumentDestination(instrument="x", channel=0),)
    )
    project = Project(instruments=(Instrument(id="x", sound="drawbar-organ"),), strands=(strand,))
    with jack_server("arpegon-sound", period, realtime=True):
        keys, ear = Keyboard("Player keys"), Ear("Player ear")
        client = EngineClient(lambda report: None)
        client.start()
        client.set_project(project, Path("."))
        ear.connect_audio("Arpegon:left")
        time.sleep(2.0)
        ways = []
        for number in range(NOTES):
            keys.sent.clear()
            ear.begun.clear()
            keys.send([0x90, 60, 100], number % 7 / 7)
            _wait(lambda: bool(ear.begun and keys.sent), 0.3)
            if ear.begun and keys.sent:
                ways.append((ear.begun[0] - keys.sent[0]) / RATE)
            keys.send([0x80, 60, 0])
            _wait(lambda: not ear._sounds, 1.0)
        client.close()
        for device in (keys, ear):
            device.close()
    return ways


def _wait(condition: object, patience: float) -> None:
    end = time.monotonic() + patience
    while not condition() and time.monotonic() < end:  # type: ignore[operator]
        time.sleep(0.001)


def rows() -> list[Row]:
    """A row for each size of the period, and one of the sound."""
    found = []
    for period in PERIODS:
        notes, ticks, bare = _even(period)
        limit = pstdev(bare)
        for what, gaps, worst in (("Sixteenths", notes, 0.00025), ("Ticks of the sent clock", ticks, None)):
            spread = pstdev(gaps)
            farthest = max(map(abs, gaps))
            found.append(
                Row(
                    f"{what} at a MIDI output, {period} frames, 16 arpeggiators painted: gaps astray",
                    f"sd {spread * 1000:.4f} ms, worst {farthest * 1000:.3f} ms, of {len(gaps)}",
                    f"sd {limit * 1000:.4f} ms, worst {max(map(abs, bare)) * 1000:.3f} ms, of {len(bare)} (a client "
                    "that sends ticks and nothing else)",
                    f"{spread * RATE:.2f} frames",
                    "sd ≤ 0.05 ms" + (", worst ≤ 0.25 ms" if worst else ""),
                    spread <= 0.00005 and (worst is None or farthest <= worst),
                )
            )
    for period in PERIODS:
        ways = _sound(period)
        spread = pstdev(ways)
        found.append(
            Row(
                f"Note in to the first sample of its sound, {period} frames",
                f"{median(ways) * 1000:.2f} ms, sd {spread * 1000:.4f} ms, of {len(ways)}",
                f"{2 * period / RATE * 1000:.2f} ms (two periods)",
                f"{median(ways) * RATE / period:.2f} periods",
                "sd ≤ 0.05 ms, at most two periods and 1 ms",
                spread <= 0.00005 and median(ways) <= 2 * period / RATE + 0.001,
            )
        )
    return found
