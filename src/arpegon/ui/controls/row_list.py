"""Rows of a list that are painted: one of them is chosen, by mouse or keys."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Generic, Protocol, TypeVar

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy

from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts


class Row(Protocol):
    """What stands in a row: its id, and whatever the list paints."""

    @property
    def id(self) -> str:
        """The id of what it stands for."""


_Row = TypeVar("_Row", bound=Row)


class RowList(PaintedParts, Generic[_Row]):
    """Rows of one height; subclasses paint them, and say what a click does. The arrows choose, Del removes.

    Signals:
        chosen, removed: a row, by its id.
    """

    chosen = pyqtSignal(str)
    removed = pyqtSignal(str)

    def __init__(self, name: str, row: int, foot: int) -> None:
        """A list called ``name``, with rows that many pixels high, of which ``foot`` are left free between them."""
        super().__init__()
        self.entries: Sequence[_Row] = ()
        self.current = ""
        self.row = row
        self._foot = foot
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(name)

    def sizeHint(self) -> QSize:
        return QSize(640, max(1, len(self.entries)) * self.row)

    def show_entries(self, entries: Sequence[_Row], current: str) -> None:
        """Show rows, and which one is chosen."""
        self.entries, self.current = entries, current
        self.setFixedHeight(max(1, len(entries)) * self.row)
        self.update()

    def place_at(self, y: float) -> int | None:
        """The place of the row at a height."""
        place = int(y / self.row)
        return place if 0 <= place < len(self.entries) else None

    def entry_words(self, entry: _Row) -> PaintedPart:
        """What a screen reader says of a row."""
        raise NotImplementedError

    def parts(self) -> list[PaintedPart]:
        return [self.entry_words(entry) for entry in self.entries]

    def chosen_part(self) -> int | None:
        return next((place for place, entry in enumerate(self.entries) if entry.id == self.current), None)

    def part_box(self, place: int) -> QRectF:
        return QRectF(0, place * self.row, self.width(), self.row)

    def choose_part(self, place: int) -> None:
        self.chosen.emit(self.entries[place].id)

    def paint_row(self, painter: QPainter, t: theme.Theme, row: QRectF, place: int, entry: _Row) -> None:
        """Paint one row."""
        raise NotImplementedError

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = -arrows.upwards(event)
        ids = [entry.id for entry in self.entries]
        if by and ids:
            at = ids.index(self.current) + by if self.current in ids else 0
            self.chosen.emit(ids[max(0, min(len(ids) - 1, at))])
        elif event is not None and event.key() == Qt.Key.Key_Delete and self.current:
            self.removed.emit(self.current)
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        for place, entry in enumerate(self.entries):
            room = QRectF(0.5, place * self.row + 2, self.width() - 1, self.row - self._foot)
            self.paint_row(painter, t, room, place, entry)
