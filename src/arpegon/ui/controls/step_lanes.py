"""Steps in the order in which they sound: a lane for each of their values, drawn with the mouse."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import msgspec
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy

from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, PaintedPart, PaintedParts

_GAP = 7.0
_FINE = 0.2
_HEAD = 15.0


class LaneLook(msgspec.Struct, frozen=True):
    """How one value of the steps is drawn: ``bar`` (a column), ``line`` (at its height), ``length`` (as wide)."""

    name: str
    label: str
    low: float
    high: float
    step: float
    look: str
    height: float
    text: Callable[[float], str]


class StepLanes(OwnKeys, PaintedParts):
    """Lanes under one another; each column is a step, in the order of play.

    Drag draws (Shift is fine), the right button skips a step or takes it back in. Arrows left and right choose a
    column, up and down change the value in the lane that was touched last.
    """

    own_keys = (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)
    drawn = pyqtSignal(str, int, float)
    settled = pyqtSignal()
    skipped = pyqtSignal(int)
    picked = pyqtSignal(int)

    def __init__(self, ink: str, lanes: Sequence[LaneLook]) -> None:
        super().__init__()
        self.ink = ink
        self.lanes = list(lanes)
        self.steps: Sequence[Mapping[str, Any]] = ()
        self.order: Sequence[int] = ()
        self.group = 4
        self.chosen = 0
        self._lit: int | None = None
        self._lane = 0
        self._drag: tuple[int, float] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(self._full_height())
        self.setAccessibleName("Lanes of the steps")
        self.setToolTip(
            "The steps in the order they sound. Drag to draw, Shift for fine, the right button skips; "
            "arrows choose and change."
        )

    def _full_height(self) -> int:
        return int(sum(lane.height + _GAP for lane in self.lanes))

    def sizeHint(self) -> QSize:
        return QSize(340, self._full_height())

    def show_lanes(self, lanes: Sequence[LaneLook]) -> None:
        """Show these lanes."""
        if [lane.name for lane in lanes] != [lane.name for lane in self.lanes] or lanes[0].low != self.lanes[0].low:
            self.lanes = list(lanes)
            self._lane = min(self._lane, len(lanes) - 1)
            self.setFixedHeight(self._full_height())
        self.lanes = list(lanes)
        self.update()

    def show_steps(self, steps: Sequence[Mapping[str, Any]], order: Sequence[int], group: int) -> None:
        """Show steps (with all their fields) in an order of play; a rule stands every ``group`` columns."""
        self.steps, self.order, self.group = steps, order, max(1, group)
        self.update()

    def show_lit(self, column: int | None) -> None:
        """Show which column sounds."""
        if column != self._lit:
            self._lit = column
            self.update()

    def choose(self, place: int) -> None:
        """Choose a step by its place on the ring."""
        if place != self.chosen:
            self.chosen = place
            self.update()

    # -- geometry ----------------------------------------------------------------------------------

    def _lane_box(self, number: int) -> QRectF:
        top = sum(lane.height + _GAP for lane in self.lanes[:number])
        return QRectF(0.5, top + 0.5, self.width() - 1, self.lanes[number].height)

    def _cell(self, box: QRectF, column: int) -> QRectF:
        width = box.width() / max(1, len(self.order))
        return QRectF(box.left() + column * width, box.top(), width, box.height())

    def _lane_at(self, y: float) -> int:
        for number in range(len(self.lanes)):
            if y <= self._lane_box(number).bottom() + _GAP / 2:
                return number
        return len(self.lanes) - 1

    def _column_at(self, x: float) -> int:
        return max(0, min(len(self.order) - 1, int(x / max(1.0, float(self.width())) * len(self.order))))

    def _room(self, number: int) -> tuple[float, float]:
        """Top and height of the part of a lane in which values stand."""
        box = self._lane_box(number)
        return box.top() + _HEAD, box.height() - _HEAD - 5

    # -- gestures ----------------------------------------------------------------------------------

    def _draw(self, spot: QPointF, fine: bool) -> None:
        if self._drag is None or not self.order:
            return
        number, last_y = self._drag
        lane = self.lanes[number]
        place = self.order[self._column_at(spot.x())]
        top, height = self._room(number)
        if fine:
            value = float(self.steps[place][lane.name]) + (last_y - spot.y()) / height * (lane.high - lane.low) * _FINE
        elif lane.look == "length":
            cell = self._cell(self._lane_box(number), self._column_at(spot.x()))
            value = (spot.x() - cell.left()) / cell.width() * min(lane.high, 1.0)
        else:
            value = lane.high - (spot.y() - top) / height * (lane.high - lane.low)
        self._drag = (number, spot.y())
        self._pick(place)
        self._put(lane, place, value)

    def _put(self, lane: LaneLook, place: int, value: float) -> None:
        stepped = lane.low + round((value - lane.low) / lane.step) * lane.step
        stepped = round(max(lane.low, min(lane.high, stepped)), 3)
        if stepped != self.steps[place][lane.name]:
            self.drawn.emit(lane.name, place, stepped)

    def _pick(self, place: int) -> None:
        if place != self.chosen:
            self.choose(place)
            self.picked.emit(place)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.order:
            return
        if event.button() == Qt.MouseButton.RightButton:
            place = self.order[self._column_at(event.position().x())]
            self._pick(place)
            self.skipped.emit(place)
            return
        self._lane = self._lane_at(event.position().y())
        self._drag = (self._lane, event.position().y())
        self._draw(event.position(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._draw(event.position(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.order:
            return
        sideways = arrows.sideways(event)
        upwards = arrows.upwards(event)
        lane = self.lanes[self._lane]
        if sideways:
            column = self.order.index(self.chosen) if self.chosen in self.order else 0
            self._pick(self.order[(column + sideways) % len(self.order)])
        elif upwards and self.chosen < len(self.steps):
            by = lane.step if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else self._stride(lane)
            self._put(lane, self.chosen, float(self.steps[self.chosen][lane.name]) + upwards * by)
            self.settled.emit()
        elif event.key() == Qt.Key.Key_Delete:
            self.skipped.emit(self.chosen)
        elif event.key() in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self._lane = (self._lane + (1 if event.key() == Qt.Key.Key_PageDown else -1)) % len(self.lanes)
            self.update()
        else:
            super().keyPressEvent(event)

    @staticmethod
    def _stride(lane: LaneLook) -> float:
        return lane.step if lane.look == "line" else max(lane.step, (lane.high - lane.low) / 25)

    # -- for screen readers ------------------------------------------------------------------------

    def parts(self) -> list[PaintedPart]:
        return [
            PaintedPart(f"Step {place + 1}: {self._words(place)}") for place in self.order if place < len(self.steps)
        ]

    def _words(self, place: int) -> str:
        """What a step plays, the lane that was touched last first."""
        lanes = [self.lanes[self._lane], *(lane for lane in self.lanes if lane is not self.lanes[self._lane])]
        step = self.steps[place]
        return ", ".join(f"{lane.label} {lane.text(float(step[lane.name]))}" for lane in lanes)

    def chosen_part(self) -> int | None:
        return self.order.index(self.chosen) if self.chosen in self.order else None

    def part_box(self, place: int) -> QRectF:
        return self._cell(QRectF(self.rect()), place)

    def choose_part(self, place: int) -> None:
        self._pick(self.order[place])

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        for number, lane in enumerate(self.lanes):
            self._paint_lane(painter, t, number, lane)

    def _paint_lane(self, painter: QPainter, t: theme.Theme, number: int, lane: LaneLook) -> None:
        box = self._lane_box(number)
        painter.setPen(theme.color(t.ink if self.hasFocus() and number == self._lane else t.line))
        painter.setBrush(theme.color(t.roll))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(theme.color(t.rule_strong))
        for column in range(self.group, len(self.order), self.group):
            x = self._cell(box, column).left()
            painter.drawLine(QPointF(x, box.top() + 1), QPointF(x, box.bottom() - 1))
        for column, place in enumerate(self.order):
            self._paint_cell(painter, t, number, lane, column, self.steps[place], place == self.chosen)
        painter.setFont(theme.label_font(11, 600))
        painter.setPen(theme.color(t.second))
        painter.drawText(QRectF(box.left() + 6, box.top() + 1, 90, 14), Qt.AlignmentFlag.AlignVCenter, lane.label)
        if self.chosen < len(self.steps):
            value = lane.text(self.steps[self.chosen][lane.name])
            right = QRectF(box.right() - 126, box.top() + 1, 120, 14)
            painter.setFont(theme.number_font(11))
            painter.drawText(
                right, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, f"step {self.chosen + 1}: {value}"
            )

    def _paint_cell(
        self,
        painter: QPainter,
        t: theme.Theme,
        number: int,
        lane: LaneLook,
        column: int,
        step: Mapping[str, Any],
        chosen: bool,
    ) -> None:
        cell = self._cell(self._lane_box(number), column)
        inner = cell.adjusted(min(3.0, cell.width() * 0.12), 0, -min(3.0, cell.width() * 0.12), 0)
        top, height = self._room(number)
        if chosen:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(t.rule))
            painter.drawRect(cell.adjusted(0, _HEAD - 1, 0, -1))
        if step["play"] != "note":
            if number == 0 and cell.width() > 20:
                painter.setFont(theme.label_font(11))
                painter.setPen(theme.color(t.second))
                painter.drawText(cell.adjusted(0, _HEAD, 0, 0), Qt.AlignmentFlag.AlignCenter, str(step["play"]))
            return
        share = (float(step[lane.name]) - lane.low) / max(1e-9, lane.high - lane.low)
        share = max(0.0, min(1.0, share))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(self.ink, 1.0 if column == self._lit else 0.62))
        if lane.look == "bar":
            tall = max(2.0, height * share)
            painter.drawRoundedRect(QRectF(inner.left(), top + height - tall, inner.width(), tall), 2, 2)
        elif lane.look == "length":
            wide = max(3.0, inner.width() * min(1.0, float(step[lane.name])))
            painter.drawRoundedRect(QRectF(inner.left(), top + height / 2 - 5, wide, 10), 3, 3)
        else:
            y = top + 10 + (height - 16) * (1.0 - share)
            painter.drawRoundedRect(QRectF(inner.left(), y, inner.width(), 7), 3, 3)
            if cell.width() >= 22:
                painter.setFont(theme.label_font(11, 600))
                painter.setPen(theme.color(t.ink))
                name = QRectF(cell.left() - 6, y - 15, cell.width() + 12, 15)
                painter.drawText(name, Qt.AlignmentFlag.AlignCenter, lane.text(step[lane.name]))
