"""Following MIDI time code: where it runs the transport runs, at the place that it says."""

from __future__ import annotations

import math
from collections.abc import Callable

from arpegon.core.document.model import ClockSettings
from arpegon.core.notes.course import Course
from arpegon.core.time.ticks import TOGETHER_SECONDS
from arpegon.core.time.timecode import PIECES, QUARTER_FRAME, RATES, CodeReader, code_or_zero
from arpegon.engine.clocks.roles import Transport

_STOPPED_QUARTERS = 8.0
_STOPPED_SECONDS = 0.1
"""After how long without a quarter frame whoever sends it stands."""
_FAR_SECONDS = 0.1
"""By how much the piece may be away before it jumps."""
_STEER = 0.25
"""How much of its distance it comes nearer with every whole code: quarter frames come a little early or late."""
_NEAR_SECONDS = 2e-5


class CodeFollower:
    """Leads an engine's transport by time code: the place is that of the code, the tempo the piece's own.

    Args:
        plan: the course of the piece, which tells the beat that falls at a second.
        nudge: lets all beats fall so much earlier.
        ahead: how much earlier the piece is to be, in seconds: what it makes leaves later by as much.
    """

    def __init__(
        self,
        transport: Transport,
        plan: Callable[[], Course],
        nudge: Callable[[float], None],
        ahead: Callable[[], float],
    ) -> None:
        self._transport = transport
        self._plan = plan
        self._nudge = nudge
        self._ahead = ahead
        self.settings = ClockSettings()
        self.reader = CodeReader()
        self._last = -math.inf
        self._runs = False
        self._apart: list[float] = []
        """How far the piece was behind at the last quarter frames, in seconds."""

    @property
    def on(self) -> bool:
        """Whether time code is followed."""
        return self.settings.follow and self.settings.by == "code"

    @property
    def state(self) -> str:
        """``code-waiting`` (none has come), ``code-running`` or ``code-stands``."""
        if self._runs:
            return "code-running"
        return "code-stands" if self.reader.rate is not None else "code-waiting"

    def configure(self, settings: ClockSettings) -> None:
        """Follow as the document says."""
        before, self.settings = self.settings, settings
        if settings.differs(before, ("follow", "by", "port", "code_start")):
            self.reader = CodeReader()
            self._apart, self._runs, self._last = [], False, -math.inf

    def takes(self, port: str) -> bool:
        """Whether the messages of an input are followed."""
        return self.on and self.settings.port in ("", port)

    def message(self, message: bytes, time: float) -> None:
        """A message of time code."""
        if message[0] == QUARTER_FRAME:
            held_up, self._last = time - self._last < TOGETHER_SECONDS, time
            second = self.reader.quarter(message[1])
            if second is not None and not held_up:  # that one did not fall when it came
                self._meet(self._beat_of(second + self._ahead()), time)
        else:
            second = self.reader.full(message)
            if second is not None and not self._runs:
                self._transport.locate(time, max(0.0, self._beat_of(second)))

    def due(self) -> float:
        """When whoever sends it stands, if nothing more comes."""
        if not self._runs or self.reader.rate is None:
            return math.inf
        return self._last + max(_STOPPED_SECONDS, _STOPPED_QUARTERS * 0.25 / self.reader.rate.real)

    def miss(self, time: float) -> None:
        """It no longer comes: the transport stands, too."""
        self._runs, self._apart = False, []
        self.reader.forget()
        if self._transport.clock.playing:
            self._transport.halt(time)

    def _beat_of(self, second: float) -> float:
        """The beat that falls at a second of the code; before the start of the piece it is negative."""
        rate = self.reader.rate or RATES[self.settings.code_rate]
        start = code_or_zero(self.settings.code_start, rate).second(rate)
        plan = self._plan()
        inside = second - start
        return plan.beat_at(inside) if inside >= 0 else inside * plan.tempo_at(0.0) / 60.0

    def _meet(self, beat: float, time: float) -> None:
        """The code is at a beat: the piece begins there, jumps there, or comes a little nearer."""
        clock = self._transport.clock
        if beat < 0:  # the piece has not begun
            if self._runs and clock.playing:
                self._transport.stop(time)
            self._runs = False
            return
        if not self._runs or not clock.playing:
            self._runs, self._apart = True, []
            self._transport.play(time, beat)
            return
        behind = (beat - clock.beat_at(time)) * 60.0 / clock.tempo
        if abs(behind) > _FAR_SECONDS:
            self._apart = []
            self._transport.locate(time, beat)
            return
        self._apart.append(behind)
        if len(self._apart) == PIECES:
            mean, self._apart = sum(self._apart) / PIECES, []
            if abs(mean) > _NEAR_SECONDS:
                self._nudge(_STEER * mean)
