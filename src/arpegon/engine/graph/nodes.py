"""Strands at work."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterator, Sequence
from itertools import pairwise

import msgspec

from arpegon.core.document.model import Stage, Strand
from arpegon.core.events import Event
from arpegon.core.notes.later import Later
from arpegon.core.notes.merging import Merging
from arpegon.core.notes.pressed import is_pedal
from arpegon.core.notes.taps import IN, OUT
from arpegon.core.processing.processor import Processor
from arpegon.engine.graph.gates import Gate
from arpegon.engine.graph.heads import Head, Keys
from arpegon.engine.graph.outlets import Connection

Process = Callable[[Sequence[Event], float, list[Event]], float]
"""See :meth:`~arpegon.core.processing.processor.Processor.process_until`."""

StageReport = Callable[[str, Event | None, Sequence[Event]], None]


class StageStep(msgspec.Struct, eq=False, gc=False):
    """What a stage does in a pass: how it processes, at which places what leaves it is printed, and whom it feeds."""

    stage: str
    process: Process
    places: tuple[str, ...]
    feed: str = ""
    """The name under which other strands take what leaves it; empty where none does."""


class StrandNode:
    """A strand at work."""

    def __init__(self, strand: Strand) -> None:
        self.strand = strand
        self.gates: dict[tuple[str, int], Gate] = {}
        self.merging: Merging | None = None
        """Makes one of what comes by several ways, where it may."""
        self.heads: list[Head] = []
        self.keys = Keys()
        self.stages: list[tuple[Stage, Processor]] = []
        self.connections: dict[tuple[str, int], Connection] = {}
        self.tapped: frozenset[str] = frozenset()
        self.passed_on: list[tuple[str, int | None]] = []
        self.along: Gate | None = None
        """Where the strand also sends what it is played along, past its stages."""
        self.keys_out = False
        """Whether what is played live is kept out."""
        self.timed: list[Processor] = []
        self.entering: list[Event] = []
        """What enters with the next pass, beside what the gates let through: ends of what a gate let in before."""
        self.leaving: list[Event] = []
        """What leaves with the next pass, beside what the stages make."""
        self.later = Later()
        """What left its last stage and is held back, where it is played later."""
        self.taking = Later()
        """What a take plays, where others are played early."""
        self.shift = 0.0
        """Seconds by which it is played later now,"""
        self.lead = 0.0
        """and those by which all are later because some strand is early."""
        self.printed = 0.0
        """The time of what was printed last as leaving it, while it holds back."""
        self.holds_back = False
        """Whether what leaves it leaves later, or something still waits from when it did,"""
        self.delays = False
        """and whether it or one of its destinations may hold anything back."""
        self.joined = False
        """Whether anything joins, past the stages, what leaves the last of them."""
        self.lets_go = False
        """Whether something lets go in the next pass, whatever comes in."""
        self.entry_places: tuple[str, ...] = (IN,)
        self.head_steps: list[tuple[Head, Process]] = []
        self.steps: list[StageStep] = []
        self._due: float | None = None

    @property
    def places(self) -> list[str]:
        """All places at which it prints."""
        return [IN, *(stage.id for stage, _ in self.stages), OUT]

    @property
    def stepped_on(self) -> bool:
        """Whether a pedal is down at one of its gates."""
        return any(is_pedal(key) for gate in self.gates.values() for key in gate.held)

    def processors(self) -> Iterator[tuple[str, Processor]]:
        """All that is at work, by its id: generators, then stages."""
        for head in self.heads:
            yield head.source.id, head.processor
        for stage, processor in self.stages:
            yield stage.id, processor

    @property
    def left_out(self) -> int:
        """How much came in, or would have been made, that was left out because there was too much at once."""
        made = sum(processor.left_out for _, processor in self.processors())
        return made + (self.merging.left_out if self.merging is not None else 0)

    def set_steps(
        self,
        feed_of: Callable[[str], str],
        watched: str | None,
        report: StageReport,
        letting_go: Collection[str] = (),
        time: float = 0.0,
    ) -> None:
        """Lay out what a pass does.

        Args:
            feed_of: the name of the feed of what leaves a stage.
            watched: the stage of which every event is reported.
            letting_go: ids of generators and stages that let go of their notes in the next pass, at ``time``.
        """

        def process_of(stage_id: str, processor: Processor) -> Process:
            process = processor.process_until if stage_id not in letting_go else releasing(processor, time)
            return process if stage_id != watched else watching(stage_id, processor, process, report)

        places = [(stage.id,) for stage, _ in self.stages]
        self.holds_back = self.shift > 0.0 or self.lead > 0.0 or bool(self.later)
        self.delays = (
            self.holds_back
            or bool(self.taking)
            or any(connection.delay or connection.later for connection in self.connections.values())
        )
        self.joined = self.along is not None or any(gate.past for gate in self.gates.values())
        apart = self.joined or self.holds_back
        self.entry_places = (IN,) if self.stages or apart else (IN, OUT)
        if self.stages and not apart:
            places[-1] = (*places[-1], OUT)  # type: ignore[assignment]
        self.head_steps = [(head, process_of(head.source.id, head.processor)) for head in self.heads]
        self.steps = [
            StageStep(
                stage.id, process_of(stage.id, processor), printed, feed_of(stage.id) if stage.id in self.tapped else ""
            )
            for (stage, processor), printed in zip(self.stages, places, strict=True)
        ]

    def due(self) -> float:
        """When one of its generators or stages emits of its own accord; known until :meth:`forget_due`."""
        if self._due is None:
            self._due = min([processor.due() for processor in self.timed], default=math.inf)
        if not self.delays:
            return self._due
        return min(self._due, self.later.due(), self.taking.due(), *self._delayed())

    def _delayed(self) -> list[float]:
        """When destinations send next what they hold back."""
        return [connection.later.due() for connection in self.connections.values()]

    def forget_due(self) -> None:
        """Something happened to its processors, or to their clock: when they are due must be asked anew."""
        self._due = None

    def due_at(self, time: float) -> None:
        """All its processors worked, and the first of them is due at a time."""
        self._due = time


def watching(stage_id: str, processor: Processor, process: Process, report: StageReport) -> Process:
    """How the watched stage processes: one event at a time, and each is reported with what came out for it."""

    def reported(events: Sequence[Event], until: float, made: list[Event]) -> float:
        ends: list[tuple[Event | None, int]] = [(None, len(made))]
        for event in events:
            processor.advance(math.nextafter(event.time, -math.inf), made)
            ends.append((None, len(made)))
            processor.process((event,), made)
            ends.append((event, len(made)))
        due = process((), until, made)
        ends.append((None, len(made)))
        # Told at the end: at one moment, what comes later may still make a note louder.
        for (_, start), (cause, end) in pairwise(ends):
            if cause is not None or end > start:
                report(stage_id, cause, made[start:end])
        return due

    return reported


def releasing(processor: Processor, time: float) -> Process:
    """Process after which the processor lets go of its notes."""

    def last_process(events: Sequence[Event], until: float, made: list[Event]) -> float:
        processor.process_until(events, until, made)
        processor.release(time, made)
        return processor.due()

    return last_process
