"""Tempo from taps."""

from __future__ import annotations

from arpegon.core.time.clock import TEMPO_RANGE

_PAUSE_SECONDS = 3.2
"""A longer wait than this (a beat at the slowest tempo, and a little) begins anew."""
_MAX = 8
_STRAY = 0.4


class Taps:
    """The last taps of one go; a tap that strays far from the others begins a new go."""

    def __init__(self) -> None:
        self._times: list[float] = []

    def tap(self, time: float) -> float | None:
        """Take a tap at a time in seconds.

        Returns:
            Quarter notes a minute, from the mean of the last intervals; ``None`` at the first tap of a go.
        """
        times = self._times
        if times:
            wait = time - times[-1]
            usual = (times[-1] - times[0]) / (len(times) - 1) if len(times) > 1 else wait
            if wait <= 0 or wait > _PAUSE_SECONDS or abs(wait - usual) > _STRAY * usual:
                times.clear()
        times.append(time)
        del times[:-_MAX]
        if len(times) < 2:
            return None
        tempo = 60.0 * (len(times) - 1) / (times[-1] - times[0])
        return round(min(TEMPO_RANGE[1], max(TEMPO_RANGE[0], tempo)), 1)
