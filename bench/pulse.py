"""Time: sixteen arpeggiators while the window paints, a clock that is followed for an hour, an hour of the demo."""

from __future__ import annotations

import time
from pathlib import Path

from arpegon.core.document.model import (
    ClipSource,
    ClockSettings,
    Instrument,
    InstrumentDestination,
    Project,
    Stage,
    Strand,
)
from arpegon.core.events import note_off, note_on
from arpegon.core.time.ticks import PER_QUARTER
from arpegon.engine.clocks.clock_box import BoxSettings, ClockBox
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.files.assets import CLIPS
from arpegon.files.midi import Track, write_midi
from arpegon.files.places import DATA
from arpegon.files.project import load_project
from bench.paint import lateness_row, painted
from bench.rows import Row

HOUR = 3600.0
DEMO = DATA / "demo" / "the-lamplighters-tide.arpegon"


def arpeggiators(folder: Path) -> Project:
    """Sixteen strands, each an arpeggiator at 1/32 over a held chord, at 180 quarter notes a minute."""
    chord = [note_on(0.0, 0, note, 90) for note in (48, 55, 60, 64)]
    chord += [note_off(15.9 / 3.0, 0, note) for note in (48, 55, 60, 64)]
    write_midi(folder / "held.mid", [Track("held", chord)], 180.0)
    strands = tuple(
        Strand(
            id=f"s{number}",
            name=f"Arp {number + 1}",
            sources=(ClipSource(file="held.mid"),),
            stages=(Stage(id=f"a{number}", kind="arpeggiator", params={"rate": "1/32", "octaves": 2}),),
            destinations=(InstrumentDestination(instrument="x", channel=number),),
        )
        for number in range(16)
    )
    return Project(instruments=(Instrument(id="x", sound="felt-piano", level_db=-30.0),), strands=strands, tempo=180.0)


class _Nowhere:
    """Outputs that keep nothing."""

    def port(self, *_: object) -> None: ...

    def instrument(self, *_: object) -> None: ...

    def printed(self, *_: object) -> None: ...

    def passed(self, *_: object) -> None: ...

    def timed(self, *_: object) -> None: ...


def _followed() -> list[Row]:
    """An hour of a clock with 1 ms of jitter: how far the tempo errs, and how far the beat is off at the end."""
    engine, box = Engine(_Nowhere()), ClockBox()
    engine.apply(Project(clock=ClockSettings(follow=True)), {}, 0.0)
    tempo = 117.3
    box.configure(BoxSettings(tempo=tempo, on=True, running=True, drift=0.0, jitter=1.0), 0.0)
    errors, phases = [], []
    while box.next_due() < HOUR:
        for due, status in box.take(box.next_due()):
            engine.run(due)
            engine.clocks.message("box", status, 0, due)
        now = engine.now
        if now > 10.0:
            errors.append(abs((engine.clocks.follower.ticks.tempo or 0.0) / tempo - 1.0))
            # Ticks come up to a millisecond late, half of one on the average.
            phases.append(engine.clock.beat_at(now) - (now - 0.0005) * tempo / 60.0)
    errors.sort()
    worst = errors[-1]
    drift = (sum(phases[-1000:]) - sum(phases[:1000])) / 1000.0
    return [
        Row(
            f"Following a clock with 1 ms of jitter for an hour: worst tempo error of {len(errors):,} ticks",
            f"{worst * 100:.3f} %",
            f"{1000.0 / (60_000.0 / tempo / PER_QUARTER) * 100 / 2:.1f} % (from one tick to the next, unfiltered)",
            f"{worst / (1.0 / (60_000.0 / tempo / PER_QUARTER) / 2):.3f}",
            "under 0.1 %",
            worst < 0.001,
        ),
        Row(
            "Following it for an hour: how far the beat has drifted from the clock's",
            f"{abs(drift) * 60_000.0 / tempo:.3f} ms",
            f"{max(map(abs, phases)) * 60_000.0 / tempo:.2f} ms (farthest off at any tick)",
            "–",
            "drift-free (under 0.1 ms)",
            abs(drift) * 60_000.0 / tempo < 0.1,
        ),
    ]


def _demo_hour() -> Row:
    project = load_project(DEMO)
    clips, _ = CLIPS.load(project, DEMO.parent)
    began = time.perf_counter()
    result = run(project, clips=clips, seconds=HOUR)
    took = time.perf_counter() - began
    events = [event for made in result.strands.values() for event in made]
    began = time.perf_counter()
    again = [event.at(event.time + 1.0) for event in events]
    bare = time.perf_counter() - began
    assert len(again) == len(events)
    return Row(
        f"An hour of the demo offline, without audio ({len(events):,} events)",
        f"{took:.1f} s",
        f"{bare:.2f} s (makes the same events once more)",
        f"{took / bare:.0f}",
        "under 20 s",
        took < 20.0,
    )


def rows() -> list[Row]:
    """All of them."""
    late, _, idle = painted(arpeggiators)
    arps = lateness_row("sixteen arpeggiators at 1/32, 180 bpm, painted at 60 Hz", late, idle)
    return [arps, *_followed(), _demo_hour()]
