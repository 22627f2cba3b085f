"""Following a MIDI clock: its ticks lead the transport, its start and stop start and stop it."""

from __future__ import annotations

import math
from collections.abc import Callable

from arpegon.core.document.model import ClockSettings
from arpegon.core.time.clock import TEMPO_RANGE
from arpegon.core.time.ticks import CONTINUE, PER_QUARTER, POSITION, START, STOP, TICK, TickFilter
from arpegon.engine.clocks.roles import Transport

_LOST_TICKS = 10.0
_LOST_SECONDS = 0.5
_TOLD_SECONDS = 4.0
_FAR = 1.0
"""Beats by which the transport may be away from the clock before it jumps."""
_STEER = (0.5, 2.0)
"""How far the transport's tempo may leave the clock's to come back in step."""


class ClockFollower:
    """Leads an engine's transport by the messages of a clock.

    The transport's beat never jumps while it is near: its tempo is steered so that it meets the next tick where
    the filter expects it. Where it is far, as ticks were held up on the way while it stood still, it jumps to the beat
    that they count; but after a time without ticks, or with ones that are not followed, they count from where it is.
    After a start or continue the first tick is the beat at which it begins.

    Args:
        ahead: how much earlier the piece is to be, in seconds: what it makes leaves later by as much.
    """

    def __init__(self, transport: Transport, ahead: Callable[[], float]) -> None:
        self._transport = transport
        self._ahead = ahead
        self.settings = ClockSettings()
        self.ticks = TickFilter()
        self._armed: float | None = None
        """The beat at which the transport starts with the next tick."""
        self._place = 0.0
        """Where the clock is while it stands,"""
        self._made = 0.0
        """and up to which beat the piece was made by then."""
        self._number = 0
        """Ticks since beat 0, of the one that came last."""
        self._last = -math.inf
        self.lost = False
        self._astray = False
        """Whether ticks went by that were not counted."""
        self.odd = ""
        """What is wrong with the clock, as a sentence; empty where nothing is."""
        self._odd_since = 0.0

    @property
    def on(self) -> bool:
        """Whether a clock is followed."""
        return self.settings.leads_tempo

    @property
    def state(self) -> str:
        """``own``, ``waiting`` (no clock yet), ``running`` (it ticks) or ``lost`` (it ticked)."""
        if not self.on:
            return "own"
        if self.lost:
            return "lost"
        return "running" if self.ticks.period > 0 else "waiting"

    def configure(self, settings: ClockSettings) -> None:
        """Follow as the document says."""
        if settings.differs(self.settings, ("follow", "by", "port")):
            self.ticks.forget()
            self._armed, self.lost, self.odd, self._last = None, False, "", -math.inf
        self.settings = settings

    def takes(self, port: str) -> bool:
        """Whether the messages of an input are followed."""
        return self.on and self.settings.port in ("", port)

    def message(self, status: int, value: int, time: float) -> None:
        """A message of the clock; ``value`` counts sixteenths, for a song position."""
        if status == TICK:
            self._tick(time)
        elif status == START:
            self._armed = self._made = self._place = 0.0
        elif status == CONTINUE:
            self._armed = self._made
        elif status == POSITION:
            self._place = self._made = value / 4.0
            self._transport.locate(time, self._place)
        elif status == STOP:
            self._armed = None
            if self._transport.clock.playing:
                self._transport.stop(time)  # a clock goes on from where it stopped
                self._made = self._transport.clock.beat
                self._place = max(0.0, self._made - self._lead(self._transport.clock.tempo))

    def due(self) -> float:
        """When the clock counts as lost, if no tick comes before."""
        if not self.on or self.lost or self.ticks.period <= 0:
            return math.inf
        return self._last + max(_LOST_SECONDS, _LOST_TICKS * self.ticks.period)

    def miss(self, time: float) -> None:
        """The clock is lost: go on at its last tempo, or stop."""
        self.lost = True
        if self.settings.lost == "stop" and self._transport.clock.playing:
            self._transport.halt(time)

    def on_locate(self, beat: float) -> None:
        """The transport begins at a beat: ticks count from there."""
        self._number = round(beat * PER_QUARTER)

    def _tick(self, time: float) -> None:
        clock = self._transport.clock
        before = self.ticks.tempo
        self.ticks.tick(time)
        tempo = self.ticks.tempo
        was_lost, self.lost = self.lost, False
        self._last = time
        self._judge(before, tempo, time)
        if tempo is not None and not TEMPO_RANGE[0] <= tempo <= TEMPO_RANGE[1]:
            self._astray = True
            return
        if self._armed is not None:
            beat, self._armed = self._armed, None
            if tempo is not None:
                self._transport.set_tempo(time, tempo)
            self._transport.play(time, beat)
            self._number = round(self._place * PER_QUARTER)
            return
        if not clock.playing:
            if tempo is not None:
                self._transport.set_tempo(time, tempo)
            return
        self._number += 1
        if self.ticks.held_up:
            return
        lead = self._lead(clock.tempo if tempo is None else tempo)
        here = clock.beat_at(time) - lead
        if was_lost or self._astray:
            self._number = round(here * PER_QUARTER)
            self._astray = was_lost  # what was held up meanwhile comes next, and was not waited for
        elif self.ticks.steady and abs(self._number / PER_QUARTER - here) > _FAR:
            number, here = self._number, self._number / PER_QUARTER
            self._transport.locate(time, max(0.0, here + lead))
            self._number = number
        if tempo is not None:
            self._steer(time, here, tempo)

    def _lead(self, tempo: float) -> float:
        """How many beats the piece is to be ahead of the clock."""
        return self._ahead() * tempo / 60.0

    def _judge(self, before: float | None, tempo: float | None, time: float) -> None:
        """Say what is wrong with the clock, and take it back once all has been well for a while."""
        if tempo is None:
            return
        low, high = TEMPO_RANGE
        words = ""
        if not low <= tempo <= high:
            words = f"The clock runs at {tempo:.0f} beats a minute; Arpegon follows {low:g} to {high:g}."
        elif before is not None and not 0.6 < tempo / before < 1.7:
            change = f"from {before:.0f} to {tempo:.0f} beats a minute"
            words = f"The clock changed {change} at once; do two devices send?"
        if words:
            self.odd, self._odd_since = words, time
        elif self.odd and time - self._odd_since > _TOLD_SECONDS:
            self.odd = ""

    def _steer(self, time: float, here: float, tempo: float) -> None:
        """Meet the next tick where it is expected."""
        ahead = self.ticks.next - time
        wanted = (self._number + 1) / PER_QUARTER - here
        steered = 60.0 * wanted / ahead if ahead > 1e-4 else tempo
        low, high = (share * tempo for share in _STEER)
        self._transport.set_tempo(time, max(low, min(high, steered)))
