"""What draws itself: the beginning that all painted controls share, and the paper many of them lie on."""

from __future__ import annotations

import contextlib
from collections.abc import Collection, Iterator
from typing import TYPE_CHECKING, ClassVar

from PyQt6.QtCore import QEvent, QRectF, Qt
from PyQt6.QtGui import QInputEvent, QKeyEvent, QPaintDevice, QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractButton, QAbstractSlider, QComboBox, QWidget

from arpegon.ui.look import theme

if TYPE_CHECKING:  # their names for values and signals are ours in the subclasses
    _Widget = QWidget
    _Slider = QWidget
    _Button = QWidget
    _Box = QWidget
else:
    _Widget, _Slider, _Button, _Box = object, QAbstractSlider, QAbstractButton, QComboBox


@contextlib.contextmanager
def painting(device: QPaintDevice) -> Iterator[QPainter]:
    """A painter that ends in any case: one that is left on a widget by a fault would bring the program down."""
    painter = QPainter(device)
    try:
        yield painter
    finally:
        painter.end()


class Drawn(_Widget):
    """Draws a widget whole, in the theme of now, whatever Qt makes of it otherwise."""

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


class Painted(Drawn, QWidget):
    """A widget that draws itself whole: what is looked at, or has no role among Qt's controls."""


class _OwnHands(Drawn):
    """A control of Qt's that is seen by a screen reader, but handled as its subclass says: Qt's own way of taking keys,
    wheel and pointer is left out."""

    @contextlib.contextmanager
    def _telling(self) -> Iterator[None]:
        """What is told to a screen reader was not asked for by one."""
        blocked = self.blockSignals(True)
        try:
            yield
        finally:
            self.blockSignals(blocked)

    def _leave(self, event: QInputEvent | None) -> None:
        if event is not None:
            event.ignore()

    if not TYPE_CHECKING:
        keyPressEvent = keyReleaseEvent = wheelEvent = _leave
        mousePressEvent = mouseMoveEvent = mouseReleaseEvent = _leave


class PaintedRange(_OwnHands, _Slider):
    """A control with a value in a range, that draws itself. A screen reader learns its value, and may set it.

    Subclasses call :meth:`tell` whenever their value is another, and put what is asked for in :meth:`put`.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        if not TYPE_CHECKING:
            self._from_reader = QAbstractSlider.valueChanged.__get__(self)
            self._from_reader.connect(self.put)

    def tell(self, value: float, low: float, high: float, step: float = 1.0, words: str = "") -> None:
        """Tell a screen reader the value, in whole steps, and how it is read."""
        if not TYPE_CHECKING:
            with self._telling():
                QAbstractSlider.setRange(self, round(low / step), round(high / step))
                QAbstractSlider.setValue(self, round(value / step))
        self.setAccessibleDescription(words)

    def put(self, steps: int) -> None:
        """A screen reader asks for a value, in whole steps."""


class PaintedButton(_OwnHands, _Button):
    """A control that is pressed, or is on or off, that draws itself. A screen reader learns its state, and may press
    it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        if not TYPE_CHECKING:
            self._by_reader = QAbstractButton.clicked.__get__(self)
            self._by_reader.connect(lambda _=False: self.press())

    def tell_on(self, on: bool) -> None:
        """Tell a screen reader whether it is on."""
        if not TYPE_CHECKING:
            with self._telling():
                QAbstractButton.setCheckable(self, True)
                QAbstractButton.setChecked(self, on)

    def press(self) -> None:
        """A screen reader presses it."""


class PaintedChoice(_OwnHands, _Box):
    """One of a few values, all in sight, that draws itself. A screen reader learns which, and may choose."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        if not TYPE_CHECKING:
            self.currentIndexChanged.connect(self.put)

    def tell_choice(self, labels: Collection[str], place: int) -> None:
        """Tell a screen reader what can be chosen, and what is."""
        if not TYPE_CHECKING:
            with self._telling():
                if [self.itemText(number) for number in range(self.count())] != list(labels):
                    self.clear()
                    self.addItems(list(labels))
                QComboBox.setCurrentIndex(self, place)

    def put(self, place: int) -> None:
        """A screen reader chooses."""

    def showPopup(self) -> None:
        """All values are in sight already."""


def paint_paper(painter: QPainter, t: theme.Theme, area: QRectF, corner: float = 4.0) -> None:
    """A piece of the roll's paper with its line around it."""
    painter.setPen(theme.color(t.line))
    painter.setBrush(theme.color(t.roll))
    painter.drawRoundedRect(area, corner, corner)
