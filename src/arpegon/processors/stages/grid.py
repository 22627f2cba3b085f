"""Grid: what is early or late waits for the next line of a grid."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import BEND, CONTROL, POLY_PRESSURE, PRESSURE, Event
from arpegon.core.processing.delayed import DelayedNotes
from arpegon.core.processing.parameters import NoteValue, Number, Switch, swing_param
from arpegon.core.time.rhythm import beats_of
from arpegon.core.time.swing import next_line

_MOVING = frozenset({CONTROL, PRESSURE, BEND, POLY_PRESSURE})
_ON_THE_LINE = 1e-4
"""Beats by which what falls just behind a line still counts as on it."""


class Grid(DelayedNotes):
    """Lets each note wait for the next line of the transport's grid, and keep its length.

    Nothing can be moved to an earlier line than it was played, so a late note waits for the line after. With a
    ``strength`` below 100 it goes only part of the way. While the transport stands still everything passes.
    """

    kind = "grid"
    label = "Grid"
    summary = "Lets notes wait for the next line of a grid."
    params = (
        NoteValue(key="rate", label="Lines", default="1/16", help="The distance from one line to the next."),
        swing_param("lines"),
        Number(
            key="strength",
            label="Strength",
            default=100,
            low=0,
            high=100,
            unit="%",
            help="How far a note goes towards its line.",
        ),
        Switch(
            key="controllers",
            label="Controllers too",
            default=False,
            help="Let the steps of controllers, pressure and bend fall on the lines as well.",
        ),
    )

    def on_configure(self) -> None:
        self._beats = beats_of(self.values["rate"], self.context.meter)

    def delay(self, event: Event) -> float:
        clock = self.context.clock
        if not clock.playing:
            return 0.0
        swing = self.values["swing"] / 100.0
        line = next_line(clock.beat_at(event.time), self._beats, swing, _ON_THE_LINE)
        wait = clock.time_at(line) - event.time
        return float(max(0.0, wait * self.values["strength"] / 100.0))

    def other(self, event: Event, out: list[Event]) -> None:
        wait = self.delay(event) if self.values["controllers"] and event.status & 0xF0 in _MOVING else 0.0
        if wait > 0.0:
            self.later(event.time + wait, lambda now, out: out.append(event.at(now)))
        else:
            out.append(event)

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        swing = f" · swing {values['swing']} %" if values["swing"] != 50 else ""
        part = f" · {values['strength']} %" if values["strength"] < 100 else ""
        return f"{values['rate']}{swing}{part}"
