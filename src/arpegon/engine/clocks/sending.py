"""Sending a MIDI clock to outputs: ticks with the transport, and where it starts and stops."""

from __future__ import annotations

import math
from collections.abc import Sequence

from arpegon.core.events import SYSEX, Event
from arpegon.core.time.ticks import CONTINUE, PER_QUARTER, POSITION, START, STOP, TICK
from arpegon.engine.clocks.roles import ClockRule, Send, Transport

_NEAR = 1e-6
_MAX_SIXTEENTHS = 0x3FFF


class ClockSender:
    """Sends 24 ticks a quarter to the outputs that are named, while the transport runs.

    Args:
        rule: which of them runs, and the beat from which it counts. One that does not is sent ticks too: what hangs on
            the tempo alone goes on.
    """

    def __init__(self, transport: Transport, send: Send, rule: ClockRule) -> None:
        self._transport = transport
        self._send_to = send
        self._rule = rule
        self.ports: Sequence[str] = ()
        self._run = 0
        self._doing: dict[str, tuple[bool, float]] = {}
        """What the rule last said of each output."""
        self._beginning: dict[int, list[tuple[str, int]]] = {}
        """Who starts or goes on with a tick to come."""

    def configure(self, ports: Sequence[str], time: float) -> None:
        """Send to these outputs; one that is left out is told to stop."""
        gone = [port for port in self.ports if port not in ports]
        playing = self._transport.clock.playing
        if playing and gone:
            self._send(gone, time, STOP)
        began, self.ports = not self.ports and bool(ports), ports
        if playing and began:
            self.start(self._transport.clock.beat_at(time), time)

    def start(self, beat: float, time: float) -> None:
        """The transport starts at a beat: before it (while bars are counted) nothing is sent."""
        self._run += 1
        self._beginning.clear()
        if not self.ports:
            return
        self._doing = {port: self._rule(port) for port in self.ports}
        self._schedule(min(self._set_off(port, beat, time) for port in self.ports), self._run)

    def stop(self, time: float) -> None:
        """The transport stops."""
        self._run += 1
        self._send(self.ports, time, STOP)

    def turn(self, beat: float, time: float) -> None:
        """The rule may be another one from a beat on, which is still to come."""
        for port in self.ports:
            before, now = self._doing.get(port), self._rule(port)
            if before is None or before == now:
                continue
            self._doing[port] = now
            for begins in self._beginning.values():
                begins[:] = [one for one in begins if one[0] != port]
            if before[0]:
                self._send([port], time, STOP)
            self._set_off(port, beat, time)

    def _set_off(self, port: str, beat: float, time: float) -> int:
        """Have an output start, or go on from a beat, if it runs; the first tick that it then counts."""
        runs, base = self._doing[port]
        first = max(0, math.ceil(beat * PER_QUARTER - _NEAR))
        if not runs:
            return first
        inside = first - round(base * PER_QUARTER)
        if inside <= 0:
            self._beginning.setdefault(first - inside, []).append((port, START))
            return first - inside
        # Receivers go on at sixteenths: they are sent to the next one, and start there.
        sixteenth = math.ceil(inside / 6)
        self._position(port, min(sixteenth, _MAX_SIXTEENTHS), time)
        begins = first - inside + 6 * sixteenth
        self._beginning.setdefault(begins, []).append((port, CONTINUE))
        return begins

    def _schedule(self, tick: int, run: int) -> None:
        def send(time: float) -> None:
            if run == self._run:
                for port, status in self._beginning.pop(tick, ()):
                    self._send([port], time, status)
                self._send(self.ports, time, TICK)
                self._schedule(tick + 1, run)

        self._transport.transport.at_beat(tick / PER_QUARTER, send)

    def _position(self, port: str, sixteenth: int, time: float) -> None:
        payload = bytes((POSITION, sixteenth & 0x7F, sixteenth >> 7))
        self._send_to(port, [Event(time, SYSEX, payload=payload)])

    def _send(self, ports: Sequence[str], time: float, status: int) -> None:
        for port in ports:
            self._send_to(port, [Event(time, SYSEX, payload=bytes((status,)))])
