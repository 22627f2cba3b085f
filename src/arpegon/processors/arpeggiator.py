"""Arpeggiator: held notes played one after the other, as long as they are held."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import Event
from arpegon.core.ledger import note_key
from arpegon.core.orders import DRAWN, ORDERS, cycle
from arpegon.core.parameters import Choice, NoteValue, Number, Numbers, Switch, seed_param, swing_param
from arpegon.core.processor import KeyBook, Setting
from arpegon.core.pulse import Pulse
from arpegon.core.rhythm import beats_of
from arpegon.processors.lane import Lane, step_value

_SHORTEST = 0.002


class Arpeggiator(KeyBook):
    """Plays the notes that are held one after the other, in an order, at a rate.

    All that is pressed at one moment is known before a step falls. Held notes may change at any time; the walk goes
    on over what is held now. With ``latch`` the notes stay until a key is pressed while none is down. The lane gives
    each step a note of its own (the n-th held one, all, a rest, or a tie that lets the one before sound on), and
    octave, velocity, length and chance. The played notes themselves do not pass, unless asked.
    """

    kind = "arpeggiator"
    label = "Arpeggiator"
    summary = "Plays held notes one after the other."
    timed = True
    cut_by_bypass = True
    params = (
        Choice(key="order", label="Order", default="up", options=ORDERS, help="The way over the notes that are held."),
        Number(
            key="stride",
            label="Stride",
            default=2,
            low=1,
            high=31,
            help="For “by a stride”: how many notes further each step goes, round and round; the star on the ring.",
        ),
        Number(key="octaves", label="Octaves", default=1, low=1, high=4, help="Over how many octaves the notes go."),
        Choice(
            key="octave_way",
            label="Octaves go",
            default="up",
            options={"up": "up", "down": "down", "both": "both ways"},
            help="Whether the further octaves lie above, below, or on both sides.",
        ),
        NoteValue(key="rate", label="Rate", default="1/16", help="The time from one step to the next."),
        Number(
            key="gate",
            label="Length",
            default=70,
            low=5,
            high=200,
            unit="%",
            help="How much of a step each note sounds; above 100 notes overlap.",
        ),
        swing_param("steps"),
        Switch(key="latch", label="Latch", default=False, help="Notes stay until a key is pressed while none is down."),
        Choice(
            key="starts",
            label="It starts",
            default="key",
            options={"key": "with the key", "beat": "on the beat"},
            help="With the first key, or on the transport's beats, which must run for it.",
        ),
        Switch(
            key="anew",
            label="First key anew",
            default=True,
            help="A new first key begins the walk again.",
        ),
        Choice(
            key="loudness",
            label="Velocity",
            default="played",
            options={"played": "as played", "fixed": "one value"},
            help="Each note as its key was struck, or all alike.",
        ),
        Number(key="fixed", label="Value", default=96, low=1, high=127, help="The velocity of all notes."),
        Numbers(
            key="accents",
            label="Accents",
            default=[],
            low=0.0,
            high=3.0,
            most=32,
            whole=False,
            help="Factors on the velocity of one step after the other.",
        ),
        Lane(key="lane", label="Lane", default=[], help="What each step plays; with none, all play the next note."),
        Choice(
            key="fewer",
            label="Where fewer are held",
            default="wrap",
            options={"wrap": "begin over", "rest": "rest"},
            help="What a step does that asks for the fifth note where four are held.",
        ),
        Switch(
            key="repeats",
            label="May repeat",
            default=False,
            help="Whether the random order may play one note twice running.",
        ),
        Switch(key="through", label="Played notes pass", default=False, help="Let the held notes sound as well."),
        seed_param("the same random order"),
    )

    def __init__(self, values: Mapping[str, Any], setting: Setting) -> None:
        self._held: dict[int, Event] = {}
        """The notes that are walked over, in the order in which they were pressed, by channel and note."""
        self._pulse = Pulse(setting.clock)
        self._place = 0
        self._order: list[int] = []
        self._last_pick = -1
        super().__init__(values, setting)

    def configured(self) -> None:
        values = self.values
        self._pulse.beats = beats_of(values["rate"], self.setting.meter)
        self._pulse.swing = values["swing"] / 100.0
        self._pulse.on_beat = values["starts"] == "beat"
        if self.new_seed():
            self._random = self.generator()

    def restart(self) -> None:
        self._random = self.generator()
        self._place = 0
        self._order = []
        self._pulse.restart()

    def forget(self) -> None:
        self._held.clear()
        self._pulse.stop()

    # -- keys --------------------------------------------------------------------------------------

    def struck(self, strike: int, event: Event, out: list[Event]) -> None:
        if sum(len(strikes) for strikes in self.down.values()) == 1:
            self._held.clear()
            if self.values["anew"] or not self._pulse.running:
                self._place = 0
                self._order = []
                self._pulse.begin(event.time)
        self._held.pop(note_key(event), None)
        self._held[note_key(event)] = event
        if self.values["through"]:
            self.ledger.start(strike, (event,), out)

    def let_go(self, strike: int, event: Event, out: list[Event]) -> None:
        self.ledger.stop(strike, event.time, event.data2, out)
        if note_key(event) not in self.down and not self.values["latch"]:
            self._held.pop(note_key(event), None)
        if not self._held:
            self._pulse.stop()

    # -- steps -------------------------------------------------------------------------------------

    def due(self) -> float:
        return min(super().due(), self._pulse.due())

    def advance(self, until: float, out: list[Event]) -> None:
        # A step falls only when time has moved past it, so that a whole chord is there.
        while True:
            queued, step = super().due(), self._pulse.due()
            if queued <= until and queued <= step:
                self.do_queued(queued, out)
            elif step < until:
                self._step(max(step, self.seen), out)
            else:
                break
        self.seen = max(self.seen, until)

    def _step(self, time: float, out: list[Event]) -> None:
        number = self._pulse.take(time)
        if not self.values["latch"]:
            for key in [key for key in self._held if key not in self.down]:
                del self._held[key]
        notes = self.notes()
        if not notes:
            self._pulse.stop()
            return
        lane = self.values["lane"]
        step = lane[number % len(lane)] if lane else {"play": "next"}
        if step_value(step, "chance") < 100 and self._random.random() * 100.0 >= step_value(step, "chance"):
            return
        if step["play"] == "tie":
            return  # the step before it has been given this one's time as well
        chosen = self._chosen(step["play"], notes)
        if chosen:
            self._sound(chosen, step, number, time, out)

    def _seconds(self, number: int) -> float:
        """How long what begins with a step sounds: over all ties that follow, and a share of the last of them."""
        lane = self.values["lane"]
        beats = 0.0
        if lane:
            while lane[(number + 1) % len(lane)]["play"] == "tie" and beats < 64.0:
                beats += self._pulse.length(number)
                number += 1
        factor = step_value(lane[number % len(lane)], "length") if lane else 1.0
        beats += self._pulse.length(number) * self.values["gate"] / 100.0 * factor
        return max(_SHORTEST, self.setting.clock.seconds(beats))

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

    def _sound(self, chosen: list[Event], step: Mapping[str, Any], number: int, time: float, out: list[Event]) -> None:
        accents = self.values["accents"]
        factor = step_value(step, "velocity") * (accents[number % len(accents)] if accents else 1.0)
        shift = 12 * int(step_value(step, "octave"))
        made = []
        for event in chosen:
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
        lane = values["lane"]
        if values["through"] or not lane:
            return None
        if all(step["play"] in ("rest", "tie") for step in lane):
            return "all steps of its lane are rests"
        if all(step_value(step, "chance") == 0 or step["play"] in ("rest", "tie") for step in lane):
            return "all steps of its lane have no chance"
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
    return sorted(range(-(count - 1), count))
