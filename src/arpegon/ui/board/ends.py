"""The two ends of a strand on the board: source pills and destination rows."""

from __future__ import annotations

from math import log10
from typing import ClassVar

from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.controls.hook_mark import paint_mark
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Opaque, PaintedButton, Still
from arpegon.ui.look.plain import tip

_SEGMENTS = 16
_MIN_SEGMENT = 4.0
_NARROW = 120
"""Rows up to this width leave all of it to the name."""


class EndRow(PaintedButton):
    """Base of pill and row: two texts, selectable."""

    END: ClassVar[str]
    """Which end of a strand it is at."""

    chosen = pyqtSignal(int)
    asked = pyqtSignal(int, QPoint)
    pressed_key = pyqtSignal(int, QKeyEvent)

    def __init__(self, place: int, name: str, detail: str, ink: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.place = place
        self.name = self.detail = ""
        self.ink = ink
        self._selected = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.show_words(name, detail)

    def show_words(self, name: str, detail: str) -> None:
        """Show what it is, and the part of it that is taken."""
        if (name, detail) != (self.name, self.detail):
            self.name, self.detail = name, detail
            self.setAccessibleName(f"{name} {detail}")
            self.setToolTip(tip(f"{self.END}: {name} {detail}. Click to change it."))
            self.update()

    def set_selected(self, selected: bool) -> None:
        """Show that it stands on the bench."""
        if selected != self._selected:
            self._selected = selected
            self.tell_on(selected)
            self.update()

    def press(self) -> None:
        self.chosen.emit(self.place)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(self.place)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.asked.emit(self.place, event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None:
            event.ignore()
            self.pressed_key.emit(self.place, event)
            if not event.isAccepted():
                super().keyPressEvent(event)


class SourcePill(EndRow):
    """A source: a pill at the head of the strand, whose dot beats with what arrives."""

    END = "Source"
    HEIGHT = 25

    def __init__(self, place: int, name: str, detail: str, ink: int, parent: QWidget | None = None) -> None:
        super().__init__(place, name, detail, ink, parent)
        self.hooked = False
        self.setFixedHeight(self.HEIGHT)

    def sizeHint(self) -> QSize:
        return QSize(190, self.HEIGHT)

    def show_hooked(self, hooked: bool) -> None:
        """Show whether something in it is hooked up."""
        if hooked != self.hooked:
            self.hooked = hooked
            self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        ground = theme.ink(self.ink) if self._selected else t.field
        text = theme.text_on(ground) if self._selected else t.ink
        body = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -1.5)
        painter.setPen(QPen(theme.color(t.ink if self.hasFocus() else t.line), 1))
        painter.setBrush(theme.color(ground))
        painter.drawRoundedRect(body, 12, 12)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(text if self._selected else theme.ink(self.ink)))
        narrow = body.width() <= _NARROW
        dot = 9.0 if narrow else 13.0
        painter.drawEllipse(QPointF(dot, body.center().y()), 3 if narrow else 4, 3 if narrow else 4)
        inner = body.adjusted(15 if narrow else 23, 0, -4 if narrow else -11, 0)
        if self.hooked:
            paint_mark(painter, QPointF(inner.right() - 3, body.center().y()), ground)
            inner.setRight(inner.right() - 9)
        _two_texts(painter, inner, self.name, self.detail, text, text if self._selected else t.second)


class DestinationRow(Opaque, EndRow):
    """A destination: a row at the foot of the strand, with the level of its instrument."""

    ground = "paper"
    END = "Destination"
    HEIGHT = 24

    def __init__(
        self, place: int, name: str, detail: str, ink: int, meter: str | None, parent: QWidget | None = None
    ) -> None:
        super().__init__(place, name, detail, ink, parent)
        self.meter = meter
        self._level = 0.0
        self._shown_lit = 0
        self._still = Still()
        self._cells: list[QRectF] = []
        """The segments of the meter,"""
        self._meter_rect = QRect()
        """and what they cover."""
        self.setFixedHeight(self.HEIGHT)

    def sizeHint(self) -> QSize:
        return QSize(190, self.HEIGHT)

    def set_level(self, level: float) -> None:
        """Show a peak (1 is full scale); it falls by itself."""
        before = self._level
        self._level = max(level, before * 0.86 if before > 0.001 else 0.0)
        if self._lit() != self._shown_lit:
            self.update(self._meter_rect)

    def _lit(self) -> int:
        """How many segments, of 48 dB in all, are lit: soft notes move the meter too."""
        if self._level <= 0:
            return 0
        return round(max(0.0, min(1.0, 1.0 + 20 * log10(self._level) / 48.0)) * len(self._cells))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        area = self._meter_area()
        count = max(4, min(_SEGMENTS, int(area.width() / _MIN_SEGMENT)))  # fewer in a narrow column
        step = area.width() / count
        self._cells = [
            QRectF(area.left() + place * step, area.top(), step - 1.2, area.height()) for place in range(count)
        ]
        self._meter_rect = area.toAlignedRect()

    def _meter_area(self) -> QRectF:
        """Where the meter is: at the right, or beneath the name in a narrow column, which leaves it all the width."""
        body = self.sheet()
        if self.width() <= _NARROW:
            return QRectF(body.left() + 4, body.bottom() - 6, body.width() - 8, 4)
        wide = min(78.0, 0.36 * self.width())
        return QRectF(body.right() - wide - 4, body.top() + 6, wide, body.height() - 12)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        ground = theme.ink(self.ink) if self._selected else None
        text = t.ink if ground is None else theme.text_on(ground)
        if self.meter is None or ground is not None or not self._meter_rect.contains(self.area):
            key = (ground, self.hasFocus(), self.name, self.detail, self.meter is None)
            self._still.draw(painter, self, key, lambda painter: self._paint_words(painter, t, ground, text))
        if self.meter is not None:
            self._paint_meter(painter, t, text)

    def _paint_words(self, painter: QPainter, t: theme.Theme, ground: str | None, text: str) -> None:
        """All but the meter."""
        body = self.sheet()
        quiet = t.second if ground is None else text
        if ground is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(ground))
            painter.drawRoundedRect(body, 4, 4)
        elif self.hasFocus():
            painter.setPen(theme.color(t.second))
            painter.drawRoundedRect(body, 4, 4)
        room = body.adjusted(4, 0, -4, 0)
        if self.meter is not None:
            area = self._meter_area()
            if area.left() > body.center().x():
                room.setRight(area.left() - 3)
            else:
                room.setBottom(area.top())
        _two_texts(painter, room, self.name, self.detail, text, quiet)

    def _paint_meter(self, painter: QPainter, t: theme.Theme, text: str) -> None:
        cells, count = self._cells, len(self._cells)
        lit = self._shown_lit = self._lit()
        on = theme.roll_ink(self.ink) if not self._selected else text
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setPen(Qt.PenStyle.NoPen)
        for shade, alpha, row in (
            (on, 1.0, cells[: min(lit, count - 1)]),
            (t.rule_strong, 0.35 if self._selected else 1.0, cells[lit:]),
            (t.warning, 1.0, cells[count - 1 : lit]),
        ):
            if row:
                painter.setBrush(theme.brush(shade, alpha))
                painter.drawRects(*row)


def _two_texts(painter: QPainter, room: QRectF, name: str, detail: str, ink: str, quiet: str) -> None:
    """A name at the left, a detail at the right where there is room for it."""
    painter.setFont(theme.label_font(12))
    detail_width = painter.fontMetrics().horizontalAdvance(detail) + 8 if detail else 0
    painter.setFont(theme.label_font(13, 600))
    if room.width() - detail_width < min(100, painter.fontMetrics().horizontalAdvance(name)):
        detail, detail_width = "", 0
    painter.setPen(theme.color(ink))
    draw_fitted(painter, room.adjusted(0, 0, -detail_width, 0), name)
    if detail:
        painter.setFont(theme.label_font(12))
        painter.setPen(theme.color(quiet))
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, detail)
