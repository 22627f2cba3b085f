"""What draws itself: the beginning that all painted controls share, and the paper many of them lie on."""

from __future__ import annotations

import contextlib
from collections.abc import Collection, Iterator
from typing import ClassVar

from PyQt6.QtCore import QEvent, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QPaintDevice, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from arpegon.ui.look import theme


@contextlib.contextmanager
def painting(device: QPaintDevice) -> Iterator[QPainter]:
    """A painter that ends in any case: one that is left on a widget by a fault would bring the program down."""
    painter = QPainter(device)
    try:
        yield painter
    finally:
        painter.end()


class Painted(QWidget):
    """A widget that draws itself whole, in the theme of now."""

    smooth: ClassVar[bool] = True
    """Whether edges are smoothed; upright and level ones are sharper without."""
    own_keys: ClassVar[Collection[int]] = ()
    """Keys that are a shortcut of the window or play notes, but are this control's while it has the focus."""

    def claims(self, event: QKeyEvent) -> bool:
        """Whether a key is this control's own, whatever it does elsewhere."""
        beyond = event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
        return event.key() in self.own_keys and not beyond

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and self.claims(event):
            event.accept()
            return True
        return super().event(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, self.smooth)
            self.paint(painter, theme.theme())

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        """Draw all of it; ``painter`` ends with this call."""
        raise NotImplementedError

    def sheet(self) -> QRectF:
        """Where its paper lies when that fills the widget: half a pixel in, so that the line is sharp."""
        return QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)


def paint_paper(painter: QPainter, t: theme.Theme, area: QRectF, corner: float = 4.0) -> None:
    """A piece of the roll's paper with its line around it."""
    painter.setPen(theme.color(t.line))
    painter.setBrush(theme.color(t.roll))
    painter.drawRoundedRect(area, corner, corner)
