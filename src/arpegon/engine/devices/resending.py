"""What is said again where a period may have been lost on the way."""

from __future__ import annotations

from collections import Counter, deque

from arpegon.core.events import CONTROL, NOTE_OFF, NOTE_ON

_MODE_MESSAGES = 120
"""Controllers from here on end notes (all notes off and the like)."""


class Resending:
    """Keeps what ends notes and sets values for some periods, as a receiver that misses a note off plays on for ever.

    To say it again does no harm as long as nothing has begun since that it would end.

    Args:
        periods: for how many periods things are kept.
    """

    def __init__(self, periods: int) -> None:
        self._periods = periods
        self._recent: deque[tuple[int, bytes]] = deque()
        self._open: Counter[tuple[int, int]] = Counter()
        """How many notes were begun and not ended, by channel and number."""

    def sent(self, period: int, message: bytes) -> None:
        """A message left in a period (a number that grows)."""
        kind, channel = message[0] & 0xF0, message[0] & 0x0F
        if kind == NOTE_ON and message[2]:
            self._open[channel, message[1]] += 1
            return
        if kind in (NOTE_OFF, NOTE_ON):
            self._open[channel, message[1]] -= 1
            if self._open[channel, message[1]] <= 0:
                del self._open[channel, message[1]]
        elif kind != CONTROL:
            return
        self._recent.append((period, message))
        self._forget(period)

    def _forget(self, period: int) -> None:
        while self._recent and self._recent[0][0] <= period - self._periods:
            self._recent.popleft()

    def again(self, period: int) -> list[bytes]:
        """What a receiver must not have missed, if what left in the periods before this one was lost.

        It is kept as if it had left in this period only: that may be lost as well.
        """
        self._forget(period)
        latest = {(message[0] & 0x0F, message[0] & 0xF0 == CONTROL, message[1]): message for _, message in self._recent}
        messages = [message for message in latest.values() if self._harmless(message)]
        self._recent = deque((period, message) for message in messages)
        return messages

    def _harmless(self, message: bytes) -> bool:
        channel = message[0] & 0x0F
        if message[0] & 0xF0 != CONTROL:
            return (channel, message[1]) not in self._open
        return message[1] < _MODE_MESSAGES or all(sounding != channel for sounding, _ in self._open)
