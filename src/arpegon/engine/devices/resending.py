"""What is said again where a period may have been lost on the way."""

from __future__ import annotations

from collections import Counter, deque

from arpegon.core.events import CONTROL, NOTE_OFF, NOTE_ON, POLY_PRESSURE, PROGRAM, SYSEX
from arpegon.engine.devices.steady import since

_STEPS = (96, 97)
"""Controllers that count up and down: said again they count once more."""
_BANK, _PARAMETER = (0, 32), (98, 99, 100, 101)
_DATA = ((CONTROL, 6), (CONTROL, 38))
_CHOSEN_BY = dict.fromkeys(_BANK, ((PROGRAM,),)) | dict.fromkeys(_PARAMETER, _DATA)
"""What is set of the thing that a controller chooses: said again after the next was chosen, it would set that one."""
_MODE_MESSAGES = 120
"""Controllers from here on end notes (all notes off and the like)."""


class Resending:
    """Keeps what ends notes and sets values for a while, as a receiver that misses a note off plays on for ever.

    To say it again does no harm as long as nothing has begun since that it would end.
    """

    def __init__(self) -> None:
        self._recent: deque[tuple[int, bytes]] = deque()
        self._open: Counter[tuple[int, int]] = Counter()
        """How many notes were begun and not ended, by channel and number."""

    def sent(self, frame: int, message: bytes) -> None:
        """A message leaves at a frame, or has left then."""
        kind, channel = message[0] & 0xF0, message[0] & 0x0F
        if kind == NOTE_ON and message[2]:
            self._open[channel, message[1]] += 1
            return
        if kind in (NOTE_OFF, NOTE_ON):
            self._open[channel, message[1]] -= 1
            if self._open[channel, message[1]] <= 0:
                del self._open[channel, message[1]]
        elif kind == SYSEX or (kind == CONTROL and message[1] in _STEPS):
            return
        self._recent.append((frame, message))

    def forget(self, frame: int) -> None:
        """Forget what left before a frame."""
        while self._recent and since(self._recent[0][0], frame) < 0:
            self._recent.popleft()

    def again(self, frame: int) -> list[bytes]:
        """What a receiver must not have missed, if what left before a frame was lost.

        It is kept as if it left at this frame only: that may be lost as well.
        """
        latest: dict[tuple[int, ...], bytes] = {}
        coming = []
        for at, message in self._recent:
            if since(at, frame) < 0:
                channel, *what = address = _address(message)
                for other in _CHOSEN_BY.get(message[1], ()) if what[0] == CONTROL else ():
                    latest.pop((channel, *other), None)
                latest.pop(address, None)  # so that all stay in the order in which they were said last
                latest[address] = message
            else:
                coming.append((at, message))
        ends = {(message[0] & 0x0F, message[1]) for _, message in coming if _ends_a_note(message)}
        sounding = ends | self._open.keys()
        messages = [message for message in latest.values() if _ends_none_of(message, sounding)]
        self._recent = deque([*((frame, message) for message in messages), *coming])
        return messages


def _ends_a_note(message: bytes) -> bool:
    return message[0] & 0xF0 in (NOTE_OFF, NOTE_ON)


def _address(message: bytes) -> tuple[int, ...]:
    """Of what a message is the latest word: a channel, and a note, a controller …"""
    kind, channel = message[0] & 0xF0, message[0] & 0x0F
    if _ends_a_note(message):
        return channel, NOTE_OFF, message[1]
    return (channel, kind, message[1]) if kind in (CONTROL, POLY_PRESSURE) else (channel, kind)


def _ends_none_of(message: bytes, notes: set[tuple[int, int]]) -> bool:
    """Whether a message ends none of these notes, each of a channel and a number."""
    channel = message[0] & 0x0F
    if _ends_a_note(message):
        return (channel, message[1]) not in notes
    return message[0] & 0xF0 != CONTROL or message[1] < _MODE_MESSAGES or all(other != channel for other, _ in notes)
