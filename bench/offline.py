"""How many events a second go through offline."""

from __future__ import annotations

import time

from arpegon.core.document import Instrument, InstrumentDestination, Project, Stage, Strand, SurfaceSource
from arpegon.core.events import Event, note_off, note_on
from arpegon.engine.offline import run
from bench.rows import Row, median

COUNT = 60_000


def _project() -> Project:
    stages = (
        Stage(id="h", kind="humanize"),
        Stage(id="s", kind="scale", params={"root": "D", "scale": "dorian"}),
        # A chord of one voice without its root moves each note: what a transposition does.
        Stage(id="t", kind="chord", params={"offsets": [5], "keep_root": False}),
    )
    strand = Strand(
        id="a",
        name="A",
        sources=(SurfaceSource(),),
        stages=stages,
        destinations=(InstrumentDestination(instrument="x", channel=0),),
    )
    return Project(instruments=(Instrument(id="x", sound="felt-piano"),), strands=(strand,))


def _played() -> list[Event]:
    events = []
    for place in range(COUNT // 2):
        note = 36 + place * 7 % 48
        events += [note_on(place * 0.01, 0, note, 100), note_off(place * 0.01 + 0.008, 0, note)]
    return events


def _bare(events: list[Event]) -> list[Event]:
    """A loop that only creates the events that each of the three stages made."""
    made: list[Event] = []
    for event in events:
        made.append(Event(event.time, event.status, event.data1, event.data2))
        made.append(Event(event.time, event.status, event.data1, event.data2))
        made.append(Event(event.time, event.status, event.data1, event.data2))
    return made


def rows() -> list[Row]:
    """Rate through Humanize, Scale and a transposing Chord, beside the bare loop."""
    project, events = _project(), _played()
    ours, bare = [], []
    for _ in range(7):
        began = time.perf_counter()
        result = run(project, events, seconds=COUNT)
        ours.append(len(events) / (time.perf_counter() - began))
        assert len(result.instruments) == len(events)
        began = time.perf_counter()
        _bare(events)
        bare.append(len(events) / (time.perf_counter() - began))
    ratio = median(ours) / median(bare)
    return [
        Row(
            "Offline: incoming note events a second through three stages",
            f"{median(ours):,.0f} /s",
            f"{median(bare):,.0f} /s (creates the same events)",
            f"{ratio:.2f}",
            "100,000 /s and a third of the bare loop",
            median(ours) >= 100_000 and ratio >= 1 / 3,
        )
    ]
