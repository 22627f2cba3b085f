"""The strands of a document, built beside those at work: what cannot be is found before anything was touched."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

from arpegon.core.document.model import AnySource, Project, Stage, Strand, StrandDestination, SurfaceSource
from arpegon.core.errors import ArpegonError, DocumentError
from arpegon.core.notes.merging import Merging
from arpegon.core.processing.parameters import check_params
from arpegon.core.processing.processor import Context, Processor
from arpegon.core.processing.values import faded
from arpegon.engine.graph.feeds import (
    FROM_STRANDS,
    connections_of,
    feeds_of,
    into_feed,
    is_past,
    is_silent,
    taken_after,
)
from arpegon.engine.graph.gates import Gate
from arpegon.engine.graph.heads import Head
from arpegon.engine.graph.nodes import StrandNode
from arpegon.engine.graph.outlets import Connection
from arpegon.processors import processor_class
from arpegon.processors.sources.generator import Generator

_ALWAYS = 1
"""Every strand has a way in for takes, beside those of its sources."""


class StrandsAtWork(Protocol):
    """The strands at work, of which the new ones take over what stays."""

    def node(self, strand_id: str) -> StrandNode | None:
        """A strand at work."""

    def connection(self, outlet: str) -> Connection:
        """A new connection to an outlet."""

    def context(self, stage: Stage, strand: Strand, project: Project) -> Context:
        """What a stage may know of the project around it."""


class Build:
    """The strands of a document, built beside those at work.

    What stays at work is not touched: what it must take over stands in ``changes``, to be done once all is built.

    Raises:
        DocumentError: a stage cannot work with its settings.
    """

    def __init__(self, graph: StrandsAtWork, project: Project, time: float) -> None:
        self._graph = graph
        self._project = project
        self._time = time
        self.changes: list[Callable[[], None]] = []
        self.nodes: dict[str, StrandNode] = {}
        feeds = feeds_of(project)
        for strand in project.strands:
            self.nodes[strand.id] = self._node(strand, feeds[strand.id], graph.node(strand.id))
        for source_strand, after in taken_after(project):
            if source_strand in self.nodes:
                self.nodes[source_strand].tapped |= {after}

    def _node(self, strand: Strand, feeds: Mapping[tuple[str, int], AnySource], old: StrandNode | None) -> StrandNode:
        node = StrandNode(strand)
        for gate_key, source in feeds.items():
            gate = old.gates.get(gate_key) if old else None
            if gate is not None and gate.past != is_past(source):
                gate = None
            node.gates[gate_key] = gate or Gate(gate_key[0], source)
            if gate is not None:
                self._later(gate, zone=source)
        if len(feeds) > _ALWAYS + 1 or any(feed.startswith(FROM_STRANDS) for feed, _ in feeds):
            node.merging = (old.merging if old else None) or Merging()
        before: dict[str, tuple[Stage, Processor]] = {}
        if old:
            before = {head.source.id: (head.source.stage, head.processor) for head in old.heads}
            before |= {stage.id: (stage, processor) for stage, processor in old.stages}
            node.keys = old.keys
        for generator in strand.generators:
            processor = self._processor(before.get(generator.id), generator.stage, strand)
            assert isinstance(processor, Generator)
            node.heads.append(Head(generator, processor))
        for stage in strand.stages:
            node.stages.append((stage, self._processor(before.get(stage.id), stage, strand)))
        node.timed = [processor for _, processor in node.processors() if processor.timed]
        if old is not None:
            node.later, node.taking, node.printed = old.later, old.taking, old.printed
            node.keys_out = old.keys_out
        if strand.along:
            node.along = (old.along if old else None) or Gate("along:", SurfaceSource())
        for key, destination in connections_of(self._project, strand).items():
            known = old.connections.get(key) if old else None
            connection = node.connections[key] = known or self._graph.connection(key[0])
            silent = is_silent(self._project, strand.id, destination)
            ends = destination.silent_at, destination.full_at
            self._later(
                connection,
                channel=destination.channel,
                silent=silent,
                delay=destination.delay_ms / 1000.0,
                fade=None if ends[0] is None or ends[1] is None else faded(ends[0], ends[1]),
            )
        node.passed_on = [
            (into_feed(strand, destination), destination.channel)
            for destination in strand.destinations
            if isinstance(destination, StrandDestination)
        ]
        return node

    def _later(self, target: object, **values: object) -> None:
        """Have attributes set once all is built."""

        def change() -> None:
            for name, value in values.items():
                setattr(target, name, value)

        self.changes.append(change)

    def _processor(self, known: tuple[Stage, Processor] | None, stage: Stage, strand: Strand) -> Processor:
        """The processor of a stage: the one that is at work, which takes what is new later, or another one."""
        context = self._graph.context(stage, strand, self._project)
        if known is not None and known[0].kind == stage.kind:
            processor = known[1]
            if known[0].params != stage.params or processor.context != context:
                self._made(stage, strand, context)  # whether it can work so
                self.changes.append(lambda: configure(processor, stage.params, context, self._time))
        else:
            processor = self._made(stage, strand, context)
            processor.on_join(self._time)
        self._later(processor, bypass=stage.bypass)
        return processor

    @staticmethod
    def _made(stage: Stage, strand: Strand, context: Context) -> Processor:
        made = processor_class(stage.kind)
        try:
            check_params(made.params, stage.params, f"stage “{stage.id}”")
            return made(stage.params, context)
        except ArpegonError as error:
            raise DocumentError(f"{made.label} in “{strand.name}” cannot work so: {error}") from error
        except Exception as error:  # whatever values that were not checked lead to
            raise DocumentError(f"{made.label} in “{strand.name}” cannot work with its settings ({error}).") from error


def configure(processor: Processor, values: Mapping[str, object], context: Context, time: float) -> None:
    """New values for a processor at work: nothing of what they make due is earlier than ``time``."""
    processor.on_caught_up(time)
    follows = processor.context.pace
    processor.configure(values, context)
    if processor.context.pace is not follows:
        processor.on_join(time)  # the beats of another clock lie elsewhere
