"""The orders in which an arpeggiator walks over its notes, as cycles of places.

A cycle over ``n`` notes is a list of places 0 ... n-1 in the order of play, which then begins again.
"""

from __future__ import annotations

from math import gcd

ORDERS: dict[str, str] = {
    "played": "as played",
    "up": "up",
    "down": "down",
    "up-down": "up and down, ends once",
    "up-down-twice": "up and down, ends twice",
    "down-up": "down and up",
    "outside-in": "outside in",
    "inside-out": "inside out",
    "stride": "by a stride",
    "random": "random",
    "shuffled": "shuffled each cycle",
    "chord": "all at once",
}
"""Orders by their name in files, with their labels."""

DRAWN = frozenset({"random", "shuffled"})
"""Orders that are drawn by chance and have no fixed cycle."""


def cycle(order: str, count: int, stride: int = 1) -> list[int]:
    """The places of one cycle.

    Args:
        order: a name in :data:`ORDERS`, but none of :data:`DRAWN`; ``played`` and ``up`` differ only in how the
            notes are sorted, ``chord`` has one step whose place stands for all.
        count: how many notes there are.
        stride: for ``stride``, how many places are left behind at each step.
    """
    if count <= 0:
        return []
    up = list(range(count))
    if order in ("played", "up"):
        return up
    if order == "down":
        return up[::-1]
    if order == "up-down":
        return up + up[-2:0:-1]
    if order == "up-down-twice":
        return up + up[::-1]
    if order == "down-up":
        return up[::-1] + up[1:-1]
    if order in ("outside-in", "inside-out"):
        walked = [place // 2 if place % 2 == 0 else count - 1 - place // 2 for place in range(count)]
        return walked if order == "outside-in" else walked[::-1]
    if order == "stride":
        return strided(count, stride)
    return [0]


def strided(count: int, stride: int, shift: bool = True) -> list[int]:
    """A walk in equal strides round a ring of ``count`` places: the corners of a star polygon in their order.

    Where the stride closes before it has reached all places, the walk goes on one place further (the regular
    compound of several stars), so that every place is reached once; without ``shift`` it stays in the first star.
    """
    if count <= 0:
        return []
    figures = gcd(count, stride) or count
    return [
        (first + step * stride) % count for first in range(figures if shift else 1) for step in range(count // figures)
    ]
