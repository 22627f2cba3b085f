"""MIDI time code: hours, minutes, seconds and frames, and the messages that carry them.

After *MIDI Time Code* of the MIDI Manufacturers Association (1987; part of the MIDI 1.0 Detailed Specification): a
whole code is sent in eight quarter frames, of which the first falls on the frame that is named, so it takes two frames;
a full frame says at once where a transport that stands is.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

QUARTER_FRAME = 0xF1
PIECES = 8
"""Quarter frames of a whole code."""
_FULL_FRAME = (0xF0, 0x7F)
_FULL_FRAME_KIND = (0x01, 0x01)
_ALL_DEVICES = 0x7F
_TEXT = re.compile(r"^\s*(\d{1,2}):(\d{1,2}):(\d{1,2})(?:[:;.](\d{1,2}))?\s*$")
_DAY_HOURS = 24


class FrameRate(msgspec.Struct, frozen=True):
    """How many frames a second has; ``number`` is that of the messages.

    ``counted`` is how many a counted second has. Where frames are dropped, the numbers 0 and 1 are left out at every
    minute but each tenth, so that 30 counted frames keep step with 29.97 real ones.
    """

    number: int
    counted: int
    real: float
    drops: bool = False


RATES = {
    "24": FrameRate(0, 24, 24.0),
    "25": FrameRate(1, 25, 25.0),
    "29.97": FrameRate(2, 30, 30_000.0 / 1001.0, drops=True),
    "30": FrameRate(3, 30, 30.0),
}
"""Frame rates by what they are called."""
_BY_NUMBER = {rate.number: rate for rate in RATES.values()}


class TimeCode(msgspec.Struct, frozen=True, order=True):
    """A place as it is counted."""

    hours: int = 0
    minutes: int = 0
    seconds: int = 0
    frames: int = 0

    def __str__(self) -> str:
        return f"{self.hours:02}:{self.minutes:02}:{self.seconds:02}:{self.frames:02}"

    def count(self, rate: FrameRate) -> int:
        """How many frames have gone by since 00:00:00:00."""
        minutes = 60 * self.hours + self.minutes
        counted = (60 * minutes + self.seconds) * rate.counted + self.frames
        return counted - 2 * (minutes - minutes // 10) if rate.drops else counted

    def second(self, rate: FrameRate) -> float:
        """When it falls, in seconds since 00:00:00:00."""
        return self.count(rate) / rate.real


def code_of(count: int, rate: FrameRate) -> TimeCode:
    """The code of a frame that is counted from 0 on; after 24 hours it begins anew."""
    if rate.drops:
        tens, rest = divmod(count, 10 * 60 * 30 - 18)
        count += 18 * tens + 2 * max(0, (rest - 2) // (60 * 30 - 2))
    seconds, frames = divmod(count, rate.counted)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    return TimeCode(hours % _DAY_HOURS, minutes, seconds, frames)


def code_from(text: str, rate: FrameRate) -> TimeCode | None:
    """A code as it is typed, ``hh:mm:ss:ff`` or ``hh:mm:ss``; ``None`` where there is none such."""
    found = _TEXT.match(text)
    if found is None:
        return None
    code = TimeCode(*(int(part or 0) for part in found.groups()))
    if code.hours >= _DAY_HOURS or code.minutes > 59 or code.seconds > 59 or code.frames >= rate.counted:
        return None
    if rate.drops and code.frames < 2 and code.seconds == 0 and code.minutes % 10:
        return None  # a number that is left out
    return code


def code_or_zero(text: str, rate: FrameRate) -> TimeCode:
    """A code as it is typed; 00:00:00:00 where there is none such at this rate."""
    return code_from(text, rate) or TimeCode()


def quarter_frame(code: TimeCode, piece: int, rate: FrameRate) -> bytes:
    """One of the eight messages of a code."""
    value = (code.frames, code.seconds, code.minutes, code.hours | rate.number << 5)[piece // 2]
    return bytes((QUARTER_FRAME, piece << 4 | (value >> 4 if piece % 2 else value & 0x0F)))


def full_frame(code: TimeCode, rate: FrameRate) -> bytes:
    """The message that says at once where a transport is."""
    hours = code.hours | rate.number << 5
    return bytes((*_FULL_FRAME, _ALL_DEVICES, *_FULL_FRAME_KIND, hours, code.minutes, code.seconds, code.frames, 0xF7))


def is_time_code(message: Sequence[int]) -> bool:
    """Whether a message belongs to MIDI time code."""
    if not message:
        return False
    if message[0] == QUARTER_FRAME:
        return len(message) == 2
    return len(message) == 10 and tuple(message[:2]) == _FULL_FRAME and tuple(message[3:5]) == _FULL_FRAME_KIND


class CodeReader:
    """Finds where a transport is in the messages of its time code."""

    def __init__(self) -> None:
        self.rate: FrameRate | None = None
        """Of the last whole code; ``None`` before there was one."""
        self._values: list[int] = []
        self._second: float | None = None
        """Of the last quarter frame, once a whole code was read."""

    def forget(self) -> None:
        """What comes next does not go on from what came before."""
        self._values, self._second = [], None

    def full(self, message: Sequence[int]) -> float | None:
        """The second that a full frame says; ``None`` where its numbers make no sense."""
        self.forget()
        return self._whole(message[5], message[6], message[7], message[8])

    def quarter(self, data: int) -> float | None:
        """The second at which a quarter frame falls; ``None`` while it is not known."""
        piece, value = data >> 4, data & 0x0F
        if piece != len(self._values) % PIECES:  # one is missing, or it runs backwards
            self.forget()
            if piece:
                return None
        if piece == 0:
            self._values = []
        self._values.append(value)
        if self._second is not None and self.rate is not None:
            self._second += 0.25 / self.rate.real
        if len(self._values) == PIECES:
            low, high = self._values[::2], self._values[1::2]
            frames, seconds, minutes, hours = (units | tens << 4 for units, tens in zip(low, high, strict=True))
            begun = self._whole(hours, minutes, seconds, frames)
            if begun is None or self.rate is None:
                self.forget()
            else:
                self._second = begun + (PIECES - 1) * 0.25 / self.rate.real
        return self._second

    def _whole(self, hours: int, minutes: int, seconds: int, frames: int) -> float | None:
        rate = _BY_NUMBER[hours >> 5 & 3]
        code = TimeCode(hours & 0x1F, minutes, seconds, frames)
        if code.hours >= _DAY_HOURS or minutes > 59 or seconds > 59 or frames >= rate.counted:
            return None
        self.rate = rate
        return code.second(rate)
