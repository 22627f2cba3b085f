"""Chance: notes that pass now and then."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.parameters import Number, Switch, seed_param
from arpegon.core.processing.processor import NoteGate


class Chance(NoteGate):
    """Lets each note pass with a percentage, drawn anew for every stroke; everything else passes."""

    kind = "chance"
    label = "Chance"
    summary = "Lets notes pass now and then, and leaves the others out."
    params = (
        Number(
            name="percent",
            label="Notes that pass",
            default=70,
            low=0,
            high=100,
            unit="%",
            help="How many of a hundred strokes are let through.",
        ),
        Switch(
            name="together",
            label="Chords stay whole",
            default=False,
            help="Notes struck at one moment pass together or not at all.",
        ),
        seed_param("the same strokes"),
    )

    def on_configure(self) -> None:
        if self.new_seed():
            self.restart()

    def restart(self) -> None:
        self._random = self.generator().random
        self._drawn: tuple[float, float] | None = None

    def lets_in(self, event: Event) -> bool:
        if self.values["together"] and self._drawn is not None and self._drawn[0] == event.time:
            share = self._drawn[1]
        else:
            share = self._random()
            self._drawn = (event.time, share)
        passes: bool = share * 100.0 < self.values["percent"]
        return passes

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        return "at 0 % it lets no note through" if values["percent"] == 0 else None

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        return f"{values['percent']} %"
