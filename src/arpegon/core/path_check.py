"""The path check: the first place where a strand falls silent, in plain words."""

from __future__ import annotations

from collections.abc import Collection

import msgspec

from arpegon.core.document import (
    AnyDestination,
    ClipSource,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    Project,
    Strand,
    StrandDestination,
    StrandSource,
)
from arpegon.core.routing import taken_somewhere

SILENT_DB = -90.0


class Break(msgspec.Struct, frozen=True):
    """Where a path stops: the strand, the part of it (``source``, ``stage``, ``destination``), and why."""

    strand: str
    part: str
    reason: str


class Surroundings(msgspec.Struct, frozen=True):
    """What only the running program knows; ``None`` where it is not known (offline)."""

    missing_clips: Collection[str] = ()
    inputs: Collection[str] | None = None
    outputs: Collection[str] | None = None


def check_paths(project: Project, around: Surroundings | None = None) -> list[Break]:
    """The first break of each silent strand, in the order of the strands."""
    around = around or Surroundings()
    found = (first_break(project, strand, around) for strand in project.strands)
    return [one for one in found if one is not None]


def first_break(project: Project, strand: Strand, around: Surroundings) -> Break | None:
    """Why a strand cannot sound, or ``None`` where it can."""
    checks = (
        ("source", _sources(project, strand, around)),
        ("strand", _strand(project, strand)),
        ("destination", _destinations(project, strand, around)),
    )
    return next((Break(strand.id, part, reason) for part, reason in checks if reason), None)


def _sources(project: Project, strand: Strand, around: Surroundings) -> str | None:
    fed_by_others = any(
        isinstance(destination, StrandDestination) and destination.strand == strand.id
        for other in project.strands
        for destination in other.destinations
    )
    reasons = []
    for source in strand.sources:
        reason = None
        if source.low_key > source.high_key or source.low_velocity > source.high_velocity:
            reason = "its source's zone is empty"
        elif isinstance(source, ClipSource) and not source.file:
            reason = "its clip has no file yet"
        elif isinstance(source, ClipSource) and source.file in around.missing_clips:
            reason = f"its clip “{source.file}” cannot be read"
        elif isinstance(source, MidiSource) and source.port and around.inputs is not None:
            if source.port not in around.inputs:
                reason = f"the MIDI input “{source.port}” is not there"
        elif isinstance(source, StrandSource) and project.strand(source.strand) is None:
            reason = "the strand that feeds it is gone"
        elif isinstance(source, StrandSource) and not taken_somewhere(project, source):
            reason = "the stage after which it is taken is gone"
        if reason is None:
            return None
        reasons.append(reason)
    if fed_by_others:
        return None
    return reasons[0] if reasons else "it has no source"


def _strand(project: Project, strand: Strand) -> str | None:
    if strand.muted:
        return "it is muted"
    if not project.audible(strand):
        return "another strand is solo"
    return None


def _destinations(project: Project, strand: Strand, around: Surroundings) -> str | None:
    if not strand.destinations:
        feeds = any(
            isinstance(source, StrandSource) and source.strand == strand.id
            for other in project.strands
            for source in other.sources
        )
        return None if feeds else "it has no destination"
    reasons = [_destination(project, destination, around) for destination in strand.destinations]
    return None if None in reasons else reasons[0]


def _destination(project: Project, destination: AnyDestination, around: Surroundings) -> str | None:
    if destination.muted:
        return "its destination is muted"
    if isinstance(destination, InstrumentDestination):
        instrument = project.instrument(destination.instrument)
        if instrument is None:
            return "its instrument is gone"
        if instrument.muted:
            return "its instrument is muted"
        if instrument.level_db <= SILENT_DB:
            return "its instrument's level is at zero"
    if isinstance(destination, PortDestination) and destination.port and around.outputs is not None:
        if destination.port not in around.outputs:
            return f"the MIDI output “{destination.port}” is not there"
    if isinstance(destination, StrandDestination) and project.strand(destination.strand) is None:
        return "the strand that it feeds is gone"
    return None
