"""The edge of what scrolls: nothing is cut in half there, and a soft shade says that more follows."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, QRect, Qt
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPolygonF
from PyQt6.QtWidgets import QScrollArea, QWidget

from arpegon.ui.look import theme
from arpegon.ui.look.painted import Painted

_SHADE = 14
_SMALL = 96
"""Pixels up to which a part is shown whole or not at all; what is taller may be seen in part."""


class Cover(Painted):
    """Lies over one edge of the view."""

    def __init__(self, area: QScrollArea, top: bool) -> None:
        super().__init__(area)
        self._top = top
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        width, height = self.width(), self.height()
        holder = self.parentWidget()
        ground = theme.color(t.desk if holder is not None and holder.property("on") == "desk" else t.paper)
        clear = QColor(ground)
        clear.setAlpha(0)
        solid = height - _SHADE
        shade = QLinearGradient(0, solid if self._top else 0, 0, height if self._top else _SHADE)
        shade.setColorAt(0.0, ground if self._top else clear)
        shade.setColorAt(1.0, clear if self._top else ground)
        painter.fillRect(QRect(0, solid if self._top else 0, width, _SHADE), shade)
        painter.fillRect(QRect(0, 0 if self._top else _SHADE, width, max(0, solid)), ground)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.second))
        middle, edge = width / 2.0, 3.0 if self._top else height - 3.0
        by = 4.0 if self._top else -4.0
        points = ((middle - 6, edge + by), (middle + 6, edge + by), (middle, edge))
        painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in points]))


class MoreEdge(QObject):
    """Watches a scroll area, and covers at its edges what would be cut in half."""

    def __init__(self, area: QScrollArea) -> None:
        super().__init__(area)
        self._area = area
        self._covers = Cover(area, True), Cover(area, False)
        bar = area.verticalScrollBar()
        assert bar is not None
        bar.valueChanged.connect(self.look)
        bar.rangeChanged.connect(self.look)
        area.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.LayoutRequest, QEvent.Type.Show):
            self.look()
        return False

    def look(self) -> None:
        """Cover what is cut now."""
        viewport, content = self._area.viewport(), self._area.widget()
        bar = self._area.verticalScrollBar()
        if viewport is None or content is None or bar is None:
            return
        top, bottom = bar.value(), bar.value() + viewport.height()
        cuts = list(_parts(content, content))
        edges = _whole(cuts, top, down=True) - top, bottom - _whole(cuts, bottom, down=False)
        more = bar.value() > bar.minimum(), bar.value() < bar.maximum()
        for cover, hidden, follows, below in zip(self._covers, edges, more, (False, True), strict=True):
            cover.setVisible(follows)
            if not follows:
                continue
            height = min(viewport.height() // 3, hidden + _SHADE)
            place = viewport.mapTo(self._area, QPoint(0, viewport.height() - height if below else 0))
            cover.setGeometry(QRect(place.x(), place.y(), viewport.width(), height))
            cover.raise_()


def _whole(parts: list[tuple[int, int]], edge: int, down: bool) -> int:
    """The nearest place, further in, at which no small part is cut."""
    for _ in parts:
        cut = [one for one in parts if one[0] < edge < one[1]]
        if not cut:
            break
        edge = max(one[1] for one in cut) if down else min(one[0] for one in cut)
    return edge


def _parts(widget: QWidget, content: QWidget) -> Iterator[tuple[int, int]]:
    """Where small parts begin and end."""
    for child in widget.children():
        if not isinstance(child, QWidget) or not child.isVisibleTo(content) or child.isWindow():
            continue
        if child.height() > _SMALL:
            yield from _parts(child, content)
        else:
            top = child.mapTo(content, QPoint(0, 0)).y()
            yield top, top + child.height()
