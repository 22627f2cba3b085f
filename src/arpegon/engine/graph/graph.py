"""The strands at work: gates, stages and outlets, and how a new document takes over from an old one."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from itertools import count, groupby
from typing import Protocol

import msgspec

from arpegon.core.document.model import (
    Project,
    Stage,
    Strand,
    StrandDestination,
    SurfaceSource,
)
from arpegon.core.document.routing import working_order
from arpegon.core.events import Event
from arpegon.core.processing.processor import Processor, Setting
from arpegon.core.time.clock import Clock
from arpegon.engine.graph.feeds import ends_of, feeds_of, into_feed, is_silent, strand_feed, taps
from arpegon.engine.graph.gates import End, Gate, Outlet, on_channel
from arpegon.engine.graph.heads import Head
from arpegon.engine.graph.nodes import Handover, StrandNode, changed_heads, changed_stages, cut_by_bypass
from arpegon.processors import processor_class
from arpegon.processors.sources.generator import Generator

Inputs = dict[str, list[Event]]
"""Events of one push by the name of the feed they came from, such as ``"surface"`` or ``"midi:Keys"``."""


Work = Callable[[Sequence[Event], float, list[Event]], float]
"""See :meth:`~arpegon.core.processing.processor.Processor.work`."""


class Outputs(Protocol):
    """Where a graph's events go."""

    def port(self, port: str, events: Sequence[Event]) -> None:
        """Send to a MIDI output (empty name: Arpegon's own)."""

    def instrument(self, instrument: str, events: Sequence[Event]) -> None:
        """Play on a built-in instrument."""

    def printed(self, strand: str, roll: int, events: Sequence[Event]) -> None:
        """Print on a strand's roll: 0 is before the first stage, the last is what leaves the strand."""

    def passed(self, stage: str, event: Event | None, out: Sequence[Event]) -> None:
        """What one event became in the watched stage; ``None`` where the stage emits of its own accord."""


class Graph:
    """All strands at work, in working order.

    :meth:`push` sends a batch of events through; :meth:`apply` takes a new document, keeps the state of
    what did not change, and makes what went away let go of its notes.
    """

    def __init__(
        self, outputs: Outputs, seed: int | None = None, clock: Clock | None = None, endless: Clock | None = None
    ) -> None:
        self.outputs = outputs
        self.seed = seed
        self.clock = clock or Clock()
        self.endless = endless or self.clock
        """The clock of strands that play on when the transport stops."""
        self.watched: str | None = None
        self.project = Project()
        self._nodes: dict[str, StrandNode] = {}
        self._order: list[StrandNode] = []
        self._outlets: dict[str, Outlet] = {}
        self._holders = count(1)
        self._due: float | None = None
        self._clock_changes = (0, 0)

    # -- events ------------------------------------------------------------------------------------

    def due(self) -> float:
        """When a stage emits next of its own accord, in seconds (infinity: never, as things are)."""
        self._follow_clocks()
        if self._due is None:
            self._due = min(map(StrandNode.due, self._order), default=math.inf)
        return self._due

    def _follow_clocks(self) -> None:
        """Ask anew when stages are due, once a clock started, stopped or changed its tempo."""
        changes = (self.clock.changes, self.endless.changes)
        if changes != self._clock_changes:
            self._clock_changes = changes
            self._worked()

    def _worked(self) -> None:
        self._due = None
        for node in self._order:
            node.worked()

    def push(self, inputs: Inputs, until: float, handover: Handover | None = None) -> None:
        """Send what the feeds brought, and what stages emit of their own accord, through every strand.

        Args:
            inputs: events by feed; the strands' own feeds are added on the way.
            until: what stages put off is emitted up to this time; no event of ``inputs`` is later.
            handover: what must let go on the way, while a new document takes over.
        """
        self._follow_clocks()
        self._due = None
        deliveries: dict[str, list[tuple[End, list[Event]]]] = {}
        for node in self._order:
            events = self._gather(node, inputs)
            concerned = False
            if handover is not None:
                events += handover.closing.get(node.strand.id, ())
                concerned = any(node.strand.id in part for part in (handover.heads, handover.stages, handover.along))
            if events or concerned or node.due() <= until:
                events = self._through(node, events, inputs, until, handover)
                if handover is not None:
                    node.worked()
                for end in node.ends.values() if events else ():
                    deliveries.setdefault(end.outlet, []).append((end, events))
        for name, arrivals in deliveries.items():
            self._deliver(name, arrivals)
        self.flush()

    def _gather(self, node: StrandNode, inputs: Inputs) -> list[Event]:
        gathered: list[Event] = []
        feeds = 0
        for gate in node.gates.values():
            events = inputs.get(gate.feed)
            if events:
                feeds += 1
                gate.process(events, gathered)
        if feeds > 1:
            gathered.sort(key=lambda event: event.time)
        return gathered

    def _through(
        self, node: StrandNode, events: list[Event], inputs: Inputs, until: float, handover: Handover | None
    ) -> list[Event]:
        outputs = self.outputs
        strand_id = node.strand.id
        letting_go = handover.stages.get(strand_id, ()) if handover is not None else ()
        along: list[Event] = []
        if node.along is not None:
            node.along.process(events, along)
            if handover is not None and strand_id in handover.along:
                node.along.release(handover.time, along)
        soonest = math.inf
        if node.heads or node.keys.held:
            events, soonest = self._from_heads(node, events, until, handover)
        for place, (stage, processor) in enumerate(node.stages):
            if events:
                outputs.printed(strand_id, place, events)
            made: list[Event] = []
            work = processor.work if stage.id != self.watched else self._watching(stage.id, processor)
            due = work(events, until, made)
            if due < soonest:
                soonest = due
            if handover is not None and place in letting_go:
                processor.release(handover.time, made)
            events = made
            if stage.id in node.tapped:
                inputs[strand_feed(strand_id, stage.id)] = events
        node.due_at(soonest)
        if along:
            events = sorted([*along, *events], key=lambda event: event.time)
        if events:
            outputs.printed(strand_id, len(node.stages), events)
        if "" in node.tapped:
            inputs[strand_feed(strand_id)] = events
        for feed, channel in node.passed_on:
            inputs[feed] = events if channel is None else [on_channel(event, channel) for event in events]
        return events

    def _from_heads(
        self, node: StrandNode, events: list[Event], until: float, handover: Handover | None
    ) -> tuple[list[Event], float]:
        """What the generators make, among what the other sources bring and no generator takes; when the next is due."""
        letting_go = handover.heads.get(node.strand.id, ()) if handover is not None else ()
        gathered, taken = node.keys.split(node.heads, events)
        soonest = math.inf
        for head in node.heads:
            head_id = head.source.id
            made: list[Event] = []
            work = head.processor.work if head_id != self.watched else self._watching(head_id, head.processor)
            soonest = min(soonest, work(taken.get(head_id, ()), until, made))
            if handover is not None and head_id in letting_go:
                head.processor.release(handover.time, made)
            gathered += made
        gathered.sort(key=lambda event: event.time)
        return gathered, soonest

    def _watching(self, stage_id: str, processor: Processor) -> Work:
        """The work of the watched stage: one event at a time, and each is reported."""

        def emit(until: float, made: list[Event]) -> float:
            before = len(made)
            due = processor.work((), until, made)
            if len(made) > before:
                self.outputs.passed(stage_id, None, made[before:])
            return due

        def work(events: Sequence[Event], until: float, made: list[Event]) -> float:
            for event in events:
                emit(event.time, made)
                before = len(made)
                processor.process((event,), made)
                self.outputs.passed(stage_id, event, made[before:])
            return emit(until, made)

        return work

    def _deliver(self, name: str, arrivals: list[tuple[End, list[Event]]]) -> None:
        outlet = self._outlets[name]
        if len(arrivals) == 1:
            end, events = arrivals[0]
            outlet.deliver(end, events)
            return
        merged = [(event.time, place, event) for place, (_, events) in enumerate(arrivals) for event in events]
        merged.sort(key=lambda entry: entry[0])
        for place, run in groupby(merged, key=lambda entry: entry[1]):
            outlet.deliver(arrivals[place][0], [event for _, _, event in run])

    def play_direct(self, strand: str, events: Sequence[Event]) -> None:
        """Send events straight to a strand's destinations: a take, which must not meet the stages again."""
        node = self._nodes.get(strand)
        for end in node.ends.values() if node else ():
            self._outlets[end.outlet].deliver(end, events, direct=True)
        self.flush()

    def release_direct(self, strand: str, time: float) -> None:
        """End what :meth:`play_direct` started."""
        node = self._nodes.get(strand)
        for end in node.ends.values() if node else ():
            self._outlets[end.outlet].release(end, time, direct=True)
        self.flush()

    def release_feed(self, feed: str, time: float) -> None:
        """A feed is gone or stops: end the keys that gates hold for it."""
        closing: dict[str, list[Event]] = {}
        for node in self._order:
            for gate in node.gates.values():
                if gate.feed == feed:
                    gate.release(time, closing.setdefault(node.strand.id, []))
        if any(closing.values()):
            self.push({}, time, Handover(time, closing))

    def flush(self) -> None:
        """Hand what the outlets hold to the outputs."""
        for name, outlet in self._outlets.items():
            events = outlet.take()
            if events:
                kind, _, target = name.partition(":")
                send = self.outputs.instrument if kind == "instrument" else self.outputs.port
                send(target, events)

    def silence(self, time: float, panic: bool = True) -> None:
        """All off: every stage forgets its notes, every outlet ends them."""
        for node in self._order:
            dropped: list[Event] = []
            for gate in node.gates.values():
                gate.release(time, dropped)
            if node.along is not None:
                node.along.release(time, [])
            node.keys.forget()
            for head in node.heads:
                head.processor.release(time, dropped)
            for place in range(len(node.stages)):
                outputs: list[Event] = []
                node.stages[place][1].process(dropped, outputs)
                node.stages[place][1].release(time, outputs)
                dropped = outputs
                self.outputs.printed(node.strand.id, place + 1, dropped)
        self._worked()
        for outlet in self._outlets.values():
            outlet.silence(time, panic)
        self.flush()

    def restart(self, endless: bool = False) -> None:
        """Random draws begin anew, as at the start of the piece; those of strands that play on if ``endless``."""
        for node in self._order:
            if node.strand.plays_on == endless:
                for _, processor in node.processors():
                    processor.restart()
        self._worked()

    def halted(self, time: float, endless: bool = False) -> None:
        """The transport stopped (or the ``endless`` clock of the strands that play on): what it carried ends."""
        for node in self._order:
            if node.strand.plays_on == endless:
                for _, processor in node.processors():
                    processor.halted(time)
        self._worked()
        self.push({}, time)

    def find(self, stage_id: str) -> Processor | None:
        """The processor of a stage or generator at work."""
        return next(
            (processor for node in self._order for one, processor in node.processors() if one == stage_id), None
        )

    def command(self, stage_id: str, act: str, value: float | None, time: float) -> None:
        """Have a stage or generator do something (see :meth:`~arpegon.core.processing.processor.Processor.command`)."""
        processor = self.find(stage_id)
        if processor is not None:
            processor.command(act, value, time)
            self._worked()

    @property
    def sounding(self) -> int:
        """Notes that were started at all outlets and not yet ended."""
        return sum(outlet.sounding for outlet in self._outlets.values())

    # -- documents ---------------------------------------------------------------------------------

    def apply(self, project: Project, time: float) -> None:
        """Take over a document, at ``time``.

        Raises:
            DocumentError: it cannot be worked out (a loop, an unknown kind); the old one stays at work.
        """
        order = working_order(project)
        for _, stage in project.stages():
            processor_class(stage.kind)
        self._let_go(project, time)
        nodes: dict[str, StrandNode] = {}
        for strand in project.strands:
            nodes[strand.id] = self._rebuilt(project, strand, self._nodes.get(strand.id), time)
        for source_strand, after in taps(project):
            if source_strand in nodes:
                nodes[source_strand].tapped |= {after}
        self.project = project
        self._nodes = nodes
        self._order = [nodes[strand.id] for strand in order]
        self._worked()

    def set_params(self, stage_id: str, values: Mapping[str, object]) -> None:
        """The short cut for a knob that is dragged: new values for one stage."""
        for node in self._order:
            for head in node.heads:
                if head.source.id == stage_id:
                    head.processor.configure(values, self._setting(head.source.stage, node.strand, self.project))
                    head.source = msgspec.structs.replace(head.source, params=dict(values))
            for place, (stage, processor) in enumerate(node.stages):
                if stage.id == stage_id:
                    processor.configure(values, self._setting(stage, node.strand, self.project))
                    node.stages[place] = (msgspec.structs.replace(stage, params=dict(values)), processor)
        self._worked()

    def _let_go(self, project: Project, time: float) -> None:
        """On the old graph: make everything that will not be there any more end its notes."""
        handover = Handover(time)
        feeds = feeds_of(project)
        for node in self._order:
            strand = project.strand(node.strand.id)
            stages = changed_stages(node.strand.stages, strand.stages if strand else ())
            if strand is not None:
                stages |= cut_by_bypass(node, strand)
            if stages:
                handover.stages[node.strand.id] = stages
            heads = changed_heads(node, strand)
            if heads:
                handover.heads[node.strand.id] = heads
            if node.along is not None and (strand is None or not strand.along):
                handover.along.add(node.strand.id)
            staying = feeds.get(node.strand.id, {})
            closing: list[Event] = []
            for key in [key for key in node.gates if key not in staying]:
                node.gates.pop(key).release(time, closing)
            if closing:
                handover.closing[node.strand.id] = closing
        if handover.heads or handover.stages or handover.closing or handover.along:
            self.push({}, time, handover)
        for node in self._order:
            strand = project.strand(node.strand.id)
            ends = ends_of(project, strand) if strand else {}
            for key, end in node.ends.items():
                if key not in ends or is_silent(project, node.strand.id, ends[key]):
                    self._outlets[end.outlet].release(end, time)
        self.flush()

    def _rebuilt(self, project: Project, strand: Strand, old: StrandNode | None, time: float) -> StrandNode:
        node = StrandNode(strand)
        for gate_key, source in feeds_of(project)[strand.id].items():
            gate = old.gates.get(gate_key) if old else None
            if gate is None:
                gate = Gate(gate_key[0], source)
            gate.zone = source
            node.gates[gate_key] = gate
        before: dict[str, tuple[Stage, Processor]] = {}
        if old:
            before = {head.source.id: (head.source.stage, head.processor) for head in old.heads}
            before |= {stage.id: (stage, processor) for stage, processor in old.stages}
            node.keys = old.keys
        for generator in strand.generators:
            processor = self._processor(before.get(generator.id), generator.stage, strand, project, time)
            assert isinstance(processor, Generator)
            node.heads.append(Head(generator, processor))
        for stage in strand.stages:
            node.stages.append((stage, self._processor(before.get(stage.id), stage, strand, project, time)))
        node.timed = [processor for _, processor in node.processors() if processor.timed]
        if strand.along:
            node.along = (old.along if old else None) or Gate("along:", SurfaceSource())
        for end_key, destination in ends_of(project, strand).items():
            end = old.ends.get(end_key) if old else None
            if end is None:
                end = End(end_key[0], next(self._holders))
                self._outlets.setdefault(end.outlet, Outlet())
            end.channel = destination.channel
            end.silent = is_silent(project, strand.id, destination)
            node.ends[end_key] = end
        node.passed_on = [
            (into_feed(strand, destination), destination.channel)
            for destination in strand.destinations
            if isinstance(destination, StrandDestination)
        ]
        return node

    def _processor(
        self, known: tuple[Stage, Processor] | None, stage: Stage, strand: Strand, project: Project, time: float
    ) -> Processor:
        """The processor of a stage: the one that was at work, with what is new, or another one."""
        setting = self._setting(stage, strand, project)
        if known is None or known[0].kind != stage.kind:
            processor = processor_class(stage.kind)(stage.params, setting)
            processor.joined(time)
        else:
            processor = known[1]
            if known[0].params != stage.params or processor.setting != setting:
                processor.configure(stage.params, setting)
        processor.bypass = stage.bypass
        return processor

    def _setting(self, stage: Stage, strand: Strand, project: Project) -> Setting:
        clock = self.endless if strand.plays_on else self.clock
        return Setting(key=project.key, identity=stage.id, seed=self.seed, meter=project.meter, clock=clock)
