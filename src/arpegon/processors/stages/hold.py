"""Hold: keys that stay down when the hand has left them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import CONTROL, Event
from arpegon.core.notes.pairing import note_key
from arpegon.core.processing.parameters import Choice, Controller
from arpegon.core.processing.processor import Context, KeyBook


class Hold(KeyBook):
    """Latches keys: their notes go on after the keys are let go.

    ``again``: until the same key is pressed again. ``next``: until a key is pressed while none is down, so that a
    whole chord replaces the one before. ``controller``: until a value of 64 or more of that controller comes, which
    is used up by it.
    """

    kind = "hold"
    label = "Hold"
    summary = "Keeps notes sounding after the keys are let go."
    cut_by_bypass = True
    params = (
        Choice(
            name="until",
            label="Held until",
            default="next",
            options={"again": "pressed again", "next": "the next key", "controller": "a controller"},
            help="What ends the notes that are held.",
        ),
        Controller(
            name="controller",
            label="Controller",
            default=66,
            help="The controller whose value of 64 or more lets everything go (66 is the sostenuto pedal).",
        ),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._latched: dict[int, int] = {}
        """The strike that each key holds, by channel and note."""
        super().__init__(values, context)

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        key = note_key(event)
        before = self._latched.get(key)
        if self.values["until"] == "next" and len(self.down) == 1:
            self._end_all(event.time, out)
        elif before is not None:
            self._end(key, event.time, out)
            if self.values["until"] == "again":
                return
        self._latched[key] = strike
        self.ledger.start(strike, (event,), out)

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        """The hand may leave: the note stays."""

    def other(self, event: Event, out: list[Event]) -> None:
        release = (
            self.values["until"] == "controller"
            and event.status & 0xF0 == CONTROL
            and event.data1 == self.values["controller"]
        )
        if not release:
            out.append(event)
        elif event.data2 >= 64:
            for key in [key for key in self._latched if key not in self.down]:
                self._end(key, event.time, out)

    def forget(self) -> None:
        self._latched.clear()

    def _end(self, key: int, time: float, out: list[Event]) -> None:
        self.ledger.stop(self._latched.pop(key), time, 64, out)

    def _end_all(self, time: float, out: list[Event]) -> None:
        for key in list(self._latched):
            self._end(key, time, out)

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        words = {"again": "until pressed again", "next": "until the next key"}
        return words.get(values["until"], f"until CC {values['controller']}")
