"""Lanes: what an arpeggiator plays on each of its steps."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.errors import ParameterError
from arpegon.core.parameters import Param

MOST = 32
WORDS = ("next", "all", "rest", "tie")
MOST_NOTES = 16
BOUNDS: dict[str, tuple[float, float, float]] = {
    "octave": (-3, 3, 0),
    "velocity": (0.0, 2.0, 1.0),
    "length": (0.05, 4.0, 1.0),
    "chance": (0, 100, 100),
}
"""What a step may have besides: lowest, highest, and what it is where left out."""


class Lane(Param, frozen=True, kw_only=True):
    """Up to 32 steps ``{"play": ..., "octave": 0, "velocity": 1.0, "length": 1.0, "chance": 100}``.

    ``play`` is ``"next"`` (in the order), the number of a held note from 1, ``"all"``, ``"rest"`` or ``"tie"``.
    """

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) > MOST:
            raise self._refuse(value)
        return [self._step(number, step) for number, step in enumerate(value)]

    def _step(self, number: int, step: Any) -> dict[str, Any]:
        where = f"{self.label} ({self.key}), step {number + 1}"
        if not isinstance(step, Mapping):
            raise ParameterError(f"{where}: a step is an object such as {{“play”: “next”}}.")
        unknown = sorted(str(key) for key in step if key not in ("play", *BOUNDS))
        if unknown:
            raise ParameterError(f"{where}: there is no “{unknown[0]}” in a step.")
        play = step.get("play", "next")
        numbered = isinstance(play, int) and not isinstance(play, bool) and 1 <= play <= MOST_NOTES
        if not numbered and not (isinstance(play, str) and play in WORDS):
            takes = f"a number from 1 to {MOST_NOTES}, {', '.join(WORDS)}"
            raise ParameterError(f"{where}: play cannot be {play!r}: it takes {takes}.")
        checked: dict[str, Any] = {"play": play}
        for key, (low, high, rest) in BOUNDS.items():
            value = step.get(key, rest)
            if isinstance(value, bool) or not isinstance(value, (int, float)) or not low <= value <= high:
                raise ParameterError(f"{where}: {key} cannot be {value!r}: it takes {low:g} to {high:g}.")
            if key == "octave" and value != int(value):
                raise ParameterError(f"{where}: octave cannot be {value!r}: it takes whole numbers.")
            if value != rest:
                checked[key] = int(value) if key == "octave" else value
        return checked

    def text(self, value: Any) -> str:
        return f"{len(value)} steps" if value else "no lane"

    @property
    def range_text(self) -> str:
        return (
            "a list of up to 32 steps, each with `play` (`next`, a number from 1, `all`, `rest`, `tie`) and, if "
            "wanted, `octave`, `velocity` (a factor), `length` (a factor), `chance` (percent)"
        )

    def schema(self) -> dict[str, Any]:
        number = {"type": "integer", "minimum": 1, "maximum": MOST_NOTES}
        properties: dict[str, Any] = {"play": {"oneOf": [{"enum": list(WORDS)}, number]}}
        for key, (low, high, _) in BOUNDS.items():
            kind = "integer" if key == "octave" else "number"
            properties[key] = {"type": kind, "minimum": low, "maximum": high}
        step = {"type": "object", "additionalProperties": False, "properties": properties}
        return {"type": "array", "maxItems": MOST, "items": step}


def step_value(step: Mapping[str, Any], key: str) -> float:
    """A value of a step, or what it is where left out."""
    value: float = step.get(key, BOUNDS[key][2])
    return value
