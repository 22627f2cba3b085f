"""The editor of the arpeggiator: the order as a star over the held notes, what sounded, and the lane."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from arpegon.core.events import NOTE_OFF, NOTE_ON
from arpegon.core.processing.parameters import Number
from arpegon.core.theory.orders import DRAWN, cycle
from arpegon.core.theory.pitch import written
from arpegon.engine.wire.protocol import Passed
from arpegon.processors.stages.arpeggiator import octaves
from arpegon.processors.stages.lane import LANE, LANE_TOSS, MAX
from arpegon.ui.bench.generator_editor import ActionRow, TempoRow
from arpegon.ui.bench.pattern_editor import PatternEditor
from arpegon.ui.controls.choices import Segments
from arpegon.ui.controls.held_ladder import HeldLadder
from arpegon.ui.controls.lane_cells import LaneCells
from arpegon.ui.controls.order_star import OrderStar
from arpegon.ui.controls.step_bars import StepBars
from arpegon.ui.controls.strokes_view import StrokesView
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.standard import caps, counted_heading

_LANES = {"velocity": "velocity", "length": "length", "chance": "chance", "octave": "octave"}


class ArpeggiatorEditor(PatternEditor):
    """Order, rate and octaves; a lane with a value of each kind for every step."""

    def build(self) -> None:
        self._held: dict[tuple[int, int], int] = {}
        self._remembered: list[int] = []
        self._sounding: set[int] = set()
        row = QHBoxLayout()
        row.setSpacing(14)
        self.star = OrderStar(self.ink)
        row.addWidget(self.star, 0, Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout()
        column.setSpacing(7)
        column.addWidget(self.captioned("order"))
        column.addWidget(self.captioned("rate"))
        column.addWidget(self.control("stride"))
        column.addWidget(self.control("octaves"))
        column.addStretch(1)
        row.addLayout(column, 1)
        self.box.addLayout(row)
        self.box.addLayout(self.grid("gate", "swing"))
        self.view = StrokesView(self.ink, "hold some notes: keys above, the arpeggio below")
        self.view.setMinimumHeight(96)
        self.box.addWidget(self.view)
        self.box.addStretch(1)
        self.side.addWidget(caps("Patterns"))
        self.add_patterns(self.side)
        self.side.addLayout(counted_heading("Lane", "step", self._count))
        self.none = Label("No lane: every step plays the next note. Press + for the first step.")
        self.none.setProperty("role", "second")
        self.none.setWordWrap(True)
        self.side.addWidget(self.none)
        self.cells = LaneCells(self.ink)
        self.cells.changed.connect(lambda step, play: self.put_entry(step, play=play))
        self.side.addWidget(self.cells)
        beside = QHBoxLayout()
        beside.setSpacing(10)
        self.ladder = HeldLadder(self.ink)
        beside.addWidget(self.ladder, 0, Qt.AlignmentFlag.AlignTop)
        drawn = QVBoxLayout()
        drawn.setSpacing(6)
        beside.addLayout(drawn, 1)
        self.which = Segments(_LANES, "Which value of the steps is drawn below.")
        self.which.chosen.connect(lambda name: self._show_lane(self.values))
        drawn.addWidget(self.which)
        self.bars: dict[str, StepBars] = {}
        for name in _LANES:
            low, high = _span(name)
            highest = high - low if name == "octave" else high / 100.0 if name == "chance" else high
            bars = self.bars[name] = StepBars(self.ink, highest, f"The {name} of each step.", "no lane")
            bars.changed.connect(lambda levels, name=name: self._draw(name, levels))
            bars.settled.connect(self.session.settle)
            drawn.addWidget(bars)
        drawn.addStretch(1)
        self.side.addLayout(beside)
        self.side.addLayout(self.grid("latch", "anew"))
        self.add_toss(self.side, LANE_TOSS)
        self.add_changes(self.fold("When patterns change", self.rest))
        notes = self.fold("Notes and loudness", self.rest)
        notes.addLayout(self.grid("through", "repeats"))
        for key in ("octave_way", "fewer"):
            notes.addWidget(self.captioned(key))
        notes.addLayout(self.grid("loudness", "fixed"))
        notes.addLayout(self.grid("seed", "accents"))
        starts = self.fold("Starts", self.rest)
        starts.addWidget(self.captioned("starts"))
        self.gather = self.captioned("gather_ms")
        starts.addWidget(self.gather)
        self.by_action = ActionRow(self)
        starts.addWidget(self.by_action)
        self.tempo = TempoRow(self)
        self.fold("Tempo", self.rest).addWidget(self.tempo)

    # -- showing -----------------------------------------------------------------------------------

    def show_values(self, values: dict[str, Any]) -> None:
        self.controls["stride"].setEnabled(values["order"] == "stride")
        self.controls["repeats"].setEnabled(values["order"] == "random")
        self.controls["fixed"].setEnabled(values["loudness"] == "fixed")
        self.controls["octave_way"].setEnabled(values["octaves"] > 1)
        self.show_patterns(values)
        self.gather.setVisible(values["starts"] == "key")
        self.by_action.show_values(values)
        self.tempo.show_values(values)
        self._show_lane(values)
        self._show_star(values)
        shown = {lane.name for lane in LANE_TOSS} - (set() if values["order"] == "stride" else {"stride"})
        self.tosses.show_values(values, shown)
        self.tosses.setVisible(bool(self.pattern()))

    def _show_lane(self, values: dict[str, Any]) -> None:
        lane = self.filled()
        self.none.setVisible(not lane)
        for widget in (self.cells, self.which):
            widget.setVisible(bool(lane))
        self.cells.show_steps(lane)
        for name, bars in self.bars.items():
            bars.setVisible(bool(lane) and name == self.which.value())
            bars.show_levels([self._level(name, step[name]) for step in lane])

    @staticmethod
    def _level(name: str, value: float) -> float:
        return value / 100.0 if name == "chance" else value - _span(name)[0] if name == "octave" else value

    def _show_star(self, values: dict[str, Any]) -> None:
        notes = [
            note + 12 * octave
            for octave in octaves(values["octaves"], values["octave_way"])
            for note in self._notes(values)
        ]
        order = values["order"]
        walk = [] if order in DRAWN else cycle(order, len(notes), values["stride"])
        names = self.session.project.key.names
        self.star.show_walk([written(note, names) for note in notes], walk)
        places = [place for place, note in enumerate(notes) if note in self._sounding]
        self.ladder.show_notes([written(note, names) for note in notes], places)
        self.star.show_lit(frozenset(place for place, note in enumerate(notes) if note in self._sounding))

    def _notes(self, values: dict[str, Any]) -> list[int]:
        """The notes held now, or last; before any, a chord to show the order on."""
        notes = [note for _, note in self._held] or self._remembered or [60, 64, 67, 71]
        return notes if values["order"] in ("played", *DRAWN) else sorted(notes)

    def passed(self, batch: Sequence[Passed]) -> None:
        for one in batch:
            if one.event is not None and one.event.kind == NOTE_ON:
                self._held[one.event.channel, one.event.data1] = one.event.data2
                self._remembered = [note for _, note in self._held]
                self.view.came_in(one.event.data1, one.event.time)
            elif one.event is not None and one.event.kind == NOTE_OFF:
                self._held.pop((one.event.channel, one.event.data1), None)
                self.view.went(one.event.data1, one.event.time)
            for event in one.out:
                if event.kind == NOTE_ON:
                    self._sounding.add(event.data1)
                    self.view.sounded(event.data1, event.time)
                elif event.kind == NOTE_OFF:
                    self._sounding.discard(event.data1)
                    self.view.ended(event.data1, event.time)
        self._show_star(self.values)

    def tick(self, now: float) -> None:
        self.view.tick(now)
        live = self.session.telemetry.live
        if len(live) != 2:
            return
        step, playing = int(live[0]), int(live[1])
        self.row.show_playing(playing if step >= 0 else None)
        lit = step if step >= 0 and playing == self.pattern_place else None
        self.cells.show_lit(lit)
        for bars in self.bars.values():
            bars.show_lit(lit)

    # -- the lane ----------------------------------------------------------------------------------

    def _count(self, by: int) -> None:
        lane = self.pattern()
        if by > 0 and len(lane) < MAX:
            lane.append({"play": "next"})
        elif by < 0:
            lane = lane[:-1]
        self.put_pattern(lane)

    def _draw(self, name: str, levels: Sequence[float]) -> None:
        lane = self.pattern()
        low, high = _span(name)
        for step, level in zip(lane, levels, strict=False):
            value = round(level + low) if name == "octave" else round(level * 100) if name == "chance" else level
            step[name] = max(low, min(high, value))
        self.put_pattern(lane, False)


def _span(name: str) -> tuple[float, float]:
    """The least and the greatest value that a step may have."""
    field = LANE.field(name)
    assert isinstance(field, Number)
    return field.low, field.high
