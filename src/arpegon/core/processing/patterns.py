"""Numbered patterns: several values of one kind in a stage, one of which plays."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from arpegon.core.errors import ParameterError
from arpegon.core.processing.parameters import Choice, Number, Param, Part, Switch
from arpegon.core.processing.parts import place_in, replaced

MAX = 8
MAX_BARS_AHEAD = 16
"""How many bars something may wait that was asked for."""
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
    min_count: int = 0

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) > MAX:
            raise self._refuse(value)
        return [self._pattern(number, pattern) for number, pattern in enumerate(value)]

    def _pattern(self, number: int, pattern: Any) -> Any:
        try:
            checked = self.one.check(pattern)
        except ParameterError as error:
            raise ParameterError(f"{self.label} ({self.name}), pattern {number + 1}: {error}") from None
        if len(checked) < self.min_count:
            raise ParameterError(
                f"{self.label} ({self.name}), pattern {number + 1}: it has no {self.one.label.lower()}."
            )
        return checked

    def part(self, value: Any, names: Sequence[str]) -> Part | None:
        if not names:
            return self, value
        place = place_in(names[0], value)
        found = None if place is None else self.one.part(value[place], names[1:])
        return None if found is None else (found[0].within(f"pattern {names[0]}"), found[1])

    def with_part(self, value: Any, names: Sequence[str], part: Any) -> Any:
        if not names:
            return part
        place = int(names[0]) - 1
        return replaced(value, place, self.one.with_part(value[place], names[1:], part))

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
        if self.min_count:
            one = {**one, "minItems": self.min_count}
        return {"type": "array", "maxItems": MAX, "items": one}


def bars_ahead(key: str, label: str, help: str) -> Number:
    """The declaration of how many bars something waits that was asked for."""
    return Number(name=key, label=label, default=1, low=1, high=MAX_BARS_AHEAD, unit="bars", help=help)


def pattern_params(patterns: Param) -> tuple[Param, ...]:
    """The declarations of a stage with patterns: they, the number of the one that plays, when another takes over."""
    return (
        patterns,
        Number(
            name="pattern",
            label="Pattern",
            default=1,
            low=1,
            high=MAX,
            help="Which of the patterns plays; a number beyond the last one takes the last.",
        ),
        Choice(
            name="change",
            label="Changes",
            default="beat",
            options=CHANGES,
            help="When another pattern takes over that was chosen while this one plays.",
        ),
        bars_ahead("change_bars", "After bars", "On which bar line after it was chosen: 1 is the next one."),
        Switch(
            name="from_first",
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

    :meth:`turn` is asked before each step.
    """

    def __init__(self) -> None:
        self.playing = 0
        self.since = 0
        """The number of the step at which the pattern that plays began."""
        self._last: tuple[float, int] | None = None
        """The beat of the last step, and the bar lines that had passed."""
        self._asked: tuple[int, int] | None = None
        """The pattern that waits for a bar, and which one."""

    def begin(self, wanted: int) -> None:
        """Begin with a pattern; one that waits for a bar still does, as where a section is repeated."""
        self.since = 0
        if self._asked is None or self._asked[0] != wanted:
            self.playing, self._last, self._asked = wanted, None, None

    def forget(self) -> None:
        """Wait for no bar."""
        self._asked = None

    def turn(
        self,
        wanted: int,
        change: str,
        number: int,
        beat: float,
        line: int,
        ended: bool,
        anew: bool,
        bars: int = 1,
    ) -> bool:
        """Whether another pattern takes over before a step.

        Args:
            wanted: the pattern that is chosen, from 0.
            change: a name in :data:`CHANGES`.
            number: the step.
            beat: on which beat it falls.
            line: how many bar lines have passed then.
            ended: whether the pattern that plays has just come to its end.
            anew: the pattern that takes over begins at its first step.
            bars: where it changes on a bar, on the how manieth line after it was chosen.
        """
        before, self._last = self._last, (beat, line)
        if wanted == self.playing:
            self._asked = None
            return False
        if change == "beat" and before is not None and math.floor(beat + _NEAR) == math.floor(before[0] + _NEAR):
            return False
        if change == "bar" and before is not None and not self._bar_has_come(wanted, before[1], line, bars):
            return False
        if change == "end" and not ended and before is not None:
            return False
        self.take_over(wanted, number, anew)
        return True

    def _bar_has_come(self, wanted: int, before: int, line: int, bars: int) -> bool:
        """Test for the bar on which the chosen pattern takes over; ``before`` lines had passed when it was chosen."""
        if self._asked is None or self._asked[0] != wanted:
            self._asked = wanted, before + bars
        return line >= self._asked[1]

    def take_over(self, wanted: int, number: int, anew: bool) -> None:
        """The chosen pattern takes over before a step; see :meth:`turn`."""
        if wanted != self.playing:
            self.playing = wanted
            if anew:
                self.since = number
