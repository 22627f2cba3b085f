"""The base of what moves a value by itself: the wave and the contour."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Mapping, Sequence
from operator import attrgetter
from typing import Any, ClassVar

from arpegon.core.events import NOTE_OFF, NOTE_ON, Event
from arpegon.core.processing.parameters import Channel, Choice, Controller, Number, Param
from arpegon.core.processing.processor import Context, Processor
from arpegon.core.processing.values import TOP, coarse, fine, written
from arpegon.core.theory.controllers import cc_words

TARGETS = {
    "cc": "controller",
    "cc14": "controller, 14 bit",
    "bend": "pitch bend",
    "pressure": "pressure",
    "none": "hookups only",
}


def modulator_params() -> tuple[Param, ...]:
    """The declarations of what all modulators share: how they start, and what they drive."""
    return (
        Choice(
            name="starts",
            label="It starts",
            default="play",
            options={"free": "free", "play": "with play", "note": "with a note"},
            help="Runs always; runs with the transport from its start; begins anew with every first key.",
        ),
        Choice(
            name="target", label="Drives", default="cc", options=TARGETS, help="What it drives; hookups always hear it."
        ),
        Controller(name="to_number", label="Controller", default=1, help="The controller that it drives."),
        Channel(name="to_channel", label="Channel", default=1, help="The channel on which it is sent."),
        Number(name="low", label="From", default=0, low=0, high=127, help="The value at its lowest."),
        Number(name="high", label="To", default=127, low=0, high=127, help="The value at its highest."),
        Number(
            name="most",
            label="At most",
            default=60,
            low=5,
            high=200,
            unit="/s",
            help="How many values are sent in a second at most; none is sent twice running.",
        ),
    )


_time = attrgetter("time")
_FINE = frozenset({"cc14", "bend", "none"})
"""What has fourteen bits, or more."""
_EARLY = 5e-7
"""Seconds before a beat at which a value is already that of the beat, so that it is there for the notes on the beat.
Sections begin a microsecond before their line, so that a value on it is already that of the section."""
_NEAR = 1e-9
_EXACT = 2e-7
"""Seconds to which the moment is found at which a value changes,"""
_CLOSE = 1e-5
"""and those by which a straight line misses it, where the value moves smoothly."""


class Modulator(Processor):
    """Adds a moving value to what passes.

    Subclasses say how long a cycle is and where in its range the value stands. It is sent when it changes, or, where it
    changes faster than it may be sent, at even moments.
    """

    timed: ClassVar[bool] = True
    cut_by_bypass: ClassVar[bool] = True

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._began = 0.0
        self._anchor = self._looked = (0.0, 0.0)
        """A time and the cycles gone by then, from which they are counted on; and those of the last look."""
        self._clock_changes = 0
        self._next = 0.0
        """When the value is looked at next."""
        self._runs = False
        self._seen = -math.inf
        self._sent: int | None = None
        self._sent_at = -math.inf
        self._value = 0.0
        """At the last look."""
        self._ahead = (math.nan, 0, 0.0)
        """A moment to come, at how many changes of the clock it was looked at, and the value then."""
        self._keys = 0
        self.output: float | None = None
        """Where the value stands, 0 ... 1, for hookups."""
        super().__init__(values, context)

    # -- what subclasses say -----------------------------------------------------------------------

    def beats(self) -> float | None:
        """The length of a cycle in beats; ``None`` where it is counted in seconds."""
        raise NotImplementedError

    def seconds(self) -> float:
        """The length of a cycle in seconds, where it has no beats."""
        return 1.0

    def share(self, cycles: float) -> float:
        """Where the value stands, 0 ... 1, after so many cycles."""
        raise NotImplementedError

    def fade(self, time: float) -> float:
        """How much of its way it goes, 0 ... 1, at a time."""
        return 1.0

    # -- starts ------------------------------------------------------------------------------------

    def on_join(self, time: float) -> None:
        if self.values["starts"] == "free" or (self.values["starts"] == "play" and self.context.clock.playing):
            self._begin(time)

    def restart(self) -> None:
        if self.values["starts"] == "play":
            self._runs = False  # it begins when the transport does: see due

    def on_halt(self, time: float) -> None:
        if self.values["starts"] == "play":
            self._runs = False

    def _begin(self, time: float) -> None:
        self._began, self._next, self._runs = time, time, True
        self._anchor = self._looked = (time, 0.0)

    def on_caught_up(self, time: float) -> None:
        self._ahead = (math.nan, 0, 0.0)
        self._seen = max(self._seen, time)
        if self._runs:  # another rate goes on from where the value is
            self._anchor = self._looked = (time, self.cycles(time))

    def _start_due(self) -> float:
        """When it begins by itself."""
        clock = self.context.clock
        if self._runs:
            return math.inf
        if self.values["starts"] == "play" and clock.playing:
            return max(self._seen, clock.time_at(clock.beat))
        return math.inf

    # -- values ------------------------------------------------------------------------------------

    def cycles(self, time: float) -> float:
        """How many cycles have gone by at a time."""
        beats = self.beats()
        clock = self.context.clock
        if beats is not None and self.values["starts"] == "play":
            return float(clock.counted(time) / beats)
        if clock.changes != self._clock_changes:
            self._clock_changes, self._anchor = clock.changes, self._looked
        start, before = self._anchor
        return before + (time - start) / self._period(beats)

    def time_of(self, cycles: float) -> float:
        """When so many cycles will have gone by, as things are."""
        beats = self.beats()
        if beats is not None and self.values["starts"] == "play":
            clock = self.context.clock
            return float(clock.time_at(clock.grid + cycles * beats))
        start, before = self._anchor
        return start + (cycles - before) * self._period(beats)

    def _period(self, beats: float | None) -> float:
        """The length of a cycle in seconds, as things are."""
        return self.seconds() if beats is None else self.context.clock.seconds(beats)

    def value_at(self, time: float) -> float:
        """The value, 0 ... 127, at a time."""
        time += _EARLY
        low, high = float(self.values["low"]), float(self.values["high"])
        share = self.share(self.cycles(time)) * self.fade(time)
        return low + share * (high - low)

    def steps_of(self, value: float) -> int:
        """A value in the steps that what it drives knows.

        Of seven bits, each step from ``low`` to ``high`` has an equal share of the way: an even ramp over 128 of them
        meets each on its own place in the bar.
        """
        if self.values["target"] in _FINE:
            return fine(value)
        low, high = self.values["low"], self.values["high"]
        span = abs(high - low)
        place = min(span, int(abs(value - low) * (span + 1) / span + _NEAR)) if span else 0
        return int(low + place if high > low else low - place)

    def _edge(self, steps: int, upwards: bool) -> float:
        """The value at which what is sent leaves ``steps`` for the next one."""
        if self.values["target"] in _FINE:
            return coarse(steps) + (0.5 if upwards else -0.5) / 128.0
        low, high = self.values["low"], self.values["high"]
        span = abs(high - low)
        place = abs(steps - low) + (1 if upwards == (high > low) else 0)
        way = place * span / (span + 1)
        return float(low + way if high > low else low - way)

    def next_look(self, time: float) -> float:
        """When the value is looked at after a time: when it changes, but not sooner than allowed after it was sent.

        Args:
            time: of the look that was just taken.
        """
        even = time + self._interval()
        if self._sent is None:
            return even
        there = self.value_at(even)
        if self._sent_at == time or self.steps_of(there) == self._sent:
            self._ahead = (even, self.context.clock.changes, there)
            return even
        return self._crossing(time, self._value, even, there)

    def _crossing(self, before: float, value: float, after: float, there: float) -> float:
        """When, between two moments with their values, the value that is sent becomes another one."""
        sent = self._sent or 0
        edge = self._edge(sent, there > value)
        guess = before + (after - before) * min(1.0, max(0.0, (edge - value) / (there - value or 1.0)))
        # What moves evenly crosses where a line would; what jumps is found by halving.
        for moment in (guess - _CLOSE, guess + _CLOSE):
            if before < moment < after:
                if self.steps_of(self.value_at(moment)) == sent:
                    before = moment
                else:
                    after = moment
        while after - before > _EXACT:
            middle = 0.5 * (before + after)
            if self.steps_of(self.value_at(middle)) == sent:
                before = middle
            else:
                after = middle
        return after

    def _interval(self) -> float:
        return 1.0 / float(self.values["most"])

    def due(self) -> float:
        if self.bypass:
            return math.inf
        if not self._runs:
            return self._start_due()
        return self._next

    def advance(self, until: float, out: list[Event]) -> None:
        while (due := self.due()) <= until:
            if not self._runs:
                self._begin(due)
            self._look(due, out)
            self._next = self.next_look(due)
        self._seen = max(self._seen, until)

    def _look(self, time: float, out: list[Event]) -> None:
        values = self.values
        when, changes, there = self._ahead
        known = when == time and changes == self.context.clock.changes
        value = self._value = there if known else self.value_at(time)
        self._looked = (time, self.cycles(time))
        low, high = values["low"], values["high"]
        self.output = (value - low) / (high - low) if high != low else 0.0
        target = values["target"]
        steps = self.steps_of(value)
        if steps != self._sent:
            self._sent, self._sent_at = steps, time
            if target == "none":
                return
            number = min(31, values["to_number"]) if target == "cc14" else values["to_number"]
            out += written(target, number, values["to_channel"] - 1, steps, time)

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        if self.values["starts"] == "note":
            for event in events:
                self.advance(event.time, out)
                self._count_key(event)
                out.append(event)
            return
        self._keys = 0
        place = 0
        while place < len(events):
            # What comes before the next value passes in one go: many of these stages may stand in a row.
            end = bisect_left(events, self.due(), place, key=_time)
            if end > place:
                out += events[place:end]
                place = end
            else:
                self.advance(events[place].time, out)
        if events:
            self.advance(events[-1].time, out)

    def _count_key(self, event: Event) -> None:
        kind = event.status & 0xF0
        if kind == NOTE_ON:
            self._keys += 1
            if self._keys == 1:
                self._begin(event.time)
        elif kind == NOTE_OFF:
            self._keys = max(0, self._keys - 1)

    def live(self, time: float) -> list[float]:
        if not self._runs or self.bypass:
            return []
        return [self.cycles(time), self.value_at(time) / TOP]

    def release(self, time: float, out: list[Event]) -> None:
        self._keys = 0
        # What it missed while it was bypassed is not made up for.
        self._next = max(self._next, time)

    @classmethod
    def target_words(cls, values: Mapping[str, Any]) -> str:
        """What it drives, in a word or two."""
        return cc_words(values["to_number"]) if values["target"] in ("cc", "cc14") else TARGETS[values["target"]]
