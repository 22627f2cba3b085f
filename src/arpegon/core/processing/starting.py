"""What starts by an action: a number of rounds, or until it is stopped."""

from __future__ import annotations

from arpegon.core.processing.parameters import Number


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


def times_param() -> Number:
    """The declaration of how many rounds an action starts."""
    return Number(
        key="times",
        label="Rounds",
        default=0,
        low=0,
        high=64,
        help="How many rounds an action starts; 0 goes on until it is stopped.",
    )
