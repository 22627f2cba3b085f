"""Blocks of samples, tied to monotonic seconds."""

from __future__ import annotations

_DRIFT_SHARE = 0.02
"""How much of a deviation between sound card and clock is taken over at each block: enough to follow the
drift of a crystal, too little to let the jitter of one callback be heard."""


class SteadyStart:
    """When blocks begin, freed of the jitter of the callbacks that tell of them.

    A slow loop of first order (after Adriaensen, "Using a DLL to filter time", 2005).

    Args:
        rate: samples a second.
        jump: a deviation in seconds that is no jitter: what was known is forgotten.
    """

    def __init__(self, rate: int, jump: float) -> None:
        self._rate = rate
        self._jump = jump
        self._frame = 0
        self._start: float | None = None
        self._count = 0
        """Of blocks since it knew nothing: the first ones are averaged, so that it is steady at once."""

    def at(self, frame: int, measured: float, sure: bool = True) -> float:
        """When the block begins whose first sample is number ``frame``, and began at ``measured`` seconds or a
        little before; what is not ``sure`` is taken where nothing else is known."""
        start = measured if self._start is None else self._start + (frame - self._frame) / self._rate
        if abs(measured - start) > self._jump:
            start, self._count = measured, 0
        self._frame = frame
        if sure:
            self._count += 1
            start += max(_DRIFT_SHARE, 1.0 / self._count) * (measured - start)
        self._start = start
        return start
