"""The ways into a strand and out of it: gates, connections, and the outlets that all strands share.

Each keeps its own book of notes, so that whatever closes lets go of exactly what it let through.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

from arpegon.core.document.model import AnySource
from arpegon.core.events import (
    ALL_NOTES_OFF,
    ALL_SOUND_OFF,
    CONTROL,
    NOTE_OFF,
    NOTE_ON,
    PROGRAM,
    SUSTAIN,
    SYSEX,
    Event,
    control,
)
from arpegon.core.notes.later import Later
from arpegon.core.notes.ledger import NoteLedger
from arpegon.core.notes.pressed import DOWN, Pressed, lifts
from arpegon.engine.graph.feeds import ALL_INPUTS, FROM_STRANDS, is_live, is_past

RESET_CONTROLLERS = 121


class Gate:
    """The way into a strand: lets through what lies in its zone, and the ends of what it let through, pedals too.

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
                if kind == CONTROL and event.data1 == SUSTAIN:
                    here = here or (status & 0x0F in held.pedals and event.data2 < DOWN)
                    if here:
                        held.pedal(event)
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
    def pedals(self) -> set[int]:
        """The channels on which it let a sustain pedal go down."""
        return self._held.pedals

    def release(self, time: float, pressed: Collection[int] = ()) -> list[Event]:
        """The ends of whatever it let in and still waits for: notes, and the pedals of channels on which none is
        ``pressed`` elsewhere."""
        self._held.pedals.difference_update(pressed)
        return self._held.release(time)


class Connection:
    """The connection of one strand to one of its destinations."""

    __slots__ = ("channel", "delay", "direct", "fade", "holder", "later", "outlet", "silent")

    def __init__(self, outlet: str, holder: int) -> None:
        self.outlet = outlet
        self.holder = 2 * holder
        self.direct = 2 * holder + 1
        self.channel: int | None = None
        self.silent = False
        self.fade: list[int] | None = None
        """What each velocity becomes there; 0 is not struck."""
        self.delay = 0.0
        """Seconds by which it is sent later."""
        self.later = Later()

    def take(self, events: Sequence[Event], until: float) -> Sequence[Event]:
        """What is sent by now, of what comes and of what waits."""
        if not self.delay and not self.later:
            return events
        self.later.put(events, self.delay)
        return self.later.take(until)


class Outlet:
    """The one way out to an instrument or port: the last ledger, shared by all strands that end there.

    Each strand's connection has a holder number, so that two strands on one note hold it both, and one that is
    muted or removed lets go of its own share only.
    """

    __slots__ = ("_ledger", "_out", "_pedals")

    def __init__(self) -> None:
        self._ledger = NoteLedger()
        self._pedals: set[tuple[int, int, int]] = set()
        """The sustain pedals that are down: holder, channel, and the channel of the strand on which they went down."""
        self._out: list[Event] = []

    def deliver(self, connection: Connection, events: Sequence[Event], direct: bool = False) -> None:
        """Take events of a strand's connection; ``direct`` ones (a take) are held apart from what the strand sends."""
        holder = connection.direct if direct else connection.holder
        channel, silent, fade = connection.channel, connection.silent, None if direct else connection.fade
        append = self._out.append

        def strike(event: Event) -> Sequence[Event]:
            if silent:
                return ()
            if fade is not None:
                velocity = fade[event.data2]
                if not velocity:
                    return ()
                event = Event(event.time, event.status, event.data1, velocity)
            if channel is None or channel == event.status & 0x0F:
                return (event,)
            return (Event(event.time, NOTE_ON | channel, event.data1, event.data2),)

        notes: list[Event] = []
        for event in events:
            status = event.status
            if status < CONTROL:
                notes.append(event)
                continue
            if notes:
                self._ledger.run(notes, strike, self._out, base=holder << 11, strays=False)
                notes = []
            if status < PROGRAM and event.data1 == SUSTAIN and not self._pedal(event, holder, channel, silent):
                continue
            if channel is None or status & 0x0F == channel or status >= SYSEX:
                append(event)
            else:
                append(Event(event.time, status & 0xF0 | channel, event.data1, event.data2))
        if notes:
            self._ledger.run(notes, strike, self._out, base=holder << 11, strays=False)

    def _pedal(self, event: Event, holder: int, channel: int | None, silent: bool) -> bool:
        """Know whose pedals are down; whether this one is heard."""
        down = event.data2 >= DOWN
        if silent and down:
            return False
        pedal = holder, event.channel if channel is None else channel, event.channel
        (self._pedals.add if down else self._pedals.discard)(pedal)
        return True

    def pedals(self, connection: Connection) -> set[int]:
        """The channels of a strand on which it holds a sustain pedal down here."""
        return {channel for holder, _, channel in self._pedals if holder == connection.holder}

    def release(self, connection: Connection, time: float, direct: bool | None = None) -> None:
        """Let go of a connection's notes and pedals (only of its ``direct`` ones, only of the others, or of both)."""
        holders = (
            {connection.holder, connection.direct}
            if direct is None
            else {connection.direct if direct else connection.holder}
        )
        for key in self._ledger.keys:
            if key >> 11 in holders:
                self._ledger.end(key, time, self._out)
        gone = {pedal for pedal in self._pedals if pedal[0] in holders}
        self._pedals -= gone
        self._out += lifts({channel for _, channel, _ in gone}, time)

    def silence(self, time: float, panic: bool) -> None:
        """End everything; in a ``panic`` tell all channels so, whatever the ledger knows."""
        self._ledger.release(time, self._out)
        self._out += lifts({channel for _, channel, _ in self._pedals}, time)
        self._pedals.clear()
        if panic:
            self._out += silence(time)

    @property
    def sounding(self) -> int:
        """How many notes it has started and not ended."""
        return len(self._ledger)

    def take(self) -> list[Event]:
        """What is to be sent now, in order."""
        out, self._out = self._out, []
        return out


def silence(time: float) -> list[Event]:
    """What tells a device to end all notes on all channels, whatever it plays."""
    numbers = (SUSTAIN, ALL_NOTES_OFF, ALL_SOUND_OFF, RESET_CONTROLLERS)
    return [control(time, channel, number, 0) for channel in range(16) for number in numbers]


def on_channel(event: Event, channel: int) -> Event:
    """The event on another channel."""
    if event.status >= SYSEX or event.status & 0x0F == channel:
        return event
    return Event(event.time, event.status & 0xF0 | channel, event.data1, event.data2)
