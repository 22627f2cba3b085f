"""The note ledger: whoever started a note also ends it.

Everything in Arpegon that emits notes keeps its book here, so that an edit in mid-note (a moved root,
a bypass, another channel) can never leave a note sounding: the ledger ends what was started, not what
the parameters would start now.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from arpegon.core.events import NOTE_OFF, NOTE_ON, POLY_PRESSURE, Event

Strike = Callable[[Event], Sequence[Event]]


class NoteLedger:
    """Which notes each held key has started, and how many keys hold each sounding note.

    A key is a number: :func:`note_key` of what came in, above which the caller may put bits of its own.
    Where two keys started the same note it is struck again at the second and ends with the last, and every
    note on is answered by exactly one note off: a second strike is written as note off, note on.
    """

    __slots__ = ("_again", "_held", "_sounding")

    def __init__(self) -> None:
        self._held: dict[int, Sequence[Event]] = {}
        self._again: dict[int, list[Sequence[Event]]] = {}
        self._sounding = [0] * 2048
        """How many keys hold each note, by :func:`note_key`."""

    def __len__(self) -> int:
        """How many notes sound."""
        return 2048 - self._sounding.count(0)

    @property
    def keys(self) -> list[int]:
        """The held keys, oldest first."""
        return list(self._held)

    def run(
        self,
        events: Sequence[Event],
        strike: Strike,
        out: list[Event],
        other: Callable[[Event], Event | None] | None = None,
        base: int = 0,
        strays: bool = True,
    ) -> None:
        """Work on a batch: the one loop that all notes go through, kept flat because it runs for each of them.

        Args:
            events: what came in, in order.
            strike: the note ons that answer a note on, at the same time.
            out: what comes out is appended here.
            other: what becomes of events that belong to no note (``None``: they pass as they are).
            base: bits above the key, so that several holders can share a ledger.
            strays: whether ends of notes that are not held here pass.
        """
        held, again, sounding = self._held, self._again, self._sounding
        append = out.append
        for event in events:
            status = event.status
            kind = status & 0xF0
            if kind == NOTE_ON:
                key = base | (status & 0x0F) << 7 | event.data1
                notes = strike(event)
                if key in held:
                    again.setdefault(key, []).append(notes)
                else:
                    held[key] = notes
                for note in notes:
                    sound = (note.status & 0x0F) << 7 | note.data1
                    holders = sounding[sound]
                    sounding[sound] = holders + 1
                    if holders:
                        append(Event(note.time, NOTE_OFF | note.status & 0x0F, note.data1, 64))
                    append(note)
            elif kind == NOTE_OFF:
                key = base | (status & 0x0F) << 7 | event.data1
                ended = held.pop(key, None)
                if ended is None:
                    if strays:
                        append(event)
                    continue
                if again and key in again:
                    self._next(key)
                for note in ended:
                    channel = note.status & 0x0F
                    number = note.data1
                    sound = channel << 7 | number
                    holders = sounding[sound] - 1
                    sounding[sound] = holders
                    if not holders:
                        append(Event(event.time, NOTE_OFF | channel, number, event.data2))
            elif kind == POLY_PRESSURE:
                key = base | (status & 0x0F) << 7 | event.data1
                if key in held:
                    for note in again[key][-1] if key in again else held[key]:
                        append(Event(event.time, POLY_PRESSURE | note.status & 0x0F, note.data1, event.data2))
                elif strays:
                    append(event)
            elif other is None:
                append(event)
            else:
                changed = other(event)
                if changed is not None:
                    append(changed)

    def _next(self, key: int) -> None:
        """The key was struck more than once: its next strike is the one that is held now."""
        waiting = self._again[key]
        self._held[key] = waiting.pop(0)
        if not waiting:
            del self._again[key]

    def start(self, key: int, notes: Sequence[Event], out: list[Event]) -> None:
        """Let a key (of the caller's numbering) start notes, beside those that it holds already."""
        self._held[key] = (*self._held.get(key, ()), *notes)
        for note in notes:
            sound = (note.status & 0x0F) << 7 | note.data1
            self._sounding[sound] += 1
            if self._sounding[sound] > 1:
                out.append(Event(note.time, NOTE_OFF | note.status & 0x0F, note.data1, 64))
            out.append(note)

    def stop(self, key: int, time: float, release: int, out: list[Event]) -> None:
        """Let go of what a key started with :meth:`start`; nothing where it holds nothing."""
        for note in self._held.pop(key, ()):
            sound = (note.status & 0x0F) << 7 | note.data1
            self._sounding[sound] -= 1
            if not self._sounding[sound]:
                out.append(Event(time, NOTE_OFF | note.status & 0x0F, note.data1, release))

    def held(self, key: int) -> Sequence[Event]:
        """The note ons that a key holds."""
        return self._held.get(key, ())

    def end(self, key: int, time: float, out: list[Event]) -> None:
        """Let go of all that a key started."""
        while key in self._held:
            self.run((Event(time, NOTE_OFF | key >> 7 & 0x0F, key & 0x7F, 64),), _nothing, out, base=key & ~0x7FF)

    def release(self, time: float, out: list[Event]) -> None:
        """End every sounding note and forget all keys."""
        for note, holders in enumerate(self._sounding):
            if holders:
                out.append(Event(time, NOTE_OFF | note >> 7, note & 0x7F, 64))
        self._sounding = [0] * 2048
        self._held.clear()
        self._again.clear()


def _nothing(event: Event) -> Sequence[Event]:
    return ()
