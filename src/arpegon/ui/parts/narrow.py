"""Rows that make do with little room: what is needed least goes first."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QBoxLayout, QLayout, QWidget


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

    def _fit(self, first: int) -> None:
        """Leave out what has no room, and nothing else, but so many groups at least."""
        for gone in range(first, len(self._groups) + 1):
            self._leave_out(gone)
            layout = self._row.layout()
            if layout is None or _needs(layout) <= self._row.width():
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


def _needs(layout: QLayout) -> int:
    """The pixels across that a layout needs as things are: its own answer is of before something went."""
    margins = layout.contentsMargins()
    found = []
    for place in range(layout.count()):
        item = layout.itemAt(place)
        inner = item.layout() if item is not None else None
        if inner is not None:
            found.append(_needs(inner))
        elif item is not None and not item.isEmpty():
            found.append(item.minimumSize().width())
    across = isinstance(layout, QBoxLayout) and layout.direction() == QBoxLayout.Direction.LeftToRight
    needed = sum(found) + layout.spacing() * max(0, len(found) - 1) if across else max(found, default=0)
    return needed + margins.left() + margins.right()
