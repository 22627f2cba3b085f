"""What a hookup makes of a controller: shares of a range, and the values of any parameter."""

from __future__ import annotations

from typing import Any

from arpegon.core.document.model import Hookup
from arpegon.core.processing.parameters import Choice, NoteKey, NoteValue, Number, Param, PitchClass, Switch
from arpegon.core.processing.values import curve, placed
from arpegon.core.theory.pitch import SHARP_NAMES, ascii_name, parse_pitch_class
from arpegon.core.time.rhythm import NOTE_VALUES

HOOKABLE = (Number, Choice, Switch, PitchClass, NoteValue, NoteKey)
"""The declarations whose values a hookup can set."""
_NEAR = 0.03


def steps_of(param: Param) -> list[Any] | None:
    """The values of a parameter that has only a few, in order; ``None`` where it is a number."""
    if isinstance(param, Switch):
        return [False, True]
    if isinstance(param, Choice):
        return list(param.options)
    if isinstance(param, NoteValue):
        return list(NOTE_VALUES)
    if isinstance(param, PitchClass):
        return [ascii_name(name) for name in SHARP_NAMES]
    return None


def bounds(param: Param, hookup: Hookup) -> tuple[float, float]:
    """The output range: as given, or the whole one. Values of a few are numbered from 0."""
    steps = steps_of(param)
    if steps is not None:
        low, high = 0.0, float(len(steps) - 1)
    elif isinstance(param, Number):
        low, high = float(param.low), float(param.high)
    else:
        low, high = 0.0, 127.0
    return (
        low if hookup.out_low is None else _sane(hookup.out_low),
        high if hookup.out_high is None else _sane(hookup.out_high),
    )


def _sane(number: float) -> float:
    """An end of a range that can be reckoned with: it may lie far beyond the parameter's own, not beyond all bounds."""
    return max(-_FAR, min(_FAR, number))


def value_at(param: Param, share: float, hookup: Hookup) -> Any:
    """The value of a parameter at a share of 0 ... 1 of the output range."""
    low, high = bounds(param, hookup)
    number = low + share * (high - low)
    steps = steps_of(param)
    if steps is not None:
        return steps[max(0, min(len(steps) - 1, round(number)))]
    if isinstance(param, Number):
        stepped = param.low + round((number - param.low) / param.step) * param.step
        clamped = param.clamp(stepped)
        return clamped if param.whole else round(clamped, 4)
    return max(0, min(127, round(number)))


def number_of(param: Param, value: Any) -> float:
    """A value of a parameter as a number; values of a few by their place."""
    steps = steps_of(param)
    if steps is None:
        return float(value)
    if isinstance(param, PitchClass):
        return float(parse_pitch_class(value))
    return float(steps.index(value)) if value in steps else 0.0


def share_of(param: Param, value: Any, hookup: Hookup) -> float:
    """Where a value lies in the output range, 0 ... 1."""
    return placed(number_of(param, value), *bounds(param, hookup))


def next_value(param: Param, value: Any, hookup: Hookup) -> Any:
    """The value after this one, round and round within the output range."""
    low, high = sorted(bounds(param, hookup))
    step = float(param.step) if isinstance(param, Number) else 1.0
    number = number_of(param, value) + step
    if number > high + 1e-9:
        number = low
    span = high - low
    whole = Hookup(id="", out_low=low, out_high=high)
    return value_at(param, (number - low) / span if span else 0.0, whole)


def share_in(value: float, hookup: Hookup) -> float:
    """Where a controller's value lies in the input range, bent by the curve, 0 ... 1."""
    return curve(hookup.curve)(placed(value, hookup.in_low, hookup.in_high))


_FAR = 1e9
SILENCE_RANGE = (0.02, 10.0)
"""Seconds of silence after which a value is another press."""


class Presses:
    """Which values of a control are presses: those that reach the middle, again, or after a silence, or twice the same.

    Buttons that send their release, knobs that are turned over the middle, and pads that send 127 at each stroke and
    nothing else are all told from what they send.
    """

    def __init__(self) -> None:
        self.down = False
        self._value: float | None = None
        self._time = 0.0

    def moved(self, value: float, down: bool, time: float, silence: float) -> bool:
        """Whether a value that came is a press.

        Args:
            down: whether it is above the middle.
            silence: seconds without a value after which one that is ``down`` is another press.
        """
        again = self.down and (value == self._value or time - self._time >= silence)
        struck = down and (not self.down or again)
        self.down, self._value, self._time = down, value, time
        return struck


class TakeOver:
    """How a knob that stands elsewhere takes a parameter over.

    ``jump``: at once. ``pick-up``: once it has met or passed the value. ``scale``: at once, but so that knob and
    value reach both ends together.
    """

    def __init__(self) -> None:
        self._knob: float | None = None
        self._set: float | None = None
        self._engaged = False

    def moved(self, rule: str, knob: float, here: float) -> float | None:
        """Where the parameter goes (a share) when the knob moves; ``None`` where it stays.

        Args:
            rule: a name of ``Hookup.takeover``.
            knob: where the knob is now, 0 ... 1.
            here: where the parameter is, 0 ... 1.
        """
        before, self._knob = self._knob, knob
        if rule == "jump":
            return knob
        moved_away = self._set is not None and abs(self._set - here) > _NEAR
        if rule == "pick-up":
            if moved_away:
                self._engaged = False
            met = abs(knob - here) <= _NEAR or (before is not None and (before - here) * (knob - here) <= 0)
            self._engaged = self._engaged or met
            if not self._engaged:
                return None
            self._set = knob
            return knob
        if before is None:
            return None
        if knob > before:
            made = here + (knob - before) * (1.0 - here) / max(1e-9, 1.0 - before)
        else:
            made = here - (before - knob) * here / max(1e-9, before)
        self._set = max(0.0, min(1.0, made))
        return self._set
