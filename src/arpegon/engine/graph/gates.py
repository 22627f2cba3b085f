"""Gates: the ways into a strand. Each keeps its own book of notes, and lets go of exactly what it let through."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from arpegon.core.document.model import AnySource
from arpegon.core.events import CONTROL, NOTE_OFF, NOTE_ON, SYSEX, Event
from arpegon.core.notes.pressed import Pressed, held_key, is_at_rest, springs_back
from arpegon.engine.graph.feeds import ALL_INPUTS, FROM_STRANDS, is_live, is_past


class Gate:
    """The way into a strand: lets through what lies in its zone, and the ends of what it let through: of notes, pedals,
    bend and pressure.

    A feed that merges several others (all MIDI inputs, a strand) may strike one key twice before its end;
    each strike then waits for an end of its own. Any other feed is kept in pairs here: a key that is struck
    while it is down is let go first. What comes in ``past`` the stages joins what leaves the last of them.
    """

    __slots__ = ("_held", "feed", "is_live", "merges", "past", "zone")

    def __init__(self, feed: str, zone: AnySource) -> None:
        self.feed = feed
        self.zone = zone
        self.merges = feed == ALL_INPUTS or feed.startswith((*FROM_STRANDS, "along:"))
        self.is_live = is_live(feed)
        """Whether somebody plays it now."""
        self.past = is_past(zone)
        self._held = Pressed()

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        """Append what passes."""
        held = self._held
        first, again = held.first, held.again
        zone = self.zone
        channel = zone.channel
        low, high = zone.low_key, zone.high_key
        softest, loudest = zone.low_velocity, zone.high_velocity
        append = out.append
        for event in events:
            status = event.status
            kind = status & 0xF0
            if kind >= CONTROL:
                here = channel is None or channel == status & 0x0F or kind == SYSEX
                if springs_back(event):
                    here = here or (held_key(event) in held.held and is_at_rest(event))
                    if here:
                        held.hold(event)
                if here:
                    append(event)
            elif kind == NOTE_ON:
                if (
                    low <= event.data1 <= high
                    and softest <= event.data2 <= loudest
                    and (channel is None or channel == status & 0x0F)
                ):
                    key = (status & 0x0F) << 7 | event.data1
                    if key not in first:
                        first[key] = True
                    elif self.merges:
                        held.begin(key, True)
                    else:
                        append(Event(event.time, NOTE_OFF | status & 0x0F, event.data1, 64))
                    append(event)
            elif kind == NOTE_OFF:
                key = (status & 0x0F) << 7 | event.data1
                if held.end(key) if again else first.pop(key, None):
                    append(event)
            elif (status & 0x0F) << 7 | event.data1 in first:
                append(event)  # pressure on a key

    @property
    def held(self) -> set[int]:
        """What it let through that is held besides notes (see :class:`~arpegon.core.notes.pressed.Pressed`)."""
        return self._held.held

    def release(self, time: float, held: Collection[int] = ()) -> list[Event]:
        """The ends of whatever it let in and still waits for: notes, and of what else is held, that which is not
        ``held`` elsewhere."""
        self._held.held.difference_update(held)
        return self._held.release(time)
