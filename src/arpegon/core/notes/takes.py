"""Takes: what was played and what was made of it, and the memory from which they are cut."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Sequence

import msgspec

from arpegon.core.events import ALL_NOTES_OFF, CONTROL, NOTE_OFF, NOTE_ON, SUSTAIN, Event, note_off
from arpegon.core.notes.ledger import note_key

MEMORY_SECONDS = 600.0
MEMORY_EVENTS = 400_000
"""More than ten minutes of the densest playing that a MIDI cable carries in one direction would need more;
past this the oldest events go first."""
MEMORY_DOUBTS = 4_000
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


class Memory:
    """The last ten minutes of every strand, as played and as generated, without being asked."""

    def __init__(self, seconds: float = MEMORY_SECONDS) -> None:
        self.seconds = seconds
        self._played: dict[str, deque[Event]] = {}
        self._generated: dict[str, deque[Event]] = {}
        self._doubts: dict[str, deque[tuple[float, int]]] = {}

    def doubt(self, strand: str, time: float, note: int) -> None:
        """Remember that a note that was played at a time may be false."""
        self._doubts.setdefault(strand, deque(maxlen=MEMORY_DOUBTS)).append((time, note))

    def doubts(self, strand: str, start: float, end: float) -> tuple[tuple[float, int], ...]:
        """The doubtful notes between two times, at seconds from the first one."""
        return tuple((time - start, note) for time, note in self._doubts.get(strand, ()) if start <= time <= end)

    def add(self, strand: str, played: Iterable[Event], generated: Iterable[Event]) -> None:
        """Remember events (in order) of a strand; what is older than the span is forgotten."""
        for store, events in ((self._played, played), (self._generated, generated)):
            line = store.setdefault(strand, deque(maxlen=MEMORY_EVENTS))
            line.extend(events)
            while line and line[0].time < line[-1].time - self.seconds:
                line.popleft()

    @property
    def strands(self) -> list[str]:
        """The strands of which something is remembered."""
        return [strand for strand in {**self._played, **self._generated} if self.last_time([strand]) is not None]

    def last_time(self, strands: Sequence[str] | None = None) -> float | None:
        """When the last event was remembered."""
        times = [line[-1].time for line in self._lines(strands) if line]
        return max(times, default=None)

    def phrase_start(self, pause: float = 4.0, strands: Sequence[str] | None = None) -> float | None:
        """The start of what was played last: just before the first note after a pause of that many seconds.

        Only played notes count; where a strand plays without rest, that is the oldest one remembered.
        """
        strikes = sorted(
            event.time
            for strand, line in self._played.items()
            if strands is None or strand in strands
            for event in line
            if event.status & 0xF0 == NOTE_ON
        )
        if not strikes:
            return None
        start = strikes[-1]
        for earlier in reversed(strikes[:-1]):
            if start - earlier > pause:
                break
            start = earlier
        return start

    def cut(self, strand: str, start: float, end: float) -> tuple[tuple[Event, ...], tuple[Event, ...]]:
        """Both versions of a strand between two times, made whole by :func:`trim`."""
        return (
            trim(self._played.get(strand, ()), start, end),
            trim(self._generated.get(strand, ()), start, end),
        )

    def _lines(self, strands: Sequence[str] | None) -> list[deque[Event]]:
        return [
            line
            for store in (self._played, self._generated)
            for strand, line in store.items()
            if strands is None or strand in strands
        ]


def cut_take(
    memory: Memory,
    strands: Sequence[tuple[str, str]],
    start: float,
    end: float,
    *,
    id: str,
    name: str,
    tempo: float,
    meter: tuple[int, int],
) -> Take | None:
    """A take of what the memory holds between two times; ``None`` where that is nothing.

    Args:
        strands: ids and names of the strands that take part, in order.
    """
    parts = []
    last = 0.0
    for strand, label in strands:
        played, generated = memory.cut(strand, start, end)
        if played or generated:
            doubtful = memory.doubts(strand, start, end)
            parts.append(Part(strand=strand, name=label, played=played, generated=generated, doubtful=doubtful))
            last = max(last, *(event.time for event in (*played[-1:], *generated[-1:])))
    if not parts:
        return None
    return Take(id=id, name=name, seconds=last, tempo=tempo, meter=meter, parts=tuple(parts))


def trim(events: Iterable[Event], start: float, end: float) -> tuple[Event, ...]:
    """The events from ``start`` to ``end``, at seconds from ``start``, with no loose ends.

    Note offs whose note began before are left out, notes that still sound at the end are ended there, and a
    sustain pedal that is still down is lifted.
    """
    length = end - start
    kept: list[Event] = []
    open_notes: dict[int, int] = {}
    pedals: set[int] = set()
    for event in events:
        if not start <= event.time <= end:
            continue
        kind = event.status & 0xF0
        if kind == NOTE_ON:
            open_notes[note_key(event)] = open_notes.get(note_key(event), 0) + 1
        elif kind == NOTE_OFF:
            count = open_notes.get(note_key(event), 0)
            if not count:
                continue
            open_notes[note_key(event)] = count - 1
        elif kind == CONTROL and event.data1 == SUSTAIN:
            (pedals.add if event.data2 >= 64 else pedals.discard)(event.channel)
        elif kind == CONTROL and event.data1 >= ALL_NOTES_OFF:
            continue
        kept.append(event.at(event.time - start))
    for key, count in open_notes.items():
        kept.extend([note_off(length, key >> 7, key & 0x7F)] * count)
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
    open_notes: dict[int, list[bool]] = {}
    for event in events:
        if event.kind == NOTE_ON:
            dropped = drops(event)
            open_notes.setdefault(note_key(event), []).append(dropped)
        elif event.kind == NOTE_OFF and open_notes.get(note_key(event)):
            dropped = open_notes[note_key(event)].pop(0)
        else:
            dropped = False
        if not dropped:
            kept.append(event)
    return tuple(kept)


class Bar(msgspec.Struct, frozen=True):
    """A note as a roll draws it: from ``start`` to ``end`` (``None`` while it sounds)."""

    note: int
    velocity: int
    channel: int
    start: float
    end: float | None


def bars(events: Iterable[Event]) -> list[Bar]:
    """Pair note ons with their offs, in order of their starts."""
    found: list[Bar] = []
    sounding: dict[int, list[int]] = {}
    for event in events:
        kind = event.status & 0xF0
        if kind == NOTE_ON:
            sounding.setdefault(note_key(event), []).append(len(found))
            found.append(Bar(event.data1, event.data2, event.channel, event.time, None))
        elif kind == NOTE_OFF and sounding.get(note_key(event)):
            place = sounding[note_key(event)].pop(0)
            bar = found[place]
            found[place] = Bar(bar.note, bar.velocity, bar.channel, bar.start, event.time)
    return found
