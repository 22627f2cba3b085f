"""Grid: what is early or late waits for the next line of a grid."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import BEND, CONTROL, PEDALS, POLY_PRESSURE, PRESSURE, PROGRAM, STRUCTURAL_CONTROLLERS, Event
from arpegon.core.notes.pressed import DOWN
from arpegon.core.processing.delayed import DelayedNotes
from arpegon.core.processing.parameters import NoteValue, Number, Switch, swing_param
from arpegon.core.processing.processor import Context
from arpegon.core.time.clock import Moment
from arpegon.core.time.rhythm import beats_of
from arpegon.core.time.swing import next_line

_MOVING = frozenset({CONTROL, PRESSURE, BEND, POLY_PRESSURE, PROGRAM})
_ON_THE_LINE = 1e-4
"""Beats by which what falls just behind a line still counts as on it."""


class Grid(DelayedNotes):
    """Lets each note wait for the next line of the transport's grid, and keep its length.

    Nothing can be moved to an earlier line than it was played, so a late note waits for the line after, but one that is
    only a little late (``catch``) sounds at once. With a
    ``strength`` below 100 it goes only part of the way. While the transport stands still everything passes.
    """

    kind = "grid"
    label = "Grid"
    summary = "Lets notes wait for the next line of a grid."
    params = (
        NoteValue(name="rate", label="Lines", default="1/16", help="The distance from one line to the next."),
        swing_param("lines"),
        Number(
            name="strength",
            label="Strength",
            default=100,
            low=0,
            high=100,
            unit="%",
            help="How far a note goes towards its line.",
        ),
        Number(
            name="catch",
            label="Catch",
            default=10,
            low=0,
            high=50,
            unit="%",
            help="How far behind a line, as a share of the way to the next, a note still sounds at once.",
        ),
        Switch(
            name="controllers",
            label="Controllers too",
            default=False,
            help="Let controllers, pressure, bend and programs fall on the lines; a pedal is down as long as it was.",
        ),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._waiting: dict[tuple[int, int], tuple[float, list[Event]]] = {}
        """Of each controller the line that its last value waits for, and that value."""
        self._pedals: dict[tuple[int, int], float] = {}
        """By how much the press of each pedal that is down was put off."""
        super().__init__(values, context)

    def on_configure(self) -> None:
        self._beats = beats_of(self.values["rate"], self.context.meter)

    def forget(self) -> None:
        super().forget()
        self._waiting.clear()
        self._pedals.clear()

    def moment(self, time: float) -> Moment:
        return Moment(self.context.clock, time)

    def delay(self, event: Event) -> float:
        if not self.context.clock.playing:
            return 0.0
        wait = self._line(event.time, max(_ON_THE_LINE, self._beats * self.values["catch"] / 100.0)) - event.time
        return float(max(0.0, wait * self.values["strength"] / 100.0))

    def freed(self, time: float) -> float:
        # The key's last note is in the way: the next one takes the line after.
        whole = self.context.clock.playing and self.values["strength"] == 100
        return max(time, self._line(time, _ON_THE_LINE)) if whole else time

    def _line(self, time: float, near: float) -> float:
        """When the next line falls; one that fell up to ``near`` beats before counts."""
        clock = self.context.clock
        beat = clock.counted(time)
        return clock.time_at(clock.grid + next_line(beat, self._beats, self.values["swing"] / 100.0, near))

    def other(self, event: Event, out: list[Event]) -> None:
        if not self.values["controllers"] or event.status & 0xF0 not in _MOVING:
            out.append(event)
            return
        numbered = event.status & 0xF0 in (CONTROL, POLY_PRESSURE)
        place = (event.status, event.data1 if numbered else 0)
        wait = self._pedal(place, event) if _is_pedal(event) else self.delay(event)
        line = event.time + wait
        known = self._waiting.get(place)
        if known is not None and known[0] == line and event.time < line and _is_value(event):
            known[1][0] = event  # of several values on one line the last is enough
        elif wait > 0.0:
            value = [event]
            self._waiting[place] = (line, value)
            self.later(self.moment(line), lambda now, out: out.append(value[0].at(now)))
        else:
            out.append(event)

    def _pedal(self, place: tuple[int, int], event: Event) -> float:
        """A pedal stays down as long as it was: its release waits as its press did."""
        if event.data2 >= DOWN:
            return self._pedals.setdefault(place, self.delay(event))
        return self._pedals.pop(place, 0.0)

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        swing = f" · swing {values['swing']} %" if values["swing"] != 50 else ""
        part = f" · {values['strength']} %" if values["strength"] < 100 else ""
        return f"{values['rate']}{swing}{part}"


def _is_pedal(event: Event) -> bool:
    return event.status & 0xF0 == CONTROL and event.data1 in PEDALS


def _is_value(event: Event) -> bool:
    """Whether only the last of several is of use: not so for pedals, programs, banks and what builds up an RPN."""
    kind = event.status & 0xF0
    structural = kind == CONTROL and event.data1 in STRUCTURAL_CONTROLLERS
    return kind != PROGRAM and not structural and not _is_pedal(event)
