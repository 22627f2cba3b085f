"""The note ledger: whoever started a note also ends it.

Everything in Arpegon that emits notes keeps its book here, so that an edit in mid-note (a moved root,
a bypass, another channel) can never leave a note sounding: the ledger ends what was started, not what
the parameters would start now.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from arpegon.core.events import NOTE_OFF, NOTE_ON, POLY_PRESSURE, Event

Strike = Callable[[Event], Sequence[Event]]

MOST_MORE = 256
"""Notes in a hundredth of a second beside one of each key: twice what a channel has, far more than can be heard."""
_WINDOWS_PER_SECOND = 100


class NoteLedger:
    """Which notes each held key has started, and how many keys hold each sounding note.

    A key is a number: :func:`note_key` of what came in, above which the caller may put bits of its own.
    Where two keys started the same note it is struck again at the second and ends with the last, and every
    note on is answered by exactly one note off: a second strike is written as note off, note on. At one moment a note
    is struck once, as loud as the loudest who does, however many keys hold it.

    Keys may start several notes each, and stages stand in rows: what keys start beside their first notes is limited to
    :data:`MOST_MORE` in a hundredth of a second, so that no row of them can multiply without end.
    """

    __slots__ = ("_again", "_begun", "_held", "_place", "_pressed", "_sounding", "_struck", "_window", "left_out")

    def __init__(self) -> None:
        self._held: dict[int, Sequence[Event]] = {}
        self._again: dict[int, list[Sequence[Event]]] = {}
        self._sounding = [0] * 2048
        """How many keys hold each note, by :func:`note_key`."""
        self._struck = [-math.inf] * 2048
        """When each note was struck last."""
        self._place = [0] * 2048
        """Where the note on of each note stood in what it was written to."""
        self._pressed: dict[int, tuple[float, int]] = {}
        """When and how hard each note was pressed last."""
        self._window = 0
        """The hundredth of a second for which notes are counted,"""
        self._begun = 0
        """and how many were started in it beside the first ones."""
        self.left_out = 0
        """How many notes were not started because there were too many."""

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
        struck, place = self._struck, self._place
        append = out.append
        for event in events:
            status = event.status
            kind = status & 0xF0
            if kind == NOTE_ON:
                key = base | (status & 0x0F) << 7 | event.data1
                notes = strike(event)
                if len(notes) > 1:
                    notes = self._limited(notes, 1)
                if key in held:
                    again.setdefault(key, []).append(notes)
                else:
                    held[key] = notes
                for note in notes:
                    sound = (note.status & 0x0F) << 7 | note.data1
                    holders = sounding[sound]
                    sounding[sound] = holders + 1
                    if holders:
                        if struck[sound] == note.time:
                            self._loudest(note, sound, out)
                            continue
                        append(Event(note.time, NOTE_OFF | note.status & 0x0F, note.data1, 64))
                    struck[sound] = note.time
                    place[sound] = len(out)
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
                    self.press(again[key][-1] if key in again else held[key], event, out)
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
        before = self._held.get(key, ())
        notes = self._limited(notes, 0 if before else 1)
        self._held[key] = (*before, *notes)
        for note in notes:
            sound = (note.status & 0x0F) << 7 | note.data1
            self._sounding[sound] += 1
            if self._sounding[sound] > 1:
                if self._struck[sound] == note.time:
                    self._loudest(note, sound, out)
                    continue
                out.append(Event(note.time, NOTE_OFF | note.status & 0x0F, note.data1, 64))
            self._struck[sound] = note.time
            self._place[sound] = len(out)
            out.append(note)

    def _loudest(self, note: Event, sound: int, out: list[Event]) -> None:
        """A note that was struck at this moment is struck again: it is as loud as the louder of both."""
        place = self._place[sound]
        if place < len(out):
            struck = out[place]
            same = struck.time == note.time and struck.status == note.status and struck.data1 == note.data1
            if same and struck.data2 < note.data2:
                out[place] = note

    def _limited(self, notes: Sequence[Event], free: int) -> Sequence[Event]:
        """Those of a key's notes that may begin: the ``free`` first ones, and as many of the others as are allowed."""
        kept = list(notes[:free])
        for note in notes[free:]:
            window = int(note.time * _WINDOWS_PER_SECOND)
            if window != self._window:
                self._window, self._begun = window, 0
            sound = (note.status & 0x0F) << 7 | note.data1
            if not (self._sounding[sound] and self._struck[sound] == note.time):
                if self._begun >= MOST_MORE:
                    self.left_out += 1
                    continue
                self._begun += 1
            kept.append(note)
        return kept

    def press(self, notes: Sequence[Event], event: Event, out: list[Event]) -> None:
        """Poly pressure on the key of these notes goes to each of them, at one moment once."""
        for note in notes:
            sound = (note.status & 0x0F) << 7 | note.data1
            if self._pressed.get(sound) != (event.time, event.data2):
                self._pressed[sound] = (event.time, event.data2)
                out.append(Event(event.time, POLY_PRESSURE | note.status & 0x0F, note.data1, event.data2))

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
