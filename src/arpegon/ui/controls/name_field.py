"""A name that is edited where it stands."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from arpegon.ui.controls.elided import Elided


class NameField(Elided):
    """A name that is edited in place by double click or F2."""

    renamed = pyqtSignal(str)
    clicked = pyqtSignal()

    def __init__(self, text: str, role: str = "strand", parent: QWidget | None = None) -> None:
        super().__init__(text, parent)
        self.setProperty("role", role)
        self.setToolTip(f"{text} – double click to rename.")
        self._field: QLineEdit | None = None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.clicked.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.rename()

    def rename(self) -> None:
        """Let the name be typed."""
        field = self._field = QLineEdit(self.full, self.parentWidget())
        field.setGeometry(self.geometry().adjusted(-6, -3, 6, 3))
        field.selectAll()
        field.editingFinished.connect(self._typed)
        field.show()
        field.setFocus()

    def _typed(self) -> None:
        field, self._field = self._field, None
        if field is not None:
            if field.text().strip():
                self.renamed.emit(field.text().strip())
            field.deleteLater()
