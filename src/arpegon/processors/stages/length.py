"""Length: notes that last as long as they should, not as long as the key."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.parameters import Choice, NoteValue, Number
from arpegon.core.processing.processor import Context, KeyBook
from arpegon.core.time.rhythm import beats_of

_SHORTEST = 0.002


class Length(KeyBook):
    """Gives notes a length of their own.

    ``value`` (at the tempo of the stroke) and ``ms`` do not ask how long the key is held. ``step`` takes a percentage
    of the time since the stroke before (strokes at one moment count as one): 50 is short, 100 joins to the next.
    ``played`` takes a percentage of the key's own time; as nobody can know when a key will be let go, it only
    lengthens, and below 100 leaves notes as they are.
    """

    kind = "length"
    label = "Length"
    summary = "Gives notes a fixed length, or a share of what they had."
    timed = True
    params = (
        Choice(
            name="unit",
            label="Measured in",
            default="value",
            options={"value": "note value", "ms": "milliseconds", "step": "% of the step", "played": "% of the key"},
            help="How the length is given.",
        ),
        NoteValue(name="value", label="Note value", default="1/8", help="The length as a note value, at the tempo."),
        Number(
            name="ms",
            label="Milliseconds",
            default=120,
            low=5,
            high=8000,
            unit="ms",
            help="The length in milliseconds.",
        ),
        Number(
            name="percent",
            label="Percent",
            default=90,
            low=5,
            high=800,
            unit="%",
            help="The share of the time since the stroke before, or of the key's own time.",
        ),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._begun: dict[int, float] = {}
        super().__init__(values, context)

    def restart(self) -> None:
        self._last: float | None = None
        self._step: float | None = None

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        if self._last is None or event.time > self._last:
            self._step = None if self._last is None else event.time - self._last
            self._last = event.time
        self.ledger.start(strike, (event,), out)
        seconds = self._seconds()
        if seconds is None:
            self._begun[strike] = event.time
        else:
            self._end_at(strike, event.time + max(_SHORTEST, seconds), 64)

    def _seconds(self) -> float | None:
        """How long a note that begins now lasts; ``None`` where its key decides."""
        values = self.values
        unit = values["unit"]
        if unit == "value":
            return self.context.clock.seconds(beats_of(values["value"], self.context.meter))
        if unit == "ms":
            return float(values["ms"]) / 1000.0
        if unit == "step" and self._step is not None:
            return float(self._step * values["percent"] / 100.0)
        return None

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        begun = self._begun.pop(strike, None)
        if begun is None:
            return
        share = self.values["percent"] / 100.0 if self.values["unit"] == "played" else 1.0
        end = begun + (event.time - begun) * share
        if end <= event.time:
            self.ledger.stop(strike, event.time, event.data2, out)
        else:
            self._end_at(strike, end, event.data2)

    def _end_at(self, strike: int, time: float, release: int) -> None:
        self.later(time, lambda now, out: self.ledger.stop(strike, now, release, out))

    def forget(self) -> None:
        self._begun.clear()

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        words = {
            "value": values["value"],
            "ms": f"{values['ms']} ms",
            "step": f"{values['percent']} % of the step",
            "played": f"{values['percent']} % of the key",
        }
        return str(words[values["unit"]])
