"""Standard controls for the fields of one entry of a list, such as one ring or one wall."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QWidget

from arpegon.core.processing.entries import Entries
from arpegon.ui.parts.standard import captioned, standard_control


class EntryPanel(QWidget):
    """The fields that are named, two in a row.

    Args:
        change: takes the key of a field, its value, and whether the gesture has ended.
    """

    def __init__(
        self,
        entries: Entries,
        keys: Sequence[str],
        ink: str,
        change: Callable[[str, Any, bool], None],
        settle: Callable[[], None],
    ) -> None:
        super().__init__()
        self.controls: dict[str, QWidget] = {}
        self.holders: dict[str, QWidget] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(20)
        grid.setVerticalSpacing(6)
        for column in range(2):
            grid.setColumnStretch(column, 1)
        for place, key in enumerate(keys):
            field = entries.field(key)

            def choose(value: Any, settled: bool, key: str = key) -> None:
                change(key, value, settled)

            control = self.controls[key] = standard_control(field, ink, choose, settle)
            holder = self.holders[key] = captioned(field, control)
            grid.addWidget(holder, place // 2, place % 2, Qt.AlignmentFlag.AlignBottom)

    def show_entry(self, entry: Mapping[str, Any]) -> None:
        """Show an entry (with all its fields)."""
        for key, control in self.controls.items():
            control.set_value(entry[key])  # type: ignore[attr-defined]
