"""Takes: what was played and what was made of it, cut from the memory."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import msgspec

from arpegon.core.events import ALL_NOTES_OFF, CONTROL, NOTE_OFF, NOTE_ON, SUSTAIN, Event
from arpegon.core.notes.memory import Remembered
from arpegon.core.notes.pairing import Pairing, note_key

_SAME_SECONDS = 0.012
"""Notes of one cause begin within this."""


class Part(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """One strand's share of a take: events at seconds from the start of the take."""

    strand: str
    name: str
    played: tuple[Event, ...] = ()
    generated: tuple[Event, ...] = ()
    doubtful: tuple[tuple[float, int], ...] = ()
    """When notes were played, and which, that an audio source may have heard falsely."""


class Take(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Recorded events of one or more strands; ``tempo`` lays them on beats where a file needs that."""

    id: str
    name: str
    seconds: float
    tempo: float
    meter: tuple[int, int] = (4, 4)
    parts: tuple[Part, ...] = ()


def cut_take(history: Remembered, start: float, end: float, *, id: str, name: str) -> Take | None:
    """A take of what the memory holds between two times; ``None`` where that is nothing.

    Its parts are the strands in the order of the document; those that are no longer there come last.
    """
    parts = []
    last = 0.0
    for strand in history.strands:
        played, generated = (trim(events, start, end) for events in (history.played(strand), history.generated(strand)))
        if played or generated:
            doubtful = history.doubtful(strand, start, end)
            label = history.names.get(strand, strand)
            parts.append(Part(strand=strand, name=label, played=played, generated=generated, doubtful=doubtful))
            last = max(last, *(event.time for event in (*played[-1:], *generated[-1:])))
    if not parts:
        return None
    piece = history.piece
    return Take(id=id, name=name, seconds=last, tempo=piece.tempo, meter=piece.meter, parts=tuple(parts))


def trim(events: Iterable[Event], start: float, end: float) -> tuple[Event, ...]:
    """The events from ``start`` to ``end``, at seconds from ``start``, with no loose ends.

    Note offs whose note began before are left out, notes that still sound at the end are ended there, and a
    sustain pedal that is still down is lifted.
    """
    length = end - start
    kept: list[Event] = []
    open_notes: Pairing[bool] = Pairing()
    pedals: set[int] = set()
    for event in events:
        if not start <= event.time <= end:
            continue
        kind = event.status & 0xF0
        if kind == NOTE_ON:
            open_notes.begin(note_key(event), True)
        elif kind == NOTE_OFF:
            if open_notes.end(note_key(event)) is None:
                continue
        elif kind == CONTROL and event.data1 == SUSTAIN:
            (pedals.add if event.data2 >= 64 else pedals.discard)(event.channel)
        elif kind == CONTROL and event.data1 >= ALL_NOTES_OFF:
            continue
        kept.append(event.at(event.time - start))
    kept += open_notes.release(length)
    kept.extend(Event(length, CONTROL | channel, SUSTAIN, 0) for channel in sorted(pedals))
    return tuple(kept)


def is_doubtful(doubtful: Sequence[tuple[float, int]], time: float, note: int) -> bool:
    """Whether a note that was played at a time is among doubtful ones."""
    return any(which == note and abs(when - time) <= _SAME_SECONDS for when, which in doubtful)


def without_doubtful(part: Part) -> Part:
    """A part without its doubtful notes, and without what was generated from them alone: what began with them, and
    with no other note that was played."""
    sure = [
        event.time
        for event in part.played
        if event.kind == NOTE_ON and not is_doubtful(part.doubtful, event.time, event.data1)
    ]

    def from_doubt(event: Event) -> bool:
        caused = any(-1e-6 <= event.time - when <= _SAME_SECONDS for when, _ in part.doubtful)
        return caused and not any(-1e-6 <= event.time - when <= _SAME_SECONDS for when in sure)

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
