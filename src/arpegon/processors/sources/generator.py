"""What the sources have in common that make notes by themselves: steps, rings, rebound."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, ClassVar

from arpegon.core.events import NOTE_ON, Event
from arpegon.core.processing.own_tempo import OWN_TEMPO
from arpegon.core.processing.parameters import Channel, Choice, NoteKey, Number, Param, Switch, key_params
from arpegon.core.processing.processor import Context, KeyBook
from arpegon.core.processing.starting import ActionRun, Launch, launch_params, times_param
from arpegon.core.processing.toss import TossLane
from arpegon.core.theory.scales import Key, stage_key
from arpegon.core.time.clock import bar_beats
from arpegon.core.time.rhythm import beats_of
from arpegon.processors.stages.scale import moves
from arpegon.processors.stages.transpose import by_degrees

SHORTEST = 0.002


VELOCITY = Number(name="velocity", label="Velocity", default=96, low=1, high=127, help="How hard it is struck.")
DEGREE_TOSS = TossLane(name="degree", label="Degree", low=-20, high=22, rest_low=1, rest_high=8)
CHANCE_TOSS = TossLane(name="chance", label="Chance", low=0, high=100, rest_low=60, rest_high=100, step=5)


def degree_param(help: str, default: int = 1) -> Number:
    """The declaration of a degree of the scale, over three octaves."""
    return Number(name="degree", label="Degree", default=default, low=-20, high=22, help=help)


def chance_param(help: str) -> Number:
    """The declaration of a chance."""
    return Number(name="chance", label="Chance", default=100, low=0, high=100, unit="%", help=help)


def reading_params(things: str) -> tuple[Param, Param]:
    """The declarations of whether ``things`` play their notes or degrees, and of where degrees are counted from."""
    return (
        Choice(
            name="reads",
            label=f"{things.capitalize()} are",
            default="note",
            options={"note": "notes", "degree": "degrees"},
            help=f"Whether {things} play their notes, or their degrees of the scale.",
        ),
        NoteKey(
            name="base",
            label="Degrees from",
            default=60,
            help="Degree 1 is the root of the scale at this note, or next below it.",
        ),
    )


def generator_params(low: int, high: int, in_scale: bool = True) -> tuple[Param, ...]:
    """The declarations of all generators: how they start, which notes they may choose, where those go."""
    return (
        Choice(
            name="starts",
            label="It starts",
            default="play",
            options={"play": "with play", "key": "while a key is held", "action": "by an action"},
            help="With the transport; at its first step, with every first key that is held; or when an action says so.",
        ),
        times_param(),
        *launch_params(),
        Switch(
            name="in_time",
            label="On the beat",
            default=False,
            help="What a key or an action starts waits for the transport's grid, which must run for it.",
        ),
        *OWN_TEMPO,
        Switch(
            name="with_section",
            label="Begins with each section",
            default=False,
            help="At the start of a section it begins at its first step; else it goes on.",
        ),
        Number(name="level", label="Velocity", default=100, low=1, high=200, unit="%", help="Scales all velocities."),
        NoteKey(name="lowest", label="Lowest", default=low, help="Notes below come octaves higher, or as the nearest."),
        NoteKey(
            name="highest",
            label="Highest",
            default=high,
            help="Notes above come in an octave lower, or as the nearest.",
        ),
        Switch(
            name="in_scale",
            label="Only its scale",
            default=in_scale,
            help="Notes outside the scale go to the nearest one in it.",
        ),
        *key_params(follow=True),
        Choice(
            name="transpose",
            label="Keys move it",
            default="no",
            options={"no": "no", "held": "while held", "last": "and it stays"},
            help="Whether a key from the strand's other sources moves all notes, by its distance from home.",
        ),
        NoteKey(name="home", label="Home", default=60, help="The key that moves nothing."),
        Channel(name="to_channel", label="Channel", default=1, help="The MIDI channel of its notes."),
    )


class Generator(KeyBook):
    """The base of sources that make notes by themselves.

    It is given the keys that play it (:meth:`wants_keys`), which do not sound. Subclasses say when something is
    due (:meth:`next_due`), do it (:meth:`do_next`), and begin anew (:meth:`begun`).
    """

    timed: ClassVar[bool] = True
    cut_by_bypass: ClassVar[bool] = True

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self.run = ActionRun()
        self.launch = Launch()
        self.running = False
        self._moved_by = 0
        super().__init__(values, context)

    # -- what subclasses say -----------------------------------------------------------------------

    def begun(self, time: float) -> None:
        """It begins with its first step at a time (or at the next line of the transport's grid)."""
        raise NotImplementedError

    def next_due(self) -> float:
        """When its next step falls; infinity where none does."""
        raise NotImplementedError

    def do_next(self, time: float, out: list[Event]) -> None:
        """Do the step that is due."""
        raise NotImplementedError

    def look_anew(self) -> None:
        """The beats that it follows were set to another place: go on from the next step there."""
        raise NotImplementedError

    def on_settings(self) -> None:
        """Derive from the values what the steps need; the key is known."""

    # -- settings ----------------------------------------------------------------------------------

    def on_configure(self) -> None:
        values = self.values
        self.key: Key = stage_key(values, self.context.key)
        self._moves = moves(self.key, "nearest") if values["in_scale"] else [0] * 12
        if values["transpose"] == "no" or (values["transpose"] == "held" and not self.down):
            self._moved_by = 0
        starts = values["starts"]
        if starts != "action":
            self.launch.forget()
        if starts == "play":
            self.running = True
        elif starts == "key":
            self.running = self.running and bool(self.down)
        else:
            self.running = self.run.on
        self.on_settings()

    @property
    def on_beat(self) -> bool:
        """Whether its steps fall on the transport's beats."""
        return bool(self.values["starts"] == "play" or self.values["in_time"])

    @property
    def wants_keys(self) -> bool:
        """Whether keys play it: they start or move it, and do not sound."""
        return bool(self.values["starts"] == "key" or self.values["transpose"] != "no")

    # -- starts ------------------------------------------------------------------------------------

    def restart(self) -> None:
        if self.values["starts"] == "play":
            self.begun(-math.inf)
        elif self.running:
            self.look_anew()

    def on_join(self, time: float) -> None:
        super().on_join(time)
        if self.values["starts"] == "play":
            self.begun(time)

    def on_jump(self) -> None:
        self.look_anew()

    def begin_section(self, time: float) -> None:
        """A section begins."""
        if self.values["with_section"] and self.running:
            self.begun(time)

    @property
    def counts_from_start(self) -> bool:
        """Whether its steps are counted from the start of the piece, not from its own first one."""
        return bool(self.values["starts"] == "play" and not self.values["with_section"])

    def release(self, time: float, out: list[Event]) -> None:
        super().release(time, out)
        if self.values["starts"] == "play":
            self.begun(time)

    def forget_launch(self) -> None:
        self.launch.forget()

    def on_halt(self, time: float) -> None:
        if self.on_beat:
            self.later(time, lambda now, out: self.ledger.release(now, out))

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        if self.values["transpose"] != "no":
            self._moved_by = event.data1 - self.values["home"]
        if self.values["starts"] == "key" and len(self.down) == 1:
            self.running = True
            self.begun(event.time)

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        if self.values["transpose"] == "held":
            held = [key for key in self.down if key != event.channel << 7 | event.data1]
            self._moved_by = (held[-1] & 0x7F) - self.values["home"] if held else 0
        if self.values["starts"] == "key" and not self.down:
            self.running = False

    def forget(self) -> None:
        self.launch.forget()
        self.run.stop()
        self.running = self.values["starts"] == "play"
        self._moved_by = 0

    def command(self, act: str, value: float | None, time: float) -> None:
        if self.values["starts"] != "action":
            return
        if act == "start":
            times = self.values["times"] if value is None else int(value)
            rule = self.values["launch"]
            bars = self.values["launch_bars"]
            if self.launch.ask(self.context.clock, time, rule, self._launch_unit(rule), bars, times):
                self._set_off(times, time)
        elif act == "stop":
            self.launch.forget()
            self.run.stop()
            self.running = False

    def _launch_unit(self, rule: str) -> float:
        """The length in beats of what a start waits for."""
        if rule == "step":
            return beats_of(self.values.get("rate", "1/16"), self.context.meter)
        return bar_beats(self.context.meter) if rule == "bar" else 4.0 / self.context.meter[1]

    def _set_off(self, times: int, time: float) -> None:
        self.launch.forget()
        self.run.start(times)
        self.running = True
        self.begun(time)

    @property
    def waits(self) -> bool:
        return self.launch.waits

    def over(self, step: int, round_length: int) -> bool:
        """Whether an action's rounds are over before a step; then it stops."""
        if self.run.ends(step, round_length):
            self.running = False
            return True
        return False

    # -- time --------------------------------------------------------------------------------------

    def due(self) -> float:
        soonest = min(super().due(), self.launch.due(self.context.clock))
        return min(soonest, self.next_due()) if self.running and not self.bypass else soonest

    def advance(self, until: float, out: list[Event]) -> None:
        # A step falls only when time has moved past it, so that the keys of this moment are known.
        while True:
            queued = super().due()
            step = self.next_due() if self.running and not self.bypass else math.inf
            start = self.launch.due(self.context.clock)
            if start <= until and start <= min(queued, step):
                self._set_off(self.launch.times, max(start, self.seen))
            elif queued <= until and queued <= step:
                self.do_queued(queued, out)
            elif step < until:
                self.do_next(max(step, self.seen), out)
            else:
                break
        self.seen = max(self.seen, until)

    # -- notes -------------------------------------------------------------------------------------

    def read(self, one: Mapping[str, Any]) -> int:
        """The note of one of the things that :func:`reading_params` declares how to read."""
        return int(one["note"]) if self.values["reads"] == "note" else self.degree(one["degree"], self.values["base"])

    def degree(self, degree: int, base: int) -> int:
        """The note on a degree of the scale (1: the root), counted from the root nearest below ``base``."""
        root = base - (base - self.key.tonic) % 12
        return by_degrees(root, degree - 1, self.key)

    def placed(self, note: int) -> int | None:
        """Where a note goes: moved by the held key, into the scale, by octaves (or to the nearest) into the range."""
        note += self._moved_by
        move = self._moves[note % 12]
        note += move or 0
        low, high = self.values["lowest"], self.values["highest"]
        if note < low:
            note += 12 * -(-(low - note) // 12)
        if note > high:
            note -= 12 * -(-(note - high) // 12)
        if low <= note <= high:
            return note
        return self._nearest_in_range(note, low, high)

    def _nearest_in_range(self, note: int, low: int, high: int) -> int | None:
        """The note of a range under an octave that is nearest to one in any octave; in the scale, where it has some."""
        inside = [one for one in range(low, high + 1) if self._moves[one % 12] == 0] or range(low, high + 1)
        return min(inside, key=lambda one: min((one - note) % 12, (note - one) % 12), default=None)

    def sound(
        self, note: int, velocity: float, seconds: float, time: float, out: list[Event], channel: int | None = None
    ) -> None:
        """Sound a note for a time; ``channel`` (from 0) where it is not the source's own."""
        placed = self.placed(note)
        if placed is None:
            return
        loudness = max(1, min(127, round(velocity * self.values["level"] / 100.0)))
        to = self.values["to_channel"] - 1 if channel is None else channel
        holder = next(self._numbers)
        self.ledger.start(holder, (Event(time, NOTE_ON | to, placed, loudness),), out)
        self.later(time + max(SHORTEST, seconds), lambda now, out: self.ledger.stop(holder, now, 64, out))

    # -- words -------------------------------------------------------------------------------------

    @classmethod
    def waits_for_clock(cls, values: Mapping[str, Any]) -> bool:
        return bool(values["starts"] == "play" or values["in_time"])

    @classmethod
    def range_swallows(cls, values: Mapping[str, Any]) -> str | None:
        """Why its range lets nothing sound, if so."""
        if values["lowest"] > values["highest"]:
            return "its lowest note lies above its highest"
        return None
