"""Humanize: velocities drawn within bounds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.events import NOTE_ON, Event
from arpegon.core.processing.delayed import DelayedNotes
from arpegon.core.processing.parameters import Choice, Number, Switch, seed_param


class Humanize(DelayedNotes):
    """Draws velocity, timing and length of each note anew, each on its own switch; everything else passes.

    In ``range`` mode the velocity is drawn between ``low`` and ``high`` whatever came in; in ``around``
    mode it strays by up to ``spread`` from what came in. The bell shape is the mean of three even draws
    (Irwin-Hall), so it never leaves the bounds. Timing makes a note later, never earlier, and what one key
    does stays in order. Length strays from what the key lasted; as nobody can know when a key will be let go, a
    note never ends before its key does, so it is shortened only as far as it was begun later.
    """

    kind = "humanize"
    label = "Humanize"
    summary = "Gives every stroke its own velocity, within bounds, as a hand would."
    params = (
        Switch(
            name="velocity", label="Velocity", default=True, help="Draw velocities; off, they stay as they came in."
        ),
        Choice(
            name="mode",
            label="Draw",
            default="range",
            options={"range": "within a range", "around": "around what came in"},
            help="Draw velocities between two bounds (for keyboards that send one value), or stray from what came in.",
        ),
        Number(name="low", label="Lowest", default=85, low=1, high=127, help="The softest velocity that is drawn."),
        Number(
            name="high",
            label="Highest",
            default=115,
            low=1,
            high=127,
            help="The loudest velocity that is drawn.",
        ),
        Number(
            name="spread",
            label="Spread",
            default=12,
            low=0,
            high=64,
            help="How far a velocity may stray from what came in, up or down.",
        ),
        Choice(
            name="shape",
            label="Shape",
            default="even",
            options={"even": "even", "bell": "bell"},
            help="Even: every value is as likely. Bell: the middle is more likely than the edges.",
        ),
        Switch(name="timing", label="Timing", default=False, help="Make each note a little later, by chance."),
        Number(
            name="time_ms",
            label="Latest",
            default=20,
            low=0,
            high=250,
            unit="ms",
            help="How late a note may come; 5 to 20 ms is a hand, more is a stumble.",
        ),
        Switch(name="length", label="Length", default=False, help="Let each note last a little longer or shorter."),
        Number(
            name="length_percent",
            label="Length strays by",
            default=15,
            low=0,
            high=90,
            unit="%",
            help="How far a length may stray from what the key lasted, up or down.",
        ),
        seed_param("the same velocities"),
    )

    def on_configure(self) -> None:
        self._low, self._high = sorted((self.values["low"], self.values["high"]))
        self._around = self.values["mode"] == "around"
        self._spread = self.values["spread"]
        self._bell = self.values["shape"] == "bell"
        if self.new_seed():
            self.restart()

    def restart(self) -> None:
        self._random = self.generator().random
        self._time_random = self.generator("timing").random
        self._length_random = self.generator("length").random

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        if self.values["timing"] or self.values["length"] or self.down or self._queue:
            super().process(events, out)
        elif self.bypass or not self.values["velocity"]:
            out.extend(events)
        else:
            self._draw_velocities(events, out)

    def _draw_velocities(self, events: Sequence[Event], out: list[Event]) -> None:
        """The short way where only velocities change: notes need no book."""
        draw = self._random
        low = self._low
        width = self._high - low + 1
        for event in events:
            if event.status & 0xF0 != NOTE_ON:
                out.append(event)
                continue
            share = (draw() + draw() + draw()) / 3 if self._bell else draw()
            if self._around:
                spread = self._spread
                velocity = event.data2 - spread + int(share * (2 * spread + 1))
                velocity = 1 if velocity < 1 else 127 if velocity > 127 else velocity
            else:
                velocity = low + int(share * width)
            out.append(Event(event.time, event.status, event.data1, velocity))

    # -- timing and length -------------------------------------------------------------------------

    def delay(self, event: Event) -> float:
        return float(self._time_random() * self.values["time_ms"] / 1000.0) if self.values["timing"] else 0.0

    def note(self, event: Event) -> Event:
        drawn: list[Event] = []
        if self.values["velocity"]:
            self._draw_velocities((event,), drawn)
        return drawn[0] if drawn else event

    def end(self, struck: float, late: float, event: Event) -> float:
        if not self.values["length"]:
            return event.time + late
        stray = (2.0 * self._length_random() - 1.0) * self.values["length_percent"] / 100.0
        return float(struck + late + (event.time - struck) * (1.0 + stray))

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        parts = []
        if values["velocity"] and values["mode"] == "around":
            parts.append(f"velocity ±{values['spread']}")
        elif values["velocity"]:
            parts.append(f"velocity {min(values['low'], values['high'])}–{max(values['low'], values['high'])}")
        if values["timing"]:
            parts.append(f"{values['time_ms']} ms")
        if values["length"]:
            parts.append(f"length ±{values['length_percent']} %")
        return " · ".join(parts) or "nothing drawn"


def width_in_words(width: int) -> str:
    """How velocities that lie up to ``width`` apart sound."""
    bounds = (
        (4, "hardly to be heard"),
        (14, "gentle"),
        (31, "subtle, like a good player"),
        (51, "lively"),
        (76, "strong"),
    )
    for bound, words in bounds:
        if width < bound:
            return words
    return "drastic"
