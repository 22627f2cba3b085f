"""Beats and seconds of what has tempi of its own."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable
from operator import itemgetter

DEFAULT_TEMPO = 120.0
"""Quarter notes a minute where a MIDI file says nothing, after the standard."""


class TempoMap:
    """Ties beats (quarter notes) to seconds; both begin at 0.

    Args:
        changes: beats, rising, and the tempo (quarter notes a minute) from there on.
    """

    def __init__(self, changes: Iterable[tuple[float, float]] = ()) -> None:
        found = [(0.0, 0.0, DEFAULT_TEMPO)]
        for beat, tempo in changes:
            start, second, before = found[-1]
            if beat <= start:
                found[-1] = (start, second, tempo)
            elif tempo != before:
                found.append((beat, second + (beat - start) * 60.0 / before, tempo))
        self._changes = found

    def second_at(self, beat: float) -> float:
        """When a beat falls."""
        start, second, tempo = self._changes[max(0, bisect_right(self._changes, beat, key=itemgetter(0)) - 1)]
        return second + (beat - start) * 60.0 / tempo

    def beat_at(self, time: float) -> float:
        """The beat that falls at a time in seconds."""
        start, second, tempo = self._changes[max(0, bisect_right(self._changes, time, key=itemgetter(1)) - 1)]
        return start + (time - second) * tempo / 60.0
