"""A tempo on its way: evenly in time from one tempo to another, over a number of beats."""

from __future__ import annotations

import math

import msgspec

STEP = 1.0 / 12.0
"""Beats (quarter notes) of one tempo: on the lines between them every beat falls exactly where the ramp has it."""


class Ramp(msgspec.Struct, frozen=True):
    """From ``tempo`` on ``beat`` to ``to``, ``beats`` later; tempi in quarter notes a minute.

    The tempo moves evenly in time (as something that speeds up evenly does), so with ``b`` beats gone its square has
    moved evenly: T(b)^2 = T0^2 + (T1^2 - T0^2) b / beats, and all beats last as long as at the mean of both tempi.
    """

    beat: float
    beats: float
    tempo: float
    to: float

    @property
    def end(self) -> float:
        """The beat on which it has arrived."""
        return self.beat + self.beats

    def tempo_at(self, beat: float) -> float:
        """The tempo on a beat."""
        share = min(1.0, max(0.0, (beat - self.beat) / self.beats))
        return math.sqrt(self.tempo**2 + (self.to**2 - self.tempo**2) * share)

    def seconds(self, start: float, end: float) -> float:
        """How long it takes from one beat to a later one, both within the ramp."""
        # Even in time: between two beats the tempo is on average the mean of both ends.
        return 120.0 * (end - start) / (self.tempo_at(start) + self.tempo_at(end))

    def next_line(self, beat: float) -> float:
        """The first line after a beat on which the tempo is another one; at most the end."""
        number = math.floor((beat - self.beat) / STEP + 1e-6) + 1
        return min(self.end, self.beat + number * STEP)
