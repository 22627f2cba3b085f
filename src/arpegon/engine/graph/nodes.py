"""Strands at work, and what of them must let go when a new document takes over."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import msgspec

from arpegon.core.document.model import Stage, Strand
from arpegon.core.events import Event
from arpegon.core.processing.processor import Processor
from arpegon.engine.graph.gates import End, Gate
from arpegon.engine.graph.heads import Head, Keys


class StrandNode:
    """A strand at work."""

    def __init__(self, strand: Strand) -> None:
        self.strand = strand
        self.gates: dict[tuple[str, int], Gate] = {}
        self.heads: list[Head] = []
        self.keys = Keys()
        self.stages: list[tuple[Stage, Processor]] = []
        self.ends: dict[tuple[str, int], End] = {}
        self.tapped: frozenset[str] = frozenset()
        self.passed_on: list[tuple[str, int | None]] = []
        self.along: Gate | None = None
        """Where the strand also sends what it is played along, past its stages."""
        self.timed: list[Processor] = []
        self._due: float | None = None

    def processors(self) -> Iterator[tuple[str, Processor]]:
        """All that is at work, by its id: generators, then stages."""
        for head in self.heads:
            yield head.source.id, head.processor
        for stage, processor in self.stages:
            yield stage.id, processor

    def due(self) -> float:
        """When one of its generators or stages emits of its own accord; known until :meth:`worked`."""
        if self._due is None:
            self._due = min([processor.due() for processor in self.timed], default=math.inf)
        return self._due

    def worked(self) -> None:
        """Something happened to its processors, or to their clock: when they are due must be asked anew."""
        self._due = None

    def due_at(self, time: float) -> None:
        """All its processors worked, and the first of them is due at a time."""
        self._due = time


class Handover(msgspec.Struct, frozen=True):
    """What lets go at ``time`` while a document takes over, by strand: ends of notes from gates that close, the
    ids of generators that go or rest, the places of stages that are moved, taken out or cut by a bypass, and strands
    that no longer send their sources along."""

    time: float
    closing: dict[str, list[Event]] = {}
    heads: dict[str, set[str]] = {}
    stages: dict[str, set[int]] = {}
    along: set[str] = set()


def changed_heads(node: StrandNode, strand: Strand | None) -> set[str]:
    """The generators of a strand that are taken out, rest, or are taken back in."""
    staying = {source.id: (type(source), source.bypass) for source in strand.generators} if strand else {}
    return {
        head.source.id for head in node.heads if staying.get(head.source.id) != (type(head.source), head.source.bypass)
    }


def changed_stages(old: Sequence[Stage], new: Sequence[Stage]) -> set[int]:
    """The places of old stages between what both chains begin and end with alike: those must let go.

    Where stages were only put in between, none must.
    """
    before = [(stage.id, stage.kind) for stage in old]
    after = [(stage.id, stage.kind) for stage in new]
    start = 0
    while start < min(len(before), len(after)) and before[start] == after[start]:
        start += 1
    end = 0
    while end < min(len(before), len(after)) - start and before[-1 - end] == after[-1 - end]:
        end += 1
    return set(range(start, len(before) - end))


def cut_by_bypass(node: StrandNode, strand: Strand) -> set[int]:
    """The places of stages that hold notes which no key holds, and are bypassed or taken back in."""
    bypass = {stage.id: stage.bypass for stage in strand.stages}
    return {
        place
        for place, (stage, processor) in enumerate(node.stages)
        if processor.cut_by_bypass and bypass.get(stage.id, stage.bypass) != stage.bypass
    }
