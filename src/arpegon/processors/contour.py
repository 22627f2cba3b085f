"""Contour: a lane of steps over beats or bars, as a slow modulator."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from arpegon.core.parameters import Choice, NoteValue, Number, Numbers
from arpegon.core.rhythm import beats_of
from arpegon.processors.modulator import Modulator, modulator_params

MOST = 64


class Contour(Modulator):
    """Up to 64 drawn values over a number of beats or bars, held or gliding from one to the next, round and round.

    It drives what an LFO can drive; hooked up to the number of a pattern it lays out patterns over bars.
    """

    kind = "contour"
    label = "Contour"
    summary = "Drawn steps over bars that move a controller or choose patterns."
    params = (
        Numbers(
            key="steps",
            label="Steps",
            default=[0, 127, 64, 96],
            low=0,
            high=127,
            most=MOST,
            help="The values, one after the other, from 0 to 127.",
        ),
        NoteValue(key="length", label="Over", default="4 bars", help="The time that all steps take together."),
        Choice(
            key="way",
            label="Between steps",
            default="hold",
            options={"hold": "holds", "glide": "glides"},
            help="Whether each value is held, or glides to the next.",
        ),
        Number(key="offset", label="Begins at", default=1, low=1, high=MOST, help="The step at which it begins."),
        *modulator_params(),
    )

    def configured(self) -> None:
        self._beats = beats_of(self.values["length"], self.setting.meter)

    def beats(self) -> float | None:
        return self._beats

    def next_look(self, time: float) -> float:
        # A step that is held is met on its beat, so that what it chooses is chosen for that beat.
        even = super().next_look(time)
        steps = len(self.values["steps"])
        if not steps or self.values["way"] != "hold":
            return even
        following = (math.floor(self.cycles(time) * steps + 1e-6) + 1) / steps * self._beats
        clock = self.setting.clock
        if self.values["starts"] == "play":
            return min(even, max(time, clock.time_at(following)))
        return min(even, max(time, self._began + clock.seconds(following)))

    def share(self, cycles: float) -> float:
        steps = self.values["steps"]
        if not steps:
            return 0.0
        place = (cycles - math.floor(cycles + 1e-9)) * len(steps)
        number = int(place + 1e-6)
        first = self.values["offset"] - 1
        here = steps[(first + number) % len(steps)]
        if self.values["way"] == "hold":
            return float(here) / 127.0
        following = steps[(first + number + 1) % len(steps)]
        return float(here + (following - here) * max(0.0, place - number)) / 127.0

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        return f"{len(values['steps'])} steps · {values['length']} · {cls.target_words(values)}"
