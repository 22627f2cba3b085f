"""The editor of steps: the ring with its star, the steps in the order they sound, patterns and tosses."""

from __future__ import annotations

from math import gcd
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout

from arpegon.core.processing.parameters import Number
from arpegon.core.theory.pitch import written
from arpegon.core.theory.scales import stage_key
from arpegon.core.theory.walks import WALKS, RingWalk, figure
from arpegon.core.time.rhythm import beats_of
from arpegon.processors.sources.steps import MAX, STEP_TOSS
from arpegon.processors.stages.transpose import by_degrees
from arpegon.ui.bench.generator_editor import GeneratorFoot
from arpegon.ui.bench.pattern_editor import PatternEditor
from arpegon.ui.controls.choices import Segments
from arpegon.ui.controls.slider import Slider
from arpegon.ui.controls.step_lanes import LaneLook, StepLanes
from arpegon.ui.controls.step_ring import RingStep, StepRing
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.standard import caps

_SIGNS = {"rest": "·", "tie": "~", "skip": "–"}
_PLAYS = {"note": "note", "tie": "tie", "rest": "rest", "skip": "skip"}
_WAYS = {
    "there-back": "there and back again",
    "drift": "drifts as the seed has it",
    "shuffled": "shuffled anew each round",
    "random": "as the seed has it",
}
_COUNT = Number(name="count", label="Steps", default=8, low=1, high=MAX, help="How many steps the ring has.")


class StepsEditor(PatternEditor):
    """Ring and walk on one side, lanes and tosses on the other."""

    def build(self) -> None:
        self.add_patterns(self.box)
        self.ring = StepRing(self.ink)
        self.ring.picked.connect(self._picked)
        self.ring.skipped.connect(self._skip)
        self.ring.nudged.connect(self._nudge)
        self.box.addWidget(self.ring)
        chosen = QHBoxLayout()
        self.step_name = Label("")
        self.step_name.setProperty("role", "second")
        self.step_name.setMinimumWidth(52)
        chosen.addWidget(self.step_name)
        self.play = Segments(
            _PLAYS, "What the chosen step does: a note; a tie; a rest takes its time; a skip does not."
        )
        self.play.chosen.connect(lambda play: self.put_entry(self.ring.chosen, play=play))
        chosen.addWidget(self.play, 1)
        self.box.addLayout(chosen)
        self.count = Slider(_COUNT, self.ink)
        self.count.moved.connect(lambda value: self._resize(int(value)))
        self.count.settled.connect(self.session.settle)
        sliders = self.grid("stride", "first", "swing")
        first = sliders.itemAtPosition(1, 1)
        assert first is None
        sliders.addWidget(self.count, 1, 1)
        self.box.addLayout(sliders)
        self.rest.addLayout(self.grid("rate", "seed"))
        walk = self.fold("Walk", self.rest)
        walk.addWidget(self.control("walk"))
        walk.addLayout(self.grid("mirrored", "shift"))
        self.add_changes(self.fold("When patterns change", self.rest))
        head = QHBoxLayout()
        head.addWidget(caps("In the order they sound"), 1)
        hint = Label("drag draws · right click skips")
        hint.setProperty("role", "second")
        head.addWidget(hint)
        self.side.addLayout(head)
        self.lanes = StepLanes(self.ink, self._looks())
        self.lanes.drawn.connect(self._drawn)
        self.lanes.settled.connect(self.session.settle)
        self.lanes.skipped.connect(self._skip)
        self.lanes.picked.connect(self._picked)
        self.side.addWidget(self.lanes)
        self.add_toss(self.side, STEP_TOSS)
        self.side.addLayout(self.grid("reads", "base"))
        self.foot = GeneratorFoot(self)
        self.box.addStretch(1)

    # -- showing -----------------------------------------------------------------------------------

    def show_values(self, values: dict[str, Any]) -> None:
        self.show_patterns(values)
        steps = self.filled()
        count = len(steps)
        self._order = self._figure(values, count)
        walk = self._walk(values, steps)
        drawn = values["walk"] in ("drift", "shuffled", "random")
        beads = [RingStep(_SIGNS.get(step["play"]) or self._name(values, step), step["play"]) for step in steps]
        path = [walk.place(number) or 0 for number in range(len(walk))]
        self.ring.show_ring(beads, path, not drawn, *self._words(values, steps, walk))
        self.lanes.show_lanes(self._looks())
        per_beat = round(1.0 / beats_of(values["rate"], self.session.project.meter))
        self.lanes.show_steps(steps, self._order, per_beat if 2 <= per_beat <= 8 else 4)
        self.count.set_value(count)
        self.controls["seed"].setEnabled(drawn or any(step["chance"] < 100 for step in steps))
        self.controls["base"].setVisible(values["reads"] == "degree")
        self._show_chosen(steps)
        shown = {lane.name for lane in STEP_TOSS} - {"note" if values["reads"] == "degree" else "degree"}
        self.tosses.show_values(values, shown)
        self.foot.show_values(values)

    def _walk(self, values: dict[str, Any], steps: list[dict[str, Any]]) -> RingWalk:
        skipped = {place for place, step in enumerate(steps) if step["play"] == "skip"}
        return RingWalk(values["walk"], self._figure(values, len(steps)), skipped, f"{values['seed']}/{self.stage.id}")

    @staticmethod
    def _figure(values: dict[str, Any], count: int) -> list[int]:
        """The places of the ring in the order in which the stride reaches them."""
        start = (values["first"] - 1) % max(1, count)
        return figure(count, values["stride"], shift=values["shift"], mirrored=values["mirrored"], start=start)

    def _words(self, values: dict[str, Any], steps: list[dict[str, Any]], walk: RingWalk) -> tuple[str, str]:
        """What stands in the middle of the ring."""
        count, stride = len(steps), values["stride"]
        if not len(walk):
            return "silent", "all steps are skipped"
        title = f"stride {stride}" if stride > 1 else WALKS[values["walk"]]
        if values["walk"] != "round":
            return title, _WAYS[values["walk"]]
        visited = len(set(walk.cycle))
        if visited == count:
            return title, f"visits all {count}, ends where it began"
        skips = sum(step["play"] == "skip" for step in steps)
        if not values["shift"] and gcd(count, stride) > 1:
            return title, f"stays on {visited} of {count} steps"
        return title, f"visits {visited}, skips {skips}"

    def _name(self, values: dict[str, Any], step: dict[str, Any]) -> str:
        if values["reads"] == "note":
            return written(step["note"], self.session.project.key.names)
        return str(step["degree"]).replace("-", "−")

    def _looks(self) -> list[LaneLook]:
        values = self.values
        steps = self.filled()
        percent, share = (lambda value: f"{value:g} %"), (lambda value: f"{value:.2f}")
        whole = lambda value: f"{value:g}".replace("-", "−")  # noqa: E731
        if values["reads"] == "note":
            found = [step["note"] for step in steps if step["play"] == "note"] or [60]
            low, high = max(0, min(found) - 5), min(127, max(found) + 5)
            names = self.session.project.key.names
            first = LaneLook("note", "Note", low, high, 1, "line", 106, lambda value: written(round(value), names))
        else:
            found = [step["degree"] for step in steps if step["play"] == "note"] or [1]
            low, high = max(-20, min(found) - 3), min(22, max(found) + 3)
            first = LaneLook("degree", "Degree", low, high, 1, "line", 106, whole)
        return [
            first,
            LaneLook("velocity", "Velocity", 1, 127, 1, "bar", 58, whole),
            LaneLook("length", "Length", 0.05, 4.0, 0.05, "length", 36, share),
            LaneLook("chance", "Chance", 0, 100, 5, "bar", 50, percent),
        ]

    def _show_chosen(self, steps: list[dict[str, Any]]) -> None:
        place = min(self.ring.chosen, len(steps) - 1)
        self.step_name.setText(f"Step {place + 1}")
        if steps:
            self.play.set_value(steps[place]["play"])
            self.lanes.choose(place)

    def tick(self, now: float) -> None:
        live = self.session.telemetry.live
        if len(live) != 3:
            return
        place, playing = int(live[0]), int(live[1])
        here = playing == self.pattern_place and place >= 0
        self.row.show_playing(playing if place >= 0 else None)
        self.ring.show_lit(place if here else None)
        self.lanes.show_lit(self._order.index(place) if here and place in self._order else None)

    # -- edits -------------------------------------------------------------------------------------

    def _picked(self, place: int) -> None:
        self.ring.choose(place)
        self._show_chosen(self.filled())

    def _skip(self, place: int) -> None:
        steps = self.filled()
        if place < len(steps):
            self.put_entry(place, play="note" if steps[place]["play"] == "skip" else "skip")

    def _nudge(self, place: int, by: int) -> None:
        """A step higher or lower: to the next note of the scale, where only its notes can sound."""
        values, steps = self.values, self.filled()
        if place >= len(steps):
            return
        step = steps[place]
        if values["reads"] == "degree":
            self.put_entry(place, degree=max(-20, min(22, step["degree"] + by)), play="note")
            return
        key = stage_key(values, self.session.project.key)
        note = by_degrees(step["note"], by, key) if values["in_scale"] else step["note"] + by
        self.put_entry(place, note=max(0, min(127, note)), play="note")

    def _drawn(self, key: str, place: int, value: float) -> None:
        whole = key != "length"
        if key == "note" and self.values["in_scale"]:
            value = self._in_scale(round(value))
        fields: dict[str, Any] = {key: round(value) if whole else value}
        if key in ("note", "degree"):
            fields["play"] = "note"
        self.put_entry(place, False, **fields)

    def _in_scale(self, note: int) -> int:
        """The nearest note of the scale."""
        inside = stage_key(self.values, self.session.project.key).pitch_classes
        return min((abs(by), note + by) for by in range(-6, 7) if (note + by) % 12 in inside)[1]

    def _resize(self, count: int) -> None:
        pattern = self.pattern()
        while len(pattern) < count:
            pattern.append(dict(pattern[len(pattern) % max(1, len(pattern))]) if pattern else {})
        self.put_pattern(pattern[:count], False)
