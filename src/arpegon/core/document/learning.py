"""Finding out which control is moved on purpose."""

from __future__ import annotations

from arpegon.core.document.model import Hookup
from arpegon.core.events import BEND, CONTROL, NOTE_OFF, NOTE_ON, POLY_PRESSURE, PRESSURE, PROGRAM, Event
from arpegon.core.processing.values import LOW_HALF, coarse

_WIDE = 10.0
"""How far a control must have moved, of 127: a trembling one stays within two or three."""
_JUMP = 40.0
"""A single value that far from the last one is a pedal or button, not a tremble."""
_TOGETHER_SECONDS = 0.02
"""Within which both halves come."""
_STRIKE_SECONDS = 0.6
"""A key that is let go within this time was struck, whatever its pressure did."""


class Learner:
    """Takes everything that comes in, and says which control was meant.

    A note counts when its key is let go: at once where it was only struck; where it was held, and pressed while it
    was held, the pressure was meant.
    """

    def __init__(self) -> None:
        self._seen: dict[tuple[str, str, int, int], tuple[float, float, float]] = {}
        self._keys: dict[tuple[str, int, int], float] = {}
        self._last: tuple[str, int, int, float] | None = None
        """The last controller: its feed, channel and number, and when it came."""
        self._halves: set[tuple[str, int, int]] = set()
        """Controllers that came together with the one 32 above: by feed, channel and number of the high half."""

    def take(self, feed: str, event: Event) -> Hookup | None:
        """Take an event that came in; the control (as a hookup without a target), once one was moved on purpose."""
        kind = event.status & 0xF0
        key = (feed, event.channel, event.data1)
        if kind == NOTE_ON:
            self._keys[key] = event.time
            return None
        if kind == NOTE_OFF:
            return self._let_go(feed, event, self._keys.pop(key, None))
        if kind == PROGRAM:
            return _found(feed, "program", event.channel, event.data1)
        value, control, number = _read(event)
        if value is None:
            return None
        if control == "cc":
            self._pair(feed, event)
        place = (feed, control, event.channel, number)
        low, high, last = self._seen.get(place, (value, value, value))
        jumped = abs(value - last) >= _JUMP
        low, high = min(low, value), max(high, value)
        self._seen[place] = (low, high, value)
        if control in ("pressure", "poly"):
            return None  # it is known to be meant only when the key is let go, or when no key is down
        first = low == high
        if high - low >= _WIDE or jumped or (first and value in (0.0, 127.0) and control == "cc" and number >= 64):
            if number < 2 * LOW_HALF and (feed, event.channel, number % LOW_HALF) in self._halves:
                return _found(feed, "cc14", event.channel, number % LOW_HALF)
            return _found(feed, control, event.channel, number)
        return None

    def _pair(self, feed: str, event: Event) -> None:
        """Notice two controllers that come together and lie 32 apart: they are one knob of fourteen bits."""
        last, self._last = self._last, (feed, event.channel, event.data1, event.time)
        if last is None or last[:2] != (feed, event.channel) or event.time - last[3] > _TOGETHER_SECONDS:
            return
        low, high = sorted((last[2], event.data1))
        if high - low == LOW_HALF and high < 2 * LOW_HALF:
            self._halves.add((feed, event.channel, low))

    def _let_go(self, feed: str, event: Event, struck: float | None) -> Hookup | None:
        """A key was let go: it was struck, or the pressure on it was meant."""
        if struck is None:
            return None
        if event.time - struck > _STRIKE_SECONDS:
            for control, number in (("pressure", 0), ("poly", event.data1)):
                low, high, _ = self._seen.get((feed, control, event.channel, number), (0.0, 0.0, 0.0))
                if high - low >= _WIDE:
                    return _found(feed, control, event.channel, number)
        return _found(feed, "note", event.channel, event.data1)


def _read(event: Event) -> tuple[float | None, str, int]:
    kind = event.status & 0xF0
    if kind == CONTROL:
        return float(event.data2), "cc", event.data1
    if kind == PRESSURE:
        return float(event.data1), "pressure", 0
    if kind == POLY_PRESSURE:
        return float(event.data2), "poly", event.data1
    if kind == BEND:
        return coarse(event.data2 << 7 | event.data1), "bend", 0
    return None, "", 0


def _found(feed: str, control: str, channel: int, number: int) -> Hookup:
    return Hookup(id="", control=control, number=number, channel=channel, feed=feed)  # type: ignore[arg-type]
