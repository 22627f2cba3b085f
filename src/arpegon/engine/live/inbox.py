"""What other threads have for the loop: events that arrived, and things to be done, each in its order."""

from __future__ import annotations

import math
import threading
from bisect import bisect_right
from collections import deque
from collections.abc import Callable, Iterable

from arpegon.core.events import Event
from arpegon.core.notes.flood import thin
from arpegon.core.time import studio

FLOOD_LIMIT = 256
"""Events that arrive at once; beyond it, controllers are thinned."""

Task = Callable[[float], None]
"""Something that the loop does, with the time at which it does it."""


class Inbox:
    """Takes from any thread; the loop alone takes out.

    What comes from the window, asked for or played, stays in its order, by its stamps. Studio time may step back in
    between, a little at each period of a server and much where that stood still; then none of it waits for the time to
    come again.

    Args:
        wake: wakes the loop.
    """

    def __init__(self, wake: Callable[[], None]) -> None:
        self._wake = wake
        self._arrivals: deque[tuple[str, Event]] = deque()
        self._asked: deque[tuple[float, Task]] = deque()
        """What the loop is to do, and since when."""
        self._last = -math.inf
        """The stamp of what came last from the window: it never steps back while that waits to be taken."""
        self._stamping = threading.Lock()
        self._events: list[tuple[str, Event]] = []
        """What arrived and was taken, in order of time, and waits until all before it was heard;"""
        self._tasks: deque[tuple[float, Task]] = deque()
        """and what was asked for."""
        self.thinned = 0
        """Events that were left out of floods."""

    # -- from any thread ---------------------------------------------------------------------------

    def put(self, name: str, event: Event) -> None:
        """An event came in at an input."""
        self._arrivals.append((name, event))
        self._wake()

    def play(self, name: str, events: Iterable[Event]) -> None:
        """Take what is played in the window: after all that was asked for before it, however it is stamped."""
        with self._stamping:
            after = math.nextafter(self._last, math.inf)
            stamped = [(name, event if event.time >= after else event.at(after)) for event in events]
            self._last = max([self._last, *(event.time for _, event in stamped)])
            self._arrivals.extend(stamped)
        self._wake()

    def soon(self, task: Task) -> None:
        """Have something done by the loop at this moment, which comes once all before it was heard."""
        with self._stamping:
            self._last = max(self._last, studio.now())
            self._asked.append((self._last, task))
        self._wake()

    # -- for the loop ------------------------------------------------------------------------------

    @property
    def untaken(self) -> bool:
        """Whether anything arrived since :meth:`take`."""
        return bool(self._arrivals)

    def due(self) -> float:
        """When the next event arrived, or the next thing was asked for."""
        arrived = self._events[0][1].time if self._events else math.inf
        tasks = self._tasks or self._asked
        return min(arrived, tasks[0][0] if tasks else math.inf)

    def take(self, now: float) -> None:
        """Put what arrived and was asked for into its order; nothing came later than now."""
        with self._stamping:
            taken = [self._arrivals.popleft() for _ in range(len(self._arrivals))]
            self._tasks += self._asked
            self._asked.clear()
            if len(taken) > FLOOD_LIMIT:
                taken = self._thin(taken)
            if taken:
                self._events += taken
                self._events.sort(key=_time_of)
            self._last = min(self._last, self._hurry(now))

    def _hurry(self, now: float) -> float:
        """Have what is stamped later than now come just after it, in its order; the last of the new stamps, or now."""
        place = bisect_right(self._events, now, key=_time_of)
        stamps = {event.time for _, event in self._events[place:]}
        stamps.update(asked for asked, _ in self._tasks if asked > now)
        if not stamps:
            return now
        anew, last = {}, now
        for stamp in sorted(stamps):
            anew[stamp] = last = math.nextafter(last, math.inf)
        self._events[place:] = [(name, event.at(anew[event.time])) for name, event in self._events[place:]]
        self._tasks = deque([(anew.get(asked, asked), task) for asked, task in self._tasks])
        return last

    def task(self, until: float) -> tuple[float, Task] | None:
        """Take out the next thing to be done that was asked for by a time, and when that was."""
        return self._tasks.popleft() if self._tasks and self._tasks[0][0] <= until else None

    def events(self, until: float) -> list[tuple[str, Event]]:
        """Take out what arrived by a time."""
        count = bisect_right(self._events, until, key=_time_of)
        found = self._events[:count]
        del self._events[:count]
        return found

    def _thin(self, taken: list[tuple[str, Event]]) -> list[tuple[str, Event]]:
        by_name: dict[str, list[Event]] = {}
        for name, event in taken:
            by_name.setdefault(name, []).append(event)
        kept = [(name, event) for name, events in by_name.items() for event in thin(events, FLOOD_LIMIT)]
        self.thinned += len(taken) - len(kept)
        return kept


def _time_of(entry: tuple[str, Event]) -> float:
    return entry[1].time
