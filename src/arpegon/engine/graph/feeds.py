"""What feeds which strand and where each is connected to, by name, as the document says."""

from __future__ import annotations

from collections.abc import Iterable

from arpegon.core.document.model import (
    AnyDestination,
    AnySource,
    AudioSource,
    ClickSource,
    ClipSource,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    Project,
    Strand,
    StrandDestination,
    StrandSource,
    SurfaceSource,
)
from arpegon.core.document.routing import taken_somewhere

FROM_STRANDS = ("strand:", "into:")
"""How the names of feeds begin that bring what strands made."""
ALL_INPUTS = "midi:"
"""The feed of all MIDI inputs together."""


def feed_of(strand: Strand, place: int) -> str | None:
    """The name of the feed that a source of a strand listens to; ``None`` where it makes notes by itself."""
    source = strand.sources[place]
    on = ":on" if strand.plays_on else ""
    match source:
        case SurfaceSource():
            return "surface"
        case MidiSource():
            return f"midi:{source.port}"
        case ClipSource():
            # A clip may be changed for another one while it plays, so every source has a player of its own.
            return f"clip:{strand.id}:{place}{on}"
        case ClickSource(muted=True):
            return None
        case ClickSource():
            return f"click:{source.bar_note}:{source.beat_note}{on}"
        case AudioSource():
            return f"audio:{source.id}"
        case StrandSource():
            return strand_feed(source.strand, source.after)
    return None


def is_live(feed: str) -> bool:
    """Whether somebody plays a feed now: keys and what is listened to, not what plays by itself."""
    return feed.startswith(("surface", "midi:", "audio:"))


def is_past(source: AnySource) -> bool:
    """Whether a source enters its strand past the stages."""
    return isinstance(source, ClipSource) and source.past


def take_feed(strand: str) -> str:
    """The feed of a take that is played through a strand's stages."""
    return f"take:{strand}"


def strand_feed(strand: str, after: str = "") -> str:
    """The feed of what leaves a strand, or one of its stages."""
    return f"strand:{strand}:{after}"


def outlet_of(destination: AnyDestination) -> str | None:
    """The name of the outlet of a destination; ``None`` where it is a strand."""
    if isinstance(destination, InstrumentDestination):
        return f"instrument:{destination.instrument}"
    if isinstance(destination, PortDestination):
        return f"port:{destination.port}"
    return None


def is_silent(project: Project, strand_id: str, destination: AnyDestination) -> bool:
    strand = project.strand(strand_id)
    return destination.muted or strand is None or not project.audible(strand)


def feeds_of(project: Project) -> dict[str, dict[tuple[str, int], AnySource]]:
    """For each strand its feeds, numbered where one stands twice, with their zones.

    A strand that another has as its destination is fed by it as by a source; every strand by takes that are played
    through its stages.
    """
    found: dict[str, dict[tuple[str, int], AnySource]] = {
        strand.id: {(take_feed(strand.id), 0): SurfaceSource()} for strand in project.strands
    }
    for strand in project.strands:
        for place, source in enumerate(strand.sources):
            feed = feed_of(strand, place)
            if feed is None or (isinstance(source, StrandSource) and not taken_somewhere(project, source)):
                continue
            number = sum(1 for key in found[strand.id] if key[0] == feed)
            found[strand.id][feed, number] = source
    for strand in project.strands:
        for destination in strand.destinations:
            if isinstance(destination, StrandDestination) and destination.strand in found:
                if not is_silent(project, strand.id, destination):
                    found[destination.strand][into_feed(strand, destination), 0] = SurfaceSource()
    return found


def into_feed(strand: Strand, destination: StrandDestination) -> str:
    """The feed from a strand into one that is its destination; another channel makes another feed, so that
    notes held across the change end on the channel on which they began."""
    return f"into:{destination.strand}:{strand.id}:{destination.channel}"


def taken_after(project: Project) -> Iterable[tuple[str, str]]:
    """Strand and stage after which somebody listens."""
    for feeds in feeds_of(project).values():
        for source in feeds.values():
            if isinstance(source, StrandSource):
                yield source.strand, source.after


def connections_of(project: Project, strand: Strand) -> dict[tuple[str, int], AnyDestination]:
    """The destinations of a strand that are outlets, by outlet, numbered where one stands twice."""
    found: dict[tuple[str, int], AnyDestination] = {}
    for destination in strand.destinations:
        outlet = outlet_of(destination)
        if isinstance(destination, InstrumentDestination) and project.instrument(destination.instrument) is None:
            continue
        if outlet is not None:
            found[outlet, sum(1 for key in found if key[0] == outlet)] = destination
    return found
