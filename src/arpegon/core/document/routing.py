"""Which strand feeds which, in which order they are worked out, and why a loop cannot be."""

from __future__ import annotations

from graphlib import CycleError, TopologicalSorter

from arpegon.core.document.model import Project, Strand, StrandDestination, StrandSource
from arpegon.core.errors import DocumentError


def taken_somewhere(project: Project, source: StrandSource) -> bool:
    """Whether the strand, and the stage after which it is taken, are there."""
    strand = project.strand(source.strand)
    return strand is not None and (not source.after or any(stage.id == source.after for stage in strand.stages))


def feeders(project: Project) -> dict[str, set[str]]:
    """For each strand the strands that feed it, as its sources or through their destinations."""
    fed: dict[str, set[str]] = {strand.id: set() for strand in project.strands}
    for strand in project.strands:
        for source in strand.sources:
            if isinstance(source, StrandSource) and source.strand in fed:
                fed[strand.id].add(source.strand)
        for destination in strand.destinations:
            if isinstance(destination, StrandDestination) and destination.strand in fed:
                fed[destination.strand].add(strand.id)
    return fed


def topological_order(project: Project) -> list[Strand]:
    """The strands, each after all that feed it.

    Raises:
        DocumentError: strands feed one another in a loop; the sentence names them.
    """
    by_id = {strand.id: strand for strand in project.strands}
    sorter = TopologicalSorter(feeders(project))
    try:
        return [by_id[strand_id] for strand_id in sorter.static_order()]
    except CycleError as error:
        ring = [by_id[strand_id].name for strand_id in error.args[1]]
        raise DocumentError(
            f"These strands would feed one another in a loop: {' → '.join(reversed(ring))}. Take one of them out."
        ) from None
