"""When steps fall: from a first key on, or on the transport's beats; straight or swung."""

from __future__ import annotations

import math

from arpegon.core.time.clock import Clock, Moment
from arpegon.core.time.swing import next_step, step_beat, step_length

_MIN_SECONDS = 0.001
_NEAR = 1e-6
_APART = 1e-3
"""Beats between a step and the first one after a change of their length."""


class Pulse:
    """Steps of equal length in beats, at the tempo of the moment.

    ``swing`` is the share of a pair of steps that its first one gets: 0.5 is straight, 2/3 a triplet feel.
    ``on_beat`` ties the steps to the transport's beats; then nothing is due while it stands still.
    """

    __slots__ = (
        *("_beat_step", "_from", "_grid", "_last", "_next", "beats", "clock"),
        *("on_beat", "running", "since", "step", "swing"),
    )

    def __init__(self, clock: Clock) -> None:
        self.clock = clock
        self.beats = 0.25
        self.swing = 0.5
        self.on_beat = False
        self.running = False
        self.step = 0
        """The number of the step that is due next."""
        self.since = 0.0
        self._next = Moment(clock, 0.0)
        self._last = -math.inf
        """When the last step was taken."""
        self._beat_step: int | None = None
        self._from = -math.inf
        """Since when it goes on as it does now: nothing is due before."""
        self._grid = 0.0
        """The beat from which it counts on the transport's beats (see :attr:`Clock.grid`)."""

    def go_on(self, beats: float, on_beat: bool, now: float) -> None:
        """Go on with steps of a length in beats, tied to the transport's beats or not.

        Where that is another one, the next step is the first on the new grid that is still to come: the transport's, or
        that of the last step.

        Args:
            now: up to when all that was due was done.
        """
        if (beats, on_beat) == (self.beats, self.on_beat):
            return
        self.beats, self.on_beat = beats, on_beat
        self._beat_step, self._from = None, now
        if self.running and self._last > -math.inf:
            self._next = Moment(self.clock, self._next_free(now))

    def _next_free(self, now: float) -> float:
        """The first step after the last one, counted from it, that is not past."""
        pair = self.clock.seconds(2.0 * self.beats)
        time, step = self._last, self.step - 1
        if now > time and pair > 0.0:
            time += math.floor((now - time) / pair) * pair
        while time <= self._last or time < now:
            time += max(_MIN_SECONDS, self.clock.seconds(self.length(step)))
            step += 1
        return time

    def begin(self, time: float) -> None:
        """Run from a time on: the first step falls there, or on the next beat."""
        self.running = True
        self.since = time
        self.step = 0
        self._next = Moment(self.clock, time)
        self._last = self._from = -math.inf
        self._beat_step = None

    def join(self, now: float) -> None:
        """Run on the transport's beats, from where the music is, if it does not run yet."""
        if not self.running:
            self.running = True
            self._beat_step, self._from = None, now

    def stop(self) -> None:
        """Nothing is due any more."""
        self.running = False

    def restart(self, now: float = -math.inf) -> None:
        """The transport starts, or its beats were set elsewhere: look for the next one anew, not before ``now``."""
        self._last = -math.inf
        self._beat_step, self._from = None, now

    def due(self) -> float:
        """When the next step falls; infinity where it does not."""
        if not self.running:
            return math.inf
        if not self.on_beat:
            return self._next.time
        if not self.clock.playing:
            return math.inf
        if self._grid != self.clock.grid:
            self._grid, self._beat_step = self.clock.grid, None
        if self._beat_step is None:
            beat = self.clock.beat_at(max(self.clock.time_at(self.clock.beat), self.since, self._from))
            if self._last > -math.inf:
                beat = max(beat, self.clock.beat_at(self._last) + _APART)
            self.step = self._beat_step = self._first_from(beat)
        return max(self.since, self.clock.time_at(self.beat_of(self._beat_step)))

    def take(self, time: float) -> int:
        """Take the step that is due, at ``time``, and go on to the next; its number."""
        taken = self.step
        self._last = time
        if self.on_beat and self._beat_step is not None:
            self._beat_step += 1
        if not self.on_beat:
            self._next = Moment(self.clock, time + max(_MIN_SECONDS, self.clock.seconds(self.length(taken))))
        self.step = taken + 1
        return taken

    def length(self, step: int) -> float:
        """How long a step lasts, in beats."""
        return step_length(step, self.beats, self.swing)

    def beat_of(self, step: int) -> float:
        """The beat on which a step falls."""
        return self._grid + step_beat(step - self._before(), self.beats, self.swing)

    def _first_from(self, beat: float) -> int:
        return self._before() + max(0, next_step(beat - self._grid, self.beats, self.swing, _NEAR))

    def _before(self) -> int:
        """How many steps lie before what is counted now: where bars of another meter begin, steps go on by number."""
        return math.ceil(self._grid / self.beats - _NEAR)
