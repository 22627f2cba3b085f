"""What is said again where a period may have been lost on the way."""

from __future__ import annotations

from collections import Counter, deque

from arpegon.core.events import CONTROL, NOTE_OFF, NOTE_ON
from arpegon.engine.devices.steady import since

_STEPS = (96, 97)
"""Controllers that count up and down: said again they count once more."""
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
        elif kind != CONTROL or message[1] in _STEPS:
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
        latest: dict[tuple[int, bool, int], bytes] = {}
        coming = []
        for at, message in self._recent:
            if since(at, frame) < 0:
                latest[message[0] & 0x0F, _is_control(message), message[1]] = message
            else:
                coming.append((at, message))
        ends = {(message[0] & 0x0F, message[1]) for _, message in coming if not _is_control(message)}
        sounding = ends | self._open.keys()
        messages = [message for message in latest.values() if _ends_none(message, sounding)]
        self._recent = deque([*((frame, message) for message in messages), *coming])
        return messages


def _is_control(message: bytes) -> bool:
    return message[0] & 0xF0 == CONTROL


def _ends_none(message: bytes, sounding: set[tuple[int, int]]) -> bool:
    """Whether a message ends none of these notes, each of a channel and a number."""
    channel = message[0] & 0x0F
    if not _is_control(message):
        return (channel, message[1]) not in sounding
    return message[1] < _MODE_MESSAGES or all(other != channel for other, _ in sounding)
