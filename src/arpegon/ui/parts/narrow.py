"""Rows that make do with little room: what is needed least goes first."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QLayout, QWidget


class Narrow(QObject):
    """Leaves parts of a row out, group after group, while it is narrower than all of them need.

    Args:
        row: what the parts stand in, side by side.
        groups: widgets that go together, those that are needed least first.
        instead: what is shown in the place of a group that went, by its number.
    """

    def __init__(
        self, row: QWidget, groups: Sequence[Sequence[QWidget]], instead: dict[int, QWidget] | None = None
    ) -> None:
        super().__init__(row)
        self._row = row
        self._groups = groups
        self._instead = instead or {}
        self.gone = 0
        """How many groups went."""
        for widget in self._instead.values():
            widget.hide()
        row.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        kind = event.type() if event is not None else None
        if kind in (QEvent.Type.Resize, QEvent.Type.Show):
            self._fit(0)
        elif kind == QEvent.Type.LayoutRequest:
            self._fit(self.gone)  # words became longer
        return False

    def _fit(self, least: int) -> None:
        """Leave out what has no room, and nothing else, but so many groups at least."""
        for gone in range(least, len(self._groups) + 1):
            self._leave_out(gone)
            layout = self._row.layout()
            if layout is None:
                return
            _forget(layout)
            if layout.totalMinimumSize().width() <= self._row.width():
                return

    def _leave_out(self, gone: int) -> None:
        if gone == self.gone:
            return
        self.gone = gone
        for number, group in enumerate(self._groups):
            for widget in group:
                widget.setVisible(number >= gone)
            if number in self._instead:
                self._instead[number].setVisible(number < gone)


def _forget(layout: QLayout) -> None:
    """Have a layout, and those within it, ask anew what their parts need."""
    for place in range(layout.count()):
        item = layout.itemAt(place)
        inner = item.layout() if item is not None else None
        if inner is not None:
            _forget(inner)
    layout.invalidate()
