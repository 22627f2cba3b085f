"""What is printed on the rolls, ready to be drawn; knows no screen."""

from __future__ import annotations

from array import array
from bisect import bisect_left
from collections import deque
from collections.abc import Iterable, Iterator
from operator import attrgetter

import msgspec

from arpegon.core.events import BEND, CONTROL, NOTE_OFF, NOTE_ON, POLY_PRESSURE, PRESSURE, Event
from arpegon.core.notes.pairing import Pairing, note_key
from arpegon.core.notes.taps import IN, OUT, Passage

KEPT_SECONDS = 45.0
"""What the tallest roll may show; a range of notes is fitted to what was played in so many seconds."""
_SHARED_SECONDS, _LEAST_SECONDS = 68.0, 15.0
"""The rolls of a strand share its height, so each is as much shorter: half as much again is kept, as stages may go, and
at least what is looked at for other reasons."""
PIXELS_PER_SECOND = 38.0
"""How fast it runs."""
MAX_BARS = 1500
_SLACK = 64
_MIN_SPAN = 19
_MARGIN = 2


class NoteBar(msgspec.Struct, gc=False, frozen=True):
    """A note on paper; ``end`` is ``None`` while it sounds."""

    note: int
    velocity: int
    start: float
    end: float | None = None


class EndedNotes:
    """Notes that ended, in the order of their ends, the last :data:`MAX_BARS` of them. There are thousands on the rolls
    of a busy document: they stand in columns, where each takes 18 bytes instead of a hundred."""

    def __init__(self) -> None:
        self._first = 0
        """Where the oldest stands; what is before it is cut off when there is much of it."""
        self._starts, self._ends = array("d"), array("d")
        self._notes, self._velocities = bytearray(), bytearray()

    def __len__(self) -> int:
        return len(self._ends) - self._first

    def add(self, bar: NoteBar, end: float) -> None:
        """A note ended."""
        self._notes.append(bar.note)
        self._velocities.append(bar.velocity)
        self._starts.append(bar.start)
        self._ends.append(end)
        if len(self) > MAX_BARS:
            self._drop(1)

    def since(self, time: float) -> Iterator[NoteBar]:
        """Those that ended after a time, the first one first."""
        for place in range(bisect_left(self._ends, time, lo=self._first), len(self._ends)):
            yield NoteBar(self._notes[place], self._velocities[place], self._starts[place], self._ends[place])

    def forget(self, time: float) -> None:
        """Forget those that ended before a time."""
        self._drop(bisect_left(self._ends, time, lo=self._first) - self._first)

    def _drop(self, count: int) -> None:
        self._first += count
        if self._first > _SLACK and self._first > len(self):
            for column in (self._starts, self._ends, self._notes, self._velocities):
                del column[: self._first]
            self._first = 0

    @property
    def last_end(self) -> float:
        """When the last one ended; there must be one."""
        return self._ends[-1]


class RollLine:
    """One strip of paper: notes as bars, controllers as pen lines."""

    def __init__(self) -> None:
        self.heard: dict[int, float] = {}
        """When each note of the last :data:`KEPT_SECONDS` began or ended last."""
        self.ended = EndedNotes()
        self.pens: dict[tuple[int, int], deque[tuple[float, float]]] = {}
        self.fresh_from: float | None = None
        """The earliest time that was printed since somebody painted the roll, who sets it back."""
        self._open: Pairing[NoteBar] = Pairing()

    def add(self, events: Iterable[Event]) -> None:
        """Print events, in order."""
        for event in events:
            kind = event.status & 0xF0
            if self.fresh_from is None or event.time < self.fresh_from:
                self.fresh_from = event.time
            if kind == NOTE_ON:
                self.heard[event.data1] = event.time
                self._open.begin(note_key(event), NoteBar(event.data1, event.data2, event.time))
            elif kind == NOTE_OFF:
                bar = self._open.end(note_key(event))
                if bar is not None:
                    self.heard[bar.note] = event.time
                    self.ended.add(bar, event.time)
            elif kind in (CONTROL, PRESSURE, BEND, POLY_PRESSURE):
                number = event.data1 if kind == CONTROL else 0
                value = (
                    (event.bend + 8192) / 128.0 if kind == BEND else event.data1 if kind == PRESSURE else event.data2
                )
                pen = self.pens.setdefault((event.status, number), deque(maxlen=1200))
                pen.append((event.time, float(value)))

    def in_sight(self, time: float) -> list[NoteBar]:
        """The notes that ended after a time, in the order of their ends, and then those that sound."""
        return [*self.ended.since(time), *self._open.marks()]

    def begun(self, time: float) -> list[NoteBar]:
        """The notes that began after a time, as they began; those that began at once as they passed."""
        return sorted((bar for bar in self.in_sight(time) if bar.start >= time), key=attrgetter("start"))

    def prune(self, now: float, seconds: float = KEPT_SECONDS) -> None:
        """Forget what has left the paper, which shows so many seconds at most."""
        limit = now - seconds
        self.ended.forget(limit)
        for key in [key for key, pen in self.pens.items() if pen[-1][0] < limit]:
            del self.pens[key]
        for pen in self.pens.values():
            while len(pen) > 1 and pen[1][0] < limit:  # the value with which the paper begins stays
                pen.popleft()
        old = {note for note, time in self.heard.items() if time < now - KEPT_SECONDS}
        if old:
            for note in old - self.sounding:
                del self.heard[note]

    @property
    def sounding(self) -> set[int]:
        """The notes that sound."""
        return {bar.note for bar in self._open.marks()}

    @property
    def is_blank(self) -> bool:
        """Whether nothing is on it."""
        return not (self._open or self.ended or self.pens)

    def moves(self, now: float, seconds: float) -> bool:
        """Whether anything is on the paper of the last seconds."""
        if self._open or (self.ended and self.ended.last_end > now - seconds):
            return True
        return any(pen[-1][0] > now - seconds for pen in self.pens.values())


class Paper:
    """All rolls of one strand, and the range of notes to which they are fitted."""

    def __init__(self) -> None:
        self.lines: dict[str, RollLine] = {}
        """By their places (see :mod:`arpegon.core.notes.taps`), also those of stages that are gone."""
        self.low = 48.0
        self.high = 84.0
        self._target = (48, 84)

    def line(self, place: str) -> RollLine:
        """The strip at a place of the strand."""
        line = self.lines.get(place)
        if line is None:
            line = self.lines[place] = RollLine()
        return line

    def add(self, passage: Passage) -> None:
        """Print what passed."""
        for place in passage.places:
            self.line(place).add(passage.events)

    def prune(self, now: float) -> None:
        """Forget the past and fit the range to what is left."""
        low, high = 127, 0
        seconds = min(KEPT_SECONDS, max(_LEAST_SECONDS, _SHARED_SECONDS / max(1, len(self.lines) - 1)))
        for place, line in list(self.lines.items()):
            line.prune(now, seconds)
            if line.is_blank and place not in (IN, OUT):
                del self.lines[place]
            if line.heard:
                low, high = min(low, *line.heard), max(high, *line.heard)
        if low > high:
            return
        low, high = low - _MARGIN, high + _MARGIN
        missing = _MIN_SPAN - (high - low)
        if missing > 0:
            low, high = low - missing // 2, high + missing - missing // 2
        self._target = (max(0, low), min(127, high))

    def ease(self, share: float) -> bool:
        """Move the range towards its target; False once it is there."""
        low, high = self._target
        if abs(low - self.low) < 0.05 and abs(high - self.high) < 0.05:
            moved = (self.low, self.high) != (float(low), float(high))
            self.low, self.high = float(low), float(high)
            return moved
        self.low += (low - self.low) * share
        self.high += (high - self.high) * share
        return True
