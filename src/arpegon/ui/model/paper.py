"""What is printed on the rolls, ready to be drawn; knows no screen."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
from itertools import islice

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
_MIN_SPAN = 19
_MARGIN = 2


class NoteBar(msgspec.Struct, eq=False, gc=False):
    """A note on paper; ``end`` is ``None`` while it sounds."""

    note: int
    velocity: int
    start: float
    end: float | None = None


class RollLine:
    """One strip of paper: notes as bars, controllers as pen lines."""

    def __init__(self) -> None:
        self.bars: deque[NoteBar] = deque(maxlen=MAX_BARS)
        """All notes in the order of their beginnings."""
        self.heard: dict[int, float] = {}
        """When each note of the last :data:`KEPT_SECONDS` began or ended last."""
        self.ended: deque[NoteBar] = deque(maxlen=MAX_BARS)
        """Those that ended, in the order of their ends."""
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
                bar = NoteBar(event.data1, event.data2, event.time)
                self.bars.append(bar)
                self.heard[bar.note] = event.time
                self._open.begin(note_key(event), bar)
            elif kind == NOTE_OFF:
                ended = self._open.end(note_key(event))
                if ended is not None:
                    ended.end = self.heard[ended.note] = event.time
                    self.ended.append(ended)
            elif kind in (CONTROL, PRESSURE, BEND, POLY_PRESSURE):
                number = event.data1 if kind == CONTROL else 0
                value = (
                    (event.bend + 8192) / 128.0 if kind == BEND else event.data1 if kind == PRESSURE else event.data2
                )
                pen = self.pens.setdefault((event.status, number), deque(maxlen=1200))
                pen.append((event.time, float(value)))

    def in_sight(self, time: float) -> list[NoteBar]:
        """The notes that sound, or ended after a time."""
        found = self._open.marks()
        for bar in reversed(self.ended):
            if bar.end is not None and bar.end < time:
                break
            found.append(bar)
        return found

    def since(self, time: float) -> int:
        """How many notes began after a time."""
        count = 0
        for bar in reversed(self.bars):
            if bar.start < time:
                break
            count += 1
        return count

    def notes_since(self, time: float) -> set[int]:
        """Which notes began after a time."""
        return {bar.note for bar in islice(reversed(self.bars), self.since(time))}

    def prune(self, now: float, seconds: float = KEPT_SECONDS) -> None:
        """Forget what has left the paper, which shows so many seconds at most."""
        limit = now - seconds
        while self.bars and self.bars[0].end is not None and self.bars[0].end < limit:
            self.bars.popleft()
        while self.ended and self.ended[0].end is not None and self.ended[0].end < limit:
            self.ended.popleft()
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

    def moves(self, now: float, seconds: float) -> bool:
        """Whether anything is on the paper of the last seconds."""
        if self._open:
            return True
        newest = self.bars[-1] if self.bars else None
        if newest is not None and (newest.end or now) > now - seconds:
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
            if not line.bars and not line.pens and place not in (IN, OUT):
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
