"""What starts by an action: a number of rounds, or until it is stopped."""

from __future__ import annotations

import math

from arpegon.core.processing.parameters import Choice, Number, Param
from arpegon.core.processing.patterns import bars_ahead
from arpegon.core.time.clock import Clock, Moment

LAUNCHES = {"now": "at once", "step": "next step", "beat": "next beat", "bar": "next bar"}
_NEAR = 1e-6


class ActionRun:
    """Whether an action has started something, and how many rounds of it are left."""

    def __init__(self) -> None:
        self.on = False
        self._times = 0

    def start(self, times: int) -> None:
        """Run for so many rounds; 0: until it is stopped."""
        self.on = True
        self._times = times

    def stop(self) -> None:
        """Run no more."""
        self.on = False

    def ends(self, step: int, round_length: int) -> bool:
        """Whether all rounds are over before a step (counted from the start); it stops then."""
        if self.on and self._times and step >= self._times * round_length:
            self.on = False
            return True
        return False


class Launch:
    """A start that was asked for and waits for a line of the transport."""

    def __init__(self) -> None:
        self._line: int | None = None
        """The bar line on which it begins, counted by the clock,"""
        self._moment: Moment | None = None
        """or the moment, where it is no bar line."""
        self.times: int = 0
        """How many rounds then begin."""

    def ask(self, clock: Clock, time: float, rule: str, unit: float, bars: int, times: int) -> bool:
        """Whether it begins at once; else it waits. While the transport stands nothing can be waited for.

        Args:
            rule: a name in :data:`LAUNCHES`.
            unit: the length of what is waited for, in beats: of a step, a beat or a bar.
            bars: the how manieth bar line it is.
        """
        self.forget()
        if rule == "now" or not clock.playing:
            return True
        beat = clock.beat_at(time)
        is_on_line = clock.next_line(beat, unit) <= beat + _NEAR
        if is_on_line and (rule != "bar" or bars == 1):
            return True
        self.times = times
        if rule == "bar":
            self._line = clock.lines_at(time) + bars - is_on_line
        else:
            self._moment = Moment(clock, clock.time_at(clock.next_line(beat, unit)))
        return False

    def forget(self) -> None:
        """Wait for nothing."""
        self._line = self._moment = None

    @property
    def waits(self) -> bool:
        """True if a start was requested and has not happened yet."""
        return self._line is not None or self._moment is not None

    def due(self, clock: Clock) -> float:
        """When it begins, in seconds; infinity where nothing waits, or the transport stands."""
        if self._line is not None:
            return clock.time_of_line(self._line)
        return self._moment.time if self._moment is not None and clock.playing else math.inf


def launch_params() -> tuple[Param, ...]:
    """The declarations of when begins what an action starts."""
    return (
        Choice(
            name="launch",
            label="An action starts it",
            default="now",
            options=LAUNCHES,
            help="At once, or on the transport's next line of that kind, while that runs.",
        ),
        bars_ahead("launch_bars", "It starts after", "On which bar line: 1 is the next one."),
    )


def times_param() -> Number:
    """The declaration of how many rounds an action starts."""
    return Number(
        name="times",
        label="Rounds",
        default=0,
        low=0,
        high=64,
        help="How many rounds an action starts; 0 goes on until it is stopped.",
    )
