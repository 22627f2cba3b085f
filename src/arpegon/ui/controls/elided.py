"""Text that is shortened where there is no room for all of it."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QPainter, QResizeEvent
from PyQt6.QtWidgets import QWidget

from arpegon.ui.look.plain import Label

_SMALLEST = 11
"""Pixels; below that nobody reads."""
_CLOSEST = 88
"""Percent of the usual width: closer, letters touch."""


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

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.FontChange:
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


def draw_fitted(
    painter: QPainter, room: QRectF, words: str, side: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft
) -> None:
    """Words at a side of their room; where they are too long, smaller, then closer, then cut with dots."""
    _fit_font(painter, words, room.width())
    shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(room.width()))
    painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | side, shown)


def _fit_font(painter: QPainter, words: str, width: float) -> None:
    """The painter's font, or the largest beneath it with which words fit, and the smallest where they never do."""
    font = QFont(painter.font())
    sizes = range(font.pixelSize(), _SMALLEST - 1, -1)
    for pixels, stretch in [*((size, 0) for size in sizes), (_SMALLEST, _CLOSEST)]:
        font.setPixelSize(pixels)
        if stretch:
            font.setStretch(stretch)
        painter.setFont(font)
        if painter.fontMetrics().horizontalAdvance(words) <= width:
            return
