"""When steps fall: from a first key on, or on the transport's beats; straight or swung."""

from __future__ import annotations

import math

from arpegon.core.clock import Clock

_LEAST_SECONDS = 0.001


class Pulse:
    """Steps of equal length in beats, at the tempo of the moment.

    ``swing`` is the share of a pair of steps that its first one gets: 0.5 is straight, 2/3 a triplet feel.
    ``on_beat`` ties the steps to the transport's beats; then nothing is due while it stands still.
    """

    __slots__ = ("_beat_step", "_next", "beats", "clock", "on_beat", "running", "since", "step", "swing")

    def __init__(self, clock: Clock) -> None:
        self.clock = clock
        self.beats = 0.25
        self.swing = 0.5
        self.on_beat = False
        self.running = False
        self.step = 0
        """The number of the step that is due next."""
        self.since = 0.0
        self._next = 0.0
        self._beat_step: int | None = None

    def begin(self, time: float) -> None:
        """Run from a time on: the first step falls there, or on the next beat."""
        self.running = True
        self.since = time
        self.step = 0
        self._next = time
        self._beat_step = None

    def stop(self) -> None:
        """Nothing is due any more."""
        self.running = False

    def restart(self) -> None:
        """The transport starts: look for the next beat anew."""
        self._beat_step = None

    def due(self) -> float:
        """When the next step falls; infinity where it does not."""
        if not self.running:
            return math.inf
        if not self.on_beat:
            return self._next
        if not self.clock.playing:
            return math.inf
        if self._beat_step is None:
            latest = max(self.clock.time_at(self.clock.beat), self.since)
            self.step = self._beat_step = self._first_from(self.clock.beat_at(latest))
        return max(self.since, self.clock.time_at(self.beat_of(self._beat_step)))

    def take(self, time: float) -> int:
        """Take the step that is due, at ``time``, and go on to the next; its number."""
        taken = self.step
        if self.on_beat and self._beat_step is not None:
            self._beat_step += 1
        self._next = time + max(_LEAST_SECONDS, self.clock.seconds(self.length(taken)))
        self.step = taken + 1
        return taken

    def length(self, step: int) -> float:
        """How long a step lasts, in beats."""
        return 2.0 * self.beats * (self.swing if step % 2 == 0 else 1.0 - self.swing)

    def beat_of(self, step: int) -> float:
        """The beat on which a step falls."""
        pair, second = divmod(step, 2)
        return 2.0 * self.beats * (pair + (self.swing if second else 0.0))

    def _first_from(self, beat: float) -> int:
        step = 2 * max(0, math.floor(beat / (2.0 * self.beats)) - 1)
        while self.beat_of(step) < beat - 1e-6:
            step += 1
        return step
