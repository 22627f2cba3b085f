"""Velocity: a response curve, limits, one fixed value, accents in turn."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.events import NOTE_ON, Event
from arpegon.core.processing.parameters import Choice, Number, Numbers, Points
from arpegon.core.processing.processor import Processor
from arpegon.core.processing.values import on_line


class Velocity(Processor):
    """Gives each note on another velocity; everything else passes.

    A ``curve`` above 0 makes a light touch loud, one below 0 asks for a heavy one:
    out = 127 (in / 127)^(4^-curve). ``points`` are joined by straight lines, and what lies outside them takes the
    nearest one. That is scaled and moved by an offset. Then the accent of the stroke multiplies, and the result is kept
    between ``low`` and ``high``.
    """

    kind = "velocity"
    label = "Velocity"
    summary = "Bends how hard a stroke sounds: by a curve, to one value, with accents in turn."
    params = (
        Choice(
            name="mode",
            label="Response",
            default="curve",
            options={"curve": "curve", "points": "drawn", "fixed": "one value"},
            help="A curve from soft to hard, a line drawn with points, or the same velocity for every stroke.",
        ),
        Number(
            name="curve",
            label="Touch",
            default=0.0,
            low=-1.0,
            high=1.0,
            step=0.05,
            help="Above 0 a light touch sounds loud; below 0 it takes a heavy one.",
        ),
        Points(
            name="points",
            label="Drawn line",
            default=[[1, 1], [127, 127]],
            low=1,
            high=127,
            help="The line from what comes in to what goes out.",
        ),
        Number(name="fixed", label="Value", default=100, low=1, high=127, help="The velocity of every stroke."),
        Number(
            name="scale",
            label="Scaled to",
            default=100,
            low=0,
            high=200,
            unit="%",
            help="How much of what the response gives goes on: below 100 all strokes are softer and closer together.",
        ),
        Number(name="offset", label="Offset", default=0, low=-126, high=126, help="Added after that, to every stroke."),
        Number(name="low", label="Softest out", default=1, low=1, high=127, help="Nothing goes out softer than this."),
        Number(name="high", label="Loudest out", default=127, low=1, high=127, help="Nothing goes out louder."),
        Numbers(
            name="accents",
            label="Accents",
            default=[],
            low=0.0,
            high=3.0,
            max_count=32,
            whole=False,
            help="Factors for one stroke after the other, round and round; notes struck together share one.",
        ),
        Number(
            name="together_ms",
            label="Struck together",
            default=12,
            low=0,
            high=200,
            unit="ms",
            help="Strokes no further apart than this share an accent.",
        ),
    )

    def on_configure(self) -> None:
        self._low, self._high = sorted((self.values["low"], self.values["high"]))
        self._table = response(self.values)
        self._accents = self.values["accents"]
        self._together = self.values["together_ms"] / 1000.0

    def restart(self) -> None:
        self._turn = -1
        self._struck: float | None = None

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        if self.bypass:
            out.extend(events)
            return
        table, low, high = self._table, self._low, self._high
        for event in events:
            if event.status & 0xF0 != NOTE_ON:
                out.append(event)
                continue
            value = table[event.data2]
            if self._accents:
                value *= self._accent(event.time)
            velocity = round(value)
            velocity = low if velocity < low else high if velocity > high else velocity
            out.append(Event(event.time, event.status, event.data1, velocity))

    def _accent(self, time: float) -> float:
        if self._struck is None or time - self._struck > self._together:
            self._struck = time
            self._turn += 1
        factor: float = self._accents[self._turn % len(self._accents)]
        return factor

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        words = {"curve": f"touch {values['curve']:+g}", "points": "drawn", "fixed": f"always {values['fixed']}"}
        text = words[values["mode"]]
        if values["scale"] != 100:
            text = f"{text} · {values['scale']} %"
        if values["offset"]:
            text = f"{text} {values['offset']:+d}"
        text = text.replace("-", "−")
        return f"{text} · {len(values['accents'])} accents" if values["accents"] else text


def response(values: Mapping[str, Any]) -> list[float]:
    """What each velocity 0-127 becomes, before accents and limits."""
    scale, offset = values["scale"] / 100.0, values["offset"]
    return [value * scale + offset for value in _curve(values)]


def _curve(values: Mapping[str, Any]) -> list[float]:
    if values["mode"] == "fixed":
        return [float(values["fixed"])] * 128
    if values["mode"] == "curve":
        power = 4.0 ** -values["curve"]
        return [127.0 * (velocity / 127.0) ** power for velocity in range(128)]
    points = values["points"] or [[1, 1], [127, 127]]
    return [on_line(points, velocity) for velocity in range(128)]
