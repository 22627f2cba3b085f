"""Numbered patterns: several values of one kind in a stage, one of which plays."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from arpegon.core.errors import ParameterError
from arpegon.core.processing.parameters import Choice, Number, Param, Part, Switch
from arpegon.core.processing.parts import place_in

MAX = 8
CHANGES = {
    "now": "at once",
    "step": "next step",
    "beat": "next beat",
    "bar": "next bar",
    "end": "at its end",
}
_NEAR = 1e-6


class Patterns(Param, frozen=True, kw_only=True):
    """Up to eight patterns, each as ``one`` declares it; ``least`` is the shortest length of one."""

    one: Param
    least: int = 0

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) > MAX:
            raise self._refuse(value)
        return [self._pattern(number, pattern) for number, pattern in enumerate(value)]

    def _pattern(self, number: int, pattern: Any) -> Any:
        try:
            checked = self.one.check(pattern)
        except ParameterError as error:
            raise ParameterError(f"{self.label} ({self.key}), pattern {number + 1}: {error}") from None
        if len(checked) < self.least:
            raise ParameterError(
                f"{self.label} ({self.key}), pattern {number + 1}: it has no {self.one.label.lower()}."
            )
        return checked

    def part(self, value: Any, names: Sequence[str]) -> Part | None:
        if not names:
            return self, value
        place = place_in(names[0], value)
        found = None if place is None else self.one.part(value[place], names[1:])
        return None if found is None else (found[0].within(f"pattern {names[0]}"), found[1])

    def parts(self, value: Any) -> Iterator[str]:
        for number, one in enumerate(value, start=1):
            yield from (f"{number}.{name}" for name in self.one.parts(one))

    def text(self, value: Any) -> str:
        return "no pattern" if not value else "1 pattern" if len(value) == 1 else f"{len(value)} patterns"

    @property
    def range_text(self) -> str:
        return f"a list of up to {MAX} patterns, each {self.one.range_text}"

    def schema(self) -> dict[str, Any]:
        one = self.one.schema()
        if self.least:
            one = {**one, "minItems": self.least}
        return {"type": "array", "maxItems": MAX, "items": one}


def pattern_params(patterns: Param) -> tuple[Param, ...]:
    """The declarations of a stage with patterns: they, the number of the one that plays, when another takes over."""
    return (
        patterns,
        Number(
            key="pattern",
            label="Pattern",
            default=1,
            low=1,
            high=MAX,
            help="Which of the patterns plays; a number beyond the last one takes the last.",
        ),
        Choice(
            key="change",
            label="Changes",
            default="beat",
            options=CHANGES,
            help="When another pattern takes over that was chosen while this one plays.",
        ),
        Switch(
            key="from_first",
            label="Begins anew",
            default=True,
            help="A pattern that takes over begins at its first step; else it goes on at the step of the one before.",
        ),
    )


def chosen(values: Mapping[str, Any], count: int) -> int:
    """The place of the chosen one among ``count`` patterns; a number beyond the last one takes the last."""
    return int(min(values["pattern"], max(1, count))) - 1


class PatternTurn:
    """Which pattern plays, and when the chosen one takes its place.

    ``bar`` is the length of a bar in beats. :meth:`turn` is asked before each step.
    """

    def __init__(self) -> None:
        self.playing = 0
        self.since = 0
        """The number of the step at which the pattern that plays began."""
        self._last_beat: float | None = None

    def begin(self, wanted: int) -> None:
        """Begin with a pattern."""
        self.playing, self.since, self._last_beat = wanted, 0, None

    def turn(self, wanted: int, change: str, number: int, beat: float, bar: float, ended: bool, anew: bool) -> bool:
        """Whether another pattern takes over before a step.

        Args:
            wanted: the pattern that is chosen, from 0.
            change: a name in :data:`CHANGES`.
            number: the step.
            beat: on which beat it falls.
            bar: the length of a bar in beats.
            ended: whether the pattern that plays has just come to its end.
            anew: the pattern that takes over begins at its first step.
        """
        before, self._last_beat = self._last_beat, beat
        if wanted == self.playing:
            return False
        units = {"beat": 1.0, "bar": bar}
        if change in units and before is not None:
            unit = units[change]
            if math.floor(beat / unit + _NEAR) == math.floor(before / unit + _NEAR):
                return False
        if change == "end" and not ended and before is not None:
            return False
        self.take_over(wanted, number, anew)
        return True

    def take_over(self, wanted: int, number: int, anew: bool) -> None:
        """The chosen pattern takes over before a step; see :meth:`turn`."""
        if wanted != self.playing:
            self.playing = wanted
            if anew:
                self.since = number
