"""All sections in a list, in order: their bars, what they hold, and which one plays."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from arpegon.ui.controls import arrows
from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.controls.row_list import RowList
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart

ROW = 52


class SectionRow(msgspec.Struct, frozen=True):
    """One row: its id, and what is written in it."""

    id: str
    name: str
    bars: str
    then: str
    holds: str


class SectionList(RowList[SectionRow]):
    """Rows; a click chooses one, a double click or Enter goes there, a drag or Alt with the arrows moves it.

    Signals:
        gone_to: a section, by its id.
        moved: a section, and its place among the others.
    """

    gone_to = pyqtSignal(str)
    moved = pyqtSignal(str, int)

    def __init__(self) -> None:
        super().__init__("Sections", ROW, 5)
        self._playing = -1
        self._share = 0.0
        self._drag: tuple[str, float] | None = None
        self._drop: int | None = None
        self.setToolTip(
            "The parts of the piece. Click or arrows choose one, double click or Return goes there; a drag or Alt with "
            "the arrows moves it, Del takes it out."
        )

    def show_playing(self, place: int, share: float) -> None:
        """Show which one holds, and how far it is."""
        if place != self._playing or abs(share - self._share) > 0.002:
            self._playing, self._share = place, share
            self.update()

    def entry_words(self, entry: SectionRow) -> PaintedPart:
        words = ", ".join(filter(None, (entry.name, entry.bars, entry.then, entry.holds)))
        return PaintedPart(words, 0 <= self._playing < len(self.entries) and entry is self.entries[self._playing])

    # -- handling ----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self.place_at(event.position().y()) if event is not None else None
        if event is not None and place is not None:
            self._drag = (self.entries[place].id, event.position().y())
            self.chosen.emit(self.entries[place].id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drag is None:
            return
        y = event.position().y()
        if self._drop is not None or abs(y - self._drag[1]) > 6:
            self._drop = max(0, min(len(self.entries), round(y / ROW)))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, drop = self._drag, self._drop
        self._drag = self._drop = None
        if drag is not None and drop is not None:
            before = [entry.id for entry in self.entries].index(drag[0])
            place = drop - 1 if drop > before else drop
            if place != before:
                self.moved.emit(drag[0], place)
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        place = self.place_at(event.position().y()) if event is not None else None
        if place is not None:
            self.gone_to.emit(self.entries[place].id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        ids = [entry.id for entry in self.entries]
        if event is None or not ids:
            return
        at = ids.index(self.current) if self.current in ids else 0
        by = -arrows.upwards(event)
        if by and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            if 0 <= at + by < len(ids):
                self.moved.emit(ids[at], at + by)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.gone_to.emit(ids[at])
        else:
            super().keyPressEvent(event)

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        super().paint(painter, t)
        if self._drop is not None:
            painter.fillRect(QRectF(0, max(0, self._drop * ROW - 2), self.width(), 3), theme.color(t.warning))

    def paint_row(self, painter: QPainter, t: theme.Theme, row: QRectF, place: int, entry: SectionRow) -> None:
        now = place == self._playing
        chosen = entry.id == self.current
        painter.setPen(QPen(theme.color(t.ink if chosen else t.line), 1.6 if chosen else 1.0))
        painter.setBrush(theme.color(t.roll))
        painter.drawRect(row)
        tab = QRectF(row.left(), row.top(), 34, row.height())
        if now:
            painter.fillRect(tab, theme.color(t.bar))
            foot = QRectF(tab.right(), row.bottom() - 3, (row.width() - tab.width()) * self._share, 3)
            painter.fillRect(foot, theme.color(t.bar))
        painter.setFont(theme.number_font(14, 500))
        painter.setPen(theme.color(t.bar_text if now else t.second))
        painter.drawText(tab, Qt.AlignmentFlag.AlignCenter, str(place + 1))
        upper = QRectF(tab.right() + 12, row.top() + 4, row.width() - tab.width() - 196, 22)
        painter.setFont(theme.name_font(15))
        painter.setPen(theme.color(t.ink))
        draw_fitted(painter, upper, entry.name)
        painter.setFont(theme.label_font(12))
        painter.setPen(theme.color(t.second))
        draw_fitted(painter, QRectF(upper.left(), row.top() + 24, row.width() - tab.width() - 24, 18), entry.holds)
        right = QRectF(row.right() - 180, row.top() + 4, 168, 22)
        painter.setFont(theme.number_font(12))
        painter.drawText(right, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, entry.bars)
        if entry.then:
            room = right.adjusted(0, 0, -painter.fontMetrics().horizontalAdvance(entry.bars) - 10, 0)
            painter.setFont(theme.label_font(12))
            painter.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, entry.then)
