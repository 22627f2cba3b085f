"""The editors of the controller stages: Convert, Fan, Stairs, Smooth, LFO, Contour."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import Hookup
from arpegon.core.processing.entries import Entries
from arpegon.core.processing.patterns import Patterns
from arpegon.core.processing.processor import Context
from arpegon.core.processing.values import READS, WRITES, curve, on_line, placed, stair
from arpegon.core.theory.controllers import cc_words
from arpegon.processors.actions import target_words
from arpegon.processors.stages.contour import MAX, Contour
from arpegon.processors.stages.fan import MAX as MAX_CURVES
from arpegon.processors.stages.lfo import Lfo
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.bench.entry_panel import EntryPanel
from arpegon.ui.bench.pattern_row import PatternRow
from arpegon.ui.controls.choices import Picker
from arpegon.ui.controls.curve_view import CurveView
from arpegon.ui.controls.movement_view import MovementView
from arpegon.ui.controls.step_bars import StepBars
from arpegon.ui.controls.wave_view import WaveView
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.parts_menu import target_menu
from arpegon.ui.parts.standard import caps, counted_heading


class ConvertEditor(StageEditor):
    """What is read and written, and the curve between, with the live point on it."""

    def build(self) -> None:
        self.box.addLayout(self.grid("source", "target", "number", "to_number", "channel", "to_channel"))
        row = QHBoxLayout()
        row.setSpacing(14)
        self.curve = CurveView(self.ink, lowest=0)
        self.curve.drawn.connect(lambda points: self.set(False, points=points, shape="drawn"))
        self.curve.settled.connect(self.session.settle)
        column = QVBoxLayout()
        column.setSpacing(2)
        self.upward = Label("")
        self.across = Label("")
        for label in (self.upward, self.across):
            label.setProperty("role", "small-number")
        self.across.setAlignment(Qt.AlignmentFlag.AlignRight)
        column.addWidget(self.upward)
        column.addWidget(self.curve)
        column.addWidget(self.across)
        row.addLayout(column)
        side = QVBoxLayout()
        side.setSpacing(5)
        self.last = Label("nothing read yet")
        self.last.setProperty("role", "number")
        side.addWidget(self.last)
        for key in ("in_low", "in_high", "out_low", "out_high"):
            side.addWidget(self.control(key))
        side.addStretch(1)
        row.addLayout(side, 1)
        self.box.addLayout(row)
        self.box.addWidget(self.captioned("shape"))
        self.box.addStretch(1)
        self.side.addWidget(self.captioned("release"))
        self.side.addWidget(self.control("release_value"))
        self.side.addLayout(self.grid("levels", "smooth_ms"))
        rest = self.fold("What becomes of the rest", self.rest)
        for key in ("ignored", "original", "others"):
            rest.addWidget(self.captioned(key))

    def show_values(self, values: dict[str, Any]) -> None:
        bent = curve(values["shape"], values["points"])
        low, high = float(values["out_low"]), float(values["out_high"])

        def converted(value: float) -> float:
            share = stair(bent(placed(value, values["in_low"], values["in_high"])), values["levels"])
            return low + share * (high - low)

        points = values["points"] if values["shape"] == "drawn" else None
        self.curve.show_response([converted(float(value)) for value in range(128)], points, (0, 127))
        self.controls["number"].setEnabled(values["source"] == "cc")
        self.controls["to_number"].setEnabled(values["target"] in ("cc", "cc14"))
        self.controls["release_value"].setVisible(values["release"] == "set")
        source = cc_words(values["number"]) if values["source"] == "cc" else READS[values["source"]]
        target = cc_words(values["to_number"]) if values["target"] in ("cc", "cc14") else WRITES[values["target"]]
        self.across.setText(f"in: {source} →")
        self.upward.setText(f"↑ out: {target}")

    def tick(self, now: float) -> None:
        live = self.session.telemetry.live
        if len(live) == 2:
            came, went = live
            self.curve.add(round(came), round(went), now)
            self.last.setText(f"in {came:.0f}  →  out {went:.0f}")
        self.curve.tick(now)


class FanEditor(StageEditor):
    """The curves over one another, with the common position as a moving line; one of them is drawn."""

    def build(self) -> None:
        declared = self.params["shapes"]
        assert isinstance(declared, Patterns) and isinstance(declared.one, Entries)
        self.entries: Entries = declared.one
        self.row = PatternRow(declared, self.ink, lambda: [{"number": 16}], self._say)
        self.row.chosen.connect(lambda place: self.set(shape=place + 1))
        self.row.edited.connect(lambda label, shapes, place: self.set(shapes=shapes, shape=place + 1))
        self.box.addWidget(self.row)
        self.box.addLayout(self.grid("source", "number", "channel", "keep"))
        row = QHBoxLayout()
        row.setSpacing(14)
        self.curve = CurveView(self.ink, lowest=0)
        self.curve.drawn.connect(lambda points: self._change("points", points, False))
        self.curve.settled.connect(self.session.settle)
        row.addWidget(self.curve, 0, Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout()
        column.addLayout(counted_heading("Curves", "curve", self._count, MAX_CURVES))
        self.which = Picker({}, "Which of the curves is drawn and set.")
        self.which.chosen.connect(lambda place: self._choose(int(place)))
        column.addWidget(self.which)
        self.words = Label("")
        self.words.setWordWrap(True)
        self.words.setProperty("role", "second")
        column.addWidget(self.words)
        column.addStretch(1)
        row.addLayout(column, 1)
        self.box.addLayout(row)
        self.box.addStretch(1)
        keys = ("target", "number", "channel", "low", "high", "rests")
        self.panel = EntryPanel(self.entries, keys, self.ink, self._change, self.session.settle)
        self.side.addWidget(caps("The curve that is chosen"))
        self.side.addWidget(self.panel)
        self._chosen = 0

    def _say(self, text: str) -> None:
        self.session.notice("edit", text)

    @property
    def place(self) -> int:
        """The place of the set that is in force."""
        return int(min(self.values["shape"], len(self.values["shapes"]))) - 1

    def _curves(self) -> list[dict[str, Any]]:
        shapes = self.values["shapes"]
        return [dict(one) for one in shapes[self.place]] if shapes else []

    def show_values(self, values: dict[str, Any]) -> None:
        self.row.show_patterns(values["shapes"], self.place)
        curves = self.entries.filled(self._curves())
        self._chosen = max(0, min(self._chosen, len(curves) - 1))
        names = {str(place): f"{place + 1}: {_driven(one)}" for place, one in enumerate(curves)}
        self.which.set_options(names or {"": "no curve"})
        self.which.set_value(str(self._chosen))
        if not curves:
            return
        one = curves[self._chosen]
        self.panel.show_entry(one)
        lines = [[on_line(other["points"] or [[0, 0], [127, 127]], value) for value in range(128)] for other in curves]
        self.curve.show_response(lines[self._chosen], one["points"], (0, 127))
        self.curve.show_others([line for place, line in enumerate(lines) if place != self._chosen])
        self.words.setText(", ".join(_driven(other) for other in curves))

    def tick(self, now: float) -> None:
        live = self.session.telemetry.live
        self.curve.show_line(live[0] if live else None)
        self.curve.tick(now)

    def _choose(self, place: int) -> None:
        self._chosen = place
        self.show_values(self.values)

    def _put(self, curves: list[dict[str, Any]], settled: bool = True) -> None:
        shapes = [list(one) for one in self.values["shapes"]] or [[]]
        shapes[self.place] = curves
        self.set(settled, shapes=shapes)

    def _change(self, key: str, value: Any, settled: bool) -> None:
        curves = self._curves()
        curves[self._chosen][key] = value
        self._put(curves, settled)

    def _count(self, by: int) -> None:
        curves = self._curves()
        if by > 0 and len(curves) < MAX_CURVES:
            curves.append({"number": min(127, 16 + len(curves))})
            self._chosen = len(curves) - 1
        elif by < 0 and len(curves) > 1:
            del curves[self._chosen]
        self._put(curves)


def _driven(one: dict[str, Any]) -> str:
    return cc_words(one["number"]) if one["target"] == "cc" else str(one["target"])


class MovementEditor(StageEditor):
    """The base of editors that show a value over time."""

    keys: tuple[str, ...] = ()

    def build(self) -> None:
        self.view = MovementView(self.ink, "move a controller: it is drawn here")
        self.box.addWidget(self.view)
        self.box.addLayout(self.grid(*self.keys))
        self.box.addWidget(self.captioned("what"))
        self.number = self.captioned("number")
        self.box.addWidget(self.number)

    def show_values(self, values: dict[str, Any]) -> None:
        self.number.setVisible(values["what"] == "cc")

    def tick(self, now: float) -> None:
        live = self.session.telemetry.live
        if len(live) == 2:
            self.view.add(live[0], live[1], now)
        self.view.tick(now)


class SmoothEditor(MovementEditor):
    """The glide over time."""

    keys = ("up_ms", "down_ms")


class StairsEditor(MovementEditor):
    """The levels over time."""

    keys = ("levels", "hysteresis")

    def show_values(self, values: dict[str, Any]) -> None:
        super().show_values(values)
        self.view.show_levels(values["levels"])


_DRIVES = ("target", "to_number", "to_channel", "most", "low", "high")


class MovesButton(QPushButton):
    """Offers every parameter, to be moved by an LFO or contour."""

    def __init__(self, editor: StageEditor) -> None:
        super().__init__("Move a parameter with it …")
        self.editor = editor
        self.setToolTip(
            "Hook a parameter of any stage, source or instrument up to this; it stands in the Hookups view."
        )
        self.clicked.connect(self._offer)

    def _offer(self) -> None:
        menu = target_menu(self.editor.session.project, self, self.take)
        menu.exec(self.mapToGlobal(self.rect().bottomLeft()))

    def take(self, target: str, param: str, action: str) -> None:
        """Hook something up."""
        session = self.editor.session
        way: Any = "trigger" if action else "follow"
        stage = self.editor.stage.id
        made = Hookup(id="", control="stage", stage=stage, target=target, param=param, action=action, way=way)
        project, _ = edits.add_hookup(session.project, made)
        session.edit(f"Move {target_words(project, made)}", project)


class LfoEditor(StageEditor):
    """A cycle of the wave, with the value moving on it."""

    def build(self) -> None:
        self.view = WaveView(self.ink)
        self.view.drawn.connect(lambda points: self.set(False, points=points, wave="drawn"))
        self.view.settled.connect(self.session.settle)
        self.box.addWidget(self.view)
        self.box.addLayout(self.grid("wave", "unit", "rate", "hz", "phase", "width", "fade_s", "seed"))
        self.box.addStretch(1)
        self.side.addWidget(self.captioned("starts"))
        self.side.addWidget(caps("Drives"))
        self.side.addLayout(self.grid(*_DRIVES))
        self.side.addWidget(MovesButton(self))

    def show_values(self, values: dict[str, Any]) -> None:
        # A drawn wave lies under its points, and the place on it is ahead by the phase; others are shown as they begin.
        drawn = values["wave"] == "drawn"
        shown = {**values, "phase": 0} if drawn else values
        self._ahead = values["phase"] / 360.0 if drawn else 0.0
        wave = Lfo(shown, Context(identity=self.stage.id, key=self.session.project.key))
        self.view.show_wave(wave.share, values["points"] if drawn else None)
        by_note = values["unit"] == "note"
        self.controls["rate"].setEnabled(by_note)
        self.controls["hz"].setEnabled(not by_note)
        self.controls["width"].setEnabled(values["wave"] == "square")
        self.controls["seed"].setEnabled(values["wave"] in ("hold", "random"))
        self.controls["to_number"].setEnabled(values["target"] in ("cc", "cc14"))

    def tick(self, now: float) -> None:
        live = self.session.telemetry.live
        self.view.show_place(live[0] + self._ahead if len(live) == 2 else None)


class ContourEditor(StageEditor):
    """The steps, drawn; the one in force is lit."""

    def build(self) -> None:
        self.box.addWidget(self.control("drawn"))
        self.steps = QWidget()
        steps = QVBoxLayout(self.steps)
        steps.setContentsMargins(0, 0, 0, 0)
        steps.addLayout(counted_heading("Steps", "step", self._count, MAX))
        self.bars = StepBars(self.ink, 1.0, "The values, one after the other: drag to draw.", "press + for a step")
        self.bars.snap = 1.0 / 127.0
        self.bars.changed.connect(lambda levels: self.set(False, steps=[round(level * 127) for level in levels]))
        self.bars.settled.connect(self.session.settle)
        steps.addWidget(self.bars)
        self.box.addWidget(self.steps)
        self.view = WaveView(self.ink, MAX)
        self.view.drawn.connect(lambda points: self.set(False, points=points))
        self.view.settled.connect(self.session.settle)
        self.box.addWidget(self.view)
        self.box.addLayout(self.grid("length", "way", "offset"))
        self.box.addStretch(1)
        self.side.addWidget(self.captioned("starts"))
        self.side.addWidget(caps("Drives"))
        self.side.addLayout(self.grid(*_DRIVES))
        self.side.addWidget(MovesButton(self))

    def _count(self, by: int) -> None:
        steps: Sequence[int] = self.values["steps"]
        if by > 0 and len(steps) < MAX:
            self.set(steps=[*steps, steps[-1] if steps else 64])
        elif by < 0:
            self.set(steps=list(steps[:-1]))

    def show_values(self, values: dict[str, Any]) -> None:
        by_steps = values["drawn"] == "steps"
        self.steps.setVisible(by_steps)
        self.view.setVisible(not by_steps)
        self.bars.show_levels([step / 127.0 for step in values["steps"]])
        self.view.show_wave(Contour(values, Context(identity=self.stage.id)).share, values["points"])
        self.controls["offset"].setEnabled(by_steps)
        self.controls["to_number"].setEnabled(values["target"] in ("cc", "cc14"))

    def tick(self, now: float) -> None:
        live, steps = self.session.telemetry.live, self.values["steps"]
        self.view.show_place(live[0] if len(live) == 2 else None)
        if len(live) != 2 or not steps:
            self.bars.show_lit(None)
            return
        self.bars.show_lit((int(live[0] % 1.0 * len(steps) + 1e-6) + self.values["offset"] - 1) % len(steps))
