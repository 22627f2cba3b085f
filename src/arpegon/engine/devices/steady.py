"""Blocks of samples, tied to seconds."""

from __future__ import annotations

from arpegon.core.time import studio

_DRIFT_SHARE = 0.02
"""How much of a deviation between sound card and clock is taken over at each block: enough to follow the
drift of a crystal, too little to let the jitter of one callback be heard."""
_STALL_SECONDS = 0.1
"""A deviation that is no jitter: so long the server stood still."""
_GONE_SECONDS = 2.0
"""… and so long that time is taken to have gone on without it."""
FRAME_NUMBERS = 2**32
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

    Where a server stands still for a moment, so does the music. So much longer it takes; nothing is out of step.

    Args:
        rate: samples a second.
    """

    def __init__(self, rate: int) -> None:
        self._rate = rate
        self._origin: float | None = None
        """When its first frame was that we know,"""
        self._first = 0
        """and its number."""
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
            self._origin, self._first = began - studio.behind(), frame
        self._frames += (frame - self._first - self._frames) % FRAME_NUMBERS
        start = self._origin + self._frames / self._rate
        behind = studio.behind()
        apart = began - behind - start
        if abs(apart) > _GONE_SECONDS:
            self._origin += apart
            start += apart
            apart, self._count = 0.0, 0
        if abs(apart) > _STALL_SECONDS:
            behind, self._count = behind + apart, 0
        elif sure:
            self._count += 1
            behind += max(_DRIFT_SHARE, 1.0 / self._count) * apart
        studio.set_behind(min(behind, arrived - start))  # a period that was told has begun
        return start

    def frame_at(self, time: float) -> int | None:
        """The number of the frame nearest to a time; ``None`` where nothing is known yet."""
        origin = self._origin
        return None if origin is None else (self._first + round((time - origin) * self._rate)) % FRAME_NUMBERS

    def time_at(self, frame: int) -> float:
        """When a frame is, not far from the last one that is known."""
        if self._origin is None:
            return studio.now()
        return self._origin + (self._frames + since(frame, self._first + self._frames)) / self._rate


def since(frame: int, other: int) -> int:
    """How many frames after another one it is; before it, where this is negative."""
    return (frame - other + FRAME_NUMBERS // 2) % FRAME_NUMBERS - FRAME_NUMBERS // 2
