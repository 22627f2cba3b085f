"""Echo: notes that come again, softer and moved each time."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.parameters import Choice, NoteValue, Number, Switch, key_params
from arpegon.core.processing.processor import Context, KeyBook
from arpegon.core.theory.scales import stage_key
from arpegon.core.time.rhythm import beats_of
from arpegon.processors.stages.transpose import by_degrees

MAX = 32


class Echo(KeyBook):
    """Each note comes again a number of times, at even distances, each time softer (or louder) and moved.

    A repeat lasts as long as its key did. The distance is that of the tempo at which the key was struck. Repeats that
    would be softer than 1, or lie beyond the range of MIDI, do not sound.
    """

    kind = "echo"
    label = "Echo"
    summary = "Lets notes come again at a note value, softer and moved each time."
    timed = True
    cut_by_bypass = True
    params = (
        Number(name="repeats", label="Repeats", default=3, low=1, high=MAX, help="How often each note comes again."),
        NoteValue(name="rate", label="Distance", default="1/8D", help="The time from one repeat to the next."),
        Number(
            name="fade",
            label="Velocity of each",
            default=70,
            low=1,
            high=150,
            unit="%",
            help="How loud each repeat is beside the one before it; above 100 they swell.",
        ),
        Number(
            name="move",
            label="Moved by",
            default=0,
            low=-24,
            high=24,
            help="How far each repeat lies above or below the one before it.",
        ),
        Choice(
            name="move_by",
            label="Counted in",
            default="semitones",
            options={"semitones": "semitones", "degrees": "degrees"},
            help="Whether that is semitones, or steps of the scale.",
        ),
        Switch(name="dry", label="Played notes pass", default=True, help="Off, only the repeats sound."),
        *key_params(follow=True),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._waiting: dict[int, tuple[float, list[int]]] = {}
        """Of each strike whose key is down: the distance of its repeats in seconds, and the numbers of those."""
        super().__init__(values, context)

    def on_configure(self) -> None:
        self._key = stage_key(self.values, self.context.key)
        self._beats = beats_of(self.values["rate"], self.context.meter)

    def forget(self) -> None:
        self._waiting.clear()

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        if self.values["dry"]:
            self.ledger.start(strike, (event,), out)
        apart = self.context.clock.seconds(self._beats)
        holders = []
        for number in range(1, self.values["repeats"] + 1):
            velocity = round(event.data2 * (self.values["fade"] / 100.0) ** number)
            if velocity < 1:
                break
            holder = next(self._numbers)
            holders.append(holder)
            again = Event(event.time + number * apart, event.status, event.data1, min(127, velocity))
            self.later(again.time, partial(self._repeat, holder, number, again))
        self._waiting[strike] = apart, holders

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        self.ledger.stop(strike, event.time, event.data2, out)
        apart, holders = self._waiting.pop(strike, (0.0, []))
        for number, holder in enumerate(holders, start=1):
            self.later(event.time + number * apart, partial(self._end, holder, event.data2))

    def _repeat(self, holder: int, number: int, struck: Event, now: float, out: list[Event]) -> None:
        note = self._moved(struck.data1, number)  # in the key of its own moment, not in that of the strike
        if note is not None:
            self.ledger.start(holder, (Event(now, struck.status, note, struck.data2),), out)

    def _end(self, holder: int, release: int, now: float, out: list[Event]) -> None:
        self.ledger.stop(holder, now, release, out)

    def _moved(self, note: int, number: int) -> int | None:
        """Where a repeat lies; ``None`` beyond the range of MIDI."""
        by = number * self.values["move"]
        target = by_degrees(note, by, self._key) if self.values["move_by"] == "degrees" else note + by
        return target if 0 <= target <= 127 else None

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        if not values["dry"] and round(127 * values["fade"] / 100.0) < 1:
            return "its repeats are too soft to sound, and the played notes do not pass"
        return None

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        unit = "st" if values["move_by"] == "semitones" else "degrees"
        moved = f" · {values['move']:+d} {unit}".replace("-", "−") if values["move"] else ""
        return f"{values['repeats']} × {values['rate']}{moved}"
