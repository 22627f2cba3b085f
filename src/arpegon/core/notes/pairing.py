"""Note ons that wait for their note offs: the one place that says which off ends which on."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Generic, TypeVar

from arpegon.core.events import DEFAULT_RELEASE, NOTE_OFF, Event

T = TypeVar("T")


def note_key(event: Event) -> int:
    """Channel and note of a note event as one number."""
    return (event.status & 0x0F) << 7 | event.data1


class Pairing(Generic[T]):
    """What is remembered of each note on until its note off comes: first on, first off.

    A key is a number: :func:`note_key`, or one of the caller's own. Gates, inputs, papers, the memory, takes and files
    all pair by this class, so that a note is as long everywhere as it was where it sounded. Loops that run for every
    note may look into ``first`` and ``again`` themselves.

    >>> notes = Pairing()
    >>> notes.begin(60, "first"); notes.begin(60, "second")
    >>> notes.end(60), notes.end(60), notes.end(60)
    ('first', 'second', None)
    """

    __slots__ = ("again", "first")

    def __init__(self) -> None:
        self.first: dict[int, T] = {}
        """The first note on of each key that waits."""
        self.again: dict[int, list[T]] = {}
        """Those that came after it: few keys are struck again while they are down."""

    def begin(self, key: int, mark: T) -> None:
        """A note on; ``mark`` is what is remembered of it (not ``None``)."""
        if key in self.first:
            self.again.setdefault(key, []).append(mark)
        else:
            self.first[key] = mark

    def end(self, key: int) -> T | None:
        """A note off: what is remembered of the first note on that waits for it; ``None`` where none does."""
        mark = self.first.pop(key, None)
        if self.again and key in self.again:
            waiting = self.again[key]
            self.first[key] = waiting.pop(0)
            if not waiting:
                del self.again[key]
        return mark

    def latest(self, key: int) -> T | None:
        """What is remembered of the last note on of a key that still waits."""
        return self.again[key][-1] if key in self.again else self.first.get(key)

    def __contains__(self, key: object) -> bool:
        """Whether a note on of this key waits for its end."""
        return key in self.first

    def __bool__(self) -> bool:
        return bool(self.first)

    def __len__(self) -> int:
        """How many note ons wait."""
        return len(self.first) + sum(map(len, self.again.values()))

    def __iter__(self) -> Iterator[int]:
        """The keys of which a note on waits, oldest first."""
        return iter(self.first)

    def marks(self) -> list[T]:
        """What is remembered of all that waits."""
        return [mark for _, mark in self.items()] if self.again else list(self.first.values())

    def items(self) -> Iterator[tuple[int, T]]:
        """Keys that wait, with what is remembered of each of their note ons."""
        for key, mark in self.first.items():
            yield key, mark
            for again in self.again.get(key, ()):
                yield key, again

    def clear(self) -> None:
        """Forget all that waits."""
        self.first.clear()
        self.again.clear()

    def ends(self, time: float) -> list[Event]:
        """The note offs at ``time`` of all that waits, which goes on waiting."""
        return [Event(time, NOTE_OFF | key >> 7 & 0x0F, key & 0x7F, DEFAULT_RELEASE) for key, _ in self.items()]

    def release(self, time: float) -> list[Event]:
        """The note offs at ``time`` of all that waits, which is forgotten."""
        ends = self.ends(time)
        self.clear()
        return ends
