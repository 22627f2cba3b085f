"""One of what came by several ways at once: a strand may take another one more than once, and from several sides."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable

from arpegon.core.events import CONTROL, NOTE_OFF, NOTE_ON, POLY_PRESSURE, STRUCTURAL_CONTROLLERS, SYSEX, Event
from arpegon.core.notes.pairing import note_key

MOST = 1024
"""Events in a hundredth of a second that may enter by several ways; far more than music has."""
_WINDOWS_PER_SECOND = 100


class Merging:
    """Lets pass one of equal events of one moment; a note that came twice lasts until its last end. A value that came
    back within a moment is none of the equal ones: the last one must hold.

    Controllers of which each counts (data increments, RPN and the like) are not merged. What goes beyond :data:`MOST`
    is left out, but for ends of notes.
    """

    def __init__(self) -> None:
        self._moment = -math.inf
        self._seen: set[tuple[int, int, int, bytes]] = set()
        """Notes and exclusive messages of this moment,"""
        self._values: dict[tuple[int, int], tuple[int, int]] = {}
        """and the last value of each controller, of bend, pressure and program in it."""
        self._owed: Counter[int] = Counter()
        """How many ends of each key belong to beginnings that did not pass."""
        self._window = 0
        self._passed = 0
        self.left_out = 0
        """How many events were left out because there were too many."""

    def process(self, events: Iterable[Event]) -> list[Event]:
        """What passes of events in order of time."""
        found: list[Event] = []
        for event in events:
            if event.time != self._moment:
                self._moment = event.time
                self._seen.clear()
                self._values.clear()
            kind = event.status & 0xF0
            if kind == NOTE_OFF:
                key = note_key(event)
                self._seen.discard((NOTE_ON | event.status & 0x0F, event.data1, 0, b""))
                if self._owed[key]:
                    self._owed[key] -= 1
                else:
                    found.append(event)
            elif self._is_new(event, kind) and self._has_room(event):
                found.append(event)
            elif kind == NOTE_ON:
                self._owed[note_key(event)] += 1
        return found

    def _is_new(self, event: Event, kind: int) -> bool:
        if kind == CONTROL and event.data1 in STRUCTURAL_CONTROLLERS:
            return True
        if POLY_PRESSURE <= kind < SYSEX:
            key = event.status, event.data1 if kind <= CONTROL else 0
            value = event.data1, event.data2
            known = self._values.get(key) == value
            self._values[key] = value
            return not known
        one = (event.status, event.data1, 0 if kind == NOTE_ON else event.data2, event.payload)
        if one in self._seen:
            return False
        self._seen.add(one)
        return True

    def _has_room(self, event: Event) -> bool:
        window = int(event.time * _WINDOWS_PER_SECOND)
        if window != self._window:
            self._window, self._passed = window, 0
        self._passed += 1
        if self._passed <= MOST:
            return True
        self.left_out += 1
        return False
