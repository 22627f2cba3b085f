"""Several of a few values, as chips that are switched on and off."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QPushButton, QSizePolicy, QWidget

from arpegon.ui.look.plain import tip


class Chips(QWidget):
    """Chips in rows; ``chosen`` carries the values that are on, in the order of the options."""

    chosen = pyqtSignal(list)

    def __init__(
        self, options: Mapping[str, str], help_text: str, columns: int = 4, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.buttons: dict[str, QPushButton] = {}
        self.setToolTip(tip(help_text))
        self.setAccessibleName(help_text)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        for place, (value, label) in enumerate(options.items()):
            button = QPushButton(label)
            button.setCheckable(True)
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            button.setStyleSheet("padding: 3px 4px;")
            button.clicked.connect(lambda _=False: self.chosen.emit(self.value()))
            grid.addWidget(button, place // columns, place % columns)
            self.buttons[value] = button

    def value(self) -> list[str]:
        """The values that are on."""
        return [value for value, button in self.buttons.items() if button.isChecked()]

    def set_value(self, values: Sequence[str]) -> None:
        """Show which are on; nothing is emitted."""
        for value, button in self.buttons.items():
            button.setChecked(value in values)
