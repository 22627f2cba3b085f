"""The note ledger: whoever started a note also ends it.

Everything in Arpegon that emits notes keeps its book here, so that an edit in mid-note (a moved root,
a bypass, another channel) can never leave a note sounding: the ledger ends what was started, not what
the parameters would start now.
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence

from arpegon.core.events import NOTE_OFF, Event


def note_key(event: Event) -> int:
    """Channel and note of a note event as one number."""
    return (event.status & 0x0F) << 7 | event.data1


class NoteLedger:
    """Which notes each held key has started, and how many keys hold each sounding note.

    A key is anything hashable (mostly :func:`note_key` of what came in). Where two keys started the same
    note it is struck again at the second and ends with the last, and every note on is answered by exactly
    one note off: a second strike is written as note off, note on.
    """

    __slots__ = ("_held", "_sounding")

    def __init__(self) -> None:
        self._held: dict[Hashable, list[Sequence[Event]]] = {}
        self._sounding: dict[int, int] = {}

    def __len__(self) -> int:
        """How many notes sound."""
        return len(self._sounding)

    def __contains__(self, key: Hashable) -> bool:
        return key in self._held

    @property
    def keys(self) -> list[Hashable]:
        """The held keys, oldest first."""
        return list(self._held)

    @property
    def sounding(self) -> list[int]:
        """The sounding notes as :func:`note_key` numbers."""
        return list(self._sounding)

    def start(self, key: Hashable, notes: Sequence[Event], out: list[Event]) -> None:
        """Strike ``notes`` (note ons, perhaps none) on behalf of ``key``."""
        held = self._held
        if key in held:
            held[key].append(notes)
        else:
            held[key] = [notes]
        sounding = self._sounding
        for event in notes:
            note = (event.status & 0x0F) << 7 | event.data1
            holders = sounding.get(note, 0)
            if holders:
                out.append(Event(event.time, NOTE_OFF | event.status & 0x0F, event.data1, 64))
            sounding[note] = holders + 1
            out.append(event)

    def end(self, key: Hashable, time: float, release: int, out: list[Event]) -> bool:
        """Let go of what ``key`` started first; False where it holds nothing."""
        starts = self._held.get(key)
        if starts is None:
            return False
        notes = starts.pop(0)
        if not starts:
            del self._held[key]
        sounding = self._sounding
        for event in notes:
            note = (event.status & 0x0F) << 7 | event.data1
            holders = sounding[note]
            if holders > 1:
                sounding[note] = holders - 1
            else:
                del sounding[note]
                out.append(Event(time, NOTE_OFF | event.status & 0x0F, event.data1, release))
        return True

    def started_by(self, key: Hashable) -> Sequence[Event]:
        """What ``key`` started last (empty where it holds nothing)."""
        starts = self._held.get(key)
        return starts[-1] if starts else ()

    def release(self, time: float, out: list[Event]) -> None:
        """End every sounding note and forget all keys."""
        for note in self._sounding:
            out.append(Event(time, NOTE_OFF | note >> 7, note & 0x7F, 64))
        self._sounding.clear()
        self._held.clear()
