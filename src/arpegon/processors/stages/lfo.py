"""LFO: a slow wave."""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping
from typing import Any

from arpegon.core.processing.parameters import Choice, NoteValue, Number, Points, seed_param
from arpegon.core.processing.values import TOP, on_line
from arpegon.core.time.rhythm import beats_of
from arpegon.processors.bases.modulator import Modulator, modulator_params

WAVES = {
    "sine": "sine",
    "triangle": "triangle",
    "ramp-up": "ramp up",
    "ramp-down": "ramp down",
    "square": "square",
    "hold": "sample and hold",
    "random": "smooth random",
    "drawn": "drawn",
}

_PLAIN: dict[str, Callable[[float], float]] = {
    "sine": lambda phase: 0.5 - 0.5 * math.cos(2.0 * math.pi * phase),
    "triangle": lambda phase: 1.0 - abs(2.0 * phase - 1.0),
    "ramp-up": lambda phase: phase,
    "ramp-down": lambda phase: 1.0 - phase,
}
"""Waves that are a function of the phase, 0 ... 1, alone; all begin at the bottom but the ramp down."""


class Lfo(Modulator):
    """A wave that moves a controller, pressure, bend, or through hookups any parameter.

    Its rate is in cycles a second or a note value. What is random is drawn from the seed and the number of the cycle,
    so a place in the piece has the same value however it is reached.
    """

    kind = "lfo"
    label = "LFO"
    summary = "A slow wave that moves a controller or a parameter."
    params = (
        Choice(name="wave", label="Wave", default="sine", options=WAVES, help="Its shape."),
        Choice(
            name="unit",
            label="Rate in",
            default="note",
            options={"note": "note values", "hz": "hertz"},
            help="Whether a cycle has a length in beats or in seconds.",
        ),
        NoteValue(name="rate", label="Cycle", default="1 bar", help="The length of a cycle, up to 16 bars."),
        Number(
            name="hz",
            label="Frequency",
            default=0.5,
            low=0.01,
            high=20.0,
            step=0.01,
            unit="Hz",
            help="Cycles a second.",
        ),
        Number(name="phase", label="Phase", default=0, low=0, high=359, unit="°", help="Where in its cycle it begins."),
        Number(
            name="width", label="Width", default=50, low=1, high=99, unit="%", help="How long a square is at the top."
        ),
        Points(
            name="points",
            label="Drawn wave",
            default=[[0, 0], [32, 127], [64, 40], [127, 0]],
            low=0,
            high=127,
            help="One cycle from left to right.",
        ),
        Number(
            name="fade_s",
            label="Fade-in",
            default=0.0,
            low=0.0,
            high=30.0,
            step=0.1,
            unit="s",
            help="How long it takes to reach its full width after it began.",
        ),
        seed_param("the same random waves"),
        *modulator_params(),
    )

    def on_configure(self) -> None:
        self._beats = beats_of(self.values["rate"], self.context.meter)

    def beats(self) -> float | None:
        return self._beats if self.values["unit"] == "note" else None

    def seconds(self) -> float:
        return 1.0 / float(self.values["hz"])

    def fade(self, time: float) -> float:
        seconds = self.values["fade_s"]
        return 1.0 if seconds <= 0 else max(0.0, min(1.0, (time - self._began) / seconds))

    def share(self, cycles: float) -> float:
        values = self.values
        at = cycles + values["phase"] / 360.0
        number = math.floor(at + 1e-9)
        phase = max(0.0, at - number)
        wave = values["wave"]
        if wave in _PLAIN:
            return _PLAIN[wave](phase)
        if wave == "square":
            return 1.0 if phase < values["width"] / 100.0 else 0.0
        if wave == "drawn":
            return on_line(values["points"] or [[0, 0]], phase * TOP) / TOP
        here = self._drawn(number)
        if wave == "hold":
            return here
        blend = 0.5 - 0.5 * math.cos(math.pi * phase)
        return here + (self._drawn(number + 1) - here) * blend

    def _drawn(self, number: int) -> float:
        """The random value of a cycle."""
        seed = self.values["seed"] if self.context.seed is None else self.context.seed
        return random.Random(f"{seed}/{self.context.identity}/{number}").random()

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        rate = values["rate"] if values["unit"] == "note" else f"{values['hz']:g} Hz"
        return f"{WAVES[values['wave']]} · {rate} · {cls.target_words(values)}"
