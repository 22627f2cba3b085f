"""Takes that are played: past all stages or through them, while what plays there by itself rests."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from heapq import merge
from itertools import chain, islice
from operator import attrgetter, itemgetter

from arpegon.core.document.model import Project
from arpegon.core.document.resting import rest_field
from arpegon.core.events import Event
from arpegon.core.notes.standing import standing
from arpegon.engine.clocks.roles import Entrance, Scheduler, TakeGraph, TakeWay
from arpegon.engine.graph.feeds import take_feed
from arpegon.engine.performance.overlay import Overlay
from arpegon.processors.targets import Target

_Entry = tuple[float, str, Event]
"""When an event is due in a take, its strand, and the event."""


def what_rests(project: Project, strands: Iterable[str]) -> list[Target]:
    """The addresses of what lets rest what plays by itself in strands."""
    found: list[Target] = []
    for strand in filter(None, map(project.strand, strands)):
        for number, source in enumerate(strand.sources, start=1):
            field = rest_field(source)
            name = getattr(source, "id", "")
            if field is not None:
                found.append((name, field) if name else (strand.id, f"sources.{number}.{field}"))
    return found


class ThroughStages:
    """The way into strands, as a key that is played goes."""

    def __init__(self, entrance: Entrance) -> None:
        self._entrance = entrance

    def play_direct(self, strand: str, events: Sequence[Event]) -> None:
        """Let events enter a strand."""
        self._entrance.inject(take_feed(strand), events)

    def release_direct(self, strand: str, time: float) -> None:
        """Let go of what was played so."""
        self._entrance.lost(take_feed(strand), time)


class TakePlayer:
    """Plays recorded events.

    Args:
        parts: by strand, each in order of time.
        way: the way that they go.
        time: when it begins.
        start: the second of the take with which it begins,
        end: and the one with which it is over; ``None``: with its last event.
        ended: called once, when it is over or was stopped.
    """

    def __init__(
        self,
        scheduler: Scheduler,
        way: TakeWay,
        parts: Mapping[str, Sequence[Event]],
        time: float,
        start: float,
        end: float | None,
        ended: Callable[[float], None],
    ) -> None:
        self._ended = ended
        self._scheduler = scheduler
        self._way = way
        self._strands = list(parts)
        self.began = time - start
        """When the start of the take was, or would have been."""
        ways = (_entries(strand, events, start) for strand, events in parts.items())
        self._events = merge(*ways, key=itemgetter(0))  # a long take is not gone through before it begins
        self._next = next(self._events, None)
        self._end = end
        self.done = False
        self._schedule()

    def stop(self, time: float) -> None:
        """Stop, and end what sounds."""
        if self.done:
            return
        self.done = True
        for strand in self._strands:
            self._way.release_direct(strand, time)
        self._ended(time)

    def _schedule(self) -> None:
        due = self._next[0] if self._next is not None else math.inf
        if self._end is not None and self._end <= due:
            self._scheduler.at_time(self.began + self._end, self.stop)
        elif self._next is not None:
            self._scheduler.at_time(self.began + due, self._play)
        else:
            self.stop(self._scheduler.now)

    def _play(self, time: float) -> None:
        if self.done or self._next is None:
            return
        due = self._next[0]
        while self._next is not None and self._next[0] == due:
            _, strand, event = self._next
            self._way.play_direct(strand, [event.at(time)])
            self._next = next(self._events, None)
        self._schedule()


def _entries(strand: str, events: Sequence[Event], start: float) -> Iterator[_Entry]:
    """What a strand plays from a time on, beginning with the values that stand there; its events are in order."""
    place = bisect_left(events, start, key=attrgetter("time"))
    return ((event.time, strand, event) for event in chain(standing(events, start), islice(events, place, None)))


class Takes:
    """The take that plays in an engine, one at a time.

    Args:
        entrance: where it enters if it goes through the stages.
        graph: where it goes past them.
        overlay: what lets rest what plays by itself meanwhile.
    """

    def __init__(self, scheduler: Scheduler, entrance: Entrance, graph: TakeGraph, overlay: Overlay) -> None:
        self._scheduler = scheduler
        self._through = ThroughStages(entrance)
        self._graph = graph
        self._overlay = overlay
        self._player: TakePlayer | None = None

    def play(
        self,
        parts: Mapping[str, Sequence[Event]],
        time: float,
        start: float = 0.0,
        end: float | None = None,
        through: bool = False,
        keys_out: bool = False,
    ) -> None:
        """Play events, at seconds from the take's start and in order of time: from one second on, to another or to the
        last of them, straight to the destinations of their strands or through their stages.

        What plays by itself there rests meanwhile, so that nothing sounds twice; with ``keys_out`` what is played live
        is kept out, too.
        """
        time = max(time, self._scheduler.now)
        self.stop(time)
        self._scheduler.catch_up(time)
        rests = what_rests(self._graph.project, parts)
        self._overlay.lay(dict.fromkeys(rests, True), (), time)
        self._graph.keep_keys_out(frozenset(parts) if keys_out else frozenset(), time)
        way = self._through if through else self._graph
        self._player = TakePlayer(self._scheduler, way, parts, time, start, end, lambda now: self._ended(rests, now))

    def stop(self, time: float) -> None:
        """Stop the one that plays, if any."""
        if self._player is not None:
            self._player.stop(max(time, self._scheduler.now))
            self._player = None

    @property
    def began(self) -> float | None:
        """When the one that plays was, or would have been, at its start; ``None``: none plays."""
        return None if self._player is None or self._player.done else self._player.began

    def _ended(self, rests: Sequence[Target], time: float) -> None:
        """What rested plays again."""
        self._overlay.lay({}, rests, time)
        self._graph.keep_keys_out(frozenset(), time)
