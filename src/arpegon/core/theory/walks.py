"""Walks over the places of a ring: which one is visited at the n-th step.

A walk knows its place at any step, so that music that is begun in the middle goes on as if it had been played
from the start. What is drawn by chance is drawn for each cycle or step from the seed alone.
"""

from __future__ import annotations

import random
from collections.abc import Collection, Sequence

from arpegon.core.theory.orders import strided

WALKS: dict[str, str] = {
    "round": "round",
    "there-back": "there and back",
    "drift": "drift",
    "shuffled": "shuffled",
    "random": "random",
}
"""Ways over the ring by their name in files, with their labels."""
_REMEMBERED = 4096


def figure(count: int, stride: int, *, shift: bool = True, mirrored: bool = False, start: int = 0) -> list[int]:
    """The places of a ring in the order in which a stride reaches them.

    Args:
        count: how many places the ring has.
        stride: how many places further each step goes.
        shift: go one place further where the stride closes early (see :func:`~arpegon.core.theory.orders.strided`).
        mirrored: walk the other way round.
        start: the place (from 0) where the walk begins.
    """
    way = -1 if mirrored else 1
    return [(start + way * place) % count for place in strided(count, stride, shift)]


class RingWalk:
    """A walk over a ring, some of whose places are left out.

    Args:
        way: a name in :data:`WALKS`.
        places: the figure that is walked (see :func:`figure`).
        skipped: places that are left out: the walk goes on to the next one.
        seed: what random ways are drawn from.
    """

    def __init__(self, way: str, places: Sequence[int], skipped: Collection[int], seed: str) -> None:
        self.way = way
        self.seed = seed
        there = [place for place in places if place not in skipped]
        self.cycle = there + there[-2:0:-1] if way == "there-back" else there
        """The places of one cycle; for random ways the ones that can be visited."""
        self._drawn: dict[int, list[int]] = {}
        self._drift: list[int] = []

    def __len__(self) -> int:
        """How many steps a cycle has."""
        return len(self.cycle)

    def place(self, step: int) -> int | None:
        """The place that is visited at a step (from 0); ``None`` where all are left out."""
        if not self.cycle:
            return None
        if self.way == "drift":
            return self._drifted(step)
        round_, inside = divmod(step, len(self.cycle))
        if self.way in ("shuffled", "random"):
            return self._round(round_)[inside]
        return self.cycle[inside]

    def _round(self, number: int) -> list[int]:
        """The places of one round that is drawn by chance."""
        if number not in self._drawn:
            if len(self._drawn) > _REMEMBERED:
                self._drawn.clear()
            draw = random.Random(f"{self.seed}/round {number}")
            if self.way == "shuffled":
                places = list(self.cycle)
                draw.shuffle(places)
            else:
                places = self._any(draw)
            self._drawn[number] = places
        return self._drawn[number]

    def _any(self, draw: random.Random) -> list[int]:
        """As many places as a cycle has, drawn freely; none twice running within a round."""
        places = [draw.randrange(len(self.cycle))]
        while len(places) < len(self.cycle):
            by = 1 + draw.randrange(len(self.cycle) - 1)
            places.append((places[-1] + by) % len(self.cycle))
        return [self.cycle[place] for place in places]

    def _drifted(self, step: int) -> int:
        """A random walk along the figure: one place back, on the spot, or one forward."""
        path = self._drift
        if not path:
            path.append(0)
        while len(path) <= step:
            by = random.Random(f"{self.seed}/drift {len(path)}").choice((-1, 0, 1, 1))
            path.append((path[-1] + by) % len(self.cycle))
        return self.cycle[path[step]]
