"""What is pressed: notes, and the sustain pedals under which they ring on. Who lets go of the ones lets go of both."""

from __future__ import annotations

from arpegon.core.events import SUSTAIN, Event, control
from arpegon.core.notes.pairing import Pairing

DOWN = 64
"""From this value on a pedal is down."""


class Pressed(Pairing[bool]):
    """Notes that wait for their ends, and channels on which a sustain pedal is down.

    >>> pressed = Pressed()
    >>> pressed.pedal(control(0.0, 3, SUSTAIN, 127)); [event.channel for event in pressed.release(1.0)], bool(pressed)
    ([3], False)
    """

    __slots__ = ("pedals",)

    def __init__(self) -> None:
        super().__init__()
        self.pedals: set[int] = set()

    def pedal(self, event: Event) -> None:
        """A sustain pedal moved."""
        if event.data2 >= DOWN:
            self.pedals.add(event.channel)
        else:
            self.pedals.discard(event.channel)

    def __bool__(self) -> bool:
        return bool(self.first or self.pedals)

    def clear(self) -> None:
        super().clear()
        self.pedals.clear()

    def ends(self, time: float) -> list[Event]:
        """The note offs at ``time`` of all that waits, and the lifts of all pedals; they go on waiting."""
        return [*super().ends(time), *lifts(self.pedals, time)]


def lifts(channels: set[int], time: float) -> list[Event]:
    """What lifts the sustain pedals on some channels."""
    return [control(time, channel, SUSTAIN, 0) for channel in sorted(channels)]
