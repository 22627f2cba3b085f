"""Text that is shortened where there is no room for all of it."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QResizeEvent
from PyQt6.QtWidgets import QWidget

from arpegon.ui.look.plain import Label


class Elided(Label):
    """Shows what fits of ``full``; the whole text is its tooltip where it has none of its own."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        self.full = ""
        super().__init__(text, parent)
        self.setMinimumWidth(20)

    def setText(self, text: str | None) -> None:
        self.full = text or ""
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def sizeHint(self) -> QSize:
        hint = super().sizeHint()
        if self.wordWrap():
            return hint
        return QSize(self.fontMetrics().horizontalAdvance(self.full) + 4, hint.height())

    def _fit(self) -> None:
        shown = self.full
        if not self.wordWrap():
            shown = self.fontMetrics().elidedText(self.full, Qt.TextElideMode.ElideRight, max(20, self.width()))
        if shown != super().text():
            super().setText(shown)
            self.updateGeometry()


def draw_elided(painter: QPainter, room: QRectF, words: str) -> None:
    """Words at the left of their room, cut with dots where they are too long."""
    shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(room.width()))
    painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
