"""Rhythms whose hits are spread as evenly as possible over their steps."""

from __future__ import annotations

from functools import lru_cache


@lru_cache(maxsize=512)
def spread_evenly(hits: int, steps: int, turn: int = 0) -> tuple[bool, ...]:
    """Which of ``steps`` steps are hit, beginning with a hit.

    Bjorklund's algorithm (E. Bjorklund, "The Theory of Rep-Rate Pattern Generation in the SNS Timing System", 2003),
    as G. Toussaint applies it to rhythms ("The Euclidean Algorithm Generates Traditional Musical Rhythms", 2005):
    sequences of hits and rests are paired, what is left over is paired again, as in Euclid's algorithm.

    Args:
        hits: 0 ... ``steps``.
        steps: the length of the cycle, at least 1.
        turn: by how many steps the rhythm is moved later, round the cycle.
    """
    if hits <= 0:
        return (False,) * steps
    heads = [[True] for _ in range(hits)]
    tails = [[False] for _ in range(steps - hits)]
    # A single rest is paired once, as the paper prints it: x.xx, not xxx.
    while len(tails) > 1 or (tails == [[False]] and len(heads[0]) == 1):
        paired = min(len(heads), len(tails))
        joined = [heads[place] + tails[place] for place in range(paired)]
        heads, tails = joined, heads[paired:] or tails[paired:]
    rhythm = [hit for part in heads + tails for hit in part]
    return tuple(rhythm[(step - turn) % steps] for step in range(steps))


def rhythm_text(rhythm: tuple[bool, ...]) -> str:
    """A rhythm as theory writes it: ``"x..x..x."``."""
    return "".join("x" if hit else "." for hit in rhythm)
