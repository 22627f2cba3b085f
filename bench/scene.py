"""Eight busy strands, for measuring."""

from __future__ import annotations

from pathlib import Path

from arpegon.core.document.model import ClipSource, Instrument, InstrumentDestination, Project, Stage, Strand
from arpegon.core.events import note_off, note_on
from arpegon.files.midi import Track, write_midi


def busy_project(folder: Path, strands: int = 8) -> Project:
    """Strands that each play a clip of sixteenths through three stages."""
    for number in range(strands):
        events = []
        for step in range(64):
            note = 40 + (step * 7 + number * 5) % 36
            events += [note_on(step * 0.125, 0, note, 100), note_off(step * 0.125 + 0.1, 0, note)]
        write_midi(folder / f"busy-{number}.mid", [Track("busy", events)], 120.0)
    made = []
    for number in range(strands):
        stages = (
            Stage(id=f"h{number}", kind="humanize"),
            Stage(id=f"s{number}", kind="scale", params={"root": "D", "scale": "dorian"}),
            Stage(id=f"c{number}", kind="chord", params={"offsets": [7]}),
        )
        made.append(
            Strand(
                id=f"b{number}",
                name=f"Busy {number + 1}",
                sources=(ClipSource(file=f"busy-{number}.mid"),),
                stages=stages,
                destinations=(InstrumentDestination(instrument="piano", channel=number),),
            )
        )
    piano = Instrument(id="piano", sound="felt-piano", level_db=-18.0)
    return Project(title="Busy", tempo=120.0, instruments=(piano,), strands=tuple(made))
