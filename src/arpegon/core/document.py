"""The document: an immutable tree that holds all that a project file holds.

Nothing here is ever changed in place; :mod:`arpegon.core.edits` makes new documents from old ones.
Channels are 0-15 and notes are numbers here; :mod:`arpegon.files.project` writes them as people read them.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal

import msgspec

from arpegon.core.scales import Key
from arpegon.core.takes import Take

FORMAT = "arpegon-project"
VERSION = 1

OWN_PORT = ""
"""A port destination or MIDI source with no port named: Arpegon's own output, all inputs."""


class Node(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Common settings of everything in the tree."""


class Source(Node, frozen=True, kw_only=True, tag_field="kind", omit_defaults=True):
    """What feeds a strand, with its zone; ``channel`` ``None`` takes all."""

    channel: int | None = None
    low_key: int = 0
    high_key: int = 127
    low_velocity: int = 1
    high_velocity: int = 127


class SurfaceSource(Source, frozen=True, kw_only=True, tag="surface"):
    """The play surface."""


class MidiSource(Source, frozen=True, kw_only=True, tag="midi"):
    """A MIDI input by name; an empty name takes all inputs."""

    port: str = ""


class ClipSource(Source, frozen=True, kw_only=True, tag="clip"):
    """A MIDI file, played with the transport; the path is relative to the project file."""

    file: str = ""
    loop: bool = True


class ClickSource(Source, frozen=True, kw_only=True, tag="click"):
    """A metronome: a note on every beat of the transport, another one at the start of each bar."""

    bar_note: int = 76
    beat_note: int = 77


class AudioSource(Source, frozen=True, kw_only=True, tag="audio"):
    """An audio input."""


class StrandSource(Source, frozen=True, kw_only=True, tag="strand"):
    """Another strand, taken after one of its stages (empty: at its end)."""

    strand: str = ""
    after: str = ""


AnySource = SurfaceSource | MidiSource | ClipSource | ClickSource | AudioSource | StrandSource


class Destination(Node, frozen=True, kw_only=True, tag_field="kind", omit_defaults=True):
    """Where a strand ends; ``channel`` ``None`` keeps the channel of what arrives."""

    channel: int | None = None
    muted: bool = False


class InstrumentDestination(Destination, frozen=True, kw_only=True, tag="instrument"):
    """A built-in instrument by its id."""

    instrument: str = ""


class PortDestination(Destination, frozen=True, kw_only=True, tag="port"):
    """A MIDI output by name; an empty name is Arpegon's own."""

    port: str = ""


class StrandDestination(Destination, frozen=True, kw_only=True, tag="strand"):
    """Another strand, entered beside its sources."""

    strand: str = ""


AnyDestination = InstrumentDestination | PortDestination | StrandDestination


class Stage(Node, frozen=True, kw_only=True):
    """One processor at work: its kind, and the parameters that differ from their defaults."""

    id: str
    kind: str
    bypass: bool = False
    params: dict[str, Any] = {}


class Strand(Node, frozen=True, kw_only=True):
    """One path of music: sources, stages, destinations.

    ``along`` sends what its sources bring along untouched, beside what the stages made of it; ``ink`` is the
    number of its colour (``None``: by its place).
    """

    id: str
    name: str
    muted: bool = False
    solo: bool = False
    along: bool = False
    ink: int | None = None
    sources: tuple[AnySource, ...] = ()
    stages: tuple[Stage, ...] = ()
    destinations: tuple[AnyDestination, ...] = ()


class Instrument(Node, frozen=True, kw_only=True):
    """A built-in sound with its place in the mix; ``pan`` runs from -1 (left) to 1, ``channel`` ``None`` plays all."""

    id: str
    sound: str
    level_db: float = 0.0
    pan: float = 0.0
    muted: bool = False
    channel: int | None = None


class Project(Node, frozen=True, kw_only=True):
    """All that is saved in one file."""

    format: str = FORMAT
    version: int = VERSION
    title: str = "Untitled"
    tempo: float = 120.0
    meter: tuple[int, int] = (4, 4)
    key: Key = Key()
    on_stop: Literal["stay", "start"] = "stay"
    """Where the transport rests when it is stopped: where it is, or at the start."""
    count_in: int = 0
    """Bars that are counted before a recording begins."""
    instruments: tuple[Instrument, ...] = ()
    strands: tuple[Strand, ...] = ()
    hookups: tuple[Any, ...] = ()
    sections: tuple[Any, ...] = ()
    takes: tuple[Take, ...] = ()

    def strand(self, strand_id: str) -> Strand | None:
        """The strand with an id."""
        return next((strand for strand in self.strands if strand.id == strand_id), None)

    def instrument(self, instrument_id: str) -> Instrument | None:
        """The instrument with an id."""
        return next((one for one in self.instruments if one.id == instrument_id), None)

    def take(self, take_id: str) -> Take | None:
        """The take with an id."""
        return next((take for take in self.takes if take.id == take_id), None)

    def stages(self) -> Iterator[tuple[Strand, Stage]]:
        """Every stage with its strand."""
        for strand in self.strands:
            for stage in strand.stages:
                yield strand, stage

    def find_stage(self, stage_id: str) -> tuple[Strand, Stage] | None:
        """A stage and its strand by the stage's id."""
        return next((pair for pair in self.stages() if pair[1].id == stage_id), None)

    def audible(self, strand: Strand) -> bool:
        """Whether mute and solo let a strand through."""
        if strand.muted:
            return False
        return strand.solo or not any(other.solo for other in self.strands)
