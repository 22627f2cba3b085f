"""What other threads have for the loop: events that arrived, and things to be done, each in its order."""

from __future__ import annotations

import math
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

    Args:
        wake: wakes the loop.
    """

    def __init__(self, wake: Callable[[], None]) -> None:
        self._wake = wake
        self._arrivals: deque[tuple[str, Event]] = deque()
        self._pending: list[tuple[str, Event]] = []
        """What arrived, in order of time, and waits until all before it was heard."""
        self._tasks: deque[tuple[float, Task]] = deque()
        """What is to be done, and since when."""
        self._asked_at = -math.inf
        self.thinned = 0
        """Events that were left out of floods."""

    # -- from any thread ---------------------------------------------------------------------------

    def put(self, name: str, event: Event) -> None:
        """An event came in at an input."""
        self._arrivals.append((name, event))
        self._wake()

    def play(self, name: str, events: Iterable[Event]) -> None:
        """Take what is played in the window: after all that was asked for before it, however it is stamped."""
        after = math.nextafter(self._asked_at, math.inf)
        self._arrivals.extend([(name, event if event.time >= after else event.at(after)) for event in events])
        self._wake()

    def soon(self, task: Task) -> None:
        """Have something done by the loop at this moment, which comes once all before it was heard."""
        self._asked_at = studio.now()
        self._tasks.append((self._asked_at, task))
        self._wake()

    # -- for the loop ------------------------------------------------------------------------------

    @property
    def untaken(self) -> bool:
        """Whether anything arrived since :meth:`take`."""
        return bool(self._arrivals)

    def due(self) -> float:
        """When the next event arrived, or the next thing was asked for."""
        arrived = self._pending[0][1].time if self._pending else math.inf
        return min(arrived, self._tasks[0][0] if self._tasks else math.inf)

    def take(self, now: float) -> None:
        """Put what arrived into its order; nothing came later than now."""
        arrivals = self._arrivals
        if not arrivals:
            return
        taken = [arrivals.popleft() for _ in range(len(arrivals))]
        if len(taken) > FLOOD_LIMIT:
            taken = self._thin(taken)
        self._pending += [(name, event if event.time <= now else event.at(now)) for name, event in taken]
        self._pending.sort(key=_time_of)

    def task(self, until: float) -> tuple[float, Task] | None:
        """Take out the next thing to be done that was asked for by a time, and when that was."""
        return self._tasks.popleft() if self._tasks and self._tasks[0][0] <= until else None

    def events(self, until: float) -> list[tuple[str, Event]]:
        """Take out what arrived by a time."""
        count = bisect_right(self._pending, until, key=_time_of)
        found = self._pending[:count]
        del self._pending[:count]
        return found

    def clear(self) -> None:
        """Forget what arrived; what is to be done stays."""
        self._arrivals.clear()
        self._pending.clear()

    def _thin(self, taken: list[tuple[str, Event]]) -> list[tuple[str, Event]]:
        by_name: dict[str, list[Event]] = {}
        for name, event in taken:
            by_name.setdefault(name, []).append(event)
        kept = [(name, event) for name, events in by_name.items() for event in thin(events, FLOOD_LIMIT)]
        self.thinned += len(taken) - len(kept)
        return kept


def _time_of(entry: tuple[str, Event]) -> float:
    return entry[1].time
