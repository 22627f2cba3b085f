"""Sections at work: which one holds, what it sets, and when another one begins."""

from __future__ import annotations

import math
from typing import Any

from arpegon.core.document.model import Project
from arpegon.core.document.sections import following, section_at, starts
from arpegon.core.time.clock import bar_beats
from arpegon.engine.clocks.roles import AtWork, Transport
from arpegon.engine.performance.overlay import Overlay
from arpegon.processors.holding import held_values
from arpegon.processors.targets import Target

_EARLY = 1e-6
"""Seconds before its bar line at which a section begins, so that all that falls on the line is already its own."""
_NEAR = 1e-9
_NOTHING = object()


class SectionPlayer:
    """Leads an engine's transport through the sections of its document.

    What a section holds is laid over the document when it begins, and taken back when one begins that does not hold
    it. A section that does not follow by itself is gone to on a bar line, by a jump of the transport, which strands
    that play on do not notice.
    """

    def __init__(self, transport: Transport, overlay: Overlay, at_work: AtWork) -> None:
        self._transport = transport
        self._overlay = overlay
        self._at_work = at_work
        self.place = -1
        """The section that holds; -1: none."""
        self.wanted: int | None = None
        """The section that was asked for, and begins on the next bar line."""
        self._turn = math.inf
        """The beat of the transport on which something else begins."""
        self._held: dict[Target, Any] = {}

    @property
    def coming(self) -> int:
        """The section that was asked for, else the one that holds."""
        return self.place if self.wanted is None else self.wanted

    def configure(self, before: Project, time: float) -> None:
        """Take over the sections of the document, after the one ``before``; what changed in the one that holds is set
        at once."""
        document = self._at_work.project
        if not document.sections and not before.sections:
            return
        if self.wanted is not None:
            wanted = before.sections[self.wanted].id
            self.wanted = next((at for at, one in enumerate(document.sections) if one.id == wanted), None)
        holding = before.sections[self.place].id if self.place >= 0 else None
        beat = self._transport.clock.beat_at(time)
        place = section_at(document, beat)
        self._begin(place, beat, time, anew=place >= 0 and document.sections[place].id != holding)

    def placed(self, beat: float, time: float) -> None:
        """The transport was set to a beat."""
        self.wanted = None
        self._begin(section_at(self._at_work.project, beat), beat, time, anew=True)

    def on_halt(self) -> None:
        """The transport stopped: what was asked for is forgotten."""
        self.wanted = None

    def go(self, place: int, time: float) -> None:
        """Go to a section: on the next bar line while the transport runs, else now. There may be no such section."""
        if not 0 <= place < len(self._at_work.project.sections):
            return
        clock = self._transport.clock
        if clock.playing:
            self.wanted = place
            self._turn = max(0.0, self._next_line(clock.beat_at(time)))
        else:
            self._transport.locate(time, starts(self._at_work.project)[place])

    def due(self) -> float:
        """When another section begins, in seconds; infinity where none does, as things are."""
        return math.inf if self._turn == math.inf else self._transport.clock.time_at(self._turn) - _EARLY

    def turn(self, time: float) -> None:
        """Begin what is due."""
        beat, line = self._turn, self._transport.clock.time_at(self._turn)
        place, self.wanted = self.wanted, None
        jumps = place is not None or self._at_work.project.sections[self.place].then in ("again", "top")
        if place is None:
            place = following(self._at_work.project, self.place)
        if place is None:
            self._stop(time)
        elif jumps:
            beat = starts(self._at_work.project)[place]
            self._begin(place, beat, line, anew=True)
            self._transport.jump(time, line, beat)
        else:
            self._begin(place, beat, line, anew=True)

    def _stop(self, time: float) -> None:
        """The transport stops after a section, and rests where the next one begins; after the last, at the start."""
        after, document = self.place + 1, self._at_work.project
        self._transport.halt(time)
        if self._at_work.project.on_stop == "stay":
            self._transport.locate(time, starts(document)[after] if after < len(document.sections) else 0.0)

    def _begin(self, place: int, beat: float, time: float, anew: bool) -> None:
        """Let a section hold from a beat, which falls on ``time``.

        ``anew`` sets also what it held before, whatever became of it.
        """
        self.place = place
        held = held_values(self._at_work.project, self._at_work.project.sections[place] if place >= 0 else None)
        before, self._held = self._held, held
        self._overlay.lay(
            {target: value for target, value in held.items() if anew or before.get(target, _NOTHING) != value},
            [target for target in before if target not in held],
            time,
        )
        if self.wanted is None:
            self._turn = self._end(beat)

    def _end(self, beat: float) -> float:
        """The beat on which something follows the section; past its end (it was cut short) the next bar line."""
        last = self.place + 1 == len(self._at_work.project.sections)
        if self.place < 0 or (last and self._at_work.project.sections[self.place].then == "on"):
            return math.inf
        return max(starts(self._at_work.project)[self.place + 1], self._next_line(beat))

    def _next_line(self, beat: float) -> float:
        bar = bar_beats(self._at_work.project.meter)
        return (math.floor(beat / bar + _NEAR) + 1) * bar
