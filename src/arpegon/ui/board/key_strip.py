"""The little keyboard at the foot of a strand."""

from __future__ import annotations

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from arpegon.ui.controls.keyboard import is_black
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Opaque, Still, painting
from arpegon.ui.model.paper import Paper


class KeyStrip(Opaque, QWidget):
    """The little keyboard at the foot of a strand; its keys stand under the notes of the roll."""

    def __init__(self, paper: Paper, place: str, ink: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.paper = paper
        self.place = place
        self.ink = ink
        self._shown: tuple[object, ...] = ()
        self._still = Still()
        self.setFixedHeight(17)

    def tick(self) -> None:
        """Repaint if keys or range changed."""
        shown = (self.paper.low, self.paper.high, frozenset(self.paper.line(self.place).sounding))
        if shown != self._shown:
            self._shown = shown
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as painter:
            self._still.draw(painter, self, (round(self.paper.low, 2), round(self.paper.high, 2)), self._paint_keys)
            scale = self.width() / (self.paper.high - self.paper.low + 1)
            for note in self.paper.line(self.place).sounding:
                dark = is_black(note)
                rect = QRectF((note - self.paper.low) * scale, 0, max(3.0, scale), 11 if dark else 17)
                painter.fillRect(rect, theme.brush(theme.ink(self.ink)))

    def _paint_keys(self, painter: QPainter) -> None:
        t = theme.theme()
        white = theme.DAY.roll if not t.dark else theme.mix(t.ink, t.roll, 0.15)
        black = theme.DAY.bar if not t.dark else t.desk
        painter.fillRect(self.rect(), theme.color(white))
        scale = self.width() / (self.paper.high - self.paper.low + 1)
        for note in range(int(self.paper.low), int(self.paper.high) + 2):
            x = (note - self.paper.low) * scale
            dark = is_black(note)
            if dark:
                painter.fillRect(QRectF(x + scale * 0.05, 0, scale * 0.9, 11), theme.color(black))
            elif note % 12 in (0, 5):
                painter.fillRect(QRectF(x, 0, 1, 17), theme.color(t.line if not t.dark else t.second))
        painter.setPen(theme.color(t.line))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
