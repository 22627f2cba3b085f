"""Find anything: a field and what fits, over the work; Return does it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QEvent, QModelIndex, QObject, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label
from arpegon.ui.model.finder import KINDS, Found, search

_ROLE = Qt.ItemDataRole.UserRole
_WIDTH, _HEIGHT = 560, 420
_ROW = 30


class FinderBox(QFrame):
    """Lies in the middle of the window while somebody looks for something.

    Args:
        places: all that can be found, as it is now.
        do: does what was chosen.
    """

    def __init__(self, parent: QWidget, places: Callable[[], Sequence[Found]], do: Callable[[Found], None]) -> None:
        super().__init__(parent)
        self._places = places
        self._do = do
        self._all: Sequence[Found] = ()
        self.setObjectName("finder")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 14, 14, 12)
        box.setSpacing(8)
        self.field = QLineEdit()
        self.field.setAccessibleName("Find anything")
        self.field.setPlaceholderText("Find anything: latch, pedal, too loud, nothing sounds, stride of …")
        self.field.textChanged.connect(self._look)
        self.field.returnPressed.connect(self._take)
        self.field.installEventFilter(self)
        box.addWidget(self.field)
        self.list = QListWidget()
        self.list.setAccessibleName("What was found")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setItemDelegate(_Rows(self.list))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemClicked.connect(lambda item: self._choose(item))
        box.addWidget(self.list, 1)
        self.words = Label("")
        self.words.setProperty("role", "second")
        box.addWidget(self.words)
        self.hide()

    def open(self, text: str = "") -> None:
        """Look for something."""
        self._all = self._places()
        over = self.parentWidget()
        if over is not None:
            width = min(_WIDTH, over.width() - 40)
            self.setGeometry((over.width() - width) // 2, 64, width, min(_HEIGHT, over.height() - 120))
        self.field.setText(text)
        self._look(text)
        self.show()
        self.raise_()
        self.field.setFocus()
        self.field.selectAll()

    @property
    def shown(self) -> list[Found]:
        """What is listed."""
        return [self.list.item(row).data(_ROLE) for row in range(self.list.count())]  # type: ignore[union-attr]

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.FocusOut and not self.underMouse():
            self.hide()
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            if event.key() in (Qt.Key.Key_Escape, Qt.Key.Key_Up, Qt.Key.Key_Down):
                event.accept()
                return True
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
            if step is not None:
                count = self.list.count()
                if count:
                    self.list.setCurrentRow((self.list.currentRow() + step) % count)
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.hide()
                return True
        return False

    def _look(self, text: str) -> None:
        self.list.clear()
        found = search(self._all, text)
        for one in found:
            item = QListWidgetItem(one.label)
            item.setData(_ROLE, one)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{KINDS[one.kind]} {one.label}, {one.detail}")
            self.list.addItem(item)
        if found:
            self.list.setCurrentRow(0)
        empty = (
            "Nothing fits all of these words." if text.strip() else "Type what you want to do, change or understand."
        )
        self.words.setText("" if found else empty)
        self.list.setVisible(bool(found))

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self._choose(item)

    def _choose(self, item: QListWidgetItem) -> None:
        found: Found = item.data(_ROLE)
        self.hide()
        self._do(found)


class _Rows(QStyledItemDelegate):
    """What is found in one line: what is done, its name, and more about it as far as there is room."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(100, _ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        found: Found = index.data(_ROLE)
        if painter is None:
            return
        t = theme.theme()
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        room = QRectF(option.rect)
        if chosen:
            painter.fillRect(room, theme.color(t.bar))
        first, second = (t.bar_text, t.bar_second) if chosen else (t.ink, t.second)
        centre = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(theme.label_font(12))
        painter.setPen(theme.color(second))
        painter.drawText(room.adjusted(10, 0, 0, 0), centre, KINDS[found.kind])
        painter.setFont(theme.label_font(14, 600))
        painter.setPen(theme.color(first))
        name = room.adjusted(62, 0, -10, 0)
        draw_fitted(painter, name, found.label)
        left = name.left() + painter.fontMetrics().horizontalAdvance(found.label) + 16.0
        painter.setFont(theme.label_font(12))
        painter.setPen(theme.color(second))
        if left < name.right() - 60:
            draw_fitted(painter, QRectF(left, room.top(), name.right() - left, room.height()), found.detail)
