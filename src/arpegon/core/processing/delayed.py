"""The base of stages that let notes begin later than they were played."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import POLY_PRESSURE, Event
from arpegon.core.notes.pairing import note_key
from arpegon.core.processing.processor import Context, KeyBook


class DelayedNotes(KeyBook):
    """Puts each note off by :meth:`delay`, and its end by as much, so that it keeps its length.

    What one key does stays in order: its next note does not begin before the last one has ended.
    """

    timed = True

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._late: dict[int, tuple[float, float]] = {}
        """For each strike when its key was struck and by how much it was put off."""
        self._free: dict[int, float] = {}
        """When the last note of each key ends or ended."""
        super().__init__(values, context)

    def delay(self, event: Event) -> float:
        """By how many seconds a note is put off; never below 0."""
        raise NotImplementedError

    def freed(self, time: float) -> float:
        """When a note begins whose key's last note ends only at ``time``, later than it would begin."""
        return time

    def note(self, event: Event) -> Event:
        """The note on that is sent for one that came in (at the same time)."""
        return event

    def end(self, struck: float, late: float, event: Event) -> float:
        """When a note ends that was struck at ``struck``, put off by ``late``, and whose key was let go just now."""
        return event.time + late

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        note = self.note(event)
        begin, free = event.time + self.delay(event), self._free.get(note_key(event), 0.0)
        if begin < free:
            begin = self.freed(free)
        self._late[strike] = (event.time, begin - event.time)
        if begin <= event.time:
            self.ledger.start(strike, (note,), out)
        else:
            self.later(begin, lambda now, out: self.ledger.start(strike, (note.at(now),), out))

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        struck, late = self._late.pop(strike)
        end = max(self.end(struck, late, event), struck + late, event.time)
        self._free[note_key(event)] = end
        if end <= event.time:
            self.ledger.stop(strike, event.time, event.data2, out)
        else:
            self.later(end, lambda now, out: self.ledger.stop(strike, now, event.data2, out))

    def on_pressure(self, strike: int, event: Event, out: list[Event]) -> None:
        struck, late = self._late[strike]
        if event.time < struck + late:
            note = Event(struck + late, POLY_PRESSURE | event.channel, event.data1, event.data2)
            self.later(note.time, lambda now, out: out.append(note))
        else:
            out.append(event)

    def forget(self) -> None:
        self._late.clear()
        self._free.clear()
