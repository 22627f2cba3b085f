"""Note ons that wait for their note offs: the one place that says which off ends which on."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Generic, TypeVar

from arpegon.core.events import DEFAULT_RELEASE, NOTE_OFF, Event

T = TypeVar("T")


def note_key(event: Event) -> int:
    """Channel and note of a note event as one number."""
    return (event.status & 0x0F) << 7 | event.data1


class Pairing(Generic[T]):
    """What is remembered of each note on until its note off comes: first on, first off.

    A key is a number: :func:`note_key`, or one of the caller's own. Gates, inputs, papers, the memory, takes and files
    all pair by this class, so that a note is as long everywhere as it was where it sounded.

    >>> notes = Pairing()
    >>> notes.begin(60, "first"); notes.begin(60, "second")
    >>> notes.end(60), notes.end(60), notes.end(60)
    ('first', 'second', None)
    """

    __slots__ = ("_waiting",)

    def __init__(self) -> None:
        self._waiting: dict[int, list[T]] = {}

    def begin(self, key: int, mark: T) -> None:
        """A note on; ``mark`` is what is remembered of it (not ``None``)."""
        waiting = self._waiting.get(key)
        if waiting is None:
            self._waiting[key] = [mark]
        else:
            waiting.append(mark)

    def end(self, key: int) -> T | None:
        """A note off: what is remembered of the first note on that waits for it; ``None`` where none does."""
        waiting = self._waiting.get(key)
        if waiting is None:
            return None
        mark = waiting.pop(0)
        if not waiting:
            del self._waiting[key]
        return mark

    def latest(self, key: int) -> T | None:
        """What is remembered of the last note on of a key that still waits."""
        waiting = self._waiting.get(key)
        return waiting[-1] if waiting else None

    def __contains__(self, key: object) -> bool:
        """Whether a note on of this key waits for its end."""
        return key in self._waiting

    def __bool__(self) -> bool:
        return bool(self._waiting)

    def __len__(self) -> int:
        """How many note ons wait."""
        return sum(map(len, self._waiting.values()))

    def __iter__(self) -> Iterator[int]:
        """The keys of which a note on waits, oldest first."""
        return iter(self._waiting)

    def marks(self) -> Iterator[T]:
        """What is remembered of all that waits."""
        for waiting in self._waiting.values():
            yield from waiting

    def items(self) -> Iterable[tuple[int, T]]:
        """Keys that wait, with what is remembered of each of their note ons."""
        for key, waiting in self._waiting.items():
            for mark in waiting:
                yield key, mark

    def clear(self) -> None:
        """Forget all that waits."""
        self._waiting.clear()

    def release(self, time: float) -> list[Event]:
        """The note offs at ``time`` of all that waits, which is forgotten."""
        ends = [
            Event(time, NOTE_OFF | key >> 7 & 0x0F, key & 0x7F, DEFAULT_RELEASE)
            for key, waiting in self._waiting.items()
            for _ in waiting
        ]
        self._waiting.clear()
        return ends
