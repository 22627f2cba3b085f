"""A text that is typed where it stands."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget


class InPlace(QLineEdit):
    """A field over a control, with its text chosen. Return, or going elsewhere, takes what was typed; Esc leaves it.

    Signals:
        typed: what was typed, once; the field goes away by itself.
    """

    typed = pyqtSignal(str)

    def __init__(self, text: str, over: QWidget, place: QRect, font: QFont | None = None) -> None:
        """A field with ``text`` at a place of the widget that it stands ``over``."""
        super().__init__(text, over)
        self._ended = False
        if font is not None:
            self.setFont(font)
        self.setGeometry(place)
        self.selectAll()
        self.editingFinished.connect(lambda: self._end(True))
        self.show()
        self.setFocus()

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            if event.key() == Qt.Key.Key_Escape:  # elsewhere it ends learning
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            self._end(event.key() != Qt.Key.Key_Escape)  # and it goes no further: beneath, Return opens the field again
        else:
            super().keyPressEvent(event)

    def _end(self, taken: bool) -> None:
        if self._ended:
            return
        self._ended = True
        below = self.parentWidget()
        if self.hasFocus() and below is not None:
            below.setFocus()
        self.hide()
        self.deleteLater()
        if taken:
            self.typed.emit(self.text())
