"""The base of stages that let notes begin later than they were played."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import POLY_PRESSURE, Event
from arpegon.core.notes.pairing import note_key
from arpegon.core.processing.processor import Context, KeyBook
from arpegon.core.time.clock import Moment


class DelayedNotes(KeyBook):
    """Puts each note off by :meth:`delay`, and its end by as much, so that it keeps its length.

    What one key does stays in order: its next note does not begin before the last one has ended.
    """

    timed = True

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._begins: dict[int, tuple[float, Moment]] = {}
        """For each strike when its key was struck, and when its note begins or began."""
        self._free: dict[int, Moment] = {}
        """When the last note of each key ends or ended."""
        super().__init__(values, context)

    def delay(self, event: Event) -> float:
        """By how many seconds a note is put off; never below 0."""
        raise NotImplementedError

    def freed(self, time: float) -> float:
        """When a note begins whose key's last note ends only at ``time``, later than it would begin."""
        return time

    def moment(self, time: float) -> Moment:
        """A time to come: it keeps its second, unless a stage waits for lines of the music."""
        return Moment(None, time)

    def note(self, event: Event) -> Event:
        """The note on that is sent for one that came in (at the same time)."""
        return event

    def end(self, struck: float, late: float, event: Event) -> float:
        """When a note ends that was struck at ``struck``, put off by ``late``, and whose key was let go just now."""
        return event.time + late

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        note = self.note(event)
        begin, free = event.time + self.delay(event), self._free.get(note_key(event))
        if free is not None and begin < free.time:
            begin = self.freed(free.time)
        moment = self.moment(max(begin, event.time))
        self._begins[strike] = (event.time, moment)

        def start(now: float, out: list[Event]) -> None:
            moment.fix(now)
            self.ledger.start(strike, (note.at(now),), out)

        if begin <= event.time:
            start(event.time, out)
        else:
            self.later(moment, start)

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        struck, begin = self._begins.pop(strike)
        moment = self.moment(max(self.end(struck, begin.time - struck, event), begin.time, event.time))
        self._free[note_key(event)] = moment

        def stop(now: float, out: list[Event]) -> None:
            moment.fix(now)
            self.ledger.stop(strike, now, event.data2, out)

        if moment.time <= event.time:
            stop(event.time, out)
        else:
            self.later(moment, stop)

    def on_pressure(self, strike: int, event: Event, out: list[Event]) -> None:
        _, begin = self._begins[strike]
        if event.time < begin.time:
            note = Event(begin.time, POLY_PRESSURE | event.channel, event.data1, event.data2)
            self.later(begin, lambda now, out: out.append(note.at(now)))
        else:
            out.append(event)

    def forget(self) -> None:
        self._begins.clear()
        self._free.clear()
