"""What the papers of a take share: which beats are in sight, the range of keys, where it plays, how things snap."""

from __future__ import annotations

from arpegon.core.notes.course import Course
from arpegon.core.time.rhythm import beats_of

MARGIN = 0.4
"""Beats that can be seen before the start."""


class Span:
    """The beats and keys in sight."""

    def __init__(self) -> None:
        self.start = 0.0
        """The beat at the foot of the paper."""
        self.pixels = 30.0
        """Of a beat."""
        self.length = 0.0
        """Beats of the take."""
        self.low, self.high = 48, 84
        self.course = Course()
        self.playhead: float | None = None
        """The beat that plays."""
        self.cursor = 0.0
        """The beat at which keys draw, split and paste, and from which it is played."""
        self.loop: tuple[float, float] | None = None
        """From which beat to which it is played again and again; ``None``: to its end, once."""
        self.taps: tuple[float, ...] = ()
        """The beats on which somebody taps along."""
        self.snap = "1/16"
        """The note value to which moves go; empty: they are free."""

    def clamp(self, height: float) -> None:
        """Keep the take in sight."""
        seen = height / self.pixels
        self.start = max(-MARGIN, min(self.start, self.length + 1.0 - seen))
        if self.length + 1.0 + MARGIN < seen:
            self.start = -MARGIN

    def step(self, beat: float) -> float:
        """The length in beats of a step of the keyboard at a beat."""
        return beats_of(self.snap or "1/32", self.course.meter_at(beat)[1])

    def snapped(self, beat: float, free: bool = False) -> float:
        """The line that is nearest to a beat; ``free``: the beat itself."""
        if free or not self.snap:
            return max(0.0, beat)
        origin, step = self.course.meter_at(beat)[0], self.step(beat)
        return max(0.0, origin + round((beat - origin) / step) * step)
