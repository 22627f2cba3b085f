"""The editor of Velocity: the response as a line, accents as steps."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from arpegon.core.time import studio
from arpegon.engine.wire.protocol import Passed
from arpegon.processors.stages.velocity import response
from arpegon.ui.bench.editor import StageEditor, strokes
from arpegon.ui.controls.curve_view import CurveView
from arpegon.ui.controls.step_bars import StepBars
from arpegon.ui.parts.standard import counted_heading

_MAX_ACCENTS = 32


class VelocityEditor(StageEditor):
    """Curve, drawn line or one value; the last strokes as dots on it."""

    def build(self) -> None:
        self.box.addWidget(self.control("mode"))
        row = QHBoxLayout()
        row.setSpacing(16)
        self.curve = CurveView(self.ink)
        self.curve.drawn.connect(lambda points: self.set(False, points=points))
        self.curve.settled.connect(self.session.settle)
        row.addWidget(self.curve, 0, Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout()
        column.setSpacing(8)
        for key in ("curve", "fixed", "scale", "offset", "low", "high"):
            column.addWidget(self.control(key))
        column.addStretch(1)
        row.addLayout(column, 1)
        self.box.addLayout(row)
        self.side.addLayout(counted_heading("Accents, in turn", "accent", self._count))
        self.accents = StepBars(
            self.ink,
            3.0,
            "Factors on successive strokes: drag to draw, the right button silences; the dashed line is 1.",
            "no accents: press + for the first",
        )
        self.accents.changed.connect(lambda levels: self.set(False, accents=levels))
        self.accents.settled.connect(self.session.settle)
        self.side.addWidget(self.accents)
        self.side.addWidget(self.control("together_ms"))
        self._turn = -1
        self._last = 0.0

    def _count(self, by: int) -> None:
        accents = list(self.values["accents"])
        if by > 0 and len(accents) < _MAX_ACCENTS:
            accents.append(1.0)
        elif by < 0:
            accents = accents[:-1]
        self.set(accents=accents)

    def show_values(self, values: dict[str, Any]) -> None:
        self.controls["curve"].setVisible(values["mode"] == "curve")
        self.controls["fixed"].setVisible(values["mode"] == "fixed")
        points = values["points"] if values["mode"] == "points" else None
        low, high = sorted((values["low"], values["high"]))
        self.curve.show_response(response(values), points, (low, high))
        self.accents.show_levels(values["accents"])
        self.controls["together_ms"].setVisible(bool(values["accents"]))

    def passed(self, batch: Sequence[Passed]) -> None:
        now = studio.now()
        accents = self.values["accents"]
        for struck, made in strokes(batch):
            if struck is None or not made:
                continue
            self.curve.add(struck.data2, made[0].data2, now)
            if accents and struck.time - self._last > self.values["together_ms"] / 1000.0:
                self._turn += 1
                self._last = struck.time
        self.accents.show_lit(self._turn % len(accents) if accents and self._turn >= 0 else None)

    def tick(self, now: float) -> None:
        self.curve.tick(now)
