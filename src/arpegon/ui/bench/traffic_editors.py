"""The editors of Sieve and Channel."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from arpegon.core.counting import counted
from arpegon.core.events import NOTE_ON, SYSEX
from arpegon.core.time import studio
from arpegon.engine.wire.protocol import Passed
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.controls.lanes import ChannelLanes
from arpegon.ui.controls.velocity_field import VelocityField
from arpegon.ui.look.plain import Label


class SieveEditor(StageEditor):
    """What matches: kinds, channels, a window of keys and velocities, controllers."""

    def build(self) -> None:
        self.box.addWidget(self.captioned("kinds"))
        self.box.addWidget(self.captioned("action"))
        self.field = VelocityField(self.ink)
        self.field.moved.connect(
            lambda low, high, soft, loud: self.set(
                False, low_key=low, high_key=high, low_velocity=soft, high_velocity=loud
            )
        )
        self.field.settled.connect(self.session.settle)
        self.box.addWidget(self.field)
        self.word = Label("")
        self.word.setProperty("role", "second")
        self.box.addWidget(self.word)
        self.side.addLayout(self.grid("controllers", "channels"))
        self.side.addLayout(self.grid("low_value", "high_value"))
        for key in ("controllers", "channels"):
            self.controls[key].setPlaceholderText("all")  # type: ignore[attr-defined]
        self._counts: Counter[bool] = Counter()

    def show_values(self, values: dict[str, Any]) -> None:
        keeps = values["action"] == "pass"
        self.field.setEnabled("notes" in values["kinds"])
        self.field.show_window(
            values["low_key"], values["high_key"], values["low_velocity"], values["high_velocity"], keeps
        )
        for key in ("controllers", "low_value", "high_value"):
            self.controls[key].setEnabled("cc" in values["kinds"])
        self._say()

    def passed(self, batch: Sequence[Passed]) -> None:
        now = studio.now()
        for one in batch:
            if one.event is None:
                continue
            self._counts[bool(one.out)] += 1
            if one.event.kind == NOTE_ON:
                self.field.add(one.event.data1, one.event.data2, bool(one.out), now)
        self._say()

    def _say(self) -> None:
        passed, kept_out = self._counts[True], self._counts[False]
        words = f"{counted(passed, 'event')} passed, {kept_out:,} kept out."
        self.word.setText(words if passed + kept_out else "")

    def tick(self, now: float) -> None:
        self.field.tick(now)


class ChannelEditor(StageEditor):
    """Sixteen channels above, sixteen below."""

    def build(self) -> None:
        self.lanes = ChannelLanes(self.ink)
        self.lanes.chosen.connect(lambda channel: self.set(channel=channel + 1))
        self.box.addWidget(self.lanes)
        self.side.addWidget(self.captioned("channel"))
        self.side.addWidget(self.captioned("only"))

    def show_values(self, values: dict[str, Any]) -> None:
        only = values["only"]
        to = [values["channel"] - 1 if not only or only - 1 == channel else channel for channel in range(16)]
        self.lanes.show_lanes(to)

    def passed(self, batch: Sequence[Passed]) -> None:
        now = studio.now()
        for one in batch:
            if one.event is not None and one.event.status < SYSEX:
                self.lanes.strike(one.event.channel, now)

    def tick(self, now: float) -> None:
        self.lanes.tick(now)
