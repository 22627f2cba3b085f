"""Sixteen channels above and below, joined where events go."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts

_CELL = 22.0
_FADE_SECONDS = 0.9


class ChannelLanes(PaintedParts):
    """Where each channel goes; a click on a lower cell chooses it."""

    chosen = pyqtSignal(int)

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.to: Sequence[int] = range(16)
        self._lit: dict[int, float] = {}
        self._now = 0.0
        self.setFixedHeight(128)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Channels")
        self.setToolTip("Channels that come in above, channels that go out below. Click a lower one to choose it.")

    def sizeHint(self) -> QSize:
        return QSize(360, 128)

    def show_lanes(self, to: Sequence[int]) -> None:
        """Show where each channel (0-15) goes."""
        self.to = to
        self.update()

    def strike(self, channel: int, now: float) -> None:
        """Something came in on a channel."""
        self._lit[channel] = self._now = now
        self.update()

    def tick(self, now: float) -> None:
        """Let lights fade."""
        if self._lit:
            self._now = now
            self._lit = {channel: at for channel, at in self._lit.items() if now - at < _FADE_SECONDS}
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.position().y() > self.height() - _CELL - 6:
            self.chosen.emit(max(0, min(15, int(event.position().x() / self.width() * 16))))

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(f"Channel {channel + 1} goes to {to + 1}") for channel, to in enumerate(self.to)]

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        width = self.width() / 16
        ink = t.drawn(self.ink)
        for channel, target in enumerate(self.to):
            glow = max(0.0, 1.0 - (self._now - self._lit[channel]) / _FADE_SECONDS) if channel in self._lit else 0.0
            painter.setPen(QPen(theme.color(ink, 0.28 + 0.72 * glow), 1.2 + 1.8 * glow))
            painter.drawLine(
                QPointF((channel + 0.5) * width, _CELL + 2), QPointF((target + 0.5) * width, self.height() - _CELL - 2)
            )
        used = {self.to[channel] for channel in self._lit}
        painter.setFont(theme.number_font(11))
        for row, lit in ((0.5, set(self._lit)), (self.height() - _CELL - 0.5, used)):
            for channel in range(16):
                cell = QRectF(channel * width + 1, row, width - 2, _CELL)
                ground = self.ink if channel in lit else t.field
                painter.setPen(theme.color(t.line))
                painter.setBrush(theme.color(ground))
                painter.drawRoundedRect(cell, 3, 3)
                painter.setPen(theme.color(theme.text_on(ground) if channel in lit else t.ink))
                painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, str(channel + 1))
