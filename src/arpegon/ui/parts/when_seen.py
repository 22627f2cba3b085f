"""Views that are brought up to date when somebody sees them."""

from __future__ import annotations

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QWidget

from arpegon.ui.model.change import Change


class WhenSeen(QWidget):
    """Shows the document anew while it is in sight; what changed meanwhile it shows when it comes into sight."""

    _stale = False

    def refresh(self) -> None:
        """Show the document."""
        raise NotImplementedError

    def document_changed(self, change: Change) -> None:
        """The document is another one."""
        if self.isVisible():
            self.refresh()
        else:
            self._stale = True

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._stale:
            self._stale = False
            self.refresh()
