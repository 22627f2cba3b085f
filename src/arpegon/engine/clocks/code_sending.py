"""Sending MIDI time code to outputs: quarter frames while the transport runs, and where it is when it stands."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from arpegon.core.document.model import ClockSettings
from arpegon.core.events import SYSEX, Event
from arpegon.core.notes.course import Course
from arpegon.core.time.timecode import PIECES, RATES, code_of, code_or_zero, full_frame, quarter_frame
from arpegon.engine.clocks.roles import Scheduler, Send

_NEAR = 1e-6


class CodeSender:
    """Sends time code, which counts real seconds from the start of the piece on.

    Args:
        plan: the course of the piece, which tells at which second a beat falls.
    """

    def __init__(self, scheduler: Scheduler, send: Send, plan: Callable[[], Course]) -> None:
        self._scheduler = scheduler
        self._send_to = send
        self._plan = plan
        self._settings = ClockSettings()
        self._run = 0
        self._zero = 0.0
        """When 00:00:00:00 would fall,"""
        self._since = 0.0
        """and since when it is sent."""

    @property
    def ports(self) -> Sequence[str]:
        """Who is sent it."""
        return self._settings.code_to

    def configure(self, settings: ClockSettings, beat: float | None, time: float) -> None:
        """Send as the document says; ``beat`` is where the transport runs (``None``: it stands)."""
        before, self._settings = self._settings, settings
        if settings.differs(before, ("code_to", "code_rate", "code_start")):
            self._run += 1
            if beat is not None:
                self.start(beat, time)

    def start(self, beat: float, time: float) -> None:
        """The transport runs from a beat on."""
        self._run += 1
        if self.ports:
            rate = RATES[self._settings.code_rate]
            frame = self._frame_of(beat)
            # A whole code takes two frames, and begins on an even one.
            first = 2 * max(0, math.ceil(frame / 2.0 - _NEAR))
            self._send(full_frame(code_of(first, rate), rate), time)
            self._zero, self._since = time - frame / rate.real, time
            self._schedule(PIECES * first // 2, self._run)

    def place(self, beat: float, time: float) -> None:
        """The transport stands at a beat, or stops there."""
        self._run += 1
        if self.ports:
            rate = RATES[self._settings.code_rate]
            self._send(full_frame(code_of(max(0, math.floor(self._frame_of(beat) + _NEAR)), rate), rate), time)

    def shift(self, seconds: float) -> None:
        """All falls so much earlier."""
        self._zero -= seconds

    def _frame_of(self, beat: float) -> float:
        rate = RATES[self._settings.code_rate]
        start = code_or_zero(self._settings.code_start, rate)
        plan = self._plan()
        second = plan.second_at(beat) if beat >= 0 else beat * 60.0 / plan.tempo_at(0.0)
        return start.count(rate) + second * rate.real

    def _schedule(self, quarter: int, run: int) -> None:
        """Send a quarter frame, counted from 00:00:00:00, when it falls."""
        rate = RATES[self._settings.code_rate]

        def send(time: float) -> None:
            if run == self._run:
                whole, piece = divmod(quarter, PIECES)
                self._send(quarter_frame(code_of(2 * whole, rate), piece, rate), time)
                self._schedule(quarter + 1, run)

        self._scheduler.at_time(max(self._since, self._zero + quarter * 0.25 / rate.real), send)

    def _send(self, message: bytes, time: float) -> None:
        for port in self.ports:
            self._send_to(port, [Event(time, SYSEX, payload=message)])
