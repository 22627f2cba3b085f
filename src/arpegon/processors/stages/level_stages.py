"""Stairs and Smooth: values in equal levels, and values that cannot jump."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import BEND, CONTROL, PEDALS, PRESSURE, STRUCTURAL_CONTROLLERS, Event
from arpegon.core.processing.parameters import Choice, Controller, Number, Param
from arpegon.core.processing.processor import Context
from arpegon.core.processing.slew import pace
from arpegon.core.processing.values import TOP, coarse
from arpegon.core.theory.controllers import cc_words
from arpegon.processors.bases.moving import Address, MovingValues

WHAT = {"all": "all of these", "cc": "a controller", "pressure": "pressure", "bend": "pitch bend"}
_LEFT_ALONE = STRUCTURAL_CONTROLLERS.union(PEDALS)
"""Controllers that are no values: they are never smoothed or stepped where none is named."""
_STEPS = 128
_HALF = 32
"""How far the low half of a controller of fourteen bits is above its high one."""


def which_params() -> tuple[Param, ...]:
    """The declarations of what is worked on."""
    return (
        Choice(name="what", label="Works on", default="all", options=WHAT, help="Which values; all else passes."),
        Controller(name="number", label="Controller", default=1, help="The controller, where it is one."),
    )


class LevelStage(MovingValues):
    """The base of both: which values are worked on.

    Where all are, the low half of a controller of fourteen bits (32 above the other one) moves with it as one value.
    """

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._high: dict[tuple[int, int], int] = {}
        """The last value of each controller that may be a high half, by number and channel."""
        self._low: dict[tuple[int, int], int] = {}
        """The last low half of each of which one has come."""
        super().__init__(values, context)

    def work(self, key: Address, address: Address, value: float, time: float, out: list[Event]) -> None:
        """Send what becomes of a value (0 ... 127)."""
        raise NotImplementedError

    def take(self, event: Event, out: list[Event]) -> None:
        found = self._found(event)
        if found is None:
            out.append(event)
        else:
            self.work(*found, event.time, out)

    def _found(self, event: Event) -> tuple[Address, Address, float] | None:
        """The key, address and value of an event that is worked on; ``None`` for all else."""
        status, channel, number = event.status & 0xF0, event.status & 0x0F, event.data1
        what = self.values["what"]
        if status == CONTROL and what == "all" and number not in _LEFT_ALONE:
            return self._controller(number, channel, event.data2)
        if status == CONTROL and what == "cc" and number == self.values["number"]:
            address = ("cc", number, channel)
        elif status == PRESSURE and what in ("all", "pressure"):
            address = ("pressure", 0, channel)
            return address, address, number
        elif status == BEND and what in ("all", "bend"):
            address = ("bend", 0, channel)
            return address, address, coarse(event.data2 << 7 | number)
        else:
            return None
        return address, address, event.data2

    def _controller(self, number: int, channel: int, value: int) -> tuple[Address, Address, float]:
        """One of all controllers."""
        high = (number - _HALF, channel)
        if high in self._high:
            self._low[high] = value
            key = ("cc", *high)
            return key, ("cc14", *high), coarse(self._high[high] << 7 | value)
        key = ("cc", number, channel)
        if number < _HALF:
            before = self._high.get((number, channel), 0)
            self._high[number, channel] = value
            if (number, channel) in self._low:
                # Until its low half comes, the nearest to where it was.
                low = self._low[number, channel] if value == before else 127 if 0 < value < before else 0
                return key, ("cc14", number, channel), coarse(value << 7 | low)
        return key, key, value

    def release(self, time: float, out: list[Event]) -> None:
        super().release(time, out)
        self._high.clear()
        self._low.clear()


def _words(values: Mapping[str, Any]) -> str:
    return cc_words(values["number"]) if values["what"] == "cc" else WHAT[values["what"]]


class Smooth(LevelStage):
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
            name="up_ms",
            label="Upwards",
            default=200,
            low=0,
            high=10_000,
            unit="ms",
            help="The whole way up takes this long.",
        ),
        Number(
            name="down_ms",
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

    def work(self, key: Address, address: Address, value: float, time: float, out: list[Event]) -> None:
        self.send(key, address, value, time, out, self._pace)
        self._seen = (value, key)

    def live(self, time: float) -> list[float]:
        if self._seen is None:
            return []
        now = self.value_now(self._seen[1], time)
        return [self._seen[0], self._seen[0] if now is None else now]

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        return f"{_words(values)} · {values['up_ms']} / {values['down_ms']} ms"


class Stairs(LevelStage):
    """Lets values stand only on a number of equal levels.

    With hysteresis a value that turns must come back that much before it counts, so that a trembling knob does not
    flutter between two levels; one that goes on in its direction is never late.
    """

    kind = "stairs"
    label = "Stairs"
    summary = "Lets values stand only on equal levels."
    params = (
        *which_params(),
        Number(name="levels", label="Levels", default=8, low=2, high=64, help="How many equal levels there are."),
        Number(
            name="hysteresis",
            label="Hysteresis",
            default=25,
            low=0,
            high=90,
            unit="%",
            help="How far, in parts of a level, a value that turns back must go before it counts.",
        ),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._turns: dict[Address, Hysteresis] = {}
        self._seen: tuple[float, float] | None = None
        super().__init__(values, context)

    def work(self, key: Address, address: Address, value: float, time: float, out: list[Event]) -> None:
        count = self.values["levels"]
        turn = self._turns.setdefault(key, Hysteresis())
        followed = turn.follow(value, self.values["hysteresis"] / 100.0 * _STEPS / count)
        made = level_of(followed, count) / (count - 1) * TOP
        self.send(key, address, made, time, out)
        self._seen = (value, made)

    def release(self, time: float, out: list[Event]) -> None:
        super().release(time, out)
        self._turns.clear()

    def live(self, time: float) -> list[float]:
        return list(self._seen) if self._seen is not None else []

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        return f"{_words(values)} · {values['levels']} levels"


class Hysteresis:
    """A value that follows another one, but not where that turns back less than a certain way."""

    __slots__ = ("_upwards", "_value")

    def __init__(self) -> None:
        self._value: float | None = None
        self._upwards: bool | None = None

    def follow(self, value: float, back: float) -> float:
        """Where it is when the other one moves to ``value``; ``back`` is how far that must come back to count."""
        here = self._value
        if here is None or value == here:
            self._value = value
            return value
        upwards = value > here
        turned = self._upwards is not None and upwards != self._upwards
        # A value at the very end always counts.
        if turned and abs(value - here) <= back and 0.0 < value < TOP:
            return here
        self._value, self._upwards = value, upwards
        return value


def level_of(value: float, count: int) -> int:
    """The level (from 0) on which a value of 0 ... 127 stands: each has an equal share of its 128 steps."""
    return min(count - 1, int(value * count / _STEPS))
