"""The base of stages that send values on their way: converted, smoothed, fanned out."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, ClassVar

from arpegon.core.events import CONTROL, NOTE_OFF, NOTE_ON, Event
from arpegon.core.ledger import note_key
from arpegon.core.processor import Processor, Setting
from arpegon.core.slew import Slew
from arpegon.core.values import stepped, written


class Lane:
    """One value that is sent: where it goes, and how it is on its way."""

    __slots__ = ("channel", "kind", "number", "slew", "step")

    def __init__(self, kind: str, number: int, channel: int) -> None:
        self.kind, self.number, self.channel = kind, number, channel
        self.slew = Slew()
        self.step = 0.25 if kind in ("cc14", "bend") else 1.0


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

    def work(self, events: Sequence[Event], until: float, out: list[Event]) -> float:
        if events:
            self.process(events, out)
        if not self._gliding:
            return math.inf
        self.advance(until, out)
        return self.due()

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        work = self.pass_by if self.bypass else self.take
        for event in events:
            if self._gliding:
                self.advance(event.time, out)
            if event.status < CONTROL:
                self._follow_key(event)
            work(event, out)

    def _follow_key(self, event: Event) -> None:
        """Know which keys are down."""
        kind = event.status & 0xF0
        if kind == NOTE_ON:
            self._held[note_key(event)] = None
        elif kind == NOTE_OFF:
            self._held.pop(note_key(event), None)

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
        if lane is None or lane.number != number or lane.channel != channel or lane.kind != kind:
            lane = self._lanes[key] = Lane(kind, number, channel)
        slew = lane.slew
        if seconds[0] <= 0.0 and seconds[1] <= 0.0:
            slew.jump(value)
            self._emit(lane, value, time, out)
            return
        here = slew.aim(value, time, seconds, lane.step)
        if here is not None:
            self._emit(lane, here, time, out)
        if slew.next < math.inf and lane not in self._gliding:
            self._gliding.append(lane)

    def stay(self, key: Any, time: float) -> None:
        """Let a lane stay where it is."""
        if key in self._lanes:
            self._lanes[key].slew.stay(time)

    def value_now(self, key: Any, time: float) -> float | None:
        """Where a lane is."""
        lane = self._lanes.get(key)
        return None if lane is None else lane.slew.at(time)

    def _emit(self, lane: Lane, value: float, time: float, out: list[Event]) -> None:
        kind = lane.kind
        if kind == "cc":
            # The common case, kept short: there are many of them.
            steps = int(value + 0.5)
            steps = 127 if steps > 127 else max(0, steps)
            if steps != lane.slew.sent:
                lane.slew.sent = steps
                out.append(Event(time, CONTROL | lane.channel, lane.number, steps))
            return
        steps = stepped(kind, value)
        if steps == lane.slew.sent and kind != "program":
            return
        lane.slew.sent = steps
        if kind == "poly":
            for key in self._held:
                if key >> 7 == lane.channel:
                    out += written("poly", 0, lane.channel, steps, time, key & 0x7F)
        else:
            out += written(kind, lane.number, lane.channel, steps, time)

    # -- time --------------------------------------------------------------------------------------

    def due(self) -> float:
        gliding = self._gliding
        if len(gliding) == 1:
            return gliding[0].slew.next
        return min(map(_next, gliding), default=math.inf)

    def advance(self, until: float, out: list[Event]) -> None:
        while self._gliding:
            lane = self._gliding[0] if len(self._gliding) == 1 else min(self._gliding, key=_next)
            due = lane.slew.next
            if due > until:
                return
            self._emit(lane, lane.slew.look(due), due, out)
            if lane.slew.next == math.inf:
                self._gliding.remove(lane)

    def release(self, time: float, out: list[Event]) -> None:
        self._held.clear()
        self._lanes.clear()
        self._gliding.clear()


def _next(lane: Lane) -> float:
    return lane.slew.next
