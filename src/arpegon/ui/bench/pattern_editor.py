"""What the editors of stages have in common that hold numbered patterns."""

from __future__ import annotations

import random
from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from arpegon.core.document.model import Hookup
from arpegon.core.processing.entries import Entries
from arpegon.core.processing.patterns import Patterns, chosen
from arpegon.core.processing.toss import TossLane
from arpegon.processors.tossing import tossed
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.bench.pattern_row import PatternRow
from arpegon.ui.bench.toss_box import TossBox
from arpegon.ui.parts.hook_handle import offer_hookup
from arpegon.ui.parts.standard import under_caption


class PatternEditor(StageEditor):
    """The base of editors of stages that hold patterns."""

    columns = 3

    def add_patterns(self, box: QVBoxLayout) -> None:
        """The row of patterns."""
        declared = self.params["patterns"]
        assert isinstance(declared, Patterns) and isinstance(declared.one, Entries)
        self.entries: Entries = declared.one
        self.row = PatternRow(declared, self.ink, self.fresh, lambda text: self.session.notice("edit", text))
        self.row.chosen.connect(lambda place: self.set(pattern=place + 1))
        self.row.edited.connect(lambda label, patterns, place: self.set(patterns=patterns, pattern=place + 1))
        self.row.learn.connect(self._learn_pattern)
        box.addWidget(self.row)

    def add_changes(self, box: QVBoxLayout) -> None:
        """When another pattern takes over, and how."""
        row = QHBoxLayout()
        row.setSpacing(12)
        row.addWidget(under_caption("Another pattern takes over", self.control("change")), 1)
        row.addWidget(self.control("from_first"), 1, Qt.AlignmentFlag.AlignBottom)
        box.addLayout(row)
        box.addWidget(self.control("change_bars"))

    def add_toss(self, box: QVBoxLayout, lanes: Sequence[TossLane]) -> None:
        """The box of tosses; its bounds are among what is turned seldom."""
        self.tosses = TossBox(lanes, self.entries, self.ink, self.set, self._tossed)
        offer_hookup(self.session.hooking, self.tosses.button, self.stage.id, action="toss")
        box.addWidget(self.tosses)
        self.fold("What a toss may change", self.rest).addWidget(self.tosses.bounds)

    def fresh(self) -> list[dict[str, Any]]:
        """A pattern to begin with."""
        default = self.params["patterns"].default
        return [dict(entry) for entry in default[0]] if default else []

    def _learn_pattern(self, place: int) -> None:
        """Hook a control up to one of the patterns, or to the next one."""
        one = {"action": "pattern", "value": float(place + 1)} if place >= 0 else {"action": "pattern-next"}
        self.session.hooking.learn(Hookup(id="", target=self.stage.id, way="trigger", **one))

    def _tossed(self, lanes: list[str]) -> dict[str, Any]:
        return tossed(self.processor, self.values, lanes, random.randrange(1_000_000), self.session.project.key)

    # -- the pattern that is edited ----------------------------------------------------------------

    @property
    def pattern_place(self) -> int:
        """The place of the pattern that is chosen."""
        return chosen(self.values, len(self.values["patterns"]))

    def pattern(self) -> list[dict[str, Any]]:
        """The chosen pattern, as it stands in the document."""
        patterns = self.values["patterns"]
        return [dict(entry) for entry in patterns[self.pattern_place]] if patterns else []

    def filled(self) -> list[dict[str, Any]]:
        """The chosen pattern with all fields of its entries."""
        return self.entries.filled(self.pattern())

    def put_pattern(self, pattern: list[dict[str, Any]], settled: bool = True) -> None:
        """Replace the chosen pattern."""
        patterns = [list(one) for one in self.values["patterns"]] or [[]]
        patterns[self.pattern_place] = pattern
        self.set(settled, patterns=patterns)

    def put_entry(self, place: int, settled: bool = True, **fields: Any) -> None:
        """Change fields of one entry of the chosen pattern."""
        pattern = self.pattern()
        if place < len(pattern):
            pattern[place] |= fields
            self.put_pattern(pattern, settled)

    def show_patterns(self, values: dict[str, Any]) -> None:
        """Show the row of patterns."""
        self.row.show_patterns(values["patterns"], self.pattern_place)
        self.controls["change_bars"].setVisible(values["change"] == "bar")
