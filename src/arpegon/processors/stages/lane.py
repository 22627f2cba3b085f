"""Lanes: what an arpeggiator plays on each of its steps."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from arpegon.core.processing.entries import Entries
from arpegon.core.processing.parameters import Choice, Number, Param, Part
from arpegon.core.processing.toss import TossLane

MAX = 32
WORDS = ("next", "all", "rest", "tie")
MAX_NOTES = 16
_PLAYS = {
    "rest": "rest",
    "next": "next in order",
    **{str(number): f"note {number}" for number in range(1, MAX_NOTES + 1)},
    "all": "all",
    "tie": "tie",
}
"""What a step plays, in the order in which a control goes through it."""


class LanePlay(Param, frozen=True, kw_only=True):
    """``"next"`` (in the order), the number of a held note from 1, ``"all"``, ``"rest"`` or ``"tie"``."""

    def check(self, value: Any) -> Any:
        numbered = isinstance(value, int) and not isinstance(value, bool) and 1 <= value <= MAX_NOTES
        if numbered or (isinstance(value, str) and value in WORDS):
            return value
        raise self._refuse(value)

    def part(self, value: Any, names: Sequence[str]) -> Part | None:
        if names:
            return None
        plays = Choice(name=self.name, label=self.label, default=self.default, options=_PLAYS, help=self.help)
        return plays, str(value)

    def with_part(self, value: Any, names: Sequence[str], part: Any) -> Any:
        return int(part) if part not in WORDS else part

    @property
    def range_text(self) -> str:
        return f"a number from 1 to {MAX_NOTES}, {', '.join(f'“{word}”' for word in WORDS)}"

    def schema(self) -> dict[str, Any]:
        number = {"type": "integer", "minimum": 1, "maximum": MAX_NOTES}
        return {"oneOf": [{"enum": list(WORDS)}, number]}


LANE = Entries(
    name="lane",
    label="Steps",
    default=[],
    max_count=MAX,
    help="What each step plays; with none, all play the next note.",
    fields=(
        LanePlay(name="play", label="Plays", default="next", help="Which of the held notes."),
        Number(name="octave", label="Octave", default=0, low=-3, high=3, help="By how many octaves it is moved."),
        Number(
            name="velocity",
            label="Velocity",
            default=1.0,
            low=0.0,
            high=2.0,
            step=0.01,
            help="A factor on the velocity of the note.",
        ),
        Number(
            name="length",
            label="Length",
            default=1.0,
            low=0.05,
            high=4.0,
            step=0.05,
            help="A factor on the length of the note.",
        ),
        Number(
            name="chance", label="Chance", default=100, low=0, high=100, unit="%", help="How often the step sounds."
        ),
    ),
)

LANE_TOSS = (
    TossLane(name="octave", label="Octave", low=-3, high=3, rest_low=-1, rest_high=1),
    TossLane(name="velocity", label="Velocity", low=0.0, high=2.0, rest_low=0.6, rest_high=1.2, step=0.05, on=True),
    TossLane(name="length", label="Length", low=0.05, high=4.0, rest_low=0.3, rest_high=1.5, step=0.05),
    TossLane(name="chance", label="Chance", low=0, high=100, rest_low=60, rest_high=100, step=5),
    TossLane(
        name="play",
        label="Rests",
        low=0,
        high=100,
        rest_low=10,
        rest_high=35,
        way="share",
        mark="rest",
        rest="next",
        on=True,
    ),
    TossLane(name="stride", label="Stride", low=1, high=31, rest_low=1, rest_high=5, way="whole"),
)
