"""Steps: a source that walks over a ring of steps."""

from __future__ import annotations

import random
from collections.abc import Mapping
from typing import Any

from arpegon.core.counting import counted
from arpegon.core.events import Event
from arpegon.core.processing.entries import Entries
from arpegon.core.processing.parameters import Choice, NoteKey, NoteValue, Number, Switch, seed_param, swing_param
from arpegon.core.processing.patterns import Patterns, PatternTurn, chosen, pattern_params
from arpegon.core.processing.processor import Context
from arpegon.core.processing.pulse import Pulse
from arpegon.core.processing.toss import TossLane, toss_params
from arpegon.core.theory.scales import Key, stage_key
from arpegon.core.theory.walks import WALKS, RingWalk, figure
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
from arpegon.processors.stages.scale import moves

MAX = 32
_MAX_TIED = 64.0

STEPS = Entries(
    name="steps",
    label="Steps",
    default=[],
    max_count=MAX,
    help="The steps on the ring.",
    fields=(
        Choice(
            name="play",
            label="Plays",
            default="note",
            options={"note": "note", "tie": "tie", "rest": "rest", "skip": "skip"},
            help="A note; a tie lengthens the note before; a rest is silent and takes its time; a skip is left out.",
        ),
        NoteKey(name="note", label="Note", default=60, help="The note, where steps are notes."),
        degree_param("The degree of the scale, where steps are degrees: 1 is the root, 8 the root above."),
        VELOCITY,
        Number(
            name="length",
            label="Length",
            default=0.7,
            low=0.05,
            high=4.0,
            step=0.05,
            help="How much of its time the note sounds; above 1 it goes on into the steps after.",
        ),
        chance_param("How often the step sounds."),
    ),
)

STEP_TOSS = (
    TossLane(name="note", label="Note", low=0, high=127, rest_low=48, rest_high=72, on=True),
    DEGREE_TOSS,
    TossLane(name="velocity", label="Velocity", low=1, high=127, rest_low=60, rest_high=115, on=True),
    TossLane(name="length", label="Length", low=0.05, high=4.0, rest_low=0.2, rest_high=1.0, step=0.05),
    CHANCE_TOSS,
    TossLane(
        name="play",
        label="Skips",
        low=0,
        high=100,
        rest_low=0,
        rest_high=25,
        step=5,
        way="share",
        mark="skip",
        rest="note",
    ),
    TossLane(name="stride", label="Stride", low=1, high=31, rest_low=1, rest_high=7, way="whole"),
)

_FIRST: list[list[dict[str, Any]]] = [
    [{"note": note} for note in (60, 67, 63, 72)] + [{"note": 70}, {"play": "rest"}, {"note": 67}, {"note": 63}]
]


class Steps(Generator):
    """A ring of up to 32 steps, walked over at a rate: each a note or degree, a tie, a rest, or a skip.

    The order of play is a walk over the ring: by a stride (a star on the ring), round, there and back, drifting,
    shuffled anew each round, or random; mirrored; from any step. A skip is left out, and the walk goes on to the
    next step; a rest is silent and takes its time. What is drawn by chance depends on the seed and the number of
    the step alone, so a place in the piece sounds the same however it is reached.
    """

    kind = "steps"
    label = "Steps"
    summary = "Walks over a ring of steps, in dozens of orders."
    params = (
        *pattern_params(
            Patterns(
                name="patterns", label="Patterns", default=_FIRST, one=STEPS, min_count=1, help="The rings of steps."
            )
        ),
        Choice(
            name="walk",
            label="Walk",
            default="round",
            options=WALKS,
            help="The way over the ring; drift, shuffled and random are drawn from the seed.",
        ),
        Number(
            name="stride",
            label="Stride",
            default=1,
            low=1,
            high=31,
            help="How many steps further each step goes: the star on the ring.",
        ),
        Switch(
            name="shift",
            label="Shift after each figure",
            default=True,
            help="Where the stride closes before it has reached all steps, the walk goes on one step further.",
        ),
        Switch(name="mirrored", label="Mirrored", default=False, help="Walk the other way round the ring."),
        Number(name="first", label="First step", default=1, low=1, high=MAX, help="The step at which the walk begins."),
        NoteValue(name="rate", label="Rate", default="1/16", help="The time from one step to the next."),
        swing_param("steps"),
        *reading_params("steps"),
        seed_param("the same chances and random walks"),
        *generator_params(low=24, high=96),
        *toss_params(STEP_TOSS, STEPS),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._pulse = Pulse(context.pace)
        self._turn = PatternTurn()
        self._patterns: list[list[dict[str, Any]]] = []
        self._walks: list[RingWalk] = []
        self._first: int | None = 0
        self._goes_on: int | None = None
        """The number of the next step, where the beats that it follows were set to another place."""
        self._number = 0
        super().__init__(values, context)

    def on_settings(self) -> None:
        values = self.values
        self._patterns = [STEPS.filled(steps) for steps in values["patterns"]]
        self._walks = [self._walk(steps) for steps in self._patterns]
        pulse = self._pulse
        pulse.clock = self.context.pace
        pulse.swing = values["swing"] / 100.0
        pulse.go_on(beats_of(values["rate"], self.context.meter), self.on_beat, self.seen)
        if values["starts"] == "play":
            pulse.join(self.seen)
        wanted = chosen(values, len(self._patterns))
        if not self.running:
            self._turn.playing = wanted
        elif values["change"] == "now":
            self._turn.take_over(wanted, self._next_number(), values["from_first"])

    def _walk(self, steps: list[dict[str, Any]]) -> RingWalk:
        values = self.values
        places = figure(
            len(steps),
            values["stride"],
            shift=values["shift"],
            mirrored=values["mirrored"],
            start=(values["first"] - 1) % len(steps),
        )
        skipped = {place for place, step in enumerate(steps) if step["play"] == "skip"}
        return RingWalk(values["walk"], places, skipped, self._seed_text())

    def _seed_text(self) -> str:
        seed = self.values["seed"] if self.context.seed is None else self.context.seed
        return f"{seed}/{self.context.identity}"

    # -- steps -------------------------------------------------------------------------------------

    def forget_launch(self) -> None:
        super().forget_launch()
        self._turn.forget()

    def begun(self, time: float) -> None:
        self._turn.begin(chosen(self.values, len(self._patterns)))
        # What the transport starts is counted from the start of the piece, all else from its own first step.
        self._first = 0 if self.counts_from_start else None
        self._goes_on = None
        self._pulse.begin(time)

    def look_anew(self) -> None:
        self._pulse.restart()
        if self._first is not None and not self.counts_from_start:
            self._goes_on = self._number + 1

    def next_due(self) -> float:
        return self._pulse.due() if self._patterns else float("inf")

    def do_next(self, time: float, out: list[Event]) -> None:
        pulse = self._pulse
        taken = pulse.take(time)
        if self._first is None:
            self._first = taken
        if self._goes_on is not None:
            self._first, self._goes_on = taken - self._goes_on, None
        number = self._number = taken - self._first
        walk = self._walks[self._turn.playing % len(self._walks)]
        if self.over(number, max(1, len(walk))):
            return
        beat = pulse.beat_of(taken) - self.context.pace.origin
        self._turn.turn(
            chosen(self.values, len(self._patterns)),
            self.values["change"],
            number,
            beat,
            self.context.bars_passed(time, beat),
            not len(walk) or (number - self._turn.since) % len(walk) == 0,
            self.values["from_first"],
            self.values["change_bars"],
        )
        step = self._step(number)
        if step is None or step["play"] != "note":
            return
        if step["chance"] < 100:
            draw = random.Random(f"{self._seed_text()}/chance {number}")
            if draw.random() * 100.0 >= step["chance"]:
                return
        note = self.read(step)
        self.sound(note, step["velocity"], self._seconds(taken, number, step), time, out)

    def _next_number(self) -> int:
        """The number of the step that is due next, known once its pulse was asked when."""
        self._pulse.due()
        return 0 if self._first is None else self._pulse.step - self._first

    def _step(self, number: int) -> dict[str, Any] | None:
        """The step that is played at a number; ``None`` where all are skipped."""
        playing = self._turn.playing % len(self._patterns)
        place = self._walks[playing].place(number - self._turn.since)
        return None if place is None else self._patterns[playing][place]

    def _seconds(self, taken: int, number: int, step: Mapping[str, Any]) -> float:
        """How long a note sounds: over all ties that follow, and a share of the last step."""
        beats = 0.0
        while beats < _MAX_TIED and (following := self._step(number + 1)) is not None and following["play"] == "tie":
            beats += self._pulse.length(taken)
            taken, number = taken + 1, number + 1
        return self.context.pace.seconds(beats + self._pulse.length(taken) * step["length"])

    def live(self, time: float) -> list[float]:
        playing = self._turn.playing % max(1, len(self._patterns))
        inside = self._number - self._turn.since
        going = self.running and self._pulse.step > 0 and (not self.on_beat or self.context.clock.playing)
        place = self._walks[playing].place(inside) if going and self._walks else None
        return [float(-1 if place is None else place), float(playing), float(inside)]

    # -- words -------------------------------------------------------------------------------------

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        patterns = values["patterns"]
        if not patterns:
            return "it has no steps"
        steps = STEPS.filled(patterns[chosen(values, len(patterns))])
        if all(step["play"] == "skip" for step in steps):
            return "all its steps are skipped"
        if all(step["play"] != "note" for step in steps):
            return "none of its steps plays a note"
        if all(step["play"] != "note" or step["chance"] == 0 for step in steps):
            return "none of its steps has a chance"
        return cls.range_swallows(values)

    @classmethod
    def fit_toss(cls, values: Mapping[str, Any], pattern: list[dict[str, Any]], key: Key) -> list[dict[str, Any]]:
        if not values["in_scale"]:
            return pattern
        inside = moves(stage_key(values, key), "nearest")
        low, high = values["toss_bounds"].get("note", (0, 127))
        in_key = [note for note in range(int(low), int(high) + 1) if inside[note % 12] == 0]

        def fitted(step: dict[str, Any]) -> dict[str, Any]:
            note = step.get("note")
            if note is None or not low <= note <= high or not in_key:
                return step
            return {**step, "note": min(in_key, key=lambda one: abs(one - note))}

        return [fitted(step) for step in pattern]

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        patterns = values["patterns"]
        count = len(patterns[chosen(values, len(patterns))]) if patterns else 0
        stride = f" · stride {values['stride']}" if values["stride"] > 1 else ""
        walk = "" if values["walk"] == "round" else f" · {WALKS[values['walk']]}"
        return f"{counted(count, 'step')} · {values['rate']}{stride}{walk}"
