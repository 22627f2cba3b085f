"""The strands at work, and how a new document takes over from an old one."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from typing import Any, Protocol

import msgspec

from arpegon.core.document.model import Project, Stage, Strand
from arpegon.core.document.routing import topological_order
from arpegon.core.events import Event
from arpegon.core.notes.course import TimeFacts
from arpegon.core.notes.pressed import at_rest, is_pedal
from arpegon.core.notes.taps import OUT, Tap
from arpegon.core.processing.processor import Context, Processor
from arpegon.core.time.clock import Clock
from arpegon.core.time.rhythm import offset_beats
from arpegon.engine.graph.build import Build, configure
from arpegon.engine.graph.feeds import connections_of, feeds_of, is_silent, strand_feed
from arpegon.engine.graph.handover import Handover
from arpegon.engine.graph.nodes import StrandNode
from arpegon.engine.graph.outlets import Connection, Devices, Outlets, on_channel

Inputs = dict[str, list[Event]]
"""Events of one push by the name of the feed they came from, such as ``"surface"`` or ``"midi:Keys"``."""


Printed = Callable[[str, tuple[str, ...], Sequence[Event]], None]
"""Takes what passes places of a strand."""


class Outputs(Devices, Protocol):
    """Where a graph's events go."""

    def printed(self, strand: str, places: tuple[str, ...], events: Sequence[Event]) -> None:
        """Events passed these places of a strand (see :mod:`arpegon.core.notes.taps`)."""

    def revised(self, revision: int, taps: Collection[Tap], time: float) -> None:
        """What is printed from ``time`` on passed the strands of this revision of the document, with these taps."""

    def timed(self, facts: TimeFacts) -> None:
        """What holds of time from a moment on is another thing than before."""

    def passed(self, stage: str, event: Event | None, out: Sequence[Event]) -> None:
        """What one event became in the watched stage; ``None`` where the stage emits of its own accord."""


class OwnClocks(Protocol):
    """The clocks of stages that run at a tempo of their own."""

    def clock(self, name: str, values: Mapping[str, Any]) -> Clock | None:
        """That of a stage whose parameters ask for one."""

    @property
    def changes(self) -> tuple[int, ...]:
        """Another value whenever beats come to fall at other times."""


class Graph:
    """All strands at work, in topological order.

    :meth:`push` sends a batch of events through; :meth:`apply` takes a new document, keeps the state of
    what did not change, and makes what went away let go of its notes.
    """

    def __init__(
        self,
        outputs: Outputs,
        seed: int | None = None,
        clock: Clock | None = None,
        endless: Clock | None = None,
        own: OwnClocks | None = None,
    ) -> None:
        self.outputs = outputs
        self._printed: Printed = outputs.printed
        self.seed = seed
        self.clock = clock or Clock()
        self.endless = endless or self.clock
        """The clock of strands that play on when the transport stops."""
        self._own = own
        self.project = Project()
        self._watched: str | None = None
        self._nodes: dict[str, StrandNode] = {}
        self._order: list[StrandNode] = []
        self._processors: dict[str, Processor] = {}
        """All that is at work, by its id."""
        self._outlets = Outlets(outputs)
        self._astray: set[str] = set()
        """Strands whose stages became others while a pedal was down."""
        self._due: float | None = None
        self._clock_changes: tuple[int, ...] = ()
        self.lead = 0.0
        """Seconds by which all is later because some strand is played early."""
        self.least_lead = 0.0
        """The least that this is."""
        self.most_lead = 0.0
        """The most that it was."""

    @property
    def watched(self) -> str | None:
        """The stage of which every event is reported (``None``: none)."""
        return self._watched

    def watch(self, stage_id: str | None) -> None:
        """Report every event of this stage."""
        self._watched = stage_id
        for node in self._order:
            self._set_steps(node)

    def listen(self, heard: Printed | None) -> None:
        """Tell someone beside the outputs what passes every place (``None``: nobody)."""
        printed = self.outputs.printed

        def both(strand: str, places: tuple[str, ...], events: Sequence[Event]) -> None:
            printed(strand, places, events)
            if heard is not None:
                heard(strand, places, events)

        self._printed = printed if heard is None else both

    def _set_steps(self, node: StrandNode, handover: Handover | None = None) -> None:
        letting_go = handover.lay(node) if handover is not None else ()
        time = handover.time if handover is not None else 0.0
        name = node.strand.id
        node.set_steps(lambda stage: strand_feed(name, stage), self._watched, self.outputs.passed, letting_go, time)

    # -- events ------------------------------------------------------------------------------------

    def due(self) -> float:
        """When a stage emits next of its own accord, in seconds (infinity: never, as things are)."""
        self._follow_clocks()
        if self._due is None:
            self._due = min(map(StrandNode.due, self._order), default=math.inf)
        return self._due

    def _follow_clocks(self) -> None:
        """Ask anew when stages are due, once a clock started, stopped or changed its tempo."""
        changes = (self.clock.changes, self.endless.changes, *(self._own.changes if self._own is not None else ()))
        if changes != self._clock_changes:
            self._clock_changes = changes
            if any(node.strand.offset for node in self._order):  # a note value lasts another time now
                self._set_shifts(0.0)
                for node in self._order:
                    self._set_steps(node)
            self._forget_due()

    def _set_shifts(self, time: float) -> None:
        """How much later each strand is played, at the tempo of now: none is earlier than now.

        Args:
            time: up to when all was printed.
        """
        meter = self.project.meter
        offsets = [
            node.strand.offset_ms / 1000.0 + self.clock.seconds(offset_beats(node.strand.offset, meter))
            for node in self._order
        ]
        self.lead = max([self.least_lead, *(-offset for offset in offsets)])
        self.most_lead = max(self.most_lead, self.lead)
        for node, offset in zip(self._order, offsets, strict=True):
            node.lead, node.shift = self.lead, max(0.0, self.lead + offset)
            if not node.holds_back:
                node.printed = time

    @property
    def longest_delay(self) -> float:
        """By how many seconds anything leaves later than it was made."""
        return max(
            [
                node.shift + max([connection.delay for connection in node.connections.values()], default=0.0)
                for node in self._order
            ],
            default=0.0,
        )

    def _forget_due(self) -> None:
        self._due = None
        for node in self._order:
            node.forget_due()

    def push(self, inputs: Inputs, until: float) -> None:
        """Send what the feeds brought, and what stages emit of their own accord, through every strand.

        Args:
            inputs: events by feed; the strands' own feeds are added on the way.
            until: what stages put off is emitted up to this time; no event of ``inputs`` is later.
        """
        self._pass(inputs, until)
        self._outlets.flush()
        if self._astray:
            self._catch_pedals(until)

    def _pass(self, inputs: Inputs, until: float) -> None:
        self._follow_clocks()
        self._due = None
        deliveries: dict[str, list[tuple[Connection, Sequence[Event]]]] = {}
        for node in self._order:
            events = self._gather(node, inputs)
            if events or node.leaving or node.lets_go or node.due() <= until:
                events = self._through(node, events, inputs, until)
                for connection in node.connections.values() if events or node.delays else ():
                    sent = connection.take(events, until)
                    if sent:
                        deliveries.setdefault(connection.outlet, []).append((connection, sent))
                if node.delays:
                    self._outlets.deliver_direct(node.connections.values(), node.taking.take(until))
        self._outlets.deliver(deliveries)

    def let_go(self, handover: Handover) -> None:
        """Let parts of the strands go of their notes, in a pass of its own."""
        if not handover:
            return
        for node in self._order:
            self._set_steps(node, handover)
        self._pass({}, handover.time)
        self._flush_ends()
        for node in self._order:
            node.lets_go = False
            self._set_steps(node)
            if handover.lifts_pedals(node):
                self._lift_pedals(node, handover.time)
        self._forget_due()

    def _catch_pedals(self, time: float) -> None:
        """Lift the pedals of strands that were built otherwise while they were down, once nobody steps on one there:
        what became of their going down may not be what became of their coming up."""
        for node in self._order:
            if node.strand.id in self._astray and not node.stepped_on:
                self._astray.discard(node.strand.id)
                self._lift_pedals(node, time)

    def _lift_pedals(self, node: StrandNode, time: float) -> None:
        """Lift what a strand still holds down of pedals: what its stages made of a controller that is gone."""
        self._bring_back(node, filter(is_pedal, self._outlets.held(node.connections.values())), time)

    def _bring_back(self, node: StrandNode, held: Iterable[int], time: float) -> None:
        """Let go, at the end of a strand, of things that it holds besides notes."""
        ends = at_rest(held, time)
        if ends:
            self._send_out(node.strand.id, ends)
            self._flush_ends()

    def _gather(self, node: StrandNode, inputs: Inputs) -> list[Event]:
        gathered: list[Event] = []
        feeds = 0
        for gate in node.gates.values():
            events = inputs.get(gate.feed)
            if not events or (node.keys_out and gate.is_live):
                continue
            if gate.past:
                gate.process(events, node.leaving)
            else:
                feeds += 1
                gate.process(events, gathered)
        if feeds > 1:
            gathered.sort(key=_time)
        if node.entering:
            gathered += node.entering
            node.entering = []
        return gathered if node.merging is None else node.merging.process(gathered)

    def _through(self, node: StrandNode, events: list[Event], inputs: Inputs, until: float) -> list[Event]:
        printed = self._printed
        strand_id = node.strand.id
        past: list[Event] = []
        if node.joined:
            past, node.leaving = node.leaving, past
            if node.along is not None:
                node.along.process(events, past)
        soonest = math.inf
        if node.heads or node.keys.held:
            events, soonest = self._from_heads(node, events, until)
        if events:
            printed(strand_id, node.entry_places, events)
        for step in node.steps:
            made: list[Event] = []
            due = step.process(events, until, made)
            if due < soonest:
                soonest = due
            events = made
            if made:
                printed(strand_id, step.places, made)
            if step.feed:
                inputs[step.feed] = made
        node.due_at(soonest)
        if node.joined:
            if past:
                events = sorted([*past, *events], key=_time)
            if events and not node.holds_back:
                printed(strand_id, (OUT,), events)
        _feed(node, events, inputs)
        if node.holds_back:
            node.later.put(events, node.shift)
            events = node.later.take(until)
            self._print_out(node, events)
        return events

    def _print_out(self, node: StrandNode, events: Sequence[Event]) -> None:
        """Print what leaves a strand that holds back, where it belongs in the music: as if no strand were early."""
        shown = []
        for event in events:
            node.printed = max(node.printed, event.time - node.lead)
            shown.append(event.at(node.printed))
        if shown:
            self._printed(node.strand.id, (OUT,), shown)

    def _from_heads(self, node: StrandNode, events: list[Event], until: float) -> tuple[list[Event], float]:
        """What the generators make, among what the other sources bring and no generator takes; when the next is due."""
        gathered, taken = node.keys.split(node.heads, events)
        soonest = math.inf
        for head, process in node.head_steps:
            made: list[Event] = []
            soonest = min(soonest, process(taken.get(head.source.id, ()), until, made))
            gathered += made
        gathered.sort(key=_time)
        return gathered, soonest

    def play_direct(self, strand: str, events: Sequence[Event]) -> None:
        """Send events straight to a strand's destinations: a take, which must not meet the stages again."""
        node = self._nodes.get(strand)
        if node is not None and node.delays:
            node.taking.put(events, node.lead)
            self._forget_due()
        elif node is not None:
            self._outlets.deliver_direct(node.connections.values(), events)
        self._outlets.flush()

    def send_out(self, strand: str, events: Sequence[Event]) -> None:
        """Send events from the end of a strand, printed as what leaves it."""
        self._send_out(strand, events)
        self._outlets.flush()

    def _send_out(self, strand: str, events: Sequence[Event]) -> None:
        node = self._nodes.get(strand)
        if node is None:
            return
        time = events[-1].time
        if node.holds_back:
            node.later.put(events, node.shift)
        else:
            self._printed(strand, (OUT,), events)
            for connection in node.connections.values():
                self._outlets.deliver({connection.outlet: [(connection, connection.take(events, time))]})
        self._forget_due()
        fed: Inputs = {}
        _feed(node, list(events), fed)
        if fed:  # strands that take from the end of this one
            self._pass(fed, time)

    def begin_section(self, time: float) -> None:
        """Generators that begin with each section begin anew, at a time."""
        for node in self._order:
            for head in node.heads:
                head.processor.begin_section(time)
        self._forget_due()

    def release_direct(self, strand: str, time: float) -> None:
        """End what :meth:`play_direct` started."""
        node = self._nodes.get(strand)
        if node is not None:
            node.taking.cut(time)
            self._outlets.release(node.connections.values(), time, direct=True)
            self._outlets.flush()

    def release_feed(self, feed: str, time: float) -> None:
        """A feed is gone or stops: end the keys that gates hold for it."""
        handover = Handover(time)
        for node in self._order:
            handover.close_feed(node, feed)
        self.let_go(handover)

    def keep_keys_out(self, strands: Collection[str], time: float) -> None:
        """Keep what is played live out of these strands, and of no others, from a time on; what it holds is let go."""
        handover = Handover(time)
        for node in self._order:
            if node.strand.id in strands and not node.keys_out:
                handover.close_keys(node)
        self.let_go(handover)
        for node in self._order:
            node.keys_out = node.strand.id in strands

    def _flush_ends(self) -> None:
        """Hand on what strands let go of, but what others hold stays down."""
        self._outlets.spare_held()
        self._outlets.flush()

    def silence(self, time: float, panic: bool = True) -> None:
        """All off: every gate, stage and outlet lets go of its notes."""
        self.let_go(Handover.of_all(self._order, time))
        for node in self._order:
            node.keys.forget()
            if panic:  # what stages made of a wheel, too, as devices are told to reset it
                self._bring_back(node, self._outlets.held(node.connections.values()), time)
            self._cut(node, time)
        self._outlets.silence(time, panic)
        self._outlets.flush()

    def _cut(self, node: StrandNode, time: float) -> None:
        """What a strand and its destinations hold back is forgotten, and what sounds of it ends."""
        self._print_out(node, node.later.cut(time + node.lead))
        node.taking.cut(time)
        for connection in node.connections.values():
            connection.later.cut(time)

    def restart(self, endless: bool = False) -> None:
        """Random draws begin anew, as at the start of the piece; those of strands that play on if ``endless``."""
        for node in self._order:
            if node.strand.plays_on == endless:
                for _, processor in node.processors():
                    processor.restart()
        self._forget_due()

    def on_halt(self, time: float, endless: bool = False, jumps: bool = False) -> None:
        """The transport stopped (or the ``endless`` clock of the strands that play on): what it carried ends.

        If it ``jumps`` it goes on at once, so that what waits for a line still does.
        """
        for node in self._order:
            if node.strand.plays_on == endless:
                for _, processor in node.processors():
                    processor.on_halt(time)
                    if not jumps:
                        processor.forget_launch()
        self._forget_due()
        self.push({}, time)

    def find(self, stage_id: str) -> Processor | None:
        """The processor of a stage or generator at work."""
        return self._processors.get(stage_id)

    def command(self, stage_id: str, act: str, value: float | None, time: float) -> None:
        """Have a stage or generator do something (see :meth:`~arpegon.core.processing.processor.Processor.command`)."""
        processor = self.find(stage_id)
        if processor is not None:
            processor.command(act, value, time)
            self._forget_due()

    def caught_up(self, time: float) -> None:
        """All that was due up to a time was emitted; what changes now makes nothing due before it."""
        for node in self._order:
            for _, processor in node.processors():
                processor.on_caught_up(time)

    def jumped(self, stage_id: str) -> None:
        """The beats of a stage's own tempo were set to another place."""
        processor = self.find(stage_id)
        if processor is not None:
            processor.on_jump()
        self._forget_due()

    @property
    def sounding(self) -> int:
        """Notes that were started at all outlets and not yet ended."""
        return self._outlets.sounding

    @property
    def waiting(self) -> list[str]:
        """Generators and stages that were started and wait for their line."""
        return [name for node in self._order for name, processor in node.processors() if processor.waits]

    @property
    def left_out(self) -> dict[str, int]:
        """By strand, how many events were left out because there were too many at once."""
        return {node.strand.id: node.left_out for node in self._order if node.left_out}

    # -- documents ---------------------------------------------------------------------------------

    def apply(self, project: Project, time: float, revision: int | None = None) -> None:
        """Take over a document, at ``time``: what is new is built first, then what goes lets go.

        Args:
            revision: the number of the document, where it is another one; it goes to the outputs with the new strands.

        Raises:
            DocumentError: it cannot be worked out (a loop, an unknown kind, settings that a stage cannot work with);
                the old one stays at work, untouched.
        """
        order = topological_order(project)
        built = Build(self, project, time)
        handover = Handover(time)
        feeds = feeds_of(project)
        for node in self._order:
            handover.change(node, project.strand(node.strand.id), feeds.get(node.strand.id, {}))
        self.let_go(handover)
        for node in self._order:
            if node.strand.id not in built.nodes:
                self._cut(node, time)
        self._disconnect(project, time)
        for change in built.changes:
            change()
        self.project = project
        self._nodes = built.nodes
        self._order = [built.nodes[strand.id] for strand in order]
        self._processors = {}
        for node in self._order:
            for name, processor in node.processors():
                self._processors.setdefault(name, processor)
        self._set_shifts(time)
        for node in self._order:
            self._set_steps(node)
        self._astray = (self._astray | handover.rebuilt) & self._nodes.keys()
        self._catch_pedals(time)
        if revision is not None:
            taps = {Tap(node.strand.id, place) for node in self._order for place in node.places}
            self.outputs.revised(revision, taps, time)
        self._forget_due()

    def _disconnect(self, project: Project, time: float) -> None:
        """Let go, at the outlets, of what is sent there no more."""
        for node in self._order:
            strand = project.strand(node.strand.id)
            staying = connections_of(project, strand) if strand else {}
            for key, connection in node.connections.items():
                if key not in staying:
                    self._outlets.release([connection], time)
                elif is_silent(project, node.strand.id, staying[key]):
                    self._outlets.release([connection], time, mute=True)
                elif staying[key].channel != connection.channel:
                    self._outlets.lift(connection, time)
        self._outlets.flush()

    def set_params(self, stage_id: str, values: Mapping[str, object], time: float) -> None:
        """The short cut for a knob that is dragged: new values for one stage, from a time on."""
        for node in self._order:
            for head in node.heads:
                if head.source.id == stage_id:
                    head.source = msgspec.structs.replace(head.source, params=dict(values))
                    context = self.context(head.source.stage, node.strand, self.project)
                    configure(head.processor, values, context, time)
            for place, (stage, processor) in enumerate(node.stages):
                if stage.id == stage_id:
                    changed = msgspec.structs.replace(stage, params=dict(values))
                    node.stages[place] = changed, processor
                    configure(processor, values, self.context(changed, node.strand, self.project), time)
        self._forget_due()

    def node(self, strand_id: str) -> StrandNode | None:
        """A strand at work."""
        return self._nodes.get(strand_id)

    def connection(self, outlet: str) -> Connection:
        """A new connection to an outlet, which is made where it is the first."""
        return self._outlets.connection(outlet)

    def context(self, stage: Stage, strand: Strand, project: Project) -> Context:
        """What a stage may know of the project around it."""
        clock = self.endless if strand.plays_on else self.clock
        own = self._own.clock(stage.id, stage.params) if self._own is not None else None
        return Context(project.key, stage.id, self.seed, project.meter, clock, own)


def _feed(node: StrandNode, events: list[Event], inputs: Inputs) -> None:
    """Let strands that take from the end of another one have what leaves it."""
    if "" in node.tapped:
        inputs[strand_feed(node.strand.id)] = events
    for feed, channel in node.passed_on:
        inputs[feed] = events if channel is None else [on_channel(event, channel) for event in events]


def _time(event: Event) -> float:
    return event.time
