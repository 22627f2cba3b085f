"""Sections at work: which one holds, what it sets, and when another one begins."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Protocol

import msgspec

from arpegon.core.document.model import Project, Section, SectionMessage
from arpegon.core.document.sections import (
    after_end,
    clock_in,
    grid_of,
    meter_of,
    ramps_of,
    section_at,
    starts,
    tempo_of,
)
from arpegon.core.events import PROGRAM, Event, control
from arpegon.core.time.clock import bar_beats
from arpegon.core.time.ramp import Ramp
from arpegon.engine.clocks.roles import Transport
from arpegon.engine.performance.overlay import Overlay

_EARLY = 1e-6
"""Seconds before its bar line at which a section begins, so that all that falls on the line is already its own."""
_NEAR = 1e-9


class Greeting(Protocol):
    """What the beginning of a section reaches."""

    def send_out(self, strand: str, events: Sequence[Event]) -> None:
        """Send events from the end of a strand, where they are kept too."""

    def begin_section(self, time: float) -> None:
        """Have everything begin anew that begins with each section."""


def events_of(message: SectionMessage) -> list[Event]:
    """What a section sends, at time 0: a bank as its two controllers before its program."""
    if message.kind == "cc":
        return [control(0.0, message.channel, message.number, message.value)]
    bank = (
        []
        if message.bank is None
        else [
            control(0.0, message.channel, 0, message.bank >> 7),
            control(0.0, message.channel, 32, message.bank & 0x7F),
        ]
    )
    return [*bank, Event(0.0, PROGRAM | message.channel, message.number)]


class SectionPlayer:
    """Leads an engine's transport through the sections of its document.

    What a section holds is laid over the document when it begins, and taken back when one begins that does not hold
    it. A section that does not follow by itself is gone to on a bar line, by a jump of the transport, which strands
    that play on do not notice.
    """

    def __init__(self, transport: Transport, overlay: Overlay, direct: Greeting) -> None:
        self._direct = direct
        self._before = transport.clock.tempo
        """The tempo before the section that holds,"""
        self._came_from = self._before
        """and that from which it comes to its own."""
        self._transport = transport
        self._overlay = overlay
        self.place = -1
        """The section that holds; -1: none."""
        self.wanted: int | None = None
        """The section that was asked for, and begins on the next bar line."""
        self._turn = math.inf
        """The beat of the transport on which something else begins."""
        self._ramps: list[Ramp] = []
        """Tempi on their way in the section that holds; beats are those of the transport."""
        self._turned_at = -math.inf
        """The beat on which somebody turned the tempo in it: one that was on its way then is given up."""
        self._line = math.inf
        """The beat on which such a tempo is another one."""
        self._greeted: tuple[str, float] | None = None
        """The section that began last, and when."""
        self._ramped: float | None = None
        """The tempo that was set on the last of them."""

    @property
    def coming(self) -> int:
        """The section that was asked for, else the one that holds."""
        return self.place if self.wanted is None else self.wanted

    def configure(self, before: Project, time: float) -> None:
        """Take over the sections of the document, after the one ``before``; what changed in the one that holds is set
        at once."""
        document = self._overlay.document
        if not document.sections and not before.sections:
            return
        if self.wanted is not None:
            wanted = before.sections[self.wanted].id
            self.wanted = next((at for at, one in enumerate(document.sections) if one.id == wanted), None)
        holding = before.sections[self.place].id if self.place >= 0 else None
        beat = self._transport.clock.beat_at(time)
        place = section_at(document, beat)
        self._begin(place, beat, time, anew=place >= 0 and document.sections[place].id != holding)
        if self._transport.clock.playing:
            self._transport.turn_clocks(beat, time)

    def on_locate(self, beat: float, time: float) -> None:
        """The transport was set to a beat."""
        self.wanted = None
        self._begin(section_at(self._overlay.document, beat), beat, time, anew=True)

    def on_halt(self) -> None:
        """The transport stopped: what was asked for is forgotten."""
        self.wanted = None

    def go(self, place: int, time: float) -> None:
        """Go to a section: on the next bar line while the transport runs, else now. There may be no such section."""
        if not 0 <= place < len(self._overlay.document.sections):
            return
        clock = self._transport.clock
        if clock.playing:
            self.wanted = place
            self._turn = max(0.0, self._next_line(clock.beat_at(time)))
        else:
            self._transport.locate(time, self._starts()[place])

    def on_tempo_turned(self, time: float) -> None:
        """Somebody turned the tempo."""
        if self.place >= 0:
            self._turned_at = self._transport.clock.beat_at(time)
            self._lay_ramps(self._turned_at, time, anew=False)

    @property
    def turns_tempo(self) -> bool:
        """Whether the tempo is on its way."""
        return self._line < math.inf

    def due(self) -> float:
        """When another section begins, or its tempo is another one, in seconds; infinity: never, as things are."""
        return min(self._turn_due(), self._ramp_due())

    def _turn_due(self) -> float:
        return math.inf if self._turn == math.inf else self._transport.clock.time_at(self._turn) - _EARLY

    def _ramp_due(self) -> float:
        return math.inf if self._line == math.inf else self._transport.clock.time_at(self._line)

    def turn(self, time: float) -> None:
        """Begin what is due."""
        if self._ramp_due() < self._turn_due():
            self._go_on_ramp(self._line, time)
        else:
            self._turn_over(time)

    def _turn_over(self, time: float) -> None:
        """Another section begins, or the transport stops."""
        beat, line = self._turn, self._transport.clock.time_at(self._turn)
        asked, self.wanted = self.wanted, None
        project = self._overlay.document
        place = after_end(project, self.place) if asked is None else asked
        if place is None:
            self._stop(time)
            return
        section = project.sections[place]
        if section.transport == "stop":
            self._transport.stop(time)
            self._transport.locate(time, self._starts()[place])
        elif asked is not None or section.transport == "anew" or project.sections[self.place].then in ("again", "top"):
            beat = self._starts()[place]
            self._begin(place, beat, line, anew=True)
            self._transport.jump(time, line, beat)
        else:
            self._begin(place, beat, line, anew=True)
            self._transport.turn_clocks(beat, time)

    def _stop(self, time: float) -> None:
        """The transport stops after a section, and rests where the next one begins; after the last, at the start."""
        after, document = self.place + 1, self._overlay.document
        self._transport.halt(time)
        if document.on_stop == "stay":
            self._transport.locate(time, self._starts()[after] if after < len(document.sections) else 0.0)

    def clock_in(self, port: str) -> tuple[bool, float]:
        """Whether the clock of an output runs in the section that holds, and the beat from which it counts."""
        return clock_in(self._overlay.document, self.place, port)

    def _begin(self, place: int, beat: float, time: float, anew: bool) -> None:
        """Let a section hold from a beat, which falls on ``time``.

        ``anew`` sets also what it held before, whatever became of it.
        """
        document, clock = self._overlay.document, self._transport.clock
        section = document.sections[place] if place >= 0 else None
        self._before = clock.tempo
        self.place = place
        clock.set_bars(time, self._starts()[place] if place >= 0 else 0.0, bar_beats(self._meter(place)))
        clock.set_grid(grid_of(document, place))
        self._overlay.begin(section, time, anew)
        if self.wanted is None:
            self._turn = self._end(beat)
        self._lay_ramps(beat, time, anew)
        self._transport.tell_time(time)
        # A document and a start at one moment begin a section once.
        if anew and section is not None and self._greeted != (section.id, time):
            self._greeted = section.id, time
            self._greet(section, time)

    def _lay_ramps(self, beat: float, time: float, anew: bool) -> None:
        """Let the tempo go its way in the section that holds."""
        project, clock = self._overlay.document, self._transport.clock
        own = tempo_of(project, project.sections[self.place]) if self.place >= 0 else project.tempo
        before, self._ramps = self._ramps, []
        if self.place >= 0 and not self._transport.is_led:
            start = self._starts()[self.place]
            # What comes to its tempo comes from that of before; set down in its middle, it is there.
            if anew:
                self._came_from = self._before if beat <= start + _NEAR else own
                self._turned_at = -math.inf
            found = ramps_of(project, self.place, self._came_from)
            ramps = [msgspec.structs.replace(ramp, beat=start + ramp.beat) for ramp in found]
            self._ramps = [ramp for ramp in ramps if ramp.beat > self._turned_at]
        if self._ramps and self._ramps == before and not anew:
            return  # it is on its way
        self._line, self._ramped = math.inf, None
        ahead = [ramp for ramp in self._ramps if ramp.end > beat + _NEAR]
        if ahead and ahead[0].beat <= beat + _NEAR:
            self._go_on_ramp(beat, time)
            return
        if ahead:
            self._line = ahead[0].beat
        if before and clock.tempo != own:
            self._transport.set_tempo(time, own)

    def _go_on_ramp(self, beat: float, time: float) -> None:
        """Another tempo from a beat on, unless somebody turned it since."""
        clock = self._transport.clock
        if self._ramped is not None and clock.tempo != self._ramped:
            self._ramps, self._line, self._ramped = [], math.inf, None
            return
        ramp = next((ramp for ramp in self._ramps if ramp.beat - _NEAR <= beat < ramp.end - _NEAR), None)
        if ramp is None:
            self._line, self._ramped = math.inf, None
            self._transport.set_tempo(time, self._ramps[-1].to)
            return
        line = ramp.next_line(beat)
        tempo = 60.0 * (line - beat) / ramp.seconds(beat, line)
        self._transport.set_tempo(time, tempo)
        self._line, self._ramped = line, clock.tempo

    def _greet(self, section: Section, time: float) -> None:
        """Send what a section sends when it begins, and begin what begins with it."""
        for message in section.sends:
            self._direct.send_out(message.strand, [event.at(time) for event in events_of(message)])
        self._direct.begin_section(time)

    def _end(self, beat: float) -> float:
        """The beat on which something follows the section; past its end (it was cut short) the next bar line."""
        sections = self._overlay.document.sections
        last = self.place + 1 == len(sections)
        if self.place < 0 or (last and sections[self.place].then == "on"):
            return math.inf
        return max(self._starts()[self.place + 1], self._next_line(beat))

    def _next_line(self, beat: float) -> float:
        """The first bar line after a beat."""
        bar, origin = bar_beats(self._meter(self.place)), self._transport.clock.origin
        return origin + (math.floor((beat - origin) / bar + _NEAR) + 1) * bar

    def _meter(self, place: int) -> tuple[int, int]:
        """The meter of a section, or without one that of the document."""
        project = self._overlay.document
        return meter_of(project, project.sections[place]) if place >= 0 else project.meter

    def _starts(self) -> list[float]:
        """The beats on which sections begin."""
        return starts(self._overlay.document)
