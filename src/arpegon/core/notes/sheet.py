"""A version of a take as something to be edited: notes with beginnings and ends, and all else beside them.

All functions give another sheet; what they make is in order, and every note of it ends. Times are beats.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from operator import attrgetter
from typing import Any

import msgspec

from arpegon.core.events import BEND, CONTROL, NOTE_OFF, NOTE_ON, POLY_PRESSURE, PRESSURE, Event
from arpegon.core.notes.pairing import Pairing, note_key

SHORTEST = 1.0 / 960.0
"""Beats: a tick. No note is shorter."""
_NEAR = 1e-9
_FEW = 200
"""Up to so many new notes are put in their places one by one; more are sorted in, which is faster then."""
MOVING = (CONTROL, PRESSURE, BEND)
"""Kinds of event that draw a line over time."""


class Note(msgspec.Struct, frozen=True, gc=False):
    """A note from its beginning to its end, in beats."""

    start: float
    end: float
    note: int
    velocity: int
    channel: int = 0
    released: int = 64
    """The velocity of its end."""
    doubtful: bool = False


class Line(msgspec.Struct, frozen=True):
    """Which values draw one line: a status with its channel, and the number of a controller (0: of the others)."""

    status: int
    number: int = 0

    @classmethod
    def of(cls, event: Event) -> Line:
        """That of an event that moves."""
        return cls(event.status, event.data1 if event.kind == CONTROL else 0)


class Sheet(msgspec.Struct, frozen=True):
    """Notes, in order of their beginnings, and all other events, in order."""

    notes: tuple[Note, ...] = ()
    others: tuple[Event, ...] = ()

    @classmethod
    def of(cls, events: Iterable[Event], end: float, doubtful: Sequence[tuple[float, int]] = ()) -> Sheet:
        """The sheet of events.

        Args:
            end: where notes end that have no end of their own.
            doubtful: notes that are so, each by its beginning and its key.
        """
        doubts = {(round(beat, 2), note) for beat, note in doubtful}
        doubts |= {(round(beat + step, 2), note) for beat, note in doubtful for step in (-0.01, 0.01)}
        begun: list[Event] = []
        ends: list[tuple[float, int]] = []
        others: list[Event] = []
        sounding: Pairing[int] = Pairing()
        for event in events:
            kind = event.status & 0xF0
            if kind == NOTE_ON:
                sounding.begin(note_key(event), len(begun))
                begun.append(event)
                ends.append((max(end, event.time + SHORTEST), 64))
            elif kind == NOTE_OFF:
                place = sounding.end(note_key(event))
                if place is not None:
                    ends[place] = event.time, event.data2
            else:
                others.append(event)
        notes = [
            Note(
                on.time,
                max(off[0], on.time + SHORTEST),
                on.data1,
                on.data2,
                on.status & 0x0F,
                off[1],
                bool(doubts) and (round(on.time, 2), on.data1) in doubts,
            )
            for on, off in zip(begun, ends, strict=True)
        ]
        notes.sort(key=_order)
        return cls(tuple(notes), tuple(sorted(others, key=attrgetter("time"))))

    def events(self) -> tuple[Event, ...]:
        """Its events. Of two notes of one key that overlap the first ends where the second begins; of two that begin
        together the louder is there, as long as the longer."""
        notes: list[Note] = []
        ends: list[float] = []
        last: dict[int, int] = {}
        for note in self.notes:
            key = note.channel << 7 | note.note
            place = last.get(key)
            if place is not None and note.start - notes[place].start < SHORTEST / 2:
                louder = max(notes[place], note, key=attrgetter("velocity"))
                notes[place] = msgspec.structs.replace(louder, start=notes[place].start)
                ends[place] = max(ends[place], note.end)
                continue
            if place is not None and note.start < ends[place]:
                ends[place] = note.start
            last[key] = len(notes)
            notes.append(note)
            ends.append(note.end)
        ons = [Event(note.start, NOTE_ON | note.channel, note.note, note.velocity) for note in notes]
        offs = [
            Event(end, NOTE_OFF | note.channel, note.note, note.released) for note, end in zip(notes, ends, strict=True)
        ]
        # At one moment ends go first. Sorting keeps the order of what is equal, and rows that are in order cost little.
        return tuple(sorted([*offs, *self.others, *ons], key=attrgetter("time")))

    @property
    def doubtful(self) -> tuple[tuple[float, int], ...]:
        """The doubtful notes, as parts keep them."""
        return tuple((note.start, note.note) for note in self.notes if note.doubtful)

    @property
    def end(self) -> float:
        """Where the last thing ends; 0 where there is none."""
        ends = [note.end for note in self.notes]
        return max([*ends, *(event.time for event in self.others[-1:])], default=0.0)

    # -- choosing ----------------------------------------------------------------------------------

    def within(self, begin: float, end: float, low: int = 0, high: int = 127) -> set[int]:
        """The places of notes that sound between two beats, from one key to another."""
        last = bisect_left(self.notes, end, key=attrgetter("start"))
        return {
            place for place in range(last) if self.notes[place].end > begin and low <= self.notes[place].note <= high
        }

    def begun_in(self, begin: float, end: float) -> Sheet:
        """What begins from one beat on and before another: notes whole, and values."""
        first = bisect_left(self.notes, begin, key=attrgetter("start"))
        last = bisect_left(self.notes, end, key=attrgetter("start"))
        return Sheet(self.notes[first:last], tuple(event for event in self.others if begin <= event.time < end))

    def like(self, place: int) -> set[int]:
        """The places of all notes of the same key and channel."""
        one = self.notes[place]
        return {at for at, note in enumerate(self.notes) if (note.note, note.channel) == (one.note, one.channel)}

    # -- changing ----------------------------------------------------------------------------------

    def changed(self, chosen: Collection[int], change: Callable[[Note], Iterable[Note]]) -> tuple[Sheet, set[int]]:
        """Other notes in the place of chosen ones, and where those now stand."""
        rest = [note for place, note in enumerate(self.notes) if place not in chosen]
        return self._of(rest, [sound(one) for place in sorted(chosen) for one in change(self.notes[place])])

    def replaced(self, new: Mapping[int, Note]) -> tuple[Sheet, set[int]]:
        """Other notes in the places of some, and where those now stand."""
        rest = [note for place, note in enumerate(self.notes) if place not in new]
        return self._of(rest, [sound(note) for note in new.values()])

    def _of(self, rest: list[Note], new: list[Note]) -> tuple[Sheet, set[int]]:
        """This sheet with ``rest``, which is in order, and new notes as its notes, and where the new ones stand."""
        if len(new) > _FEW:
            rows = [(note, False) for note in rest] + [(note, True) for note in new]
            rows.sort(key=lambda row: _order(row[0]))
            places = {place for place, (_, is_new) in enumerate(rows) if is_new}
            return msgspec.structs.replace(self, notes=tuple(note for note, _ in rows)), places
        new.sort(key=_order)
        notes: list[Note] = []
        places = set()
        done = 0
        for note in new:
            place = bisect_right(rest, _order(note), lo=done, key=_order)
            notes += rest[done:place]
            places.add(len(notes))
            notes.append(note)
            done = place
        notes += rest[done:]
        return msgspec.structs.replace(self, notes=tuple(notes)), places

    def moved(self, chosen: Collection[int], beats: float, semitones: int = 0) -> tuple[Sheet, set[int]]:
        """Chosen notes moved together, no further than to the start and the ends of the keyboard."""
        some = [self.notes[place] for place in chosen]
        if not some:
            return self, set()
        beats = max(beats, -min(note.start for note in some))
        low, high = min(note.note for note in some), max(note.note for note in some)
        semitones = max(-low, min(127 - high, semitones))
        return self.changed(
            chosen,
            lambda note: (
                msgspec.structs.replace(
                    note, start=note.start + beats, end=note.end + beats, note=note.note + semitones
                ),
            ),
        )

    def copied(self, chosen: Collection[int], beats: float, semitones: int = 0) -> tuple[Sheet, set[int]]:
        """Copies of chosen notes, moved; these are chosen then."""
        moved, at = self.moved(chosen, beats, semitones)
        return self.added(moved.notes[place] for place in at)

    def added(self, notes: Iterable[Note]) -> tuple[Sheet, set[int]]:
        """More notes."""
        return self._of(list(self.notes), [sound(note) for note in notes])

    def with_sheet(self, other: Sheet, beat: float = 0.0) -> tuple[Sheet, set[int]]:
        """With all of another sheet, which begins on a beat; its notes are chosen then."""
        later = (msgspec.structs.replace(note, start=note.start + beat, end=note.end + beat) for note in other.notes)
        others = [*self.others, *(event.at(event.time + beat) for event in other.others)]
        made, chosen = self.added(later)
        return msgspec.structs.replace(made, others=tuple(sorted(others, key=attrgetter("time")))), chosen

    def without_sheet(self, other: Sheet) -> Sheet:
        """Without what another sheet holds: notes that begin as its notes do, and values that are its own."""
        begun = Counter((note.start, note.note, note.channel) for note in other.notes)
        values = Counter(other.others)

        def goes(counted: Counter[Any], one: Any) -> bool:
            counted[one] -= 1
            return bool(counted[one] >= 0)

        notes = tuple(note for note in self.notes if not goes(begun, (note.start, note.note, note.channel)))
        return Sheet(notes, tuple(event for event in self.others if not goes(values, event)))

    def stretched(self, chosen: Collection[int], start: float, end: float) -> tuple[Sheet, set[int]]:
        """The beginnings and the ends of chosen notes moved by so many beats."""
        return self.changed(
            chosen,
            lambda note: (
                msgspec.structs.replace(
                    note,
                    start=min(note.start + start, note.end + end - SHORTEST),
                    end=max(note.end + end, note.start + start + SHORTEST),
                ),
            ),
        )

    def without(self, chosen: Collection[int]) -> Sheet:
        """Without chosen notes."""
        return self.changed(chosen, lambda note: ())[0]

    def struck(self, chosen: Collection[int], by: int) -> tuple[Sheet, set[int]]:
        """Chosen notes louder or softer by so much."""
        return self.changed(
            chosen, lambda note: (msgspec.structs.replace(note, velocity=max(1, min(127, note.velocity + by))),)
        )

    def split(self, chosen: Collection[int], beat: float) -> tuple[Sheet, set[int]]:
        """Chosen notes that sound over a beat cut in two there."""

        def cut(note: Note) -> tuple[Note, ...]:
            if not note.start + SHORTEST <= beat <= note.end - SHORTEST:
                return (note,)
            return msgspec.structs.replace(note, end=beat), msgspec.structs.replace(note, start=beat)

        return self.changed(chosen, cut)

    def joined(self, chosen: Collection[int]) -> tuple[Sheet, set[int]]:
        """Chosen notes of each key made one, from the first beginning to the last end, struck as the first."""
        first: dict[tuple[int, int], Note] = {}
        ends: dict[tuple[int, int], float] = {}
        for place in sorted(chosen):
            note = self.notes[place]
            key = (note.channel, note.note)
            first.setdefault(key, note)
            ends[key] = max(ends.get(key, 0.0), note.end)
        return self.changed(
            chosen,
            lambda note: (
                (msgspec.structs.replace(note, end=ends[note.channel, note.note]),)
                if first[note.channel, note.note] is note
                else ()
            ),
        )

    # -- lines -------------------------------------------------------------------------------------

    @property
    def lines(self) -> dict[Line, list[Event]]:
        """The events that draw lines, by line."""
        found: dict[tuple[int, int], list[Event]] = {}
        for event in self.others:
            kind = event.status & 0xF0
            if kind in MOVING or kind == POLY_PRESSURE:
                found.setdefault((event.status, event.data1 if kind == CONTROL else 0), []).append(event)
        return {Line(*key): events for key, events in found.items()}

    def with_line(self, line: Line, begin: float, end: float, events: Iterable[Event]) -> Sheet:
        """With other values of a line between two beats (both with them)."""
        rest = [
            event
            for event in self.others
            if not (begin - _NEAR <= event.time <= end + _NEAR and event.kind in MOVING and Line.of(event) == line)
        ]
        return msgspec.structs.replace(self, others=tuple(sorted([*rest, *events], key=attrgetter("time"))))

    def renumbered(self, line: Line, number: int) -> Sheet:
        """With the values of a controller as those of another one."""
        others = tuple(
            Event(event.time, event.status, number, event.data2) if _is_on(line, event) else event
            for event in self.others
        )
        return msgspec.structs.replace(self, others=others)


def sound(note: Note) -> Note:
    """A note that can be: on the keyboard, with a velocity, after the start, not without a length."""
    start = max(0.0, note.start)
    if start == note.start and note.end >= start + SHORTEST and 0 <= note.note <= 127 and 1 <= note.velocity <= 127:
        return note
    return msgspec.structs.replace(
        note,
        start=start,
        end=max(note.end, start + SHORTEST),
        note=max(0, min(127, note.note)),
        velocity=max(1, min(127, note.velocity)),
    )


def value_of(event: Event) -> float:
    """What an event draws, 0 ... 127."""
    kind = event.status & 0xF0
    return float(event.data1) if kind == PRESSURE else event.data2 + (event.data1 / 128.0 if kind == BEND else 0.0)


def valued(line: Line, beat: float, value: float) -> Event:
    """The event of a line with a value, 0 ... 127."""
    bounded = max(0.0, min(127.0, value))
    if line.status & 0xF0 == PRESSURE:
        return Event(beat, line.status, round(bounded))
    if line.status & 0xF0 == BEND:
        fine = min(16383, round(bounded * 128.0))
        return Event(beat, line.status, fine & 0x7F, fine >> 7)
    return Event(beat, line.status, line.number, round(bounded))


def _is_on(line: Line, event: Event) -> bool:
    return event.kind == CONTROL and Line.of(event) == line


def _order(note: Note) -> tuple[float, int, int, float, int, int, bool]:
    """By their beginnings; what is alike in part has one order too."""
    return note.start, note.note, note.channel, note.end, note.velocity, note.released, note.doubtful
