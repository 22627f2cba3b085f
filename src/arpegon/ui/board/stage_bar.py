"""A stage on the board: the dark bar between two rolls."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QFont, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QApplication, QSizePolicy, QWidget

from arpegon.core.document.model import Stage
from arpegon.core.processing.parameters import with_defaults
from arpegon.processors import processor_class
from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.controls.hook_mark import paint_mark
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedButton
from arpegon.ui.look.plain import rich
from arpegon.ui.model.hookup_words import in_own_words

HEIGHT = 30
_LARGE = 1.4
"""How much larger it is where it is read from afar."""
_MIN_CAPTION = 34


class StageBar(PaintedButton):
    """Name and caption of a stage; click selects, drag moves it, double click bypasses.

    Signals:
        chosen: it was clicked.
        dragged, dropped: it is being moved; the global position of the pointer.
        asked: its menu is wanted at a global position.
        pressed_key: a key that the board is to answer.
    """

    chosen = pyqtSignal(str)
    dragged = pyqtSignal(str, QPoint)
    dropped = pyqtSignal(str, QPoint)
    bypassed = pyqtSignal(str)
    asked = pyqtSignal(str, QPoint)
    pressed_key = pyqtSignal(str, QKeyEvent)

    def __init__(self, stage: Stage, ink: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self._selected = False
        self._press: QPoint | None = None
        self._dragging = False
        self._scale = 1.0
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.show_stage(stage)

    def show_stage(self, stage: Stage, hooked: bool = False, own: Mapping[int, str] | None = None) -> None:
        """Show a stage's name and settings, with a musician's ``own`` names of controllers, and whether something in
        it is ``hooked`` up."""
        processor = processor_class(stage.kind)
        self.stage = stage
        self.hooked, self.own = hooked, own or {}
        self.label = processor.label
        self.caption = in_own_words(processor.caption(with_defaults(processor.params, stage.params)), self.own)
        self.setAccessibleName(f"{self.label}, {self.caption}")
        self.setToolTip(
            rich(
                "<b>{}</b> ({}): {}<br>Click to edit, drag to move (Alt+↑ ↓), double click to bypass (Ctrl+B), "
                "Del to remove.",
                self.label,
                self.caption,
                processor.summary,
            )
        )
        self.update()

    def set_large(self, on: bool) -> None:
        """Larger, to be read from afar."""
        self._scale = _LARGE if on else 1.0
        self.setFixedHeight(round(HEIGHT * self._scale))
        self.update()

    def set_selected(self, selected: bool) -> None:
        """Show that it stands on the bench."""
        if selected != self._selected:
            self._selected = selected
            self.tell_on(selected)
            self.update()

    def press(self) -> None:
        self.chosen.emit(self.stage.id)

    def sizeHint(self) -> QSize:
        return QSize(190, self.height())

    # -- gestures ----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._press = event.globalPosition().toPoint()
            self.chosen.emit(self.stage.id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None:
            return
        place = event.globalPosition().toPoint()
        if (place - self._press).manhattanLength() >= QApplication.startDragDistance():
            self._dragging = True
        if self._dragging:
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.dragged.emit(self.stage.id, place)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        dragging, self._dragging, self._press = self._dragging, False, None
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        if dragging and event is not None:
            self.dropped.emit(self.stage.id, event.globalPosition().toPoint())

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.bypassed.emit(self.stage.id)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.asked.emit(self.stage.id, event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None:
            event.ignore()
            self.pressed_key.emit(self.stage.id, event)
            if not event.isAccepted():
                super().keyPressEvent(event)

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        bypass = self.stage.bypass
        ground = theme.ink(self.ink) if self._selected else t.bar
        text = theme.text_on(ground)
        body = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        if self._selected:
            body.setRight(body.right() - 6)
            middle = body.center().y()
            tip = [QPointF(body.right() - 1, middle - 7), QPointF(body.right() + 6, middle)]
            tip.append(QPointF(body.right() - 1, middle + 7))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(ground))
            painter.drawPolygon(QPolygonF(tip))
        if bypass:
            painter.setPen(QPen(theme.color(ground), 1.5, Qt.PenStyle.DashLine))
            painter.setBrush(theme.color(t.paper))
            text = t.second
        else:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(ground))
        painter.drawRoundedRect(body, 4, 4)
        if self.hasFocus():
            painter.setPen(QPen(theme.color(text), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(body.adjusted(2.5, 2.5, -2.5, -2.5), 3, 3)
        inner = body.adjusted(12, 0, -10, 0) if body.width() > 110 else body.adjusted(5, 0, -4, 0)
        name_font = QFont(theme.label_font(round(14 * self._scale), 600))
        name_font.setStrikeOut(bypass)
        painter.setFont(name_font)
        painter.setPen(theme.color(text))
        draw_fitted(painter, inner, self.label)
        used = painter.fontMetrics().horizontalAdvance(self.label) + 10
        if self.hooked:
            paint_mark(painter, QPointF(inner.left() + used, body.center().y()), ground)
            used += 10
        painter.setFont(theme.label_font(round(12 * self._scale)))
        quiet = text if self._selected or bypass else t.bar_second
        painter.setPen(theme.color(quiet))
        room = inner.adjusted(used, 0, 0, 0)
        if room.width() < _MIN_CAPTION:
            return
        draw_fitted(painter, room, "bypassed" if bypass else self.caption, Qt.AlignmentFlag.AlignRight)
