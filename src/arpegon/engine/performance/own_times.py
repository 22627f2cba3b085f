"""The timelines of what runs at a tempo of its own beside the piece."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

import msgspec

from arpegon.core.document.model import ClipSource, Project, Strand
from arpegon.core.time.clock import Clock, bar_beats
from arpegon.core.time.own_tempo import OwnTempo
from arpegon.engine.clocks.roles import AtWork, Carried, Scheduler, Transport
from arpegon.engine.clocks.timeline import Timeline
from arpegon.engine.graph.feeds import feed_of

_EARLY = 1e-6
"""Seconds before its line at which something is brought back into step, so that what falls on the line is in step."""
_NEAR = 1e-6


class OwnTime:
    """One timeline that runs beside another at a tempo of its own."""

    def __init__(self, leader: Timeline, tempo: OwnTempo) -> None:
        self.line = Timeline(leader)
        self.leader = leader
        self.tempo = tempo
        self.back = math.inf
        """The leader's beat on which it is brought back into step."""
        self.grid = (0.0, 0.0)
        """From where the lines for that were counted, and the length of a bar."""

    def place(self, time: float, beat: float, grid: tuple[float, float]) -> None:
        """Run, or rest, where it is when its leader is at a beat."""
        own, leader = self.line.clock, self.leader.clock
        own.set_tempo(time, self.tempo.tempo(leader.tempo))
        own.start(time, self.tempo.beat(beat, leader.tempo, *grid))
        if not leader.playing:
            own.stop(time)
        self.look_for_line(beat, grid)

    def look_for_line(self, beat: float, grid: tuple[float, float]) -> None:
        """Find the line after a beat of the leader on which it is brought back into step."""
        self.grid = grid
        self.back = self.tempo.next_line(beat, *grid)
        self.line.clock.origin = grid[0] if self.tempo.bars else 0.0
        self.line.clock.set_grid(self.leader.clock.grid if self.tempo.bars else 0.0)

    def set_tempo(self, time: float) -> None:
        """Its tempo, or that of its leader, is another one from a time on."""
        tempo = self.tempo.tempo(self.leader.clock.tempo)
        if tempo != self.line.clock.tempo:
            self.line.clock.set_tempo(time, tempo)

    def back_due(self) -> float:
        """When it is brought back into step, in seconds."""
        return math.inf if self.back == math.inf else self.leader.clock.time_at(self.back) - _EARLY


class OwnTimes:
    """The timelines of generators, arpeggiators and clips with a tempo of their own, by stage id or feed.

    Args:
        transport: whose timelines they run beside.
    """

    def __init__(self, scheduler: Scheduler, transport: Transport) -> None:
        self._scheduler = scheduler
        self._transport = transport
        self._times: dict[str, OwnTime] = {}

    def carry(self, at_work: AtWork, carried: Carried) -> None:
        """Tell it what runs on them: the strands, and what is stopped and started with timelines."""
        self._at_work = at_work
        self._carried = carried

    def find(self, name: str, values: Mapping[str, Any]) -> Timeline | None:
        """The timeline of a stage or feed whose parameters ask for a tempo of its own."""
        own = self._times.get(name)
        return own.line if own is not None and OwnTempo.of(values) is not None else None

    def clock(self, name: str, values: Mapping[str, Any]) -> Clock | None:
        """The clock of that."""
        line = self.find(name, values)
        return None if line is None else line.clock

    @property
    def changes(self) -> tuple[int, ...]:
        """Another value whenever beats come to fall at other times."""
        return tuple(own.line.clock.changes for own in self._times.values())

    def shift(self, leader: Timeline, seconds: float) -> None:
        """Let all beats of what runs beside a timeline fall so much earlier."""
        for own in self._times.values():
            if own.leader is leader:
                own.line.clock.shift(seconds)

    # -- the document ------------------------------------------------------------------------------

    @contextmanager
    def taking(self, project: Project, time: float) -> Iterator[None]:
        """While a document is taken over, have a timeline for all in it that ask for one; afterwards, no others.

        Where it cannot be taken over, those that were at work stay.
        """
        at_work, wanted = self._times, _wanted(project)
        self._times = dict(at_work)
        try:
            for name, (strand, tempo) in wanted.items():
                leader = self._leader(strand)
                known = self._times.get(name)
                if known is None or known.leader is not leader:
                    self._add(name, leader, tempo, time)
            yield
        except BaseException:
            self._times = at_work
            raise
        self._times = {name: own for name, own in self._times.items() if name in wanted}
        for name, (_, tempo) in wanted.items():
            self._set(self._times[name], tempo, time)

    def set_params(self, stage_id: str, values: Mapping[str, Any], time: float) -> None:
        """The short cut for a knob that is dragged: new values for one stage."""
        tempo = OwnTempo.of(values)
        if tempo is None:
            self._times.pop(stage_id, None)
            return
        found = self._at_work.project.find_stage(stage_id)
        if stage_id in self._times:
            self._set(self._times[stage_id], tempo, time)
        elif found is not None:
            self._add(stage_id, self._leader(found[0]), tempo, time)

    def _add(self, name: str, leader: Timeline, tempo: OwnTempo, time: float) -> None:
        own = self._times[name] = OwnTime(leader, tempo)
        own.place(time, leader.clock.beat_at(time), self._grid(leader))

    def _set(self, own: OwnTime, tempo: OwnTempo, time: float) -> None:
        if tempo != own.tempo:
            own.tempo = tempo
            own.set_tempo(time)
            own.look_for_line(own.leader.clock.beat_at(time), self._grid(own.leader))

    def _leader(self, strand: Strand) -> Timeline:
        return self._transport.endless if strand.plays_on else self._transport.transport

    def _grid(self, leader: Timeline) -> tuple[float, float]:
        return leader.clock.origin, bar_beats(self._at_work.project.meter)

    # -- time --------------------------------------------------------------------------------------

    def next_due(self) -> float:
        """When something is due on one of them, or one is brought back into step, in seconds."""
        due = math.inf
        for own in self._times.values():
            grid = self._grid(own.leader)
            if own.grid != grid and own.leader.clock.playing:
                own.look_for_line(own.leader.clock.beat_at(self._scheduler.now), grid)
            due = min(due, own.line.next_due(), own.back_due())
        return due

    def do(self, time: float) -> None:
        """Do what is due."""
        for name, own in self._times.items():
            if own.back_due() <= time:
                self._come_back(name, own, time)
            elif own.line.next_due() <= time:
                own.line.do(time)
            else:
                continue
            return

    def _come_back(self, name: str, own: OwnTime, time: float) -> None:
        beat, line = own.back, own.leader.clock.time_at(own.back)
        own.look_for_line(beat, self._grid(own.leader))
        if abs(own.line.clock.beat_at(line) - beat) < _NEAR:
            return
        self._carried.stop(own.line, time)
        own.line.clock.start(line, beat)
        self._carried.start(own.line, beat)
        self._at_work.jumped(name)

    # -- the transport -----------------------------------------------------------------------------

    def start(self, leader: Timeline, time: float, beat: float) -> None:
        """A timeline runs from a beat."""
        for own in self._times.values():
            if own.leader is leader:
                own.place(time, beat, self._grid(leader))
                self._carried.start(own.line, own.line.clock.beat)

    def stop(self, leader: Timeline, time: float) -> None:
        """A timeline rests."""
        for own in self._times.values():
            if own.leader is leader:
                own.line.clock.stop(time)
                self._carried.stop(own.line, time)

    def set_tempo(self, time: float) -> None:
        """The tempo of the piece is another one."""
        for own in self._times.values():
            own.set_tempo(time)


def _wanted(project: Project) -> dict[str, tuple[Strand, OwnTempo]]:
    """What in a document asks for a tempo of its own, by stage id or feed."""
    found: dict[str, tuple[Strand, OwnTempo]] = {}
    for strand in project.strands:
        for stage in (*(source.stage for source in strand.generators), *strand.stages):
            tempo = OwnTempo.of(stage.params)
            if tempo is not None:
                found[stage.id] = strand, tempo
        for place, source in enumerate(strand.sources):
            feed = feed_of(strand, place)
            if isinstance(source, ClipSource) and feed is not None and source.follow_tempo:
                tempo = OwnTempo.of(msgspec.structs.asdict(source))
                if tempo is not None:
                    found[feed] = strand, tempo
    return found
