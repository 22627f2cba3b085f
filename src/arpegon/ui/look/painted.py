"""What draws itself: the beginning that all painted controls share, and the paper many of them lie on."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Collection, Iterator, Sequence
from typing import TYPE_CHECKING, Any, ClassVar, NamedTuple

from PyQt6.QtCore import QEvent, QModelIndex, QRect, QRectF, Qt
from PyQt6.QtGui import (
    QInputEvent,
    QKeyEvent,
    QPaintDevice,
    QPainter,
    QPaintEvent,
    QPixmap,
    QShowEvent,
    QStandardItem,
    QStandardItemModel,
)
from PyQt6.QtWidgets import QAbstractButton, QAbstractSlider, QComboBox, QLabel, QListView, QSizePolicy, QWidget

from arpegon.ui.look import theme
from arpegon.ui.look.timers import one_shot

if TYPE_CHECKING:  # their names for values and signals are ours in the subclasses
    _Widget = QWidget
    _Slider = QWidget
    _Button = QWidget
    _Box = QWidget
    _PlainList = QWidget
    _Label = QWidget
else:
    _Widget, _Slider, _Button, _Box, _Label = object, QAbstractSlider, QAbstractButton, QComboBox, QLabel

    class _PlainList(QListView):
        """A list to a screen reader, a bare widget to everybody else: it draws nothing, and takes nothing."""

        def event(self, event):
            return QWidget.event(self, event)

        def sizeHint(self):
            return QWidget.sizeHint(self)

        def minimumSizeHint(self):
            return QWidget.minimumSizeHint(self)

        def scrollTo(self, *_):
            pass

    _TAKEN = "keyPress keyRelease mousePress mouseMove mouseRelease mouseDoubleClick wheel contextMenu"
    _TOLD = "focusIn focusOut resize show hide dragEnter dragMove dragLeave drop change"
    for _name in f"{_TAKEN} {_TOLD}".split():
        _method = f"{_name}Event"
        setattr(_PlainList, _method, lambda self, event, _method=_method: getattr(QWidget, _method)(self, event))

_SMOOTH = QPainter.RenderHint.Antialiasing
_TELL_MS = 50
"""How soon a screen reader is told: sooner than it speaks, and seldom while something moves."""


class painting:
    """A painter that ends in any case: one that is left on a widget by a fault would bring the program down."""

    __slots__ = ("_painter",)

    def __init__(self, device: QPaintDevice) -> None:
        self._painter = QPainter(device)

    def __enter__(self) -> QPainter:
        return self._painter

    def __exit__(self, *_: object) -> None:
        self._painter.end()


KEEPS_STILL = True
"""Whether what does not move is kept as a picture; whoever looks at what is drawn wants all of it drawn each time."""


class Still:
    """A picture of what does not move in a widget: drawn again only where it would be another one.

    Args:
        kept: how many pictures are kept, for what comes again.
    """

    def __init__(self, kept: int = 1) -> None:
        self._kept = kept
        self._pictures: dict[tuple[object, ...], QPixmap] = {}

    def draw(
        self,
        painter: QPainter,
        widget: QWidget,
        key: object,
        draw: Callable[[QPainter], None],
        area: QRect | None = None,
    ) -> None:
        """Put it onto a widget, or an area of it; ``draw`` draws it, which depends on nothing but ``key``, the theme
        and the size."""
        area = area or widget.rect()
        if not KEEPS_STILL:
            painter.save()
            painter.translate(area.topLeft().toPointF())
            draw(painter)
            painter.restore()
            return
        ratio = widget.devicePixelRatioF()
        now = (key, theme.theme().name, area.width(), area.height(), ratio)
        picture = self._pictures.get(now)
        if picture is None:
            picture = QPixmap(area.size() * ratio)
            picture.setDevicePixelRatio(ratio)
            picture.fill(Qt.GlobalColor.transparent)
            with painting(picture) as own:
                own.setRenderHints(painter.renderHints())
                draw(own)
            while len(self._pictures) >= self._kept:
                del self._pictures[next(iter(self._pictures))]
            self._pictures[now] = picture
        painter.drawPixmap(area.topLeft(), picture)


class Drawn(_Widget):
    """Draws a widget whole, in the theme of now, whatever Qt makes of it otherwise."""

    smooth: ClassVar[bool] = True
    """Whether edges are smoothed; upright and level ones are sharper without."""
    ground: ClassVar[str] = ""
    """The colour of the theme that is drawn beneath it (empty: what it lies on is drawn first)."""

    area = QRect()
    """What of it is drawn now; what is costly may be left out where it lies elsewhere."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self.area = event.rect() if event is not None else self.rect()
        with painting(self) as painter:
            if self.ground:
                painter.fillRect(self.rect(), theme.brush(getattr(theme.theme(), self.ground)))
            if self.smooth:
                painter.setRenderHint(_SMOOTH)
            self.paint(painter, theme.theme())

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        """Draw all of it; ``painter`` ends with this call."""
        raise NotImplementedError

    def sheet(self) -> QRectF:
        """Where its paper lies when that fills the widget: half a pixel in, so that the line is sharp."""
        return QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)


class Opaque(_Widget):
    """All of it is drawn, whatever the style says of it: what it lies on need not be drawn beneath what moves in it,
    and it can be shifted on the screen."""

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.StyleChange:
            self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)


class OwnKeys(_Widget):
    """Some keys are this control's own while it has the focus. (Only such controls hear of all that happens to them:
    that costs more than painting them.)"""

    own_keys: ClassVar[Collection[int]] = ()
    """Keys that are a shortcut of the window or play notes elsewhere."""

    def claims(self, event: QKeyEvent) -> bool:
        """Whether a key is this control's own, whatever it does elsewhere."""
        beyond = event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
        return event.key() in self.own_keys and not beyond

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and self.claims(event):
            event.accept()
            return True
        return super().event(event)


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


class PaintedPart(NamedTuple):
    """One of several things that a control shows: what a screen reader says of it, and whether it is on (``None``: it
    is neither)."""

    words: str
    on: bool | None = None


class PaintedParts(Drawn, _PlainList):
    """Several things of which one may be chosen, as steps, keys or rows, that draws itself. A screen reader learns what
    each is, which is chosen and which are on, and may choose and press.

    Subclasses say what there is, whenever they are asked; they are asked after every :meth:`update`.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._told: tuple[Sequence[PaintedPart], int | None] = ((), None)
        self._is_told = False
        self._tell_timer = one_shot(self, _TELL_MS)
        self._tell_timer.timeout.connect(self.tell)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        if not TYPE_CHECKING:
            self.viewport().hide()
            self._items = QStandardItemModel(self)
            self.setModel(self._items)
            self._items.itemChanged.connect(lambda item: self._hear(self.press_part, item.row()))
            self.selectionModel().currentChanged.connect(lambda index, _: self._hear(self.choose_part, index.row()))

    def parts(self) -> Sequence[PaintedPart]:
        """What there is."""
        raise NotImplementedError

    def chosen_part(self) -> int | None:
        """The place of what is chosen."""
        return None

    def part_box(self, place: int) -> QRectF:
        """Where it lies."""
        return QRectF(self.rect())

    def choose_part(self, place: int) -> None:
        """A screen reader chooses."""

    def press_part(self, place: int) -> None:
        """A screen reader presses what is on or off."""

    def update(self, *area: Any) -> None:
        """Draw it anew, and tell of it soon."""
        QWidget.update(self, *area)
        if not self._tell_timer.isActive():
            self._tell_timer.start()

    def visualRect(self, index: QModelIndex) -> QRect:
        return self.part_box(index.row()).toRect() if self._is_there(index.row()) else QRect()

    def _hear(self, act: Callable[[int], None], place: int) -> None:
        if not self._is_told and self._is_there(place):
            act(place)

    def _is_there(self, place: int) -> bool:
        """Whether there is such a part: what a screen reader was told of may be gone, until it is told anew."""
        return 0 <= place < len(self.parts())

    def tell(self) -> None:
        """Tell a screen reader what there is now, as far as it is another thing."""
        told = tuple(self.parts()), self.chosen_part()
        if told == self._told:
            return
        (parts, chosen), (before, _), self._told = told, self._told, told
        self._is_told = True
        try:
            self._tell(parts, before, chosen)
        finally:
            self._is_told = False

    def _tell(self, parts: Sequence[PaintedPart], before: Sequence[PaintedPart], chosen: int | None) -> None:
        if not TYPE_CHECKING:
            self._items.setRowCount(len(parts))
            for place, part in enumerate(parts):
                if place < len(before) and before[place] == part:
                    continue
                item = QStandardItem(part.words)
                item.setEditable(False)
                if part.on is not None:
                    item.setCheckable(True)
                    item.setCheckState(Qt.CheckState.Checked if part.on else Qt.CheckState.Unchecked)
                self._items.setItem(place, item)
            self.setCurrentIndex(self._items.index(-1 if chosen is None else chosen, 0))


class PaintedPicture(Drawn, _Label):
    """What is only looked at, that draws itself. A screen reader learns what it is, and what it shows."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        if not TYPE_CHECKING:
            self.setTextFormat(Qt.TextFormat.PlainText)

    def tell_words(self, words: str) -> None:
        """Tell a screen reader what it shows."""
        if words != self.accessibleDescription():
            self.setAccessibleDescription(words)


def paint_paper(painter: QPainter, t: theme.Theme, area: QRectF, corner: float = 4.0) -> None:
    """A piece of the roll's paper with its line around it."""
    painter.setPen(theme.color(t.line))
    painter.setBrush(theme.color(t.roll))
    painter.drawRoundedRect(area, corner, corner)
