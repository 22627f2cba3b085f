"""What of the strands at work must let go, and when: before a document takes over, or at All off."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence

from arpegon.core.document.model import AnySource, Stage, Strand
from arpegon.engine.graph.feeds import ALL_INPUTS, is_past
from arpegon.engine.graph.nodes import StrandNode


class Handover:
    """Parts of strands that let go of their notes at ``time``, all in one pass.

    Their ends run through the rest of the chain like any other event, so they are printed at every tap that showed
    the beginnings, and reach whatever holds a note for them. :meth:`lay` only marks the nodes; the pass that follows
    (:meth:`arpegon.engine.graph.graph.Graph.let_go`) is an ordinary one.
    """

    def __init__(self, time: float) -> None:
        self.time = time
        self.gates: dict[str, list[tuple[str, int]]] = {}
        """Gates that close, by strand."""
        self.processors: dict[str, set[str]] = {}
        """Ids of generators and stages, by strand."""
        self.rebuilt: set[str] = set()
        """Strands whose chain becomes another one."""
        self.inputs: set[str] = set()
        """Strands that take all MIDI inputs, of which one closes."""
        self.along: set[str] = set()
        """Strands that no longer send their sources along."""

    @classmethod
    def of_all(cls, nodes: Iterable[StrandNode], time: float) -> Handover:
        """Everything lets go."""
        handover = cls(time)
        for node in nodes:
            name = node.strand.id
            handover.gates[name] = list(node.gates)
            handover.processors[name] = {one for one, _ in node.processors()}
            if node.along is not None:
                handover.along.add(name)
        return handover

    def close_feed(self, node: StrandNode, feed: str) -> None:
        """The gates of a feed let go."""
        keys = [key for key, gate in node.gates.items() if gate.feed == feed]
        if keys:
            self.gates.setdefault(node.strand.id, []).extend(keys)
        if feed.startswith(ALL_INPUTS) and any(gate.feed == ALL_INPUTS for gate in node.gates.values()):
            self.inputs.add(node.strand.id)

    def close_keys(self, node: StrandNode) -> None:
        """The gates let go that somebody plays now."""
        keys = [key for key, gate in node.gates.items() if gate.is_live]
        if keys:
            self.gates.setdefault(node.strand.id, []).extend(keys)

    def change(self, node: StrandNode, strand: Strand | None, feeds: Mapping[tuple[str, int], AnySource]) -> None:
        """A strand goes over to another form of it (``None``: it goes away); what goes, moves or is cut lets go."""
        name = node.strand.id
        stages = changed_stages(node.strand.stages, strand.stages if strand else ())
        going = {node.strand.stages[place].id for place in stages} | changed_heads(node, strand)
        if strand is not None:
            going |= cut_by_bypass(node, strand)
        if going:
            self.processors[name] = going
        if node.along is not None and (strand is None or not strand.along):
            self.along.add(name)
        if strand is not None and _is_rebuilt(node, strand):
            self.rebuilt.add(name)
        closing = [key for key, gate in node.gates.items() if key not in feeds or gate.past != is_past(feeds[key])]
        if closing:
            self.gates[name] = closing

    def __bool__(self) -> bool:
        """Whether anything lets go."""
        return bool(self.gates or self.inputs or self.processors or self.along)

    def lifts_pedals(self, node: StrandNode) -> bool:
        """Whether no pedal should be down any more at the end of a strand, once it let go."""
        closes = any(node.strand.id in some for some in (self.gates, self.inputs, self.processors))
        return closes and not node.stepped_on

    def lay(self, node: StrandNode) -> Collection[str]:
        """Have a node let go in its next pass; the ids of the processors that do."""
        name = node.strand.id
        closing = self.gates.get(name, ())
        held: set[int] = set().union(*(gate.held for key, gate in node.gates.items() if key not in closing))
        for key in closing:
            gate = node.gates[key]
            ends = gate.release(self.time, held)
            if gate.past:
                node.leaving += ends
            else:
                node.entering += ends
        if name in self.along and node.along is not None:
            node.leaving += node.along.release(self.time)
        going = self.processors.get(name, ())
        node.lets_go = bool(going or node.entering or node.leaving)
        return going


def _is_rebuilt(node: StrandNode, strand: Strand) -> bool:
    """Whether pedals may go another way through a strand from now on: other stages, or others at work; and other
    values, where somebody steps on a pedal, so that it is noticed when it comes up."""
    old, new = node.strand.stages, strand.stages
    if old == new:
        return False
    before, after = ([(one.id, one.kind, one.bypass) for one in stages] for stages in (old, new))
    return node.stepped_on or before != after


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


def cut_by_bypass(node: StrandNode, strand: Strand) -> set[str]:
    """The stages that hold notes which no key holds, and are bypassed or taken back in."""
    bypass = {stage.id: stage.bypass for stage in strand.stages}
    return {
        stage.id
        for stage, processor in node.stages
        if processor.cut_by_bypass and bypass.get(stage.id, stage.bypass) != stage.bypass
    }
