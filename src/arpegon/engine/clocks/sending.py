"""Sending a MIDI clock to outputs: ticks with the transport, and where it starts and stops."""

from __future__ import annotations

import math
from collections.abc import Sequence

from arpegon.core.events import SYSEX, Event
from arpegon.core.time.ticks import CONTINUE, PER_QUARTER, POSITION, START, STOP, TICK
from arpegon.engine.clocks.roles import Send, Transport

_NEAR = 1e-6
_MAX_SIXTEENTHS = 0x3FFF


class ClockSender:
    """Sends 24 ticks a quarter to the outputs that are named, while the transport runs."""

    def __init__(self, transport: Transport, send: Send) -> None:
        self._transport = transport
        self._send_to = send
        self.ports: Sequence[str] = ()
        self._run = 0

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
        if not self.ports:
            return
        first = max(0, math.ceil(beat * PER_QUARTER - _NEAR))
        if first == 0:
            self._at(0, START, self._run)
        else:
            # Receivers go on at sixteenths: they are sent to the next one, and start there.
            sixteenth = math.ceil(first / 6)
            first = 6 * sixteenth
            self._position(min(sixteenth, _MAX_SIXTEENTHS), time)
            self._at(first, CONTINUE, self._run)
        self._schedule(first, self._run)

    def stop(self, time: float) -> None:
        """The transport stops."""
        self._run += 1
        self._send(self.ports, time, STOP)

    def _at(self, tick: int, status: int, run: int) -> None:
        def send(time: float) -> None:
            if run == self._run:
                self._send(self.ports, time, status)

        self._transport.transport.at_beat(tick / PER_QUARTER, send)

    def _schedule(self, tick: int, run: int) -> None:
        def send(time: float) -> None:
            if run == self._run:
                self._send(self.ports, time, TICK)
                self._schedule(tick + 1, run)

        self._transport.transport.at_beat(tick / PER_QUARTER, send)

    def _position(self, sixteenth: int, time: float) -> None:
        payload = bytes((POSITION, sixteenth & 0x7F, sixteenth >> 7))
        for port in self.ports:
            self._send_to(port, [Event(time, SYSEX, payload=payload)])

    def _send(self, ports: Sequence[str], time: float, status: int) -> None:
        for port in ports:
            self._send_to(port, [Event(time, SYSEX, payload=bytes((status,)))])
