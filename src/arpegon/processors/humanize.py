"""Humanize: velocities drawn within bounds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.events import NOTE_ON, Event
from arpegon.core.parameters import Choice, Number
from arpegon.core.processor import Processor


class Humanize(Processor):
    """Draws each note-on velocity anew; everything else passes.

    In ``range`` mode the velocity is drawn between ``low`` and ``high`` whatever came in; in ``around``
    mode it strays by up to ``spread`` from what came in. The bell shape is the mean of three even draws
    (Irwin-Hall), so it never leaves the bounds.
    """

    kind = "humanize"
    label = "Humanize"
    summary = "Gives every stroke its own velocity, within bounds, as a hand would."
    params = (
        Choice(
            key="mode",
            label="Draw",
            default="range",
            options={"range": "within a range", "around": "around what came in"},
            help="Draw velocities between two bounds (for keyboards that send one value), or stray from what came in.",
        ),
        Number(key="low", label="Lowest", default=85, low=1, high=127, help="The softest velocity that is drawn."),
        Number(
            key="high",
            label="Highest",
            default=115,
            low=1,
            high=127,
            help="The loudest velocity that is drawn.",
        ),
        Number(
            key="spread",
            label="Spread",
            default=12,
            low=0,
            high=64,
            help="How far a velocity may stray from what came in, up or down.",
        ),
        Choice(
            key="shape",
            label="Shape",
            default="even",
            options={"even": "even", "bell": "bell"},
            help="Even: every value is as likely. Bell: the middle is more likely than the edges.",
        ),
        Number(
            key="seed",
            label="Seed",
            default=1,
            low=0,
            high=999_999,
            help="The same seed gives the same velocities from the start of the piece.",
        ),
    )

    def configured(self) -> None:
        self._low, self._high = sorted((self.values["low"], self.values["high"]))
        self._around = self.values["mode"] == "around"
        self._spread = self.values["spread"]
        self._bell = self.values["shape"] == "bell"
        seed = (self.values["seed"], self.setting.seed)
        if getattr(self, "_seed", None) != seed:
            self._seed = seed
            self.restart()

    def restart(self) -> None:
        self._random = self.generator().random

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        if self.bypass:
            out.extend(events)
            return
        draw = self._random
        low = self._low
        width = self._high - low + 1
        for event in events:
            if event.status & 0xF0 != NOTE_ON:
                out.append(event)
                continue
            share = (draw() + draw() + draw()) / 3 if self._bell else draw()
            if self._around:
                spread = self._spread
                velocity = event.data2 - spread + int(share * (2 * spread + 1))
                velocity = 1 if velocity < 1 else 127 if velocity > 127 else velocity
            else:
                velocity = low + int(share * width)
            out.append(Event(event.time, event.status, event.data1, velocity))

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        if values["mode"] == "around":
            return f"velocity ±{values['spread']}"
        return f"velocity {min(values['low'], values['high'])}–{max(values['low'], values['high'])}"


def width_in_words(width: int) -> str:
    """How velocities that lie up to ``width`` apart sound."""
    bounds = (
        (4, "hardly to be heard"),
        (14, "gentle"),
        (31, "subtle, like a good player"),
        (51, "lively"),
        (76, "strong"),
    )
    for bound, words in bounds:
        if width < bound:
            return words
    return "drastic"
