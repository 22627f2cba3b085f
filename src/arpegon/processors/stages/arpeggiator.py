"""Arpeggiator: held notes played one after the other, as long as they are held."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import Event
from arpegon.core.notes.pairing import note_key
from arpegon.core.processing.own_tempo import OWN_TEMPO
from arpegon.core.processing.parameters import Choice, NoteValue, Number, Numbers, Switch, seed_param, swing_param
from arpegon.core.processing.patterns import Patterns, PatternTurn, chosen, pattern_params
from arpegon.core.processing.processor import Context, KeyBook
from arpegon.core.processing.pulse import Pulse
from arpegon.core.processing.starting import ActionRun, Launch, launch_params, times_param
from arpegon.core.processing.toss import toss_params
from arpegon.core.theory.orders import DRAWN, ORDERS, cycle
from arpegon.core.time.clock import bar_beats
from arpegon.core.time.rhythm import beats_of
from arpegon.processors.stages.lane import LANE, LANE_TOSS

_SHORTEST = 0.002
_NEXT = {field.name: field.default for field in LANE.fields}
"""What a step is where there is no lane."""


class Arpeggiator(KeyBook):
    """Plays the notes that are held one after the other, in an order, at a rate.

    The first key of a chord waits ``gather_ms`` for the others, which no hand strikes at one moment; where all are let
    go before, it waits no longer. Held notes may change at any time; the walk goes on over what is held now. With
    ``latch`` the notes stay until a key is pressed while none is down. Up to eight patterns, each a lane of steps, give
    each step a note of its own (the n-th held one, all, a rest, or a tie that lets the one before sound on), and an
    octave, velocity, length and chance. The played notes themselves do not pass, unless asked.
    """

    kind = "arpeggiator"
    label = "Arpeggiator"
    summary = "Plays held notes one after the other."
    timed = True
    cut_by_bypass = True
    params = (
        Choice(name="order", label="Order", default="up", options=ORDERS, help="The way over the notes that are held."),
        Number(
            name="stride",
            label="Stride",
            default=2,
            low=1,
            high=31,
            help="For “by a stride”: how many notes further each step goes, round and round; the star on the ring.",
        ),
        Number(name="octaves", label="Octaves", default=1, low=1, high=7, help="Over how many octaves the notes go."),
        Choice(
            name="octave_way",
            label="Octaves go",
            default="up",
            options={"up": "up", "down": "down", "both": "both ways"},
            help="Whether the further octaves lie above, below, or on both sides in turn, the second one above.",
        ),
        NoteValue(name="rate", label="Rate", default="1/16", help="The time from one step to the next."),
        Number(
            name="gate",
            label="Length",
            default=70,
            low=5,
            high=200,
            unit="%",
            help="How much of a step each note sounds; above 100 notes overlap.",
        ),
        swing_param("steps"),
        Switch(
            name="latch", label="Latch", default=False, help="Notes stay until a key is pressed while none is down."
        ),
        Choice(
            name="starts",
            label="It starts",
            default="key",
            options={"key": "with the key", "beat": "on the beat", "action": "by an action"},
            help="With the first key, on the transport's beats, which must run for it, or when an action starts it.",
        ),
        Number(
            name="gather_ms",
            label="Gathers a chord",
            default=25,
            low=0,
            high=100,
            unit="ms",
            help="How long the first key waits for the others of its chord, where keys start the walk; all that it "
            "plays is later by this.",
        ),
        times_param(),
        *launch_params(),
        *OWN_TEMPO,
        Switch(
            name="anew",
            label="First key anew",
            default=True,
            help="A new first key begins the walk again.",
        ),
        Choice(
            name="loudness",
            label="Velocity",
            default="played",
            options={"played": "as played", "fixed": "one value"},
            help="Each note as its key was struck, or all alike.",
        ),
        Number(name="fixed", label="Value", default=96, low=1, high=127, help="The velocity of all notes."),
        Numbers(
            name="accents",
            label="Accents",
            default=[],
            low=0.0,
            high=3.0,
            max_count=32,
            whole=False,
            help="Factors on the velocity of one step after the other.",
        ),
        *pattern_params(
            Patterns(
                name="patterns",
                label="Patterns",
                default=[],
                one=LANE,
                help="Lanes of steps, each with what it plays; with none, every step plays the next note.",
            )
        ),
        Choice(
            name="fewer",
            label="Where fewer are held",
            default="wrap",
            options={"wrap": "begin over", "rest": "rest"},
            help="What a step does that asks for the fifth note where four are held.",
        ),
        Switch(
            name="repeats",
            label="May repeat",
            default=False,
            help="Whether the random order may play one note twice running.",
        ),
        Switch(name="through", label="Played notes pass", default=False, help="Let the held notes sound as well."),
        seed_param("the same random order"),
        *toss_params(LANE_TOSS, LANE),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._held: dict[int, Event] = {}
        """The notes that are walked over, in the order in which they were pressed, by channel and note."""
        self._pulse = Pulse(context.pace)
        self._turn = PatternTurn()
        self._lanes: list[list[dict[str, Any]]] = []
        self.run = ActionRun()
        self._launch = Launch()
        self._number = 0
        self._place = 0
        self._order: list[int] = []
        self._last_pick = -1
        self._gathers = False
        """Whether the first key waits for the others of its chord."""
        super().__init__(values, context)

    def on_configure(self) -> None:
        values = self.values
        if values["starts"] != "action":
            self._launch.forget()
        self._pulse.swing = values["swing"] / 100.0
        self._pulse.clock = self.context.pace
        self._pulse.go_on(beats_of(values["rate"], self.context.meter), values["starts"] == "beat", self.seen)
        self._lanes = [LANE.filled(lane) for lane in values["patterns"]]
        if not self._pulse.running:
            self._turn.playing = self._chosen_pattern()
        elif values["change"] == "now":
            self._turn.take_over(self._chosen_pattern(), self._pulse.step, values["from_first"])
        if self.new_seed():
            self._random = self.generator()

    def restart(self) -> None:
        self._random = self.generator()
        self._begin_walk()
        self._pulse.restart()

    def on_join(self, time: float) -> None:
        super().on_join(time)
        self._pulse.restart(time)

    def on_jump(self) -> None:
        self._pulse.restart()

    def forget(self) -> None:
        self._held.clear()
        self._gathers = False
        self._launch.forget()
        self._pulse.stop()
        self.run.stop()

    def forget_launch(self) -> None:
        self._turn.forget()
        self._launch.forget()

    def command(self, act: str, value: float | None, time: float) -> None:
        if act == "start" and self.values["starts"] == "action":
            values, meter = self.values, self.context.meter
            times = values["times"] if value is None else int(value)
            units = {"step": beats_of(values["rate"], meter), "bar": bar_beats(meter)}
            unit = units.get(values["launch"], 4.0 / meter[1])
            if self._launch.ask(self.context.clock, time, values["launch"], unit, values["launch_bars"], times):
                self._set_off(times, time)
        elif act == "stop" and self.values["starts"] == "action":
            self._launch.forget()
            self.run.stop()
            self._pulse.stop()

    def _set_off(self, times: int, time: float) -> None:
        self._launch.forget()
        self.run.start(times)
        self._begin_walk()
        self._pulse.begin(time)

    @property
    def waits(self) -> bool:
        return self._launch.waits

    def live(self, time: float) -> list[float]:
        lane = self._lane()
        inside = (self._number - self._turn.since) % len(lane) if lane else self._number
        return [float(inside if self._pulse.running else -1), float(self._turn.playing)]

    def _begin_walk(self) -> None:
        self._place = 0
        self._order = []
        self._turn.begin(self._chosen_pattern())

    def _chosen_pattern(self) -> int:
        return chosen(self.values, len(self._lanes))

    def _lane(self) -> list[dict[str, Any]]:
        """The lane that plays."""
        return self._lanes[min(self._turn.playing, len(self._lanes) - 1)] if self._lanes else []

    def _walks(self) -> bool:
        """Whether keys may start the walk."""
        return bool(self.values["starts"] != "action")

    # -- keys --------------------------------------------------------------------------------------

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        if len(self.down) == 1:
            self._held.clear()
            if self._walks() and (self.values["anew"] or not self._pulse.running):
                self._begin_walk()
                self._gathers = self.values["starts"] == "key"
                self._pulse.begin(event.time + (self.values["gather_ms"] / 1000.0 if self._gathers else 0.0))
        self._held.pop(note_key(event), None)
        self._held[note_key(event)] = event
        if self.values["through"]:
            self.ledger.start(strike, (event,), out)

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        self.ledger.stop(strike, event.time, event.data2, out)
        if self._gathers and not self.down:
            self._step(event.time, out)
        if not self._gathers and note_key(event) not in self.down and not self.values["latch"]:
            self._held.pop(note_key(event), None)
        if not self._held and self._walks():
            self._pulse.stop()

    # -- steps -------------------------------------------------------------------------------------

    def due(self) -> float:
        return min(super().due(), self._pulse.due(), self._launch.due(self.context.clock))

    def advance(self, until: float, out: list[Event]) -> None:
        # A step falls only when time has moved past it, so that a whole chord is there.
        while True:
            queued, step = super().due(), self._pulse.due()
            start = self._launch.due(self.context.clock)
            if start <= until and start <= min(queued, step):
                self._set_off(self._launch.times, max(start, self.seen))
            elif queued <= until and queued <= step:
                self.do_queued(queued, out)
            elif step < until:
                self._step(max(step, self.seen), out)
            else:
                break
        self.seen = max(self.seen, until)

    def _step(self, time: float, out: list[Event]) -> None:
        number = self._number = self._pulse.take(time)
        if not self.values["latch"] and not self._gathers:
            for key in [key for key in self._held if key not in self.down]:
                del self._held[key]
        self._gathers = False
        notes = self.notes()
        if self.run.ends(number, self._round(notes)) or (not notes and self._walks()):
            self._pulse.stop()
            return
        place = self._turned(number, time)
        lane = self._lane()
        step = lane[place % len(lane)] if lane else _NEXT
        if step["chance"] < 100 and self._random.random() * 100.0 >= step["chance"]:
            return
        if step["play"] == "tie":
            return  # the step before it has been given this one's time as well
        notes = self._chosen(step["play"], notes) if notes else []
        if notes:
            self._sound(notes, step, number, time, out)

    def _round(self, notes: list[Event]) -> int:
        """How many steps one round has, for what is to be played a number of times."""
        order = self.values["order"]
        return len(self._lane() or (notes if order in DRAWN else cycle(order, len(notes), self.values["stride"]))) or 1

    def _turned(self, number: int, time: float) -> int:
        """The place in the lane of a step, after another pattern may have taken over."""
        lane = self._lane()
        beat = self._pulse.beat_of(number) - self.context.pace.origin
        self._turn.turn(
            self._chosen_pattern(),
            self.values["change"],
            number,
            beat,
            self.context.bars_passed(time, beat),
            not lane or (number - self._turn.since) % len(lane) == 0,
            self.values["from_first"],
            self.values["change_bars"],
        )
        return number - self._turn.since

    def _seconds(self, number: int) -> float:
        """How long what begins with a step sounds: over all ties that follow, and a share of the last of them."""
        lane = self._lane()
        place = number - self._turn.since
        beats = 0.0
        if lane:
            while lane[(place + 1) % len(lane)]["play"] == "tie" and beats < 64.0:
                beats += self._pulse.length(number)
                number, place = number + 1, place + 1
        factor = lane[place % len(lane)]["length"] if lane else 1.0
        beats += self._pulse.length(number) * self.values["gate"] / 100.0 * factor
        return max(_SHORTEST, self.context.pace.seconds(beats))

    def _chosen(self, play: str | int, notes: list[Event]) -> list[Event]:
        """The notes of a step."""
        if play == "rest":
            return []
        if play == "all" or (play == "next" and self.values["order"] == "chord"):
            return notes
        if play == "next":
            return [notes[self._next_place(len(notes))]]
        place = int(play) - 1
        if place >= len(notes) and self.values["fewer"] == "rest":
            return []
        return [notes[place % len(notes)]]

    def _next_place(self, count: int) -> int:
        order = self.values["order"]
        if order == "random":
            pick = self._random.randrange(count)
            if pick == self._last_pick and count > 1 and not self.values["repeats"]:
                pick = (pick + 1 + self._random.randrange(count - 1)) % count
            self._last_pick = pick
            return pick
        if order == "shuffled":
            if not self._order or max(self._order) >= count or len(self._order) != count or self._place >= count:
                self._order = list(range(count))
                self._random.shuffle(self._order)
                self._place = 0
        else:
            self._order = cycle(order, count, self.values["stride"])
        place = self._order[self._place % len(self._order)]
        self._place = self._place + 1 if order == "shuffled" else (self._place + 1) % len(self._order)
        return place

    def notes(self) -> list[Event]:
        """What is walked over: the held notes over all octaves, sorted as the order asks."""
        held = list(self._held.values())
        if self.values["order"] not in ("played", *DRAWN):
            held.sort(key=lambda event: (event.data1, event.channel))
        return [
            Event(event.time, event.status, event.data1 + 12 * octave, event.data2)
            for octave in octaves(self.values["octaves"], self.values["octave_way"])
            for event in held
            if 0 <= event.data1 + 12 * octave <= 127
        ]

    def _sound(self, notes: list[Event], step: Mapping[str, Any], number: int, time: float, out: list[Event]) -> None:
        accents = self.values["accents"]
        factor = step["velocity"] * (accents[number % len(accents)] if accents else 1.0)
        shift = 12 * int(step["octave"])
        made = []
        for event in notes:
            if 0 <= event.data1 + shift <= 127:
                loudness = self.values["fixed"] if self.values["loudness"] == "fixed" else event.data2
                velocity = max(1, min(127, round(loudness * factor)))
                made.append(Event(time, event.status, event.data1 + shift, velocity))
        sounding = next(self._numbers)
        self.ledger.start(sounding, made, out)
        self.later(time + self._seconds(number), lambda now, out: self.ledger.stop(sounding, now, 64, out))

    # -- words -------------------------------------------------------------------------------------

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        lanes = [LANE.filled(lane) for lane in values["patterns"]]
        if values["through"] or not lanes:
            return None
        lane = lanes[chosen(values, len(lanes))]
        if lane and all(step["play"] in ("rest", "tie") for step in lane):
            return "all steps of its pattern are rests"
        if lane and all(step["chance"] == 0 or step["play"] in ("rest", "tie") for step in lane):
            return "all steps of its pattern have no chance"
        return None

    @classmethod
    def waits_for_clock(cls, values: Mapping[str, Any]) -> bool:
        return bool(values["starts"] == "beat" and not values["through"])

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        order = f"stride {values['stride']}" if values["order"] == "stride" else ORDERS[values["order"]].split(",")[0]
        span = f" · {values['octaves']} oct" if values["octaves"] > 1 else ""
        return f"{order} · {values['rate']}{span}"


def octaves(count: int, way: str) -> list[int]:
    """The octaves over which notes go, in the order in which they follow one another."""
    if way == "up":
        return list(range(count))
    if way == "down":
        return [-octave for octave in range(count)]
    below = (count - 1) // 2
    return list(range(-below, count - below))
