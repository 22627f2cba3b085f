"""Blocks of samples, tied to seconds."""

from __future__ import annotations

from arpegon.core.time import studio

_DRIFT_SHARE = 0.02
"""How much of a deviation between sound card and clock is taken over at each block: enough to follow the
drift of a crystal, too little to let the jitter of one callback be heard."""
_FRAME_NUMBERS = 2**32
"""A server begins anew after so many: after a day."""


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


class FrameTime:
    """Studio time by the frames of a server: where it calls us, that is what counts, and we say how far it is behind
    the computer's clock (:func:`arpegon.core.time.studio.set_behind`).

    Args:
        rate: samples a second.
        jump: a deviation in seconds after which the server is taken to have stood still: time went by without it.
    """

    def __init__(self, rate: int, jump: float) -> None:
        self._rate = rate
        self._jump = jump
        self._origin: float | None = None
        """When its first frame was that we know."""
        self._last = 0
        self._frames = 0
        """Since then."""
        self._count = 0
        """Of periods since it knew nothing: the first ones are averaged, so that it is steady at once."""

    def at(self, frame: int, began: float, arrived: float, sure: bool = True) -> float:
        """When a period begins, in studio time; from then on it is that late, or later.

        Args:
            frame: its first one, as the server counts them: in 32 bits.
            began: when it seems to have begun, by the computer's clock.
            arrived: when we were called, by that clock.
            sure: whether ``began`` is worth anything.
        """
        if self._origin is None:
            self._origin, self._last = began - studio.behind(), frame
        self._frames += (frame - self._last) % _FRAME_NUMBERS
        self._last = frame
        start = self._origin + self._frames / self._rate
        apart = began - studio.behind() - start
        if abs(apart) > self._jump:
            self._origin += apart
            start += apart
            apart, self._count = 0.0, 0
        behind = studio.behind()
        if sure:
            self._count += 1
            behind += max(_DRIFT_SHARE, 1.0 / self._count) * apart
        studio.set_behind(min(behind, arrived - start))  # a period that was told has begun
        return start
