"""What leaves as a MIDI file: what sounds of a project, on the bars on which it sounded."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec

from arpegon.core.document.model import (
    AnyDestination,
    InstrumentDestination,
    PortDestination,
    Project,
    Strand,
)
from arpegon.core.events import SYSEX, Event
from arpegon.core.notes.course import Course
from arpegon.files.midi import Track
from arpegon.sound.sounds import SOUNDS

BY = {
    "strand": "a track for each destination of each strand",
    "port": "a track for each port and instrument",
    "instrument": "a track for each channel of each port and instrument",
}
"""How what sounds is shared out among tracks."""


class Wish(msgspec.Struct, frozen=True, kw_only=True):
    """What is to be rendered, and where to; the names are those of the command's options."""

    project: Path
    midi_in: Path | None = None
    keep_tempo: bool = False
    take_tempo: bool = False
    audio_in: Path | None = None
    bars: float | None = None
    seconds: float | None = None
    midi_out: Path | None = None
    by: str = "strand"
    everything: bool = False
    single: bool = False
    wav_out: Path | None = None
    stems: bool = False
    normalize: bool = False
    seed: int | None = None


def apart(project: Project) -> tuple[Project, dict[str, tuple[Strand, AnyDestination]]]:
    """The project with an output of its own for each destination, so that it can be told what went to which.

    Returns:
        The project, and by the names of its outputs whose they are.
    """
    owners: dict[str, tuple[Strand, AnyDestination]] = {}

    def own(strand: Strand, place: int, destination: AnyDestination) -> AnyDestination:
        if not isinstance(destination, (InstrumentDestination, PortDestination)):
            return destination
        name = f"{strand.id}/{place}"
        owners[name] = strand, destination
        kept = {field: getattr(destination, field) for field in PortDestination.__struct_fields__ if field != "port"}
        return PortDestination(port=name, **kept)

    strands = tuple(
        msgspec.structs.replace(
            strand, destinations=tuple(own(strand, place, one) for place, one in enumerate(strand.destinations))
        )
        for strand in project.strands
    )
    return msgspec.structs.replace(project, strands=strands), owners


def outlet_names(project: Project, destination: AnyDestination) -> tuple[str, str]:
    """What a destination is called: its port, and its instrument, where it has one."""
    if isinstance(destination, InstrumentDestination):
        instrument = project.instrument(destination.instrument)
        return "", SOUNDS[instrument.sound].label if instrument is not None else destination.instrument
    return (destination.port or "Arpegon") if isinstance(destination, PortDestination) else "", ""


def tracks_by_strand(
    project: Project,
    owners: Mapping[str, tuple[Strand, AnyDestination]],
    sent: Mapping[str, Sequence[Event]],
    course: Course,
) -> list[Track]:
    """A track for each destination of each strand that sent anything."""
    found: list[Track] = []
    for strand in project.strands:
        ways = [
            (destination, sent[name])
            for name, (owner, destination) in owners.items()
            if owner.id == strand.id and sent.get(name)
        ]
        for destination, events in ways:
            port, instrument = outlet_names(project, destination)
            name = strand.name if len(ways) == 1 else f"{strand.name} · {instrument or port}"
            found.append(Track(name, course.lay(events), port, instrument))
    return found


def tracks_by_outlet(
    project: Project,
    ports: Mapping[str, Sequence[Event]],
    instruments: Mapping[str, Sequence[Event]],
    course: Course,
    by_channel: bool = False,
) -> list[Track]:
    """A track for each port and instrument, or for each channel of each."""
    outlets = [(port or "Arpegon", "", events) for port, events in ports.items()]
    for name, events in instruments.items():
        found = project.instrument(name)
        outlets.append(("", SOUNDS[found.sound].label if found is not None else name, events))
    tracks: list[Track] = []
    for port, instrument, events in outlets:
        if not by_channel:
            tracks.append(Track(instrument or port, course.lay(events), port, instrument))
            continue
        # What belongs to no channel (system exclusive …) goes on the first track.
        channels = sorted({event.channel for event in events if event.status < SYSEX}) or [0]
        for channel in channels:
            own = [one for one in events if (one.channel if one.status < SYSEX else channels[0]) == channel]
            name = instrument or port
            name = name if len(channels) == 1 else f"{name}, channel {channel + 1}"
            tracks.append(Track(name, course.lay(own), port, instrument))
    return tracks
