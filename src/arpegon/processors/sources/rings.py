"""Rings: a source of up to six rhythms whose hits are spread evenly, one ring each."""

from __future__ import annotations

import math
import random
from collections.abc import Mapping
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.entries import Entries
from arpegon.core.processing.parameters import (
    Channel,
    NoteKey,
    NoteValue,
    Number,
    Switch,
    seed_param,
    swing_param,
)
from arpegon.core.processing.patterns import Patterns, PatternTurn, chosen, pattern_params
from arpegon.core.processing.processor import Context
from arpegon.core.processing.pulse import Pulse
from arpegon.core.processing.toss import TossLane, toss_params
from arpegon.core.theory.euclid import spread_evenly
from arpegon.core.time.rhythm import beats_of
from arpegon.processors.sources.generator import (
    CHANCE_TOSS,
    DEGREE_TOSS,
    VELOCITY,
    Generator,
    chance_param,
    degree_param,
    generator_params,
    reading_params,
)

MAX_RINGS = 6
MAX_STEPS = 32

RINGS = Entries(
    name="rings",
    label="Rings",
    default=[],
    max_count=MAX_RINGS,
    what="ring",
    help="The rings of one pattern, from the outermost in.",
    fields=(
        Number(name="hits", label="Hits", default=4, low=0, high=MAX_STEPS, help="How many of its steps are hit."),
        Number(name="steps", label="Steps", default=8, low=1, high=MAX_STEPS, help="How many steps the ring has."),
        Number(name="turn", label="Turned by", default=0, low=-31, high=31, help="By how many steps it is turned."),
        NoteValue(name="rate", label="Rate", default="1/16", help="The time from one of its steps to the next."),
        NoteKey(name="note", label="Note", default=60, help="What it plays, where rings are notes."),
        degree_param("The degree of the scale that it plays, where rings are degrees."),
        VELOCITY,
        Number(
            name="accent",
            label="First hit",
            default=0,
            low=-60,
            high=60,
            help="How much harder or softer the first hit of each round is struck.",
        ),
        Number(
            name="length",
            label="Length",
            default=0.5,
            low=0.05,
            high=8.0,
            step=0.05,
            help="How much of a step its notes sound.",
        ),
        chance_param("How often a hit sounds."),
        Channel(
            name="channel",
            label="Channel",
            default=0,
            low=0,
            zero="the source's",
            help="A MIDI channel of its own; 0 takes the source's.",
        ),
        Switch(name="silent", label="Silent", default=False, help="Let this ring rest."),
    ),
)

RING_TOSS = (
    TossLane(name="hits", label="Hits", low=0, high=32, rest_low=2, rest_high=7, on=True),
    TossLane(name="steps", label="Steps", low=1, high=32, rest_low=8, rest_high=16),
    TossLane(name="turn", label="Turn", low=-31, high=31, rest_low=0, rest_high=7, on=True),
    TossLane(name="note", label="Note", low=0, high=127, rest_low=48, rest_high=72),
    DEGREE_TOSS,
    TossLane(name="velocity", label="Velocity", low=1, high=127, rest_low=60, rest_high=115),
    TossLane(name="length", label="Length", low=0.05, high=8.0, rest_low=0.2, rest_high=1.0, step=0.05),
    CHANCE_TOSS,
)

_FIRST: list[list[dict[str, Any]]] = [
    [
        {"hits": 5, "note": 60},
        {"hits": 3, "note": 67},
        {"hits": 7, "steps": 12, "note": 72, "velocity": 70},
    ]
]


class Rings(Generator):
    """Up to six rhythms at once, each with its hits spread as evenly as possible over its steps (Toussaint 2005).

    Each ring turns at a rate of its own and plays a note or a degree of the scale, on the source's channel or one
    of its own: drums, or scale tones that meet and part. Rings of different lengths run against each other in step.
    """

    kind = "rings"
    label = "Rings"
    summary = "Up to six rhythms with evenly spread hits, turning against each other."
    params = (
        *pattern_params(
            Patterns(name="patterns", label="Patterns", default=_FIRST, one=RINGS, min_count=1, help="Sets of rings.")
        ),
        *reading_params("rings"),
        swing_param("steps"),
        seed_param("the same chances"),
        *generator_params(low=0, high=127, in_scale=False),
        *toss_params(RING_TOSS, RINGS),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._turn = PatternTurn()
        self._patterns: list[list[dict[str, Any]]] = []
        self._pulses = [Pulse(context.pace) for _ in range(MAX_RINGS)]
        self._firsts: list[int | None] = [0] * MAX_RINGS
        self._numbers_now = [-1] * MAX_RINGS
        self._go_on: list[int | None] = [None] * MAX_RINGS
        """The number of each ring's next step, where the beats that it follows were set to another place."""
        self._ring = 0
        super().__init__(values, context)

    def on_settings(self) -> None:
        values = self.values
        self._patterns = [RINGS.filled(rings) for rings in values["patterns"]]
        wanted = chosen(values, len(self._patterns))
        at_once = self.running and values["change"] == "now" and wanted != self._turn.playing
        if at_once or not self.running:
            self._turn.playing = wanted
        for pulse in self._pulses:
            pulse.clock = self.context.pace
            pulse.swing = values["swing"] / 100.0
        self._set_rates(self.seen)
        for pulse in self._pulses if values["starts"] == "play" else ():
            pulse.join(self.seen)
        if at_once and values["from_first"]:
            self._firsts[0] = None
            self._others_begin(self._pulses[0].due())

    def _rings(self) -> list[dict[str, Any]]:
        """The rings that play."""
        return self._patterns[self._turn.playing % len(self._patterns)] if self._patterns else []

    def _set_rates(self, now: float) -> None:
        for ring, pulse in zip(self._rings(), self._pulses, strict=False):
            pulse.go_on(beats_of(ring["rate"], self.context.meter), self.on_beat, now)

    # -- steps -------------------------------------------------------------------------------------

    def forget_launch(self) -> None:
        super().forget_launch()
        self._turn.forget()

    def begun(self, time: float) -> None:
        self._turn.begin(chosen(self.values, len(self._patterns)))
        first = 0 if self.counts_from_start else None
        self._firsts = [first] * MAX_RINGS
        self._go_on = [None] * MAX_RINGS
        self._numbers_now = [-1] * MAX_RINGS
        for pulse in self._pulses:
            pulse.begin(time)
        self._set_rates(time)

    def look_anew(self) -> None:
        for pulse in self._pulses:
            pulse.restart()
        if not self.counts_from_start:
            self._go_on = [
                None if first is None or number < 0 else number + 1
                for first, number in zip(self._firsts, self._numbers_now, strict=True)
            ]

    def next_due(self) -> float:
        due, self._ring = min(
            ((pulse.due(), place) for place, (_, pulse) in enumerate(zip(self._rings(), self._pulses, strict=False))),
            default=(math.inf, 0),
        )
        return due

    def do_next(self, time: float, out: list[Event]) -> None:
        self.next_due()
        place = self._ring
        pulse = self._pulses[place]
        taken = pulse.take(time)
        first = self._firsts[place]
        goes_on, self._go_on[place] = self._go_on[place], None
        if goes_on is not None:
            first = self._firsts[place] = taken - goes_on
        if first is None:
            first = self._firsts[place] = taken
        number = self._numbers_now[place] = taken - first
        ring = self._rings()[place]
        if place == 0 and self.over(number, ring["steps"]):
            return
        beat = pulse.beat_of(taken) - self.context.pace.origin
        if place == 0 and self._turn.turn(
            chosen(self.values, len(self._patterns)),
            self.values["change"],
            number,
            beat,
            self.context.bars_passed(time, beat),
            (number - self._turn.since) % ring["steps"] == 0,
            self.values["from_first"],
            self.values["change_bars"],
        ):
            self._taken_over(time, number)
            ring = self._rings()[0]
        self._hit(place, ring, number, taken, time, out)

    def _taken_over(self, time: float, number: int) -> None:
        """Another pattern plays from this moment on: its rings begin with it, or go on in step."""
        self._set_rates(time)
        if self.values["from_first"]:
            # The first ring has just taken its step, which is now its first.
            self._firsts[0] = number + (self._firsts[0] or 0)
            self._others_begin(time)

    def _others_begin(self, time: float) -> None:
        """All rings but the first begin at a time (infinity: when the transport runs), and are counted anew with it."""
        self._turn.since = 0
        self._firsts[1:] = [None] * (MAX_RINGS - 1)
        for pulse in self._pulses[1:] if time < math.inf else ():
            pulse.begin(time)

    def _hit(self, place: int, ring: Mapping[str, Any], number: int, taken: int, time: float, out: list[Event]) -> None:
        inside = (taken - (self._firsts[place] or 0)) % ring["steps"]
        rhythm = spread_evenly(min(ring["hits"], ring["steps"]), ring["steps"], ring["turn"])
        if ring["silent"] or not rhythm[inside]:
            return
        if ring["chance"] < 100:
            seed = self.values["seed"] if self.context.seed is None else self.context.seed
            draw = random.Random(f"{seed}/{self.context.identity}/ring {place}/{number}")
            if draw.random() * 100.0 >= ring["chance"]:
                return
        note = self.read(ring)
        loudness = ring["velocity"] + (ring["accent"] if inside == rhythm.index(True) else 0)
        seconds = self.context.pace.seconds(self._pulses[place].length(taken) * ring["length"])
        channel = ring["channel"] - 1 if ring["channel"] else None
        self.sound(note, max(1, loudness), seconds, time, out, channel)

    def live(self, time: float) -> list[float]:
        going = self.running and (not self.on_beat or self.context.clock.playing)
        places = [
            float((self._numbers_now[place]) % ring["steps"] if going and self._numbers_now[place] >= 0 else -1)
            for place, ring in enumerate(self._rings())
        ]
        return [float(self._turn.playing), *places]

    # -- words -------------------------------------------------------------------------------------

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        patterns = values["patterns"]
        if not patterns:
            return "it has no rings"
        rings = RINGS.filled(patterns[chosen(values, len(patterns))])
        if all(ring["silent"] or ring["hits"] == 0 for ring in rings):
            return "none of its rings has a hit"
        if all(ring["silent"] or ring["hits"] == 0 or ring["chance"] == 0 for ring in rings):
            return "none of its rings has a chance"
        return cls.range_swallows(values)

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        patterns = values["patterns"]
        rings = RINGS.filled(patterns[chosen(values, len(patterns))]) if patterns else []
        words = [f"{min(ring['hits'], ring['steps'])}:{ring['steps']}" for ring in rings]
        return " · ".join(words) or "no rings"
