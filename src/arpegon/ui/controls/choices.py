"""Choices: a row of segments, a list that drops down, a switch."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QSizePolicy, QWidget

from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedButton, PaintedChoice, painting
from arpegon.ui.look.plain import tip


class Segments(PaintedChoice):
    """One of a few values, all in sight."""

    chosen = pyqtSignal(str)

    def __init__(self, options: Mapping[str, str], help_text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.options = dict(options)
        self._value = next(iter(options))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumHeight(26)
        self.setToolTip(tip(help_text))
        self.setAccessibleName(help_text)
        self._tell()

    def _tell(self) -> None:
        self.tell_choice(self.options.values(), list(self.options).index(self._value))

    def put(self, place: int) -> None:
        if 0 <= place < len(self.options):
            self._choose(list(self.options)[place])

    def value(self) -> str:
        """The value that is chosen."""
        return self._value

    def set_value(self, value: str) -> None:
        """Show a value; nothing is emitted."""
        self._value = value
        if value in self.options:
            self._tell()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(70 * len(self.options), 28)

    def _choose(self, value: str) -> None:
        if value != self._value:
            self._value = value
            self._tell()
            self.update()
            self.chosen.emit(value)

    def _cells(self) -> list[tuple[str, QRectF]]:
        metrics = self.fontMetrics()
        needs = [metrics.horizontalAdvance(label) + 20 for label in self.options.values()]
        spare = max(0.0, self.width() - sum(needs)) / len(needs)
        scale = min(1.0, self.width() / sum(needs))
        cells, x = [], 0.0
        for value, need in zip(self.options, needs, strict=True):
            width = (need + spare) * scale
            cells.append((value, QRectF(x, 0.5, width - 3, self.height() - 1)))
            x += width
        return cells

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        for value, cell in self._cells():
            if cell.contains(event.position()):
                self._choose(value)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = arrows.sideways(event)
        if not step:
            super().keyPressEvent(event)
            return
        values = list(self.options)
        self._choose(values[(values.index(self._value) + step) % len(values)])

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        for value, cell in self._cells():
            on = value == self._value
            painter.setPen(theme.color(t.bar if on else t.line))
            painter.setBrush(theme.color(t.bar if on else t.field))
            painter.drawRoundedRect(cell.adjusted(0.5, 0, -0.5, 0), 5, 5)
            painter.setFont(theme.label_font(13, 600 if on else 400))
            painter.setPen(theme.color(t.bar_text if on else t.ink))
            painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, self.options[value])
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.color(t.second))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -3.5, -0.5), 6, 6)


def draw_drop_arrow(box: QComboBox) -> None:
    """The wedge that says that a list drops down."""
    with painting(box) as painter:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.color(theme.theme().second), 1.5))
        x, y = box.width() - 16.0, box.height() / 2 - 2.0
        painter.drawPolyline(QPolygonF([QPointF(x, y), QPointF(x + 4, y + 4), QPointF(x + 8, y)]))


class Picker(QComboBox):
    """One of many values, in a list that drops down."""

    chosen = pyqtSignal(str)

    def __init__(self, options: Mapping[str, str], help_text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setToolTip(tip(help_text))
        self.setMaxVisibleItems(26)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(4)
        self.set_options(options)
        self.activated.connect(lambda place: self.chosen.emit(self.itemData(place)))

    def set_options(self, options: Mapping[str, str]) -> None:
        """Offer other values; the one shown stays where it is among them."""
        shown = self.currentData()
        self.blockSignals(True)
        self.clear()
        for value, label in options.items():
            self.addItem(label, value)
        self.blockSignals(False)
        self.set_value(shown)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        draw_drop_arrow(self)

    def value(self) -> str:
        """The value that is chosen."""
        return str(self.currentData())

    def set_value(self, value: object) -> None:
        """Show a value; nothing is emitted."""
        place = self.findData(value)
        if place >= 0:
            self.setCurrentIndex(place)


class ToggleSwitch(PaintedButton):
    """On or off, with its label."""

    toggled = pyqtSignal(bool)

    def __init__(self, label: str, help_text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.label = label
        self._on = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip(tip(help_text))
        self.setAccessibleName(label)
        self.tell_on(False)

    def press(self) -> None:
        self._flip()

    def value(self) -> bool:
        """Whether it is on."""
        return self._on

    def set_value(self, on: bool) -> None:
        """Show a state; nothing is emitted."""
        self._on = on
        self.tell_on(on)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(self.fontMetrics().horizontalAdvance(self.label) + 46, 26)

    def _flip(self) -> None:
        self._on = not self._on
        self.tell_on(self._on)
        self.update()
        self.toggled.emit(self._on)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._flip()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Select):
            self._flip()
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        middle = self.height() / 2
        well = QRectF(1, middle - 8, 30, 16)
        painter.setPen(theme.color(t.ink if self.hasFocus() else t.line))
        painter.setBrush(theme.color(t.bar if self._on else t.field))
        painter.drawRoundedRect(well, 8, 8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.bar_text if self._on else t.second))
        painter.drawEllipse(QRectF(well.right() - 14 if self._on else well.left() + 2, middle - 6, 12, 12))
        painter.setPen(theme.color(t.ink if self.isEnabled() else t.second))
        painter.setFont(theme.label_font(13))
        painter.drawText(QRectF(38, 0, self.width() - 38, self.height()), Qt.AlignmentFlag.AlignVCenter, self.label)
