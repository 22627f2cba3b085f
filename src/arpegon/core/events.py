"""What flows through a strand: channel messages, each at a time.

Channels are 0-15 here and everywhere in code; they become 1-16 only where people read them.
Inside Arpegon a note on always has a velocity of 1-127: :func:`from_bytes` turns the velocity-0
form into a note off.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

NOTE_OFF = 0x80
NOTE_ON = 0x90
POLY_PRESSURE = 0xA0
CONTROL = 0xB0
PROGRAM = 0xC0
PRESSURE = 0xD0
BEND = 0xE0
SYSEX = 0xF0

SUSTAIN = 64
HOLD_PEDALS = frozenset({SUSTAIN, 66, 69})
"""Sustain, sostenuto and hold 2: the pedals under which notes ring on when their keys are up."""
PEDALS = range(64, 70)
"""All controllers that are pedals, or switches like them: they are down or up."""
ALL_SOUND_OFF = 120
ALL_NOTES_OFF = 123

BEND_CENTRE = 8192
DEFAULT_RELEASE = 64

_LENGTHS = {PROGRAM: 2, PRESSURE: 2}
# Controllers whose order and completeness carry meaning (data entry, RPN/NRPN, banks, channel mode).
STRUCTURAL_CONTROLLERS = frozenset({0, 6, 32, 38, 96, 97, 98, 99, 100, 101}) | frozenset(range(120, 128))


class Event(msgspec.Struct, frozen=True, gc=False, array_like=True):
    """One channel message (or one system exclusive message) at a time in seconds.

    ``status`` is the MIDI status byte with the channel in its low four bits. ``payload`` is empty but
    for system exclusive, where it holds the whole message.
    """

    time: float
    status: int
    data1: int = 0
    data2: int = 0
    payload: bytes = b""

    @property
    def kind(self) -> int:
        """The status without its channel, e.g. ``NOTE_ON``."""
        return self.status & 0xF0

    @property
    def channel(self) -> int:
        """0-15."""
        return self.status & 0x0F

    @property
    def bend(self) -> int:
        """The pitch bend, -8192 ... 8191."""
        return (self.data2 << 7 | self.data1) - BEND_CENTRE

    def at(self, time: float) -> Event:
        """The same message at another time."""
        return Event(time, self.status, self.data1, self.data2, self.payload)

    def to_bytes(self) -> bytes:
        """The message as it goes over a wire."""
        status = self.status
        if status < PROGRAM or BEND <= status < SYSEX:
            return bytes((status, self.data1, self.data2))
        return self.payload or bytes((status, self.data1))


def note_on(time: float, channel: int, note: int, velocity: int) -> Event:
    """A note on; ``velocity`` is 1-127."""
    return Event(time, NOTE_ON | channel, note, velocity)


def note_off(time: float, channel: int, note: int, release: int = DEFAULT_RELEASE) -> Event:
    """A note off with its release velocity (0-127)."""
    return Event(time, NOTE_OFF | channel, note, release)


def control(time: float, channel: int, number: int, value: int) -> Event:
    """A control change."""
    return Event(time, CONTROL | channel, number, value)


def bend(time: float, channel: int, amount: int) -> Event:
    """A pitch bend of ``amount`` -8192 ... 8191."""
    value = amount + BEND_CENTRE
    return Event(time, BEND | channel, value & 0x7F, value >> 7)


def pressure(time: float, channel: int, value: int) -> Event:
    """A channel pressure (aftertouch) of 0-127."""
    return Event(time, PRESSURE | channel, value)


def from_bytes(message: Sequence[int], time: float) -> Event | None:
    """Read one raw MIDI message; ``None`` for what does not travel through strands (clock and the like)."""
    if not message:
        return None
    status = message[0]
    if status == SYSEX:
        return Event(time, SYSEX, payload=bytes(message))
    kind = status & 0xF0
    if not NOTE_OFF <= kind < SYSEX or len(message) < _LENGTHS.get(kind, 3):
        return None
    data1 = message[1] & 0x7F
    data2 = message[2] & 0x7F if _LENGTHS.get(kind, 3) == 3 else 0
    if kind == NOTE_ON and data2 == 0:
        return Event(time, NOTE_OFF | status & 0x0F, data1, DEFAULT_RELEASE)
    return Event(time, status, data1, data2)
