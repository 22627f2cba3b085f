"""Tosses on the bench: which lanes get new values, within which bounds, and all that came of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from arpegon.core.processing.entries import Entries
from arpegon.core.processing.patterns import chosen
from arpegon.core.processing.toss import TossLane, bounds_of
from arpegon.core.theory.pitch import written
from arpegon.ui.controls.range_slider import RangeSlider
from arpegon.ui.controls.toss_figures import Figure, TossFigures
from arpegon.ui.look.plain import Label, tip

Set = Callable[..., None]
Toss = Callable[[list[str]], dict[str, Any]]
"""Tosses lanes: the parameters that change."""


class TossBox(QWidget):
    """Bounds, the button, and the row of figures.

    Args:
        lanes: what can be tossed.
        entries: the declaration of a pattern.
        set_values: takes parameters (see :meth:`StageEditor.set`).
        make: tosses lanes (see :func:`~arpegon.processors.tossing.tossed`).
    """

    def __init__(self, lanes: Sequence[TossLane], entries: Entries, ink: str, set_values: Set, make: Toss) -> None:
        super().__init__()
        self.lanes = {lane.name: lane for lane in lanes}
        self.entries = entries
        self.set_values = set_values
        self.make = make
        self.values: Mapping[str, Any] = {}
        self._last: int | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        self.bounds = QWidget()
        """What may be tossed, and within which bounds."""
        grid = QGridLayout(self.bounds)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(20)
        grid.setVerticalSpacing(2)
        self.checks: dict[str, QCheckBox] = {}
        self.ranges: dict[str, RangeSlider] = {}
        self.spans: dict[str, Label] = {}
        self._cells: dict[str, QWidget] = {}
        for lane in lanes:
            check = QCheckBox(lane.label)
            check.setToolTip(tip(f"Let a toss change the {lane.label.lower()}; unticked it stays as it is."))
            check.clicked.connect(lambda _=False: self._choose())
            slider = RangeSlider(
                lane.low,
                lane.high,
                lane.step,
                ink,
                f"{lane.label}: the least and the greatest that a toss may draw.",
            )
            slider.moved.connect(lambda low, high, key=lane.name: self._bound(key, low, high))
            slider.settled.connect(lambda: self.set_values(True))
            span = Label("")
            span.setProperty("role", "small-number")
            cell = QWidget()
            column = QVBoxLayout(cell)
            column.setContentsMargins(0, 0, 0, 0)
            column.setSpacing(0)
            line = QHBoxLayout()
            line.addWidget(check, 1)
            line.addWidget(span)
            column.addLayout(line)
            column.addWidget(slider)
            self.checks[lane.name], self.ranges[lane.name] = check, slider
            self.spans[lane.name], self._cells[lane.name] = span, cell
        self._grid = grid
        self._arrange(set(self.lanes))
        row = QHBoxLayout()
        self.button = QPushButton("Toss (Alt+T)")
        self.button.setProperty("strong", True)
        self.button.setToolTip("New values for the ticked lanes, within their bounds (Alt+T). Ctrl+Z takes it back.")
        self.button.clicked.connect(self.toss)
        self.compare = QPushButton("compare")
        self.compare.setToolTip("Go back and forth between the last two (Alt+Shift+T).")
        self.compare.clicked.connect(self.swap)
        self.count = Label("")
        self.count.setProperty("role", "second")
        row.addWidget(self.button)
        row.addWidget(self.compare)
        row.addWidget(self.count, 1, Qt.AlignmentFlag.AlignRight)
        box.addLayout(row)
        self.figures = TossFigures(ink)
        self.figures.called.connect(self.call_back)
        self.figures.asked.connect(self._offer)
        self.figures.starred.connect(self.star)
        box.addWidget(self.figures)
        for keys, act in (("Alt+T", self.toss), ("Alt+Shift+T", self.swap)):
            shortcut = QShortcut(QKeySequence(keys), self)
            shortcut.setContext(Qt.ShortcutContext.WindowShortcut)
            shortcut.activated.connect(act)

    def _arrange(self, shown: set[str]) -> None:
        """Lay the lanes out that are of use, two in a row."""
        for key, cell in self._cells.items():
            self._grid.removeWidget(cell)
            cell.setVisible(key in shown)
        for place, key in enumerate(key for key in self.lanes if key in shown):
            self._grid.addWidget(self._cells[key], place // 2, place % 2)
        for column in range(2):
            self._grid.setColumnStretch(column, 1)
        self._shown = shown

    def show_values(self, values: Mapping[str, Any], shown: set[str] | None = None) -> None:
        """Show the parameters of the stage; ``shown`` names the lanes that are of use."""
        self.values = values
        shown = set(self.lanes) if shown is None else shown
        if shown != self._shown:
            self._arrange(shown)
        for key, lane in self.lanes.items():
            on = key in values["toss_lanes"]
            self.checks[key].setChecked(on)
            self.ranges[key].setEnabled(on)
            low, high = bounds_of(lane, values["toss_bounds"])
            self.ranges[key].show_span(low, high)
            lowest_text, highest_text = lane_text(lane, low), lane_text(lane, high)
            self.spans[key].setText(lowest_text if low == high else f"{lowest_text} – {highest_text}")
        tosses = values["tosses"]
        current = self.current()
        self.figures.show_figures([Figure(one["seed"], one["star"], self._words(one)) for one in tosses], current)
        self.compare.setEnabled(len(tosses) > 1)
        if not tosses:
            self.count.setText("")
        else:
            self.count.setText(
                f"toss {current + 1} of {len(tosses)}" if current is not None else f"{len(tosses)} tosses"
            )

    def _words(self, made: Mapping[str, Any]) -> str:
        parts = [
            f"{self.lanes[key].label} {lane_text(self.lanes[key], low)} – {lane_text(self.lanes[key], high)}"
            for key, (low, high) in made["lanes"].items()
        ]
        return f"Seed {made['seed']}: {', '.join(parts)}"

    def _pattern(self) -> list[dict[str, Any]]:
        patterns = self.values["patterns"]
        return [dict(step) for step in patterns[chosen(self.values, len(patterns))]] if patterns else []

    def current(self) -> int | None:
        """The toss whose values are in force, if any."""
        now = self.entries.filled(self._pattern())
        for place in reversed(range(len(self.values["tosses"]))):
            one = self.values["tosses"][place]
            if self.entries.filled(one["made"]) == now and all(
                self.values.get(key) == value for key, value in one["whole"].items()
            ):
                return place
        return None

    # -- edits -------------------------------------------------------------------------------------

    def toss(self) -> None:
        """New values for the ticked lanes."""
        if self.isVisible():
            lanes = [key for key in self.values["toss_lanes"] if key in self._shown]
            before = self.current()
            made = self.make(lanes)
            if made:
                self._last = before
                self.set_values(True, **made)

    def call_back(self, place: int) -> None:
        """Go back to a toss."""
        before = self.current()
        if place < len(self.values["tosses"]) and place != before:
            self._last = before
            self._use(self.values["tosses"][place])

    def swap(self) -> None:
        """Go back and forth between the last two."""
        tosses = self.values.get("tosses", [])
        if len(tosses) < 2 or not self.isVisible():
            return
        now = self.current()
        fallback = len(tosses) - 2 if now == len(tosses) - 1 else len(tosses) - 1
        self.call_back(self._last if self._last not in (None, now) else fallback)

    def star(self, place: int) -> None:
        """Give a toss a star, which keeps it when the row is full, or take it away."""
        tosses = [dict(one) for one in self.values["tosses"]]
        tosses[place]["star"] = not tosses[place]["star"]
        self.set_values(True, tosses=tosses)

    def forget(self, place: int) -> None:
        """Take a toss out of the row."""
        self.set_values(True, tosses=[one for at, one in enumerate(self.values["tosses"]) if at != place])

    def _use(self, made: Mapping[str, Any]) -> None:
        patterns = [list(pattern) for pattern in self.values["patterns"]]
        patterns[chosen(self.values, len(patterns))] = list(made["made"])
        self.set_values(True, patterns=patterns, **made["whole"])

    def _choose(self) -> None:
        self.set_values(True, toss_lanes=[key for key, check in self.checks.items() if check.isChecked()])

    def _bound(self, key: str, low: float, high: float) -> None:
        self.set_values(False, toss_bounds={**self.values["toss_bounds"], key: [low, high]})

    def _offer(self, place: int, at: QPoint) -> None:
        menu = QMenu(self)
        star = "Take the star away" if self.values["tosses"][place]["star"] else "Star"
        menu.addAction("Call back", lambda: self.call_back(place))
        menu.addAction(star, lambda: self.star(place))
        menu.addAction("Forget", lambda: self.forget(place))
        menu.exec(at)


def lane_text(lane: TossLane, value: float) -> str:
    """A value of a lane, as it is read."""
    if lane.name == "note":
        return written(round(value))
    if lane.way == "share" or lane.name == "chance":
        return f"{value:g} %"
    return f"{value:g}".replace("-", "−")
