"""Fan: one controller drives up to eight, each along its own curve."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.events import CONTROL, Event
from arpegon.core.processing.entries import Entries
from arpegon.core.processing.parameters import Channel, Choice, Controller, Number, Points, Switch
from arpegon.core.processing.patterns import Patterns
from arpegon.core.processing.processor import Context
from arpegon.core.processing.values import READS, TOP, on_line, placed, read, stepped
from arpegon.core.theory.controllers import cc_words
from arpegon.processors.bases.moving import MovingValues, overwrites
from arpegon.processors.stages.convert import reading_params

MAX = 8
_NOTES = frozenset({"velocity", "key"})

FAN = Entries(
    name="fan",
    label="Curves",
    default=[],
    max_count=MAX,
    what="curve",
    help="What is driven, each along its own curve.",
    fields=(
        Choice(
            name="target",
            label="Drives",
            default="cc",
            options={"cc": "controller", "pressure": "pressure", "bend": "bend"},
            help="What this curve drives.",
        ),
        Controller(name="number", label="Controller", default=16, help="The controller that it drives."),
        Channel(
            name="channel",
            label="Channel",
            default=0,
            low=0,
            zero="as it came",
            help="0 keeps the channel of what came in.",
        ),
        Number(name="low", label="From", default=0, low=0, high=127, help="What the foot of the curve becomes."),
        Number(name="high", label="To", default=127, low=0, high=127, help="What the top of the curve becomes."),
        Points(
            name="points",
            label="Curve",
            default=[[0, 0], [127, 127]],
            low=0,
            high=127,
            help="The curve, from the common position to this value.",
        ),
        Switch(name="rests", label="Rests", default=False, help="Let this curve drive nothing."),
    ),
)

_FIRST: list[list[dict[str, Any]]] = [
    [
        {"number": 16},
        {"number": 17, "points": [[0, 127], [127, 0]]},
        {"number": 18, "points": [[0, 0], [64, 127], [127, 0]]},
    ]
]


class Fan(MovingValues):
    """Drives up to eight controllers from one, each along a curve of its own, with its own number, channel and range.

    Several sets of curves, the shapes, can be chosen from; the set is a parameter too. When another one is chosen,
    all curves go to where the last position puts them.
    """

    kind = "fan"
    label = "Fan"
    summary = "One controller drives up to eight, each along its own curve."
    params = (
        *reading_params(1),
        Patterns(name="shapes", label="Shapes", default=_FIRST, one=FAN, min_count=1, help="The sets of curves."),
        Number(
            name="shape",
            label="Shape",
            default=1,
            low=1,
            high=8,
            help="Which set of curves is in force; a number beyond the last one takes the last.",
        ),
        Switch(name="keep", label="The original passes too", default=False, help="Let what was read pass as well."),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._position: dict[int, float] = {}
        self._sent: dict[int, list[int]] = {}
        """The last value of each curve, by the channel that drives it."""
        self._moved = False
        self._seen = 0.0
        super().__init__(values, context)

    def on_configure(self) -> None:
        shapes = self.values["shapes"]
        place = min(self.values["shape"], len(shapes)) - 1
        curves = FAN.filled(shapes[place]) if shapes else []
        self._moved = bool(self._position) and curves != getattr(self, "_curves", curves)
        self._number = self.values["number"] if self.values["source"] == "cc" else -1
        if curves != getattr(self, "_curves", None):
            self._driving = [
                (place, one, one["channel"], one["number"], _table(one))
                for place, one in enumerate(curves)
                if not one["rests"]
            ]
            self._sent.clear()
        self._curves = curves

    def take(self, event: Event, out: list[Event]) -> None:
        channel = event.status & 0x0F
        if event.status & 0xF0 == CONTROL and event.data1 != self._number:
            out.append(event)
            return
        value = None
        if event.status < 0xF0 and self.values["channel"] in (0, channel + 1):
            value = read(event, self.values["source"], self.values["number"])
        if value is None:
            out.append(event)
            return
        if self.values["keep"] or self.values["source"] in _NOTES:
            out.append(event)
        self._position[channel] = value
        self._drive(channel, value, event.time, out)

    def _drive(self, channel: int, value: float, time: float, out: list[Event]) -> None:
        whole = int(value)
        sent = self._sent.setdefault(channel, [-1] * MAX)
        for place, one, to, number, table in self._driving:
            to = to - 1 if to else channel
            if table and whole == value:
                # The common case, kept short: there are many of them.
                steps = table[whole]
                if steps != sent[place]:
                    sent[place] = steps
                    out.append(Event(time, CONTROL | to, number, steps))
            else:
                self.send((channel, place), (one["target"], number, to), driven(one, value), time, out)

    def follow_passing(self, event: Event) -> None:
        super().follow_passing(event)
        for channel, sent in self._sent.items():
            for place, one, to, number, _ in self._driving:
                if overwrites(event, one["target"], number, to - 1 if to else channel):
                    sent[place] = -1

    def process_until(self, events: Sequence[Event], until: float, out: list[Event]) -> float:
        if events:
            self.process(events, out)
        if self._moved and not self.bypass:
            self.advance(until, out)
            return self.due()
        self._seen = until
        return math.inf

    def due(self) -> float:
        return self._seen if self._moved and not self.bypass else super().due()

    def advance(self, until: float, out: list[Event]) -> None:
        if self._moved and not self.bypass:
            self._moved = False
            for channel, value in self._position.items():
                self._drive(channel, value, self._seen, out)
        super().advance(until, out)
        self._seen = max(self._seen, until)

    def on_join(self, time: float) -> None:
        self._seen = time

    def on_caught_up(self, time: float) -> None:
        self._seen = max(self._seen, time)

    def live(self, time: float) -> list[float]:
        return list(self._position.values())[-1:]

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        source = cc_words(values["number"]) if values["source"] == "cc" else READS[values["source"]]
        shapes = values["shapes"]
        count = len(shapes[min(values["shape"], len(shapes)) - 1]) if shapes else 0
        return f"{source} → {count} curves"


def _table(one: Mapping[str, Any]) -> list[int]:
    """What a curve sends for each position, where it drives a controller."""
    return [stepped("cc", driven(one, float(value))) for value in range(128)] if one["target"] == "cc" else []


def driven(one: Mapping[str, Any], value: float) -> float:
    """What a curve makes of the common position."""
    share = on_line(one["points"], value) / TOP if one["points"] else placed(value, 0.0, TOP)
    return float(one["low"] + share * (one["high"] - one["low"]))
