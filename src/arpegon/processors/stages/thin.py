"""Thin: a few of the notes that are held."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.parameters import Choice, Number, Switch
from arpegon.core.processing.processor import Context, KeyBook

_RANKS: dict[str, Callable[[tuple[int, Event]], tuple[float, ...]]] = {
    # The notes that rank first are kept; the number of a strike grows with time.
    "highest": lambda held: (-held[1].data1, held[0]),
    "lowest": lambda held: (held[1].data1, held[0]),
    "latest": lambda held: (-held[0],),
    "loudest": lambda held: (-held[1].data2, held[0]),
    "first": lambda held: (held[0],),
}


class Thin(KeyBook):
    """Keeps the first ``count`` of the notes held, by height, time or loudness.

    All that is struck at one moment is judged together. When a kept note ends, the next one takes over where
    ``take_over`` says so; otherwise it waits for a new stroke.
    """

    kind = "thin"
    label = "Thin"
    summary = "Keeps a few of the notes held: the top line of chords, their bass, the last one struck."
    timed = True
    params = (
        Choice(
            name="keep",
            label="Keep",
            default="highest",
            options={name: name for name in _RANKS},
            help="Which of the notes held are kept.",
        ),
        Number(name="count", label="How many", default=1, low=1, high=16, help="How many notes sound at a time."),
        Switch(
            name="take_over",
            label="The next takes over",
            default=True,
            help="When a kept note ends, the next one that is still held begins to sound.",
        ),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._held: dict[int, Event] = {}
        self._kept: set[int] = set()
        self._instant: float | None = None
        self._new: set[int] = set()
        self._ended: dict[int, Event] = {}
        self._behind: list[Event] = []
        """What belongs to no note and came behind notes of this moment: it goes out behind them."""
        super().__init__(values, context)

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        self._instant = event.time
        self._held[strike] = event
        self._new.add(strike)

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        self._instant = event.time
        self._ended[strike] = event

    def other(self, event: Event, out: list[Event]) -> None:
        (out if self._instant is None else self._behind).append(event)

    def forget(self) -> None:
        self._behind.clear()
        self._held.clear()
        self._kept.clear()
        self._new.clear()
        self._ended.clear()
        self._instant = None

    def due(self) -> float:
        return super().due() if self._instant is None else self._instant

    def advance(self, until: float, out: list[Event]) -> None:
        if self._instant is not None and self._instant < until:
            self._judge(out)

    def _judge(self, out: list[Event]) -> None:
        """Everything of one moment is known: end what must, begin what may."""
        time, self._instant = self._instant or 0.0, None
        # A stroke that begins and ends at one moment sounds for none.
        for strike, event in self._ended.items():
            self._held.pop(strike, None)
            if strike in self._kept:
                self._kept.discard(strike)
                self.ledger.stop(strike, time, event.data2, out)
        ranked = sorted(self._held.items(), key=_RANKS[self.values["keep"]])
        wanted = {strike for strike, _ in ranked[: self.values["count"]]}
        for strike in sorted(self._kept - wanted):
            self._kept.discard(strike)
            self.ledger.stop(strike, time, 64, out)
        for strike in sorted(wanted - self._kept):
            if strike in self._new or self.values["take_over"]:
                self._kept.add(strike)
                self.ledger.start(strike, (self._held[strike].at(time),), out)
        self._new.clear()
        self._ended.clear()
        out.extend(self._behind)
        self._behind.clear()

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        return f"{values['keep']} note" if values["count"] == 1 else f"{values['keep']} {values['count']} notes"
