"""The base of stages that send values on their way: converted, smoothed, fanned out."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, ClassVar

from arpegon.core.events import NOTE_OFF, NOTE_ON, Event
from arpegon.core.processor import Processor, Setting
from arpegon.core.slew import Slew
from arpegon.core.values import stepped, written


class Lane:
    """One value that is sent: where it goes, and how it is on its way."""

    __slots__ = ("channel", "kind", "number", "slew")

    def __init__(self, kind: str, number: int, channel: int, slew: Slew) -> None:
        self.kind, self.number, self.channel = kind, number, channel
        self.slew = slew


class MovingValues(Processor):
    """Keeps lanes of values by any key; :meth:`send` sets one on its way, the rest goes by itself.

    A value is sent only where it differs from the one that was sent before (programs always are).
    """

    timed: ClassVar[bool] = True

    def __init__(self, values: Mapping[str, Any], setting: Setting) -> None:
        self._lanes: dict[Any, Lane] = {}
        self._gliding: list[Lane] = []
        """The lanes that are on their way."""
        self._held: dict[int, None] = {}
        """The keys that are down, by channel and note: key pressure goes to them."""
        super().__init__(values, setting)

    def take(self, event: Event, out: list[Event]) -> None:
        """Work on one event."""
        raise NotImplementedError

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        for event in events:
            if self._gliding:
                self.advance(event.time, out)
            kind = event.status & 0xF0
            if kind in (NOTE_ON, NOTE_OFF):
                key = (event.status & 0x0F) << 7 | event.data1
                if kind == NOTE_ON:
                    self._held[key] = None
                else:
                    self._held.pop(key, None)
            if self.bypass:
                self.pass_by(event, out)
            else:
                self.take(event, out)

    def pass_by(self, event: Event, out: list[Event]) -> None:
        """An event while the stage is bypassed."""
        out.append(event)

    def send(
        self,
        key: Any,
        kind: str,
        number: int,
        channel: int,
        value: float,
        time: float,
        out: list[Event],
        seconds: tuple[float, float] = (0.0, 0.0),
    ) -> None:
        """Send a lane to a value, at most as fast as ``seconds`` for the whole range up and down say."""
        lane = self._lanes.get(key)
        if lane is None or (lane.kind, lane.number, lane.channel) != (kind, number, channel):
            lane = self._lanes[key] = Lane(kind, number, channel, Slew(*seconds))
        lane.slew.up, lane.slew.down = seconds
        lane.slew.aim(value, time)
        self._emit(lane, time, out)
        if lane.slew.moves and lane not in self._gliding:
            self._gliding.append(lane)

    def stay(self, key: Any, time: float) -> None:
        """Let a lane stay where it is."""
        if key in self._lanes:
            self._lanes[key].slew.stay(time)

    def value_now(self, key: Any, time: float) -> float | None:
        """Where a lane is."""
        lane = self._lanes.get(key)
        return None if lane is None else lane.slew.at(time)

    def _emit(self, lane: Lane, time: float, out: list[Event]) -> None:
        value = lane.slew.at(time)
        if value is None:
            return
        steps = stepped(lane.kind, value)
        if steps == lane.slew.sent and lane.kind != "program":
            return
        lane.slew.sent = steps
        if lane.kind == "poly":
            for key in self._held:
                if key >> 7 == lane.channel:
                    out += written("poly", 0, lane.channel, steps, time, key & 0x7F)
        else:
            out += written(lane.kind, lane.number, lane.channel, steps, time)

    # -- time --------------------------------------------------------------------------------------

    @staticmethod
    def _step(lane: Lane) -> float:
        return 0.25 if lane.kind in ("cc14", "bend") else 1.0

    def due(self) -> float:
        return min((lane.slew.due(self._step(lane)) for lane in self._gliding), default=math.inf)

    def advance(self, until: float, out: list[Event]) -> None:
        while self._gliding:
            due, place = min((lane.slew.due(self._step(lane)), place) for place, lane in enumerate(self._gliding))
            if due > until:
                return
            lane = self._gliding[place]
            lane.slew.go_on(due)
            self._emit(lane, due, out)
            if not lane.slew.moves:
                del self._gliding[place]

    def release(self, time: float, out: list[Event]) -> None:
        self._held.clear()
        self._lanes.clear()
        self._gliding.clear()
