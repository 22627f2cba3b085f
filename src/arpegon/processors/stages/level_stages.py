"""Stairs and Smooth: values in equal levels, and values that cannot jump."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import BEND, CONTROL, PRESSURE, STRUCTURAL_CONTROLLERS, SUSTAIN, Event
from arpegon.core.processing.parameters import Choice, Number, Param
from arpegon.core.processing.processor import Context
from arpegon.core.processing.slew import pace
from arpegon.core.processing.values import TOP, coarse
from arpegon.processors.bases.moving import Address, MovingValues

WHAT = {"all": "all of these", "cc": "a controller", "pressure": "pressure", "bend": "pitch bend"}
_LEFT_ALONE = STRUCTURAL_CONTROLLERS | {SUSTAIN}
"""Controllers that are no values: they are never smoothed or stepped where none is named."""


def which_params() -> tuple[Param, ...]:
    """The declarations of what is worked on."""
    return (
        Choice(key="what", label="Works on", default="all", options=WHAT, help="Which values; all else passes."),
        Number(key="number", label="Controller", default=1, low=0, high=127, help="The controller, where it is one."),
    )


def value_of(event: Event, what: str, number: int) -> tuple[Address, float] | None:
    """Address and value of an event that is worked on; ``None`` for all else."""
    status = event.status & 0xF0
    if status == CONTROL and (event.data1 == number if what == "cc" else what == "all"):
        if what == "cc" or event.data1 not in _LEFT_ALONE:
            return ("cc", event.data1, event.status & 0x0F), event.data2
    elif status == PRESSURE and what in ("all", "pressure"):
        return ("pressure", 0, event.status & 0x0F), event.data1
    elif status == BEND and what in ("all", "bend"):
        return ("bend", 0, event.status & 0x0F), coarse(event.data2 << 7 | event.data1)
    return None


def _words(values: Mapping[str, Any]) -> str:
    return f"CC {values['number']}" if values["what"] == "cc" else WHAT[values["what"]]


class Smooth(MovingValues):
    """Lets controllers, pressure and bend move no faster than you say, up and down apart.

    The times are those for the whole way from 0 to 127. Pedals, and the controllers that build up longer messages,
    pass as they are.
    """

    kind = "smooth"
    label = "Smooth"
    summary = "Lets values glide instead of jump."
    params = (
        *which_params(),
        Number(
            key="up_ms",
            label="Upwards",
            default=200,
            low=0,
            high=10_000,
            unit="ms",
            help="The whole way up takes this long.",
        ),
        Number(
            key="down_ms",
            label="Downwards",
            default=200,
            low=0,
            high=10_000,
            unit="ms",
            help="The whole way down takes this long.",
        ),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._seen: tuple[float, tuple[str, int, int]] | None = None
        super().__init__(values, context)

    def on_configure(self) -> None:
        self._pace = pace(self.values["up_ms"], self.values["down_ms"])

    def take(self, event: Event, out: list[Event]) -> None:
        found = value_of(event, self.values["what"], self.values["number"])
        if found is None:
            out.append(event)
            return
        lane, value = found
        self.send(lane, lane, value, event.time, out, self._pace)
        self._seen = (value, lane)

    def live(self, time: float) -> list[float]:
        if self._seen is None:
            return []
        now = self.value_now(self._seen[1], time)
        return [self._seen[0], self._seen[0] if now is None else now]

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        return f"{_words(values)} · {values['up_ms']} / {values['down_ms']} ms"


class Stairs(MovingValues):
    """Lets values stand only on a number of equal levels.

    With hysteresis a value must go that much further than the edge of its level before it changes, so that a
    trembling knob does not flutter between two.
    """

    kind = "stairs"
    label = "Stairs"
    summary = "Lets values stand only on equal levels."
    params = (
        *which_params(),
        Number(key="levels", label="Levels", default=8, low=2, high=64, help="How many equal levels there are."),
        Number(
            key="hysteresis",
            label="Hysteresis",
            default=25,
            low=0,
            high=90,
            unit="%",
            help="How far beyond the edge of its level, in parts of a level, a value must go.",
        ),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._levels: dict[tuple[str, int, int], int] = {}
        self._seen: tuple[float, float] | None = None
        super().__init__(values, context)

    def on_configure(self) -> None:
        self._levels = {lane: min(level, self.values["levels"] - 1) for lane, level in self._levels.items()}

    def take(self, event: Event, out: list[Event]) -> None:
        found = value_of(event, self.values["what"], self.values["number"])
        if found is None:
            out.append(event)
            return
        lane, value = found
        count = self.values["levels"]
        level = level_of(value, count, self.values["hysteresis"] / 100.0, self._levels.get(lane))
        self._levels[lane] = level
        made = level / (count - 1) * TOP
        self.send(lane, lane, made, event.time, out)
        self._seen = (value, made)

    def live(self, time: float) -> list[float]:
        return list(self._seen) if self._seen is not None else []

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        return f"{_words(values)} · {values['levels']} levels"


def level_of(value: float, count: int, hysteresis: float, before: int | None) -> int:
    """The level (from 0) on which a value of 0 ... 127 stands; ``before``: the one on which it stood."""
    place = value / TOP * count
    plain = min(count - 1, int(place))
    if before is None or plain == before:
        return plain
    edge = before + 1 + hysteresis if plain > before else before - hysteresis
    # A value at the very end always reaches the last level.
    at_end = value >= TOP or value <= 0.0
    return plain if at_end or (place >= edge if plain > before else place < edge) else before
