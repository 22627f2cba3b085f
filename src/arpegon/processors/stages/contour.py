"""Contour: a lane of steps over beats or bars, as a slow modulator."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Mapping
from typing import Any

from arpegon.core.counting import counted
from arpegon.core.processing.parameters import Choice, NoteValue, Number, Numbers, Points
from arpegon.core.processing.values import TOP
from arpegon.core.time.rhythm import beats_of
from arpegon.processors.bases.modulator import Modulator, modulator_params

MAX = 64
_NEAR = 1e-7


class Contour(Modulator):
    """Up to 64 drawn values over a number of beats or bars, held or gliding from one to the next, round and round.

    Steps lie evenly; points lie anywhere: ``[when, value]``, both from 0 to 127, where 128 would be the end.

    It drives what an LFO can drive; hooked up to the number of a pattern it lays out patterns over bars.
    """

    kind = "contour"
    label = "Contour"
    summary = "Drawn steps over bars that move a controller or choose patterns."
    params = (
        Choice(
            name="drawn",
            label="Drawn as",
            default="steps",
            options={"steps": "even steps", "points": "free points"},
            help="Whether its values lie evenly, or anywhere in its length.",
        ),
        Points(
            name="points",
            label="Points",
            default=[[0, 0], [64, 127], [96, 32]],
            low=0,
            high=127,
            max_count=MAX,
            help="Free points: when in its length, and the value, both from 0 to 127.",
        ),
        Numbers(
            name="steps",
            label="Steps",
            default=[0, 127, 64, 96],
            low=0,
            high=127,
            max_count=MAX,
            help="The values, one after the other, from 0 to 127.",
        ),
        NoteValue(name="length", label="Over", default="4 bars", help="The time that all steps take together."),
        Choice(
            name="way",
            label="Between them",
            default="hold",
            options={"hold": "holds", "glide": "glides"},
            help="Whether each value is held, or glides to the next.",
        ),
        Number(name="offset", label="Begins at", default=1, low=1, high=MAX, help="The step at which it begins."),
        *modulator_params(),
    )

    def on_configure(self) -> None:
        self._places: list[tuple[float, float]]
        self._beats = beats_of(self.values["length"], self.context.meter)
        values = self.values
        if values["drawn"] == "points":
            self._places = [(when / (TOP + 1.0), float(value)) for when, value in values["points"]]
        else:
            steps, first = values["steps"], values["offset"] - 1
            self._places = [
                (number / len(steps), float(steps[(first + number) % len(steps)])) for number in range(len(steps))
            ]

    def beats(self) -> float | None:
        return self._beats

    def next_look(self, time: float) -> float:
        # A step that is held is met on its beat, so that what it chooses is chosen for that beat.
        even = super().next_look(time)
        if not self._places or self.values["way"] != "hold":
            return even
        cycles = self.cycles(time)
        number, phase = _split(cycles)
        later = next((when for when, _ in self._places if when > phase + _NEAR), 1.0 + self._places[0][0])
        step = max(time, self.time_of(number + later))
        # It counts as reached a hair before its beat, and is met on it.
        return step if step <= even + 2.0 * _NEAR * self._period(self._beats) else even

    def share(self, cycles: float) -> float:
        places = self._places
        if not places:
            return 0.0
        _, phase = _split(cycles)
        number = bisect_right(places, phase + _NEAR, key=lambda place: place[0]) - 1
        when, value = places[number]  # before the first one, the last one of the round before
        if self.values["way"] == "hold":
            return value / TOP
        following, towards = places[(number + 1) % len(places)]
        passed, whole = (phase - when) % 1.0, (following - when) % 1.0 or 1.0
        return (value + (towards - value) * min(1.0, passed / whole)) / TOP

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        drawn = values["drawn"]
        several = counted(len(values[drawn]), drawn.removesuffix("s"))
        return f"{several} · {values['length']} · {cls.target_words(values)}"


def _split(cycles: float) -> tuple[int, float]:
    """The number of a round, and where in it."""
    number = math.floor(cycles + _NEAR)
    return number, max(0.0, cycles - number)
