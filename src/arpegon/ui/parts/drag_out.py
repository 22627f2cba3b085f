"""A grip by which something is dragged out of the window: onto another program or a folder it is a file."""

from __future__ import annotations

import atexit
import tempfile
from collections.abc import Callable
from functools import cache
from pathlib import Path

from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl
from PyQt6.QtGui import QDrag, QMouseEvent
from PyQt6.QtWidgets import QApplication, QPushButton, QWidget

from arpegon.ui.look.plain import tip
from arpegon.ui.parts.midi_clipboard import MIDI, bytes_in, copy

Offer = Callable[[], tuple[str, QMimeData] | None]
"""Gives the name and the content of what would be dragged now; ``None``: nothing."""


@cache
def _dragged() -> str:
    """The folder of what was dragged out: it stays until the program ends, because others may read it late."""
    folder = tempfile.TemporaryDirectory(prefix="arpegon-drag-")
    atexit.register(folder.cleanup)
    return folder.name


class DragOut(QPushButton):
    """The grip; a click puts the same on the clipboard."""

    def __init__(self, offer: Offer, help: str, parent: QWidget | None = None) -> None:
        super().__init__("Drag", parent)
        self._offer = offer
        self._pressed: QPoint | None = None
        self.setToolTip(tip(help))
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clicked.connect(self.copy)

    def copy(self) -> None:
        """Put it on the clipboard."""
        offered = self._offer()
        if offered is not None:
            copy(offered[1])

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        self._pressed = event.position().toPoint() if event is not None else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None:
            return
        if (event.position().toPoint() - self._pressed).manhattanLength() < QApplication.startDragDistance():
            return
        self._pressed = None
        self.setDown(False)
        data = self.data()
        if data is not None:
            drag = QDrag(self)
            drag.setMimeData(data)
            drag.exec(Qt.DropAction.CopyAction)

    def data(self) -> QMimeData | None:
        """What is dragged: the content, and a file of it."""
        offered = self._offer()
        if offered is None:
            return None
        name, data = offered
        folder = Path(tempfile.mkdtemp(dir=_dragged()))
        file = folder / f"{name.replace('/', '-') or 'take'}.mid"
        file.write_bytes(bytes_in(data))
        data.setUrls([QUrl.fromLocalFile(str(file))])
        assert data.hasFormat(MIDI)
        return data
