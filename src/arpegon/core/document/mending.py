"""Obvious remedies for what the path check finds: edits, by the name that a break carries."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from arpegon.core.document import edits
from arpegon.core.document.model import (
    ActiveSource,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    Project,
    Strand,
    StrandSource,
    SurfaceSource,
)
from arpegon.core.document.path_check import Break

_replace = msgspec.structs.replace
Mend = Callable[[Project, Strand, Break, str], Project]
"""The document, the silent strand, why it is silent, and the sound of an instrument that must be made."""
PLAY = "play"
"""The one remedy that is no edit: the transport is started."""


def _source(change: Callable[[Any], Any]) -> Mend:
    def mend(project: Project, strand: Strand, found: Break, sound: str) -> Project:
        return edits.set_source(project, strand.id, found.place, change(strand.sources[found.place]))

    return mend


def _destination(change: Callable[[Any], Any]) -> Mend:
    def mend(project: Project, strand: Strand, found: Break, sound: str) -> Project:
        return edits.set_destination(project, strand.id, found.place, change(strand.destinations[found.place]))

    return mend


def _instrument(**changes: Any) -> Mend:
    def mend(project: Project, strand: Strand, found: Break, sound: str) -> Project:
        destination = strand.destinations[found.place]
        assert isinstance(destination, InstrumentDestination)
        return edits.set_instrument(project, destination.instrument, **changes)

    return mend


def _new_instrument(project: Project, strand: Strand, found: Break, sound: str) -> Project:
    project, instrument = edits.add_instrument(project, sound)
    made = InstrumentDestination(instrument=instrument, channel=0)
    return edits.set_destination(project, strand.id, found.place, made)


def _end_solo(project: Project, strand: Strand, found: Break, sound: str) -> Project:
    for other in project.strands:
        project = edits.set_strand(project, other.id, solo=False)
    return project


MENDS: dict[str, tuple[str, Mend]] = {
    "add-source": (
        "Play it from the play surface",
        lambda project, strand, found, _: edits.set_source(project, strand.id, len(strand.sources), SurfaceSource()),
    ),
    "add-surface": (
        "Add the play surface",
        lambda project, strand, found, _: edits.set_source(project, strand.id, len(strand.sources), SurfaceSource()),
    ),
    "open-zone": (
        "Open the zone",
        _source(lambda one: _replace(one, low_key=0, high_key=127, low_velocity=1, high_velocity=127)),
    ),
    "all-inputs": ("Listen to all inputs", _source(lambda one: _replace(one, port="") if _is_midi(one) else one)),
    "take-end": ("Take its end", _source(lambda one: _replace(one, after="") if _is_strand(one) else one)),
    "own-clock": (
        "Follow the project's tempo",
        lambda project, strand, found, _: edits.set_project(project, clock=_replace(project.clock, follow=False)),
    ),
    "wake-source": ("Wake it", _source(lambda one: _replace(one, bypass=False) if _is_at_work(one) else one)),
    "unmute-strand": ("Unmute", lambda project, strand, found, _: edits.set_strand(project, strand.id, muted=False)),
    "end-solo": ("End solo", _end_solo),
    "bypass": ("Bypass it", lambda project, strand, found, _: edits.set_bypass(project, found.stage, True)),
    "add-destination": ("Give it an instrument", _new_instrument),
    "new-instrument": ("Give it an instrument", _new_instrument),
    "unmute-destination": ("Unmute", _destination(lambda one: _replace(one, muted=False))),
    "unmute-instrument": ("Unmute", _instrument(muted=False)),
    "raise-level": ("Raise it", _instrument(level_db=-6.0)),
    "same-channel": ("Let it play all channels", _instrument(channel=None)),
    "own-output": ("Use Arpegon's own", _destination(lambda one: PortDestination(channel=one.channel))),
}
"""What the button says, and the edit."""


def _is_midi(source: Any) -> bool:
    return isinstance(source, MidiSource)


def _is_at_work(source: Any) -> bool:
    return isinstance(source, ActiveSource)


def _is_strand(source: Any) -> bool:
    return isinstance(source, StrandSource)


def mend_label(found: Break) -> str | None:
    """What the button of a break's remedy says; ``None`` where there is none."""
    if found.mend == PLAY:
        return "Play"
    return MENDS[found.mend][0] if found.mend in MENDS else None


def mended(project: Project, found: Break, sound: str) -> Project:
    """The document after the remedy of a break; as it is where there is none that is an edit.

    Args:
        sound: what an instrument plays, where one must be made.
    """
    strand = project.strand(found.strand)
    if strand is None or found.mend not in MENDS:
        return project
    return MENDS[found.mend][1](project, strand, found, sound)
