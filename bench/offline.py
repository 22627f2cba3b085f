"""How many events a second go through offline."""

from __future__ import annotations

import time

from arpegon.core.document.model import Instrument, InstrumentDestination, Project, Stage, Strand, SurfaceSource
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


def _bare() -> list[list[Event]]:
    """A loop that only creates the same events: what comes in, and what each of the three stages makes of it."""
    return [_played() for _ in range(4)]


def rows() -> list[Row]:
    """Rate through Humanize, Scale and a transposing Chord, beside the bare loop."""
    project = _project()
    ours, bare = [], []
    for _ in range(7):
        began = time.perf_counter()
        result = run(project, _played(), seconds=COUNT)
        ours.append(COUNT / (time.perf_counter() - began))
        assert len(result.instruments) == COUNT
        began = time.perf_counter()
        made = _bare()
        bare.append(COUNT / (time.perf_counter() - began))
        assert len(made[-1]) == COUNT
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
