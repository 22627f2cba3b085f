"""The level of an audio input, with the zone in which it should lie."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy

from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPicture, paint_paper
from arpegon.ui.look.plain import tip

NOMINAL_DB, PEAK_DB = -18.0, -6.0
_LOW_DB = -60.0
_FALL_DB = 26.0
_HOLD_SECONDS = 1.5
_CLIP_SECONDS = 3.0
_WORDS = 112
"""The room for words beside the bar."""


class InputMeter(PaintedPicture):
    """A bar in dB: between the two marks is where loud playing should reach; beyond the end it clips."""

    def __init__(self, ink: str) -> None:
        super().__init__()
        self.setAccessibleName("Level that comes in")
        self.ink = ink
        self.level = self._held = _LOW_DB
        self._held_at = self._clipped_at = self._at = -math.inf
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(34)
        self.setToolTip(
            tip(
                f"The level of what comes in. Play so that it lies around {NOMINAL_DB:g} dB and its peaks stay below "
                f"{PEAK_DB:g} dB (the marked zone); at 0 dB it clips, and velocities are no longer told apart."
            )
        )

    def sizeHint(self) -> QSize:
        return QSize(340, 34)

    def take(self, peak: float, now: float) -> None:
        """The greatest sample of the last moment; 1 and above is clipped."""
        level = 20.0 * math.log10(max(peak, 1e-6))
        self.level = max(level, self.level)
        if level >= self._held or now - self._held_at > _HOLD_SECONDS:
            self._held, self._held_at = level, now
        if peak >= 1.0:
            self._clipped_at = now

    def tick(self, now: float) -> None:
        """Let it fall."""
        passed = min(0.1, max(0.0, now - self._at))
        self._at = now
        before = self.level
        self.level = max(_LOW_DB, self.level - _FALL_DB * passed)
        if now - self._held_at > _HOLD_SECONDS:
            self._held = self.level
        self.tell_words(self.words())
        if before > _LOW_DB or now - self._clipped_at < _CLIP_SECONDS + 0.2:
            self.update()

    @property
    def clipped(self) -> bool:
        """Whether it clipped a moment ago."""
        return self._at - self._clipped_at < _CLIP_SECONDS

    def words(self) -> str:
        """The level in words."""
        if self.clipped:
            return "clips: turn down"
        if self._held <= _LOW_DB:
            return "silent"
        word = "too soft" if self._held < NOMINAL_DB - 12 else "too loud" if self._held > -1.0 else ""
        return f"{self._held:.0f} dB {word}".replace("-", "−").strip()

    def _x(self, level: float) -> float:
        return 1.0 + (min(3.0, max(_LOW_DB, level)) - _LOW_DB) / (3.0 - _LOW_DB) * (self.width() - 2.0 - _WORDS)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        bar = QRectF(1, 1, self.width() - 2.0 - _WORDS, 13)
        paint_paper(painter, t, bar, 3.0)
        zone = QRectF(self._x(NOMINAL_DB), 2, self._x(PEAK_DB) - self._x(NOMINAL_DB), 11)
        painter.fillRect(zone, theme.color(t.good, 0.28))
        ink = t.drawn(self.ink)
        painter.fillRect(QRectF(2, 4, max(0.0, self._x(self.level) - 2), 7), theme.color(ink))
        if self.clipped:
            painter.fillRect(QRectF(self._x(0.0), 2, bar.right() - 1 - self._x(0.0), 11), theme.color(t.warning))
        painter.setPen(QPen(theme.color(t.ink), 1.6))
        if self._held > _LOW_DB:
            painter.drawLine(QPointF(self._x(self._held), 2), QPointF(self._x(self._held), 13))
        painter.setFont(theme.number_font(11))
        painter.setPen(theme.color(t.second))
        for level in (-48, -36, -18, -6, 0):
            spot = QRectF(self._x(level) - 16, 16, 32, 16)
            painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, f"{level}".replace("-", "−"))
        painter.setPen(theme.color(t.warning if self.clipped else t.ink))
        painter.setFont(theme.label_font(12))
        words = QRectF(self.width() - _WORDS + 8, 0, _WORDS - 8, 16)
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.words())
