"""The ways out of the strands: connections, and the outlets that all strands share.

Each outlet keeps one book of what is held there and by whom, so that whoever closes lets go of exactly its own share.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from itertools import count, groupby
from typing import Protocol

from arpegon.core.events import (
    ALL_NOTES_OFF,
    ALL_SOUND_OFF,
    CONTROL,
    NOTE_ON,
    SUSTAIN,
    SYSEX,
    Event,
    control,
)
from arpegon.core.notes.later import Later
from arpegon.core.notes.ledger import NoteLedger
from arpegon.core.notes.pressed import at_rest, held_key, is_at_rest, is_pedal, springs_back

RESET_CONTROLLERS = 121


class Devices(Protocol):
    """Where the outlets' events go."""

    def port(self, port: str, events: Sequence[Event]) -> None:
        """Send to a MIDI output (empty name: Arpegon's own)."""

    def instrument(self, instrument: str, events: Sequence[Event]) -> None:
        """Play on a built-in instrument."""


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
    muted or removed lets go of its own share only; so of a pedal, bend and pressure.
    """

    __slots__ = ("_held", "_ledger", "_out")

    def __init__(self) -> None:
        self._ledger = NoteLedger()
        self._held: set[tuple[int, int, int]] = set()
        """What is held besides notes: the holder, and what it is as it was sent and as the strand knows it."""
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
            if springs_back(event) and not self._hold(event, holder, channel, silent):
                continue
            if channel is None or status & 0x0F == channel or status >= SYSEX:
                append(event)
            else:
                append(Event(event.time, status & 0xF0 | channel, event.data1, event.data2))
        if notes:
            self._ledger.run(notes, strike, self._out, base=holder << 11, strays=False)

    def _hold(self, event: Event, holder: int, channel: int | None, silent: bool) -> bool:
        """Know who holds what besides notes; whether this is heard: the pedal of a silent strand moves none."""
        own = held_key(event)
        one = holder, own if channel is None else held_key(on_channel(event, channel)), own
        if is_at_rest(event):
            self._held.discard(one)
            # A pedal comes up once nobody holds it down there, as a note ends with its last key.
            return not (is_pedal(own) and one[1] in self._sent)
        if silent and is_pedal(own):
            return False
        self._held.add(one)
        return True

    @property
    def _sent(self) -> set[int]:
        """What anybody holds besides notes, as it was sent."""
        return {sent for _, sent, _ in self._held}

    def lift(self, connection: Connection, time: float) -> None:
        """Bring back what a connection holds besides notes: it sends on another channel from now on."""
        self._bring_back({one for one in self._held if one[0] in (connection.holder, connection.direct)}, time)

    def spare_held(self) -> None:
        """Of what strands let go of, which is to be sent, leave out what brings back something that somebody holds."""
        held = self._sent

        def spared(event: Event) -> bool:
            return springs_back(event) and is_at_rest(event) and held_key(event) in held

        if held:
            self._out = [event for event in self._out if not spared(event)]

    def held(self, connection: Connection) -> set[int]:
        """What a strand holds here besides notes, as it knows it."""
        return {own for holder, _, own in self._held if holder == connection.holder}

    def release(self, connection: Connection, time: float, direct: bool | None = None, *, mute: bool = False) -> None:
        """Let go of a connection's notes and of what else it holds.

        Args:
            connection: whose they are.
            time: when.
            direct: only of its direct ones, only of the others, or of both.
            mute: only of notes and pedals, as all else still passes.
        """
        holders = (
            {connection.holder, connection.direct}
            if direct is None
            else {connection.direct if direct else connection.holder}
        )
        for key in self._ledger.keys:
            if key >> 11 in holders:
                self._ledger.end(key, time, self._out)
        self._bring_back({one for one in self._held if one[0] in holders and (is_pedal(one[1]) or not mute)}, time)

    def _bring_back(self, gone: set[tuple[int, int, int]], time: float) -> None:
        """Hold these things no longer: what nobody else holds comes to rest."""
        self._held -= gone
        self._out += at_rest({sent for _, sent, _ in gone} - self._sent, time)

    def silence(self, time: float, panic: bool) -> None:
        """End everything; in a ``panic`` tell all channels so, whatever the ledger knows."""
        self._ledger.release(time, self._out)
        self._out += at_rest(self._sent, time)
        self._held.clear()
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


class Outlets:
    """All outlets, by their names: ``instrument:`` and ``port:`` with what stands behind them."""

    def __init__(self, devices: Devices) -> None:
        self._devices = devices
        self._outlets: dict[str, Outlet] = {}
        self._holders = count(1)

    def connection(self, name: str) -> Connection:
        """A new connection to an outlet, which is made where it is the first."""
        self._outlets.setdefault(name, Outlet())
        return Connection(name, next(self._holders))

    def deliver(self, arrivals: Mapping[str, Sequence[tuple[Connection, Sequence[Event]]]]) -> None:
        """Take what arrived at each outlet, by several connections, in order of time."""
        for name, runs in arrivals.items():
            outlet = self._outlets[name]
            if len(runs) == 1:
                outlet.deliver(*runs[0])
                continue
            merged = [(event.time, place, event) for place, (_, events) in enumerate(runs) for event in events]
            merged.sort(key=lambda entry: entry[0])
            for place, run in groupby(merged, key=lambda entry: entry[1]):
                outlet.deliver(runs[place][0], [event for _, _, event in run])

    def deliver_direct(self, connections: Iterable[Connection], events: Sequence[Event]) -> None:
        """Take events of a take by some connections; they are held apart from what comes there otherwise."""
        for connection in connections if events else ():
            self._outlets[connection.outlet].deliver(connection, events, direct=True)

    def release(
        self, connections: Iterable[Connection], time: float, direct: bool | None = None, *, mute: bool = False
    ) -> None:
        """Let go of what connections hold (see :meth:`Outlet.release`)."""
        for connection in connections:
            self._outlets[connection.outlet].release(connection, time, direct, mute=mute)

    def lift(self, connection: Connection, time: float) -> None:
        """Bring back what a connection holds besides notes (see :meth:`Outlet.lift`)."""
        self._outlets[connection.outlet].lift(connection, time)

    def held(self, connections: Iterable[Connection]) -> set[int]:
        """What a strand holds by its connections besides notes, as it knows it."""
        return set().union(*(self._outlets[connection.outlet].held(connection) for connection in connections))

    def silence(self, time: float, panic: bool) -> None:
        """End everything (see :meth:`Outlet.silence`)."""
        for outlet in self._outlets.values():
            outlet.silence(time, panic)

    def spare_held(self) -> None:
        """Of what strands let go of, leave out what others hold down (see :meth:`Outlet.spare_held`)."""
        for outlet in self._outlets.values():
            outlet.spare_held()

    def flush(self) -> None:
        """Hand what waits on to the devices."""
        for name, outlet in self._outlets.items():
            events = outlet.take()
            if events:
                kind, _, target = name.partition(":")
                send = self._devices.instrument if kind == "instrument" else self._devices.port
                send(target, events)

    @property
    def sounding(self) -> int:
        """Notes that were started at all outlets and not yet ended."""
        return sum(outlet.sounding for outlet in self._outlets.values())


def silence(time: float) -> list[Event]:
    """What tells a device to end all notes on all channels, whatever it plays."""
    numbers = (SUSTAIN, ALL_NOTES_OFF, ALL_SOUND_OFF, RESET_CONTROLLERS)
    return [control(time, channel, number, 0) for channel in range(16) for number in numbers]


def on_channel(event: Event, channel: int) -> Event:
    """The event on another channel."""
    if event.status >= SYSEX or event.status & 0x0F == channel:
        return event
    return Event(event.time, event.status & 0xF0 | channel, event.data1, event.data2)
