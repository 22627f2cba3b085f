"""What is said again where a period may have been lost on the way."""

from __future__ import annotations

from collections import Counter, deque
from itertools import takewhile

from arpegon.core.events import CONTROL, NOTE_OFF, NOTE_ON, POLY_PRESSURE, PROGRAM, SYSEX
from arpegon.engine.devices.steady import since

LOST_PERIODS = 3
"""A server that does not wait for its clients skips periods when clients come or go on a busy machine, and what left
about then may be heard never, or twice (measured: some of 4,000 while clients come and go twice a second). So it is in
doubt for so many periods after a loss."""

_STEPS = (96, 97)
"""Controllers that count up and down: said again they count once more."""
_BANK, _PARAMETER = (0, 32), (98, 99, 100, 101)
_DATA = ((CONTROL, 6), (CONTROL, 38))
_CHOSEN_BY = dict.fromkeys(_BANK, ((PROGRAM,),)) | dict.fromkeys(_PARAMETER, _DATA)
"""What is set of the thing that a controller chooses: said again after the next was chosen, it would set that one."""
_MODE_MESSAGES = 120
"""Controllers from here on end notes (all notes off and the like)."""
_SELDOM = 64
"""While the doubt lasts all is said again less and less often, up to so many periods apart: a machine that is so busy
need not be kept busier."""


class Resending:
    """Keeps what ends notes and sets values for a while, as a receiver that misses a note off plays on for ever.

    To say it again does no harm as long as nothing has begun since that it would end.
    """

    def __init__(self) -> None:
        self._recent: deque[tuple[int, bytes]] = deque()
        self._ended: dict[tuple[int, int], tuple[int, bytes]] = {}
        """The last end of each note that does not sound, by channel and number, those that ended last at the end."""
        self._rounds = 0
        """For how many periods there has been doubt, with little rest between,"""
        self._calm = 0
        """and for how many there has been none."""
        self._open: Counter[tuple[int, int]] = Counter()
        """How many notes were begun and not ended, by channel and number."""

    def sent(self, frame: int, message: bytes) -> None:
        """A message leaves at a frame, or has left then."""
        kind, channel = message[0] & 0xF0, message[0] & 0x0F
        if kind in (NOTE_OFF, NOTE_ON):
            note = (channel, message[1])
            self._ended.pop(note, None)
            if kind == NOTE_ON and message[2]:
                self._open[note] += 1
                return
            self._open[note] -= 1
            if self._open[note] <= 0:
                del self._open[note]
                self._ended[note] = (frame, message)
        elif kind == SYSEX or (kind == CONTROL and message[1] in _STEPS):
            return
        self._recent.append((frame, message))

    def rest(self, frame: int, ends_frame: int) -> None:
        """Nothing is in doubt: forget what left before a frame, and ends of notes that left before another."""
        self._calm += 1
        if self._calm > _SELDOM:
            self._rounds = 0
        while self._recent and since(self._recent[0][0], frame) < 0:
            self._recent.popleft()
        for note in list(takewhile(lambda note: since(self._ended[note][0], ends_frame) < 0, self._ended)):
            del self._ended[note]

    def begin_anew(self) -> None:
        """However long there has been doubt, all is said again in each of the next periods that are in doubt."""
        self._rounds = 0

    def again(self, frame: int, last: bool) -> list[bytes]:
        """What a receiver must not have missed, if what left before a frame was lost.

        It is kept as if it left at this frame only: that may be lost as well.

        Args:
            last: whether the doubt ends with this period. Then also the ends of notes are said that left long ago: the
                server may have been slow to tell that somebody was late.
        """
        self._rounds, self._calm = self._rounds + 1, 0
        if not (last or _is_round(self._rounds)):
            return []
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
        if last:
            for at, message in self._ended.values():
                if since(at, frame) < 0:
                    latest.setdefault(_address(message), message)
        messages = [message for message in latest.values() if _ends_none_of(message, sounding)]
        self._recent = deque([*((frame, message) for message in messages), *coming])
        return messages


def _is_round(period: int) -> bool:
    """Whether all is said again in this period of a doubt, counted from 1."""
    return period <= LOST_PERIODS or period & (period - 1) == 0 or period % _SELDOM == 0


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
