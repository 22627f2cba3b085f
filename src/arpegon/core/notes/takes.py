"""Takes: what was played and what was made of it, cut from the memory."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from operator import attrgetter
from typing import Any

import msgspec

from arpegon.core.events import ALL_NOTES_OFF, CONTROL, NOTE_OFF, NOTE_ON, Event
from arpegon.core.notes.course import Course, course_of
from arpegon.core.notes.memory import Remembered
from arpegon.core.notes.pairing import Pairing, note_key
from arpegon.core.notes.pressed import Pressed, springs_back
from arpegon.core.notes.standing import held_at, standing

_SAME_SECONDS = 0.012
"""Notes of one cause begin within this."""
_SAME_BEATS = 0.02
"""A doubt is of a note that began as near as this: some milliseconds."""


class TakePart(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """One strand's share of a take: events at beats of its course."""

    strand: str
    name: str
    played: tuple[Event, ...] = ()
    generated: tuple[Event, ...] = ()
    doubtful: tuple[tuple[float, int], ...] = ()
    """The beats on which notes were played, and which, that an audio source may have heard falsely."""
    stages: tuple[dict[str, Any], ...] = ()
    """The stages of the strand at that moment, as they stand in files: what was generated was made by them."""

    def moved(self, move: Callable[[float], float]) -> TakePart:
        """All of it on other beats: a function from the beat of each thing to the one it is moved to."""
        return msgspec.structs.replace(
            self,
            played=tuple(event.at(move(event.time)) for event in self.played),
            generated=tuple(event.at(move(event.time)) for event in self.generated),
            doubtful=tuple((move(beat), note) for beat, note in self.doubtful),
        )


class Round(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a round of recording over a take did to it, so that it can be dropped by itself."""

    number: int
    added: tuple[TakePart, ...] = ()
    """What was played, by strand,"""
    gone: tuple[TakePart, ...] = ()
    """and what it took the place of."""

    def moved(self, move: Callable[[float], float]) -> Round:
        """All of it on other beats."""
        added, gone = (tuple(part.moved(move) for part in parts) for parts in (self.added, self.gone))
        return msgspec.structs.replace(self, added=added, gone=gone)


class Take(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True, weakref=True):
    """Recorded events of one or more strands, on the beats of their course."""

    id: str
    name: str
    beats: float
    """Where it ends."""
    course: Course = Course()
    parts: tuple[TakePart, ...] = ()
    starred: bool = False
    ink: int | None = None
    """Its colour, of those that strands have; ``None``: none."""
    note: str = ""
    """What somebody wrote about it."""
    rounds: tuple[Round, ...] = ()
    """Those that were recorded over it and can be dropped."""

    @property
    def seconds(self) -> float:
        """How long it is."""
        return self.course.second_at(self.beats)

    def moved(self, move: Callable[[float], float], **changes: Any) -> Take:
        """All that it holds on other beats, with other ``changes``."""
        parts = tuple(part.moved(move) for part in self.parts)
        rounds = tuple(one.moved(move) for one in self.rounds)
        return msgspec.structs.replace(self, parts=parts, rounds=rounds, beats=move(self.beats), **changes)

    def part(self, strand: str) -> TakePart | None:
        """The share of a strand; ``None`` where it has none."""
        return next((part for part in self.parts if part.strand == strand), None)

    def in_seconds(self, events: Iterable[Event]) -> list[Event]:
        """Events of it at seconds from its start, in order of time."""
        second_at = self.course.second_at
        return sorted((event.at(second_at(event.time)) for event in events), key=attrgetter("time"))


def cut_take(history: Remembered, start: float, end: float, *, id: str, name: str) -> Take | None:
    """A take of what the memory holds between two times; ``None`` where that is nothing.

    Its parts are the strands in the order of the document; those that are no longer there come last.
    """
    parts = []
    begins: dict[str, tuple[list[Event], list[Event]]] = {}
    course = course_of(history.times, start, end)
    if not history.times:
        piece = history.piece
        course = Course(tempi=((0.0, piece.tempo),), meters=((0.0, piece.meter, 1),))
    last = course.first

    for strand in history.strands:
        versions = history.played(strand), history.generated(strand)
        if not any(_any_between(events, start, end) for events in versions):
            continue  # what is only held, and comes back at the end, makes no take
        played, generated = (course.lay(trim(events, start, end)) for events in versions)
        if played or generated:
            doubts = history.doubtful(strand, start, end)
            doubtful = tuple((course.beat_at(time), note) for time, note in doubts if time >= 0.0)
            begins[strand] = standing(versions[0], start), standing(versions[1], start)
            label = history.names.get(strand, strand)
            parts.append(TakePart(strand=strand, name=label, played=played, generated=generated, doubtful=doubtful))
            last = max(last, *(event.time for event in (*played[-1:], *generated[-1:])))
    if not parts:
        return None
    take = _from_first_bar(Take(id=id, name=name, beats=last, course=course, parts=tuple(parts)))
    return msgspec.structs.replace(take, parts=tuple(_begun(part, begins[part.strand], take) for part in take.parts))


def _begun(part: TakePart, begins: tuple[list[Event], list[Event]], take: Take) -> TakePart:
    """A part that begins with the values that stood as its take begins."""
    versions = zip(begins, (part.played, part.generated), strict=True)
    first = take.course.first
    played, generated = ((*(event.at(first) for event in begin), *rest) if rest else () for begin, rest in versions)
    return msgspec.structs.replace(part, played=played, generated=generated)


def _from_first_bar(take: Take) -> Take:
    """A take without the empty bars before its first event."""
    first = min(event.time for part in take.parts for event in (*part.played[:1], *part.generated[:1]))
    line = take.course.bar_at(first)[1]
    if line <= 0.0:
        return take
    return take.moved(lambda beat: max(0.0, beat - line), course=take.course.cut(line))


def trim(events: Iterable[Event], start: float, end: float) -> Iterator[Event]:
    """The events from ``start`` to ``end``, at seconds from ``start``, with no loose ends; one after the other, as they
    may be many.

    Note offs whose note began before are left out, notes that still sound at the end are ended there, and what
    else is still held then comes back: pedals, bend, pressure. What stood at the start is said by
    :func:`~arpegon.core.notes.standing.standing`.
    """
    open_notes = Pressed()
    for event in events:
        kind = event.status & 0xF0
        if event.time <= end and springs_back(event):
            open_notes.hold(event)
        if not start <= event.time <= end:
            continue
        if kind == NOTE_ON:
            open_notes.begin(note_key(event), True)
        elif kind == NOTE_OFF:
            if open_notes.end(note_key(event)) is None:
                continue
        elif kind == CONTROL and event.data1 >= ALL_NOTES_OFF:
            continue
        yield event.at(event.time - start)
    yield from open_notes.release(end - start)


def round_of(events: Sequence[Event], start: float, end: float) -> Iterator[Event]:
    """What was played in a round over a take, at seconds from its start: see :func:`trim`.

    What was held before (a pedal, bend) is held in it. A bend or pressure that was held all the while, where nothing
    else was, is nothing played: a wheel may not rest quite in the middle.
    """
    held = held_at(events, start)
    if _any_between(events, start, end) or any(event.kind == CONTROL for event in held):
        yield from (event.at(0.0) for event in held)
        yield from trim(events, start, end)


def _any_between(events: Iterable[Event], start: float, end: float) -> bool:
    return any(start <= event.time <= end for event in events)


def is_doubtful(doubtful: Sequence[tuple[float, int]], beat: float, note: int) -> bool:
    """Whether a note that was played on a beat is among doubtful ones."""
    return any(which == note and abs(when - beat) <= _SAME_BEATS for when, which in doubtful)


def without_doubtful(part: TakePart, course: Course) -> TakePart:
    """A part without its doubtful notes, and without what was generated from them alone: what began with them, and
    with no other note that was played."""
    sure = [
        course.second_at(event.time)
        for event in part.played
        if event.kind == NOTE_ON and not is_doubtful(part.doubtful, event.time, event.data1)
    ]

    doubts = [course.second_at(when) for when, _ in part.doubtful]

    def from_doubt(event: Event) -> bool:
        time = course.second_at(event.time)
        caused = any(-1e-6 <= time - when <= _SAME_SECONDS for when in doubts)
        return caused and not any(-1e-6 <= time - when <= _SAME_SECONDS for when in sure)

    played = _without(part.played, lambda event: is_doubtful(part.doubtful, event.time, event.data1))
    generated = _without(part.generated, from_doubt)
    return msgspec.structs.replace(part, played=played, generated=generated, doubtful=())


def _without(events: Iterable[Event], drops: Callable[[Event], bool]) -> tuple[Event, ...]:
    """Events without some of the notes; ``drops`` is asked of every note on."""
    kept: list[Event] = []
    open_notes: Pairing[bool] = Pairing()
    for event in events:
        if event.kind == NOTE_ON:
            dropped = drops(event)
            open_notes.begin(note_key(event), dropped)
        elif event.kind == NOTE_OFF:
            dropped = open_notes.end(note_key(event)) or False
        else:
            dropped = False
        if not dropped:
            kept.append(event)
    return tuple(kept)


class TakeNote(msgspec.Struct, frozen=True):
    """A note as a roll draws it: from ``start`` to ``end`` (``None`` while it sounds)."""

    note: int
    velocity: int
    channel: int
    start: float
    end: float | None


def bars(events: Iterable[Event]) -> list[TakeNote]:
    """Pair note ons with their offs, in order of their starts."""
    found: list[TakeNote] = []
    sounding: Pairing[int] = Pairing()
    for event in events:
        kind = event.status & 0xF0
        if kind == NOTE_ON:
            sounding.begin(note_key(event), len(found))
            found.append(TakeNote(event.data1, event.data2, event.channel, event.time, None))
        elif kind == NOTE_OFF and (place := sounding.end(note_key(event))) is not None:
            bar = found[place]
            found[place] = TakeNote(bar.note, bar.velocity, bar.channel, bar.start, event.time)
    return found
