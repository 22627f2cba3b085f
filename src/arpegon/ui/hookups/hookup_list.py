"""All hookups in a list, by control: what moves now, what it moves, and how."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.controls.hook_mark import paint_mark
from arpegon.ui.controls.row_list import RowList
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart

ROW = 44
_GLOW = 0.8


class HookupRow(msgspec.Struct, frozen=True):
    """One row: ids and words; ``gone`` where its target is no longer there."""

    id: str
    control: str
    name: str
    target: str
    how: str
    gone: bool
    muted: bool


class HookupList(RowList[HookupRow]):
    """Rows; click chooses one, Return or a click on the switch at its right mutes it, Del removes it."""

    muted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__("Hookups", ROW, 4)
        self._values: dict[str, tuple[float, float]] = {}
        self._now = 0.0
        self.setToolTip(
            "What each control moves, and where it stands. Click or arrows choose a hookup; Return, or the button at "
            "its right, mutes it; Del takes it out."
        )

    def show_values(self, values: dict[str, tuple[float, float]], now: float) -> None:
        """Show where the controls are; those that moved of late glow."""
        if values != self._values or any(now - at < _GLOW + 0.1 for _, at in values.values()):
            self._values, self._now = dict(values), now
            self.update()

    def entry_words(self, entry: HookupRow) -> PaintedPart:
        return PaintedPart(
            ", ".join(filter(None, (entry.name or entry.control, entry.target, entry.how))), not entry.muted
        )

    def press_part(self, place: int) -> None:
        self.muted.emit(self.entries[place].id)

    def place_of(self, hookup: str) -> int:
        """How far down the row of a hookup is."""
        return next((place * ROW for place, entry in enumerate(self.entries) if entry.id == hookup), 0)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self.place_at(event.position().y()) if event is not None else None
        if event is None or place is None:
            return
        entry = self.entries[place]
        if event.position().x() > self.width() - 56:
            self.muted.emit(entry.id)
        else:
            self.chosen.emit(entry.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.current:
            self.muted.emit(self.current)
        else:
            super().keyPressEvent(event)

    def paint_row(self, painter: QPainter, t: theme.Theme, row: QRectF, place: int, entry: HookupRow) -> None:
        now = entry.id == self.current
        painter.setPen(QPen(theme.color(t.ink if now else t.line), 1.6 if now else 1.0))
        painter.setBrush(theme.color(t.roll))
        painter.drawRoundedRect(row, 5, 5)
        value, at = self._values.get(entry.id, (0.0, -9.0))
        glow = max(0.0, 1.0 - (self._now - at) / _GLOW)
        quiet = entry.muted or entry.gone
        paint_mark(painter, QPointF(row.left() + 16, row.center().y()), t.roll, quiet)
        painter.setFont(theme.label_font(14, 600))
        painter.setPen(theme.color(t.second if entry.muted else t.ink))
        wide = row.width() * 0.3
        top = QRectF(row.left() + 30, row.top() + 3, wide - 30, 18)
        left = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        draw_fitted(painter, top, entry.name or entry.control)
        painter.setFont(theme.label_font(12))
        painter.setPen(theme.color(t.second))
        words = entry.control if entry.name else ""
        painter.drawText(top.translated(0, 17), left, words)
        self._paint_value(painter, t, QRectF(row.left() + wide + 6, row.center().y() - 4, 96, 8), value, glow, quiet)
        right = QRectF(row.left() + wide + 118, row.top() + 3, row.width() - wide - 180, 18)
        painter.setFont(theme.label_font(14, 600))
        painter.setPen(theme.color(t.warning if entry.gone else t.second if entry.muted else t.ink))
        target = entry.target if not entry.gone else f"{entry.target} (gone)"
        draw_fitted(painter, right, target)
        painter.setFont(theme.label_font(12))
        painter.setPen(theme.color(t.second))
        painter.drawText(right.translated(0, 17), left, entry.how)
        painter.setPen(theme.color(t.second))
        button = QRectF(row.right() - 52, row.top() + 9, 44, row.height() - 18)
        painter.setBrush(theme.color(t.bar if entry.muted else t.field))
        painter.drawRoundedRect(button, 4, 4)
        painter.setPen(theme.color(t.bar_text if entry.muted else t.ink))
        painter.drawText(button, Qt.AlignmentFlag.AlignCenter, "mute")

    def _paint_value(
        self, painter: QPainter, t: theme.Theme, box: QRectF, value: float, glow: float, quiet: bool
    ) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.rule_strong))
        painter.drawRoundedRect(box, 4, 4)
        painter.setBrush(theme.color(t.line if quiet else theme.mix(t.second, t.good, glow)))
        painter.drawRoundedRect(QRectF(box.left(), box.top(), box.width() * value / 127.0, box.height()), 4, 4)
