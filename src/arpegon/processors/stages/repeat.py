"""Repeat: held notes are struck again and again."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.parameters import Choice, NoteValue, Number, Numbers
from arpegon.core.processing.processor import Context, KeyBook
from arpegon.core.processing.pulse import Pulse
from arpegon.core.time.rhythm import beats_of

_FULL = 20.0
"""Powers of e by which even the softest stroke of a rhythm has grown to the loudest."""


class Repeat(KeyBook):
    """Strikes what is held again at a rate, in a rhythm of steps.

    The first key begins the pulse and all keys held share it; a key that joins later sounds at once (if it began with
    the key) and then with the others. Each step is a factor on the velocity, 0 a rest. From one round of strokes to
    the next the velocity changes by ``change`` percent. ``beat`` puts the pulse on the transport's beats and waits
    while that stands still.
    """

    kind = "repeat"
    label = "Repeat"
    summary = "Strikes held notes again and again, in a rhythm."
    timed = True
    cut_by_bypass = True
    params = (
        NoteValue(name="rate", label="Rate", default="1/16", help="The time from one step to the next."),
        Numbers(
            name="rhythm",
            label="Rhythm",
            default=[1.0],
            low=0.0,
            high=1.5,
            max_count=32,
            whole=False,
            help="The steps: how loud each stroke is, as a share of the played velocity; 0 is a rest.",
        ),
        Number(
            name="gate",
            label="Length",
            default=60,
            low=5,
            high=100,
            unit="%",
            help="How much of a step each stroke sounds; 100 joins to the next.",
        ),
        Number(
            name="change",
            label="Velocity grows by",
            default=0,
            low=-50,
            high=50,
            unit="%",
            help="From each stroke to the next: below 0 the strokes die away, above 0 they swell.",
        ),
        Number(
            name="times",
            label="At most",
            default=0,
            low=0,
            high=64,
            unit="strokes",
            help="How often a key is struck again before it rests; 0 goes on as long as the key is held.",
        ),
        Choice(
            name="starts",
            label="The pulse begins",
            default="key",
            options={"key": "with the key", "beat": "on the beat"},
            help="At once with the first key, or on the transport's beats, which must run for it.",
        ),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._held: dict[int, Event] = {}
        self._struck: dict[int, int] = {}
        """How often each strike has sounded."""
        self._pulse = Pulse(context.clock)
        super().__init__(values, context)

    def on_configure(self) -> None:
        self._rhythm = self.values["rhythm"] or [1.0]
        self._beats = beats_of(self.values["rate"], self.context.meter)
        self._pulse.clock = self.context.clock
        self._pulse.go_on(self._beats, self.values["starts"] == "beat", self.seen)

    def restart(self) -> None:
        self._pulse.restart()

    def forget(self) -> None:
        self._held.clear()
        self._struck.clear()
        self._pulse.stop()

    # -- keys --------------------------------------------------------------------------------------

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        first = not self._held
        self._held[strike] = event
        self._struck[strike] = 0
        if first or not self._pulse.running:
            self._pulse.begin(event.time)
            if not self._pulse.on_beat:
                self._beat(event.time, out)
        elif not self._pulse.on_beat:
            self._sound(strike, event.time, 1.0, out)

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        self._held.pop(strike, None)
        self._struck.pop(strike, None)
        self.ledger.stop(strike, event.time, event.data2, out)
        if not self._held:
            self._pulse.stop()

    # -- the pulse ---------------------------------------------------------------------------------

    def due(self) -> float:
        return min(super().due(), self._pulse.due())

    def advance(self, until: float, out: list[Event]) -> None:
        while (due := self.due()) <= until:
            if super().due() <= due:
                self.do_queued(due, out)
            else:
                self._beat(max(due, self.seen), out)
        self.seen = max(self.seen, until)

    def _beat(self, time: float, out: list[Event]) -> None:
        level = self._rhythm[self._pulse.take(time) % len(self._rhythm)]
        if level > 0:
            for strike in list(self._held):
                self._sound(strike, time, level, out)

    def _sound(self, strike: int, time: float, level: float, out: list[Event]) -> None:
        count = self._struck[strike]
        if self.values["times"] and count > self.values["times"]:
            return
        self._struck[strike] = count + 1
        event = self._held[strike]
        velocity = event.data2 * level * _grown(1.0 + self.values["change"] / 100.0, count)
        note = Event(time, event.status, event.data1, max(1, min(127, round(velocity))))
        self.ledger.stop(strike, time, 64, out)
        self.ledger.start(strike, (note,), out)
        if self.values["gate"] < 100:
            gate = self.context.clock.seconds(self._beats) * self.values["gate"] / 100.0
            self.later(time + gate, lambda now, out: self._close(strike, count + 1, now, out))

    def _close(self, strike: int, count: int, now: float, out: list[Event]) -> None:
        """The end of one stroke, unless its key was struck again or let go since."""
        if self._struck.get(strike) == count:
            self.ledger.stop(strike, now, 64, out)

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        return "all steps of its rhythm are rests" if values["rhythm"] and not any(values["rhythm"]) else None

    @classmethod
    def waits_for_clock(cls, values: Mapping[str, Any]) -> bool:
        return bool(values["starts"] == "beat")

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        steps = len(values["rhythm"])
        return f"{values['rate']}{f' · {steps} steps' if steps > 1 else ''}"


def _grown(by: float, count: int) -> float:
    """A factor ``by`` so many times over, as far as any velocity can grow: a key may be held for hours."""
    return by ** (count if by <= 1.0 else min(count, math.ceil(_FULL / math.log(by))))
