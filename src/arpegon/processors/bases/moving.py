"""The base of stages that send values on their way: converted, smoothed, fanned out."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, ClassVar

from arpegon.core.events import BEND, CONTROL, NOTE_OFF, NOTE_ON, PRESSURE, PROGRAM, SYSEX, Event
from arpegon.core.notes.pairing import note_key
from arpegon.core.processing.processor import Context, Processor
from arpegon.core.processing.slew import Pace, Slew
from arpegon.core.processing.values import stepped, written

_MODES = 120
"""Controllers from here on reset all others, or end all notes."""
Address = tuple[str, int, int]
"""Where a value goes: what it is written to (see :data:`~arpegon.core.processing.values.WRITES`), number, channel."""


class Lane(Slew):
    """One value that is sent: where it goes, and how it is on its way."""

    __slots__ = ("address", "step")

    def __init__(self, address: Address) -> None:
        super().__init__()
        self.address = address
        self.step = 0.25 if address[0] in ("cc14", "bend") else 1.0


class MovingValues(Processor):
    """Keeps lanes of values by any key; :meth:`send` sets one on its way, the rest goes by itself.

    A value is sent only where it differs from the one that is known where it goes: the last one that was sent there, or
    that passed (programs always are).
    """

    timed: ClassVar[bool] = True

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._lanes: dict[Any, Lane] = {}
        self._gliding: list[Lane] = []
        """The lanes that are on their way."""
        self._soonest = math.inf
        """When the first of them is looked at."""
        self._held: dict[int, None] = {}
        """The keys that are down, by channel and note: key pressure goes to them."""
        super().__init__(values, context)

    def take(self, event: Event, out: list[Event]) -> None:
        """Work on one event."""
        raise NotImplementedError

    def process_until(self, events: Sequence[Event], until: float, out: list[Event]) -> float:
        if events:
            self.process(events, out)
        if self._soonest <= until:
            self.advance(until, out)
        return self._soonest

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        work = self.pass_by if self.bypass else self.take
        for event in events:
            if self._soonest <= event.time:
                self.advance(event.time, out)
            if event.status < CONTROL:
                self._follow_key(event)
                work(event, out)
                continue
            before = len(out)
            work(event, out)
            if len(out) > before and out[before] is event:
                self.follow_passing(event)

    def _follow_key(self, event: Event) -> None:
        """Know which keys are down."""
        kind = event.status & 0xF0
        if kind == NOTE_ON:
            self._held[note_key(event)] = None
        elif kind == NOTE_OFF:
            self._held.pop(note_key(event), None)

    def follow_passing(self, event: Event) -> None:
        """Something passed that is no note: what was sent there before is no longer what is known there."""
        for lane in self._lanes.values():
            if lane.sent is not None and overwrites(event, *lane.address):
                lane.sent = None

    def pass_by(self, event: Event, out: list[Event]) -> None:
        """An event while the stage is bypassed."""
        out.append(event)

    def send(
        self,
        key: Any,
        address: Address,
        value: float,
        time: float,
        out: list[Event],
        pace: Pace | None = None,
    ) -> None:
        """Send a lane to a value, at once or at a pace."""
        lane = self._lanes.get(key)
        if lane is None or lane.address != address:
            if lane is not None and lane.next < math.inf:
                self._gliding.remove(lane)
                self._reckon()
            lane = self._lanes[key] = Lane(address)
        before = lane.next
        if pace is None:
            lane.jump(value)
            here: float | None = value
        else:
            here = lane.aim(value, time, pace, lane.step)
        if lane.next != before:
            if before == math.inf:
                self._gliding.append(lane)
            elif lane.next == math.inf:
                self._gliding.remove(lane)
            self._reckon()
        if here is not None:
            self._emit(lane, here, time, out)

    def _reckon(self) -> None:
        """A lane goes another way: know when the first is looked at."""
        gliding = self._gliding
        self._soonest = gliding[0].next if len(gliding) == 1 else min(map(_next, gliding), default=math.inf)

    def stay(self, key: Any, time: float) -> None:
        """Let a lane stay where it is."""
        lane = self._lanes.get(key)
        if lane is not None and lane.next < math.inf:
            lane.stay(time)
            self._gliding.remove(lane)
            self._reckon()

    def value_now(self, key: Any, time: float) -> float | None:
        """Where a lane is."""
        lane = self._lanes.get(key)
        return None if lane is None else lane.at(time)

    def _emit(self, lane: Lane, value: float, time: float, out: list[Event]) -> None:
        kind, number, channel = lane.address
        if kind == "cc":
            # The common case, kept short: there are many of them.
            steps = int(value + 0.5)
            steps = 127 if steps > 127 else max(0, steps)
            if steps != lane.sent:
                lane.sent = steps
                out.append(Event(time, CONTROL | channel, number, steps))
            return
        steps = stepped(kind, value)
        if steps == lane.sent and kind != "program":
            return
        lane.sent = steps
        if kind == "poly":
            for key in self._held:
                if key >> 7 == channel:
                    out += written("poly", 0, channel, steps, time, key & 0x7F)
        else:
            out += written(kind, number, channel, steps, time)

    # -- time --------------------------------------------------------------------------------------

    def due(self) -> float:
        return self._soonest

    def advance(self, until: float, out: list[Event]) -> None:
        gliding = self._gliding
        while self._soonest <= until:
            lane = gliding[0] if len(gliding) == 1 else min(gliding, key=_next)
            due = lane.next
            self._emit(lane, lane.look(due), due, out)
            if lane.next == math.inf:
                gliding.remove(lane)
            self._reckon()

    def release(self, time: float, out: list[Event]) -> None:
        self._held.clear()
        self._lanes.clear()
        self._gliding.clear()
        self._soonest = math.inf


def overwrites(event: Event, kind: str, number: int, channel: int) -> bool:
    """Whether an event sets what a value is written to, or resets it."""
    if event.status & 0x0F != channel or event.status >= SYSEX:
        return False
    came = event.status & 0xF0
    if came == PROGRAM or (came == CONTROL and event.data1 >= _MODES):
        return True
    if came == CONTROL:
        return kind in ("cc", "cc14") and event.data1 in ((number, number + 32) if kind == "cc14" else (number,))
    return (came, kind) in ((BEND, "bend"), (PRESSURE, "pressure"))


def _next(lane: Lane) -> float:
    return lane.next
