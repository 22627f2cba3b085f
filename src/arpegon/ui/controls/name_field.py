"""A name that is edited where it stands."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QMouseEvent
from PyQt6.QtWidgets import QWidget

from arpegon.ui.controls.elided import Elided
from arpegon.ui.controls.in_place import InPlace
from arpegon.ui.look import theme
from arpegon.ui.look.plain import tip

_SIZES = {"strand": 14, "strand-small": 12, "strand-large": 20}
"""The height of a strand's name in pixels."""


class NameField(Elided):
    """A name that is edited in place by double click or F2; a strand's is set smaller where it is long."""

    renamed = pyqtSignal(str)
    clicked = pyqtSignal()

    def __init__(self, text: str, role: str = "strand", parent: QWidget | None = None) -> None:
        self._is_large = False
        super().__init__(text, parent)
        self.setProperty("role", role)
        self.setToolTip(tip(f"{text} – double click to rename."))

    def _fit(self) -> None:
        role = self.property("role")
        if role in _SIZES:
            sizes = ("strand-large", "strand") if self._is_large else ("strand",)
            wanted = next((size for size in sizes if self._fits(_SIZES[size])), "strand-small")
            if role != wanted:
                self.setProperty("role", wanted)
                if (style := self.style()) is not None:
                    style.unpolish(self)
                    style.polish(self)
        super()._fit()

    def _fits(self, pixels: int) -> bool:
        return QFontMetrics(theme.name_font(pixels)).horizontalAdvance(self.full) <= self.width()

    def set_large(self, on: bool) -> None:
        """A strand's name larger, to be read from afar, where there is room."""
        self._is_large = on
        self._fit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.clicked.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.rename()

    def rename(self) -> None:
        """Let the name be typed."""
        parent = self.parentWidget()
        if parent is not None:
            field = InPlace(self.full, parent, self.geometry().adjusted(-6, -3, 6, 3))
            field.typed.connect(self._typed)

    def _typed(self, text: str) -> None:
        if text.strip():
            self.renamed.emit(text.strip())
