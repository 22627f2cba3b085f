"""What is pressed: notes, and what shapes them as long as it is held. Who lets go of the ones lets go of the others."""

from __future__ import annotations

from collections.abc import Iterable

from arpegon.core.events import BEND, CONTROL, HOLD_PEDALS, NOTE_OFF, NOTE_ON, PRESSURE, PROGRAM, SYSEX, Event
from arpegon.core.notes.pairing import Pairing, note_key

DOWN = 64
"""From this value on a pedal is down."""
_MIDDLE = 64
"""The second byte of a bend that is none; the first is 0."""


class Pressed(Pairing[bool]):
    """Notes that wait for their ends, pedals that are down, and bend and pressure that are felt.

    >>> from arpegon.core.events import bend, control
    >>> pressed = Pressed()
    >>> pressed.follow([control(0.0, 3, 66, 127), bend(0.0, 1, 99)])
    >>> [(event.channel, event.data1, event.data2) for event in pressed.release(1.0)], bool(pressed)
    ([(3, 66, 0), (1, 0, 64)], False)
    """

    __slots__ = ("held",)

    def __init__(self) -> None:
        super().__init__()
        self.held: set[int] = set()
        """The :func:`held_key` of what is held besides notes."""

    def follow(self, events: Iterable[Event]) -> None:
        """Events passed, in order."""
        for event in events:
            kind = event.status & 0xF0
            if kind == NOTE_ON:
                self.begin(note_key(event), True)
            elif kind == NOTE_OFF:
                self.end(note_key(event))
            elif springs_back(event):
                self.hold(event)

    def hold(self, event: Event) -> None:
        """Something moved that :func:`springs_back`."""
        (self.held.discard if is_at_rest(event) else self.held.add)(held_key(event))

    def __bool__(self) -> bool:
        return bool(self.first or self.held)

    def clear(self) -> None:
        super().clear()
        self.held.clear()

    def ends(self, time: float) -> list[Event]:
        """The note offs at ``time`` of all that waits, and what brings the rest back; they go on waiting."""
        return [*super().ends(time), *at_rest(self.held, time)]


def springs_back(event: Event) -> bool:
    """Whether it moves a thing that comes back by itself when the hand or the foot leaves it: a pedal under which notes
    ring on, bend, the pressure of a channel."""
    status = event.status
    if status < PROGRAM:
        return status >= CONTROL and event.data1 in HOLD_PEDALS
    return PRESSURE <= status < SYSEX


def is_at_rest(event: Event) -> bool:
    """Whether nothing of a thing that :func:`springs_back` is felt: a pedal is up, bend in the middle, no pressure."""
    status = event.status
    if status < PROGRAM:
        return event.data2 < DOWN
    return event.data1 == 0 and (status < BEND or event.data2 == _MIDDLE)


def is_pedal(key: int) -> bool:
    """Whether a :func:`held_key` is that of a pedal."""
    return key >> 7 < PROGRAM


def held_key(event: Event) -> int:
    """Which thing on which channel an event moves that :func:`springs_back`, as one number."""
    status = event.status
    return status << 7 | event.data1 if status < PROGRAM else status << 7


def at_rest(held: Iterable[int], time: float) -> list[Event]:
    """What brings back some things that are held, each given by its :func:`held_key`."""
    return [Event(time, key >> 7, key & 0x7F, _MIDDLE if key >> 7 >= BEND else 0) for key in sorted(held)]
